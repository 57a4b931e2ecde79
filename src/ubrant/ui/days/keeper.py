"""The plan of days at the bench that the window keeps: as it is now, filled by runs, moved where something was late, and what is due told once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ubrant.core.planning.steps import BenchPlan, PlanError
from ubrant.core.planning.visits import Visit, if_late, next_visit
from ubrant.logbook.file import LogbookError
from ubrant.runs.bench_days.asked import DaysPart, parse_days
from ubrant.runs.bench_days.living import (
    Days,
    begun_visit,
    current_days,
    ended_step,
    lived,
    plan_days,
    runs_since,
    shelf_of,
    stored_of,
    without_test,
)
from ubrant.runs.bench_days.words import clock_of, next_told
from ubrant.ui.common.workbench import Workbench

_BEAT_MS = 30_000


class DaysKeeper(QObject):
    """``days`` is None while nothing is planned, ``why_not`` what the last wish could not be for."""

    changed = pyqtSignal()
    due = pyqtSignal(str)

    def __init__(self, bench: Workbench, clock: Callable[[], datetime] | None = None) -> None:
        super().__init__(bench)
        self._bench = bench
        self.clock = clock or (lambda: datetime.now().astimezone())
        self.days: Days | None = None
        self._visits: list[Visit] | None = None
        self.why_not = ""
        self.asked = DaysPart()
        self._told: set[str] = set()
        self._beat = QTimer(self)
        self._beat.setInterval(_BEAT_MS)
        self._beat.timeout.connect(self.look)
        bench.days_changed.connect(self.begin)
        bench.run_started.connect(self.look)
        bench.run_ended.connect(lambda _: self.look())
        bench.closing.connect(self._beat.stop)

    def begin(self) -> None:
        """The newest plan of the logbook goes on from here; what is due is told."""
        try:
            self._take(current_days(self._bench.logbook, self.clock()))
            self.why_not = ""
        except PlanError as error:
            self._take(None)
            self.why_not = str(error)
        self.asked = self.days.part if self.days is not None else self._asked_before()
        if self.days is not None:
            self._beat.start()
        else:
            self._beat.stop()
        self._tell_due()
        self.changed.emit()

    def _asked_before(self) -> DaysPart:
        """What a plan that cannot be gone on with asked for: nothing of it is lost."""
        stored = next(iter(self._bench.logbook.bench_days()), None)
        try:
            return parse_days(stored.told, stored.name) if stored is not None else DaysPart()
        except PlanError:
            return DaysPart()

    def visits(self) -> list[Visit]:
        """When one has to be there; worked out once for each state of the plan."""
        if self._visits is None:
            self._visits = self.days.visits() if self.days is not None else []
        return self._visits

    def next(self) -> Visit | None:
        """The visit that comes next; None where there is none, or all is done."""
        return next_visit(self.visits()) if self.days is not None and not self.days.is_over else None

    def _take(self, days: Days | None) -> None:
        self.days, self._visits = days, None

    # what a person wishes

    def make(self, part: DaysPart) -> bool:
        """Plan it anew; false where it cannot be."""
        try:
            days = plan_days(part, shelf_of(self._bench.logbook), self.clock(), self.days)
        except PlanError as error:
            self.why_not = str(error)
            self.changed.emit()
            return False
        self._keep(days, self.tr("plan the days"))
        return True

    def done(self, visit: Visit) -> None:
        """What there was to do is done."""
        self._wish(lambda days: begun_visit(days, visit, self.clock()), self.tr("what was done"))

    def ended(self, key: str) -> None:
        """It ended by itself, now."""
        self._wish(lambda days: ended_step(days, key, self.clock()), self.tr("that it ended"))

    def leave_out(self, test: str) -> None:
        """One test is planned no more."""
        self._wish(lambda days: without_test(days, test, self.clock()), self.tr("leave out a test"))

    def late(self, visit: Visit, seconds: float) -> None:
        """One comes so much later: the rest moves."""

        def moved(days: Days) -> Days:
            plan = if_late(days.bench, days.plan, visit, seconds)
            if plan is None:
                raise PlanError(self.tr("So late it cannot be made any more: leave a test out, or plan anew."))
            return _with_plan(days, plan)

        self._wish(moved, self.tr("that one was late"))

    def put(self, plan: BenchPlan) -> None:
        """Hours that were moved by hand, and hold."""
        self._wish(lambda days: _with_plan(days, plan), self.tr("move a step"))

    def _wish(self, change: Callable[[Days], Days], text: str) -> None:
        if self.days is None:
            return
        try:
            self._keep(change(self.days), text)
        except PlanError as error:
            self.why_not = str(error)
            self.changed.emit()

    def _keep(self, days: Days, text: str) -> None:
        try:
            self._bench.keep_days(stored_of(days, self.clock()), text)
        except LogbookError as error:
            self._bench.said.emit(str(error))

    # as time goes on

    def look(self) -> None:
        """How it stands now; what moved is kept, and told of."""
        days = self.days
        if days is None:
            return
        try:
            now = lived(days, runs_since(self._bench.logbook, days), self.clock())
        except PlanError as error:
            self.why_not = str(error)
            self.changed.emit()
            return
        moved = now.plan.placed != days.plan.placed
        self._take(now if moved else replace(now, plan=days.plan))
        if moved and not self._bench.logbook.read_only:
            self._bench.logbook.keep_bench_days(stored_of(now, self.clock()))
        self._tell_due()
        if moved:
            self.changed.emit()

    def is_due(self) -> bool:
        """Whether the next visit is there already."""
        visit = self.next()
        return visit is not None and visit.at <= self.clock().timestamp() + 30

    def _tell_due(self) -> None:
        """Once a visit, when it is there."""
        visit = self.next()
        if visit is None or not self.is_due():
            return
        what = ",".join(deed.step.key + deed.what for deed in visit.deeds)
        if what not in self._told:
            self._told.add(what)
            self.due.emit(self.sentence())

    def status(self) -> str:
        """``next visit Sat 13:05``; empty where nothing is planned."""
        visit = self.next()
        return self.tr("next visit {time}").format(time=clock_of(visit.at)) if visit is not None else ""

    def sentence(self) -> str:
        """``Next, at Sat 13:05: …``; empty where nothing is planned."""
        visit = self.next()
        return next_told(visit) if visit is not None else ""


def _with_plan(days: Days, plan: BenchPlan) -> Days:
    return replace(days, plan=plan)
