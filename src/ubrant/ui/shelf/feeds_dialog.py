"""What feeds what: the batteries and panels of the shelf against its ports; and the modes of a load against its batteries."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import plain
from ubrant.logbook.logbook import Logbook
from ubrant.methods import cautions
from ubrant.runs.studies.mode_table import mode_table
from ubrant.runs.studies.what_feeds import PortOf, what_feeds
from ubrant.ui.widgets.table_dialog import ShownCell, TableDialog
from ubrant.ui.widgets.text import in_a_line


class FeedsDialog(TableDialog):
    """A row a source, a column a port."""

    def __init__(self, logbook: Logbook, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("What feeds what"), self.tr("Sources against ports"), parent)
        found = what_feeds(logbook)
        if not (found.feeders and found.ports):
            self.nothing(self._why_nothing(bool(found.ports)))
            return
        self.sentence.say("caution", f"{cautions.WINDOW} {cautions.POLARITY}")
        rows = [f"{in_a_line(f.candidate.name)}\n{plain(f.candidate.low_v, 3)} to {plain(f.candidate.high_v, 3)} V" for f in found.feeders]
        cells = [
            [
                ShownCell(
                    fit.text(),
                    self._more(feeder.why, feeder.energy_wh, port, gives=fit.watts is not None),
                    fit.watts is None or fit.watts[1] <= 0,
                )
                for port, fit in zip(found.ports, fits, strict=True)
            ]
            for feeder, fits in zip(found.feeders, found.fits, strict=True)
        ]
        self.fill(rows, [self._heading(p) for p in found.ports], cells)

    def _why_nothing(self, has_ports: bool) -> str:
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


class HoursDialog(TableDialog):
    """A row a battery, a column a mode: how long."""

    def __init__(self, logbook: Logbook, unit: Unit, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("How long on which battery"), self.tr("Modes against batteries"), parent)
        found = mode_table(logbook, unit)
        if found is None or not found.sources:
            self.nothing(self.tr("Measure its modes first, and put a battery on the shelf."))
            return
        self.sentence.say("plain", self.tr("Straight from each, all of it used; what a converter takes is in the outlook."))
        cells = [[ShownCell(row[j]) for row in found.cells] for j in range(len(found.sources))]
        self.fill([in_a_line(name) for name in found.sources], [f"{in_a_line(name)}\n{watts}" for name, watts in found.modes], cells)
