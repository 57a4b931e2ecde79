"""The readings table: what a person typed, a row a line; every cell can be changed, and the row that is typed next stands at the foot."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from PyQt6.QtCore import QEvent, QItemSelectionModel, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableView, QVBoxLayout, QWidget

from ubrant.core.quantities.jot import Grammar, JotError, TypedLine, fate_behind, mark_of_note
from ubrant.core.record.record import TapQuantity
from ubrant.logbook.records import Run
from ubrant.methods.rows import Prompt
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.pasting import changes_of_paste, not_there_yet
from ubrant.runs.typed.sheet import (
    SheetRow,
    TypedSheet,
    as_text,
    at_time,
    cell_text,
    column_of,
    column_title,
    left_out,
    line_of_cells,
    of_step,
    read_time,
    reading_of_cell,
    spread_over,
    taken_out,
    with_cell,
    with_note,
)
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.readings_model import Draft, ReadingsModel
from ubrant.ui.widgets.text import set_tip

_MARK_KEYS = {"a": "alarm", "t": "tripped", "b": "back"}
"""What a single key takes down, at this moment."""


class _View(QTableView):
    """Space fixes the time of the row that is typed; numbers begin a cell; Enter goes on to the next one; Escape empties the row."""

    stamped = pyqtSignal()
    entered = pyqtSignal()
    copied = pyqtSignal()
    pasted = pyqtSignal()
    cleared = pyqtSignal()
    asked_for = pyqtSignal(QPoint)
    marked = pyqtSignal(str)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copied.emit()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.pasted.emit()
        elif event.key() == Qt.Key.Key_Space and self.state() != QAbstractItemView.State.EditingState:
            self.stamped.emit()
        elif (mark := _MARK_KEYS.get(event.text().lower())) and self._takes_marks():
            self.marked.emit(mark)
        elif event.key() == Qt.Key.Key_Escape:
            self.cleared.emit()
        elif event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and self.state() != QAbstractItemView.State.EditingState:
            self.entered.emit()
        else:
            super().keyPressEvent(event)

    def _takes_marks(self) -> bool:
        """Letters begin a note, or the name of a step, and nothing else."""
        model, index = self.model(), self.currentIndex()
        in_words = isinstance(model, ReadingsModel) and index.isValid() and model.is_in_words(index)
        return self.state() != QAbstractItemView.State.EditingState and not in_words

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.text() == "/":
            return False  # it goes to the jot line, wherever the focus is
        return super().event(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked_for.emit(event.globalPos())


def _marked(mark: str) -> TypedLine:
    return TypedLine("", mark=mark, line=mark)


class ReadingsTable(QWidget):
    """Asks for changes to rows that were typed, and says when a new one is whole."""

    changed = pyqtSignal(list, str)
    """Changes to what was typed, and what to call them."""
    typed = pyqtSignal(TypedLine)
    closed = pyqtSignal()
    """A cell was written into, and is left: the table can be shown anew."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = ReadingsModel(self)
        self.view = _View()
        self.view.setModel(self.model)
        self.view.setAccessibleName(self.tr("Readings"))
        self.message = label("", "quiet")
        self.grammar: Callable[[], Grammar] = Grammar
        self.now_s: Callable[[], float] = lambda: 0.0
        self.needs_times = False
        self._row: Prompt | None = None
        self._whole: Sequence[TapQuantity] = ()
        self._questioned: TypedLine | None = None
        self._pasted_before = ""
        self.stamp_button = button(self.tr("Stamp now"), self.stamp)
        self.mark_button = button(self.tr("Mark"), lambda: None)
        self.paste_button = button(self.tr("Paste rows"), self.paste)
        self.leave_button = button(self.tr("Leave out"), self._leave_out)
        self.delete_button = button(self.tr("Delete row"), self._delete)
        self._build()
        self._to_read: list[tuple[int, TapQuantity | str, str]] = []
        self._discards = False
        self._once_left = QTimer(self)
        self._once_left.setSingleShot(True)
        self._once_left.timeout.connect(self._left_cell)
        self.model.written.connect(lambda number, key, text: self._to_read.append((number, key, text)))
        delegate = self.view.itemDelegate()
        assert delegate is not None
        delegate.closeEditor.connect(lambda: self._once_left.start(0))
        self.view.stamped.connect(self.stamp)
        self.view.entered.connect(self._enter)
        self.view.cleared.connect(self._clear_draft)
        self.view.copied.connect(self.copy)
        self.view.pasted.connect(self.paste)
        self.view.asked_for.connect(self._menu)
        self.view.marked.connect(self._mark)
        selection = self.view.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self._show_buttons())
        self._show_buttons()

    def _build(self) -> None:
        view = self.view
        view.setObjectName("readings")
        view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        view.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        view.setTabKeyNavigation(True)
        view.setShowGrid(False)
        view.setWordWrap(False)
        view.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        across, down = view.horizontalHeader(), view.verticalHeader()
        assert across is not None and down is not None
        down.hide()
        down.setDefaultSectionSize(28)
        across.setHighlightSections(False)
        across.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        across.setStretchLastSection(True)
        self.message.setMinimumHeight(self.message.fontMetrics().height() + 2)
        set_tip(self.stamp_button, self.tr("Space: the time of this row is now; the numbers follow when your hands are free."))
        menu = QMenu(self)
        for key, mark in _MARK_KEYS.items():
            action = menu.addAction(f"{mark.capitalize()}    {key.upper()}")
            assert action is not None
            action.triggered.connect(lambda _=False, mark=mark: self._mark(mark))
        self.mark_button.setMenu(menu)
        set_tip(self.mark_button, self.tr("A, T or B in the table: alarm, tripped, back, at this moment. The time between is a finding."))
        set_tip(self.paste_button, self.tr("Rows from a spreadsheet or a text, with a time in the first column or headings above."))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(view, 1)
        layout.addLayout(
            row(self.message, self.stamp_button, self.mark_button, self.paste_button, self.leave_button, self.delete_button, stretch=0)
        )

    def clear(self) -> None:
        """Nothing typed is carried into another run."""
        self._discards = self.is_busy
        if not self._discards:
            self.model.clear()
        self._questioned = None
        self._tell("")

    def show_sheet(
        self,
        sheet: TypedSheet,
        run: Run,
        says: Mapping[float, str],
        asked: Sequence[str] = (),
        next_row: Prompt | None = None,
        usual: Sequence[TapQuantity] = (),
        *,
        has_draft: bool,
        steps: Sequence[str] = (),
    ) -> None:
        """What was typed so far. Not while a cell is written into: see ``is_busy``.

        What ``next_row`` wants has to be in it; with that and what is ``usual`` it is whole, and taken down at once.
        """
        before = (self.model.sheet, self.model.draft is not None, self._row)
        self._row = next_row
        self._whole = (
            tuple(key for key in sheet.columns if key in {*(next_row.wanted if next_row is not None else ()), *usual}) or sheet.columns
        )
        self.model.show_sheet(sheet, run, says, asked, has_draft=has_draft, steps=steps)
        self.stamp_button.setVisible(has_draft)
        self.mark_button.setVisible(has_draft)
        if before != (sheet, has_draft, next_row) and has_draft:
            self.to_next()
        if len(before[0].columns) != len(sheet.columns) or not before[0].rows:
            self._set_widths()
        self._show_buttons()

    def show_says(self, says: Mapping[float, str]) -> None:
        """What each row says, worked out meanwhile."""
        self.model.says = says
        if (port := self.view.viewport()) is not None:
            port.update()

    def _set_widths(self) -> None:
        wide, across = self.view.fontMetrics().horizontalAdvance("0"), self.view.horizontalHeader()
        for place in range(self.model.columnCount() - 1):
            key = self.model.column_at(place)
            width = wide * (22 if key == "asked" else 17 if key == "says" else 13 if key == "time" else 10)
            room = self.view.sizeHintForColumn(place) + 4 if key == "time" else across.sectionSizeHint(place) if across is not None else 0
            self.view.setColumnWidth(place, max(width, room))

    @property
    def is_busy(self) -> bool:
        """A cell is written into."""
        return self.view.state() == QAbstractItemView.State.EditingState

    # the row that is typed

    @property
    def draft(self) -> Draft | None:
        return self.model.draft

    def unfinished(self) -> str:
        """What stands in the row that is not taken down yet; empty where nothing does."""
        draft = self.draft
        return "" if draft is None else " ".join([*draft.cells.values(), draft.note]).strip()

    def to_next(self) -> None:
        """Where the next number belongs: the first cell of the next row that is still empty."""
        if self.draft is None:
            return
        empty = [k for k in (*self._whole, *self.model.sheet.columns) if k in self.model.sheet.columns and k not in self.draft.cells]
        self._go(self.model.draft_row, empty[0] if empty else "note")

    def _go(self, place: int, key: TapQuantity | str) -> None:
        index = self.model.index(place, self.model.place_of(key))
        selection = self.view.selectionModel()
        assert selection is not None
        selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self.view.scrollTo(index)

    def stamp(self) -> None:
        """The row's time is now."""
        if self.draft is not None:
            self.draft.time_s = self.now_s()
            self._tell(self.tr("Its time is fixed: the numbers may follow later."))
            self._look()

    def _mark(self, mark: str) -> None:
        """Taken down at this moment, as a line of its own; the row that is typed stays as it is."""
        if self.draft is not None:
            self.typed.emit(replace(_marked(mark), after_start_s=self.now_s()))
            self._tell(self.tr("{mark}: taken down.").format(mark=mark.capitalize()))

    def _clear_draft(self) -> None:
        """Escape empties the row that is typed."""
        if self.draft is not None and not self.draft.is_empty:
            self.model.draft, self._questioned = Draft(), None
            self._tell("")
            self._look()
            self.to_next()

    def _enter(self) -> None:
        """Enter on the row that is typed takes it down; elsewhere it begins to change the cell."""
        index = self.view.currentIndex()
        if self.draft is not None and index.row() == self.model.draft_row:
            self._take_down()
        elif index.flags() & Qt.ItemFlag.ItemIsEditable and self.view.state() != QAbstractItemView.State.EditingState:
            self.view.edit(index)

    def _take_down(self) -> None:
        draft = self.draft
        assert draft is not None
        try:
            jotting = line_of_cells(draft.cells, self.model.sheet.columns, draft.note)
        except JotError as error:
            self._tell(str(error))
            return
        missing = [column_title(k, self.model.sheet.columns) for k in self._wanted(jotting.mark) if k not in draft.cells]
        if missing and draft.cells:
            self._tell(self.tr("This row still lacks {what}.").format(what=", ".join(missing)))
            self.to_next()
            return
        queries = self.grammar().queries(jotting)
        if queries and self._questioned != jotting:
            self._questioned = jotting
            self._tell(" ".join([*queries, self.tr("Enter again takes it down as it is.")]))
            return
        moment = draft.time_s if draft.time_s is not None else self.now_s()
        self.model.draft, self._questioned = Draft(), None
        self._tell("")
        self.typed.emit(replace(jotting, after_start_s=moment))

    def _wanted(self, mark: str) -> Sequence[TapQuantity]:
        return self._row.wanted_with(mark) if self._row is not None else ()

    def take_typed(self, text: str) -> None:
        """Numbers that were typed elsewhere for the row at the foot; nothing means that it is whole."""
        if self.draft is None:
            return
        if not text:
            self._take_down()
            return
        empty = [k for k in self._whole if k not in self.draft.cells]
        self._written(0, empty[0] if empty else "note", text)

    def give_back(self, jotting: TypedLine, sentence: str) -> None:
        """A row that could not be taken down stands again as it was typed, and why it could not."""
        columns = self.model.sheet.columns
        cells = {key: cell_text(r) for r in jotting.readings if (key := column_of(r, columns)) in columns}
        self.model.draft = Draft(cells, jotting.text, jotting.after_start_s)
        self._tell(sentence)
        self._look()

    # what was written

    def _left_cell(self) -> None:
        """What was written is looked at once the cell is left: what follows shows the table anew."""
        written, self._to_read = self._to_read, []
        if self._discards:  # it was begun in a run before this one
            self._discards, written = False, []
            self.model.clear()
        for number, key, text in written:
            self._written(number, key, text)
        self.closed.emit()

    def _written(self, number: int, key: TapQuantity | str, text: str) -> None:
        row = next((r for r in self.model.sheet.rows if r.number == number), None)
        try:
            if not number and self.draft is not None:
                self._written_anew(key, text)
            elif row is not None:
                self._written_again(row, key, text)
            else:
                self._tell(self.tr("“{text}” was not taken: that row has changed meanwhile.").format(text=text))
        except JotError as error:
            self._tell(str(error))

    def _written_anew(self, key: TapQuantity | str, text: str) -> None:
        draft = self.draft
        assert draft is not None and self.model.run is not None
        self._tell("")
        fate = ""
        if key == "time":
            draft.time_s = read_time(text, self.model.run, self.now_s(), self.now_s()) if text.strip() not in {"", self.tr("now")} else None
        elif key == "note":
            draft.note = text.strip()
        elif isinstance(key, tuple):
            numbers, fate = fate_behind(text)
            for place, cell in spread_over(numbers, key, self.model.sheet.columns).items() if numbers or not fate else ():
                if reading_of_cell(cell, place) is not None:
                    draft.cells[place] = cell.strip()
                else:
                    draft.cells.pop(place, None)
            draft.note = fate or draft.note
        self._look()
        whole = self._wanted(mark_of_note(fate)[0]) if fate else self._whole
        if key != "note" and draft.cells and all(k in draft.cells for k in whole):
            self._take_down()
        else:
            self.to_next()

    def _written_again(self, typed: SheetRow, key: TapQuantity | str, text: str) -> None:
        assert self.model.run is not None
        self._tell("")
        if key == "time":
            change = at_time(typed, read_time(text, self.model.run, typed.time_s, self.now_s()))
        elif key == "note":
            change = with_note(typed, text)
        elif key == "asked":
            change = of_step(typed, text, self.model.steps)
        else:
            assert isinstance(key, tuple)
            change = with_cell(typed, key, text)
        self._ask([change], self.tr("change a reading"))

    def _ask(self, changes: Sequence[RowChange | None], name: str) -> None:
        made = [c for c in changes if c is not None]
        if made:
            self.changed.emit(made, name)

    # rows

    def _chosen(self) -> list[SheetRow]:
        """The rows of the cells that are selected, as far as they were typed."""
        selection = self.view.selectionModel()
        assert selection is not None
        places = sorted({i.row() for i in selection.selectedIndexes()})
        return [self.model.sheet.rows[p] for p in places if p < len(self.model.sheet.rows)]

    def _leave_out(self) -> None:
        chosen = self._chosen()
        out = any(not r.is_left_out for r in chosen)
        try:
            self._ask([left_out(r, out=out) for r in chosen], self.tr("leave out") if out else self.tr("take in again"))
        except JotError as error:
            self._tell(str(error))

    def _delete(self) -> None:
        self._ask([taken_out(r) for r in self._chosen()], self.tr("delete a row"))

    def _insert(self) -> None:
        """The row that is typed next belongs before the one that is selected."""
        chosen = self._chosen()
        if self.draft is None or not chosen:
            return
        place = self.model.sheet.rows.index(chosen[0])
        before = self.model.sheet.rows[place - 1].time_s if place else chosen[0].time_s - 120.0
        self.draft.time_s = (before + chosen[0].time_s) / 2
        self._tell(self.tr("Type the row that belongs before it; its time can be changed, too."))
        self._look()
        self.to_next()

    def copy(self) -> None:
        """The whole table, or what is selected of it, for a spreadsheet."""
        clipboard, run = QGuiApplication.clipboard(), self.model.run
        if clipboard is None or run is None:
            return
        selection = self.view.selectionModel()
        assert selection is not None
        indexes = selection.selectedIndexes()
        if len(indexes) < 2:
            clipboard.setText(as_text(self.model.sheet, run))
            self._tell(self.tr("The table is on the clipboard."))
            return
        lines: dict[int, list[str]] = {}
        for index in sorted(indexes, key=lambda i: (i.row(), i.column())):
            lines.setdefault(index.row(), []).append(str(self.model.data(index) or ""))
        clipboard.setText("\n".join("\t".join(cells) for cells in lines.values()) + "\n")

    def paste(self) -> None:
        """Rows of a spreadsheet, all with one undo."""
        clipboard, run = QGuiApplication.clipboard(), self.model.run
        if clipboard is None or run is None:
            return
        text = clipboard.text()
        if not text.strip():
            self._tell(self.tr("There is nothing to paste: copy rows first."))
            return
        if (
            self.draft is not None
            and "\n" not in text.strip()
            and "\t" not in text
            and self.view.currentIndex().row() == self.model.draft_row
        ):
            self._written(0, self.model.column_at(self.view.currentIndex().column()), text)
            return
        try:
            sheet = self.model.sheet
            changes = changes_of_paste(
                text, sheet.columns, run, self.now_s(), needs_times=self.needs_times, into_rows=any(row.readings for row in sheet.rows)
            )
        except JotError as error:
            self._tell(str(error))
            return
        slip = self.grammar().slip_of_all([c.jotting for c in changes if c.jotting is not None])
        if slip and self._pasted_before != text:
            self._pasted_before = text
            self._tell(" ".join([slip, self.tr("Give them headings, or paste once more to take them as they are.")]))
            return
        self._pasted_before = ""
        new = not_there_yet(changes, self.model.sheet)
        self._ask(new, self.tr("paste {count} rows").format(count=len(new)))
        again = len(changes) - len(new)
        said = self.tr("{count} rows were pasted.").format(count=len(new)) if new else ""
        twice = self.tr("{count} of them stood there already, and were not taken twice.").format(count=again) if again else ""
        self._tell(" ".join(part for part in (said, twice) if part))

    def _menu(self, at: QPoint) -> None:
        chosen = self._chosen()
        menu = QMenu(self)
        for text, do, on in (
            (self.leave_button.text(), self._leave_out, bool(chosen)),
            (self.tr("Insert before it"), self._insert, bool(chosen) and self.draft is not None),
            (self.tr("Delete row"), self._delete, bool(chosen)),
            (self.tr("Copy"), self.copy, bool(self.model.sheet.rows)),
            (self.tr("Paste rows"), self.paste, True),
        ):
            action = menu.addAction(text)
            if action is not None:
                action.setEnabled(on)
                action.triggered.connect(lambda _=False, do=do: do())
        self._offer_steps(menu, chosen)
        menu.exec(at)

    def _offer_steps(self, menu: QMenu, chosen: Sequence[SheetRow]) -> None:
        """What the row that is chosen may answer instead."""
        if len(chosen) != 1 or not self.model.steps:
            return
        within = menu.addMenu(self.tr("It is of …"))
        for step in self.model.steps if within is not None else ():
            action = within.addAction(step)  # type: ignore[union-attr]
            if action is not None:
                action.triggered.connect(lambda _=False, step=step: self._written(chosen[0].number, "asked", step))

    def _show_buttons(self) -> None:
        chosen = self._chosen()
        self.leave_button.setEnabled(bool(chosen))
        self.delete_button.setEnabled(bool(chosen))
        out = bool(chosen) and all(r.is_left_out for r in chosen)
        self.leave_button.setText(self.tr("Take in again") if out else self.tr("Leave out"))

    def _look(self) -> None:
        model = self.model
        model.dataChanged.emit(model.index(model.draft_row, 0), model.index(model.draft_row, model.columnCount() - 1))

    def _tell(self, sentence: str) -> None:
        self.message.setText(sentence)
        self.view.setAccessibleDescription(sentence)
