"""What an AC appliance draws in each mode: W, VA, power factor; and an external supply at a quarter, half, three quarters and all of its load."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import LackingError, ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, as_read, digit, mean_of
from ubrant.core.wording import say

QUARTERS = (0.25, 0.5, 0.75, 1.0)
"""US 10 CFR 430 subpart B appendix Z: shares of the nameplate output current; from memory."""
STANDBY = ("standby", "off", "idle", "asleep")

_KNOWN = 0.25
"""Volt-amperes that are not known to a quarter are divided by by nobody."""
_MOST_VA, _LEAST_FACTOR = 200.0, 0.05
"""No appliance of so many volt-amperes has a smaller power factor. Common practice, no source."""
_BEYOND_SHARE, _BEYOND_W = 1.5, 5.0
"""A mode of more watts than so many times its volt-amperes and so many watts on top is left out; under it the digits of its amperes may explain it."""


@dataclass(frozen=True)
class Mode:
    """One reading of a plug-in meter. ``watts`` None where it was not read: V × A is not W on AC; ``halves``: half of the last digit of V, A and W."""

    name: str
    volts: float | None = None
    amps: float | None = None
    watts: float | None = None
    peak_w: float | None = None
    halves: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def half_w(self) -> float:
        return self.halves[2]


def appliance_findings(
    modes: list[Mode], power: Accuracy | None = None, voltage: Accuracy | None = None, current: Accuracy | None = None
) -> tuple[dict[str, Finding], list[str]]:
    """W, VA and PF of each mode, the spread over modes, what it draws while “off”.

    Parameters
    ----------
    power, voltage, current : the plug-in meter's accuracy in W, V and A; None for unknown

    Raises
    ------
    ReadingsError
        No mode with watts.
    """
    metered = [m for m in modes if m.watts is not None]
    if not metered:
        raise LackingError(say("No watts were read: on AC, volts × amperes is not watts. Read the W of a plug-in meter."))
    findings: dict[str, Finding] = {}
    warnings = [slip for m in metered if (slip := _slip(m))]
    metered = [m for m in metered if not _slip(m)]
    if not metered:
        raise ReadingsError(warnings[0])
    for number, mode in enumerate(metered, start=1):
        watts = mode.watts or 0.0
        drawn = watts_read(watts, power, mode.half_w, mode.name)
        findings[f"power_{number}"] = Finding.made(f"power_{number}", f"{mode.name}", drawn, "W", say("as the meter reads"))
        if mode.volts and mode.amps:
            findings |= _apparent(number, mode, drawn, voltage, current)
            apparent, factor = mode.volts * mode.amps, watts / (mode.volts * mode.amps)
            if factor > 1.03:
                warnings.append(_over(mode, apparent))
            elif factor < 0.7 and watts > 5:
                warnings.append(
                    say(
                        "{name}: power factor {factor}: an inverter has to carry {apparent} VA for {watts} W.",
                        name=mode.name,
                        factor=show(factor, 2),
                        apparent=show(apparent),
                        watts=show(watts),
                    )
                )
    quiet = next((m for m in metered if m.name.lower().startswith(STANDBY)), None)
    if quiet is not None and quiet.watts is not None:
        day = 24 * watts_read(quiet.watts, power, quiet.half_w, quiet.name)
        findings["standby_day"] = Finding.made("standby_day", f"{quiet.name}, a day", day, "Wh", f"{show(quiet.watts)} W × 24 h")
    loud = [m for m in metered if m is not quiet]
    if len(loud) >= 3:
        high, low = max(m.watts or 0 for m in loud), min(m.watts or 0 for m in loud)
        if high < 1.03 * low:
            warnings.append(say("All modes draw about {high} W: something limits it.", high=show(high, 3)))
    peaks = [m.peak_w for m in modes if m.peak_w is not None]
    if peaks:
        findings["peak"] = Finding("peak", "Highest peak", max(peaks), "W", None, "as seen")
    return findings, warnings


def _slip(mode: Mode) -> str:
    """Why a mode's readings cannot all be right even with few digits of amperes, in a sentence; empty where they can."""
    apparent = (mode.volts or 0.0) * (mode.amps or 0.0)
    if apparent > _MOST_VA and (mode.watts or 0.0) < _LEAST_FACTOR * apparent:
        return say(
            "{name}: {watts} W of {apparent} VA: were amperes and watts written down the wrong way round? It was left out.",
            name=mode.name,
            watts=show(mode.watts or 0.0),
            apparent=show(apparent),
        )
    if not apparent or (mode.watts or 0.0) <= _BEYOND_SHARE * apparent + _BEYOND_W:
        return ""
    return say("{over} It was left out.", over=_over(mode, apparent))


