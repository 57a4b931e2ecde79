"""What feeds what: the batteries and panels of the shelf against its ports."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QDialog, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.core.quantities.quantity import plain
from ubrant.logbook.logbook import Logbook
from ubrant.methods import cautions
from ubrant.runs.what_feeds import PortOf, what_feeds
from ubrant.ui.theme import color
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button
from ubrant.ui.widgets.text import in_a_line


class FeedsDialog(QDialog):
    """A row a source, a column a port."""

    def __init__(self, logbook: Logbook, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("What feeds what"))
        self.resize(880, 460)
        found = what_feeds(logbook)
        self.sentence = Callout()
        self.table = QTableWidget(len(found.feeders), len(found.ports))
        self.table.setAccessibleName(self.tr("Sources against ports"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setWordWrap(True)
        self.table.setHorizontalHeaderLabels([self._heading(p) for p in found.ports])
        self.table.setVerticalHeaderLabels(
            [f"{in_a_line(f.candidate.name)}\n{plain(f.candidate.low_v, 3)} to {plain(f.candidate.high_v, 3)} V" for f in found.feeders]
        )
        for k, (feeder, fits) in enumerate(zip(found.feeders, found.fits, strict=True)):
            for j, (port, fit) in enumerate(zip(found.ports, fits, strict=True)):
                item = QTableWidgetItem(fit.text())
                item.setToolTip(self._more(feeder.why, feeder.energy_wh, port, gives=fit.watts is not None))
                if fit.watts is None or fit.watts[1] <= 0:
                    item.setForeground(QColor(color("loss")))
                self.table.setItem(k, j, item)
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.resizeRowsToContents()
        layout = QVBoxLayout(self)
        layout.addWidget(self.sentence)
        layout.addWidget(self.table, 1)
        layout.addWidget(button(self.tr("Close"), self.accept))
        if found.feeders and found.ports:
            self.sentence.say("caution", f"{cautions.WINDOW} {cautions.POLARITY}")
        else:
            self.table.hide()
            self.sentence.say("plain", self._nothing(bool(found.ports)))

    def _nothing(self, has_ports: bool) -> str:
        if has_ports:
            return self.tr("No battery with known cells is on the shelf, and no panel that was measured: add one with its label.")
        return self.tr("No port is on the shelf: put its window on the label of a station, like “input 12-60 V 10 A 200 W”.")

    def _heading(self, port: PortOf) -> str:
        window = port.port.window or (0.0, 0.0)
        limits = [f"{plain(x, 3)} {unit}" for x, unit in ((port.port.amps, "A"), (port.port.watts, "W")) if x is not None]
        told = self.tr("measured") if port.is_learned else self.tr("by its label")
        return f"{in_a_line(port.name)}\n{plain(window[0])} to {plain(window[1])} V, {', '.join(limits)} {told}".strip()

    def _more(self, why: str, energy_wh: float | None, port: PortOf, *, gives: bool) -> str:
        """Where the volts come from, and what the two hold together."""
        if not gives or not energy_wh or not port.own_wh:
            return why
        both = self.tr("{own} Wh of its own and {more} Wh: {all} Wh in all, before what is lost at the port").format(
            own=plain(port.own_wh, 3), more=plain(energy_wh, 3), all=plain(port.own_wh + energy_wh, 3)
        )
        return f"{why}\n{both}"
