"""A bank's or station's output as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.account import Account, Energy, Group
from ubrant.core.battery.bars import Bar, bars_of
from ubrant.core.battery.ending import EMPTIED, Ends
from ubrant.core.battery.given_out import Given, analyse_output, counter_apart
from ubrant.core.battery.promises import DisplayPromise
from ubrant.core.battery.second_rate import Emptied, burnt_by_itself
from ubrant.core.drawings import DASHED, Curve, Drawing, Plot
from ubrant.core.gate.figures import Doubt, Expected
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import BAR, LEFT_H
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series, join
from ubrant.core.record.events import LoadOff as WentOff
from ubrant.core.record.head import SIMULATED, Setup, label_of
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.typed import Widths, on_one_base
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself, no_accuracy, trace_of
from ubrant.methods.form import CONDITIONS, Field, QuantityKind, YesNo
from ubrant.methods.method import ONE_PLACE, LoadRating, Prepared, Problem, clipped, refused, to_know
from ubrant.methods.output.person import empties as emptying
from ubrant.methods.output.promised import by_its_promises, drawn_promises
from ubrant.methods.ratings import amps_of_label
from ubrant.methods.read_along import FOR_EVER_S
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask, ReadUntil, Steps, SwitchLoadOff, SwitchLoadOn

_TAPS = ("output", "load", "ac", "bank", "station", "battery", "source")
_OWN_CUTOFF, _EVERY_S = 0.8, 10.0
"""Share of its volts at which the load lets go by itself."""
_AT_ONCE_S = 600.0
_GAVE_UP = {*EMPTIED, "load's own cut-off", "load draws nothing"}
_USB_A = 3.0
"""More than this few USB ports give. Common practice, no source."""
GROUPS = (
    Group("What it burns by itself", ("idle_power", "idle_day", "without_idle", "minimum_load")),
    Group("Its percent display", ("points", "energy_per_point", "linearity")),
    Group("What its display promised", ("hours_come", "left_at_50", "left_at_20", "told_capacity", "told_spread", "told_error")),
    Group("Against the cells on its label", ("label_share", "charge_at_cells")),
)


@dataclass(frozen=True)
class OutputPlan:
    """``amps`` that are drawn at the output of ``volts``."""

    amps: float
    volts: float


_STRAYS = 20.0
"""Points by which displays are off, at the most, beside the step in which they go. Common practice, no source."""
_FIVE_V, _SAGS, _OF_IT = (4.5, 5.6), 0.9, 0.1
"""An output of 5 V that falls under this share of where it began charges nothing any more; for so much of its readings. USB 2.0: 4.75 V; common practice, no source."""


def _coarse(shown: Sequence[float]) -> float:
    """The step in which a display goes: one of four lamps goes by 25 points."""
    steps = np.diff(np.unique(shown))
    return float(steps.min()) if len(steps) else 0.0


def _sags(record: Record) -> Iterable[Doubt]:
    """An output of 5 V that did not hold it while as much flowed."""
    volts, amps = (record.either("output", quantity) for quantity in "VA")
    if len(volts) < _FEW or len(amps) < _FEW or not _FIVE_V[0] <= (first := float(volts.value[0])) <= _FIVE_V[1]:
        return
    flows = np.interp(volts.time_s, amps.time_s, amps.value)
    loaded = volts.value[flows > 0.5 * float(np.median(amps.value))]
    low = loaded[loaded < _SAGS * first]
    if len(low) > max(1.0, _OF_IT * len(loaded)):
        text = words(
            "Its output falls from {first} to {last} V while as much flows: no device charges from that. Was it read at the end of a thin lead, or does it not give so much?"
        )
        yield Doubt("sags", say(text, first=show(first, 3), last=show(float(low.min()), 3)))


_FEW = 3
_OFF, _OFF_S, _SAME_OUTPUT = 0.2, 300.0, 0.1
"""Outputs within a tenth of each other's volts are one; an output under a fifth of its volts is off; from so many seconds on it did not only restart. Common
practice, no source."""
_NEARLY_FULL, _ENOUGH_POINTS, _BY_DISPLAY, _LEAST_OF_LABEL = 90.0, 20.0, (0.3, 1.4), 0.25
"""Percent from which a display may be that of a full one; between so many times what label and display make of it something comes out."""


def _own(setup: Setup) -> str:
    """Where its own display is read."""
    return setup.unit.kind if setup.unit.kind in {"bank", "station"} else "bank"


def _at_mains(plan: OutputPlan | None) -> bool:
    return plan is not None and plan.volts > AC_FROM_V


def _like(plan: OutputPlan | None) -> str:
    return "output 205 W" if _at_mains(plan) else OutputMethod.like


def _label_wh(setup: Setup) -> float | None:
    return setup.label.energy_wh if setup.label is not None else None


class OutputMethod(TypedMethod):
    """Of banks and stations; typed."""

    key, title, Plan, like = "output", "Bank or station output", OutputPlan, "output 5.06 V 1.00 A"
    steady, whole_lines = ((("output", "V"),), (("output", "A"),)), False
    taps, empties, uses_load, marks_load, counts_points, log = ("output",), True, True, True, False, ONE_PLACE
    reads = (("output", "V"), ("output", "A"), ("output", "Wh"), ("bank", "%"))
    groups, answers = GROUPS, ("energy_out", "charge_out", "label_share", "duration")
    person = emptying
    expected = (
        Expected("energy_out", 0.0, 1.1, _label_wh, words("Was something fed into it meanwhile? Are times and units as they were?")),
    )

    def form(self, setup: Setup) -> tuple[Field, ...]:
        label = label_of(setup.unit)
        volts = label.output_voltage_v if label is not None and label.output_voltage_v else 5.0 if setup.unit.kind == "bank" else 12.0
        return (
            Field("volts", "Output", QuantityKind("V"), f"{plain(volts)} V", "5 V, 12 V, 230 V"),
            Field("amps", "Drawn from it", QuantityKind("A"), "1 A"),
            Field("full", "It was charged until its charger stopped", YesNo(), "yes", part=CONDITIONS),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan = prepared.plan
        if not plan.amps > 0 or not plan.volts > 0:
            yield refused(say("What is drawn has to be over 0 A at over 0 V."))
        most = amps_of_label(prepared.setup.unit) or (_USB_A if plan.volts < 6 else None)
        if most is not None and plan.amps > most:
            text = words("{a} A are more than its port gives ({most} A): it would switch off or sag.")
            yield to_know(say(text, a=plain(plan.amps), most=plain(most)))
        meter = prepared.setup.meter("output")
        if not (meter.voltage_accuracy and meter.current_accuracy):
            text = words("Nobody said how accurate {name} is: the findings will have no ±.")
            yield to_know(say(text, name=meter.name or say("the meter")))

    def length_s(self, prepared: Prepared) -> float | None:
        label = label_of(prepared.setup.unit)
        watts = prepared.plan.amps * prepared.plan.volts
        return 0.8 * 3600 * label.energy_wh / watts if label is not None and label.energy_wh and watts > 0 else None

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        length = self.length_s(prepared)
        return "", say("about {h} h", h=plain(length / 3600, 2)) if length else ""

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        name, plan = prepared.setup.unit.name, prepared.plan
        text = words("Charge {name} fully, let it rest an hour. Meter at its output, the load behind it: {a} A at {v} V.")
        mains = (cautions.MAINS,) if plan.volts > 80 else ()
        yield Ask(say(text, name=name, a=plain(plan.amps), v=plain(plan.volts)), (cautions.LOOK_FIRST, cautions.SURFACE, *mains))
        start = words("Load on: press the button, or say so with a reading: “load on {example} {kind} 100 %”.")
        yield Ask(say(start, example=_like(plan), kind=_own(prepared.setup)), (cautions.HAND_OFF,))

    def further(self, prepared: Prepared) -> Prompt:
        own, like = _own(prepared.setup), _like(prepared.plan)
        text = words(
            "Now and then type “{example}”, the counter too (“12.4 Wh”), and its percent (“{kind} 62 %”); “empty” when it switches itself off."
        )
        if own == "station":
            text = words(
                "Now and then type “{example}”, the counter too (“12.4 Wh”), and what it says itself (“{kind} 62 % 0.8 h left”); “empty” when it switches itself off."
            )
        return Prompt(say(text, example=like, kind=own), marks=("load on", "load off", "empty"), example=like)

    def by_hand(self, prepared: Prepared) -> HandScript:
        """At a mains socket watts and a counter are read, elsewhere volts and amperes; and what its own display says."""
        own = _own(prepared.setup)
        metered = ("W", "Wh") if _at_mains(prepared.plan) else ("V", "A", "Wh")
        shown = ("%", LEFT_H) if own == "station" else ("%",)
        return replace(super().by_hand(prepared), reads=(*(("output", q) for q in metered), *((own, q) for q in shown)))

    def every_s(self, prepared: Prepared) -> float:
        return 1800.0

    def steps(self, prepared: Prepared) -> Steps:
        plan, hand = prepared.plan, self.by_hand(prepared)
        yield Ask(hand.asks[0].text, hand.asks[0].cautions)
        text = say("{a} A at {v} V.", a=plain(plan.amps), v=plain(plan.volts))
        if plan.volts > AC_FROM_V:  # no electronic load belongs there
            yield Ask(say("Switch the load on: {what}", what=text), (cautions.HAND_OFF,))
        else:
            yield SwitchLoadOn(plan.amps, _OWN_CUTOFF * plan.volts, text, (cautions.HAND_OFF,))
        yield ReadUntil(
            Ends().watch(), _EVERY_S, FOR_EVER_S, say("Reading until it switches itself off, or you stop it."), (), (("output", "A"),)
        )
        yield SwitchLoadOff(say("Load off."))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """What its display says beside what came out."""
        given, _ = _given(record, self._volts(record))
        out = account.findings.get("energy_out")
        of_its_own = (out.value or 0.0 if out is not None else 0.0) - given.came_in_wh  # what came in goes out again
        is_too_much = of_its_own > self.expected[0].high * (_label_wh(record.head.setup) or math.inf)
        yield from (doubt for doubt in super().doubts(account, record) if doubt.key != "figure-energy_out" or is_too_much)
        shown = [r.value for e in record.lines for r in e.jotting.readings if r.quantity == "%"]
        if shown and record.head.conditions.full and shown[0] < _NEARLY_FULL:
            yield Doubt(
                "start", say("It is said to have been full, and its display said {percent} % at the start.", percent=plain(shown[0]))
            )
        strays = account.findings.get("linearity")
        if strays is not None and (strays.value or 0.0) > _STRAYS + _coarse(shown):
            text = words(
                "Its display strays by {points} from what came out, {working}: was it charged meanwhile, did it stand still, or did a row slip?"
            )
            yield Doubt("strays", say(text, points=strays.value_text(), working=strays.working))
        yield from _sags(record)
        if not record.is_typed and given.readings is not None and (again := [t for t in _went_out(given.readings) if t[1] is not None]):
            went, back = again[0]
            text = words("Its output went after {went} and was there again {later} later: was it charged meanwhile, or only unplugged?")
            since = went - float(given.readings.time_s[0])
            yield Doubt("again", say(text, went=show_duration(since), later=show_duration((back or went) - went)))
        if (apart := counter_apart(given)) is not None:
            text = words(
                "Its counter says {a}, and the readings add up to {b} Wh meanwhile: which of them is right, and in which unit is the counter?"
            )
            yield Doubt("counter", say(text, a=apart[0].value_text(), b=show(apart[1], 3)))
        points, energy, holds = account.findings.get("points"), account.findings.get("energy_out"), _label_wh(record.head.setup)
        if account.energy is not None and account.energy.whole and holds and account.energy.energy_wh < _LEAST_OF_LABEL * holds:
            text = words(
                "{energy} of the {label} Wh on its label is hardly any: was it full, and did it switch itself off? Are times and units as they were?"
            )
            yield Doubt("little", say(text, energy=show(account.energy.energy_wh, 3), label=plain(holds, 3)))
        if points is None or energy is None or not points.value or not energy.value or not holds or points.value < _ENOUGH_POINTS:
            return
        share = energy.value / (holds * points.value / 100)
        if not _BY_DISPLAY[0] <= share <= _BY_DISPLAY[1]:
            yield Doubt(
                "percent",
                say(
                    "By its display {points} % of it went, and {energy} came out: {share} % of what its label makes of that. Are times and units as they were?",
                    points=plain(points.value),
                    energy=energy.value_text(),
                    share=show(100 * share, 2),
                ),
            )

    def study(self, account: Account, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]]) -> Account:
        """With what its display's promises were worth in all runs, and what another rate says of what it burns by itself: of the run whose hours differ most."""
        if account.trouble:
            return account
        given, own = _given(record, self._volts(record))[0], _emptied(record, account)
        if own is None and given.percent is None and not given.told:
            return account
        rehearsed = record.head.origin.road == SIMULATED
        alike = [
            (r, a) for r, a in others() if r.head.method == self.key and not a.held_back and (r.head.origin.road == SIMULATED) == rehearsed
        ]
        ends = [e.time_s for e in record.lines[-1:]] + (
            [float(given.readings.time_s[-1])] if given.readings is not None and len(given.readings) else []
        )
        now_s = max(ends, default=0.0) if record.state == "running" else None
        account = by_its_promises(account, given, [_given(r, self._volts(r))[0] for r, _ in alike], now_s)
        if own is None:
            return account
        runs = [_emptied(r, a) for r, a in alike if self._is_same_output(r, record)]
        other = max((r for r in runs if r is not None), key=lambda r: abs(math.log(r.hours / own.hours)), default=None)
        if other is None:
            return account
        label = label_of(record.head.setup.unit)
        found, why_not = burnt_by_itself(own, other, label.energy_wh if label is not None else None)
        return replace(account, findings={**account.findings, **found}, warnings=(*account.warnings, *filter(None, (why_not,))))

    def _is_same_output(self, one: Record, other: Record) -> bool:
        """By the volts that were planned; of a log by those that were read."""
        planned = self._volts(one), self._volts(other)
        if None not in planned:
            return planned[0] == planned[1]
        first, second = (_usual_volts(_given(record, volts)[0]) for record, volts in zip((one, other), planned, strict=True))
        return first is None or second is None or abs(first / second - 1) < _SAME_OUTPUT

    def _volts(self, record: Record) -> float | None:
        plan = self.prepared(record.head).plan
        return plan.volts if plan is not None else None

    def sums(self, seen: Seen) -> Account:
        record, label = seen.record, label_of(seen.setup.unit)
        given, tap = _given(record, seen.plan.volts if seen.is_planned else None)
        live = record.state == "running"
        try:
            findings, verdict, said = analyse_output(given, label)
        except ReadingsError as error:
            raise ReadingsError(_went_off(record, tap, given) or str(error)) from None
        energy = findings["energy_out"]
        at = say("at its {tap}", tap=say(tap))
        return Account(
            findings,
            verdict=None if live else verdict,
            sentence=_sentence(findings, at, whole=given.emptied and given.full, emptied=given.emptied, came_in=given.came_in)
            if verdict is None or live
            else verdict.sentence,
            warnings=(*(() if live else said), *no_accuracy(energy)),
            ended_by="gave up" if given.gave_up else record.ended_by,
            drawings=lambda: (*_drawn(given), *drawn_promises(given)),
            energy=None
            if live or given.came_in
            else Energy(energy.value or 0.0, energy.expanded_uncertainty, given.emptied and given.full, 1.0),
            short=energy.with_uncertainty(),
            bar=_shelf_bar(findings),
        )

    def drawn_anyway(self, seen: Seen) -> tuple[Drawing, ...]:
        return _drawn(_given(seen.record, seen.plan.volts if seen.is_planned else None)[0])

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: OutputPlan | None) -> PowerPath:
        label = label_of(setup.unit)
        holds = say("{wh} Wh on the label", wh=show(label.energy_wh, 3)) if label is not None and label.energy_wh else ""
        nodes = PathNode("battery", say("Its cells"), holds), itself(setup, "converter"), PathNode("load", say("Load"))
        energy, meter = found.get("energy_out"), setup.meter("output")
        if energy is None or energy.value is None:
            flows = Flow(None, meter=say("its percent")), Flow(None, meter=clipped(meter))
        else:
            flows = Flow(None), Flow(energy.value, meter=meter.name)
        return PowerPath(nodes, flows, (None,) * 3, (0.0,) * 3, "Wh")


