"""Idle draw: what a converter or inverter takes in with nothing attached."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from ubrant.core.conversion.loss_model import LossModel
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.readings import Array, ReadingsError
from ubrant.core.uncertainty.contributions import Contribution, merged, rectangular
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

_STEADY_SHARE = 0.05
_USEFUL = 0.5
_MOVES_SHARE = 0.01


def idle_findings(
    voltage_v: Array,
    current_a: Array,
    voltage: Accuracy | None,
    current: Accuracy | None,
    floor_a: float = 0.0,
    model: LossModel | None = None,
    battery_wh: float | None = None,
    half_v: float = 0.0,
    half_a: float = 0.0,
) -> tuple[dict[str, Finding], list[str]]:
    """Watts with ±, watt-hours a day, days until it alone empties a battery; and warnings.

    Parameters
    ----------
    voltage_v, current_a : (n,) at the input, nothing attached; what comes before it is steady is left out
    floor_a : below this the meter shows nothing
    half_v, half_a : half of the last digit of what a person took down

    Raises
    ------
    ReadingsError
        There is nothing to read.
    """
    good = np.isfinite(voltage_v) & np.isfinite(current_a)
    volts, amps = voltage_v[good], current_a[good]
    if not len(volts):
        raise ReadingsError(say("There are no volts and amperes of the input."))
    amps = -amps if float(np.median(amps)) < 0 else amps
    first = _steady_from(amps)
    volts, amps = volts[first:], amps[first:]
    mean_v, mean_a = float(np.mean(volts)), float(np.mean(amps))
    warnings = []
    if first:
        warnings.append(say("The first {first} readings were left out: it was not steady yet.", first=first))
    noise = float(np.std(volts * amps, ddof=1)) / math.sqrt(len(volts)) if len(volts) > 2 else 0.0
    watts = float(np.mean(volts * amps))
    drift = _drift(volts * amps)
    if abs(drift) > _MOVES_SHARE * watts > 0:
        warnings.append(
            say(
                "It was still {value} while it was read: {show} W between the two halves. Read longer.",
                value="rising" if drift > 0 else "falling",
                show=show(abs(drift), 2),
            )
        )
    parts: tuple[Contribution, ...] | None = None
    if voltage is not None and current is not None:
        parts = merged(
            (
                Contribution(
                    "input current gain", rectangular(current.gain) * watts, f"{show(100 * current.gain, 2)} % of {show(watts)} W ÷ √3"
                ),
                Contribution(
                    "input current zero", rectangular(current.zero) * mean_v, f"{show(1000 * current.zero, 2)} mA × {show(mean_v)} V ÷ √3"
                ),
                Contribution("input voltage gain", rectangular(voltage.gain) * watts),
                Contribution("input voltage zero", rectangular(voltage.zero) * mean_a),
                Contribution("unsteadiness", noise),
                Contribution("still moving", rectangular(drift), "between the two halves, ÷ √3"),
                Contribution("last digit of the amperes", rectangular(half_a) * mean_v),
                Contribution("last digit of the volts", rectangular(half_v) * abs(mean_a)),
            )
        )
    if floor_a and mean_a <= floor_a:
        watts = mean_v * floor_a / 2
        parts = (
            Contribution("below what the meter shows", rectangular(watts), say("anywhere from 0 to {show} W, ÷ √3", show=show(2 * watts))),
        )
        warnings.append(
            _unresolved(
                say(
                    "Under {floor_a} A the meter shows nothing: this is less than {show} W.",
                    floor_a=plain(floor_a, 3),
                    show=show(2 * watts, 2),
                )
            )
        )
    idle = Finding(
        "idle_power",
        "Idle draw",
        watts,
        "W",
        parts,
        f"{show(mean_a)} A × {show(mean_v)} V, steady",
        (say("mean of V·I over {volts} readings = {watts} W", volts=len(volts), watts=show(watts)),),
    )
    u = idle.expanded_uncertainty
    if u is not None and watts > 0 and u > 0.4 * watts and not (floor_a and mean_a <= floor_a):
        warnings.append(
            _unresolved(
                say(
                    "{with_uncertainty} settles nothing between {show} and {show_2} W.",
                    with_uncertainty=idle.with_uncertainty(),
                    show=show(max(watts - u, 0.0), 2),
                    show_2=show(watts + u, 2),
                )
            )
        )
    day = idle.in_unit("Wh", 24.0)
    findings = {
        "idle_power": idle,
        "idle_energy_day": Finding("idle_energy_day", "A day", day.value, "Wh", day.contributions, "idle draw × 24 h"),
    }
    settled = u is None or u < watts
    if battery_wh and watts > 0 and settled:
        days = battery_wh / watts / 24
        scaled = None if parts is None else tuple(c.times(-days / watts) for c in parts)
        findings["days_to_empty"] = Finding(
            "days_to_empty", say("Alone empties the battery in"), days, "d", scaled, f"{show(battery_wh)} Wh ÷ {show(watts)} W ÷ 24 h"
        )
    half = model.half_arrives_w() if model is not None else watts / (1 - _USEFUL) * _USEFUL if watts > 0 and settled else None
    if half is not None:
        how = "by its fitted losses" if model is not None else "if idle were its only loss"
        findings["half_arrives"] = Finding(
            "half_arrives", say("Costs under half from"), half, "W", None if model is not None else parts, how
        )
    return findings, warnings


def idle_sentence(findings: Mapping[str, Finding]) -> str:
    """What a colleague would say of it, without a full stop; where the uncertainty is as large as the draw, only what it is less than."""
    idle, day = findings["idle_power"], findings["idle_energy_day"]
    u = idle.expanded_uncertainty
    if u is not None and u >= (idle.value or 0.0):
        return say(
            "Idle draw {amount_text}, {removeprefix} a day: the meter settles no more than that",
            amount_text=idle.amount_text(),
            removeprefix=day.amount_text().removeprefix("anywhere "),
        )
    said = say("Idle draw {with_uncertainty}, {value_text} a day", with_uncertainty=idle.with_uncertainty(), value_text=day.value_text())
    if (days := findings.get("days_to_empty")) is not None:
        said += say(": alone it empties the battery in {show} days", show=show(days.value or 0.0, 2))
    return said


def level(values: Array) -> float:
    """Where a course stands in the end: the mean of its later half."""
    return float(np.mean(values[len(values) // 2 :]))


def _drift(watts: Array) -> float:
    """How far the later half lies from the earlier one, as far as the noise does not explain it."""
    half = len(watts) // 2
    if half < 4:
        return 0.0
    early, late = watts[:half], watts[half:]
    noise = math.hypot(float(np.std(early, ddof=1)), float(np.std(late, ddof=1))) / math.sqrt(half)
    moved = float(np.mean(late) - np.mean(early))
    return moved if abs(moved) > 3 * noise else 0.0


def _steady_from(amps: Array) -> int:
    """The first reading from which the current stays within 5 % (of the last third's mean) or its noise."""
    if len(amps) < 6:
        return 0
    tail = amps[-max(len(amps) // 3, 3) :]
    width = max(_STEADY_SHARE * abs(float(np.mean(tail))), 4 * float(np.std(tail)))
    outside = np.flatnonzero(np.abs(amps - float(np.mean(tail))) > width)
    outside = outside[outside < len(amps) // 2]
    return int(outside[-1]) + 1 if len(outside) else 0


def _unresolved(head: str) -> str:
    return say("{head} A shunt instead of the clamp would tell, or an Ah counter over some hours.", head=head)
