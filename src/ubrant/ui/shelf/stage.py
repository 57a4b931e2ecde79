"""The Shelf: what there is, what it claims, what was measured."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import show_accuracy
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.wording import say
from ubrant.logbook.records import Run, Summary
from ubrant.methods.method import label_of
from ubrant.methods.registry import UnknownMethodError, entry_of, suiting
from ubrant.runs.accounts import summary_of
from ubrant.ui.shelf.card import UnitCard
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button, clear, label, row, scrolled, side_panel
from ubrant.ui.widgets.text import set_tip
from ubrant.ui.workbench import Workbench

if TYPE_CHECKING:
    from ubrant.ui.shelf.meter_form import MeterForm

_MOST_RUNS = 40
_ROOM = 38
_FORM = "open form"


class ShelfStage(QWidget):
    """Cards at the left, the chosen unit or a form at the right."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._cards: list[UnitCard] = []
        self._due: dict[int, Run] = {}
        self._without: set[int] = set()
        self._work = QTimer(self)
        self._work.setSingleShot(True)
        self._work.timeout.connect(self._work_out_one)
        self.search = QLineEdit()
        self.search.setPlaceholderText(self.tr("Search units, labels, jottings"))
        self.search.setAccessibleName(self.tr("Search"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.refresh)
        self.add = button(self.tr("Add a unit"), self.start_adding, "chief")
        self._grid = QGridLayout()
        self._grid.setSpacing(12)
        self._empty = Callout("plain")
        self.first_test = button(self.tr("Try it: test a simulated pack"), self._first_test, "chief")
        self._meters = QVBoxLayout()
        self._meters.setSpacing(4)
        self._side, self._about = side_panel()
        self._build()
        bench.shelf_changed.connect(self._changed)
        bench.closing.connect(self._work.stop)
        bench.unit_chosen.connect(self._show_unit)
        self.refresh()
        self._show_unit(0)

    def _build(self) -> None:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        self.search.setMinimumWidth(260)
        column.addLayout(row(label(self.tr("On the shelf"), "title"), QWidget(), self.search, self.add, stretch=1))
        column.addWidget(self._empty)
        column.addWidget(self.first_test, alignment=Qt.AlignmentFlag.AlignLeft)
        column.addLayout(self._grid)
        column.addSpacing(10)
        column.addLayout(row(label(self.tr("Meters"), "heading"), QWidget(), button(self.tr("Add a meter"), self._start_meter), stretch=1))
        column.addLayout(self._meters)
        column.addStretch(1)
        area = scrolled(inside)
        inside.setObjectName("ground")
        area.setObjectName("ground")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(area, 1)
        layout.addWidget(self._side)

    # cards

    def cards(self) -> list[UnitCard]:
        return self._cards

    def _changed(self) -> None:
        self._without.clear()
        self.refresh()

    def refresh(self) -> None:
        """Show what is in the logbook now, as far as it fits the search."""
        words = self.search.text().strip().lower()
        logbook = self._bench.logbook
        units = [u for u in logbook.units() if words in f"{u.name} {u.kind} {u.label_text} {u.note}".lower()]
        if words:
            jotted = {run.unit_id for run, _ in logbook.runs(words)}
            units += [u for u in logbook.units() if u.id in jotted and u not in units]
        for card in self._cards:
            self._grid.removeWidget(card)
            card.hide()
            card.deleteLater()
        self._cards = [self._card(unit) for unit in units]
        self._place_cards()
        self._empty.say("plain", "" if units else self._empty_words(words))
        self.first_test.setVisible(not units and not words and not logbook.read_only)
        self._show_meters()
        self._mark_chosen()
        if not self._form_is_open():
            self._show_unit(self._bench.unit_id)

    def _empty_words(self, words: str) -> str:
        if words:
            return self.tr("Nothing on the shelf fits “{words}”.").format(words=words)
        return self.tr(
            "The shelf is empty. Add a battery from its label and test it on the simulated bench, "
            "or drop a log file (CSV) on this window to learn what it says."
        )

    def _first_test(self) -> None:
        """From nothing to a plan in one click: a pack and a meter to try things out with."""
        if not self._bench.logbook.meters():
            self._bench.logbook.keep_meter(Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0))
        unit = self._bench.keep_unit(Unit("Trial pack", "battery", "2 Ah 12.8 V LiFePO4", note="Simulated, to try things out."))
        self._bench.test_wanted.emit(unit.id)

    def _card(self, unit: Unit) -> UnitCard:
        run = self._bench.logbook.latest_run(unit.id)
        summary = self._summary(run) if run else None
        card = UnitCard(unit, label_of(unit), summary, waits=run is not None and run.id in self._due)
        card.chosen.connect(self._bench.choose_unit)
        card.opened.connect(self._bench.test_wanted)
        return card

    def _summary(self, run: Run) -> Summary | None:
        """What is kept of a run's account; what is not there yet is worked out between events, one after the other, and shown then."""
        kept = self._bench.logbook.summary(run.id)
        if kept is None and run.state != "running" and run.id not in self._without:
            self._due[run.id] = run
            self._work.start(0)
        return kept

    def _work_out_one(self) -> None:
        run_id, run = self._due.popitem()
        if summary_of(self._bench.logbook, run) is None:
            self._without.add(run_id)
        if self._due:
            self._work.start(0)
        else:
            self.refresh()

    def _place_cards(self) -> None:
        """Those that hold energy first, then the small cards of all the rest."""
        columns = max(1, (self.width() - self._side.width() - 40) // 282)
        row = 0
        for group in (True, False):
            cards = [card for card in self._cards if card.has_bar is group]
            for place, card in enumerate(cards):
                self._grid.addWidget(card, row + place // columns, place % columns)
            row += -(-len(cards) // columns)
        for column in range(8):
            self._grid.setColumnStretch(column, 1 if column < columns else 0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_cards()

    def sizeHint(self) -> QSize:
        return QSize(1280, 700)

    def _mark_chosen(self) -> None:
        for card in self._cards:
            card.set_chosen(card.unit.id == self._bench.unit_id)

    def _show_meters(self) -> None:
        clear(self._meters)
        meters = self._bench.logbook.meters()
        if not meters:
            self._meters.addWidget(label(self.tr("No meter yet. Without its accuracy there is no ± and no verdict."), "quiet"))
        for meter in meters:
            edit = button(meter.name, partial(self._start_meter, meter), "link")
            self._meters.addLayout(row(edit, label(_accuracy_text(meter)), label(_connection_text(meter), "quiet"), stretch=1))

    # the panel at the right

    def _form_is_open(self) -> bool:
        return self._side.findChild(QWidget, _FORM) is not None

    def start_adding(self) -> None:
        """Open an empty form at the right."""
        self._open_form(UnitForm())

    def _open_form(self, form: UnitForm | MeterForm) -> None:
        clear(self._about)
        form.kept.connect(self._keep)
        form.left.connect(lambda: self._close_form(form))
        form.setObjectName(_FORM)
        self._about.addWidget(form)
        form.name.setFocus()

    def _start_meter(self, meter: Meter | None = None) -> None:
        from ubrant.ui.shelf.meter_form import MeterForm  # with what reads profiles, slow to import

        self._open_form(MeterForm(meter, judges=[m for m in self._bench.logbook.meters() if m.details.role == "meter"]))

    def _keep(self, thing: Unit | Meter) -> None:
        form = self._side.findChild(QWidget, _FORM)
        if form is not None:
            form.setParent(None)
        if isinstance(thing, Unit):
            self._bench.keep_unit(thing)
        else:
            self._bench.keep_meter(thing)

    def _close_form(self, form: QWidget) -> None:
        form.setParent(None)
        self._show_unit(self._bench.unit_id)

    def _show_unit(self, unit_id: int) -> None:
        """The chosen unit at the right, or the latest runs when none is chosen."""
        self._mark_chosen()
        clear(self._about)
        units = {u.id: u for u in self._bench.logbook.units()}
        unit = units.get(unit_id)
        if unit is None:
            self._about.addWidget(label(self.tr("Latest runs"), "heading"))
            self._show_runs(self._bench.logbook.runs(limit=_MOST_RUNS), name_units=True)
            self._about.addStretch(1)
            return
        found = label_of(unit)
        self._about.addWidget(label(unit.name, "heading"))
        self._about.addWidget(label(f"{unit.kind} · {unit.printed}", "quiet"))
        if found:
            summary = label(found.summary())
            summary.setWordWrap(True)
            self._about.addWidget(summary)
            if found.guesses:
                self._about.addWidget(label(" ".join(found.guesses), "quiet"))
            self._about.addWidget(Callout("caution", "\n".join(found.queries)))
        if unit.note:
            self._about.addWidget(label(unit.note, "quiet"))
        edit = button(self.tr("Edit"), lambda: self._open_form(UnitForm(unit)))
        remove = button(self.tr("Remove"), lambda: self._bench.remove_unit(unit))
        test = button(self.tr("Prepare a test"), lambda: self._bench.test_wanted.emit(unit.id), "chief")
        self._about.addSpacing(4)
        self._about.addLayout(row(*([test] if suiting(unit) else []), edit, remove))
        self._about.addSpacing(10)
        self._about.addWidget(label(self.tr("Runs"), "heading"))
        self._show_runs([(r, n) for r, n in self._bench.logbook.runs(limit=1000) if r.unit_id == unit.id][:_MOST_RUNS], name_units=False)
        self._about.addStretch(1)

    def _show_runs(self, runs: list[tuple[Run, str]], *, name_units: bool) -> None:
        if not runs:
            self._about.addWidget(label(self.tr("None yet. Prepare a test, or drop a log file on the window."), "quiet"))
        for run, name in runs:
            self._about.addWidget(self._run_entry(run, name if name_units else ""))

    def _run_entry(self, run: Run, name: str) -> QPushButton:
        summary = self._summary(run)
        day = datetime.fromisoformat(run.started).astimezone().strftime("%-d %b %Y")
        head = " · ".join(x for x in (name, day) if x)
        entry = button(f"{head}\n{_run_line(run, summary)}", lambda: self._bench.run_opened.emit(run.id))
        entry.setStyleSheet("text-align: left;")
        entry.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        set_tip(entry, summary.sentence if summary else "")
        entry.setAccessibleName(f"{head}. {_run_line(run, summary)}")
        return entry


def _run_line(run: Run, summary: Summary | None) -> str:
    if run.state == "running":
        return "going on now"
    interrupted = "interrupted · " if run.state == "interrupted" else ""
    if summary is not None and summary.short:
        return f"{interrupted}{summary.short}"
    try:
        title = say(entry_of(run.method).title)
    except UnknownMethodError:
        title = run.method
    if summary is None:
        return f"{title}: {run.state}, no result"
    return _short(summary.sentence if summary.sentence.startswith(title) else f"{title}: {summary.sentence}")


def _short(sentence: str) -> str:
    """As much of a sentence as the panel has room for; the whole is its tip."""
    return sentence if len(sentence) <= _ROOM else sentence[: _ROOM - 1].rsplit(" ", 1)[0] + " …"


def _connection_text(meter: Meter) -> str:
    details = meter.details
    parts = [] if details.role == "meter" else [details.role]
    parts += [details.address] if details.address and details.connection != "display" else []
    parts += ["shows the wrong sign"] if details.reversed else []
    parts += [f"zero {plain(details.zero_a, 3)} A"] if details.zero_a else []
    return " · ".join(parts)


def _accuracy_text(meter: Meter) -> str:
    try:
        parts = [show_accuracy(a) for a in (meter.accuracy("V"), meter.accuracy("A")) if a]
    except QuantityError as error:
        return str(error)
    return "   ".join(parts) or "accuracy not known"
