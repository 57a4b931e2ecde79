"""Where it stops: the edges of a ladder against the batteries of the shelf, with the volts of each on their way down."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.runs.studies.where_it_stops import where_it_stops
from ubrant.ui.widgets.plot import PlotView
from ubrant.ui.widgets.table_dialog import ShownCell, TableDialog
from ubrant.ui.widgets.text import in_a_line


class WhereItStopsDialog(TableDialog):
    """A row a battery, a column an edge: how long until then; below, the volts of the battery in the row that is chosen."""

    def __init__(self, logbook: Logbook, unit: Unit, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Where it stops: {name}").format(name=in_a_line(unit.name)), self.tr("Edges against batteries"), parent)
        self.resize(880, 640)
        found = where_it_stops(logbook, unit)
        if found is None:
            self.nothing(self.tr("Climb a ladder of volts with it first, and read the amperes as well: they say how long a battery lasts."))
            return
        if not found.batteries:
            self.nothing(self.tr("No battery whose volts on the way down are known is on the shelf: add one with its label."))
            return
        self._batteries = found.batteries
        self.sentence.say(
            "plain", self.tr("Straight from each, full, {draws}; leads between take some of the volts.").format(draws=found.draws)
        )
        cells = [[ShownCell(one.text, battery.why, one.seconds < 0) for one in battery.until] for battery in found.batteries]
        self.fill([in_a_line(b.name) for b in found.batteries], [f"{name}\n{volts}" for name, volts in found.edges], cells)
        self.plot = PlotView()
        self.plot.setMinimumHeight(240)
        layout = self.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.insertWidget(layout.indexOf(self.table) + 1, self.plot, 2)
        self.table.currentCellChanged.connect(self._show)
        self.table.setCurrentCell(0, 0)
        self._show(0)

    def _show(self, row: int, *_: int) -> None:
        drawing = self._batteries[row].drawing if 0 <= row < len(self._batteries) else None
        self.plot.setVisible(drawing is not None)
        if drawing is not None:
            self.plot.show_plot(drawing)