def _emptied(record: Record, account: Account) -> Emptied | None:
    """A run from full to its own end, for what a second rate says; None for any other."""
    energy, lasted = account.findings.get("energy_out"), account.findings.get("duration")
    whole = account.ended_by == "gave up" and record.head.conditions.was_full is not False and "minimum_load" not in account.findings
    if energy is None or lasted is None or not lasted.value or not whole or account.energy is None or not account.energy.whole:
        return None
    return Emptied(energy, lasted.value / 3600)


def _usual_volts(given: Given) -> float | None:
    """Its volts while it was on; None where none were read."""
    volts = given.readings.voltage_v if given.readings is not None else np.empty(0)
    on = volts[volts > _OFF * float(volts.max(initial=0.0))]
    return float(np.median(on)) if len(on) else None


def _went_out(readings: Readings) -> list[tuple[float, float | None]]:
    """Each time that an output's volts went under load, of a log, and when they were back; None where they were not."""
    volts = readings.voltage_v
    on = volts[volts > _OFF * float(volts.max(initial=0.0))]
    usual = float(np.median(on)) if len(on) else 0.0
    off = volts < _OFF * usual
    edges = np.diff(off.astype(int))
    went, back = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    flowing = np.abs(readings.current_a)
    loaded = flowing > _OFF * float(np.median(flowing[~off])) if (~off).any() else off
    found = []
    for k in went[loaded[went] & (flowing[went] > 0)].tolist():  # with nothing attached it only goes to sleep
        later = back[np.searchsorted(back, k) :]
        until = float(readings.time_s[later[0] + 1]) if len(later) else None
        if until is None or until - float(readings.time_s[k]) > _OFF_S:
            found.append((float(readings.time_s[k]), until))
    return found


