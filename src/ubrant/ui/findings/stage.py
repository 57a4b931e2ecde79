"""Findings: the verdict in one sentence, the ledger, the path with what flowed, what it is drawn as."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ubrant.core.account import Account
from ubrant.core.battery.verdict import ending_text
from ubrant.core.equipment.meter import Meter
from ubrant.core.gate.check import Question
from ubrant.core.guess import beside
from ubrant.core.quantities.jot import Grammar, TypedLine
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import BY_HAND, Criteria
from ubrant.core.record.mend import Mend
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.typed import HELD, STRAIGHT
from ubrant.core.uncertainty.simulation import DRAWS, Simulated, draws_in_short
from ubrant.logbook.file import LogbookError
from ubrant.logbook.records import Run
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.afterwards.known_late import said_before
from ubrant.runs.afterwards.learnt_since import LearntSince, learnt_since
from ubrant.runs.afterwards.what_it_was import is_unnamed
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.found_of_meters import found_of_meter
from ubrant.runs.kept.naming import name_in, name_of
from ubrant.runs.making.going_on import can_go_on, go_on, since_start
from ubrant.runs.studies.series import series_of
from ubrant.runs.studies.where_it_stops import has_edges
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.jotting import grammar_for
from ubrant.runs.typed.sheet import asked_of, mended, sheet_of
from ubrant.ui.common.photos import PhotoStrip
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.findings.known_dialog import KnownDialog
from ubrant.ui.findings.meters_dialog import MetersDialog
from ubrant.ui.findings.named_twice import NamedTwice
from ubrant.ui.findings.rank_dialog import RankDialog
from ubrant.ui.findings.series_dialog import SeriesDialog
from ubrant.ui.findings.warmth import Warmth
from ubrant.ui.findings.what_it_was import WhatItWas
from ubrant.ui.widgets.asked import Asked
from ubrant.ui.widgets.callout import VERDICT_TONES, Callout
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.forms import Choice, QuantityField, button, clear, label, row
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.ledger import Ledger
from ubrant.ui.widgets.readings_table import ReadingsTable
from ubrant.ui.widgets.run_drag import DragsRun
from ubrant.ui.widgets.settings import as_wished
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.work import in_background


class FindingsStage(StageFrame):
    """Shows one run. Another cut-off can be tried on it without changing what is kept."""

    report_wanted = pyqtSignal()
    export_wanted = pyqtSignal()
    card_wanted = pyqtSignal()

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._run: Run | None = None
        self.record: Record | None = None
        self.account: Account | None = None
        self.run_box = Choice(self.tr("Run"))
        self.drawn = DrawingsView()
        self.jot_line = JotLine()
        self.table = ReadingsTable()
        self.verdict, self.settle, self.trouble = Callout(), Callout("plain"), Callout("bad")
        self.asked = Callout("caution")
        self.questions = Asked()
        self.ledger = Ledger()
        self.guess = label("", "quiet")
        self.notes = Callout("caution")
        self.cutoff = QuantityField("V", self.tr("Judged to"))
        self.warmth = Warmth(bench)
        self.twice = NamedTwice(bench)
        self.what_it_was = WhatItWas(bench)
        self.more = label("", "quiet")
        self.rank_button = button(self.tr("Rank for a job …"), self._rank)
        self.stops_button = button(self.tr("On which battery …"), self._where_it_stops)
        self.check_button = button(self.tr("Check the ±"), self._check)
        self.meters_button = button(self.tr("Its meters …"), self._change_meters)
        self.known_button = button(self.tr("What is known …"), self._change_known)
        self.earlier = label("", "quiet")
        self.earlier.setWordWrap(True)
        self.open_dialog: Callable[[QDialog], object] = lambda dialog: dialog.exec()
        self.again_button = button(self.tr("Same again …"), self._want_again)
        self.compare_button = button(self.tr("Compare …"), self._want_compare)
        self.judge_again = button(self.tr("Keep this cut-off"), self._keep_cutoff)
        self.newer = Callout("caution")
        self._since: LearntSince | None = None
        self.take_newer = button("", self._take_newer)
        self.keep_found = button("", self._keep_found, "chief")
        self._found: Meter | None = None
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
        self.table.changed.connect(self._change)
        self.table.closed.connect(self._show_waiting)
        self.questions.answered.connect(self._answer)
        self.questions.mended.connect(self._mend)
        self._table_waits = False
        self.table.now_s = lambda: since_start(self._run) if self._run is not None else 0.0
        bench.shelf_changed.connect(self.offer_runs)
        DragsRun(self.title, lambda: self._run.id if self._run is not None else None)
        self.offer_runs()
        self._show_nothing()

    def _build(self) -> None:
        self.add_split(self.drawn, self.table, (310, 190), 130)
        self.main.addWidget(self.jot_line.with_hint())
        for widget in (
            self.run_box,
            self.verdict,
            self.settle,
            self.earlier,
            self.newer,
            self.take_newer,
            self.keep_found,
            self.guess,
            self.asked,
            self.questions,
            self.twice,
            self.what_it_was,
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
        self.card_button = button(self.tr("Answer card"), self.card_wanted.emit)
        self.side.addLayout(row(self.report_button, self.export_button, self.card_button))
        self.series_button = button(self.tr("Side by side …"), self._show_series)
        self.side.addLayout(row(self.again_button, self.compare_button, self.series_button))
        self.side.addLayout(row(self.known_button, self.meters_button))
        self.side.addLayout(row(self.check_button, self.rank_button, self.stops_button, QWidget(), stretch=3))
        self.rank_button.hide()
        self.stops_button.hide()
        self._judged = QWidget()
        judged = row(label(self.tr("Judged to")), self.cutoff, self.judge_again, stretch=1)
        judged.setContentsMargins(0, 0, 0, 0)
        self._judged.setLayout(judged)
        self.side.addWidget(self._judged)
        self.side.addWidget(self.warmth)
        self.side.addWidget(self.more)
        self._photos = QVBoxLayout()
        self.side.addLayout(self._photos)
        self.side.addStretch(1)

    def offer_runs(self) -> None:
        self.run_box.blockSignals(True)
        self.run_box.clear()
        for run, name in self._bench.logbook.runs():
            if run.state != "running":
                self.run_box.addItem(f"{name_of(run, name)} · {_day(run)}", run.id)
        self.run_box.setCurrentIndex(self.run_box.findData(self._run.id) if self._run else -1)
        self.run_box.blockSignals(False)
        self._show_photos()
        if self._run is not None and self.run_box.currentIndex() < 0 and self._bench.logbook.find_run(self._run.id) is None:
            self._run = self.account = self.record = None  # it was taken back
            self._show_nothing()

    def _show_newer(self, run: Run, account: Account | None) -> None:
        """What its label as it is now, or a later check of its meters, would change."""
        self._since = learnt_since(self._bench.logbook, run, account) if account is not None else None
        self.newer.say("caution", self._since.sentence if self._since is not None else "")
        self.take_newer.setText(self._since.taking if self._since is not None else "")
        self.take_newer.setVisible(self._since is not None and not self._bench.logbook.read_only)

    def _take_newer(self) -> None:
        if self._run is not None and self._since is not None:
            self._bench.tell(self._run.under(setup=self._since.setup), self._since.because)

    def _show_found(self, run: Run, account: Account) -> None:
        """What it found of a meter, on offer to be kept with that."""
        found = found_of_meter(self._bench.logbook, run, account)
        self._found = found[0] if found is not None else None
        self.keep_found.setText(found[1] if found is not None else "")
        self.keep_found.setVisible(found is not None and not self._bench.logbook.read_only)

    def _keep_found(self) -> None:
        if self._run is not None and self._found is not None:
            self._bench.keep_meter(self._found)
            self.open_run(self._run.id)

    def _show_photos(self) -> None:
        clear(self._photos)
        if self._run is not None:
            self._photos.addWidget(PhotoStrip(self._bench, run_id=self._run.id))

    def _show_nothing(self) -> None:
        for note in (self.verdict, self.notes, self.trouble, self.newer):
            note.say("plain", "")
        self.ledger.show_findings([])
        for words in (self.more, self.aside, self.aside_quiet, self.guess):
            words.setText("")
        self.path_view.show_path(PowerPath((), (), (), (), "Wh"))
        self.drawn.hide()
        self.table.hide()
        self.title.setText(self.tr("No run chosen"))
        self.settle.say("plain", self.tr("Choose a run above or on the shelf, or drop a log file (CSV) on this window."))
        for control in (self.jot_line, self.report_button, self.export_button, self.card_button, self.cutoff):
            control.setEnabled(False)
        for choice in (
            self.what_it_was,
            self.twice,
            self.asked,
            self.questions,
            self.check_button,
            self.meters_button,
            self.known_button,
            self.earlier,
            self.take_newer,
            self.keep_found,
            self.series_button,
            self.rank_button,
            self.stops_button,
            self.judge_again,
            self.go_on,
            self.leave_it,
            self.between,
        ):
            choice.hide()

    def open_run(self, run_id: int) -> None:
        """Show a kept run; another one from its verdict on."""
        if self._run is None or self._run.id != run_id:
            self.to_top()
        self._run = self._bench.logbook.run(run_id)
        self.run_box.setCurrentIndex(self.run_box.findData(run_id))
        self.jot_line.setEnabled(not self._bench.logbook.read_only)
        self.judge_again.hide()
        self.cutoff.blockSignals(True)
        self.cutoff.setText(f"{plain(self._run.cutoff.voltage_v)} V" if self._run.cutoff else "")
        self.cutoff.blockSignals(False)
        self._show(None)

    def _show(self, criteria: Criteria | None) -> None:
        run = self._run
        assert run is not None
        self.title.setText(self.tr("{name}, {day}").format(name=name_in(self._bench.logbook, run), day=_day(run)))
        self.trouble.say("bad", run.trouble)
        self._show_choices(run)
        self.record, self.account = account_of(self._bench.logbook, run, criteria)
        account, findings = self.account, self.account.findings
        for control, wanted in (
            (self.report_button, bool(findings)),
            (self.card_button, bool(findings)),
            (self.export_button, True),
            (self.cutoff, bool(findings)),
        ):
            control.setEnabled(wanted)
        self._judged.setVisible(_judges_label(run))
        self.warmth.setVisible(_judges_label(run) and not self._bench.logbook.read_only)
        self.warmth.show_run(run)
        tone = VERDICT_TONES[account.verdict.word] if account.verdict is not None else "plain" if findings else "caution"
        self.verdict.say(tone, account.sentence or account.trouble or self.tr("Nothing was taken."))
        self.settle.say("plain", account.settle)
        self.guess.setText(beside(run.head.conditions.guess, account))
        self.guess.setVisible(bool(self.guess.text()))
        self._ask(account.questions)
        self.twice.show_run(run)
        self.what_it_was.setVisible(is_unnamed(run) and not self._bench.logbook.read_only)
        if is_unnamed(run):
            self.what_it_was.show_run(run, self.record)
        self.again_button.setEnabled(bool(run.head.plan) and not is_unnamed(run))
        self.series_button.setVisible(len(series_of(self._bench.logbook, run)) > 1)
        self.check_button.setVisible(any(f.expanded_uncertainty for f in findings.values()))
        for control in (self.meters_button, self.known_button):
            control.setVisible(not self._bench.logbook.read_only)
        self.known_button.setEnabled(not is_unnamed(run) and bool(_taps_of(run)))
        self._show_earlier(run)
        self.ledger.show_account(account)
        asked = {question.text for question in account.questions}
        interrupted = self.tr("The run was interrupted: these are its findings so far.") if run.state == "interrupted" and findings else ""
        self.notes.say("caution", "\n".join(n for n in (interrupted, *account.warnings) if n and n not in asked))
        self.aside.setText(self._ended(account))
        meters = [m.name for m in run.head.setup.meters.values() if m.name]
        self.aside_quiet.setText(f"{run.source} · {', '.join(dict.fromkeys(meters)) or self.tr('meter not named')}")
        self.more.setText(" · ".join(f"{f.name}: {as_wished(f).with_uncertainty()}" for f in account.more()))
        self.rank_button.setVisible(account.candidate is not None)
        self.stops_button.setVisible(has_edges(account))
        self._show_photos()
        self._show_newer(run, account if criteria is None else None)
        self._show_found(run, account)
        self.path_view.show_path(account.path() or PowerPath((), (), (), (), "W"))
        self.drawn.show()
        self.drawn.begin()
        self.drawn.show_drawings(account.drawings())
        self._show_table(run)

    def _show_table(self, run: Run) -> None:
        """What was typed, to be mended; hidden where nothing was."""
        self._table_waits = self.table.is_busy
        if self._table_waits:  # what is being written is left first
            return
        logbook, record = self._bench.logbook, self.record
        jots = logbook.jots(run.id)
        self.table.setVisible(bool(jots) and not record.readings if record is not None else False)
        if self.table.isHidden() or record is None:
            return
        try:
            method = method_of(run.method)
        except UnknownMethodError:
            return
        hand = method.hand_of(run.head)
        says = method.says(record)
        self.table.setEnabled(not logbook.read_only)
        self.table.needs_times = hand is not None and hand.marks_load
        sheet = sheet_of(jots, hand.columns if hand is not None else (), logbook.lines_before(run.id))
        asked, steps = (asked_of(sheet, hand), hand.steps) if hand is not None else ((), ())
        self.table.show_sheet(sheet, run, says, asked, has_draft=False, steps=steps)

    def _show_waiting(self) -> None:
        if self._table_waits and self._run is not None:
            self._show_table(self._run)

    def _change(self, changes: list[RowChange], name: str) -> None:
        if self._run is not None:
            self._bench.edit_typed(self._run, changes, name)

    def _ask(self, questions: tuple[Question, ...]) -> None:
        """A button for each thing that only a person knows, and for each slip that can be mended."""
        self.asked.say("caution", "\n".join(question.text for question in questions if question.text))
        self.questions.show_questions(() if self._bench.logbook.read_only else questions)

    def _mend(self, mend: Mend) -> None:
        if self._run is not None and (change := mended(self.table.model.sheet, mend)) is not None:
            self._bench.edit_typed(self._run, [change], mend.text)

    def _answer(self, question: Question) -> None:
        if self._run is not None:
            self._bench.tell(self._run.under(conditions=question.answered(self._run.head.conditions)), question.yes)

    def shown(self) -> tuple[Run, Record, Account] | None:
        """The run that is shown, with what it says; None for none, or where it says nothing."""
        if self._run is None or self.record is None or self.account is None:
            return None
        return self._run, self.record, self.account

    def _ended(self, account: Account) -> str:
        if account.taken is not None:
            return self.tr("one point") if account.taken == 1 else self.tr("{count} points").format(count=account.taken)
        return self.tr("ended by {what}").format(what=ending_text(account.ended_by)) if account.ended_by else ""

    def _where_it_stops(self) -> None:
        from ubrant.ui.common.where_it_stops_dialog import WhereItStopsDialog

        unit = next((u for u in self._bench.logbook.units() if self._run is not None and u.id == self._run.unit_id), None)
        if unit is not None:
            WhereItStopsDialog(self._bench.logbook, unit, self).exec()

    def _rank(self) -> None:
        """Which of those that were measured to take for one job."""
        RankDialog(self._bench.logbook, self).exec()

    def _change_meters(self) -> None:
        """Which meter was where, and how good it is, known late: all is judged anew by it."""
        run = self._run
        if run is None:
            return
        setup = run.head.setup
        taps = dict.fromkeys((*_taps_of(run), *setup.meters))
        dialog = MetersDialog({tap: setup.meter(tap) for tap in taps}, self._bench.logbook.meters(), self)
        if not self.open_dialog(dialog):
            return
        made = {tap: meter for tap, meter in dialog.meters().items() if tap in setup.meters or meter != Meter("")}
        if made != dict(setup.meters):
            self._bench.tell(run.under(setup=replace(setup, meters=made).on(run.started)), self.tr("its meters"))

    def _change_known(self) -> None:
        """What it was of, its plan, what it is judged by, when its load was on, its clock: all is judged anew by it."""
        run, record = self._run, self.record
        if run is None or record is None:
            return
        dialog = KnownDialog(self._bench.logbook, run, record, self)
        if self.open_dialog(dialog) and dialog.because:
            self._bench.tell(dialog.made, dialog.because, dialog.changes)

    def _show_earlier(self, run: Run) -> None:
        """What it said before something became known of it, as far as that was another sentence."""
        now = self.account.sentence if self.account is not None else ""
        lines = [
            self.tr("Until {day} ({because}): {sentence}").format(day=_day_of(one.until), because=one.because, sentence=one.sentence)
            for one in said_before(self._bench.logbook, run.id)
            if one.sentence != now
        ]
        self.earlier.setText("\n".join(lines[:_MOST_EARLIER]))
        self.earlier.setVisible(bool(lines))

    def _want_again(self) -> None:
        if self._run is not None:
            self._bench.again_wanted.emit(self._run.id)

    def _want_compare(self) -> None:
        if self._run is not None:
            self._bench.compare_wanted.emit(self._run.id)

    def _check(self) -> None:
        """The ± once more, by draws of every error; said below the ledger."""
        run, record = self._run, self.record
        if run is None or record is None:
            return

        def told(drawn: tuple[Simulated, ...]) -> None:
            if self._run is not None and self._run.id == run.id:
                self.more.setText(draws_in_short(drawn) or self.tr("There is no ± to check."))

        method = method_of(run.method)
        in_background(
            self, self.tr("Drawing every error {count} times …").format(count=DRAWS), lambda: method.simulate(record), told, self._failed
        )

    def _failed(self, error: Exception) -> None:
        self._bench.said.emit(str(error))

    # another cut-off

    def _try_cutoff(self) -> None:
        volts = self.cutoff.value()
        if self._run is None or self.cutoff.trouble or not volts or volts <= 0:
            return
        kept = self._run.cutoff
        self._show(replace(self._run.head.criteria, cutoff=Cutoff(volts, kept.hold_s if kept else 1.0)))
        self.judge_again.setVisible(kept is None or kept.voltage_v != volts)

    def _show_series(self) -> None:
        """Every run that was made as the same again, side by side; it stays open."""
        if self._run is not None:
            self.series = SeriesDialog(self._bench, self._run, self)
            self.series.show()

    def _keep_cutoff(self) -> None:
        volts = self.cutoff.value()
        if self._run is not None and volts:
            kept = self._run.cutoff
            criteria = replace(self._run.head.criteria, cutoff=Cutoff(volts, kept.hold_s if kept else 1.0))
            self._bench.tell(self._run.under(criteria=criteria), self.tr("another cut-off"))

    def _jot(self, jotting: TypedLine) -> None:
        if self._run is None or self.record is None or self.account is None:
            return
        ends = [float(s.time_s[-1]) for s in self.record.readings.values() if len(s)] + [e.time_s for e in self.record.lines]
        now_s = max(ends, default=0.0)
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
        typed = run.head.origin.road == BY_HAND
        self.between.setVisible(typed and mine and _judges_label(run))
        self.between.blockSignals(True)
        self.between.setCurrentIndex(max(0, self.between.findData(run.head.origin.between)))
        self.between.blockSignals(False)

    def _close_interrupted(self) -> None:
        if self._run is not None:
            self._bench.close_interrupted(self._run)

    def _keep_between(self) -> None:
        if self._run is not None:
            origin = replace(self._run.head.origin, between=self.between.currentData())
            self._bench.tell(self._run.under(origin=origin), self.tr("between the readings"))

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


def _judges_label(run: Run) -> bool:
    """Whether it is judged to a cut-off, against a label."""
    try:
        return method_of(run.method).judges_label
    except UnknownMethodError:
        return False


def _taps_of(run: Run) -> tuple[str, ...]:
    """Where its method has meters, whether one was named or not."""
    try:
        return method_of(run.method).taps
    except UnknownMethodError:
        return ()


_MOST_EARLIER = 3


def _day(run: Run) -> str:
    return _day_of(run.started)


def _day_of(stamp: str) -> str:
    return datetime.fromisoformat(stamp).astimezone().strftime("%-d %b %Y, %H:%M")
