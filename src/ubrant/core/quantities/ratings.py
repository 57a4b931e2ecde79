"""What leads, fuse, breaker and cord are made for, against what flows: said before a test and after it."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain
from ubrant.core.wording import say

PARTS = {"leads": "input", "fuse": "input", "breaker": "input", "cord": "output"}
"""Part → the side it sits at."""
_CONTINUOUS = 0.8


@dataclass(frozen=True)
class Ratings:
    """Amperes each part is made for; a part nobody told of is missing."""

    amps: tuple[tuple[str, float], ...] = ()

    def get(self, part: str) -> float | None:
        return dict(self.amps).get(part)

    def show(self) -> str:
        return ", ".join(f"{part} {plain(a)} A" for part, a in self.amps)


def parse_ratings(text: str) -> Ratings:
    """Read ``leads 20 A, fuse 15 A, cord 5 A``; empty for nothing known.

    Raises
    ------
    QuantityError
        A part or a value that is not understood; says how to write it.
    """
    ratings = []
    for term in re.split(r"[,;]\s+", text.strip()) if text.strip() else ():
        match = re.fullmatch(r"([a-z]+)\s+(.+)", term.strip(), re.I)
        if match is None or match[1].lower() not in PARTS:
            raise QuantityError(say("“{term}” is no rating: write it like “leads 20 A, fuse 15 A, cord 5 A” (or breaker).", term=term))
        ratings.append((match[1].lower(), parse_quantity(match[2], "A")))
    return Ratings(tuple(ratings))


def rating_sentences(ratings: Ratings, input_a: float, output_a: float, *, measured: bool) -> list[str]:
    """What is beyond its rating, or will be.

    Parameters
    ----------
    input_a, output_a : largest current at either side, expected or measured
    """
    sentences = []
    flows = {"input": input_a, "output": output_a}
    for part, amps in ratings.amps:
        flow = flows[PARTS[part]]
        word = "carried" if measured else "will carry"
        if flow > amps:
            sentences.append(
                say(
                    "The {part} {word} up to {flow} A and {part_2} for {amps} A: {part_3}",
                    part=part,
                    word=word,
                    flow=plain(flow, 3),
                    part_2=_is_made(part),
                    amps=plain(amps, 3),
                    part_3=_advice(part),
                )
            )
        elif flow > _CONTINUOUS * amps and part in {"fuse", "breaker"}:
            sentences.append(
                say(
                    "The {part} {word} up to {flow} A of its {amps} A: over 80 % it may open after a while.",
                    part=part,
                    word=word,
                    flow=plain(flow, 3),
                    amps=plain(amps, 3),
                )
            )
    leads, fuse = ratings.get("leads"), ratings.get("fuse") or ratings.get("breaker")
    if leads is not None and fuse is not None and fuse > leads:
        sentences.append(
            say(
                "The fuse ({fuse} A) is larger than the leads carry ({leads} A): it does not protect them.",
                fuse=plain(fuse, 3),
                leads=plain(leads, 3),
            )
        )
    return sentences


def _is_made(part: str) -> str:
    return "are made" if part == "leads" else "is made"


def _advice(part: str) -> str:
    return {
        "leads": "take thicker ones, or less load.",
        "cord": "take a stronger one, or less load.",
        "fuse": "it will blow; take less load, or a larger fuse if the leads carry it.",
        "breaker": "it will open; take less load.",
    }[part]