def _went_off(record: Record, tap: str, given: Given) -> str:
    """That it switched itself off at once, where that is all that was seen; empty otherwise."""
    amps = record.either(tap, "A")
    if not given.gave_up or not len(amps) or given.load_on_s is None or given.load_off_s is None or len(amps) > 2:
        return ""
    after = given.load_off_s - given.load_on_s
    if after > _AT_ONCE_S:
        return ""
    return say(
        "It switched itself off after {time} at {a} A: it wants more than that to stay on. Load it with more.",
        time=show_duration(after),
        a=show(float(amps.value[-1]), 2),
    )


def _shelf_bar(findings: Mapping[str, Finding]) -> tuple[float, float | None] | None:
    """As charge at the cells' volts, which is what the label's is."""
    charge = findings.get("charge_at_cells")
    return (charge.value, charge.expanded_uncertainty) if charge is not None and charge.value is not None else None


def _given(record: Record, volts: float | None) -> tuple[Given, str]:
    return record.once(("given", volts), lambda: _given_of(record, volts))


def _given_of(record: Record, volts: float | None) -> tuple[Given, str]:
    """What was read at the output, and where that is."""
    tap = next((t for t in _TAPS if any(len(record.either(t, q)) for q in ("V", "A", "Wh", "Ah"))), "output")
    readings: Readings | None = None
    widths: Widths | None = None
    why_not = ""
    try:
        if record.is_typed:
            pressed = tuple((e.time_s, "load off") for e in record.of(WentOff))
            typed = record.typed
            typed = replace(typed, marks=tuple(sorted((*typed.marks, *pressed))))
            readings, widths = on_one_base(typed, tap, record.head.origin.between)
        else:
            readings = join(record.either(tap, "V"), record.either(tap, "A"))
    except ReadingsError as error:
        readings, widths, why_not = None, None, str(error)
    on, off = record.switched()
    empty = record.typed.mark_s("empty")
    if not record.is_typed and empty is None and readings is not None and (times := _went_out(readings)) and times[-1][1] is None:
        empty = times[-1][0]
    if empty is not None and (by_hand := _switched_off_before(record, empty)) is not None:
        off, empty = by_hand, None  # what a bank with nothing attached does later is not its end
    if readings is not None and len(readings):
        since = on if on is not None else float(readings.time_s[0])
        until = empty if empty is not None else off if off is not None else float(readings.time_s[-1])
        inside = (readings.time_s >= since - 1.0) & (readings.time_s <= until + 1.0)
        if inside.sum() > 1 and not inside.all():
            k = np.flatnonzero(inside)
            readings = readings.between(int(k[0]), int(k[-1]))
            widths = Widths(widths.half_v[inside], widths.half_a[inside], widths.between) if widths is not None else None
        if widths is not None and until > float(readings.time_s[-1]):
            readings, widths = _held_until(readings, widths, until)
    percent = next(
        (_with_half(record, t, "%") for t in ("bank", "station", "source", "battery", "output") if len(record.either(t, "%")) > 1), None
    )
    came_in, came_in_wh = _came_in(record, on, empty if empty is not None else off)
    full = record.head.conditions.was_full is True or any(mark == "full" for _, mark in record.typed.marks)
    gave_up = empty is not None or record.ended_by in _GAVE_UP
    return (
        Given(
            readings,
            widths,
            record.accuracy("output", "V"),
            record.accuracy("output", "A"),
            _with_half(record, tap, "Wh"),
            _with_half(record, tap, "Ah"),
            percent,
            gave_up,
            full,
            on,
            empty if empty is not None else off,
            sum(s.to_s - s.from_s for s in record.stretches() if s.to_s is not None) or None,
            volts,
            why_not,
            _watts(record),
            _promised(record),
            _bars(record, on),
            came_in,
            next((e.jotting.text for e in record.lines if e.jotting.mark == "tripped"), None),
            record.accuracy("output", "W"),
            record.moment_half_s if record.is_typed else 0.0,
            came_in_wh,
        ),
        "output" if tap in {"bank", "station", "battery", "source"} else tap,
    )


