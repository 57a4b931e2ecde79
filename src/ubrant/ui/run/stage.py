"""Run: live. Path on top, what it is drawn as in the middle, ledger at the right, jot line at the bottom; pulled by a timer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from time import perf_counter

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ubrant.bench.orders import Order, Progress
from ubrant.core.account import Account, drawn_already
from ubrant.core.battery.verdict import ending_text
from ubrant.core.quantities.jot import Grammar, TypedLine, TypedReading
from ubrant.core.quantities.quantity import show, show_duration
from ubrant.core.record.mend import Mend
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.logbook.file import LogbookError
from ubrant.logbook.records import Run
from ubrant.methods.method import Method, Prepared
from ubrant.methods.registry import method_of, unnamed
from ubrant.runs.afterwards.what_it_was import begin_unnamed
from ubrant.runs.kept.accounts import latest, live_account, live_record, other_runs
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.jotting import as_answer, grammar_for
from ubrant.runs.typed.sheet import asked_of, mended, sheet_of_typed
from ubrant.runs.typed.typed_session import Session, TypedSession
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.run.away import AwayDialog
from ubrant.ui.run.readout import Readout
from ubrant.ui.widgets.asked import Asked
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.forms import QuantityField, button, label, row
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.ledger import Ledger
from ubrant.ui.widgets.readings_table import ReadingsTable
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.work import quietly

_TICK_MS = 33
_SUMS_EVERY = 15
"""Ticks between two workings-out of the ledger; more where it takes long, so that it has a quarter of the time at most."""
_ENOUGH_ROWS = 3
"""So many rows should say something: where they do not, it is said why."""
_MANY = 100_000
"""Of more readings the sums are made in another thread."""


class RunStage(StageFrame):
    """Follows the session of the workbench; knows what was read only from there."""

    attention = pyqtSignal(str)
    """The person is wanted at the bench."""
    due = pyqtSignal(str)
    """It is time for the next reading; empty once it was taken."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._method: Method | None = None
        self._prepared: Prepared | None = None
        self._ticks, self._sums_due, self._summing = 0, 1, False
        self._others: tuple[tuple[Record, Account], ...] = ()
        self._reported = self._has_answered = False
        self._left_s: float | None = None
        self._unit_name = ""
        self.drawn = DrawingsView(live=True)
        self.jot_line = JotLine()
        self.pause_button = button(self.tr("Pause load"), self._pause)
        self.stop_button = button(self.tr("Stop and rest"), self.stop, "chief")
        self.table = ReadingsTable()
        self.load_button = button(self.tr("The load is on"), self._switch_load)
        self.every = QuantityField("s", self.tr("Remind me every"), may_be_empty=True)
        self.away_button = button(self.tr("I am away …"), self._ask_away)
        self._every_row = QWidget()
        self._sheet_of: tuple[object, ...] = ()
        self._says: Mapping[float, str] = {}
        self._is_due = False
        self._asked_for_left = ""
        self._lacked: tuple[TypedReading, ...] = ()
        self.ask = QWidget()
        self.ask_text, self.ask_caution = label(""), Callout("caution")
        self.done_button = button(self.tr("Done, go on"), self._done, "chief")
        self.ledger = Ledger()
        self.next_note = Callout("caution")
        self.ahead_note, self.caution_note, self.trouble_note = Callout("plain"), Callout("caution"), Callout("bad")
        self.notice_note, self.deviation_note, self.warning_note = Callout("bad"), Callout("caution"), Callout("caution")
        self.mends = Asked()
        self.readout = Readout(self)
        self.open_dialog: Callable[[QDialog], object] = lambda dialog: dialog.exec()
        self._build()
        self.jot_line.jotted.connect(self._jot)
        self.table.typed.connect(self._take_row)
        self.table.changed.connect(self._change)
        self.table.closed.connect(self._show_table)
        self.mends.mended.connect(self._mend)
        self.readout.entered.connect(self.table.take_typed)
        self.table.grammar = self._grammar
        self.table.now_s = self._now_s
        self.jot_line.grammar = self._grammar
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.tick)
        bench.closing.connect(self._timer.stop)
        self._show_nothing()

    def _build(self) -> None:
        self.add_split(self.drawn, self.table, (260, 220), 150)
        every = row(label(self.tr("Remind me every")), self.every, self.away_button, stretch=1)
        every.setContentsMargins(0, 0, 0, 0)
        self._every_row.setLayout(every)
        jotting = row(self.jot_line.with_hint(), self.load_button, self.pause_button, self.stop_button, stretch=0)
        for place in (1, 2, 3):
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
            self.next_note,
            self.deviation_note,
            self.ahead_note,
            self.warning_note,
            self.mends,
            self._every_row,
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
        self.ahead_note.say(
            "plain",
            self.tr(
                "Prepare a test, and start it there. Or type a reading below: a run begins with it, and what it was is asked afterwards."
            ),
        )
        for control in (self.pause_button, self.stop_button):
            control.setEnabled(False)
        self.jot_line.setEnabled(not self._bench.logbook.read_only)
        for part in (self.table, self.load_button, self._every_row):
            part.hide()

    def begin(self) -> None:
        """Follow the run that has just begun."""
        run, session = self._bench.run, self._bench.session
        assert run is not None and session is not None
        self._ticks, self._sums_due, self._left_s, self._reported, self._has_answered = 0, 1, None, False, False
        self._others = ()
        logbook = self._bench.logbook
        quietly(self, lambda: other_runs(logbook, run), lambda found: self._take_others(run, found))
        self._method = method_of(run.method)
        self._prepared = self._method.prepared(run.head)
        self._unit_name = self._bench.logbook.unit(run.unit_id).name if run.unit_id else self.tr("Battery")
        for note in (self.trouble_note, self.next_note, self.ahead_note, self.notice_note, self.deviation_note, self.warning_note):
            note.say("plain", "")
        self.mends.show_questions(())
        self.ledger.show_findings([])
        self.path_view.show_path(PowerPath((), (), (), (), "W"))  # another run's is not this one's
        self.pause_button.setVisible(not session.is_typed and self._method.scene(self._prepared).battery)
        self.drawn.begin()
        self.jot_line.setText("")
        self.jot_line.setEnabled(True)
        self._begin_typed(session)
        self._timer.start()
        self.tick()

    def _take_others(self, run: Run, found: object) -> None:
        """What other runs of the unit say, once they are read: beside the window, and once a run."""
        if isinstance(found, tuple) and self._bench.run is not None and self._bench.run.id == run.id:
            self._others, self._sums_due = found, 0

    def _begin_typed(self, session: Session) -> None:
        """The table, the button of the load, and the reminder of a run that is made by hand."""
        hand = session.hand if isinstance(session, TypedSession) else None
        self.table.clear()
        self._sheet_of, self._says, self._is_due = (), {}, False
        self.table.setVisible(hand is not None)
        self.load_button.setVisible(hand is not None and hand.marks_load)
        self._every_row.setVisible(hand is not None and hand.every_s > 0)
        if hand is not None:
            self.table.needs_times = hand.marks_load
            self.every.setText(show_duration(hand.every_s) if hand.every_s else "")
            self._show_table()
            (self.table.view if hand.columns else self.jot_line).setFocus()

    # following

    def tick(self) -> None:
        """Show what is new."""
        session, run = self._bench.session, self._bench.run
        if session is None or run is None:
            return
        if isinstance(session, TypedSession) and not self._keeps_up(session):
            return
        progress = session.progress
        self._ticks += 1
        self._show_phase(progress, session)
        ended = progress.phase == "ended"
        if ended or self._ticks >= self._sums_due:
            self._sum_up(run, session, progress)
        elif not session.is_typed and self._method is not None and self.drawn.shows_trace:
            for quantity in "VA":
                self.drawn.trace.set_measured(quantity, session.live.series(self._method.taps[0], quantity))
        self._show_table()
        self._show_due(progress)
        self._show_readout()
        if ended and not self._reported:
            self._reported = True
            self._timer.stop()
            self.mends.show_questions(())
            self._bench.finish()

    def _sum_up(self, run: Run, session: Session, progress: Progress) -> None:
        """The account so far: here where it is quick, and beside the window where a run has grown long, so that the window never waits for it."""
        began, expected, others = perf_counter(), self._bench.expected, self._others

        def show(account: Account) -> None:
            self._show_account(account, progress)
            self._sums_due = self._ticks + max(_SUMS_EVERY, round(3000 * (perf_counter() - began) / _TICK_MS))

        def beside() -> tuple[Account, Mapping[float, str]]:
            account = drawn_already(live_account(run, session, expected, others))
            return account, method_of(run.method).says(live_record(run, session)) if session.is_typed else {}

        def done(found: object) -> None:
            self._summing = False
            if isinstance(found, tuple) and self._bench.session is session and progress.phase != "ended":
                show(found[0])
                self._says = found[1]
                self.table.show_says(self._says)

        if progress.phase == "ended" or session.live.work() <= _MANY:
            show(live_account(run, session, expected, others))
        elif not self._summing:
            self._summing = True
            quietly(self, beside, done)

    def _keeps_up(self, session: TypedSession) -> bool:
        """Let a simulated person type; False where that could not be kept: the run is over then."""
        try:
            session.keep_up()
        except LogbookError as error:
            self._timer.stop()
            self.trouble_note.say("bad", str(error))
            return False
        return True

    def _show_account(self, account: Account, progress: Progress) -> None:
        """Ledger, drawings and path filling; where it is heading."""
        drawings = account.drawings()
        if drawings:
            self.drawn.show_drawings(drawings)
        self._has_answered = self._has_answered or bool(account.findings and not account.trouble)
        rows = sum(bool(row.readings) for row in self.table.model.sheet.rows)
        lost = account.trouble if self._has_answered or rows >= _ENOUGH_ROWS else ""  # before that the next thing asked says it better
        self.warning_note.say("caution", "\n".join(filter(None, (lost, account.held_back, *account.warnings))))
        self.mends.show_questions(account.questions, only_mends=True)
        self._ledger_title.setVisible(bool(account.findings))
        self.ledger.show_account(account)
        if (path := account.path()) is not None:
            self.path_view.show_path(path)
        if account.planned is not None:
            taken = account.taken or 0  # more than were planned is as many as there are
            both = self.tr("{taken} of {count} points") if taken <= account.planned else self.tr("{taken} points")
            self.aside.setText(both.format(taken=taken, count=account.planned))
        ahead = account.ahead
        self._left_s = ahead.left_s if ahead is not None else None
        if ahead is None:
            return
        if ahead.deviation and not self.deviation_note.text() and self._bench.session is not None:
            self._bench.session.jot(self.tr("leaves the expected curve"), progress.time_s)
            self.attention.emit(ahead.deviation)
        self.deviation_note.say("caution", ahead.deviation)
        self.ahead_note.say("plain", ahead.sentence)

    def _show_table(self) -> None:
        """What was typed, where that is other than it was."""
        session, run, method = self._bench.session, self._bench.run, self._method
        if not isinstance(session, TypedSession) or run is None or method is None:
            return
        running = session.progress.phase != "ended"
        typed = session.live.numbered()
        now = (typed, running, run.id)
        if now == self._sheet_of or self.table.is_busy:
            return
        self._sheet_of = now
        logbook, hand = self._bench.logbook, session.hand
        sheet = sheet_of_typed(typed, hand.columns, logbook.lines_before(run.id), self.table.model.sheet)
        if session.live.work() <= _MANY or not running:  # else it follows with the account, which is made beside the window
            self._says = method.says(live_record(run, session))
        says = self._says
        asked = asked_of(sheet, hand)
        self.table.show_sheet(sheet, run, says, asked, session.row, hand.reads, has_draft=running, steps=hand.steps)

    def _mend(self, mend: Mend) -> None:
        """Make one slip what it was, without leaving the line that is being typed."""
        if (change := mended(self.table.model.sheet, mend)) is not None:
            self._change([change], mend.text)

    def _show_due(self, progress: Progress) -> None:
        """How long until the next reading; that it is time."""
        session = self._bench.session
        every = self.every.value() if isinstance(session, TypedSession) and not self._every_row.isHidden() else None
        if not every or progress.phase != "load on" or session is None:
            self._remind("")
            return
        lines = session.live.jots()
        last_s = lines[-1][0] if lines else progress.time_s
        left = last_s + every - progress.time_s
        self.aside_quiet.setText(
            self.tr("next reading in {time}").format(time=show_duration(left)) if left > 0 else self.tr("a reading is due")
        )
        self._remind(self.tr("It is time for a reading.") if left <= 0 else "")

    def _remind(self, sentence: str) -> None:
        if bool(sentence) != self._is_due:
            self._is_due = bool(sentence)
            self.due.emit(sentence)

    def _show_phase(self, progress: Progress, session: Session) -> None:
        typed, phase = session.is_typed, progress.phase
        asking = phase in {"asking", "zeroing", "may be on"}
        self.title.setText(self._title_of(progress, typed=typed))
        if self.ask.isVisible() and not asking and isinstance(session, TypedSession):  # the next key belongs there
            (self.table.view if session.hand.columns else self.jot_line).setFocus()
        self.ask.setVisible(asking)
        if not self._left():
            self._asked_for_left = ""
        notice = self._asked_for_left or progress.notice
        if self.notice_note.text() != notice:
            self.notice_note.say("bad", notice)
            if progress.notice:
                self.attention.emit(progress.notice)
        looked = self.tr("Something else draws this") if progress.flows else self.tr("It is off")
        self.done_button.setText(looked if phase == "may be on" else self.tr("Done, go on"))
        if asking and self.ask_text.text() != progress.text:
            self.ask_text.setText(progress.text)
            self.ask_caution.say("caution", " ".join(say(c) for c in progress.cautions))
            self.done_button.setFocus()
            self.attention.emit(progress.text)
        self.next_note.say("caution", progress.text if typed and not asking else "")
        self._show_buttons(progress, typed=typed)
        self.trouble_note.say("bad", progress.trouble)
        if phase == "measuring":
            self.aside_quiet.setText("" if typed else progress.text)
            self.caution_note.say("caution", " ".join(say(c) for c in progress.cautions))
            return
        self.caution_note.say("caution", "" if asking else " ".join(say(c) for c in progress.cautions))
        self._show_times(progress, typed=typed)

    def _show_times(self, progress: Progress, *, typed: bool) -> None:
        if progress.load_on_s is None:
            self.aside.setText("")
            self.aside_quiet.setText(progress.text if progress.phase not in {"asking", "zeroing", "may be on"} and not typed else "")
            return
        end = progress.load_off_s if progress.load_off_s is not None else progress.time_s
        self.aside.setText(self.tr("{time} in").format(time=show_duration(end - progress.load_on_s)))
        seen = self._bench.expected
        left = self._left_s if self._left_s is not None else seen.left_s(end - progress.load_on_s) if seen and not typed else None
        loaded = progress.phase == "load on"
        self.aside_quiet.setText(self.tr("about {time} to go").format(time=show_duration(left)) if loaded and left is not None else "")

    def _title_of(self, progress: Progress, *, typed: bool) -> str:
        assert self._method is not None and self._prepared is not None
        phase = progress.phase
        if phase == "ended":
            return self.tr("The run has ended: {what}").format(what=ending_text(progress.ended_by))
        heads = {
            "zeroing": self.tr("Reading the meter's zero"),
            "paused": self.tr("Load paused"),
            "charging": self.tr("Charging"),
            "waiting": self.tr("Switched off: an instrument is away"),
            "may be on": self.tr("Something flows: it may be on")
            if progress.flows
            else self.tr("It may still be on: switch it off by hand"),
        }
        if self._method.scene(self._prepared).battery:
            heads |= {
                "asking": self.tr("Before the load comes on"),
                "resting": self.tr("Reading the resting voltage"),
                "recovering": self.tr("Load off: reading how it recovers"),
            }
            if typed:
                heads["resting"] = self.tr("Type the resting voltage, then switch the load on")
        return heads.get(phase) or self._method.heading(self._prepared, self._unit_name)

    def _show_buttons(self, progress: Progress, *, typed: bool) -> None:
        phase = progress.phase
        loaded, paused = phase == "load on", phase == "paused"
        self.pause_button.setEnabled(loaded or paused)
        self.pause_button.setText(self.tr("Load on again") if paused else self.tr("Pause load"))
        self.stop_button.setEnabled(phase != "ended" and (phase != "may be on" or progress.flows))
        text = {
            "measuring": self.tr("Stop"),
            "resting": self.tr("Enough rest"),
            "recovering": self.tr("Enough rest"),
            "asking": self.tr("Leave it"),
            "zeroing": self.tr("Leave it"),
        }.get(phase, self.tr("Stop and rest"))
        if typed and phase not in {"asking", "zeroing"}:
            text = self.tr("Close the run")
        self.stop_button.setText(text)
        self.load_button.setText(self.tr("The load is off") if loaded else self.tr("The load is on"))
        self.load_button.setEnabled(phase in {"load on", "resting", "recovering"})

    def _show_readout(self) -> None:
        session = self._bench.session
        if session is None or not self.readout.isVisible():
            return
        foot = " · ".join(part for part in (self.title.text(), self.aside.text(), self.aside_quiet.text()) if part)
        if isinstance(session, TypedSession):
            step = session.row.short or session.progress.text
            self.readout.show_step(step, self.table.unfinished(), self.table.message.text() or foot)
            return
        read = latest(session)
        tap = next((t for t, quantity in read if quantity == "V"), "")
        if tap:
            amps = f"{show(read[(tap, 'A')], 4)} A" if (tap, "A") in read else ""
            self.readout.show_values(f"{show(read[(tap, 'V')], 4)} V", amps, foot)

    # ordering about

    def _order(self, order: Order) -> None:
        if self._bench.session is not None:
            self._bench.session.order(order)

    def _done(self) -> None:
        session = self._bench.session
        self._order(Order.BESIDES if session is not None and session.progress.flows else Order.DONE)

    def _pause(self) -> None:
        session = self._bench.session
        if session is not None:
            session.order(Order.RESUME if session.progress.phase == "paused" else Order.PAUSE)

    def stop(self) -> None:
        """Nothing that was typed is dropped: what is not taken down yet is asked for first."""
        session = self._bench.session
        left = self._left()
        if isinstance(session, TypedSession) and left and session.progress.phase != "asking":
            self._asked_for_left = self.tr(
                "“{text}” was typed and not taken down: press Enter there, or clear it; then close the run."
            ).format(text=left)
            self.tick()
            return
        self._order(Order.END if isinstance(session, TypedSession) else Order.STOP)

    def _left(self) -> str:
        """What was typed and not taken down."""
        return self.jot_line.text().strip() or self.table.unfinished()

    def _switch_load(self) -> None:
        """The load comes on, or goes off, now: as often as one likes."""
        session = self._bench.session
        if session is not None and (mark := Grammar().parse("load off" if session.progress.phase == "load on" else "load on")) is not None:
            self._jot(mark)

    def _now_s(self) -> float:
        session = self._bench.session
        return session.progress.time_s if session is not None else 0.0

    def _take_row(self, jotting: TypedLine) -> None:
        """A row of the table, as if it had been typed at the jot line."""
        if trouble := self._take_down(jotting):
            self.table.give_back(jotting, trouble)
        self.tick()

    def _ask_away(self) -> None:
        """Until when, and what ends it by itself; noted, and said again when the person is back."""
        session = self._bench.session
        if not isinstance(session, TypedSession):
            return
        dialog = AwayDialog(self._unit_name, session.progress.text, self.every.value() or 0.0, self)
        if self.open_dialog(dialog):
            session.jot(dialog.note())
            self._bench.remind.emit(dialog.away_s())

    def _change(self, changes: list[RowChange], name: str) -> None:
        if self._bench.run is not None:
            self._bench.edit_typed(self._bench.run, changes, name)
        self._sums_due = 0
        self.tick()

    def _begin_with(self, jotting: TypedLine) -> str:
        """A run that begins with a reading; why it does not, in a sentence."""
        if unnamed() is None:
            return self.tr("No run is going on: prepare a test, and start it there.")
        if not jotting.readings:
            return self.tr("No run is going on: a reading begins one, like “12.9 V 5 A”. A note belongs to a run.")
        try:
            run, session = begin_unnamed(self._bench.logbook, self._bench.clock())
        except LogbookError as error:
            return str(error)
        self._bench.begin(run, session, None)
        return ""

    def _jot(self, jotting: TypedLine) -> None:
        if not self._bench.is_running and (trouble := self._begin_with(jotting)):
            self.jot_line.refuse(trouble)
            return
        if trouble := self._take_down(jotting):
            self.jot_line.refuse(trouble)
        self.tick()

    def _take_down(self, jotting: TypedLine) -> str:
        """Why a line was not taken down; empty when it was."""
        session, run = self._bench.session, self._bench.run
        if session is None or run is None:
            return ""
        jotting = as_answer(run, jotting)
        counts = (jotting.readings or jotting.mark) and not jotting.corrects
        if isinstance(session, TypedSession) and counts and (lacks := session.lacks(jotting)):
            if not jotting.readings or session.row.refusal:
                return lacks
            if self._lacked != jotting.readings:
                self._lacked = jotting.readings
                return say("{lacks} Or Enter again: then it stands as it is, and what follows from it is said.", lacks=lacks)
        self._lacked = ()
        self._sums_due = 0
        return self._bench.jot(run, jotting, session.progress.time_s)

    def _grammar(self) -> Grammar:
        session = self._bench.session
        if session is None:
            return Grammar()
        typed = session if isinstance(session, TypedSession) and session.progress.phase == "measuring" else None
        row, elsewhere = (typed.row, typed.wanted_elsewhere) if typed is not None else (None, None)
        return grammar_for(self._bench.run, latest(session), self._bench.expected, session.progress.time_s, row, elsewhere)
