"""AC, told by its volts: there volts × amperes are VA, and only a wattmeter tells watts."""

from __future__ import annotations

AC_FROM_V, AC_TO_V = 80.0, 500.0
"""Between these it is AC of the mains, or what an inverter makes in its place; over them a slip. Common practice, no source."""


def is_ac(volts: float) -> bool:
    """By its volts alone; of NaN no."""
    return AC_FROM_V <= abs(volts) <= AC_TO_V
