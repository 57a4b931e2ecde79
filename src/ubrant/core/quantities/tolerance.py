"""What an output may be: ``5 V 5%``, ``4.75..5.25 V``, ``230 V ± 10 %``."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, parse_quantity, plain
from ubrant.core.wording import say

USB = "4.75..5.25 V"
"""USB 2.0, 7.2.2: 4.75 to 5.25 V at a high-power port. Value from memory."""
MAINS_230 = "230 V 10%"
"""EN 50160: 230 V ± 10 %. Value from memory."""
MAINS_120 = "120 V 5%"
"""ANSI C84.1, range A: 120 V ± 5 %. Value from memory."""


@dataclass(frozen=True)
class Tolerance:
    """From ``low`` to ``high``, both allowed."""

    low: float
    high: float

    @property
    def nominal(self) -> float:
        return (self.low + self.high) / 2

    def holds(self, value: float) -> bool:
        return self.low <= value <= self.high

    def show(self) -> str:
        return f"{plain(self.low)} to {plain(self.high)} V"


def parse_tolerance(text: str) -> Tolerance:
    """Read a tolerance.

    Raises
    ------
    QuantityError
        It is not understood; says how to write it.
    """
    text = text.strip()
    if match := re.fullmatch(rf"({NUMBER})\s*(?:V)?\s*\.\.\.?\s*({NUMBER}\s*m?V)", text, re.I):
        low, high = parse_number(match[1]), parse_quantity(match[2], "V")
    elif match := re.fullmatch(rf"({NUMBER}\s*m?V)\s*,?\s*(?:±|\+/-)?\s*({NUMBER})\s*%", text, re.I):
        nominal, share = parse_quantity(match[1], "V"), abs(parse_number(match[2])) / 100
        low, high = nominal * (1 - share), nominal * (1 + share)
    elif match := re.fullmatch(rf"({NUMBER}\s*m?V)\s*(?:±|\+/-)\s*({NUMBER}\s*m?V)", text, re.I):
        nominal, width = parse_quantity(match[1], "V"), parse_quantity(match[2], "V")
        low, high = nominal - width, nominal + width
    else:
        raise QuantityError(say("“{what}” is not a tolerance: write it like “5 V 5%” or “4.75..5.25 V”.", what=text))
    if not 0 < low < high:
        raise QuantityError(say("“{what}”: the lower end has to be over 0 and under the upper one.", what=text))
    return Tolerance(low, high)
