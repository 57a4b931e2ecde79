"""Run: path, trace and ledger follow the readings; the person pauses, stops, jots."""

from __future__ import annotations

from time import perf_counter

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.bench.engine import Order, Progress
from ubrant.core.course import Course, course_sentence, power_of
from ubrant.core.jot import Grammar, Jotting
from ubrant.core.quantity import plain, show, show_duration
from ubrant.core.readings import Series, no_readings
from ubrant.core.verdict import ending_text
from ubrant.logbook.records import Run
from ubrant.ui.run.readout import Readout
from ubrant.ui.trials.page import TrialPage
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.ledger import Ledger
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.workbench import Workbench
from ubrant.workshop.jotting import grammar_for
from ubrant.workshop.paths import live_path, trial_path
from ubrant.workshop.trials.registry import live_trial, trial_of
from ubrant.workshop.trials.session import TypedTrial
from ubrant.workshop.trials.trial import TrialView, told_of
from ubrant.workshop.views import RunView, course_of, departure_of, latest, live_view

_TICK_MS = 33
_SUMS_EVERY = 15
"""Ticks between two workings-out of the ledger; more where it takes long, so that it has a quarter of the time at most."""
_LEDGER = ("charge", "energy", "duration", "mean_voltage", "c_rate", "rest_before", "rest_after")


