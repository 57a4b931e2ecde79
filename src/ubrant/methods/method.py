"""What a method is: the one interface by which Prepare, Run, Findings, Shelf, report, command line and jot text know every method."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, ClassVar

from ubrant.core.account import Account
from ubrant.core.equipment.meter import Meter
from ubrant.core.gate.figures import Doubt, Expected, of_figures, of_percents, of_volts
from ubrant.core.gate.readings import Odd, Takes, odd_readings, without
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import FATES, TypedLine
from ubrant.core.quantities.quantity import show
from ubrant.core.record.codec import decode, encode
from ubrant.core.record.errors import drawn_together, errors_of, if_off
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, SIMULATED, Conditions, Criteria, Origin, RunHeader, Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.record.typed import STRAIGHT
from ubrant.core.uncertainty.simulation import DRAWS, Draws, Simulated, simulated
from ubrant.core.uncertainty.value import Draw, come_true
from ubrant.core.wording import say
from ubrant.methods.form import CONDITIONS, CRITERIA, ORIGIN, PLAN, Field, read_fields
from ubrant.methods.ratings import labelled, volts_by_tap
from ubrant.methods.rows import HandScript
from ubrant.methods.steps import Steps, rest_of
from ubrant.methods.summary import StepLine, each_caution_once, summarise

if TYPE_CHECKING:
    from ubrant.core.drawings import Drawing
    from ubrant.core.equipment.unit import Unit
    from ubrant.core.network.whole import Misfit, Whole
    from ubrant.core.quantities.readings import Array
    from ubrant.methods.by_eye import ReadLines, SimulatedEyes
    from ubrant.methods.rehearsal import Rehearsal

ONE_PLACE, TAP_LOG, WAVE_LOG = "one place", "taps", "wave"
"""What a log from elsewhere has to hold for a method: volts and amperes of one tap; headings that name taps; a scope's record."""


@dataclass(frozen=True)
class Problem:
    """One thing to mend (``refused``: the run cannot start) or to know."""

    refused: bool
    text: str


def refused(text: str) -> Problem:
    return Problem(True, text)


def to_know(text: str) -> Problem:
    return Problem(False, text)


@dataclass(frozen=True)
class LoadRating:
    """What the electronic load can take; without end where nobody knows."""

    max_a: float = math.inf
    max_v: float = math.inf
    max_w: float = math.inf


@dataclass(frozen=True)
class Prepared:
    """A test as it was decided on. ``plan`` is the method's own dataclass; None for a log, which has none."""

    setup: Setup
    plan: Any
    criteria: Criteria = field(default_factory=Criteria)
    conditions: Conditions = field(default_factory=Conditions)
    between: str = STRAIGHT


@dataclass(frozen=True)
class Scene:
    """What a test needs on a bench, simulated or not.

    Attributes
    ----------
    taps : where a meter is read, in the order of the path
    battery : the unit itself is emptied; otherwise a converter, inverter or breaker is fed
    on_battery : what is fed hangs on a battery instead of a supply
    load, load_is_metered : one takes part, and its own display is read
    by_hand : a person switches the load
    supply, scope : one takes part
    thermometer : the battery's temperature is watched
    full_share : charge of the simulated battery at the start
    given_ah : what was taken out of it before an interruption
    every_s : between readings
    breaker : parameters of a simulated one
    hand_load : where no load has a connection a person switches one
    """

    taps: tuple[str, ...]
    battery: bool = False
    on_battery: bool = False
    load: bool = True
    load_is_metered: bool = False
    by_hand: bool = False
    supply: bool = False
    scope: bool = False
    mains: bool = False
    thermometer: bool = False
    full_share: float = 1.0
    given_ah: float = 0.0
    every_s: float = 1.0
    breaker: Mapping[str, float] | None = None
    hand_load: bool = False


class MethodError(ValueError):
    """What was said of a log does not fit the method; ``option`` names what."""

    def __init__(self, option: str, sentence: str) -> None:
        super().__init__(sentence)
        self.option = option


