"""A meter against another as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import DOTTED, Curve, Dots, Drawing, Plot
from ubrant.core.equipment.against import Against, Both, Pairs, analyse_pairs
from ubrant.core.equipment.checks import control_chart, pair_history
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.record.head import Criteria, Setup
from ubrant.core.record.readings import Array, ReadingsError
from ubrant.core.record.record import Key, Record
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.form import Choice, Field
from ubrant.methods.method import TAP_LOG, LoadRating, Method, Prepared, Problem
from ubrant.methods.points_by_hand import Table, points_at
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask
from ubrant.methods.two_meters.person import reads_both

DISPLAY, REFERENCE = "display", "reference"
_FEWEST, _MOST = 2, 50
_BETTER = 4.0
"""A reference is several times as good as what is checked by it. Common practice, no source."""
_LIKE = {"V": ("3.21 V", "3.24 V"), "A": ("1.03 A", "1.00 A"), "W": ("40.5 W", "40.1 W")}


@dataclass(frozen=True)
class MeterCheckPlan:
    """``quantity`` V, A or W that both read, at so many ``points``."""

    quantity: str
    points: int


@dataclass(frozen=True)
class Count:
    """A whole number of points."""

    def read(self, text: str) -> int:
        wanted = text.strip()
        if not wanted.isdigit() or not _FEWEST <= int(wanted) <= _MOST:
            raise QuantityError(say("“{typed}” is no number of points: {few} to {many}.", typed=wanted, few=_FEWEST, many=_MOST))
        return int(wanted)

    def show(self, value: object) -> str:
        return str(value)


class MeterCheckMethod(Method):
    """Of any meter or built-in display, at anything that both can read."""

    key = "meter-check"
    title = "Check a meter against another"
    Plan = MeterCheckPlan
    taps = (DISPLAY, REFERENCE)
    finds_errors_of = (DISPLAY,)
    reads_any = (DISPLAY,)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True
    log = TAP_LOG

    def form(self, setup: Setup) -> tuple[Field, ...]:
        units = (("volts", "V"), ("amperes", "A"), ("watts", "W"))
        return (Field("quantity", "Both read", Choice(units), "V"), Field("points", "Points", Count(), "5", "5"))

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        setup, unit = prepared.setup, prepared.plan.quantity
        checked, reference = setup.meter(DISPLAY), setup.meter(REFERENCE)
        if checked.is_same(reference):
            return [Problem(True, say("A meter is not checked against itself: choose another one as the reference."))]
        of_reference, own = reference.accuracy(unit), checked.made_for(unit)
        if of_reference is None:
            return [Problem(False, say("Nobody said how accurate {name} is: nothing can be corrected by it.", name=reference.name))]
        at = _about(setup, unit)
        if own is not None and own.limit(at) < _BETTER * of_reference.limit(at):
            times = plain(own.limit(at) / of_reference.limit(at), 2) if of_reference.limit(at) else ""
            return [
                Problem(
                    False,
                    say(
                        "{reference} is {times} times as accurate as {name}: a good reference is about four times as accurate.",
                        reference=reference.name,
                        times=times,
                        name=checked.name,
                    ),
                )
            ]
        return []

    def heading(self, prepared: Prepared, name: str) -> str:
        checked, reference = (prepared.setup.meter(tap).name for tap in (DISPLAY, REFERENCE))
        return (
            say("{checked} against {reference}", checked=checked, reference=reference)
            if checked and reference
            else super().heading(prepared, name)
        )

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} points", count=prepared.plan.points), ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup)

    def by_hand(self, prepared: Prepared) -> ByHand:
        setup, plan = prepared.setup, prepared.plan
        checked, reference = setup.meter(DISPLAY).name, setup.meter(REFERENCE).name
        place = (
            say("across the same two terminals") if plan.quantity == "V" else say("in the same current, nothing branching off between them")
        )
        ask = Ask(
            say(
                "Both meters {place}, on the range they are used on; both switched on long enough to be warm. What carries the readings: {unit}.",
                place=place,
                unit=setup.unit.name,
            ),
            {"V": (), "A": (cautions.IN_LINE,), "W": (cautions.PLUG_METER,)}[plan.quantity],
        )
        like = _LIKE[plan.quantity]
        example = f"{DISPLAY} {like[0]} {REFERENCE} {like[1]}"
        keys: tuple[Key, ...] = ((DISPLAY, plan.quantity), (REFERENCE, plan.quantity))
        rows = tuple(
            Row(
                say(
                    "Point {n} of {count}: another value, from low to high. Wait until both stand still, then read {name} and {reference} at the same moment: “{example}”.",
                    n=k,
                    count=plan.points,
                    name=checked or say("the display"),
                    reference=reference or say("the reference"),
                    example=example,
                ),
                keys,
                example=example,
                short=say("point {n}", n=k),
                afresh=True,
            )
            for k in range(1, plan.points + 1)
        )
        after = Row(say("That was the last point. Add others, or close the run."), keys, example=example, afresh=True)
        return ByHand((ask,), rows, after, reads=keys)

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        return setup, Criteria()

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return reads_both(prepared, reader)

    def row_findings(self, record: Record) -> dict[float, str]:
        unit, table = _table(record, self.prepared(record.head).plan)
        off = _shown(record, unit, table.values[(DISPLAY, unit)]) - table.values[(REFERENCE, unit)]
        return {t: f"{d:+.4g} {unit}" for t, d in zip(table.time_s.tolist(), off.tolist(), strict=True) if np.isfinite(d)}

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        plan = self.prepared(record.head).plan
        unit, table = _table(record, plan)
        setup, checked = record.head.setup, record.head.setup.meter(DISPLAY)
        shown = _shown(record, unit, table.values[(DISPLAY, unit)])
        read = table.values[(REFERENCE, unit)]
        pairs = Pairs(shown, read, table.half[(DISPLAY, unit)], table.half[(REFERENCE, unit)], unit)
        about = Both(checked.name, checked.made_for(unit), setup.meter(REFERENCE).name, record.accuracy(REFERENCE, unit))
        details = checked.details
        try:
            if checked.name and checked.is_same(setup.meter(REFERENCE)):
                raise ReadingsError(say("Both places are read by one meter: that checks nothing. Say which was which."))
            found = analyse_pairs(pairs, about, details.checks, details.as_of)
        except ReadingsError as error:
            return Account(trouble=str(error), taken=len(table))
        points = tuple(key for key in found.findings if key.startswith("point_"))
        history = pair_history(details.checks, unit, about.reference)
        return Account(
            found.findings,
            ("gain_error", "off", "of_nothing") if "of_nothing" in found.findings else ("gain_error", "off"),
            (Group(say("Point by point"), points),),
            None,
            found.sentence,
            (*record.head.origin.said, *found.warnings),
            taken=len(table),
            planned=plan.points if plan is not None else None,
            drawings=lambda: tuple(filter(None, (_drawn(found, unit), control_chart(history, unit, found.check)))),
            path=lambda: _path(setup),
            short=say("{name}: {off} off", name=checked.name or say("the display"), off=found.findings["gain_error"].with_uncertainty()),
            correction=(DISPLAY, found.check) if found.check is not None else None,
        )


def _about(setup: Setup, unit: str) -> float:
    """About what will be read."""
    label = setup.label
    volts = label.voltage_v if label is not None and label.voltage_v else 12.0
    return volts if unit == "V" else {"A": 5.0, "W": 60.0}[unit]


def _table(record: Record, plan: MeterCheckPlan | None) -> tuple[str, Table]:
    """The unit that was read at both places, the plan's where it was, and the points."""
    units = sorted("VAW", key=lambda unit: plan is None or unit != plan.quantity)
    tables = {unit: points_at(record, ((DISPLAY, unit), (REFERENCE, unit)), {"": DISPLAY}) for unit in units}

    def whole(unit: str) -> int:
        values = tables[unit].values
        return int(np.count_nonzero(np.isfinite(values[(DISPLAY, unit)]) & np.isfinite(values[(REFERENCE, unit)])))

    best = units[0] if whole(units[0]) else max(units, key=whole)
    return best, tables[best]


