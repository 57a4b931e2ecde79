"""What an AC appliance draws in each mode: W, VA, power factor; and an external supply at a quarter, half, three quarters and all of its load."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.record.readings import ReadingsError
from ubrant.core.uncertainty.contributions import Contribution, Contributions, merged, of_ratio, rectangular
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

QUARTERS = (0.25, 0.5, 0.75, 1.0)
"""US 10 CFR 430 subpart B appendix Z: shares of the nameplate output current; from memory."""
STANDBY = ("standby", "off", "idle", "asleep")

_BEYOND_SHARE, _BEYOND_W = 1.5, 5.0
"""A mode of more watts than so many times its volt-amperes and so many watts on top is left out; under it the digits of its amperes may explain it."""


@dataclass(frozen=True)
class Mode:
    """One reading of a plug-in meter. ``watts`` None where it was not read: V × A is not W on AC; ``half_w``: half of their last digit."""

    name: str
    volts: float | None = None
    amps: float | None = None
    watts: float | None = None
    peak_w: float | None = None
    half_w: float = 0.0


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
        raise ReadingsError(say("No watts were read: on AC, volts × amperes is not watts. Read the W of a plug-in meter."))
    findings: dict[str, Finding] = {}
    warnings = [slip for m in metered if (slip := _slip(m))]
    metered = [m for m in metered if not _slip(m)]
    if not metered:
        raise ReadingsError(warnings[0])
    for number, mode in enumerate(metered, start=1):
        watts = mode.watts or 0.0
        findings[f"power_{number}"] = Finding(
            f"power_{number}", f"{mode.name}", watts, "W", power_uncertainty(watts, power, mode.half_w), say("as the meter reads")
        )
        if mode.volts and mode.amps:
            finding = _apparent(number, mode, power, voltage, current)
            findings |= finding
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
        day = tuple(c.times(24.0) for c in power_uncertainty(quiet.watts, power, quiet.half_w) or ()) if power else None
        findings["standby_day"] = Finding(
            "standby_day", f"{quiet.name}, a day", 24 * quiet.watts, "Wh", day, f"{show(quiet.watts)} W × 24 h"
        )
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


def _apparent(number: int, mode: Mode, power: Accuracy | None, voltage: Accuracy | None, current: Accuracy | None) -> dict[str, Finding]:
    """VA and power factor of a mode. The three readings of a plug-in meter are taken as independent."""
    volts, amps, watts = mode.volts or 0.0, mode.amps or 0.0, mode.watts or 0.0
    apparent = volts * amps
    parts = None
    if voltage is not None and current is not None:
        parts = merged(
            (
                Contribution("voltage gain", rectangular(voltage.gain) * apparent),
                Contribution("voltage zero", rectangular(voltage.zero) * amps),
                Contribution("current gain", rectangular(current.gain) * apparent),
                Contribution("current zero", rectangular(current.zero) * volts),
            )
        )
    in_watts = power_uncertainty(watts, power, mode.half_w)
    factor_parts = None if parts is None or in_watts is None else of_ratio(watts, in_watts, apparent, parts)
    keys = f"apparent_{number}", f"factor_{number}"
    return {
        keys[0]: Finding(keys[0], f"{mode.name}, apparent", apparent, "VA", parts, f"{show(volts)} V × {show(amps)} A"),
        keys[1]: Finding(
            keys[1], f"{mode.name}, power factor", min(watts / apparent, 1.0), "", factor_parts, f"{show(watts)} W ÷ {show(apparent)} VA"
        ),
    }


def power_uncertainty(watts: float, power: Accuracy | None, half_w: float = 0.0) -> Contributions | None:
    """Where a plug-in meter's ± comes from."""
    if power is None:
        return None
    return merged(
        (
            Contribution("power gain", rectangular(power.gain) * watts, f"{show(100 * power.gain, 2)} % of {show(watts)} W ÷ √3"),
            Contribution("power zero", rectangular(power.zero), f"{show(power.zero, 2)} W ÷ √3"),
            Contribution("last digit of the watts", rectangular(half_w)),
        )
    )


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
    value = sum(s.percent for s in steps) / len(steps)
    parts = None
    if meters.power is not None and meters.voltage is not None and meters.current is not None:
        parts = merged(
            tuple(
                part
                for sign, what, accuracy, readings in (
                    (-1, "input power", meters.power, [s.input_w for s in steps]),
                    (1, "output voltage", meters.voltage, [s.output_v for s in steps]),
                    (1, "output current", meters.current, [s.output_a for s in steps]),
                )
                for part in (
                    Contribution(f"{what} gain", sign * value * rectangular(accuracy.gain), f"{show(100 * accuracy.gain, 2)} % of it ÷ √3"),
                    Contribution(
                        f"{what} zero",
                        sign
                        * rectangular(accuracy.zero)
                        * sum(s.percent / max(r, 1e-9) for s, r in zip(steps, readings, strict=True))
                        / len(steps),
                    ),
                )
            )
        )
        digits = sum(
            (s.percent * half / max(value, 1e-9)) ** 2
            for s in steps
            for half, value in zip(s.halves, (s.input_w, s.output_v, s.output_a), strict=True)
        )
        parts = merged((*parts, Contribution("digits as they were typed", rectangular(math.sqrt(digits)) / len(steps))))
    sums = [f"{show(s.output_w)} W ÷ {show(s.input_w)} W = {show(s.percent, 4)} %" for s in steps]
    return Finding(key, name, value, "%", parts, working, tuple(sums))


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
