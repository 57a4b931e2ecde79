"""Idle draw: what a converter or inverter takes in with nothing attached."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from ubrant.core.conversion.loss_model import LossModel
from ubrant.core.gate.steady import BURSTS, CYCLES, RAMP, STEADY, STEP, Course, course_of
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, digit, scattered, within, wrong_by
from ubrant.core.wording import say, words

_STEADY_SHARE = 0.05
_USEFUL = 0.5
_MOVES_SHARE = 0.01
_GIVES_BACK = 0.5
_STILL_SHARE = 0.15
_ENOUGH, _APART, _APART_W = 8, 2.0, 0.5
_LEAST_V, _MOST_IDLE_W = 1.5, 500.0
"""No converter runs from less; none takes more in with nothing attached. Common practice, no source."""


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
    time_s: Array | None = None,
    upstream_ohm: float = 0.0,
) -> tuple[dict[str, Finding], list[str]]:
    """Watts with ±, watt-hours a day, days until it alone empties a battery; and warnings.

    Parameters
    ----------
    voltage_v, current_a : (n,) at the input, nothing attached; what comes before it is steady is left out
    floor_a : below this the meter shows nothing
    half_v, half_a : half of the last digit of what a person took down
    upstream_ohm : what lies upstream of the voltmeter of an inverter, whose input current pulsates
    time_s : (n,) seconds; without them readings count as evenly spaced

    Raises
    ------
    ReadingsError
        There is nothing to read, or it is no draw with one level: a ramp, a step, bursts without a period, a current the wrong way.
    """
    good = np.isfinite(voltage_v) & np.isfinite(current_a)
    volts, amps = voltage_v[good], current_a[good]
    if not len(volts):
        raise ReadingsError(say("There are no volts and amperes of the input."))
    times = time_s[good] if time_s is not None else np.arange(len(volts), dtype=float)
    warnings: list[str] = []
    amps = _drawn(amps, current, warnings)
    _can_be(volts, amps)
    noise_a = max(2 * half_a, current.zero if current is not None else 0.0)
    course = course_of(times, amps, noise_a)
    first = 0
    if course.kind == CYCLES:
        part = slice(course.first, course.last + 1)
        times, volts, amps = times[part], volts[part], amps[part]
        warnings.append(_about_cycles(course, volts))
    else:
        first = _steady_from(amps)
        times, volts, amps = times[first:], volts[first:], amps[first:]
        later = course_of(times, amps, noise_a)
        still = course.kind == RAMP and abs(_drift(amps)) > _STILL_SHARE * abs(course.high - course.low)
        _one_level(course if still and later.kind == STEADY else later, course, volts)
    few = _few(volts * amps)
    mean_v, mean_a = float(np.mean(volts)), float(np.mean(amps))
    if first:
        warnings.append(say("The first {first} readings were left out: it was not steady yet.", first=first))
    noise = float(np.std(volts * amps, ddof=1)) / math.sqrt(len(volts)) if len(volts) > 2 else 0.0
    power, pulsates_w = _through(volts, amps, voltage, current, upstream_ohm)
    watts = power.value
    drift = _drift(volts * amps) if course.kind != CYCLES else 0.0
    repeats = float(max(len(volts) - 1, 1))
    if course.kind == CYCLES:
        noise, repeats = course.spread * watts, float(max(course.periods - 1, 1))
        if course.coarse > course.spread:
            noise, repeats = course.coarse * watts, math.inf
    if abs(drift) > _MOVES_SHARE * watts > 0:
        warnings.append(
            say(
                "It was still {value} while it was read: {show} W between the two halves. Read longer.",
                value="rising" if drift > 0 else "falling",
                show=show(abs(drift), 2),
            )
        )
    power += scattered(noise, words("unsteadiness"), repeats)
    power += within(few, words("between few readings"), "W", note=say("half of what they differ by"))
    power += within(drift, words("still moving"), "W", note=say("between the two halves"))
    power += digit(half_a, "A", of=words("last digit of the amperes")) * mean_v
    power += digit(half_v, "V", of=words("last digit of the volts")) * abs(mean_a)
    if floor_a and mean_a <= floor_a:
        floor_a = max(floor_a, mean_a + (current.zero if current is not None else 0.0))
        watts = mean_v * floor_a / 2
        power = watts + within(
            watts, words("below what the meter shows"), "W", note=say("anywhere from 0 to {show} W", show=show(2 * watts))
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
    idle = Finding.made(
        "idle_power",
        "Idle draw",
        power,
        "W",
        f"{show(mean_a)} A × {show(mean_v)} V, " + (say("over whole periods") if course.kind == CYCLES else say("steady")),
        _arithmetic(len(volts), watts, pulsates_w),
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
    settled = u is None or u < watts
    return _with_what_follows(idle, model, battery_wh, settled=settled), warnings


def _through(volts: Array, amps: Array, voltage: Accuracy | None, current: Accuracy | None, upstream_ohm: float) -> tuple[Value, float]:
    """Mean watts of (n,) volts and amperes, and what was taken off of them because the current pulsates."""
    mean_v, mean_a, mean_w = float(np.mean(volts)), float(np.mean(amps)), float(np.mean(volts * amps))
    read_a = mean_a + wrong_by(current, mean_a, 1.0, "input")
    pulsates = upstream_ohm / 4 * read_a * read_a  # half of R·var(i) of a current that goes with the sine squared. Physics.
    pulsating = within(pulsates.value, words("pulsating input"), "W", note=say("R·Ī²/4 ± as much"))
    power = mean_w + wrong_by(voltage, mean_w, mean_a, "input") + wrong_by(current, mean_w, mean_v, "input")
    return power - pulsates + pulsating, pulsates.value


def _with_what_follows(idle: Finding, model: LossModel | None, battery_wh: float | None, *, settled: bool) -> dict[str, Finding]:
    """The draw, and a day of it, how long a battery stands it, from which load on it hardly counts."""
    power = idle.known
    watts = power.value
    day = idle.in_unit("Wh", 24.0)
    findings = {
        "idle_power": idle,
        "idle_energy_day": replace(day, key="idle_energy_day", name="A day", working="idle draw × 24 h", arithmetic=()),
    }
    if battery_wh and watts > 0 and settled:
        days = battery_wh / power / 24
        working = f"{show(battery_wh)} Wh ÷ {show(watts)} W ÷ 24 h"
        findings["days_to_empty"] = Finding.made("days_to_empty", say("Alone empties the battery in"), days, "d", working)
    name = say("Costs under half from")
    if model is not None and (fitted := model.half_arrives_w()) is not None:
        findings["half_arrives"] = Finding("half_arrives", name, fitted, "W", None, "by its fitted losses")
    elif model is None and watts > 0 and settled:
        findings["half_arrives"] = Finding.made("half_arrives", name, power / (1 - _USEFUL) * _USEFUL, "W", "if idle were its only loss")
    return findings


def _arithmetic(count: int, watts: float, pulsates_w: float) -> tuple[str, ...]:
    mean = say("mean of V·I over {count} readings = {watts} W", count=count, watts=show(watts + pulsates_w))
    if not pulsates_w:
        return (mean,)
    less = say("less R·Ī²/4 = {less} W, as its current pulsates: {watts} W", less=show(pulsates_w, 2), watts=show(watts))
    return mean, less


def _drawn(amps: Array, current: Accuracy | None, warnings: list[str]) -> Array:
    """Amperes positive into the converter; the sign is that of their mean.

    Raises
    ------
    ReadingsError
        It gives some back, and that is none of the meter's zero.
    """
    mean = float(np.mean(amps))
    limit = current.limit(mean) if current is not None else 0.0
    if mean >= 0 or abs(mean) <= limit:  # the meter's zero: below what it shows
        return amps
    if float(np.max(amps)) > _GIVES_BACK * abs(mean) and float(np.min(amps)) < -_GIVES_BACK * abs(mean) and np.std(amps) < abs(mean):
        raise ReadingsError(say("The current changes its sign: look how the clamp sits."))
    warnings.append(say("The current was read as negative: it is taken the other way round, as of a clamp that was turned."))
    return -amps


def _can_be(volts: Array, amps: Array) -> None:
    """Raises ReadingsError where volts and amperes cannot be those of an input with nothing attached."""
    mean_v, mean_a = float(np.median(volts)), float(np.median(np.abs(amps)))
    if mean_v < _LEAST_V and mean_a > mean_v:
        raise ReadingsError(
            say(
                "{volts} V and {amps} A at an input with nothing attached: volts and amperes seem to be swapped. Say which column is which.",
                volts=show(mean_v, 3),
                amps=show(mean_a, 3),
            )
        )
    if mean_v * mean_a > _MOST_IDLE_W:
        raise ReadingsError(
            say(
                "{watts} W with nothing attached cannot be: are the amperes milliamperes, or was something attached? Mend the unit in its heading, or say “current in mA” when it is brought in.",
                watts=show(mean_v * mean_a, 3),
            )
        )


def _few(watts: Array) -> float:
    """Half of what a few readings of one thing differ by.

    Raises
    ------
    ReadingsError
        They differ by more than one thing does.
    """
    if len(watts) < 2 or len(watts) >= _ENOUGH:
        return 0.0
    low, high = float(np.min(watts)), float(np.max(watts))
    if high > _APART * max(low, 0.0) and high - low > _APART_W:
        raise ReadingsError(
            say(
                "It was read as {low} W and as {high} W: one of them is a slip, or it has two settings. Mend the line with “fix”, or write “economy” behind that of its economy setting.",
                low=show(low, 3),
                high=show(high, 3),
            )
        )
    return (high - low) / 2


def _about_cycles(course: Course, volts: Array) -> str:
    mean_v = float(np.mean(volts))
    return say(
        "It draws in bursts: {high} W for {share:.0f} % of the time, every {period}, and {low} W between. The mean is that of whole periods.{few}",
        high=show(course.high * mean_v, 3),
        low=show(course.low * mean_v, 3),
        share=100 * course.on_share,
        period=show_duration(course.period_s),
        few=say(" Its bursts are no longer than a reading or two: shorter ones are not seen; read faster.") if course.shortest < 3 else "",
    )


def _one_level(course: Course, whole: Course, volts: Array) -> None:
    """Raises ReadingsError where there is no one level to be called its draw."""
    mean_v = float(np.mean(volts))
    kind = course.kind if course.kind in {RAMP, STEP, BURSTS} else whole.kind if whole.kind in {STEP, BURSTS} else STEADY
    if kind == STEADY:
        return
    about = whole if whole.kind == kind else course
    low, high = show(about.low * mean_v, 3), show(about.high * mean_v, 3)
    if kind == RAMP:
        raise ReadingsError(
            say(
                "It is not steady: it goes from {low} to {high} W while it is read. Read on until it stays where it is.", low=low, high=high
            )
        )
    if kind == STEP:
        raise ReadingsError(
            say(
                "It has two levels, {low} W and {high} W, one after the other: was something attached? Read each by itself.",
                low=low,
                high=high,
            )
        )
    raise ReadingsError(
        say(
            "It draws in bursts, {high} W for {share:.0f} % of the time and {low} W between, and no whole periods were read: read over some more of them.",
            low=low,
            high=high,
            share=100 * about.on_share,
        )
    )


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
