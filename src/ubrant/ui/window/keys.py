"""The page of keys."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label, row, scrolled

KEYS = (
    ("Ctrl+1 … Ctrl+6", "Shelf, Prepare, Run, Findings, Compare, Outlook"),
    ("Ctrl+B", "Days at the bench"),
    ("/", "to the jot line"),
    ("Enter, Space", "on a ledger row: open its sum; on a card: choose it"),
    ("← → + − Home", "on a trace: along, closer, away, everything"),
    ("Space, Escape", "in the readings table: this row is now; empty the row that is typed"),
    ("Ctrl+C, Ctrl+V", "in the readings table: copy it for a spreadsheet, paste rows"),
    ("F11", "volts and amperes, or by hand the next step, across the whole screen"),
    ("Ctrl+M", "mend a slip that leaves no doubt what was there"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+R", "the same again: of the run that is shown, for this unit or another"),
    ("Ctrl+F, F2", "on the shelf: search, write over a name"),
    ("Ctrl+Del", "throw away the run that Findings shows; Edit → Thrown away has it back"),
    ("A, T, B", "in the readings table: alarm, tripped, back, at this moment"),
    ("Ctrl+I", "import logs (or drop them on the window)"),
    ("Ctrl+P", "print a report of the run that is shown"),
    ("Ctrl+Shift+S", "save that report"),
    ("Ctrl+Shift+A", "copy the answer card: text and picture"),
    ("Ctrl+E", "export the run that is shown"),
    ("Ctrl+Shift+C", "copy the ledger"),
    ("Ctrl+N, Ctrl+O", "new logbook, open a logbook"),
    ("Ctrl+L", "what was said to the instruments, and what they answered"),
    ("Ctrl+.", "stop: load off, the run is kept"),
    ("Ctrl++, Ctrl+-, Ctrl+0", "everything larger, smaller, as it was at first"),
    ("Ctrl+,", "settings"),
    ("F1, Ctrl+F1", "the guide, this page"),
    ("Ctrl+Q", "quit; a run that is going on is asked about first"),
)


class KeysDialog(Dialog):
    """Which key does what."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Keys"))
        self.resize(700, 600)
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        for line, (keys, meaning) in enumerate(KEYS):
            grid.addWidget(label(keys, "heading"), line, 0)
            grid.addWidget(label(self.tr(meaning)), line, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(label(self.tr("Keys"), "title"))
        page = QWidget()
        page.setLayout(grid)
        grid.setContentsMargins(0, 0, 12, 0)
        layout.addWidget(scrolled(page), 1)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=0))
