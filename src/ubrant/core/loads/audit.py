"""An audit by clamp: the base with all off, one load after the other, all on; whether the sum meets it, and how long a battery lasts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.how_full import percents_of
from ubrant.core.battery.label_doubt import Holds, doubtful
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import as_read, digit, exactly, within
from ubrant.core.wording import say, words

WITH, WITHOUT, UNKNOWN = "with", "without", "unknown"
_CLOSES = 1.5
"""Times U. Common practice, no source."""


@dataclass(frozen=True)
class ClampReading:
    """One reading: its load's name, A and half of its last digit."""

    name: str
    amps: float
    half: float = 0.0


@dataclass(frozen=True)
class Audit:
    """What was read.

    Attributes
    ----------
    base, all_on, solar : None where it was not read; ``solar`` is the base with the sun on it
    loads : one by one
    base_in : WITH, WITHOUT or UNKNOWN: whether the loads were read with the base in them
    volts, volts_half : of the system, and how wide
    """

    base: ClampReading | None
    loads: tuple[ClampReading, ...]
    all_on: ClampReading | None
    solar: ClampReading | None
    base_in: str
    volts: float
    volts_half: float


@dataclass(frozen=True)
class Audited:
    """Findings by key, how the loads were taken (WITH or WITHOUT; UNKNOWN where both sums stand), whether the sum meets all on, sentences."""

    findings: Mapping[str, Finding]
    base_in: str
    closes: bool | None
    said: tuple[str, ...]


def analyse_audit(
    read: Audit, current: Accuracy | None, voltage: Accuracy | None, holds: Holds | None, usable: float, ah: float | None
) -> Audited:
    """Findings of an audit.

    Parameters
    ----------
    holds, ah : what the battery holds in Wh and as its label in Ah; None for unknown
    usable : share of it that may be used

    Raises
    ------
    ReadingsError
        No load was read.
    """
    if not read.loads and read.base is None:
        raise ReadingsError(say("No load was read yet: all off first, then one load after the other, like “2.4 A”."))
    said: list[str] = []
    names = [one.name for one in read.loads]
    columns = [one for one in (read.base, *read.loads, read.all_on, read.solar) if one is not None]
    amps = np.array([one.amps for one in columns])
    if float(np.median(amps)) < 0:
        amps = -amps
        said.append(say("The clamp was on the other way round: what it read is taken with the other sign."))
    half = {"A": np.array([one.half for one in columns])}
    places = {id(one): k for k, one in enumerate(columns)}
    base_in, said_of = _taken(read, amps, places, current)
    said += said_of

    def figures(values: Columns) -> dict[str, float | None]:
        a = values["A"]
        base = float(a[places[id(read.base)]]) if read.base is not None else 0.0
        each = [float(a[places[id(one)]]) for one in read.loads]
        taken = [x - base for x in each] if base_in == WITH else each
        made: dict[str, float | None] = {f"current_{k}": x for k, x in enumerate(taken, start=1)}
        made["base_current"] = base if read.base is not None else None
        total = base + sum(taken)
        made["sum_of_loads"] = total
        made["sum_otherwise"] = base + (sum(each) if base_in == WITH else sum(x - base for x in each)) if base_in == UNKNOWN else None
        all_on = float(a[places[id(read.all_on)]]) if read.all_on is not None else None
        made["all_on"] = all_on
        made["left_over"] = all_on - total if all_on is not None else None
        made["solar_current"] = base - float(a[places[id(read.solar)]]) if read.solar is not None and read.base is not None else None
        return made

    values = by_errors(figures, {"A": amps}, errors_in(current, "A"), half, known=current is not None)
    left, summed = values.get("left_over"), values["sum_of_loads"]
    if left is not None and summed is not None and _closes(Finding.made("left_over", "", left, "A", "")) is False:
        values["sum_of_loads"] = summed + within(abs(left.value), words("it does not add up"))
    findings: dict[str, Finding] = {}
    for key, (name, working) in _named(names, base_in).items():
        if (value := values.get(key)) is not None:
            findings[key] = Finding.made(key, name, value, "A", working)
    total = findings["sum_of_loads"]
    findings |= _power(total, read, voltage)
    findings |= _lasts(findings, holds, usable, ah)
    closes = _closes(findings.get("left_over"))
    if closes is False:
        found = findings["left_over"]
        said.append(
            say(
                "All on is {left} more than the sum of the loads: something else draws too, or a load was read in another mode.",
                left=found.with_uncertainty(),
            )
            if (found.value or 0) > 0
            else say(
                "All on is {left} less than the sum of the loads: the base is in some of them, or one was off.",
                left=show(-(found.value or 0), 2) + " A",
            )
        )
    if base_in == UNKNOWN and read.base is not None and read.base.amps and len(read.loads) > 1:
        other = findings["sum_otherwise"]
        said.append(
            say(
                "Nobody said whether the loads were read with the base in them: {a} if not, {b} if they were.",
                a=total.with_uncertainty(),
                b=other.with_uncertainty(),
            )
        )
    if current is None:
        said.append(say("No accuracy was given for the clamp: the figures have no ±."))
    return Audited(findings, base_in, closes, tuple(said))