def _over(mode: Mode, apparent: float) -> str:
    watts = show(mode.watts or 0.0)
    return say(
        "{name}: {watts} W are more than {apparent} VA can carry: one of the readings is a slip.",
        name=mode.name,
        watts=watts,
        apparent=show(apparent),
    )


def _apparent(number: int, mode: Mode, watts: Value, voltage: Accuracy | None, current: Accuracy | None) -> dict[str, Finding]:
    """VA and power factor of a mode. The three readings of a plug-in meter are taken as independent."""
    volts, amps = mode.volts or 0.0, mode.amps or 0.0
    apparent = (as_read(volts, voltage, "input") + digit(mode.halves[0], "V", when=mode.name)) * (
        as_read(amps, current, "input") + digit(mode.halves[1], "A", when=mode.name)
    )
    known = apparent.u is None or apparent.u < _KNOWN * apparent.value
    factor = watts / apparent if known else None
    if factor is not None:
        factor = Value(min(factor.value, 1.0), factor.parts)
    keys = f"apparent_{number}", f"factor_{number}"
    sum_of = f"{show(watts.value)} W ÷ {show(apparent.value)} VA" if known else say("its VA are not known well enough")
    return {
        keys[0]: Finding.made(keys[0], f"{mode.name}, apparent", apparent, "VA", f"{show(volts)} V × {show(amps)} A"),
        keys[1]: Finding.made(keys[1], f"{mode.name}, power factor", factor, "", sum_of),
    }


def watts_read(watts: float, power: Accuracy | None, half_w: float = 0.0, when: str = "") -> Value:
    """Watts off a plug-in meter; ``when`` tells their last digit from that of another reading."""
    return as_read(watts, power, "input") + digit(half_w, "W", when=when)


@dataclass(frozen=True)
class SupplyStep:
    """One load of an external supply: watts from the mains, volts and amperes of its output; ``halves``: half of the last digit of each."""

    input_w: float
    output_v: float
    output_a: float
    halves: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def output_w(self) -> float:
        return self.output_v * self.output_a

    @property
    def off_w(self) -> float:
        """W by which the last digits may have spoilt what it loses."""
        into, volts, amps = self.halves
        return into + volts * self.output_a + amps * self.output_v

    @property
    def percent(self) -> float:
        return 100 * self.output_w / self.input_w


@dataclass(frozen=True)
class SupplyMeters:
    """Accuracies of the watts at the input, volts and amperes at the output; None for unknown."""

    power: Accuracy | None = None
    voltage: Accuracy | None = None
    current: Accuracy | None = None


def supply_efficiency(key: str, name: str, steps: Sequence[SupplyStep], meters: SupplyMeters, working: str) -> Finding:
    """Mean efficiency over some loads. What a meter is wrong by is the same at each of them, so that it does not average away."""

    def shown(value: float, half: float, accuracy: Accuracy | None, place: str, k: int) -> Value:
        return as_read(value, accuracy, place) + digit(half, accuracy.unit if accuracy is not None else "", when=f"{k}")

    shares = []
    for k, step in enumerate(steps, start=1):
        half_w, half_v, half_a = step.halves
        volts = shown(step.output_v, half_v, meters.voltage, "output", k)
        amps = shown(step.output_a, half_a, meters.current, "output", k)
        shares.append(100 * volts * amps / shown(step.input_w, half_w, meters.power, "input", k))
    sums = [f"{show(s.output_w)} W ÷ {show(s.input_w)} W = {show(s.percent, 4)} %" for s in steps]
    return Finding.made(key, name, mean_of(shares), "%", working, tuple(sums))


def supply_average(steps: Mapping[float, SupplyStep], meters: SupplyMeters) -> Finding:
    """Mean efficiency of an external supply at 25, 50, 75 and 100 % of its nameplate current; None where one is missing.

    Parameters
    ----------
    steps : by share of the nameplate current
    """
    missing = [q for q in QUARTERS if q not in steps]
    key, name = "average_efficiency", "Average efficiency"
    if missing:
        return Finding(key, name, None, "%", None, f"{', '.join(f'{100 * q:.0f} %' for q in missing)} not measured")
    working = "mean of η at 25, 50, 75 and 100 % (10 CFR 430 B, app. Z)"
    return supply_efficiency(key, name, [steps[q] for q in QUARTERS], meters, working)
