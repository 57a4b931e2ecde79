"""Findings: the same path in watt-hours, the trace, the ledger, the verdict in one sentence."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from ubrant.core.course import power_of
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import charges_to_higher
from ubrant.core.jot import Grammar, Jotting
from ubrant.core.power_path import PowerPath
from ubrant.core.quantity import plain
from ubrant.core.readings import ReadingsError, Series, no_readings
from ubrant.core.typed import HELD, STRAIGHT
from ubrant.core.verdict import ending_text
from ubrant.logbook.file import LogbookError
from ubrant.logbook.records import Run
from ubrant.ui.findings.rank_dialog import RankDialog
from ubrant.ui.settings import as_wished
from ubrant.ui.trials.page import TrialPage
from ubrant.ui.widgets.callout import VERDICT_TONES, Callout
from ubrant.ui.widgets.forms import Choice, QuantityField, button, label, row
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.ledger import Ledger
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.workbench import Workbench
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.comparing import peukert_of, rest_guess
from ubrant.workshop.continuing import can_go_on, go_on
from ubrant.workshop.jotting import grammar_for
from ubrant.workshop.paths import found_path, held_path, kept_path
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.trial import TrialView, told_of
from ubrant.workshop.views import RunView, view_of

_EVENTS = {"jotting", "paused", "resumed", "gap", "beside", "charge on", "charge off"}
_IN_WORDS = {"jotting"}
_MOST_MARKS = 40


class FindingsStage(StageFrame):
    """Shows one run. Another cut-off can be tried on it without changing what is kept."""

    report_wanted = pyqtSignal()
    export_wanted = pyqtSignal()

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._run: Run | None = None
        self.view: RunView | None = None
        self.run_box = Choice(self.tr("Run"))
        self.trace = Trace()
        self.trial_page = TrialPage(live=False)
        self.trial: TrialView | None = None
        self.jot_line = JotLine()
        self.verdict, self.settle, self.trouble = Callout(), Callout("plain"), Callout("bad")
        self.ledger = Ledger()
        self.notes = Callout("caution")
        self.cutoff = QuantityField("V", self.tr("Judged to"))
        self.higher = label("", "quiet")
        self.rank_button = button(self.tr("Rank for a job …"), self._rank)
        self.judge_again = button(self.tr("Keep this cut-off"), self._keep_cutoff)
        self.go_on = button(self.tr("Go on after the gap"), self._continue, "chief")
        self.leave_it = button(self.tr("Close it with what it has"), self._close_interrupted)
        self.between = Choice(self.tr("Between readings"))
        for text, between in ((self.tr("straight between readings"), STRAIGHT), (self.tr("held until the next reading"), HELD)):
            self.between.addItem(text, between)
        self._build()
        self.jot_line.grammar = self._grammar
        self.between.currentIndexChanged.connect(lambda _: self._keep_between())
        self.run_box.activated.connect(lambda _: self.open_run(int(self.run_box.currentData())))
        self.cutoff.changed.connect(self._try_cutoff)
        self.jot_line.jotted.connect(self._jot)
        bench.shelf_changed.connect(self.offer_runs)
        self.offer_runs()
        self._show_nothing()

    def _build(self) -> None:
        self.main.addWidget(self.trace, 1)
        self.main.addWidget(self.trial_page, 1)
        self.trial_page.hide()
        self.main.addWidget(self.jot_line.with_hint())
        for widget in (
            self.run_box,
            self.verdict,
            self.settle,
            self.trouble,
            self.go_on,
            self.leave_it,
            self.between,
            label(self.tr("Ledger"), "heading"),
            self.ledger,
            self.notes,
        ):
            self.side.addWidget(widget)
        self.report_button = button(self.tr("Report …"), self.report_wanted.emit)
        self.export_button = button(self.tr("Export …"), self.export_wanted.emit)
        self.side.addSpacing(6)
        self.side.addLayout(row(self.report_button, self.export_button))
        self.side.addWidget(self.rank_button)
        self.rank_button.hide()
        self._judged = QWidget()
        judged = row(label(self.tr("Judged to")), self.cutoff, self.judge_again, stretch=1)
        judged.setContentsMargins(0, 0, 0, 0)
        self._judged.setLayout(judged)
        self.side.addWidget(self._judged)
        self.side.addWidget(self.higher)
        self.side.addStretch(1)

    def offer_runs(self) -> None:
        self.run_box.blockSignals(True)
        self.run_box.clear()
        for run, name in self._bench.logbook.runs():
            if run.state != "running":
                self.run_box.addItem(f"{name or run.source} · {_day(run)}", run.id)
        self.run_box.setCurrentIndex(self.run_box.findData(self._run.id) if self._run else -1)
        self.run_box.blockSignals(False)
        if self._run is not None and self.run_box.currentIndex() < 0 and self._bench.logbook.find_run(self._run.id) is None:
            self._run = self.view = None  # it was taken back
            self._show_nothing()

    def _show_nothing(self) -> None:
        self.verdict.say("plain", "")
        self.notes.say("caution", "")
        self.trouble.say("bad", "")
        self.ledger.show_findings([])
        self.higher.setText("")
        self.aside.setText("")
        self.aside_quiet.setText("")
        self.path_view.show_path(PowerPath((), (), (), (), "Wh"))
        for key in "VAW":
            self.trace.set_measured(key, no_readings())
        self.trace.set_marks([])
        self.trial_page.hide()
        self.trace.show()
        self.trial = None
        self.title.setText(self.tr("No run chosen"))
        self.settle.say("plain", self.tr("Choose a run above or on the shelf, or drop a log file (CSV) on this window."))
        for control in (self.jot_line, self.report_button, self.export_button, self.cutoff):
            control.setEnabled(False)
        for choice in (self.rank_button, self.judge_again, self.go_on, self.leave_it, self.between):
            choice.hide()

    def open_run(self, run_id: int) -> None:
        """Show a kept run."""
        self._run = self._bench.logbook.run(run_id)
        self.run_box.setCurrentIndex(self.run_box.findData(run_id))
        self.jot_line.setEnabled(not self._bench.logbook.read_only)
        self.judge_again.hide()
        self.cutoff.blockSignals(True)
        self.cutoff.setText(f"{plain(self._run.cutoff.voltage_v)} V" if self._run.cutoff else "")
        self.cutoff.blockSignals(False)
        self._show(None)

    def _show(self, cutoff: Cutoff | None) -> None:
        run = self._run
        assert run is not None
        name = self._bench.logbook.unit(run.unit_id).name if run.unit_id else run.source
        self.title.setText(self.tr("{name}, {day}").format(name=name, day=_day(run)))
        self.trouble.say("bad", run.trouble)
        self._show_choices(run)
        tried = trial_of(run.method) is not None
        self.trace.setVisible(not tried)
        self.trial_page.setVisible(tried)
        self._judged.setVisible(not tried)
        self.trial = None
        if tried:
            self._show_trial(run)
            return
        self.rank_button.hide()
        try:
            self.view = view_of(self._bench.logbook, run, cutoff)
        except ReadingsError as error:
            self.view = None
            self._show_no_result(str(error))
            return
        for control in (self.report_button, self.export_button, self.cutoff):
            control.setEnabled(True)
        found = self.view.found
        self.verdict.say(VERDICT_TONES[found.verdict.word], found.verdict.sentence)
        self.settle.say("plain", found.verdict.settle)
        self.ledger.show_findings(found.findings.values())
        interrupted = self.tr("The run was interrupted: these are its findings so far.") if run.state == "interrupted" else ""
        told = run.plan.get("told", {}).get("start", "")
        start = self.tr("The start: {told}").format(told=told) if told else ""
        notes = (start, interrupted, *run.plan.get("warnings", ()), *found.warnings, rest_guess(self.view, self._bench.logbook))
        comparison = peukert_of(self._bench.logbook, self.view)
        if comparison:
            self.ledger.show_findings([*found.findings.values(), *comparison])
        self.notes.say("caution", "\n".join(n for n in notes if n))
        self.aside.setText(self.tr("ended by {what}").format(what=ending_text(found.ended_by)))
        self.aside_quiet.setText(f"{run.source} · {run.meter or self.tr('meter not named')}")
        higher = charges_to_higher(self.view.record, found.findings["mean_voltage"].value or 0.0)
        self.higher.setText(
            " · ".join(self.tr("to {volts} V: {charge}").format(volts=plain(v), charge=as_wished(c).with_doubt()) for v, c in higher)
        )
        self.path_view.show_path(kept_path(self.view, name))
        self._show_trace(self.view)

    def _show_trial(self, run: Run) -> None:
        self.view, self.trial = None, trial_view(self._bench.logbook, run)
        view, points = self.trial, self.trial.points
        self.higher.setText("")
        self.judge_again.hide()
        self.cutoff.setEnabled(False)
        self.report_button.setEnabled(bool(view.findings))
        self.export_button.setEnabled(True)
        self.trial_page.show_view(view)
        self.aside.setText(self.tr("{count} points").format(count=len(points)) if points is not None else "")
        out = run.plan.get("output_meter", "")
        self.aside_quiet.setText(f"{run.source} · {run.meter}" + (f", {out}" if out and out != run.meter else ""))
        self.settle.say("plain", "")
        self.verdict.say("plain" if view.findings else "caution", view.sentence or view.trouble or self.tr("Nothing was taken."))
        self.ledger.show_findings(view.findings.values())
        self.notes.say("caution", "\n".join(view.warnings))
        self.rank_button.setVisible(view.sweep is not None and view.sweep.model is not None)
        told = told_of(run)
        held = held_path(told, view)
        if held is not None:
            self.path_view.show_path(held)
        else:
            self.path_view.show_path(found_path(told, view) or PowerPath((), (), (), (), "W"))

    def _rank(self) -> None:
        """Which of the converters and inverters that were measured to take for one job."""
        RankDialog(self._bench.logbook, self).exec()

    def _show_no_result(self, why: str) -> None:
        title = self.title.text()
        self._show_nothing()
        if self._run is not None:
            self._show_choices(self._run)
            self.jot_line.setEnabled(not self._bench.logbook.read_only)
        self.title.setText(title)
        self.verdict.say("caution", why)
        self.settle.say("plain", "")

    def _show_trace(self, view: RunView) -> None:
        readings = view.record.readings
        self.trace.set_zero(view.found.load_on_s)
        self.trace.set_cutoff(view.record.cutoff.voltage_v if view.record.cutoff else None)
        self.trace.set_measured("V", Series(readings.time_s, readings.voltage_v))
        self.trace.set_measured("A", Series(readings.time_s, readings.current_a))
        self.trace.set_measured("W", Series(readings.time_s, power_of(readings)))
        crossed = [(view.found.crossing.time_s, self.tr("cut-off"))] if view.found.crossing else []
        self.trace.set_marks(
            [(e.time_s, e.text if e.kind in _IN_WORDS else e.kind) for e in view.events if e.kind in _EVENTS][:_MOST_MARKS]
            + list(view.notes)
            + crossed,
            [(g.from_s, g.to_s) for g in view.found.gaps],
        )
        if len(readings):
            self.trace.set_span(float(readings.time_s[0]), float(readings.time_s[-1]))

    # another cut-off

    def _try_cutoff(self) -> None:
        volts = self.cutoff.value()
        if self._run is None or self.cutoff.trouble or not volts or volts <= 0:
            return
        kept = self._run.cutoff
        self._show(Cutoff(volts, kept.hold_s if kept else 1.0))
        self.judge_again.setVisible(kept is None or kept.voltage_v != volts)

    def _keep_cutoff(self) -> None:
        volts = self.cutoff.value()
        if self._run is not None and volts:
            self._bench.keep_cutoff(self._run, volts)

    def _jot(self, jotting: Jotting) -> None:
        if self._run is None or (self.view is None and self.trial is None):
            return
        if self.view is None:
            if trouble := self._bench.jot(self._run, jotting, 0.0):
                self.jot_line.refuse(trouble)
            return
        readings = self.view.record.readings
        now_s = float(readings.time_s[-1]) if len(readings) else self.view.found.end_s
        if trouble := self._bench.jot(self._run, jotting, now_s):
            self.jot_line.refuse(trouble)

    def _grammar(self) -> Grammar:
        return grammar_for(self._run, {}, None, 0.0)

    # runs that were interrupted, and typed ones

    def _show_choices(self, run: Run) -> None:
        mine = not self._bench.logbook.read_only
        interrupted = run.state == "interrupted" and mine
        self.go_on.setVisible(interrupted and not self._bench.is_running and can_go_on(self._bench.logbook, run))
        self.leave_it.setVisible(interrupted)
        typed = run.plan.get("typed") or run.source == BY_HAND
        self.between.setVisible(bool(typed) and mine and trial_of(run.method) is None)
        self.between.blockSignals(True)
        self.between.setCurrentIndex(max(0, self.between.findData(run.plan.get("between", STRAIGHT))))
        self.between.blockSignals(False)

    def _close_interrupted(self) -> None:
        if self._run is not None:
            self._bench.close_interrupted(self._run)

    def _keep_between(self) -> None:
        if self._run is not None:
            self._bench.keep_between(self._run, self.between.currentData())

    def _continue(self) -> None:
        run = self._run
        if run is None:
            return
        try:
            goes_on, session = go_on(self._bench.logbook, run)
        except (LogbookError, ValueError) as error:
            self._bench.said.emit(str(error))
            return
        self._bench.begin(goes_on, session, None)


def _day(run: Run) -> str:
    return datetime.fromisoformat(run.started).astimezone().strftime("%-d %b %Y, %H:%M")
