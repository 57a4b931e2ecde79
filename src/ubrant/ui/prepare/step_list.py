"""The steps of a method, numbered, each with its cautions at its side."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from ubrant.core.quantities.quantity import show_duration
from ubrant.core.wording import say
from ubrant.methods.summary import StepLine
from ubrant.ui.widgets.text import Text
from ubrant.ui.widgets.theme import SMALL, color, font


class StepList(QWidget):
    """Shows a summarised method."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._lines: list[StepLine] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(10)
        self._grid.setColumnStretch(1, 3)
        self._grid.setColumnStretch(3, 4)

    def show_steps(self, lines: list[StepLine]) -> None:
        if lines == self._lines:
            return
        self._lines = lines
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        top = Qt.AlignmentFlag.AlignTop
        for row in range(self._grid.rowCount()):
            self._grid.setRowStretch(row, 0)
        self._grid.setRowStretch(len(lines), 1)  # what is not needed stays below
        for number, line in enumerate(lines):
            mark = self._text(self.tr("you") if line.by_person else f"{number + 1}", "current" if line.by_person else "quiet", bold=True)
            self._grid.addWidget(mark, number, 0, top)
            length = (
                f"  ({show_duration(line.seconds)})".replace(" ", "\u00a0")
                if line.seconds and show_duration(line.seconds) not in line.text
                else ""
            )
            self._grid.addWidget(self._text(line.text + length, "ink"), number, 1, top)
            if line.cautions:
                self._grid.addWidget(self._text("⚠", "caution", bold=True), number, 2, top)
                self._grid.addWidget(self._text(" ".join(say(c) for c in line.cautions), "ink"), number, 3, top)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.PaletteChange, QEvent.Type.StyleChange):
            lines, self._lines = self._lines, []
            self.show_steps(lines)

    def texts(self) -> list[str]:
        return [" ".join((line.text, *line.cautions)) for line in self._lines]

    def _text(self, text: str, tint: str, *, bold: bool = False) -> QLabel:
        made = Text(text)
        made.setWordWrap(not bold)
        made.setFont(font(SMALL + 0.5, bold=bold))
        made.setStyleSheet(f"color: {color(tint).name()};")
        return made