def _named(names: list[str], base_in: str) -> dict[str, tuple[str, str]]:
    less = say("as read, less the base") if base_in == WITH else say("as read")
    made = {"base_current": (say("Base, all off"), say("as read: what is never off"))}
    made |= {f"current_{k}": (name, less) for k, name in enumerate(names, start=1)}
    made["sum_of_loads"] = (say("Sum of base and loads"), say("base and {n} loads", n=len(names)))
    made["sum_otherwise"] = (say("… if the base was in each"), say("base × {n} less", n=len(names)))
    made["all_on"] = (say("All on"), say("as read"))
    made["left_over"] = (say("All on less the sum"), say("it should be nothing"))
    made["solar_current"] = (say("Sun"), say("base less what flows with the sun on it"))
    return made


def _taken(read: Audit, amps: np.ndarray, places: dict[int, int], current: Accuracy | None) -> tuple[str, list[str]]:
    """Whether the base is in the loads: as was said; else as all on tells, where only one of the two sums meets it."""
    if read.base_in != UNKNOWN or read.base is None or not read.base.amps:
        return (WITHOUT if read.base_in == UNKNOWN else read.base_in), []
    if read.all_on is None or len(read.loads) < 2:
        return UNKNOWN, []
    base = float(amps[places[id(read.base)]])
    each = [float(amps[places[id(one)]]) for one in read.loads]
    all_on = float(amps[places[id(read.all_on)]])
    width = sum(one.half for one in read.loads) + (
        current.gain * abs(all_on) * 0.5 + current.zero * len(each) if current is not None else 0.02 * abs(all_on)
    )
    without, with_it = abs(all_on - base - sum(each)), abs(all_on - base - sum(x - base for x in each))
    if min(without, with_it) < width < max(without, with_it):
        found = WITHOUT if without < with_it else WITH
        words = say("without the base") if found == WITHOUT else say("with the base in them")
        return found, [say("By what flows with all on, the loads were read {how}.", how=words)]
    return UNKNOWN, []


def _closes(left: Finding | None) -> bool | None:
    u = left.expanded_uncertainty if left is not None else None
    if left is None or left.value is None or u is None:
        return None
    return abs(left.value) <= _CLOSES * u


def _power(total: Finding, read: Audit, voltage: Accuracy | None) -> dict[str, Finding]:
    if total.value is None or not read.volts:
        return {}
    of_meter = exactly(read.volts) if voltage is None and read.volts_half else as_read(read.volts, voltage)
    volts = of_meter + digit(read.volts_half, "V", of=words("volts of the system"))
    working = f"{show(total.value)} A × {show(read.volts)} V"
    return {"sum_power": Finding.made("sum_power", say("All of them"), total.known * volts, "W", working)}


def _lasts(findings: dict[str, Finding], holds: Holds | None, usable: float, ah: float | None) -> dict[str, Finding]:
    """Hours with all on, and with the base alone, from full to what may be used."""
    if ah is None or not ah > 0:
        return {}
    lower = holds.lower if holds is not None else 0.0
    share_left = holds.energy / holds.energy_wh if holds is not None and holds.energy_wh else exactly(1.0)
    made = {}
    for key, of, name in (
        ("hours_all_on", "sum_of_loads", say("Lasts from full, all on")),
        ("hours_base", "base_current", say("Lasts from full, base alone")),
    ):
        drawn = findings.get(of)
        if drawn is None or not drawn.value or drawn.value <= 0:
            continue
        working = say("{share} % of {ah} Ah ÷ {a} A", share=plain(100 * usable), ah=plain(ah), a=show(drawn.value, 3))
        if drawn.value <= (u := drawn.expanded_uncertainty or 0.0):  # it may be next to nothing
            least = 3600 * usable * ah * (1 - lower) / (drawn.value + u)
            made[key] = Finding(key, name, least, "s", (), working, bound=AT_LEAST)
            continue
        seconds = 3600 * usable * ah * share_left / drawn.known
        made[key] = doubtful(key, name, seconds, "s", working, lower=(lower,))
    return made


def from_now(found: Mapping[str, Finding], charge: Finding, usable: float, ah: float | None, lower: float) -> dict[str, Finding]:
    """Hours from what is in it now to what may be used, with all on and with the base alone; none where nothing is left above that.

    Parameters
    ----------
    charge : percent that are in it, by its volts at rest
    lower : by which share of its Ah it may hold less
    """
    low, high = percents_of(charge)
    kept = 100 * (1 - usable)
    made: dict[str, Finding] = {}
    if ah is None or high <= kept:
        return made
    for key, of, name in (
        ("hours_now", "sum_of_loads", say("Lasts from now, all on")),
        ("hours_now_base", "base_current", say("Lasts from now, base alone")),
    ):
        drawn = found.get(of)
        u = (drawn.expanded_uncertainty or 0.0) if drawn is not None else 0.0
        if drawn is None or drawn.value is None or drawn.value <= u:
            continue
        least = 36 * max(low - kept, 0.0) * ah * (1 - lower) / (drawn.value + u)
        most = 36 * (high - kept) * ah / (drawn.value - u)
        told = {"low": f"{low:.0f}", "high": f"{high:.0f}", "kept": plain(kept), "ah": plain(ah), "a": show(drawn.value, 3)}
        working = say("{low} to {high} % are in it, {kept} % stay, of {ah} Ah ÷ {a} A", **told)
        made[key] = (
            Finding.between(key, name, (least, most), "s", working) if least else Finding(key, name, most, "s", (), working, bound=AT_MOST)
        )
    return made
