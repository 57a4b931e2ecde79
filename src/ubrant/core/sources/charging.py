"""A charger's profile: set current, set voltage, what comes before, where it ends; from a charge, or from a load in constant voltage that is walked up."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import CHEMISTRIES, Chemistry, cells_in_series
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import Value, digit, rectangular, within
from ubrant.core.wording import say, say_many, words

_PLATEAU = 0.93
"""From this share of the largest current on it is the set current."""
_LEVEL = 0.006
"""Readings within this share of the highest voltage are at the set voltage."""
_TAPERED = 0.9
_NOTHING = 0.01
_PRE = 0.5
_ALONE = 2.5
"""No charge rises to so many times its usual volts."""
_ABRUPT = 0.3
"""A charge that stops from more than this share of its set current was stopped by something else than its end current. Common practice, no source."""
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Charged:
    """(n,) readings in their order, current into the battery positive; half widths by ``V`` and ``A``; ``walked``: points of a load, no course in time."""

    volts: Array
    amps: Array
    voltage: Accuracy | None
    current: Accuracy | None
    half: dict[str, Array]
    walked: bool = False


def analyse_charger(read: Charged, battery: Label | None = None) -> tuple[dict[str, Finding], list[str]]:
    """Findings and what has to be said.

    Raises
    ------
    ReadingsError
        It never gave any current, or too few readings.
    """
    good = np.isfinite(read.volts) & np.isfinite(read.amps)
    volts, amps = read.volts[good], read.amps[good]
    half = {key: column[good] for key, column in read.half.items()}
    said: list[str] = []
    if (amps != 0).any() and float(np.median(amps[amps != 0])) < 0:
        amps = -amps
        said.append(say("The current was read as negative while it charges; it is taken the other way round here."))
    if len(amps) == 1 and float(amps[0]) > 0:
        raise ReadingsError(say("One reading only: type volts and amperes at more voltages, or as it goes on."))
    if not float(amps.max(initial=0.0)) > 0:
        raise ReadingsError(
            say(
                "It gave no current at all: many chargers want to see a battery's volts before they start. Hold the load at such a voltage, or attach one."
            )
        )
    most = float(amps.max())
    flows = amps > _NOTHING * most
    usual_v = float(np.median(volts[flows]))
    if float(volts[flows].max()) > _ALONE * usual_v:
        raise ReadingsError(
            say(
                "{v} V stands alone among readings of about {u} V: did a digit slip? Mend it, or leave that row out.",
                v=show(float(volts[flows].max())),
                u=show(usual_v),
            )
        )
    plateau = amps >= _PLATEAU * most
    top = float(volts[flows].max())
    level = flows & (volts >= (1 - _LEVEL) * top) & (amps < _TAPERED * most)
    values: Columns = {"V": volts, "A": amps}
    figures = _Sums(plateau, level, int(np.flatnonzero(flows)[-1]))
    known = read.voltage is not None and read.current is not None
    base = by_errors(figures, values, (*errors_in(read.voltage, "V"), *errors_in(read.current, "A")), known=known)
    found: dict[str, Finding] = {}

    working = say_many(int(plateau.sum()), "one reading at its largest", "median of {n} readings at its largest")
    wide = {
        key: float(np.median(column)) for key, column in half.items() if len(column)
    }  # a display that stands is off by the same each time
    base = {
        key: v if v is None else v + digit(wide.get(_UNITS[key], 0.0), _UNITS[key], when=key.replace("_", " ")) for key, v in base.items()
    }
    found["set_current"] = Finding.made("set_current", say("Set current"), base["set_current"], "A", working)
    if (held := base["set_voltage"]) is not None:
        held += within(float(np.ptp(volts[level])) / 2, words("volts while it falls"), "V")
        working = say_many(int(level.sum()), "one reading while the current falls", "median of {n} readings while the current falls")
        found["set_voltage"] = Finding.made("set_voltage", say("Set voltage"), held, "V", working)
    else:
        least = top - (rectangular(read.voltage.limit(top)) * 2 if read.voltage else 0.0)
        found["set_voltage"] = Finding(
            "set_voltage", say("Set voltage"), least, "V", (), say("the current never fell: it was not reached"), bound=AT_LEAST
        )
        said.append(say("Its constant-voltage part was not seen: go on until the current falls."))
    _before(volts, amps, plateau, most, found, said)
    _end(amps, level, figures.last, found, base, said, walked=read.walked)
    said += _fits(found.get("set_voltage"), battery)
    if not known:
        said.append(say("No accuracy was given for the meter: the figures have no ±."))
    return found, said


_UNITS = {"set_current": "A", "set_voltage": "V", "end_current": "A"}


@dataclass(frozen=True)
class _Sums:
    plateau: Mask
    level: Mask
    last: int

    def __call__(self, values: Columns) -> dict[str, float | None]:
        volts, amps = values["V"], values["A"]
        return {
            "set_current": float(np.median(amps[self.plateau])),
            "set_voltage": float(np.median(volts[self.level])) if self.level.any() else None,
            "end_current": float(amps[self.last]),
        }


def _before(volts: Array, amps: Array, plateau: Mask, most: float, found: dict[str, Finding], said: list[str]) -> None:
    """A small current into a battery that is far down, before the set one."""
    first = int(np.flatnonzero(plateau)[0])
    early = (amps[:first] > _NOTHING * most) & (amps[:first] < _PRE * most)
    if early.sum() >= 2:
        value, until = float(np.median(amps[:first][early])), float(volts[:first][early].max())
        working = say_many(int(early.sum()), "under {v} V, one reading", "under {v} V, median of {n} readings", v=show(until, 3))
        found["pre_charge"] = Finding("pre_charge", say("Before it, into a low battery"), value, "A", None, working)


def _end(
    amps: Array, level: Mask, last_at: int, found: dict[str, Finding], base: Mapping[str, Value | None], said: list[str], *, walked: bool
) -> None:
    """Where it ends, as a current and as a share of the set one; a bound where it was still flowing."""
    end_a, set_a = base["end_current"], base["set_current"]
    if end_a is None or set_a is None or not set_a.value:
        return
    last = end_a.value
    ended = last_at < len(amps) - 1
    name = say("Ends at")
    if walked and not ended:
        return
    if not ended:
        found["end_current"] = Finding("end_current", name, last, "A", (), say("it still flowed at the last reading"), bound=AT_MOST)
        return
    flowing = amps[: last_at + 1][amps[: last_at + 1] > 0]
    working = say("the last reading before it stopped; it may have fallen on until the next one")
    end = Finding.made("end_current", name, end_a, "A", working)
    u = end.expanded_uncertainty or 0.0
    unseen = min(math.sqrt(max(last * last - u * u, 0.0)), max(0.0, float(flowing[-2]) - last) if len(flowing) > 1 else last)
    found["end_current"] = replace(end, sides=(unseen, 0.0))
    of_set = Finding.made("end_share", say("Of its set current"), 100 * end_a / set_a, "%", f"{show(last)} A ÷ {show(set_a.value)} A")
    share, own_share = of_set.value or 0.0, of_set.expanded_uncertainty or 0.0
    lower = min(100 * unseen / set_a.value, math.sqrt(max(share * share - own_share * own_share, 0.0)))
    found["end_share"] = replace(of_set, sides=(lower, 0.0))
    if share > 100 * _ABRUPT:
        text = say(
            "It stopped from {share} % of its set current: by a timer, by protection, or it was unplugged; that is no end current.",
            share=plain(share, 2),
        )
        said.append(text if level.any() else say("{what} It never came to its set voltage.", what=text))


def _fits(volts: Finding | None, battery: Label | None) -> list[str]:
    """Whether its set voltage is right for this battery; without one, which it would be right for."""
    if volts is None or volts.value is None or volts.bound:
        return []
    u = volts.expanded_uncertainty or 0.0
    kind = battery.kind_of_cell if battery is not None else None
    if battery is not None and kind is not None and battery.series:
        low, _, high = (battery.series * v for v in kind.charged_v)
        each = volts.value / battery.series
        if volts.value - u > high:
            return [
                say(
                    "{v} V is {each} V a cell: too much for {kind} ({low} to {high} V for {n} cells). Do not use it.",
                    v=plain(volts.value, 4),
                    each=plain(each, 3),
                    kind=kind.name,
                    low=plain(low, 3),
                    high=plain(high, 3),
                    n=battery.series,
                )
            ]
        if volts.value + u < low:
            return [
                say(
                    "{v} V is {each} V a cell: it leaves {kind} part empty ({low} to {high} V for {n} cells).",
                    v=plain(volts.value, 4),
                    each=plain(each, 3),
                    kind=kind.name,
                    low=plain(low, 3),
                    high=plain(high, 3),
                    n=battery.series,
                )
            ]
        return [say("{v} V is right for {n} cells of {kind}.", v=plain(volts.value, 4), n=battery.series, kind=kind.name)]
    fits = [f"{count} × {one.name}" for one in CHEMISTRIES.values() if (count := _count(volts.value, one))]
    return [say("{v} V would be right for {fits}.", v=plain(volts.value, 4), fits=say(" or ").join(fits))] if fits else []


def _count(volts: float, kind: Chemistry) -> int | None:
    """How many cells of a kind it would be right for; None for no usual number."""
    low, _, high = kind.charged_v
    for count in (1, 2, 3, 4, 5, 6, 7, 8, 10, 12, 13, 14, 15, 16, 24):
        if count * low <= volts <= count * high and (count > 1 or kind.key in {"li-ion", "lifepo4"}):
            return count if kind.key != "nimh" or cells_in_series(1.2 * count, kind) else None
    return None
