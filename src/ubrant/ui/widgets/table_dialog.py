"""A table of words in a window of its own: something against something else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button
from ubrant.ui.widgets.text import cut, set_item_tip
from ubrant.ui.widgets.theme import color

_FEW = 4


@dataclass(frozen=True)
class ShownCell:
    """What stands in it, more for who rests there, and whether it is a warning."""

    text: str
    more: str = ""
    is_bad: bool = False


class TableDialog(Dialog):
    """A row and a column each with a heading of two lines."""

    def __init__(self, title: str, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(880, 460)
        self.sentence = Callout()
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName(name)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.addWidget(self.sentence)
        layout.addWidget(self.table, 1)
        layout.addWidget(button(self.tr("Close"), self.accept))

    def fill(self, rows: Sequence[str], columns: Sequence[str], cells: Sequence[Sequence[ShownCell]]) -> None:
        """Everything at once."""
        self.table.setRowCount(len(rows))
        self.table.setColumnCount(len(columns))
        self.table.setHorizontalHeaderLabels([cut(c) for c in columns])
        self.table.setVerticalHeaderLabels([cut(r) for r in rows])
        for k, line in enumerate(cells):
            for j, cell in enumerate(line):
                item = QTableWidgetItem(cut(cell.text))
                set_item_tip(item, cell.more)
                if cell.is_bad:
                    item.setForeground(QColor(color("loss")))
                self.table.setItem(k, j, item)
        if (header := self.table.horizontalHeader()) is not None:
            few = len(columns) <= _FEW
            self.table.setWordWrap(few)  # of many each is as wide as what stands in it
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch if few else QHeaderView.ResizeMode.ResizeToContents)
            header.setStretchLastSection(not few)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.resizeRowsToContents()

    def nothing(self, sentence: str) -> None:
        """Only why there is none."""
        self.table.hide()
        self.sentence.say("plain", sentence)
