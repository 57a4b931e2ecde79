"""Prepare: everything is decided and named before anything is switched on."""

from __future__ import annotations

from datetime import UTC, datetime

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.power_path import PowerPath
from ubrant.logbook.file import LogbookError
from ubrant.logbook.records import Run
from ubrant.methods.meter_checks import meter_remarks
from ubrant.methods.method import Method, Prepared, Problem
from ubrant.methods.registry import MethodEntry, meter_check, suiting
from ubrant.methods.rehearsal import Rehearsal
from ubrant.runs.making.begin import is_typed, rehearsal_trouble, start
from ubrant.runs.making.benches import bench_checks, by_person, load_rating
from ubrant.runs.making.meter_fit import MeterFit, meter_fit
from ubrant.runs.studies.series import first_of
from ubrant.ui.common.method_form import MethodForm
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.prepare.fit_line import FitLine
from ubrant.ui.prepare.step_list import StepList
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.forms import Choice, button, clear, label, row, scrolled
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.work import quietly

_PANEL = 416
"""Wide enough for loads in a row and the longest choice."""
_LEAST_STEPS = 40


class PrepareStage(StageFrame):
    """Choose, look, start."""

    days_wanted = pyqtSignal()

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent, _PANEL)
        self._bench = bench
        self._unit: Unit | None = None
        self._expected: Rehearsal | None = None
        self._expected_of: tuple[str, Prepared] | None = None
        self._offered = False
        self.unit_box = Choice(self.tr("Unit"))
        self.form = MethodForm()
        self.drawn = DrawingsView()
        self.steps = StepList()
        self._said = QWidget()
        self._problems = QVBoxLayout(self._said)
        self._problems.setContentsMargins(0, 0, 0, 0)
        self._problems.setSpacing(6)
        self._saying = scrolled(self._said)
        self.fit = FitLine()
        self._fit_of: tuple[str, Prepared] | None = None
        self.start_button = button(self.tr("Start the run"), self.start, "chief")
        self._again: Run | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(120)
        self._later.timeout.connect(self.look)
        self._build()
        self.form.changed.connect(self._later.start)
        self.form.completed.connect(self._complete)
        self.unit_box.currentIndexChanged.connect(self._unit_changed)
        bench.shelf_changed.connect(self._shelf_changed)
        bench.closing.connect(self._later.stop)
        bench.run_started.connect(self._later.start)
        bench.run_ended.connect(lambda _: self._later.start())

    def _build(self) -> None:
        self._said.setObjectName("ground")
        self._saying.setObjectName("ground")
        self.main.addWidget(self.drawn, 4)
        self._step_by_step = label(self.tr("Step by step"), "heading")
        self._steps_area = scrolled(self.steps)
        self.steps.setObjectName("ground")
        self._steps_area.setObjectName("ground")
        self._steps_area.setMinimumHeight(_LEAST_STEPS)
        # what speaks against it takes its room from the steps, beside the button that it is about: nothing above it moves
        below = QVBoxLayout()
        below.setSpacing(10)
        below.addWidget(self._step_by_step)
        below.addWidget(self._steps_area, 1)
        below.addWidget(self._saying)
        below.addStretch(0)
        self.main.addLayout(below, 4)
        self.side.addLayout(
            row(label(self.tr("What and how"), "heading"), button(self.tr("Days at the bench"), self.days_wanted.emit, "link"), stretch=0)
        )
        self.side.addWidget(self.unit_box)
        self.side.addWidget(self.form)
        self.side.addStretch(1)
        foot = QWidget()
        column = QVBoxLayout(foot)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.fit)
        column.addWidget(self.start_button)
        self.add_footer(foot)

    # what is chosen

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if not self._offered:
            self.offer_units()

    def _shelf_changed(self) -> None:
        if self._offered:
            self.offer_units()

    def offer_units(self, unit_id: int = 0) -> None:
        """What is on the shelf, this one chosen; nothing is prepared before somebody looks."""
        self._offered = True
        chosen = unit_id or (self._unit.id if self._unit else 0)
        self.unit_box.blockSignals(True)
        self.unit_box.clear()
        for unit in self._bench.logbook.units():
            if suiting(unit):
                self.unit_box.addItem(unit.name, unit.id)
        self.unit_box.setCurrentIndex(max(0, self.unit_box.findData(chosen)) if self.unit_box.count() else -1)
        self.unit_box.blockSignals(False)
        today = datetime.now(UTC).isoformat(timespec="seconds")
        self.form.offer_meters([meter.on(today) for meter in self._bench.logbook.meters()])
        self.form.offer_batteries(self._bench.logbook.units())
        self._unit_changed()

    def choose(self, unit_id: int, method: str = "") -> None:
        """Prepare this one, where there is a test for it; the one with this key, where one is wanted."""
        if not self._offered:
            self.offer_units(unit_id)
        elif (place := self.unit_box.findData(unit_id)) >= 0:
            self.unit_box.setCurrentIndex(place)
        if method:
            self.form.choose_method(method)
            self.look()

    def check_meter(self, meter: Meter) -> None:
        """A meter against a better one, on what is chosen or else on the first that will do."""
        entry = meter_check()
        if not self._offered:
            self.offer_units()
        if entry is None or self._unit is None:
            return
        if not entry.suits(self._unit):
            self.unit_box.setCurrentIndex(next((k for k in range(self.unit_box.count()) if self._fits(entry, k)), 0))
        self.form.choose_method(entry.key)
        for tap in entry.method.reads_any:
            self.form.choose_meter(tap, meter.uid)
        self.look()

    def _fits(self, entry: MethodEntry, place: int) -> bool:
        return entry.suits(self._bench.logbook.unit(self.unit_box.itemData(place)))

    def again(self, run: Run) -> None:
        """The same test once more: on the same unit, or on another one that is chosen now."""
        self._again = run
        self.choose(run.unit_id or 0)
        self._fill_again()
        self.unit_box.setFocus()

    def _fill_again(self) -> None:
        if self._again is not None and self._unit is not None:
            try:
                self.form.fill_as(self._again)
            except ValueError:
                self._again = None  # a plan of an older version that does not fit here
            self.look()

    def _unit_changed(self) -> None:
        unit_id = self.unit_box.currentData()
        unit = self._bench.logbook.unit(unit_id) if unit_id else None
        if unit == self._unit and unit is not None:
            return
        self._unit = unit
        self.form.setVisible(unit is not None)
        if unit is not None:
            self.form.suggest(unit)
        if self._again is not None:
            self._fill_again()
        self.look()

    def _complete(self, label_text: str) -> None:
        """What its label says, with what was lacking; taken back as anything else."""
        if self._unit is not None:
            self._bench.keep_unit(self._unit.with_printed(label_text))

    # what follows from it

    def look(self) -> None:
        """Rehearse the plan, name what speaks against it, draw it."""
        self._later.stop()
        unit, form = self._unit, self.form
        if unit is None:
            self.title.setText(self.tr("Nothing to test yet"))
            self._show_nothing(self.tr("There is no battery on the shelf. Add one from its label first."))
            return
        if form.lacks:
            self.title.setText(unit.name)
            self._show_nothing(form.lacks)
            return
        if trouble := form.trouble():
            self._show_problems([Problem(True, trouble)])
            return
        prepared, method, choice = form.prepared(), form.method, form.choice()
        if by_person(choice):
            prepared = method.by_person(prepared)
        problems = method.problems(prepared, load_rating(choice)) + meter_remarks(prepared.setup, datetime.now().astimezone().date())
        problems += [Problem(True, text) for text in bench_checks(choice, method.scene(prepared), prepared.setup)]
        if not any(p.refused for p in problems) and (trouble := rehearsal_trouble(method, prepared, choice)):
            problems.append(Problem(True, trouble))
        if any(p.refused for p in problems):
            self._expected = self._expected_of = None
        elif self._expected_of != (method.key, prepared):  # what is rehearsed already is not rehearsed again
            self._expected, self._expected_of = None, (method.key, prepared)
            try:
                self._expected = method.expect(prepared)
            except ValueError as error:
                self._expected_of = None
                problems.insert(0, Problem(True, str(error)))
        self._show(unit, prepared, by_hand=is_typed(method, choice))
        self._look_at_meters(None if any(p.refused for p in problems) else method, prepared)
        if self._bench.is_running:
            problems.insert(0, Problem(True, self.tr("A run is going on. Wait for its end, or stop it.")))
        self._show_problems(problems)

    def _look_at_meters(self, method: Method | None, prepared: Prepared) -> None:
        """Whether the meters are good enough, worked out beside the window; what is worked out already is not worked out again. None: it cannot start."""
        wanted = (method.key, prepared) if method is not None else None
        if wanted is not None and self._fit_of == wanted:
            return
        self._fit_of = wanted
        self.fit.show_fit(None)
        if method is None:
            return

        def done(found: object) -> None:
            if self._fit_of == wanted:
                self.fit.show_fit(found if isinstance(found, MeterFit) else None)

        quietly(self, lambda: meter_fit(method, prepared), done)

    def _show(self, unit: Unit, prepared: Prepared, *, by_hand: bool) -> None:
        """Its steps in their order, how long it takes, what will be drawn, where to clip the meters."""
        method = self.form.method
        self.title.setText(method.heading(prepared, unit.name))
        long, count = method.facts(prepared, self._expected)
        for widget in (self._step_by_step, self._steps_area):
            widget.show()
        self.aside.setText(long)
        self.aside_quiet.setText(count)
        self.steps.show_steps(method.hand_lines(prepared) if by_hand else method.step_lines(prepared, self._expected))
        drawings = method.preview(prepared, self._expected)
        self.drawn.show_drawings(drawings)
        self.drawn.setVisible(bool(drawings))
        self.path_view.show_path(method.wiring(prepared), wiring=True)

    def _show_nothing(self, why: str) -> None:
        """Nothing of the unit before stays on the page."""
        self._fit_of = None
        self.fit.show_fit(None)
        self.steps.show_steps([])
        for widget in (self._step_by_step, self._steps_area):
            widget.hide()
        self.drawn.hide()
        self.aside.setText("")
        self.aside_quiet.setText("")
        self.path_view.show_path(PowerPath((), (), (), (), "W"), wiring=True)
        self._show_problems([Problem(True, why)])

    def _show_problems(self, problems: list[Problem]) -> None:
        clear(self._problems)
        for problem in problems:
            self._problems.addWidget(Callout("bad" if problem.refused else "caution", problem.text))
        self.start_button.setEnabled(not any(p.refused for p in problems))
        self._make_room()
        QTimer.singleShot(0, self._make_room)  # once what else is on the page has its room

    def _make_room(self) -> None:
        """Problems are shown whole up to a third of the height; more of them scroll."""
        self._saying.setVisible(self._problems.count() > 0)
        high = self._problems.heightForWidth(self._saying.width())
        self._said.setFixedHeight(max(high, 0))  # what wraps would ask for the height it has where it is narrow
        self._saying.setFixedHeight(min(max(high, 0), max(self.height() // 3, 60)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self._make_room)  # once the column below has its new width

    def problems(self) -> list[str]:
        """What is named at the moment, as a person reads it."""
        widgets = [self._problems.itemAt(k) for k in range(self._problems.count())]
        return [w.widget().text() for w in widgets if w is not None and isinstance(w.widget(), Callout)]  # type: ignore[union-attr]

    def _series(self) -> int:
        """Of what it is the same again; another method begins anew."""
        again = self._again
        return first_of(again) if again is not None and again.method == self.form.method.key else 0

    def start(self) -> None:
        """Begin the run."""
        self.look()
        if not self.start_button.isEnabled() or self._unit is None:
            return
        form, bench = self.form, self._bench
        try:
            run, session = start(bench.logbook, form.method, form.prepared(), form.choice(), clock=bench.clock, series=self._series())
        except LogbookError as error:
            self._show_problems([Problem(True, str(error))])
            return
        self._again = None
        bench.begin(run, session, self._expected)
