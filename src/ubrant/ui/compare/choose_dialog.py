"""What to use for a job: everything on the shelf that could, ranked."""

from __future__ import annotations

import contextlib
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.equipment.unit import parse_peak
from ubrant.core.outlook.spread import parse_spread
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kits.outlooks import parse_wanted
from ubrant.runs.studies.choosing_for import RankedSource, choices_for, chosen_sentence, rank_table, what_would_tell
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.table_dialog import ShownCell, TableDialog
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.work import quietly


class ChooseDialog(TableDialog):
    """A load, how long it is to last, and of which to choose."""

    def __init__(self, logbook: Logbook, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Choose for a job"), self.tr("Candidates, the longest first"), parent)
        self._logbook, self._asked = logbook, 0
        self.resize(980, 540)
        self.load = plain_field(self.tr("It draws"), "57 W", "57 ± 2 W")
        self.volts = plain_field(self.tr("at"), "", "12 V, 230 V")
        self.hours = plain_field(self.tr("It is to last"), "5 h", "5 h")
        self.only = plain_field(self.tr("Only of these"), "", self.tr("pack A, station"))
        self.starts = plain_field(self.tr("It starts with"), "", "96 W for 2 s")
        self.own = plain_field(self.tr("Its own battery holds"), "", "29 Wh")
        self.go = button(self.tr("Rank them"), self.work_out, "chief")
        column = self.layout()
        assert isinstance(column, QVBoxLayout)
        fields = ((self.tr("It draws"), self.load), (self.tr("at"), self.volts), (self.tr("to last"), self.hours))
        others = ((self.tr("It starts with"), self.starts), (self.tr("its own battery holds"), self.own), (self.tr("only of"), self.only))
        column.insertLayout(0, row(*(widget for title, field in fields for widget in (label(title), field)), self.go))
        column.insertLayout(1, row(*(widget for title, field in others for widget in (label(title), field)), stretch=5))
        for field in (self.load, self.volts, self.hours, self.starts, self.own, self.only):
            field.returnPressed.connect(self.work_out)
        self.work_out()

    def work_out(self) -> None:
        """Rank anew."""
        try:
            watts = parse_spread(self.load.text(), "W")
            wanted = parse_wanted(self.hours.text()).seconds if self.hours.text().strip() else None
            if self.hours.text().strip() and wanted is None:
                raise QuantityError(self.tr("How long is it to last? Write hours or days, like “5 h”."))
            words = [w.strip() for w in self.only.text().split(",") if w.strip()]
            volts = parse_quantity(self.volts.text(), "V") if self.volts.text().strip() else None
            starts = parse_peak(self.starts.text())
            own_wh = parse_quantity(self.own.text(), "Wh") if self.own.text().strip() else None
            if own_wh is not None and not own_wh > 0:
                raise QuantityError(self.tr("Its own battery holds more than 0 Wh, or leave that empty."))
        except QuantityError as error:
            self.sentence.say("bad", str(error))
            return
        self._asked += 1
        asked, place = self._asked, self._logbook.place

        def work() -> list[RankedSource]:
            with contextlib.closing(Logbook(place)) as beside:  # a connection of its own: it takes seconds where much was measured
                return choices_for(beside, watts, wanted, words, volts, starts, own_wh)

        def done(found: object) -> None:
            if asked == self._asked:  # else something else was asked for meanwhile
                self.sentence.say("bad", str(found)) if isinstance(found, Exception) else self._show(found)

        self.sentence.say("plain", self.tr("Working it out …"))
        quietly(self, work, done)

    def _show(self, found: Any) -> None:
        if not found:
            self.sentence.say("plain", self.tr("Nothing on the shelf has an energy or a label to go by, or nothing is called so."))
        else:
            self.sentence.say("plain", " ".join(filter(None, (chosen_sentence(found), what_would_tell(found)))))
        columns, lines = rank_table(found)
        cells = [[ShownCell(text, is_bad=one.seconds <= 0) for text in line] for one, line in zip(found, lines, strict=True)]
        self.fill([in_a_line(one.name) for one in found], [self.tr(c) for c in columns], cells)
