"""The Shelf: what there is, what it claims, what was measured."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLayout, QLineEdit, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import KINDS, Unit
from ubrant.core.quantities.accuracy import show_accuracy
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.record.head import SIMULATED, label_of
from ubrant.core.wording import say
from ubrant.logbook.records import Run, Summary
from ubrant.methods.registry import suiting, title_of
from ubrant.runs.kept.accounts import summary_of
from ubrant.runs.kept.answer_sheet import AnswerRow, sheet_of_unit
from ubrant.runs.kept.meter_told import settled_by, used_in
from ubrant.runs.kept.naming import is_about_its_unit
from ubrant.runs.kept.shelf_order import NOT_TESTED, ORDERS, TESTED, OnShelf, arranged, newest_of
from ubrant.runs.studies.what_feeds import has_port
from ubrant.ui.common.photos import PhotoStrip
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.shelf.answers import AnswersView
from ubrant.ui.shelf.card import UnitCard
from ubrant.ui.shelf.first_start import FirstStart
from ubrant.ui.shelf.meter_page import MeterPage
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, clear, label, row, scrolled, side_panel
from ubrant.ui.widgets.run_drag import DragsRun
from ubrant.ui.widgets.text import set_tip

if TYPE_CHECKING:
    from ubrant.ui.shelf.meter_form import MeterForm

_MOST_RUNS, _MOST_USES = 40, 2000
_ROOM = 38
_LOOKED_AT = 8
_CHOICE = 116
_FORM = "open form"
_PANEL = 376


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
        self.search.setPlaceholderText(self.tr("Search (Ctrl+F)"))
        self.search.setAccessibleName(self.tr("Search"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.refresh)
        self.order, self.group = Choice(self.tr("In what order")), Choice(self.tr("Which"))
        for text, key in ORDERS:
            self.order.addItem(say(text), key)
        self.order.currentIndexChanged.connect(lambda _: self.refresh())
        self.group.currentIndexChanged.connect(lambda _: self.refresh())
        self._headings: list[tuple[QLabel | None, list[UnitCard]]] = []
        self.several: set[int] = set()
        QShortcut(QKeySequence("Ctrl+F"), self).activated.connect(self.search.setFocus)
        QShortcut(QKeySequence("Escape"), self).activated.connect(self._clear)
        self.add = button(self.tr("Add a unit"), self.start_adding, "chief")
        self._grid = QGridLayout()
        self._grid.setSpacing(12)
        self._empty = Callout("plain")
        self.first = FirstStart()
        self.first.tried.connect(self._first_test)
        self.first.begun.connect(self._begin_first)
        self._meters = QVBoxLayout()
        self._meters.setSpacing(4)
        self._side, self._about = side_panel(_PANEL)
        self.answers = AnswersView()
        self.answers.opened.connect(bench.run_opened)
        self.answers.foretelling.connect(lambda: bench.outlook_wanted.emit(bench.unit_id))
        self.answers.wanted.connect(lambda key: bench.measure_wanted.emit(bench.unit_id, key))
        self._build()
        bench.shelf_changed.connect(self._changed)
        bench.closing.connect(self._work.stop)
        bench.unit_chosen.connect(self._show_unit)
        self.refresh()

    def _build(self) -> None:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.setSizeConstraint(QLayout.SizeConstraint.SetMinimumSize)  # at once: else cards stand over each other until it has grown
        self.search.setMinimumWidth(150)
        for choice in (self.order, self.group):
            choice.setFixedWidth(_CHOICE)
        column.addLayout(row(label(self.tr("On the shelf"), "title"), self.search, self.group, self.order, self.add, stretch=1))
        column.addWidget(self._empty)
        column.addWidget(self.first)
        column.addLayout(self._grid)
        column.addSpacing(10)
        column.addLayout(row(label(self.tr("Meters"), "heading"), QWidget(), button(self.tr("Add a meter"), self.start_meter), stretch=1))
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

    @property
    def is_busy(self) -> bool:
        """Something of what it shows is being worked out still."""
        return bool(self._due)

    def cards(self) -> list[UnitCard]:
        return self._cards

    def _changed(self) -> None:
        self._without.clear()
        self.refresh()

    def refresh(self) -> None:
        """Show what is in the logbook now, as far as it fits the search."""
        words = self.search.text().strip()
        logbook = self._bench.logbook
        every = self._on_shelf()
        self._offer_groups(every)
        jotted = {run.unit_id for run, _ in logbook.runs(words)} if words else set()
        group = str(self.group.currentData() or "")
        shown = [one for one in every if one.is_of(group) and (one.fits(words) or one.unit.id in jotted)]
        self._drop_cards()
        for heading, those in arranged(shown, str(self.order.currentData())):
            cards = [self._card(one) for one in those]
            self._headings.append((label(heading, "heading") if heading else None, cards))
            self._cards += cards
        self._place_cards()
        units = [one.unit for one in shown]
        self.several &= {unit.id for unit in units}
        is_first = not every and not words and not logbook.read_only
        self._empty.say("plain", "" if units or is_first else self._empty_words(words))
        self.first.setVisible(is_first)
        if is_first:
            self.first.look()
        self._show_meters()
        self._mark_chosen()
        page = self._side.findChild(MeterPage)
        known = {meter.id: meter for meter in logbook.meters()} if page is not None else {}
        if page is not None and page.meter.id in known:
            self.show_meter(known[page.meter.id])
        elif page is not None or self._side.findChild(QWidget, _FORM) is None:
            self._leave_panel()
            self._show_unit(self._bench.unit_id)

    def _on_shelf(self) -> list[OnShelf]:
        """Every unit with what is known of it."""
        logbook = self._bench.logbook
        runs: dict[int, list[Run]] = {}
        for run, _ in logbook.runs(limit=-1):
            if is_about_its_unit(run):
                runs.setdefault(run.unit_id or 0, []).append(run)
        every = []
        for unit in logbook.units():
            own = runs.get(unit.id, [])
            every.append(OnShelf(unit, own[0] if own else None, self._telling(own), own))
        return every

    def _telling(self, own: list[Run]) -> Summary | None:
        """Of a unit's runs the newest that says what it holds, else the newest."""
        found = [self._summary(run) for run in own[:_LOOKED_AT]]
        return next((summary for summary in found if summary is not None and summary.bar is not None), found[0] if found else None)

    def _offer_groups(self, every: list[OnShelf]) -> None:
        """Everything, each kind that is there, and what was tested or not."""
        kinds = [kind for kind in KINDS if any(one.unit.kind == kind for one in every)]
        tags = sorted({f"#{tag}" for one in every for tag in one.unit.facts.tags}, key=str.lower)
        wanted = ["", *kinds, *tags, TESTED, NOT_TESTED]
        if [self.group.itemData(k) for k in range(self.group.count())] == wanted:
            return
        kept = self.group.currentData()
        self.group.blockSignals(True)
        self.group.clear()
        for key in wanted:
            self.group.addItem(key if key in tags else say(key) if key else self.tr("everything"), key)
        self.group.setCurrentIndex(max(0, self.group.findData(kept)))
        self.group.blockSignals(False)

    def _drop_cards(self) -> None:
        for widget in (*self._cards, *(title for title, _ in self._headings if title is not None)):
            self._grid.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self._cards, self._headings = [], []

    def _clear(self) -> None:
        """Escape: nothing sought, nothing chosen together."""
        self.several.clear()
        self.search.clear()
        self._mark_chosen()
        self._show_unit(self._bench.unit_id)

    def _empty_words(self, words: str) -> str:
        if words:
            return self.tr("Nothing on the shelf fits “{words}”.").format(words=words)
        return self.tr("The shelf is empty.") if self._bench.logbook.read_only else self.tr("Nothing on the shelf is of that kind.")

    def _first_test(self) -> None:
        """From nothing to a plan in one click: a pack and a meter to try things out with."""
        if not self._bench.logbook.meters():
            self._bench.logbook.keep_meter(Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0))
        unit = self._bench.keep_unit(Unit("Trial pack", "battery", "2 Ah 12.8 V LiFePO4", note="Simulated, to try things out."))
        self._bench.test_wanted.emit(unit.id)

    def _begin_first(self, unit: Unit, method: str) -> None:
        """What was told of the first thing: it is kept, and its question's test is prepared."""
        kept = self._bench.keep_unit(unit)
        if kept.id:
            self._bench.measure_wanted.emit(kept.id, method)

    def _card(self, one: OnShelf) -> UnitCard:
        unit = one.unit
        card = UnitCard(unit, label_of(unit), one.summary, waits=one.newest is not None and one.newest.id in self._due)
        card.chosen.connect(self._choose)
        card.added.connect(self._add_to_chosen)
        card.opened.connect(self._bench.test_wanted)
        card.named.connect(self._rename)
        card.asked_for.connect(self._menu)
        return card

    def _choose(self, unit_id: int) -> None:
        self.several.clear()
        self._bench.choose_unit(unit_id)

    def _add_to_chosen(self, unit_id: int) -> None:
        """Several at once: the one that was chosen before is among them."""
        if not self.several and self._bench.unit_id and self._bench.unit_id != unit_id:
            self.several.add(self._bench.unit_id)
        self.several ^= {unit_id}
        self._mark_chosen()
        self._show_unit(self._bench.unit_id)

    def _rename(self, unit_id: int, name: str) -> None:
        unit = self._bench.logbook.unit(unit_id)
        if name != unit.name:
            self._bench.keep_unit(replace(unit, name=name))

    def _menu(self, unit_id: int, at: QPoint) -> None:
        """What can be done with a card."""
        if unit_id not in self.several:
            self._choose(unit_id)
        self.menu_of(unit_id).exec(at)

    def menu_of(self, unit_id: int) -> QMenu:
        unit, newest = self._bench.logbook.unit(unit_id), newest_of(self._bench.logbook, unit_id)
        card = next((c for c in self._cards if c.unit.id == unit_id), None)
        menu = QMenu(self)
        for text, do, on in (
            (self.tr("Prepare a test"), partial(self._bench.test_wanted.emit, unit_id), bool(suiting(unit))),
            (self.tr("Open the newest run"), partial(self._bench.run_opened.emit, newest.id if newest else 0), newest is not None),
            (self.tr("Same again …"), partial(self._bench.again_wanted.emit, newest.id if newest else 0), newest is not None),
            (self.tr("Compare its newest run"), partial(self._bench.compare_wanted.emit, newest.id if newest else 0), newest is not None),
            (self.tr("Add to the outlook"), partial(self._bench.outlook_wanted.emit, unit_id), unit.kind != "lead"),
            (self.tr("Rename    F2"), card.rename if card is not None else self._clear, card is not None),
            (self.tr("Edit"), lambda: self._open_form(UnitForm(unit)), True),
            (self.tr("Remove"), self._remove_chosen, True),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.setEnabled(
                on
                and not (self._bench.logbook.read_only and text not in (self.tr("Open the newest run"), self.tr("Compare its newest run")))
            )
            action.triggered.connect(lambda _=False, do=do: do())
        return menu

    def menu_of_run(self, run: Run) -> QMenu:
        """What can be done with an entry of the list of runs."""
        bench, menu = self._bench, QMenu(self)
        may = run.state != "running" and not bench.logbook.read_only
        for text, do, on in (
            (self.tr("Open"), lambda: bench.run_opened.emit(run.id), True),
            (self.tr("Compare"), lambda: bench.compare_wanted.emit(run.id), run.state != "running"),
            (self.tr("Throw away"), lambda: bench.throw_away([run]), may),
        ):
            if (action := menu.addAction(text)) is not None:
                action.setEnabled(on)
                action.triggered.connect(lambda _=False, do=do: do())
        return menu

    def _remove_chosen(self) -> None:
        """The one that is chosen, or all that are, with one undo."""
        ids = self.several or {self._bench.unit_id}
        self.several = set()
        self._bench.remove_units([u for u in self._bench.logbook.units() if u.id in ids])

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
        """Group below group, each with its heading; in a group those with a bar first, so that the rows are even."""
        columns = max(1, (self.width() - self._side.width() - 40) // 282)
        line = 0
        for title, those in self._headings:
            if title is not None:
                self._grid.addWidget(title, line, 0, 1, columns)
                line += 1
            for tall in (True, False):
                cards = [card for card in those if card.has_bar is tall]
                for place, card in enumerate(cards):
                    self._grid.addWidget(card, line + place // columns, place % columns)
                line += -(-len(cards) // columns)
        for column in range(8):
            self._grid.setColumnStretch(column, 1 if column < columns else 0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_cards()

    def sizeHint(self) -> QSize:
        return QSize(1280, 700)

    def _mark_chosen(self) -> None:
        for card in self._cards:
            card.set_chosen(card.unit.id in self.several if self.several else card.unit.id == self._bench.unit_id)

    def show_meter(self, meter: Meter) -> None:
        """The page of a meter at the right: how sure it is, when it was checked, what it could answer."""
        logbook, now = self._bench.logbook, datetime.now().astimezone()
        runs = [run for run, _ in logbook.runs(limit=_MOST_USES)]
        sheets = [(unit, partial(self._sheet_of, unit)) for unit in logbook.units()]
        page = MeterPage(meter, settled_by(meter, sheets), now, used=used_in(meter, runs), may_change=not logbook.read_only)
        page.edit_wanted.connect(self.start_meter)
        page.check_wanted.connect(lambda it: self._bench.check_wanted.emit(it.id))
        page.remove_wanted.connect(self._remove_meter)
        page.wanted.connect(self._bench.measure_wanted)
        self._put_in_panel(page)
        page.edit_button.setFocus()

    def _sheet_of(self, unit: Unit) -> list[AnswerRow]:
        """As far as it is known by now: nothing is worked out for it."""
        logbook = self._bench.logbook
        return sheet_of_unit(logbook, unit, lambda run: logbook.summary(run.id), datetime.now().astimezone())

    def _remove_meter(self, meter: Meter) -> None:
        self._leave_panel()
        self._bench.remove_meter(meter)

    def _leave_panel(self) -> None:
        if (there := self._side.findChild(QWidget, _FORM)) is not None:
            there.hide()
            there.setParent(None)
            there.deleteLater()  # it may be what was just clicked

    def _show_meters(self) -> None:
        clear(self._meters)
        meters = self._bench.logbook.meters()
        if not meters:
            self._meters.addWidget(label(self.tr("No meter yet. Without its accuracy there is no ± and no verdict."), "quiet"))
        for meter in meters:
            edit = button(meter.name, partial(self.show_meter, meter), "link")
            self._meters.addLayout(row(edit, label(_accuracy_text(meter)), label(_connection_text(meter), "quiet"), stretch=1))

    # the panel at the right

    def start_adding(self) -> None:
        """Open an empty form at the right."""
        self._open_form(UnitForm())

    def _open_form(self, form: UnitForm | MeterForm) -> None:
        form.kept.connect(self._keep)
        self._put_in_panel(form)
        form.name.setFocus()

    def _put_in_panel(self, form: UnitForm | MeterForm | MeterPage) -> None:
        self._leave_panel()
        self._about.removeWidget(self.answers)
        self.answers.hide()
        clear(self._about)
        form.left.connect(lambda: self._close_form(form))
        form.setObjectName(_FORM)
        self._about.addWidget(form)

    def start_meter(self, meter: Meter | None = None) -> None:
        from ubrant.ui.shelf.meter_form import MeterForm  # with what reads profiles, slow to import

        form = MeterForm(meter)
        form.check_wanted.connect(lambda it: self._bench.check_wanted.emit(it.id))
        self._open_form(form)

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
        focused = self.focusWidget()
        if focused is not None and self._side.isAncestorOf(focused):  # it goes: the next key must not land in the search
            next((card for card in self._cards if card.is_chosen), self.add).setFocus()
        self._about.removeWidget(self.answers)  # it stays, with its order
        self.answers.hide()
        clear(self._about)
        units = {u.id: u for u in self._bench.logbook.units()}
        if len(self.several) > 1:
            self._show_several([u for u in units.values() if u.id in self.several])
            return
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
        own = [(r, n) for r, n in self._bench.logbook.runs(limit=1000) if r.unit_id == unit.id]
        edit = button(self.tr("Edit"), lambda: self._open_form(UnitForm(unit)))
        remove = button(self.tr("Remove"), lambda: self._bench.remove_unit(unit))
        test = button(self.tr("Prepare a test"), lambda: self._bench.test_wanted.emit(unit.id), "chief")
        self._about.addSpacing(4)
        self._about.addLayout(row(*([test] if suiting(unit) else []), edit, remove))
        self._show_answers(unit, [run for run, _ in own])
        if unit.kind == "load" and any(run.unit_id == unit.id for run, _ in self._bench.logbook.runs(limit=1, unit_id=unit.id)):
            self._about.addWidget(button(self.tr("How long on which battery …"), partial(self._how_long, unit), "link"))
        if has_port(unit):
            self._about.addWidget(button(self.tr("What feeds it …"), self._what_feeds, "link"))
        for words in (unit.note, _facts_text(unit)):
            if words:
                self._about.addWidget(label(words, "quiet"))
        self._about.addWidget(PhotoStrip(self._bench, unit_id=unit.id))
        self._about.addSpacing(10)
        self._about.addWidget(label(self.tr("Runs"), "heading"))
        self._show_runs(own[:_MOST_RUNS], name_units=False)
        rehearsals = [r for r, _ in own if r.head.origin.road == SIMULATED and r.state != "running"]
        if rehearsals and not unit.stand_in:
            drop = button(
                self.tr("Drop its {count} rehearsals").format(count=len(rehearsals)), lambda: self._bench.throw_away(rehearsals), "link"
            )
            drop.setEnabled(not self._bench.logbook.read_only)
            self._about.addWidget(drop)
        self._about.addStretch(1)

    def _show_answers(self, unit: Unit, runs: list[Run]) -> None:
        """What people want to know of it. A sheet that is shown already keeps its order, whatever comes in meanwhile."""
        logbook = self._bench.logbook
        newest = {run.id for run in runs[:_MOST_RUNS]}

        def known(run: Run) -> Summary | None:  # of older ones what is kept: they are not worked out anew for it
            return self._summary(run) if run.id in newest else logbook.summary(run.id)

        rows = sheet_of_unit(logbook, unit, known, datetime.now().astimezone())
        waits_for = {run.method for run in runs if run.id in self._due}
        self.answers.show_rows(unit.id, rows, logbook.meters(), waits_for, may_measure=not logbook.read_only)
        if rows:
            self._about.addWidget(self.answers)
            self.answers.show()

    def _how_long(self, unit: Unit) -> None:
        from ubrant.ui.shelf.feeds_dialog import HoursDialog

        HoursDialog(self._bench.logbook, unit, self).exec()

    def _what_feeds(self) -> None:
        from ubrant.ui.shelf.feeds_dialog import FeedsDialog

        FeedsDialog(self._bench.logbook, self).exec()

    def _show_several(self, units: list[Unit]) -> None:
        """What was measured of each, one below the other."""
        self._about.addWidget(label(self.tr("{count} chosen").format(count=len(units)), "heading"))
        cards = {card.unit.id: card for card in self._cards}
        for unit in units:
            self._about.addWidget(label(unit.name))
            said = [cards[unit.id].measured(), cards[unit.id].verdict()] if unit.id in cards else []
            self._about.addWidget(label(" · ".join(filter(None, said)) or self.tr("not tested yet"), "quiet"))
        self._about.addSpacing(6)
        remove = button(self.tr("Remove these"), self._remove_chosen)
        remove.setEnabled(not self._bench.logbook.read_only)
        self._about.addLayout(row(remove, button(self.tr("Choose none"), self._clear)))
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
        DragsRun(entry, lambda: run.id if run.state != "running" else None)
        entry.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        entry.customContextMenuRequested.connect(lambda at: self.menu_of_run(run).exec(entry.mapToGlobal(at)))
        return entry


def _run_line(run: Run, summary: Summary | None) -> str:
    if run.state == "running":
        return "going on now"
    interrupted = "interrupted · " if run.state == "interrupted" else ""
    if summary is not None and (told := next(iter(summary.answers.values()), summary.short)):
        return f"{interrupted}{_clauses(told)}"
    title = title_of(run.method)
    if summary is None:
        return f"{title}: {run.state}, no result"
    return _short(summary.sentence if summary.sentence.startswith(title) else f"{title}: {summary.sentence}")


def _clauses(text: str) -> str:
    """As many of its clauses as the panel has room for, the first at least."""
    parts = text.split("; ")
    while len(parts) > 1 and len("; ".join(parts)) > _ROOM:
        parts.pop()
    return "; ".join(parts)


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


def _facts_text(unit: Unit) -> str:
    facts = unit.facts
    parts = [say("serial number {serial}", serial=facts.serial)] if facts.serial else []
    parts += [facts.price] if facts.price else []
    parts += [f"{plain(facts.volume_l, 3)} l"] if facts.volume_l is not None else []
    parts += [facts.connectors] if facts.connectors else []
    parts += [say("gives {peak}", peak=facts.peak)] if facts.peak else []
    parts += [say("not together: {apart}", apart=facts.apart)] if facts.apart else []
    return " · ".join((*parts, *(f"#{tag}" for tag in facts.tags)))


def _accuracy_text(meter: Meter) -> str:
    now = meter.on(datetime.now().astimezone().isoformat())
    try:
        parts = [show_accuracy(a) for a in (now.accuracy("V"), now.accuracy("A")) if a]
    except QuantityError as error:
        return str(error)
    return "   ".join(parts) or "accuracy not known"
