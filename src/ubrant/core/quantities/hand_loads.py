"""What people hang on an output: amperes, watts, a resistor with or without its rating, or a thing with its setting."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from ubrant.core.quantities.quantity import QuantityError, parse_number, plain, show
from ubrant.core.wording import say

_N = r"\d+(?:\.\d+)?"
_RESISTOR = re.compile(rf"({_N})\s*(k)?\s*(?:Ω|Ω|ohms?|R)(?:\s*,?\s*({_N})\s*W)?", re.I)
_HOT_W = 2.0
"""From so many watts on a resistor without a rating is too hot to touch. Common practice, no source."""
_WARM_SHARE = 0.5
"""Of its rating: from there on it is as hot, in still air. Common practice, no source."""


@dataclass(frozen=True)
class HandLoad:
    """One load: as it was written, the amperes it takes at the output's volts (NaN where nobody can say), a resistor's rating in W (None without)."""

    text: str
    amps: float
    watts: float
    rated_w: float | None = None
    is_resistor: bool = False

    @property
    def is_hot(self) -> bool:
        """Too hot to touch."""
        return self.is_resistor and self.watts >= (_WARM_SHARE * self.rated_w if self.rated_w else _HOT_W)

    @property
    def is_over(self) -> bool:
        return self.rated_w is not None and self.watts > self.rated_w

    def named(self) -> str:
        """As it stands at a step: ``0.5 A``, ``4.7 Ω 10 W (5.32 W in it: hot)``."""
        if not self.is_resistor:
            return self.text
        return say("{what} ({watts} W in it{hot})", what=self.text, watts=show(self.watts, 3), hot=say(": hot") if self.is_hot else "")

    def short(self) -> str:
        """As a table has room for: ``4.7 Ω 10 W, hot``."""
        return say("{what}, hot", what=self.text) if self.is_hot else self.text

    def caution(self) -> str:
        """What has to be said of a resistor that takes more than it is made for; empty where it does not."""
        if not self.is_over:
            return ""
        return say(
            "{what} would take {watts} W: over its rating. If you do it all the same: set beforehand for how many seconds, keep a hand on the switch, touch no terminals under load, let it cool.",
            what=self.text,
            watts=show(self.watts, 3),
        )


def parse_loads(text: str, output_v: float) -> tuple[HandLoad, ...]:
    """``0, 0.5 A, 6 W, 4.7 Ω 10 W, heater low``; a bare number is in A.

    Raises
    ------
    QuantityError
        There is none, a resistor of nothing, or a comma between digits: a decimal comma, or two loads.
    """
    if match := re.search(r"(?<![\d.])\d+,\d+(?![\d.])", text):
        left, right = match[0].split(",")
        raise QuantityError(
            say("“{both}” may be one load or two: write “{left}.{right}”, or “{left}, {right}”.", both=match[0], left=left, right=right)
        )
    loads = tuple(_one(part.strip(), output_v) for part in re.split("[,;]", text) if part.strip())
    if not loads:
        raise QuantityError(say("Say what is hung on the output: “0, 0.5, 1 A”, “4.7 Ω 10 W”, “heater low”."))
    return loads


def _one(part: str, output_v: float) -> HandLoad:
    if match := _RESISTOR.fullmatch(part):
        ohm = parse_number(match[1]) * (1000.0 if match[2] else 1.0)
        if not ohm > 0:
            raise QuantityError(say("“{part}” is a short circuit: a resistor has more than 0 Ω.", part=part))
        return HandLoad(part, output_v / ohm, output_v**2 / ohm, parse_number(match[3]) if match[3] else None, is_resistor=True)
    if match := re.fullmatch(rf"({_N})\s*(mA|A|W)?", part):
        value = parse_number(match[1])
        if match[2] == "W":
            return HandLoad(part, value / output_v, value)
        amps = value / 1000 if match[2] == "mA" else value
        return HandLoad(f"{plain(amps)} A", amps, amps * output_v)
    if not re.search(r"[^\W\d]{2}", part):
        raise QuantityError(say("“{part}” is no load: write amperes, 6 W, 4.7 Ω 10 W, or what it is.", part=part))
    return HandLoad(part, math.nan, math.nan)
