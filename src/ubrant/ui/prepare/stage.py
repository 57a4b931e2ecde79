"""Prepare: everything is decided and named before anything is switched on."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.bench.rehearsal import Rehearsal
from ubrant.core.label import Label
from ubrant.core.quantity import plain, show, show_duration
from ubrant.core.readings import Series
from ubrant.core.unit import Unit
from ubrant.logbook.file import LogbookError
from ubrant.methods.checks import Problem, discharge_problems
from ubrant.methods.discharge import DischargePlan, discharge
from ubrant.methods.summary import summarise
from ubrant.ui.prepare.plan_form import PlanForm
from ubrant.ui.prepare.step_list import StepList
from ubrant.ui.prepare.trial_preview import TrialPreview
from ubrant.ui.trials.form import TrialForm
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, clear, label, scrolled
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.workbench import Workbench
from ubrant.workshop.benches import BY_HAND, bench_problems
from ubrant.workshop.jotting import Session
from ubrant.workshop.paths import trial_path, wiring_path
from ubrant.workshop.running import expected, load_rating, new_run, start_discharge
from ubrant.workshop.trials.checklist import trial_lines, typed_lines
from ubrant.workshop.trials.registry import trials_for
from ubrant.workshop.trials.session import start_trial, start_typed_trial
from ubrant.workshop.typed_run import start_typed
from ubrant.workshop.views import label_of


class PrepareStage(StageFrame):
    """Choose, look, start."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._label: Label | None = None
        self._unit: Unit | None = None
        self._rehearsal: Rehearsal | None = None
        self.unit_box = Choice(self.tr("Unit"))
        self.form = PlanForm()
        self.trial_form = TrialForm()
        self.preview = TrialPreview()
        self.trace = Trace(quantities="V")
        self.steps = StepList()
        self._problems = QVBoxLayout()
        self._problems.setSpacing(6)
        self.start_button = button(self.tr("Start the run"), self.start, "chief")
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(120)
        self._later.timeout.connect(self.look)
        self._build()
        self.form.changed.connect(self._later.start)
        self.trial_form.changed.connect(self._later.start)
        self.unit_box.currentIndexChanged.connect(self._unit_changed)
        bench.shelf_changed.connect(self.offer_units)
        bench.closing.connect(self._later.stop)
        bench.run_started.connect(self._later.start)
        bench.run_ended.connect(lambda _: self._later.start())
        self.offer_units()

    def _build(self) -> None:
        self.main.addLayout(self._problems)
        self.main.addWidget(self.trace, 4)
        self.main.addWidget(self.preview, 4)
        self.preview.hide()
        self.main.addWidget(label(self.tr("Step by step"), "heading"))
        area = scrolled(self.steps)
        self.steps.setObjectName("ground")
        area.setObjectName("ground")
        self.main.addWidget(area, 4)
        self.side.addWidget(label(self.tr("What and how"), "heading"))
        self.side.addWidget(self.unit_box)
        self.side.addWidget(self.form)
        self.side.addWidget(self.trial_form)
        self.trial_form.hide()
        self.side.addStretch(1)
        self.add_footer(self.start_button)

    # what is chosen

    def offer_units(self) -> None:
        chosen = self._unit.id if self._unit else 0
        self.unit_box.blockSignals(True)
        self.unit_box.clear()
        for unit in self._bench.logbook.units():
            if label_of(unit) is not None or trials_for(unit):
                self.unit_box.addItem(unit.name, unit.id)
        self.unit_box.setCurrentIndex(max(0, self.unit_box.findData(chosen)) if self.unit_box.count() else -1)
        self.unit_box.blockSignals(False)
        self.form.offer_meters(self._bench.logbook.meters())
        self.trial_form.offer_meters(self._bench.logbook.meters())
        self.trial_form.offer_batteries(self._bench.logbook.units())
        self._unit_changed()

    def choose(self, unit_id: int) -> None:
        self.unit_box.setCurrentIndex(self.unit_box.findData(unit_id))

    def _unit_changed(self) -> None:
        unit_id = self.unit_box.currentData()
        unit = self._bench.logbook.unit(unit_id) if unit_id else None
        if unit == self._unit and unit is not None:
            return
        self._unit, self._label = unit, label_of(unit) if unit else None
        tried = unit is not None and bool(trials_for(unit))
        for widget, shown in ((self.form, not tried), (self.trace, not tried), (self.trial_form, tried), (self.preview, tried)):
            widget.setVisible(shown)
        if unit is not None and tried:
            self._label = None
            try:
                self.trial_form.suggest(unit)
            except ValueError as error:
                self._show_problems([Problem(True, str(error))])
                return
        if self._label is not None:
            try:
                self.form.suggest(self._label)
            except ValueError as error:
                self._show_problems([Problem(True, str(error))])
        self.look()

    # what follows from it

    def look(self) -> None:
        """Rehearse the plan, name what speaks against it, draw it."""
        self._later.stop()
        unit, found = self._unit, self._label
        if unit is not None and trials_for(unit):
            self._look_at_trial(unit)
            return
        if unit is None or found is None:
            self.title.setText(self.tr("Nothing to test yet"))
            self._show_problems([Problem(True, self.tr("There is no battery on the shelf. Add one from its label first."))])
            return
        trouble = self.form.trouble()
        if trouble or found.charge_ah is None:
            self._show_problems([Problem(True, trouble or self.tr("The label gives no capacity in Ah to discharge against."))])
            return
        plan, leads, meter = self.form.plan(), self.form.leads(), self.form.chosen_meter()
        choice = self.form.chosen_bench()
        rating = load_rating(choice)
        problems = discharge_problems(plan, unit, found, meter, rating, leads)
        problems += [Problem(True, text) for text in bench_problems(choice, meter)]
        self._rehearsal = None
        if not any(p.refused for p in problems):
            try:
                self._rehearsal = expected(plan, found, leads)
            except ValueError as error:
                problems.insert(0, Problem(True, str(error)))
        self._show_expected(plan, unit, self._rehearsal)
        self.path_view.show_path(wiring_path(unit.name, found, plan, meter, leads), wiring=True)
        if self._bench.is_running:
            problems.insert(0, Problem(True, self.tr("A run is going on. Wait for its end, or stop it.")))
        self._show_problems(problems)

    def _look_at_trial(self, unit: Unit) -> None:
        """Its steps and points in their order, how long it takes, what speaks against it."""
        form = self.trial_form
        if trouble := form.trouble():
            self._show_problems([Problem(True, trouble)])
            return
        trial, told = form.trial, form.told()
        self.title.setText(self.tr("{method}: {name}").format(method=self.tr(trial.title), name=unit.name))
        by_hand = form.bench_kind() == BY_HAND
        points = trial.settings(told)
        self.preview.show_plan(trial.method, points)
        self.aside.setText(self.tr("{count} points").format(count=len(points)) if points else "")
        length = None if by_hand else trial.length_s(told)
        self.aside_quiet.setText(self.tr("about {time}").format(time=show_duration(length)) if length else "")
        self.steps.show_steps(typed_lines(trial, told) if by_hand else trial_lines(trial, told))
        self.path_view.show_path(trial_path(trial, told, None), wiring=True)
        problems = [Problem(refused, text) for refused, text in trial.problems(told)]
        problems += [Problem(True, text) for text in form.bench_problems()]
        if self._bench.is_running:
            problems.insert(0, Problem(True, self.tr("A run is going on. Wait for its end, or stop it.")))
        self._show_problems(problems)

    def _start_trial(self) -> None:
        form = self.trial_form
        trial, told, choice = form.trial, form.told(), form.choice()
        session: Session
        try:
            if choice.kind == BY_HAND:
                run, session = start_typed_trial(self._bench.logbook, trial, told, self._bench.clock)
            else:
                run, session = start_trial(self._bench.logbook, trial, told, speed=form.speed(), choice=choice)
        except LogbookError as error:
            self._show_problems([Problem(True, str(error))])
            return
        self._bench.begin(run, session, None)

    def _show_problems(self, problems: list[Problem]) -> None:
        clear(self._problems)
        for problem in problems:
            self._problems.addWidget(Callout("bad" if problem.refused else "caution", problem.text))
        self.start_button.setEnabled(not any(p.refused for p in problems))

    def problems(self) -> list[str]:
        """What is named at the moment, as a person reads it."""
        widgets = [self._problems.itemAt(k) for k in range(self._problems.count())]
        return [w.widget().text() for w in widgets if w is not None and isinstance(w.widget(), Callout)]  # type: ignore[union-attr]

    def _show_expected(self, plan: DischargePlan, unit: Unit, seen: Rehearsal | None) -> None:
        volts = plain(plan.cutoff.voltage_v)
        self.title.setText(self.tr("Discharge {name} to {volts} V").format(name=unit.name, volts=volts))
        self.steps.show_steps(summarise(discharge(plan), seen.until_s if seen else ()))
        self.trace.set_cutoff(plan.cutoff.voltage_v)
        if seen is None or seen.load_on_s is None or not seen.until_s:
            self.aside.setText("")
            self.aside_quiet.setText("")
            self.trace.set_expected("V", None)
            return
        self.trace.set_zero(seen.load_on_s)
        self.trace.set_expected("V", Series(seen.readings.time_s, seen.readings.voltage_v))
        self.trace.set_span(0.0, seen.length_s)
        first = {"cut-off": self.tr("the cut-off"), "protection": self.tr("the battery's own protection"),
                 "load's own cut-off": self.tr("the load's own cut-off")}.get(seen.ended_by, seen.ended_by)  # fmt: skip
        self.aside.setText(self.tr("about {time}").format(time=show_duration(seen.until_s[0])))
        charge = show(seen.charge_ah, 3)
        self.aside_quiet.setText(self.tr("first to end it: {what}, at {charge} Ah").format(what=first, charge=charge))

    def start(self) -> None:
        """Begin the run on the bench."""
        self.look()
        if not self.start_button.isEnabled() or self._unit is None:
            return
        if trials_for(self._unit):
            self._start_trial()
            return
        plan, meter, leads, choice = self.form.plan(), self.form.chosen_meter(), self.form.leads(), self.form.chosen_bench()
        logbook, unit = self._bench.logbook, self._unit
        session: Session
        try:
            if choice.kind == BY_HAND:
                blank = new_run(unit, plan, meter, leads, None, BY_HAND)
                blank = replace(blank, plan={**blank.plan, "between": self.form.between.currentData()})
                run, session = start_typed(logbook, unit, plan, blank, self._bench.clock)
            else:
                run, session = start_discharge(logbook, unit, plan, meter, leads, choice=choice)
        except LogbookError as error:
            self._show_problems([Problem(True, str(error))])
            return
        self._bench.begin(run, session, self._rehearsal)
