"""What only a person knows of a run: buttons that mend a slip or say that it is so."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ubrant.core.gate.check import Question
from ubrant.ui.widgets.forms import button

MEND_KEY = "Ctrl+M"


class Asked(QWidget):
    """A button for each question, and one for each slip that can be mended; the first of those by a key, too."""

    answered = pyqtSignal(object)
    mended = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shown: tuple[Question, ...] = ()
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        QShortcut(QKeySequence(MEND_KEY), self).activated.connect(self._mend_first)
        self.hide()

    def show_questions(self, questions: tuple[Question, ...], *, only_mends: bool = False) -> None:
        """Those of an account; ``only_mends`` while a run is going on, and its person looks at the bench."""
        shown = tuple(question for question in questions if question.mend is not None or not only_mends)
        if shown == self._shown:
            return
        self._shown = shown
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        mends = [question.mend for question in shown if question.mend is not None]
        for mend in mends:
            made = button(mend.text, partial(self.mended.emit, mend))
            if mend is mends[0]:
                made.setToolTip(f"{mend.text} ({MEND_KEY})")
            self._row.addWidget(made)
        for question in () if only_mends else shown:
            self._row.addWidget(button(question.yes, partial(self.answered.emit, question)))
        self._row.addStretch(1)
        self.setVisible(bool(shown))

    def _mend_first(self) -> None:
        mend = next((question.mend for question in self._shown if question.mend is not None), None)
        if mend is not None:
            self.mended.emit(mend)
