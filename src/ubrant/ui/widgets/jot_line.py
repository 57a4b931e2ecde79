"""The jot line: readings, marks and notes, one line, one Enter. It says what it understood while one types, and asks about slips."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ubrant.core.quantities.jot import Grammar, JotError, TypedLine
from ubrant.ui.widgets.forms import label, mark_amiss


class JotLine(QLineEdit):
    """Enter takes down what was typed and empties the line; where it may be a slip, a second Enter does. Up brings the last line back to
    be corrected. ``hint`` says what was understood, and is placed by whoever places the line.
    """

    jotted = pyqtSignal(TypedLine)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.grammar: Callable[[], Grammar] = Grammar
        self.hint = label("", "quiet")
        self._questioned = ""
        self._last = ""
        self.setAccessibleName(self.tr("Jot line"))
        self.setPlaceholderText(self.tr("Jot it down ( / ):  12.94 V 4.1 A  ·  -5min fan started"))
        self.setMinimumHeight(36)
        self.returnPressed.connect(self._record)
        self.textChanged.connect(self._look)

    def with_hint(self) -> QWidget:
        """The line with its hint below."""
        both = QWidget()
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self)
        column.addWidget(self.hint)
        return both

    def refuse(self, sentence: str) -> None:
        """Say why the last line was not taken down, and give it back."""
        self.setText(self._last)
        self._questioned = self._last  # what was asked about it was answered by the Enter that is refused now
        self._tell(sentence, amiss=True)

    def event(self, event: QEvent | None) -> bool:
        """Where there is nothing of its own to undo, undo is that of the window."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            undoes = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
            if undoes or (event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()):
                event.ignore()
                return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Up and not self.text() and self._last:
            self.setText(f"fix {self._last}")
        else:
            super().keyPressEvent(event)

    def _look(self) -> None:
        text = self.text().strip()
        if text != self._questioned:
            self._questioned = ""
        if not text:
            self._tell("")
            return
        grammar = self.grammar()
        try:
            jotting = grammar.parse(text)
        except ValueError as error:
            self._tell(str(error))
            return
        understood = jotting.understood() if jotting is not None else ""
        queries = grammar.queries(jotting) if jotting is not None else []
        self._tell(" ".join([self.tr("Read as {what}.").format(what=understood) if understood else self.tr("A note."), *queries]))

    def _tell(self, sentence: str, *, amiss: bool = False) -> None:
        self.hint.setText(sentence)
        mark_amiss(self, sentence if amiss else "")
        self.setAccessibleDescription(sentence)

    def _record(self) -> None:
        grammar = self.grammar()
        try:
            jotting = grammar.parse(self.text())
        except (JotError, ValueError) as error:
            self._tell(str(error), amiss=True)
            return
        if jotting is None:
            return
        queries = grammar.queries(jotting)
        if queries and self._questioned != self.text().strip():
            self._questioned = self.text().strip()
            self._tell(" ".join([*queries, self.tr("Enter again takes it down as it is.")]), amiss=True)
            return
        self._last, self._questioned = self.text().strip(), ""
        self.setText("")  # and not clear(), which Ctrl+Z would take back here, where it is meant for what was taken down
        self.jotted.emit(jotting)
