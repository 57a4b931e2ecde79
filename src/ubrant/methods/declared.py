"""A method that a person types: what all of these share is made here, from what each declares. A method keeps its sums and its wording."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
import numpy.typing as npt

from ubrant.core.account import Account, Group
from ubrant.core.drawings import Dots, Drawing, Plot, TraceDrawing
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import FALTERS, FATES, OFF, RUNS, plainly
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, LackingError, ReadingsError, Series
from ubrant.core.record.head import BY_HAND, Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import Columns, Figures, by_errors, errors_in
from ubrant.core.uncertainty.value import Value, as_read, digit, scattered, within
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.form import Field, Loads, QuantityKind
from ubrant.methods.method import ONE_PLACE, TAP_LOG, LoadRating, Method, Prepared, Problem, clipped, refused, to_know
from ubrant.methods.points_by_hand import PointTable, points_at
from ubrant.methods.registry import MethodEntry
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt, RowAnswer
from ubrant.methods.steps import Ask

__all__ = [
    "BY_HAND",
    "ONE_PLACE",
    "TAP_LOG",
    "Account",
    "Ask",
    "Columns",
    "Dots",
    "Doubt",
    "Field",
    "Finding",
    "LackingError",
    "LoadRating",
    "Loads",
    "MethodEntry",
    "Plot",
    "Prepared",
    "Problem",
    "Prompt",
    "QuantityKind",
    "ReadLines",
    "ReadingsError",
    "Record",
    "RowAnswer",
    "Seen",
    "Setup",
    "SimulatedEyes",
    "TypedMethod",
    "Value",
    "as_read",
    "cautions",
    "digit",
    "itself",
    "no_accuracy",
    "one_flow",
    "plain",
    "refused",
    "say",
    "scattered",
    "show",
    "to_know",
    "trace_of",
    "within",
    "words",
]  # fmt: skip
"""With what such a method needs from elsewhere, so that one line takes all of it in."""
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Seen:
    """What a record holds for such a method.

    Attributes
    ----------
    plan : as it was made, or what stands for one where there is none (``Typed.unplanned``)
    is_planned : whether there was one
    """

    method: TypedMethod
    record: Record
    plan: Any
    is_planned: bool

    @property
    def setup(self) -> Setup:
        return self.record.head.setup

    @cached_property
    def table(self) -> PointTable:
        """(n,) each: a row a line that reads something, or a reading of a log."""
        return points_at(self.record, self.method.columns, dict(self.method.named))

    @cached_property
    def lines(self) -> list[RowAnswer]:
        """Each typed line that was not skipped, and which row it is of."""
        hand = self.method.by_hand(Prepared(self.setup, self.plan))
        return hand.answering(self.record)

    @cached_property
    def fates(self) -> list[str]:
        """What became of the load at each point; empty where nobody said."""
        if not self.record.is_typed:
            return [""] * len(self.table)
        lines = [j for _, j in self.record.answers("skip") if j.mark != "skip" and j.readings]
        return [plainly(j.mark) if j.mark in FATES else "" for j in lines]

    def accuracy(self, quantity: str, tap: str = "") -> Accuracy | None:
        return self.record.accuracy(tap or self.method.taps[0], quantity)

    def column(self, quantity: str, tap: str = "") -> Array:
        """(n,) of it at a tap, NaN where it was not read."""
        return self.table.values[(tap or self.method.taps[0], quantity)]

    def half(self, *quantities: str, rows: Mask | slice = slice(None)) -> dict[str, Array]:
        """How wide each is to each side, by quantity, at the method's own tap."""
        return {q: self.table.half[(self.method.taps[0], q)][rows] for q in quantities}

    def by_errors(self, figures: Figures, values: Columns, rows: Mask | slice = slice(None)) -> dict[str, Value | None]:
        """What a fit or a median makes of columns by quantity, worked out again with each error of their meters put in."""
        of = {quantity: self.accuracy(quantity) for quantity in values}
        errors = [error for quantity, accuracy in of.items() for error in errors_in(accuracy, quantity)]
        return by_errors(figures, values, errors, self.half(*values, rows=rows), known=None not in of.values())

    def whole(self, *quantities: str) -> Mask:
        """(n,) where all of these were read."""
        return np.asarray(np.all([np.isfinite(self.column(q)) for q in quantities], axis=0))