class Method:
    """A bench procedure. What a method does not say is as it stands here.

    Attributes
    ----------
    key, title : ``idle`` in files and on the command line, *Idle draw* for people
    Plan : its dataclass
    taps : where it is metered, in the order of the path
    reads_beside : where else a reading says something to it
    roads : the benches it can be made on
    goes_by_order : what a typed line is of is told by its place among the others, not by what it says
    fates_alone : *runs*, *falters* or *off* without a reading is an answer, too
    needs_fate : it says nothing where nobody said what became of a load
    by_eye : what is read are mostly displays: on the simulated bench a simulated person reads them off, and types
    is_started : False for what is only brought in
    on_battery : a battery feeds what is tested, which the form then offers
    uses_load : a load with a connection may take part
    device, device_kinds : what it feeds besides, as its box in the form is called, and which kinds of unit that may be; empty for nothing
    device_holds : that is one with a battery in it, which its label says
    has_leads : leads are on its path
    made_of_points : what is left after an interruption follows from the points that were taken
    log : what a log from elsewhere has to hold, empty where none will do
    judges_label : against the label of the unit
    empties : it finds out what a unit holds by emptying it
    reads_any : taps where the own display of a load or a supply may be read as well
    finds_errors_of : taps at which a meter's own errors are what is looked for
    named : other names of its taps
    steady, smooth, falling, whole_lines : what it takes for granted of its typed readings (see :class:`ubrant.core.gate.readings.Takes`)
    expected : between what its findings lie by the label (see :class:`ubrant.core.gate.figures.Expected`)
    plan_from_label : what a jot text does not say of the plan follows from the label
    """

    key: ClassVar[str] = ""
    title: ClassVar[str] = ""
    Plan: ClassVar[type[Any]] = dict
    taps: ClassVar[tuple[str, ...]] = ("input", "output")
    reads_beside: ClassVar[tuple[str, ...]] = ()
    roads: ClassVar[tuple[str, ...]] = (BY_HAND, INSTRUMENTS, SIMULATED)
    by_eye: ClassVar[bool] = False
    goes_by_order: ClassVar[bool] = True
    fates_alone: ClassVar[bool] = False
    needs_fate: ClassVar[bool] = False
    uses_load: ClassVar[bool] = True
    is_started: ClassVar[bool] = True
    on_battery: ClassVar[bool] = False
    device: ClassVar[str] = ""
    device_kinds: ClassVar[tuple[str, ...]] = ()
    device_holds: ClassVar[bool] = False
    has_leads: ClassVar[bool] = True
    made_of_points: ClassVar[bool] = False
    log: ClassVar[str] = ""
    judges_label: ClassVar[bool] = False
    empties: ClassVar[bool] = False
    finds_errors_of: ClassVar[tuple[str, ...]] = ()
    plan_from_label: ClassVar[bool] = False
    reads_any: ClassVar[tuple[str, ...]] = ()
    named: ClassVar[Mapping[str, str]] = {}
    steady: ClassVar[tuple[tuple[TapQuantity, ...], ...]] = ()
    smooth: ClassVar[tuple[tuple[TapQuantity, TapQuantity | None], ...]] = ()
    falling: ClassVar[tuple[tuple[TapQuantity, TapQuantity | None], ...]] = ()
    whole_lines: ClassVar[bool] = True
    expected: ClassVar[tuple[Expected, ...]] = ()

    def meter_title(self, tap: str) -> str:
        """What the meter at a tap is called in the form."""
        return _METER_TITLES.get(tap, tap)

    @property
    def also_read(self) -> tuple[str, ...]:
        """Where other meters may be read besides."""
        return ("battery", "load", "source", "case") if "battery" in self.taps else ("source", "input", "output")

    # before a run

    def form(self, setup: Setup) -> tuple[Field, ...]:
        """What can be chosen, what is usual and why.

        Raises
        ------
        ValueError
            The label does not say enough.
        """
        return ()

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        """What was chosen.

        Raises
        ------
        FieldError
            A field that cannot be read; says which.
        ValueError
            The label does not say enough.
        """
        found = read_fields(self.form(setup), typed)
        between = str(found[ORIGIN].get("between", STRAIGHT))
        return Prepared(setup, self.Plan(**found[PLAN]), Criteria(**found[CRITERIA]), Conditions(**found[CONDITIONS]), between)

    def typed(self, prepared: Prepared) -> dict[str, str]:
        """The fields again, as they could have been typed."""
        texts = {}
        for one in self.form(prepared.setup):
            part = {PLAN: prepared.plan, CRITERIA: prepared.criteria, CONDITIONS: prepared.conditions, ORIGIN: prepared}[one.part]
            texts[one.key] = one.kind.show(getattr(part, one.key))
        return texts

    def by_person(self, prepared: Prepared) -> Prepared:
        """The same where a person switches the load."""
        return prepared

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        """What speaks against it."""
        return ()

    def problems(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        """What speaks against it, the refusals first."""
        return refusals_first(list(self.checks(prepared, load)))

    def steps(self, prepared: Prepared) -> Steps:
        """On a bench; of a method by eye a person sets each point, and meters with a connection are read then."""
        from ubrant.methods.read_along import point_by_point

        if not self.by_eye:
            raise NotImplementedError
        return point_by_point(self.by_hand(prepared))

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        """What stands on the bench; ``before`` is the record of a run that goes on."""
        if self.by_eye:
            return Scene(self.taps, load=self.uses_load, hand_load=True)
        return Scene(self.taps, on_battery=self.on_battery, supply=not self.on_battery)

    def by_hand(self, prepared: Prepared) -> HandScript:
        raise NotImplementedError

    def read_off(self, prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
        """What a simulated person reads off simulated things and types, where it is made ``by_eye``.

        Raises
        ------
        ValueError
            The label does not say enough for a model; at the first line.
        """
        raise NotImplementedError

    def foretold_lines(self, prepared: Prepared) -> ReadLines:
        """What would be typed of a thing that is as its label says, to foretell how sure the answer will be; nothing where that cannot be told.

        Raises
        ------
        ValueError
            The label does not say enough for a model; at the first line.
        """
        if self.by_eye:
            from ubrant.methods.by_eye import SimulatedEyes

            yield from self.read_off(prepared, SimulatedEyes(prepared.setup, "foretold"))

    def length_s(self, prepared: Prepared) -> float | None:
        """About how long it takes by itself."""
        return None

    def expect(self, prepared: Prepared) -> Rehearsal | None:
        """The test rehearsed on a model; None where there is none.

        Raises
        ------
        ValueError
            The label does not say enough for a model.
        """
        return None

    def usual_readings(self, prepared: Prepared) -> dict[TapQuantity, float]:
        """What may be expected at its taps, to question slips with."""
        return {}

    def preview(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[Drawing, ...]:
        """What will be drawn, before anything is switched on."""
        return ()

    def heading(self, prepared: Prepared, name: str) -> str:
        """What it is called while it is prepared and made."""
        return say("{method}: {name}", method=say(self.title), name=name)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        """How long and how many, in two short lines."""
        return "", ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        """Where to clip each meter."""
        setup = prepared.setup
        flow = Flow(None, meter=clipped(setup.meter(self.taps[0])))
        return PowerPath(
            (PathNode("battery", setup.battery.name if setup.battery else say("Supply")), PathNode("converter", setup.unit.name)),
            (flow,),
            (None, None),
            (0.0, 0.0),
            "W",
        )

    def step_lines(self, prepared: Prepared, expected: Rehearsal | None) -> list[StepLine]:
        """Every step with its cautions, on a bench."""
        return each_caution_once(summarise(self.steps(prepared), expected.until_s if expected is not None else ()))

    def hand_lines(self, prepared: Prepared) -> list[StepLine]:
        """What a person is told to set and type, by hand."""
        hand = self.by_hand(prepared)
        lines = [StepLine(ask.text, ask.cautions, by_person=True, seconds=None) for ask in hand.asks]
        texts = [row.text for row in hand.rows]
        if len(texts) > _FEW_ROWS:
            texts = [texts[0], say("The same at the other {count} points, in their order: each is called out.", count=len(texts) - 1)]
        texts.append(hand.after.text)
        return lines + [StepLine(text, (), by_person=True, seconds=None) for text in texts if text]

    # a run that is kept, goes on, or was brought in

    def head(self, prepared: Prepared, origin: Origin) -> RunHeader:
        """What a record keeps of it."""
        return RunHeader(self.key, prepared.setup, encode(prepared.plan), prepared.criteria, prepared.conditions, origin)

    def prepared(self, head: RunHeader) -> Prepared:
        """What was decided on, from what a record keeps of it.

        Raises
        ------
        CodecError
            Its plan does not hold together.
        """
        plan = None
        if head.plan:
            plan = self.older(head.setup, head.plan["older"]) if "older" in head.plan else decode(self.Plan, head.plan)
        return Prepared(head.setup, plan, head.criteria, head.conditions, head.origin.between)

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        """The plan from what logbooks up to format 3 kept of it: the texts of its form.

        Raises
        ------
        ValueError
            It does not hold together.
        """
        return self.prepare(setup, dict(kept.get("fields", {}))).plan

    def rest(self, prepared: Prepared, before: Record) -> Steps | None:
        """What is left of it after an interruption; None where nobody can say."""
        answers = [e.answer for e in before.of(PointTaken)]
        if not self.made_of_points or None in answers:
            return None
        return rest_of(self.steps(prepared), [a for a in answers if a is not None])

    def is_log_of(self, unit: Unit, volts: Array) -> bool:
        """Whether a log of these volts, (n,), of a unit that it suits is one of its own."""
        return True

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        """How a log from elsewhere is judged, by what was said of it (``rated``, ``tolerance``, ``cutoff``; empty for unknown).

        Raises
        ------
        MethodError
            What was said cannot be read; says which.
        """
        return labelled(setup, said.get("rated", "")), Criteria()

    def takes(self, record: Record) -> Takes:
        """What it takes for granted of each typed reading: what was asked for, and what stays about the same or goes on without leaps."""
        hand = self.hand_of(record.head) if record.is_typed else None
        answers = hand.answering(record) if hand is not None and any(row.expected for row in hand.rows) else []
        asked = {id(one.jotting): one.expected for one in answers if one.expected}
        return Takes(self.steady, self.smooth, self.falling, asked=asked, whole_lines=self.whole_lines)

    def sound(self, record: Record) -> tuple[Record, tuple[Odd, ...]]:
        """The record without readings that cannot well be, and these, to be asked about."""

        def look() -> tuple[Record, tuple[Odd, ...]]:
            takes = self.takes(record)
            odd = odd_readings(record, takes, self.named)
            return without(record, odd, takes, self.named), odd

        return record.once(("sound", self.key), look)

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """What of its findings has to be looked at before it is an answer: against the label, and against each other."""
        setup = record.head.setup
        yield from of_figures(account.findings, self.expected, setup)
        yield from of_volts(record, self.volts_judged(record), self.named)
        yield from of_percents(record)
        named = self.on_path(record)
        for misfit in self.misfits(record):
            mend = misfit.mend
            if mend is not None:
                mend = replace(mend, taps=frozenset({mend.place, *(name for name, place in named.items() if place == mend.place)}))
            yield Doubt(misfit.key, misfit.sentence, mend=mend)

    def whole(self, record: Record) -> Whole | None:
        """What was typed on its path, held against itself; None where no reading says anything of another, or a meter's errors are what is looked for."""
        from ubrant.methods.on_path import lines_on_path

        if self.finds_errors_of or not record.is_typed:
            return None
        return record.once(("whole", self.key), lambda: lines_on_path(record, self.on_path(record)))

    def follows(self, record: Record, named: Mapping[str, str]) -> Account | None:
        """What follows all the same from what another method's record holds, where that lacks something; None for nothing.

        Parameters
        ----------
        named : what its places are called on a path
        """
        return None

    def on_path(self, record: Record) -> Mapping[str, str]:
        """What its places are called on a path."""
        from ubrant.methods.on_path import OTHER_NAMES

        return {**OTHER_NAMES, "": self.taps[0], **self.named}

    def misfits(self, record: Record) -> tuple[Misfit, ...]:
        """What does not go together at one moment, by laws that hold of any path."""
        whole = self.whole(record)
        return whole.exact_misfits if whole is not None else ()

    def volts_on_label(self, setup: Setup) -> Mapping[str, tuple[float, float, float]]:
        """By tap, between what its volts lie by the label of what is tested, and what that says."""
        return {} if self.judges_label else volts_by_tap(setup, self.taps)

    def volts_judged(self, record: Record) -> Mapping[str, tuple[float, float, float]]:
        """The same for one record."""
        return self.volts_on_label(record.head.setup)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        """What it makes of a record. Never raises for what a record holds: why nothing can be said is the account's trouble."""
        raise NotImplementedError

    def row_findings(self, record: Record) -> Mapping[float, str]:
        """What each typed row says by itself, in a few words, by its time: watts where volts and amperes were read at one place."""
        found: dict[float, str] = {}
        together = {t for t, count in Counter(entry.time_s for entry in record.lines if entry.jotting.readings).items() if count > 1}
        for entry in record.lines:
            if entry.time_s in together:  # notes without a time: what is of one line would stand at all of them
                continue
            read = {(r.tap, r.quantity): r.value for r in entry.jotting.readings if r.kind in {"read", "about", "range"}}
            watts = [read[(tap, "V")] * read[(tap, "A")] for tap, quantity in read if quantity == "V" and (tap, "A") in read]
            mains = any(quantity == "W" or (quantity == "V" and value > AC_FROM_V) for (_, quantity), value in read.items())
            if len(watts) == 1 and not mains:  # on AC volts × amperes are no watts
                found[entry.time_s] = f"{show(watts[0])} W"
        return found

    def says(self, record: Record) -> Mapping[float, str]:
        """What stands beside each typed row, by its time: what it says by itself, or that it is asked about."""
        found, (_, odd) = self.row_findings(record), self.sound(self.in_order(record))
        return {**found, **{one.time_s: say("left out?") for one in odd}} if odd else found

    def hand_of(self, head: RunHeader) -> HandScript | None:
        """A kept run's test as a person makes it; None where it was not planned, or its label no longer says enough for it."""
        try:
            return self.by_hand(self.prepared(head)) if head.plan else None
        except (NotImplementedError, ValueError):
            return None

    def in_order(self, record: Record) -> Record:
        """Its typed lines as its rows are asked for, where a person said which row a line is of."""
        if not self.goes_by_order or not record.is_typed or not any(e.jotting.text for e in record.typed.further):
            return record
        hand = self.hand_of(record.head)
        return record if hand is None else hand.in_order(record)

    def as_answer(self, jotting: TypedLine) -> TypedLine:
        """A line as this test takes it: what became of a load may be all that was seen."""
        fate = jotting.text.strip(' ."').lower()
        if not self.fates_alone or jotting.readings or jotting.mark or fate not in FATES:
            return jotting
        return replace(jotting, mark=fate, text="")

    def simulate(self, record: Record, count: int = DRAWS) -> tuple[Simulated, ...]:
        """The ± of every finding once more, by draws (JCGM 101): the account is made again from records in which every error has come true at once."""
        record, _ = self.sound(self.in_order(record))
        account = self.account(record)
        asked = [f for f in account.findings.values() if f.contributions and f.value is not None and not f.bound]
        if not asked:
            return ()
        draws = Draws(count)
        errors = [e for e in errors_of(record) if not any(tap in self.finds_errors_of for tap, _ in e)]
        as_read = Draw(lambda _: 0.0, {})
        with come_true(as_read):
            self.account(replace(record))
        kinds = Counter(map(_family, account.findings))
        values: dict[str, list[float | None]] = {f.key: [] for f in asked}
        for k in range(count):
            shares = [draws.within(("meter", n), k) for n in range(len(errors))]
            with come_true(draws.drawing(k, as_read.came_in)):
                made = self.account(if_off(record, drawn_together(errors, shares))).findings
            alike = Counter(map(_family, made))
            for f in asked:
                found = made.get(f.key) if alike[_family(f.key)] == kinds[_family(f.key)] else None
                values[f.key].append(None if found is None or found.bound else found.value)
        return tuple(simulated(f, values[f.key]) for f in asked)

    def study(self, account: Account, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]]) -> Account:
        """The account with what other runs of the same unit add to it."""
        return account

    def retried(self, record: Record, criteria: Criteria) -> Record:
        """The same record, judged by something else."""
        return record.judged_by(replace(record.head, criteria=criteria))


class OnDemand(Mapping[float, str]):
    """Words that are made when somebody looks: of thousands of rows few are shown."""

    def __init__(self, values: Mapping[float, float], words: Callable[[float], str]) -> None:
        self._values, self._words = values, words

    def __getitem__(self, moment: float) -> str:
        return self._words(self._values[moment])

    def __iter__(self) -> Iterator[float]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)


_FEW_ROWS = 4
_METER_TITLES = {
    "battery": "Battery meter",
    "input": "Meter at the input",
    "output": "at the output",
    "display": "Meter to check",
    "reference": "Reference",
}
METERED_AT = ("battery", "load", "source", "input", "output", "case")
"""Where a meter with a connection may stand."""


def clipped(meter: Meter) -> str:
    """Where a meter goes, at its pin."""
    return f"{meter.name}: V, A, W" if meter.details.power_accuracy else f"{meter.name}: V across, A through"


def _family(key: str) -> str:
    """Findings that are numbered are told apart only where there are as many of them."""
    return key.rstrip("0123456789")


def refusals_first(problems: Sequence[Problem]) -> list[Problem]:
    return sorted(problems, key=lambda p: not p.refused)