def _switched_off_before(record: Record, empty_s: float) -> float | None:
    """When a person took the load off, long before it was called empty; None where nobody did."""
    marks = [(t, mark) for t, mark in record.typed.marks if mark in {"load on", "load off"} and t < empty_s]
    return marks[-1][0] if marks and marks[-1][1] == "load off" and empty_s - marks[-1][0] > _AT_ONCE_S else None


def _bars(record: Record, load_on_s: float | None) -> tuple[Bar, ...]:
    """Of whichever display shows them."""
    for tap in ("station", "bank", "source", "output", "battery"):
        columns = {
            q: found for t, q in record.typed.series if t == tap and q.startswith(BAR) and (found := _with_half(record, tap, q)) is not None
        }
        if columns:
            return bars_of(columns, load_on_s)
    return ()


_COMES_IN_AT = ("charger", "input")


def _came_in(record: Record, on_s: float | None, off_s: float | None) -> tuple[str, float]:
    """The most that was read to flow into it while it gave, and where, empty where nothing was; and the most Wh that this is, inf where nobody can say."""
    for tap in _COMES_IN_AT:
        for quantity in ("W", "A", "Wh"):
            series = record.either(tap, quantity)
            inside = (series.time_s >= (-math.inf if on_s is None else on_s)) & (series.time_s <= (math.inf if off_s is None else off_s))
            read = series.value[inside]
            most = float(np.ptp(read) if quantity == "Wh" else read.max(initial=0.0)) if len(read) else 0.0
            if most > 0:
                hours = (off_s - on_s) / 3600 if on_s is not None and off_s is not None else math.inf
                energy = {"W": most * hours, "Wh": most}.get(quantity, math.inf)
                return say("{most} {quantity} at the {tap}", most=show(most), quantity=quantity, tap=tap), energy
    return "", 0.0