def _shown(record: Record, unit: str, corrected: Array) -> Array:
    """What the display showed, without the correction it has; its sign turned where it is on backwards."""
    zero, factor = record.head.setup.meter(DISPLAY).details.correction(unit)
    turned = -1.0 if factor < 0 else 1.0
    return np.asarray(corrected / abs(factor) + turned * zero)


def _drawn(found: Against, unit: str) -> Drawing:
    """How far off at each point, with what both may be off by as a band."""
    order = np.argsort(found.read)
    at, off, may_be = found.read[order], found.off[order], found.may_be[order]
    known = bool(np.all(np.isfinite(may_be)))
    most = max(float(np.max(np.abs(off))), float(np.max(may_be)) if known else 0.0, 1e-9)
    layers: list[Curve | Dots] = []
    if known:
        layers += [Curve(at, may_be, "quiet", DOTTED, say("both may be off by"), keyed=True), Curve(at, -may_be, "quiet", DOTTED)]
    layers += [Curve(at, off, "voltage" if unit == "V" else "current"), Dots(at, off)]
    told = say("{n} points, at most {off} {unit} apart", n=len(off), off=plain(float(np.max(np.abs(off))), 3), unit=unit)
    low, high = float(at.min()), float(at.max())
    room = 0.04 * max(high - low, 0.1 * max(abs(high), 1e-9))
    return Plot(
        say("What it shows more than the reference"),
        say("read by the reference, {unit}", unit=unit),
        unit,
        (low - room, high + room),
        (-1.15 * most, 1.15 * most),
        tuple(layers),
        told,
    )


def _path(setup: Setup) -> PowerPath:
    nodes = (Node("battery", setup.unit.name, setup.unit.printed), Node("load", say("Both meters")))
    names = [setup.meter(DISPLAY).name or say("the display"), setup.meter(REFERENCE).name or say("the reference")]
    return PowerPath(nodes, (Flow(None, meter=" · ".join(names)),), (None, None), (0.0, 0.0), "W")