class RunStage(StageFrame):
    """Pulls what is new ten times a second; nothing is signalled per reading."""

    attention = pyqtSignal(str)
    """The run waits for the person to do this."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._ticks = 0
        self._course: Course | None = None
        self._reported = False
        self._delivered_ah = 0.0
        self._unit_name = ""
        self.trace = Trace()
        self.trial_page = TrialPage(live=True)
        self.jot_line = JotLine()
        self.pause_button = button(self.tr("Pause load"), self._pause)
        self.stop_button = button(self.tr("Stop and rest"), self._stop, "chief")
        self.ask = QWidget()
        self.ask_text, self.ask_caution = label(""), Callout("caution")
        self.done_button = button(self.tr("Done, go on"), lambda: self._order(Order.DONE), "chief")
        self.ledger = Ledger()
        self.course_note, self.caution_note, self.trouble_note = Callout("plain"), Callout("caution"), Callout("bad")
        self.notice_note, self.departure_note = Callout("bad"), Callout("caution")
        self.readout = Readout(self)
        self._build()
        self.jot_line.jotted.connect(self._jot)
        self.jot_line.grammar = self._grammar
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.tick)
        bench.closing.connect(self._timer.stop)
        self._show_nothing()

    def _build(self) -> None:
        self.main.addWidget(self.trace, 1)
        self.main.addWidget(self.trial_page, 1)
        self.trial_page.hide()
        jotting = row(self.jot_line.with_hint(), self.pause_button, self.stop_button, stretch=0)
        for place in (1, 2):
            jotting.setAlignment(jotting.itemAt(place).widget(), Qt.AlignmentFlag.AlignTop)  # type: ignore[union-attr]
        self.main.addLayout(jotting)
        layout = QVBoxLayout(self.ask)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(8)
        layout.addWidget(label(self.tr("Your turn"), "heading"))
        self.ask_text.setWordWrap(True)
        layout.addWidget(self.ask_text)
        layout.addWidget(self.ask_caution)
        layout.addWidget(self.done_button, alignment=Qt.AlignmentFlag.AlignLeft)
        self._ledger_title = label(self.tr("Ledger so far"), "heading")
        for widget in (
            self.trouble_note,
            self.notice_note,
            self.ask,
            self.departure_note,
            self.course_note,
            self._ledger_title,
            self.ledger,
            self.caution_note,
        ):
            self.side.addWidget(widget)
        self.side.addStretch(1)

    def _show_nothing(self) -> None:
        self.title.setText(self.tr("No run is going on"))
        self.ask.hide()
        self._ledger_title.hide()
        self.course_note.say("plain", self.tr("Prepare a test, and start it there."))
        for control in (self.jot_line, self.pause_button, self.stop_button):
            control.setEnabled(False)

    def begin(self) -> None:
        """Follow the run that has just begun."""
        seen, run = self._bench.expected, self._bench.run
        assert run is not None
        self._ticks, self._sums_due, self._course, self._reported, self._delivered_ah = 0, 1, None, False, 0.0
        self._unit_name = self._bench.logbook.unit(run.unit_id).name if run.unit_id else self.tr("Battery")
        self.trouble_note.say("bad", "")
        self.course_note.say("plain", "")
        self.ledger.show_findings([])
        tried = trial_of(run.method) is not None
        self.trace.setVisible(not tried)
        self.trial_page.setVisible(tried)
        if tried:
            self.notice_note.say("bad", "")
            self.departure_note.say("caution", "")
            self.pause_button.setVisible(False)
            self.trial_page.begin(run.method)
            self.jot_line.setEnabled(True)
            self._timer.start()
            self.tick()
            return
        self.trace.set_cutoff(run.plan["cutoff_v"])
        self.trace.set_marks([])
        self.notice_note.say("bad", "")
        self.departure_note.say("caution", "")
        typed = bool(self._bench.session and self._bench.session.is_typed)
        self.pause_button.setVisible(not typed)
        seen = None if typed else seen
        zero = seen.load_on_s or 0.0 if seen else 0.0 if typed else float(run.plan["rest_before_s"])
        self.trace.set_zero(zero)
        for key in "VAW":
            self.trace.set_measured(key, no_readings())
            self.trace.set_expected(key, None)
        if seen is not None:
            time = seen.readings.time_s
            self.trace.set_expected("V", Series(time, seen.readings.voltage_v))
            self.trace.set_expected("A", Series(time, seen.readings.current_a))
            self.trace.set_expected("W", Series(time, power_of(seen.readings)))
            self.trace.set_span(0.0, seen.length_s)
        else:
            self.trace.set_span(0.0, 600.0)
        self.jot_line.setEnabled(True)
        self._timer.start()
        self.tick()

    # following

    def tick(self) -> None:
        """Show what is new."""
        session, run = self._bench.session, self._bench.run
        if session is None or run is None:
            return
        progress = session.progress
        self._ticks += 1
        self._show_phase(progress)
        ended = progress.phase == "ended"
        due, began = ended or self._ticks >= self._sums_due, perf_counter()
        if trial_of(run.method) is not None:
            if due:
                self._show_trial(live_trial(run, session))
                self._next_sums(began)
            self._report_end(ended)
            return
        view = live_view(run, session) if due else None
        if view is not None:
            self._show_sums(view, progress)
        else:
            self._show_series()
        if due:
            self._next_sums(began)
        self._show_path()
        self._show_readout()
        self._report_end(ended)

    def _next_sums(self, began: float) -> None:
        self._sums_due = self._ticks + max(_SUMS_EVERY, round(3000 * (perf_counter() - began) / _TICK_MS))

    def _report_end(self, ended: bool) -> None:
        if ended and not self._reported:
            self._reported = True
            self._timer.stop()
            self._bench.finish()

    def _show_trial(self, view: TrialView) -> None:
        """The page filling, the latest point ringed."""
        self.trial_page.show_view(view)
        self._ledger_title.setVisible(bool(view.findings))
        self.ledger.show_findings(view.findings.values())
        told, trial = told_of(view.run), trial_of(view.run.method)
        assert trial is not None
        plan = trial.settings(told)
        taken = len(view.points) if view.points is not None else 0
        self.aside.setText(self.tr("{taken} of {count} points").format(taken=taken, count=len(plan)) if plan else "")
        self.path_view.show_path(trial_path(trial, told, view))

    def _show_phase(self, progress: Progress) -> None:
        run = self._bench.run
        assert run is not None
        volts = plain(run.plan["cutoff_v"]) if run.plan.get("cutoff_v") else ""
        typed = bool(self._bench.session and self._bench.session.is_typed)
        asking, loaded, paused = (progress.phase == p for p in ("asking", "load on", "paused"))
        asking = asking or progress.phase == "zeroing"
        heads = {
            "asking": self.tr("Before the load comes on"), "resting": self.tr("Reading the resting voltage"),
            "load on": self.tr("Discharge to {volts} V at the battery").format(volts=volts), "paused": self.tr("Load paused"),
            "recovering": self.tr("Load off: reading how it recovers"), "zeroing": self.tr("Reading the meter's zero"),
            "charging": self.tr("Charging"), "measuring": self._trial_title(run), "waiting": self.tr("Load off: an instrument is away"), "ended": self.tr("The run has ended: {what}").format(what=ending_text(progress.ended_by)),
        }  # fmt: skip
        tried = trial_of(run.method) is not None
        if tried:
            heads |= dict.fromkeys(("asking", "resting", "recovering"), self._trial_title(run))
        self.title.setText(heads[progress.phase])
        if typed and progress.phase == "resting":
            self.title.setText(self.tr("Type the resting voltage, then switch the load on"))
        self.ask.setVisible(asking)
        if self.notice_note.text() != progress.notice:
            self.notice_note.say("bad", progress.notice)
            if progress.notice:
                self.attention.emit(progress.notice)
        if asking and self.ask_text.text() != progress.text:
            self.ask_text.setText(progress.text)
            self.ask_caution.say("caution", " ".join(progress.cautions))
            self.done_button.setFocus()
            self.attention.emit(progress.text)
        self._ledger_title.setVisible(progress.load_on_s is not None)
        self.pause_button.setEnabled(loaded or paused)
        self.pause_button.setText(self.tr("Load on again") if paused else self.tr("Pause load"))
        self.stop_button.setEnabled(progress.phase != "ended")
        resting = progress.phase in {"resting", "recovering"}
        self.stop_button.setText(
            self.tr("Enough")
            if resting and tried
            else self.tr("Enough rest")
            if resting
            else self.tr("Leave it")
            if asking
            else self.tr("Stop and rest")
        )
        if progress.phase == "measuring":
            self.stop_button.setText(self.tr("Close the run") if typed else self.tr("Stop"))
            self.aside_quiet.setText("" if typed else progress.text)
            self.course_note.say("plain", progress.text if typed else "")
            self.caution_note.say("caution", " ".join(progress.cautions))
            self.trouble_note.say("bad", progress.trouble)
            return
        if typed and not asking:
            self.stop_button.setText(self.tr("The load is off") if loaded else self.tr("Close the run"))
        self.caution_note.say("caution", "" if asking else " ".join(progress.cautions))
        self.trouble_note.say("bad", progress.trouble)
        if progress.load_on_s is None:
            self.aside.setText("")
            self.aside_quiet.setText(progress.text if not asking and not typed else "")
            if typed:
                self.caution_note.say("caution", "" if asking else " ".join((progress.text, *progress.cautions)))
            return
        end = progress.load_off_s if progress.load_off_s is not None else progress.time_s
        self.aside.setText(self.tr("{time} in").format(time=show_duration(end - progress.load_on_s)))
        seen = self._bench.expected
        left = self._course.left_s if self._course else seen.left_s(end - progress.load_on_s) if seen else None
        self.aside_quiet.setText(self.tr("about {time} to go").format(time=show_duration(left)) if loaded and left is not None else "")

    def _trial_title(self, run: Run) -> str:
        trial = trial_of(run.method)
        return self.tr("{method}: {name}").format(method=self.tr(trial.title), name=self._unit_name) if trial is not None else ""

    def _show_series(self) -> None:
        session = self._bench.session
        assert session is not None
        if session.is_typed:
            return
        for key in "VA":
            self.trace.set_measured(key, session.live.series("battery", key))

    def _show_readout(self) -> None:
        session = self._bench.session
        if session is None or not self.readout.isVisible():
            return
        read = latest(session)
        if ("battery", "V") in read:
            foot = f"{self.title.text()} · {self.aside.text()}"
            amps = f"{show(read[('battery', 'A')], 4)} A" if ("battery", "A") in read else ""
            self.readout.show_values(f"{show(read[('battery', 'V')], 4)} V", amps, foot)

    def _show_sums(self, view: RunView, progress: Progress) -> None:
        readings = view.record.readings
        self.trace.set_zero(view.found.load_on_s)
        self._show_series()
        if self._bench.session is not None and self._bench.session.is_typed:
            self.trace.set_measured("V", Series(readings.time_s, readings.voltage_v))
            self.trace.set_measured("A", Series(readings.time_s, readings.current_a))
        self.trace.set_measured("W", Series(readings.time_s, power_of(readings)))
        seen = self._bench.expected
        self.trace.grow_span(0.0, max(progress.time_s, seen.length_s if seen else 600.0))
        marks = [(e.time_s, e.text) for e in view.events if e.kind in {"jotting", "paused", "resumed", "gap", "beside"}]
        self.trace.set_marks([*marks, *view.notes])
        later = [k for k in view.found.findings if k not in _LEDGER and k != "label_share"]
        self.ledger.show_findings(view.found.findings[k] for k in (*_LEDGER, *later) if k in view.found.findings)
        self._delivered_ah = view.found.findings["charge"].value or 0.0
        if progress.phase not in {"load on", "paused"}:
            self.course_note.say("plain", view.found.verdict.sentence if progress.load_off_s is not None else "")
            return
        departure = departure_of(view, seen)
        if departure and not self.departure_note.text():
            self._bench.session.jot(self.tr("leaves the expected curve"), progress.time_s)  # type: ignore[union-attr]
            self.attention.emit(departure)
        self.departure_note.say("caution", departure)
        self._course = course_of(view, seen)
        self.course_note.say("plain", course_sentence(self._course, self._delivered_ah, view.record.label))

    def _show_path(self) -> None:
        session, run = self._bench.session, self._bench.run
        assert session is not None and run is not None
        self.path_view.show_path(live_path(run, session, self._unit_name, self._course, self._delivered_ah))

    # ordering about

    def _order(self, order: Order) -> None:
        if self._bench.session is not None:
            self._bench.session.order(order)

    def _pause(self) -> None:
        session = self._bench.session
        if session is not None:
            session.order(Order.RESUME if session.progress.phase == "paused" else Order.PAUSE)

    def _stop(self) -> None:
        self._order(Order.STOP)

    def _jot(self, jotting: Jotting) -> None:
        session, run = self._bench.session, self._bench.run
        if session is None or run is None:
            return
        counts = (jotting.readings or jotting.mark) and not jotting.corrects
        if isinstance(session, TypedTrial) and counts and (lacks := session.lacks(jotting)):
            self.jot_line.refuse(lacks)
            return
        if trouble := self._bench.jot(run, jotting, session.progress.time_s):
            self.jot_line.refuse(trouble)
        self.tick()

    def _grammar(self) -> Grammar:
        session = self._bench.session
        if session is None:
            return Grammar()
        return grammar_for(self._bench.run, latest(session), self._bench.expected, session.progress.time_s)