class TypedMethod(Method):
    """Rows that a person reads off and types. Says what it reads, asks and makes of it.

    Attributes
    ----------
    reads : what a line reads, as Run's table has it; what its rows want, unless ``wants`` says otherwise
    columns : what its sums take; as it reads, unless said
    like : a line as it could be typed
    spared, or_fate : of what is wanted, what may be lacking, and for what *runs*, *falters*, *off* may stand (see :class:`Prompt`)
    with_fates : *runs*, *falters*, *off* answer a row
    marks_load : a person says when the load comes on and goes off
    between : what may be read between its rows, and answers none
    nothing_yet : said where nothing was read; ``{example}`` is ``like``
    unplanned : what stands for a plan where nobody made one
    groups : of its findings
    answers : keys of the few that are the answer, where they are always the same
    counts_points : how many of its rows were taken is said
    each_row_says : a row says something by itself
    counted : how its rows are called where they are counted
    flows : the finding whose watts flow on its path
    far_end : what stands behind it there
    person : the simulated one, who reads off and types
    """

    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True
    reads: ClassVar[tuple[TapQuantity, ...]] = ()
    wants: ClassVar[tuple[TapQuantity, ...] | None] = None
    columns: ClassVar[tuple[TapQuantity, ...]] = ()
    like: ClassVar[str] = ""
    spared: ClassVar[tuple[TapQuantity, ...]] = ()
    or_fate: ClassVar[tuple[TapQuantity, ...]] = ()
    with_fates: ClassVar[bool] = False
    marks_load: ClassVar[bool] = False
    between: ClassVar[frozenset[TapQuantity]] = frozenset()
    nothing_yet: ClassVar[str] = ""
    unplanned: ClassVar[Any] = None
    groups: ClassVar[tuple[Group, ...]] = ()
    answers: ClassVar[tuple[str, ...]] = ()
    counts_points: ClassVar[bool] = True
    each_row_says: ClassVar[bool] = True
    counted: ClassVar[str] = words("{count} points")
    flows: ClassVar[str] = ""
    far_end: ClassVar[str] = words("Load")
    person: ClassVar[Callable[[Prepared, SimulatedEyes], ReadLines] | None] = None

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        cls.columns = cls.columns or cls.reads
        cls.named = cls.named or {"": cls.taps[0]}

    # what each says

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        """What is asked before the first reading."""
        raise NotImplementedError

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        """What is to be read, one after the other; made by :meth:`row`."""
        return ()

    def further(self, prepared: Prepared) -> Prompt:
        """Asked at the end, over and over; made by :meth:`row`."""
        return self.row(say("That was the last. Go on the same way, or close the run."))

    def every_s(self, prepared: Prepared) -> float:
        """About how long from one reading to the next; 0 where each is made when it is ready."""
        return 0.0

    def sums(self, seen: Seen) -> Account:
        """What it makes of what was read: findings, sentence, warnings, drawings.

        Raises
        ------
        ReadingsError
            Nothing can be said; why.
        """
        raise NotImplementedError

    def drawn_anyway(self, seen: Seen) -> tuple[Drawing, ...]:
        """What is drawn although nothing can be said."""
        return ()

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: Any) -> PowerPath:
        """Where what flows; without findings where to clip each meter. As it stands here: into what is tested at its input, else out of it."""
        watts = found.get(self.flows)
        fed = self.taps[0] == "input"
        ends = (
            (PathNode("battery", say("Source")), itself(setup)) if fed else (itself(setup, "battery"), PathNode("load", say(self.far_end)))
        )
        return one_flow(setup, self.taps[0], ends, watts.value if watts is not None else None)

    # what is made of it

    def row(self, text: str, short: str = "", like: str = "", **changes: Any) -> Prompt:
        """A row that wants what the method reads."""
        marks = (RUNS, FALTERS, OFF, "skip") if self.with_fates else ("skip",)
        usual = Prompt(
            text,
            self.reads if self.wants is None else self.wants,
            marks,
            like or self.like,
            short=short,
            spared=self.spared,
            or_fate=self.or_fate,
            afresh=True,
        )
        return replace(usual, **changes) if changes else usual

    def by_hand(self, prepared: Prepared) -> HandScript:
        asks, rows = tuple(self.asks(prepared)), tuple(self.rows(prepared))
        return HandScript(asks, rows, self.further(prepared), self.marks_load, self.reads, self.every_s(prepared), self.between)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        count = sum(1 for _ in self.rows(prepared))
        return say(self.counted, count=count) if count else "", ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        return self.path(prepared.setup, {}, prepared.plan)

    def read_off(self, prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
        person = type(self).person
        if person is None:
            raise NotImplementedError
        return person(prepared, reader)

    def row_findings(self, record: Record) -> Mapping[float, str]:
        return super().row_findings(record) if self.each_row_says else {}

    def seen(self, record: Record) -> Seen:
        plan = self.prepared(record.head).plan
        return Seen(self, record, self.unplanned if plan is None else plan, plan is not None)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        return self.finished(self.seen(record), self.sums)

    def finished(self, seen: Seen, sums: Callable[[Seen], Account]) -> Account:
        """An account of what was seen, by some sums: why there is none, and with all that does not depend on them."""
        if self.nothing_yet and not len(seen.table):
            return Account(trouble=say(self.nothing_yet, example=self.like), lacks=True)
        taken = planned = None
        if self.counts_points:
            taken = len(seen.table) if self.columns else 0
            planned = sum(1 for _ in self.rows(Prepared(seen.setup, seen.plan))) or None if seen.is_planned else None
        try:
            made = sums(seen)
        except ReadingsError as error:
            lacks = isinstance(error, LackingError)
            return Account(trouble=str(error), lacks=lacks, taken=taken, planned=planned, drawings=lambda: self.drawn_anyway(seen))
        return replace(
            made,
            answers=made.answers or self.answers,
            groups=made.groups or self.groups,
            warnings=(*seen.record.head.origin.said, *made.warnings),
            taken=made.taken if made.taken is not None else taken,
            planned=made.planned if made.planned is not None else planned,
            path=made.path if made.path is not Account.path else lambda: self.path(seen.setup, made.findings, seen.plan),
        )


def trace_of(time_s: Array, volts: Array, amps: Array) -> TraceDrawing:
    """Volts and amperes over the time that they were read in, (n,) each."""
    span = (float(time_s[0]), float(time_s[-1])) if len(time_s) > 1 else None
    series = {"V": Series(time_s, volts), "A": Series(time_s, amps)}
    if not len(volts) or float(np.median(np.abs(volts))) < AC_FROM_V:  # on AC volts × amperes are no watts
        series["W"] = Series(time_s, volts * amps)
    return TraceDrawing(series, zero_s=float(time_s[0]) if len(time_s) else 0.0, span=span)


def no_accuracy(finding: Finding, meter: str = "") -> Sequence[str]:
    """Said where a figure has no ± because nobody gave the accuracy of its meter."""
    if finding.contributions is not None:
        return ()
    return (say("No accuracy was given for the {meter}: the figures have no ±.", meter=meter or say("meter")),)


def one_flow(
    setup: Setup, tap: str, ends: tuple[PathNode, PathNode], watts: float | None, volts: float | None = None, amps: float | None = None
) -> PowerPath:
    """From one to the other, metered at one tap; where nothing is known, how the meter is clipped there."""
    meter = setup.meter(tap)
    flow = Flow(None, meter=clipped(meter)) if watts is None else Flow(watts, volts, amps, meter.name)
    return PowerPath(ends, (flow,), (None, None), (0.0, 0.0), "W")


def itself(setup: Setup, kind: str = "load", name: str = "") -> PathNode:
    """The unit as one end of a path."""
    return PathNode(kind, setup.unit.name or name, setup.unit.printed)
