"""The pieces of an outlook as lines that are typed: sources, ways, loads, inputs."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCompleter, QLineEdit, QVBoxLayout, QWidget

from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY
from ubrant.ui.outlook.day import ROW
from ubrant.ui.widgets.forms import clear, label, mark_amiss

_HINTS = {
    SOURCE: "Pack A 640 Wh, usable 80 %",
    WAY: "inverter 88 %, idle 7 W",
    LOAD: "fridge 38 W 40 %",
    INPUT: "panel 60 W sun 07:00 to 19:00",
}


class RowField(QLineEdit):
    """One piece as a line; Enter goes on to the next, an emptied one goes away when it is left."""

    wants_next = pyqtSignal()
    left_empty = pyqtSignal()

    def __init__(self, kind: str, text: str, name: str, offered: list[str]) -> None:
        super().__init__(text)
        self.setCursorPosition(0)
        self.kind = kind
        self.setPlaceholderText(_HINTS[kind])
        self.setAccessibleName(name)
        self.setFixedHeight(ROW - 4)
        if offered:
            completer = QCompleter(offered)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            self.setCompleter(completer)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.wants_next.emit()
            return
        super().keyPressEvent(event)


class KitRows(QWidget):
    """Lines of some kinds, one empty one below each kind to write the next into."""

    changed = pyqtSignal()

    def __init__(self, kinds: tuple[tuple[str, str], ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._kinds = kinds
        self._offered: dict[str, list[str]] = {}
        self.fields: list[RowField] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)

    def offer(self, offered: dict[str, list[str]]) -> None:
        """Names of the shelf that a line may begin with."""
        self._offered = offered

    def show_rows(self, rows: list[tuple[str, str]]) -> None:
        """Build anew from (kind, line)."""
        clear(self._column)
        self.fields = []
        for kind, heading in self._kinds:
            if heading:
                self._column.addWidget(label(heading, "quiet"))
            for text in [t for k, t in rows if k == kind] + [""]:
                self._add(kind, text)
        self._column.addStretch(1)

    def _add(self, kind: str, text: str, place: int | None = None) -> RowField:
        name = dict(self._kinds)[kind] or self.tr("Load")
        field = RowField(kind, text, name, self._offered.get(kind, []))
        field.textEdited.connect(partial(self._edited, field))
        field.wants_next.connect(partial(self._next, field))
        if place is None:
            self._column.addWidget(field)
            self.fields.append(field)
        else:
            self._column.insertWidget(self._column.indexOf(self.fields[place]) + 1, field)
            self.fields.insert(place + 1, field)
        return field

    def _edited(self, field: RowField) -> None:
        place = self.fields.index(field)
        last = place + 1 == len(self.fields) or self.fields[place + 1].kind != field.kind
        if last and field.text().strip():
            self._add(field.kind, "", place)
        self.changed.emit()

    def _next(self, field: RowField) -> None:
        """On to the next line; emptied ones in between go."""
        place = self.fields.index(field)
        if place + 1 < len(self.fields):
            self.fields[place + 1].setFocus()
        QTimer.singleShot(0, self._tidy)

    def _tidy(self) -> None:
        """No two empty lines below each other."""
        for place in range(len(self.fields) - 2, -1, -1):
            field, below = self.fields[place], self.fields[place + 1]
            if not field.text().strip() and field.kind == below.kind and not field.hasFocus():
                self.fields.pop(place)
                self._column.removeWidget(field)
                field.deleteLater()
                self.changed.emit()

    def rows(self) -> list[tuple[str, str]]:
        return [(field.kind, field.text()) for field in self.fields if field.text().strip()]

    def field(self, kind: str, place: int) -> RowField:
        """The so-manieth written line of a kind."""
        return [f for f in self.fields if f.kind == kind and f.text().strip()][place]

    def empty(self, kind: str) -> RowField:
        """The line to write the next of a kind into."""
        return [f for f in self.fields if f.kind == kind and not f.text().strip()][-1]

    def mark(self, trouble: str) -> None:
        """Frame the line that a sentence is about; none with an empty one."""
        for field in self.fields:
            text = field.text().strip()
            named = bool(text) and (f"“{text}”" in trouble or any(f"]] {part}," in trouble for part in [text.split(" ")[0], text]))
            mark_amiss(field, trouble if named else "")