_WATTS_AT = ("output", "load", "ac", "station", "bank", "source", "battery")


def _watts(record: Record) -> tuple[Series, Array, Accuracy | None] | None:
    """By a meter at the output, else off its own display."""
    for tap in _WATTS_AT:
        if (found := _with_half(record, tap, "W")) is not None:
            return *found, record.accuracy(tap, "W") or record.accuracy("output", "W")
    return None


def _promised(record: Record) -> tuple[DisplayPromise, ...]:
    """What its display said of the hours left, with the watts and the percent of the same line."""
    made = []
    for entry in record.lines:
        read = {r.quantity: r for r in entry.jotting.readings if r.tap in {"", "station", "bank", "source", "battery"}}
        if (left := read.get(LEFT_H)) is None:
            continue
        watts = next((r.value for r in entry.jotting.readings if r.quantity == "W"), None)
        percent = read["%"].value if "%" in read else None
        made.append(DisplayPromise(entry.time_s, left.value, left.half_width, watts, percent))
    return tuple(made)


def _held_until(readings: Readings, widths: Widths, until_s: float) -> tuple[Readings, Widths]:
    """What was last read holds until it went off."""
    more = [np.append(column, column[-1]) for column in (readings.voltage_v, readings.current_a, widths.half_v, widths.half_a)]
    return Readings(np.append(readings.time_s, until_s), more[0], more[1], readings.interval_s), Widths(more[2], more[3], widths.between)


