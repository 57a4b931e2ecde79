"""What an AC appliance draws in each mode: W, VA, power factor; and an external supply at a quarter, half, three quarters and all of its load."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.accuracy import Accuracy
from ubrant.core.finding import Finding
from ubrant.core.quantity import show
from ubrant.core.readings import ReadingsError
from ubrant.core.uncertainty import Contribution, Contributions, merged, rectangular

QUARTERS = (0.25, 0.5, 0.75, 1.0)
"""US 10 CFR 430 subpart B appendix Z: shares of the nameplate output current; from memory."""
STANDBY = ("standby", "off", "idle", "asleep")


@dataclass(frozen=True)
class Mode:
    """One reading of a plug-in meter. ``watts`` None where it was not read: V × A is not W on AC."""

    name: str
    volts: float | None = None
    amps: float | None = None
    watts: float | None = None
    peak_w: float | None = None


def appliance_findings(modes: list[Mode], power: Accuracy | None = None) -> tuple[dict[str, Finding], list[str]]:
    """W, VA and PF of each mode, the spread over modes, what it draws while “off”.

    Parameters
    ----------
    power : the plug-in meter's accuracy in W; None for unknown

    Raises
    ------
    ReadingsError
        No mode with watts.
    """
    metered = [m for m in modes if m.watts is not None]
    if not metered:
        raise ReadingsError("No watts were read: on AC, volts × amperes is not watts. Read the W of a plug-in meter.")
    findings: dict[str, Finding] = {}
    warnings = []
    for number, mode in enumerate(metered, start=1):
        watts = mode.watts or 0.0
        findings[f"power_{number}"] = Finding(
            f"power_{number}", f"{mode.name}", watts, "W", power_doubt(watts, power), "as the meter reads"
        )
        if mode.volts and mode.amps:
            apparent = mode.volts * mode.amps
            factor = watts / apparent
            findings[f"apparent_{number}"] = Finding(f"apparent_{number}", f"{mode.name}, apparent", apparent, "VA", None,
                                                     f"{show(mode.volts)} V × {show(mode.amps)} A")  # fmt: skip
            findings[f"factor_{number}"] = Finding(f"factor_{number}", f"{mode.name}, power factor", min(factor, 1.0), "", None,
                                                   f"{show(watts)} W ÷ {show(apparent)} VA")  # fmt: skip
            if factor > 1.03:
                warnings.append(f"{mode.name}: {show(watts)} W are more than {show(apparent)} VA can carry: one of the readings is a slip.")
            elif factor < 0.7 and watts > 5:
                warnings.append(
                    f"{mode.name}: power factor {show(factor, 2)}: an inverter has to carry {show(apparent)} VA for {show(watts)} W."
                )
    quiet = next((m for m in metered if m.name.lower().startswith(STANDBY)), None)
    if quiet is not None and quiet.watts is not None:
        day = tuple(c.times(24.0) for c in power_doubt(quiet.watts, power) or ()) if power else None
        findings["standby_day"] = Finding(
            "standby_day", f"{quiet.name}, a day", 24 * quiet.watts, "Wh", day, f"{show(quiet.watts)} W × 24 h"
        )
    loud = [m for m in metered if m is not quiet]
    if len(loud) >= 3:
        high, low = max(m.watts or 0 for m in loud), min(m.watts or 0 for m in loud)
        if high < 1.03 * low:
            warnings.append(f"All modes draw about {show(high, 3)} W: something limits it.")
    peaks = [m.peak_w for m in modes if m.peak_w is not None]
    if peaks:
        findings["peak"] = Finding("peak", "Highest peak", max(peaks), "W", None, "as seen")
    return findings, warnings


def power_doubt(watts: float, power: Accuracy | None) -> Contributions | None:
    """Where a plug-in meter's ± comes from."""
    if power is None:
        return None
    return merged((
        Contribution("power gain", rectangular(power.gain) * watts, f"{show(100 * power.gain, 2)} % of {show(watts)} W ÷ √3"),
        Contribution("power zero", rectangular(power.zero), f"{show(power.zero, 2)} W ÷ √3"),
    ))  # fmt: skip


def supply_average(input_w: dict[float, float], output_w: dict[float, float], power: Accuracy | None) -> Finding:
    """Mean efficiency of an external supply at 25, 50, 75 and 100 % of its nameplate current; None where one is missing.

    Parameters
    ----------
    input_w, output_w : by share of the nameplate current
    """
    missing = [q for q in QUARTERS if q not in input_w or q not in output_w]
    name, working = "Average efficiency", "mean of η at 25, 50, 75 and 100 % (10 CFR 430 B, app. Z)"
    if missing:
        return Finding("average_efficiency", name, None, "%", None, f"{', '.join(f'{100 * q:.0f} %' for q in missing)} not measured")
    etas = [100 * output_w[q] / input_w[q] for q in QUARTERS]
    parts = None
    if power is not None:
        gain = -sum(etas) / 4 * rectangular(power.gain)
        zero = -sum(eta / input_w[q] for eta, q in zip(etas, QUARTERS, strict=True)) / 4 * rectangular(power.zero)
        parts = merged((Contribution("input power gain", gain), Contribution("input power zero", zero)))
    return Finding("average_efficiency", name, sum(etas) / 4, "%", parts, working,
                   (" + ".join(show(e, 4) for e in etas) + f" over 4 = {show(sum(etas) / 4, 4)} %",))  # fmt: skip
