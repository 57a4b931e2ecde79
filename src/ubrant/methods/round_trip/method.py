"""Rows of a counter at the input while it is filled, of one at the output while it is emptied, its own percent beside them."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import ClassVar

import numpy as np

from ubrant.core.account import Group
from ubrant.core.battery.round_trip import (
    EMPTIED,
    FILLED,
    Leg,
    cycles_of,
    findings_of,
    leg_beside_label,
    of_filling,
    said_of,
    what_cannot_be,
)
from ubrant.core.battery.shared_out import Shown
from ubrant.core.drawings import Bars, Curve, Drawing
from ubrant.core.quantities.jot import EMPTY, FULL, TypedReading
from ubrant.core.quantities.readings import Series
from ubrant.core.record.counters import counted
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.integrals import watts_now_and_then
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import TapQuantity
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import moment
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, words
from ubrant.methods.form import ChoiceKind
from ubrant.methods.method import clipped
from ubrant.methods.round_trip.person import fills_and_empties
from ubrant.methods.rows import HandScript

_IN, _OUT = {"input", "charger"}, {"output", "load"}
_SHOWS = {"bank", "station", "battery", "source"}
_OF_LABEL = {FILLED: (0.6, 1.8), EMPTIED: (0.3, 1.2)}
"""Between so many times what the label makes of its points goes in, and comes out. Common practice, no source."""
_HARDLY_KNOWN, _SOON_S = 0.15, 900.0
"""What lies between watts that were read may be over such a share of them; so soon after its counter a display is read. Common practice, no source."""
_READ = {"Wh": ("Wh",), "Ah": ("Ah", "V"), "W": ("W",)}


@dataclass(frozen=True)
class RoundTripPlan:
    """What is read on each side: a counter in Wh, one in Ah with volts beside it, or watts now and then; how often."""

    into: str
    out: str = "Wh"
    cycles: float = 1.0


@dataclass
class _Rows:
    """The rows of one leg, as they come."""

    way: str
    rows: list[d.RowAnswer] = field(default_factory=list)


class RoundTripMethod(d.TypedMethod):
    """Of batteries, banks and stations; typed."""

    key, title, Plan, unplanned, plan_from_label = "round-trip", "Round trip", RoundTripPlan, RoundTripPlan("Wh"), False
    taps, roads, like = ("input", "output"), (BY_HAND, SIMULATED), "input 0.0 Wh station 5 %"
    reads: ClassVar[tuple[TapQuantity, ...]] = (("input", "Wh"), ("output", "Wh"), ("bank", "%"))
    wants: ClassVar[tuple[TapQuantity, ...]] = ()
    columns: ClassVar[tuple[TapQuantity, ...]] = tuple((tap, q) for tap in ("input", "output") for q in ("Wh", "Ah", "V", "W"))
    counts_points, whole_lines, goes_by_order, each_row_says = False, False, False, False
    nothing_yet = words("Nothing was read yet: type the counter at its input and its percent before it is filled, like “{example}”.")
    person = fills_and_empties

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        ways = ChoiceKind(((say("counts Wh"), "Wh"), (say("counts Ah, shows volts"), "Ah"), (say("shows watts"), "W")))
        return (
            d.Field("into", "At its input", ways, say("counts Wh")),
            d.Field("out", "At its output", ways, say("counts Wh")),
            d.Field("cycles", "How often", d.QuantityKind(""), "1"),
        )

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        if not 1 <= prepared.plan.cycles <= 50:
            yield d.refused(say("How often it is filled and emptied has to be 1 to 50."))
        for tap, how in (("input", prepared.plan.into), ("output", prepared.plan.out)):
            meter = prepared.setup.meter(tap)
            if not (meter.details.power_accuracy or (meter.voltage_accuracy and meter.current_accuracy)):
                text = words("Nobody said how accurate {name} is: what comes back will have no ±.")
                yield d.to_know(say(text, name=meter.name or say("the meter at the {tap}", tap=say(tap))))
            if how == "W":
                text = words("Watts at the {tap} have to be read often: a charger gives less and less near its end.")
                yield d.to_know(say(text, tap=say(tap)))

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = words(
            "A meter at what fills {name}, one at what empties it: one meter moved over is better than two. Nothing else fed from it, nothing else filling it."
        )
        yield d.Ask(say(text, name=prepared.setup.unit.name or say("it")), (d.cautions.LOOK_FIRST, d.cautions.NOT_COLD))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        own, plan = _own(prepared.setup), prepared.plan
        into, out = _example("input", plan.into), _example("output", plan.out)
        four = (
            (
                words("Before it is filled: the meter at its input and what it shows itself, like “{input} {own} 5 %”, or “{own} empty”."),
                say("fill: begin"),
            ),
            (
                words(
                    "When its charger has stopped: the same again, like “{input} {own} full”. “{own} 90 %” on the way tells how slow the last tenth is. That was all you wanted to know? Close the run."
                ),
                say("fill: end"),
            ),
            (words("Before it is emptied: the meter at its output and what it shows, like “{output} {own} full”."), say("empty: begin")),
            (
                words("When it has come down to where the filling began, or gave up: the same again, or “{output} {own} empty”."),
                say("empty: end"),
            ),
        )
        for _ in range(int(plan.cycles)):
            for text, short in four:
                yield self.row(say(text, input=into, output=out, own=own), short, marks=("skip", FULL, EMPTY))

    def further(self, prepared: d.Prepared) -> d.Prompt:
        return self.row(say("That was the last. Fill and empty it once more the same way, or close the run."), marks=("skip", FULL, EMPTY))

    def by_hand(self, prepared: d.Prepared) -> HandScript:
        plan = prepared.plan
        reads = (*(("input", q) for q in _READ[plan.into]), *(("output", q) for q in _READ[plan.out]), (_own(prepared.setup), "%"))
        return replace(super().by_hand(prepared), reads=reads, between=frozenset({(_own(prepared.setup), "%")}))

    def every_s(self, prepared: d.Prepared) -> float:
        return 1800.0 if "W" in (prepared.plan.into, prepared.plan.out) else 3600.0

    def facts(self, prepared: d.Prepared, expected: object) -> tuple[str, str]:
        return say("{count} readings", count=4 * int(prepared.plan.cycles)), say("a filling and an emptying")

    def sums(self, seen: d.Seen) -> d.Account:
        legs = _legs(seen)
        if not legs:
            raise d.LackingError(
                say("Nothing was read at two moments of a filling or an emptying yet: the counter before, and the counter after.")
            )
        cycles = cycles_of(legs)
        found = findings_of(cycles, legs)
        filled = next((of_filling(leg) for leg in legs if leg.way == FILLED), {})
        if "back" not in found and "charge_back" not in found:
            if cycles or not filled or any(leg.way == EMPTIED for leg in legs):
                raise d.LackingError(_lacks(legs, bool(cycles)))
            return self._of_filling(seen, {**filled, **found}, legs)
        found |= filled
        each = tuple(key for key in found if key.startswith(("back_", "charge_back_")))
        return d.Account(
            found,
            tuple(key for key in ("back", "charge_back", "energy_in", "energy_out", "lost") if key in found),
            (Group(say("Cycle by cycle"), each),) if each else (),
            sentence=_sentence(found, len(cycles)),
            warnings=(
                *said_of(cycles),
                *(text for leg in legs if (text := _uncounted(leg))),
                *d.no_accuracy(found.get("back") or found["charge_back"]),
            ),
            drawings=lambda: (Bars(tuple((found[key], None, "") for key in each or ("energy_in", "energy_out") if key in found)),),
            path=lambda: self.path(seen.setup, found, seen.plan),
        )

    def _of_filling(self, seen: d.Seen, found: dict[str, d.Finding], legs: Sequence[Leg]) -> d.Account:
        """One that was only filled."""
        sentence = _filled(found, legs[0])
        return d.Account(
            found,
            tuple(key for key in ("filled_in", "energy_in", "last_tenth", "whole_in") if key in found),
            sentence=f"{sentence}.",
            warnings=(
                say("What comes back is known when it has gone the other way, too."),
                *d.no_accuracy(found["energy_in"] if "energy_in" in found else found["filled_in"]),
            ),
            drawings=lambda: _drawn(legs[0]),
            path=lambda: self.path(seen.setup, found, seen.plan),
            short=sentence,
        )

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """What cannot come back, and legs that are none of such a label."""
        yield from super().doubts(account, record)
        yield from (d.Doubt(key, text) for key, text in what_cannot_be(dict(account.findings)))
        label = record.head.setup.label
        if account.trouble or label is None or not label.energy_wh:
            return
        for leg in _legs(self.seen(record)):
            if text := leg_beside_label(leg, label.energy_wh, *_OF_LABEL[leg.way]):
                yield d.Doubt(f"leg-{leg.way}-{leg.number}", text)

    def volts_on_label(self, setup: d.Setup) -> Mapping[str, tuple[float, float, float]]:
        return {}

    def path(self, setup: d.Setup, found: Mapping[str, d.Finding], plan: RoundTripPlan) -> PowerPath:
        """In → store → out, in Wh once it is known."""
        nodes = (PathNode("battery", say("Charger")), d.itself(setup, "converter"), PathNode("load", say("Load")))
        into, out, lost = (found.get(key) for key in ("energy_in", "energy_out", "lost"))
        flows = tuple(
            Flow(one.value, meter=setup.meter(tap).name) if one is not None else Flow(None, meter=clipped(setup.meter(tap)))
            for one, tap in ((into, "input"), (out, "output"))
        )
        known = lost is not None and lost.value is not None and lost.value > 0
        text = say("lost {wh}", wh=lost.value_text()) if known and lost is not None else None
        amount = (lost.value or 0.0) if known and lost is not None else 0.0
        return PowerPath(nodes, flows, (None, text, None), (0.0, amount, 0.0), "Wh")


def _own(setup: d.Setup) -> str:
    """Where its own percent is read."""
    return setup.unit.kind if setup.unit.kind in {"bank", "station"} else "battery"


def _example(tap: str, how: str) -> str:
    return {"Wh": f"{tap} 12.4 Wh", "Ah": f"{tap} 2.45 Ah 5.06 V", "W": f"{tap} 84 W"}[how]


def _way(row: d.RowAnswer) -> set[str]:
    taps = {r.tap for r in row.jotting.readings if r.quantity in {"Wh", "Ah", "W"}}
    return {way for way, of in ((FILLED, _IN), (EMPTIED, _OUT)) if taps & of}


def _legs(seen: d.Seen) -> list[Leg]:
    """Rows of one side after each other; one that reads both sides ends one and begins the next."""
    groups: list[_Rows] = []
    for row in seen.lines:
        ways = _way(row)
        last = groups[-1] if groups else None
        if last is not None and (not ways or last.way in ways):
            last.rows.append(row)
            ways -= {last.way}
        groups += [_Rows(way, [row]) for way in sorted(ways)]
    numbers = {FILLED: itertools.count(1), EMPTIED: itertools.count(1)}
    found = []
    for group in groups:
        if sum(bool(_way(row)) for row in group.rows) < 2:
            continue  # it has only begun
        counted_s = max(row.time_s for row in group.rows if _way(row))
        group.rows = [row for row in group.rows if row.time_s <= counted_s + _SOON_S]  # a look at it the next day is none of it
        found.append(_leg(seen, group, next(numbers[group.way])))
    return found


def _leg(seen: d.Seen, group: _Rows, number: int) -> Leg:
    taps, tap = (_IN, "input") if group.way == FILLED else (_OUT, "output")
    whose = say("filling {n}", n=number) if group.way == FILLED else say("emptying {n}", n=number)
    shown = [_shown(row) for row in group.rows]
    ends = (shown[0], shown[-1]) if shown[0] is not None and shown[-1] is not None else None
    if ends is not None and (ends[1].percent - ends[0].percent) * (1 if group.way == FILLED else -1) < 0:
        text = words("{leg}: its percent goes from {a} to {b} %. Are input and output swapped, or did something else fill it meanwhile?")
        told = say(text, leg=whose, a=plain(ends[0].percent), b=plain(ends[1].percent))
        raise d.ReadingsError(f"{told[:1].upper()}{told[1:]}")
    amounts = {unit: _counted(seen, group.rows, taps, tap, unit, whose) for unit in ("Wh", "Ah")}
    energy, charge = amounts["Wh"], amounts["Ah"]
    if energy is None and charge is not None:
        energy = _of_charge(seen, group.rows, taps, tap, charge)
    if energy is None and charge is None:
        energy = _of_watts(seen, group.rows, taps, tap, whose)
    on_way = tuple(one for one in shown if one is not None)
    began, ended = group.rows[0].time_s, group.rows[-1].time_s
    if ends is not None:  # it is over where it first stood so: what was read later is another look
        ended = next(one.time_s for one in on_way if one.percent == ends[1].percent)
    lasted = (
        ended
        - began
        + moment(seen.record.moment_half_s, f"{whose}, {say('begin')}")
        + moment(seen.record.moment_half_s, f"{whose}, {say('end')}")
    )
    return Leg(group.way, number, energy, charge, ends, on_way, lasted)


def _shown(row: d.RowAnswer) -> Shown | None:
    """What its own display says there; *full* and *empty* are exact."""
    for reading in row.jotting.readings:
        if reading.quantity == "%" and reading.tap in _SHOWS:
            if not 0 <= reading.value <= 100:
                raise d.ReadingsError(say("{v} %: a percentage outside 0 to 100.", v=plain(reading.value)))
            return Shown(reading.value, reading.half_width, row.time_s)
    exact = {FULL: 100.0, EMPTY: 0.0}.get(row.jotting.mark)
    return Shown(exact, 0.0, row.time_s) if exact is not None else None


def _read(rows: Sequence[d.RowAnswer], taps: set[str], quantity: str) -> list[tuple[float, TypedReading]]:
    return [(row.time_s, r) for row in rows for r in row.jotting.readings if r.quantity == quantity and r.tap in taps and r.kind == "read"]


def _counted(seen: d.Seen, rows: Sequence[d.RowAnswer], taps: set[str], tap: str, unit: str, whose: str) -> d.Value | None:
    read = _read(rows, taps, unit)
    if len(read) < 2:
        return None
    series = Series(np.array([t for t, _ in read]), np.array([r.value for _, r in read]))
    count = counted(series, np.array([r.half_width for _, r in read]))
    return count.value(f"{unit}, {whose}") + seen.record.off_in_count(tap, unit, count.amount)


def _of_charge(seen: d.Seen, rows: Sequence[d.RowAnswer], taps: set[str], tap: str, charge: d.Value) -> d.Value | None:
    """At the volts that were read meanwhile; None without any."""
    read = [r for _, r in _read(rows, taps, "V")]
    if not read:
        return None
    values = np.array([r.value for r in read])
    moved = d.within(float(np.ptp(values)) / 2, words("volts that moved meanwhile"), "V", when=tap)
    return charge * (d.as_read(float(values.mean()), seen.accuracy("V", tap), tap) + d.digit(read[0].half_width, "V", when=tap) + moved)


def _of_watts(seen: d.Seen, rows: Sequence[d.RowAnswer], taps: set[str], tap: str, whose: str) -> d.Value | None:
    read = _read(rows, taps, "W")
    if len(read) < 2:
        return None
    time, watts = np.array([t for t, _ in read]), np.array([r.value for _, r in read])
    value = watts_now_and_then(time, watts, max(r.half_width for _, r in read), seen.accuracy("W", tap), whose, tap)
    for edge, at in ((say("begin"), watts[0]), (say("end"), watts[-1])):
        value += moment(seen.record.moment_half_s, f"{whose}, {edge}") * (float(at) / 3600)
    return value


def _uncounted(leg: Leg) -> str:
    """That its energy is not known, or hardly."""
    between = (
        [part for source, part in (leg.energy.parts or {}).items() if source.kind is ErrorKind.BETWEEN] if leg.energy is not None else []
    )
    if leg.energy is not None and COVERAGE * math.hypot(*between) > _HARDLY_KNOWN * leg.energy.value:
        text = words("Watts were read so rarely in {leg} that its Wh are hardly known: every half hour, or take a meter that counts.")
        return say(text, leg=leg.name)
    return "" if leg.energy is not None or leg.charge is not None else say("Nothing was counted in {leg}.", leg=leg.name)


def _lacks(legs: Sequence[Leg], has_cycle: bool) -> str:
    """What is lacking before anything can be said."""
    if without := [leg.name for leg in legs if leg.ends is None]:
        text = words("How full it was at the begin and the end of {legs} is not known: type its percent there, or “full” and “empty”.")
        return say(text, legs=", ".join(without))
    if not has_cycle:
        text = words("{legs}: what comes back is known when it has gone the other way, too.")
        told = say(text, legs=", ".join(leg.name for leg in legs))
        return f"{told[:1].upper()}{told[1:]}"
    return say("One side was not read in Wh or Ah at both its ends: a counter before and after, or watts now and then.")


def _filled(found: Mapping[str, d.Finding], leg: Leg) -> str:
    """*Filled from 5 % to full in 3 h, taking 566 Wh; its last tenth took 40 min*"""
    assert leg.ends is not None
    ends = [
        say("empty") if not one.half and not one.percent else say("full") if not one.half else f"{plain(one.percent)} %" for one in leg.ends
    ]
    text = say("Filled from {a} to {b} in {time}", a=ends[0], b=ends[1], time=found["filled_in"].value_text())
    if (into := found.get("energy_in")) is not None:
        text += say(", taking {wh}", wh=into.with_uncertainty())
    if (slow := found.get("last_tenth")) is not None:
        text += say("; its last tenth took {time}", time=slow.value_text())
    if (whole := found.get("whole_in")) is not None:
        text += say("; from empty about {time}", time=whole.value_text())
    return text


def _drawn(leg: Leg) -> tuple[Drawing, ...]:
    """Its percent over hours."""
    if len(leg.shown) < 2:
        return ()
    hours = np.array([(one.time_s - leg.shown[0].time_s) / 3600 for one in leg.shown])
    percent = np.array([one.percent for one in leg.shown])
    layers = (Curve(hours, percent, "voltage"), d.Dots(hours, percent))
    told = say("from {a} to {b} %", a=plain(float(percent[0])), b=plain(float(percent[-1])))
    return (d.Plot(say("Filling"), say("hours"), "%", (0.0, max(1.05 * float(hours[-1]), 0.1)), (0.0, 104.0), layers, told),)


def _sentence(found: Mapping[str, d.Finding], cycles: int) -> str:
    """*71 ± 6 % of what is put in comes back: 402 of 566 Wh.*"""
    back, charge = found.get("back"), found.get("charge_back")
    if back is not None:
        lost = found.get("lost")
        text = say("{share} of what is put in comes back", share=back.with_uncertainty())
        text += say(", over {n} cycles", n=cycles) if cycles > 1 else ""
        told = lost is not None and (lost.expanded_uncertainty or 0.0) < (lost.value or 0.0)
        text += say("; {wh} are lost on the way", wh=lost.with_uncertainty()) if lost is not None and told else ""
        return f"{text}{say('; of its charge {share}', share=charge.with_uncertainty()) if charge is not None else ''}."
    assert charge is not None
    return say("{share} of the charge that is put in comes back.", share=charge.with_uncertainty())
