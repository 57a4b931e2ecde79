"""A meter against another as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.drawings import DOTTED, Curve, Dots, Drawing, Plot
from ubrant.core.gate.figures import Doubt
from ubrant.core.meter_checks.against import Against, Both, Pairs, analyse_pairs
from ubrant.core.meter_checks.checks import control_chart, pair_history
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.head import Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself
from ubrant.methods.form import ChoiceKind, Field
from ubrant.methods.method import TAP_LOG, LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.rows import HandScript, Prompt
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
class WholeCount:
    """A whole number of points."""

    def read(self, text: str) -> int:
        wanted = text.strip()
        if not wanted.isdigit() or not _FEWEST <= int(wanted) <= _MOST:
            raise QuantityError(say("“{typed}” is no number of points: {few} to {many}.", typed=wanted, few=_FEWEST, many=_MOST))
        return int(wanted)

    def show(self, value: object) -> str:
        return str(value)


_ABOUT = 0.06
_FACTORS = (
    (0.5, words("Was only one of two leads in its jaw?")),
    (2.0, words("Was its jaw round two turns, or round two leads?")),
    (-1.0, words("Was it the other way round?")),
    (10.0, words("Was it on another range, or a digit lost?")),
    (0.1, words("Was it on another range, or a digit lost?")),
    (1000.0, words("Was one of them in thousandths?")),
    (0.001, words("Was one of them in thousandths?")),
)
"""What makes a meter seem to show so many times what there is. Common practice, no source."""


class MeterCheckMethod(TypedMethod):
    """Of any meter or built-in display, at anything that both can read."""

    key, title, Plan = "meter-check", "Check a meter against another", MeterCheckPlan
    taps, log, reads_any, finds_errors_of = (DISPLAY, REFERENCE), TAP_LOG, (DISPLAY,), (DISPLAY,)
    named, columns = MappingProxyType({"": DISPLAY}), tuple((tap, unit) for unit in "VAW" for tap in (DISPLAY, REFERENCE))
    person = reads_both

    def form(self, setup: Setup) -> tuple[Field, ...]:
        units = (("volts", "V"), ("amperes", "A"), ("watts", "W"))
        return (Field("quantity", "Both read", ChoiceKind(units), "V"), Field("points", "Points", WholeCount(), "5", "5"))

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        setup, unit = prepared.setup, prepared.plan.quantity
        checked, reference = setup.meter(DISPLAY), setup.meter(REFERENCE)
        if checked.is_same(reference):
            yield refused(say("A meter is not checked against itself: choose another one as the reference."))
            return
        of_reference, own = reference.accuracy(unit), checked.made_for(unit)
        if of_reference is None:
            yield to_know(say("Nobody said how accurate {name} is: nothing can be corrected by it.", name=reference.name))
            return
        at = _about(setup, unit)
        if own is not None and own.limit(at) < _BETTER * of_reference.limit(at):
            times = plain(own.limit(at) / of_reference.limit(at), 2) if of_reference.limit(at) else ""
            text = words("{reference} is {times} times as accurate as {name}: a good reference is about four times as accurate.")
            yield to_know(say(text, reference=reference.name, times=times, name=checked.name))

    def heading(self, prepared: Prepared, name: str) -> str:
        checked, reference = (prepared.setup.meter(tap).name for tap in (DISPLAY, REFERENCE))
        return (
            say("{checked} against {reference}", checked=checked, reference=reference)
            if checked and reference
            else super().heading(prepared, name)
        )

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        unit = prepared.plan.quantity
        place = say("across the same two terminals") if unit == "V" else say("in the same current, nothing branching off between them")
        text = words(
            "Both meters {place}, on the range they are used on; both switched on long enough to be warm. What carries the readings: {unit}."
        )
        caution = {"V": (), "A": (cautions.IN_LINE,), "W": (cautions.PLUG_METER,)}[unit]
        yield Ask(say(text, place=place, unit=prepared.setup.unit.name), caution)

    def by_hand(self, prepared: Prepared) -> HandScript:
        hand = super().by_hand(prepared)
        return replace(hand, reads=hand.after.wanted)

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        row, (name, reference) = self.further(prepared), (prepared.setup.meter(tap).name for tap in (DISPLAY, REFERENCE))
        name, reference, count = name or say("the display"), reference or say("the reference"), prepared.plan.points
        text = words(
            "Point {n} of {count}: another value, from low to high. Wait until both stand still, then read {name} and {reference} at the same moment: “{example}”."
        )
        for k in range(1, count + 1):
            said = say(text, n=k, count=count, name=name, reference=reference, example=row.example)
            yield replace(row, text=said, short=say("point {n}", n=k))

    def further(self, prepared: Prepared) -> Prompt:
        unit = prepared.plan.quantity
        shown, read = _LIKE[unit]
        text, like = say("That was the last point. Add others, or close the run."), f"{DISPLAY} {shown} {REFERENCE} {read}"
        return self.row(text, "", like, wanted=((DISPLAY, unit), (REFERENCE, unit)))

    def row_findings(self, record: Record) -> dict[float, str]:
        seen = self.seen(record)
        unit = _unit(seen)
        off = _shown(seen, unit) - seen.column(unit, REFERENCE)
        return {t: f"{d:+.4g} {unit}" for t, d in zip(seen.table.time_s.tolist(), off.tolist(), strict=True) if np.isfinite(d)}

    def volts_on_label(self, setup: Setup) -> Mapping[str, tuple[float, float, float]]:
        return {}  # both are read at anything that is at hand

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A meter that shows half, twice or ten times as much is seldom wrong: it was read of something else."""
        yield from super().doubts(account, record)
        off = account.findings.get("gain_error")
        shown = self.seen(record)
        unit = _unit(shown)
        there = np.abs(shown.column(unit, REFERENCE)) > 0
        if off is None or not there.any():
            return
        times = float(np.median(_shown(shown, unit)[there] / shown.column(unit, REFERENCE)[there]))
        for factor, why in _FACTORS:
            if abs(times / factor - 1) < _ABOUT:
                yield Doubt("factor", say("It shows {times} times as much as the reference. {why}", times=show(times, 3), why=say(why)))

    def sums(self, seen: Seen) -> Account:
        unit, setup, half = _unit(seen), seen.setup, seen.table.half
        checked, reference = setup.meter(DISPLAY), setup.meter(REFERENCE)
        pairs = Pairs(_shown(seen, unit), seen.column(unit, REFERENCE), half[(DISPLAY, unit)], half[(REFERENCE, unit)], unit)
        about = Both(checked.name, checked.made_for(unit), reference.name, seen.accuracy(unit, REFERENCE))
        details = checked.details
        if checked.name and checked.is_same(reference):
            raise ReadingsError(say("Both places are read by one meter: that checks nothing. Say which was which."))
        found = analyse_pairs(pairs, about, details.checks, details.as_of)
        history = pair_history(details.checks, unit, about.reference)
        return Account(
            found.findings,
            tuple(key for key in ("gain_error", "off", "of_nothing") if key != "of_nothing" or key in found.findings),
            (Group("Point by point", tuple(key for key in found.findings if key.startswith("point_"))),),
            sentence=found.sentence,
            warnings=tuple(found.warnings),
            drawings=lambda: tuple(filter(None, (_drawn(found, unit), control_chart(history, unit, found.check)))),
            short=say("{name}: {off} off", name=checked.name or say("the display"), off=found.findings["gain_error"].with_uncertainty()),
            correction=(DISPLAY, found.check) if found.check is not None else None,
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: MeterCheckPlan | None) -> PowerPath:
        names = [setup.meter(DISPLAY).name or say("the display"), setup.meter(REFERENCE).name or say("the reference")]
        ends = itself(setup, "battery"), PathNode("load", say("Both meters"))
        return PowerPath(ends, (Flow(None, meter=" · ".join(names)),), (None, None), (0.0, 0.0), "W")


def _about(setup: Setup, unit: str) -> float:
    """About what will be read."""
    label = setup.label
    volts = label.voltage_v if label is not None and label.voltage_v else 12.0
    return volts if unit == "V" else {"A": 5.0, "W": 60.0}[unit]


def _unit(seen: Seen) -> str:
    """The unit that was read at both places, the plan's where it was."""
    units = sorted("VAW", key=lambda unit: not seen.is_planned or unit != seen.plan.quantity)

    def whole(unit: str) -> int:
        return int(np.count_nonzero(np.isfinite(seen.column(unit, DISPLAY)) & np.isfinite(seen.column(unit, REFERENCE))))

    return units[0] if whole(units[0]) else max(units, key=whole)


def _shown(seen: Seen, unit: str) -> Array:
    """What the display showed, without the correction it has; its sign turned where it is on backwards."""
    zero, factor = seen.setup.meter(DISPLAY).details.correction(unit)
    turned = -1.0 if factor < 0 else 1.0
    return np.asarray(seen.column(unit, DISPLAY) / abs(factor) + turned * zero)


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