def _with_half(record: Record, tap: str, quantity: str) -> tuple[Series, Array] | None:
    series = record.either(tap, quantity)
    if not len(series):
        return None
    half = record.half_width(tap, quantity)
    return series, np.full(len(series), half) if isinstance(half, float) else half


def _sentence(findings: dict[str, Finding], at: str, *, whole: bool, emptied: bool, came_in: str) -> str:
    energy, share = findings["energy_out"], findings.get("label_share")
    text = (
        say("Gave {wh} {at} while {what} came in", wh=energy.with_uncertainty(), at=at, what=came_in)
        if came_in
        else say("Gives {wh} {at}", wh=energy.with_uncertainty(), at=at)
        if whole
        else say("Gave {wh} {at} until it was empty", wh=energy.with_uncertainty(), at=at)
        if emptied
        else say("At least {wh} {at}", wh=energy.with_uncertainty(), at=at)
    )
    if (charge := findings.get("charge_out")) is not None:
        text += say(", {ah}", ah=charge.with_uncertainty())
    if share is not None:
        text += say("; {share} of its label, by Wh", share=share.with_uncertainty())
    return f"{text}."


def _drawn(given: Given) -> tuple[Drawing, ...]:
    """Its percent over hours, where that was read; else volts and amperes."""
    if given.percent is not None and len(given.percent[0]) > 2:
        series = given.percent[0]
        hours = (series.time_s - series.time_s[0]) / 3600
        layers = (Curve(hours, series.value, "voltage"), Curve(hours[[0, -1]], series.value[[0, -1]], "quiet", DASHED, say("straight")))
        return (
            Plot(say("Its percent display"), say("time, h"), "%", (0.0, max(float(hours[-1]), 0.1)), (0.0, 104.0), layers, _told(series)),
        )
    if given.readings is None or not len(given.readings):
        return ()
    return (trace_of(given.readings.time_s, given.readings.voltage_v, given.readings.current_a),)


def _told(series: Series) -> str:
    """The display in words."""
    first, last = float(series.value[0]), float(series.value[-1])
    return say("its display from {a} to {b} %, in {n} readings", a=plain(first), b=plain(last), n=len(series))
