"""A meter's accuracy as its manual quotes it."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, parse_quantity, show, unit_factor
from ubrant.core.wording import remembered, say

LINEARITY = 0.25
"""Of the limit of a meter's gain, that does not cancel between two readings in one range. Common practice, no source."""
ZEROED, _LEFT = 0.5, 0.1
"""Of a maker's zero, what a zero that was read leaves; and at least, where it was read again. Common practice, no source."""


@dataclass(frozen=True)
class Accuracy:
    """Limits of error of one quantity: ± (gain × reading + zero), two independent rectangular terms.

    Attributes
    ----------
    gain : fraction of the reading (0.005 for 0.5 %)
    zero : in the quantity's unit: digits, percent of range and zero error together
    unit : V, A or W
    text : as it was typed
    meter : the uid of the meter whose it is; empty where nobody said
    place : the tap at which it is read
    is_shared : the same meter is read at other taps too
    linearity : by how much its gain may differ here from where it was read first, a fraction of the reading
    """

    gain: float
    zero: float
    unit: str
    text: str = ""
    meter: str = ""
    place: str = ""
    is_shared: bool = False
    linearity: float = 0.0

    def limit(self, value: float) -> float:
        """Largest error at a reading, in its unit, both terms at their limits."""
        return self.gain * abs(value) + self.zero

    def plainly(self) -> str:
        """As it can be read again: as it was typed, else its two terms."""
        return self.text or f"{100 * self.gain:.12g} % + {self.zero:.12g} {self.unit}"

    def shared(self) -> Accuracy:
        """Of a meter that is read at other taps too."""
        return replace(self, is_shared=True)

    def moved_to(self, place: str) -> Accuracy:
        """Of the same meter where it is read as well: its gain is one, but for what it is not linear by; its zero is another."""
        return replace(self, place=place, is_shared=True, linearity=LINEARITY * self.gain)

    def at_degrees(self, outside_c: float, tempco: float) -> Accuracy:
        """Where it is so many °C outside of what its accuracy holds in."""
        return self if not outside_c * tempco > 0 else replace(self, gain=self.gain + outside_c * tempco, text="")

    def zeroed(self, moved: float | None = None) -> Accuracy:
        """What is left of it once its zero was read and taken off: half of the maker's, or what it ``moved`` by until it was read again at the end."""
        left = ZEROED * self.zero if moved is None else max(abs(moved), _LEFT * self.zero)
        return replace(self, zero=min(left, self.zero))


@remembered
def parse_accuracy(text: str, unit: str) -> Accuracy:
    """Read ``0.1% + 3 mV``, ``±(0.5 % + 5 mA)``, ``0.5 % + 3 digits of 10 mA``, ``1 % + 0.2 % of 20 A``.

    Raises
    ------
    QuantityError
        A term that is not understood; says which, and how to write it.
    """
    inner = re.sub(r"(?<=[^\s(±])\s*(?:±|\+/-)\s*(?=\d)", " + ", text.strip())  # ±0.5 % ±2 digits of 10 mV
    inner = inner.replace("±", "").replace("+/-", "").strip()
    inner = inner.removeprefix("(").removesuffix(")").strip() if inner.count("(") == inner.count(")") else inner
    gain = zero = 0.0
    if not inner:
        raise QuantityError(say("No accuracy given: write it as the manual does, like “{value}”.", value=_EXAMPLE[unit]))
    for term in re.split(r"\s*\+\s*", inner):
        if match := re.fullmatch(rf"({NUMBER})\s*%\s*of\s*(?:range\s*)?({NUMBER}\s*\S+)", term, re.I):
            zero += parse_number(match[1]) / 100 * parse_quantity(match[2], unit)
        elif match := re.fullmatch(rf"({NUMBER})\s*%(?:\s*(?:of\s+)?(?:reading|rdg))?\.?", term, re.I):
            gain += parse_number(match[1]) / 100
        elif match := re.fullmatch(rf"({NUMBER})\s*(?:digits?|dgts?|counts?|d)\s*(?:of|×|x|\()\s*([^)]+)\)?", term, re.I):
            zero += parse_number(match[1]) * parse_quantity(match[2], unit)
        elif match := re.fullmatch(r"(\d+)\s*(digits?|dgts?|counts?|d|lsd)?", term, re.I):
            size = "1 mV" if unit == "V" else "10 mA"
            digits = term if match[2] else f"{term} digits"
            raise QuantityError(say("Write it like “{digits} of {value}”: a digit of what size?", digits=digits, value=size))
        elif (match := re.fullmatch(rf"({NUMBER})\s*([^\d\s]+)", term)) and (found := unit_factor(match[2])) and found.unit == unit:
            zero += parse_number(match[1]) * found.value
        else:
            raise QuantityError(
                say(
                    "Write it like “{value}”: “{term}” is not understood in an accuracy in {unit}.",
                    value=_EXAMPLE[unit],
                    term=term,
                    unit=unit,
                )
            )
    if gain < 0 or zero < 0:
        raise QuantityError(
            say("“{strip}”: an accuracy is a size without a sign, like “{value}”.", strip=text.strip(), value=_EXAMPLE[unit])
        )
    return Accuracy(gain, zero, unit, text.strip())


_LARGEST_SHARE = 0.2


def parse_share(text: str) -> float:
    """``0.1 %`` as a fraction; 0 for nothing written.

    Raises
    ------
    QuantityError
        No percentage, or one that no meter has.
    """
    if not text.strip():
        return 0.0
    match = re.fullmatch(rf"\s*±?\s*({NUMBER})\s*%\s*", text)
    share = parse_number(match[1]) / 100 if match is not None else -1.0
    if not 0 <= share <= _LARGEST_SHARE:
        raise QuantityError(say("“{typed}” is not understood: write it like “0.1 %”.", typed=text.strip()))
    return share


@dataclass(frozen=True)
class Standard:
    """What is kept to try a meter with: its value and the limits of error of that, in ``unit``."""

    value: float
    limit: float
    unit: str


def parse_standard(text: str) -> Standard | None:
    """``2.500 V ± 1 mV``; None for nothing written.

    Raises
    ------
    QuantityError
        Its value or its ± cannot be read.
    """
    if not text.strip():
        return None
    value, mark, limit = text.partition("±")
    match = re.search(r"([VAWΩ])\s*$", value.strip())
    if not mark or match is None:
        raise QuantityError(
            say(
                "“{typed}” is not understood: write the standard's value and its ±, like “2.500 V ± 1 mV” or “10.00 Ω ± 0.01 Ω”.",
                typed=text.strip(),
            )
        )
    made = Standard(parse_quantity(value, match[1]), parse_quantity(limit, match[1]), match[1])
    if not 0 < made.limit < _LARGEST_SHARE * abs(made.value):
        raise QuantityError(say("“{typed}”: no standard is as uncertain as that. Is the unit of its ± right?", typed=text.strip()))
    return made


_EXAMPLE = {"V": "0.1 % + 3 mV", "A": "0.5 % + 5 mA", "W": "1 % + 0.5 W"}


def show_accuracy(accuracy: Accuracy) -> str:
    """``± (0.5 % + 5 mA)``"""
    parts = [f"{show(accuracy.gain * 100, 2)} %"] if accuracy.gain else []
    if accuracy.zero:
        parts.append(
            f"{show(accuracy.zero * 1000, 2)} m{accuracy.unit}" if accuracy.zero < 1 else f"{show(accuracy.zero, 2)} {accuracy.unit}"
        )
    return "± (" + " + ".join(parts or ["0"]) + ")"
