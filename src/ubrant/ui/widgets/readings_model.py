"""The model of the readings table: rows that were typed, the row that is typed next, and what is to come."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from html import escape

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush
from PyQt6.QtWidgets import QWidget

from ubrant.core.record.record import TapQuantity
from ubrant.logbook.records import Run
from ubrant.runs.typed.sheet import SheetRow, TypedSheet, cell_text, clock_at, column_title, over_days, written_note
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import color, font

_MOST_COMING = 2


@dataclass
class Draft:
    """The row that is being typed: its cells, its note, its time once it is fixed."""

    cells: dict[TapQuantity, str] = field(default_factory=dict)
    note: str = ""
    time_s: float | None = None

    @property
    def is_empty(self) -> bool:
        return not self.cells and not self.note and self.time_s is None


def _count(sheet: TypedSheet, asked: Sequence[str], *, has_draft: bool) -> int:
    """Rows typed, the one that is typed next, and what is to come."""
    coming = max(len(asked) - len(sheet.rows) - 1, 0) if has_draft else 0
    return len(sheet.rows) + has_draft + min(coming, _MOST_COMING)


class ReadingsModel(QAbstractTableModel):
    """Rows typed, the row that is typed next, and what is to come; changes are asked of whoever keeps them."""

    written = pyqtSignal(int, object, str)
    """(number of the line, column, text) of what was written into a cell, 0 for the row that is typed; a column is a tap and quantity, *time* or *note*."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sheet = TypedSheet((), ())
        self.run: Run | None = None
        self.draft: Draft | None = None
        self.asked: Sequence[str] = ()
        self.steps: Sequence[str] = ()
        self.says: Mapping[float, str] = {}
        self._columns: list[TapQuantity | str] = []

    def clear(self) -> None:
        """Nothing was typed, and nothing is."""
        self.beginResetModel()
        self.sheet, self.draft = TypedSheet((), ()), None
        self.endResetModel()

    def show_sheet(
        self, sheet: TypedSheet, run: Run, says: Mapping[float, str], asked: Sequence[str], *, has_draft: bool, steps: Sequence[str] = ()
    ) -> None:
        """``asked``: what the method wants at each row, those that were typed among them; ``says``: what each row says, by its time.

        ``steps``: what a row may be changed to answer; empty where the order alone says it.
        """
        self.steps = steps
        same = (sheet.columns, has_draft, any(asked)) == (self.sheet.columns, self.draft is not None, any(self.asked))
        fewer, more = self.rowCount(), _count(sheet, asked, has_draft=has_draft)
        if not same:
            self.beginResetModel()
        elif more > fewer:
            self.beginInsertRows(QModelIndex(), self.draft_row, self.draft_row + more - fewer - 1)
        elif more < fewer:
            self.beginRemoveRows(QModelIndex(), more - has_draft, fewer - has_draft - 1)
        self.sheet, self.run, self.says, self.asked = sheet, run, says, asked
        self.draft = (self.draft or Draft()) if has_draft else None
        self._columns = ["time", *(["asked"] if any(asked) else []), *sheet.columns, "says", "note"]
        if not same:
            self.endResetModel()
            return
        if more > fewer:
            self.endInsertRows()
        elif more < fewer:
            self.endRemoveRows()
        self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, self.columnCount() - 1))

    @property
    def draft_row(self) -> int:
        """Its place; behind the last one where there is none."""
        return len(self.sheet.rows)

    def column_at(self, column: int) -> TapQuantity | str:
        return self._columns[column]

    def place_of(self, key: TapQuantity | str) -> int:
        return self._columns.index(key)

    # as Qt asks for it

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return _count(self.sheet, self.asked, has_draft=self.draft is not None)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self._columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            key = self._columns[section]
            names = {"time": self.tr("time"), "asked": self.tr("wanted"), "says": self.tr("says"), "note": self.tr("note")}
            return column_title(key, self.sheet.columns) if isinstance(key, tuple) else names[key]
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return self._alignment(self._columns[section])
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        usual = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.row() > self.draft_row:
            return Qt.ItemFlag.NoItemFlags
        key = self._columns[index.column()]
        of_step = key == "asked" and bool(self.steps) and index.row() < self.draft_row
        return usual | Qt.ItemFlag.ItemIsEditable if of_step or key not in {"asked", "says"} else usual

    def is_in_words(self, index: QModelIndex) -> bool:
        """Whether words are written there, and no numbers."""
        return self._columns[index.column()] in {"note", "asked"} and bool(self.flags(index) & Qt.ItemFlag.ItemIsEditable)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        place, key = index.row(), self._columns[index.column()]
        typed = self.sheet.rows[place] if place < len(self.sheet.rows) else None
        match role:
            case Qt.ItemDataRole.DisplayRole | Qt.ItemDataRole.EditRole | Qt.ItemDataRole.AccessibleTextRole:
                return self._text(place, typed, key, editing=role == Qt.ItemDataRole.EditRole)
            case Qt.ItemDataRole.TextAlignmentRole:
                return self._alignment(key)
            case Qt.ItemDataRole.ToolTipRole:
                return self._tip(typed) if typed is not None and typed.before else None
            case Qt.ItemDataRole.FontRole:
                made = font(9.5, bold=key == "says" or place == self.draft_row)
                made.setStrikeOut(typed is not None and typed.is_left_out)
                return made
            case Qt.ItemDataRole.ForegroundRole:
                quiet = place > self.draft_row or (typed is not None and typed.is_left_out) or key == "note"
                return QBrush(color("quiet" if quiet else "ink"))
            case Qt.ItemDataRole.BackgroundRole:
                return QBrush(color("caution_wash")) if place == self.draft_row and self.draft is not None else None
        return None

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role == Qt.ItemDataRole.EditRole:
            rows = self.sheet.rows
            number = rows[index.row()].number if index.row() < len(rows) else 0
            self.written.emit(number, self._columns[index.column()], str(value))
        return role == Qt.ItemDataRole.EditRole

    def _text(self, place: int, typed: SheetRow | None, key: TapQuantity | str, *, editing: bool) -> str:
        assert self.run is not None
        if key == "asked":
            return self.asked[place] if place < len(self.asked) else ""
        if typed is None:
            return self._draft_text(key) if place == self.draft_row else (self.tr("to come") if key == "time" else "")
        if isinstance(key, tuple):
            return cell_text(typed.readings[key]) if key in typed.readings else ""
        if key == "time":
            return clock_at(self.run, typed.time_s, days=over_days(self.sheet))
        if key == "says":
            return "" if typed.is_left_out else self.says.get(typed.time_s, "")
        if editing:
            return written_note(typed)
        mark = self.tr("left out") if typed.is_left_out else typed.jotting.mark
        was = self.tr("was {line}").format(line=typed.before[-1]) if typed.before else ""
        return in_a_line(" · ".join(part for part in (mark, typed.jotting.text, was) if part))

    def _tip(self, typed: SheetRow) -> str:
        """What stood there before, the first first."""
        return f"<qt>{'<br>'.join(escape(in_a_line(self.tr('was {line}').format(line=line))) for line in typed.before)}</qt>"

    def _draft_text(self, key: TapQuantity | str) -> str:
        assert self.run is not None and self.draft is not None
        if key == "time":
            return clock_at(self.run, self.draft.time_s) if self.draft.time_s is not None else self.tr("now")
        if key == "note":
            return self.draft.note
        return self.draft.cells.get(key, "") if isinstance(key, tuple) else ""

    def _alignment(self, key: TapQuantity | str) -> Qt.AlignmentFlag:
        across = Qt.AlignmentFlag.AlignRight if isinstance(key, tuple) or key == "says" else Qt.AlignmentFlag.AlignLeft
        return across | Qt.AlignmentFlag.AlignVCenter
