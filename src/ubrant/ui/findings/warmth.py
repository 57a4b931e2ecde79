"""How warm it was: the battery's own temperature, or the room's, said once for the whole logbook."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.record.head import parse_room, show_room
from ubrant.logbook.records import Run
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.forms import QuantityField, label, mark_amiss, row
from ubrant.ui.widgets.plain_field import plain_field


class Warmth(QWidget):
    """Asked of the run that is shown; what is said is kept at once, and can be taken back."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        self._run: Run | None = None
        self.temperature = QuantityField("°C", self.tr("The battery was at"), may_be_empty=True)
        self.temperature.setPlaceholderText(self.tr("not known"))
        self.temperature.editingFinished.connect(self._keep_temperature)
        self.room = plain_field(self.tr("The room is"), hint=self.tr("17 to 23 °C"))
        self.room.setToolTip(self.tr("Counts for every run in this logbook whose temperature nobody wrote down."))
        self.room.textChanged.connect(lambda _: mark_amiss(self.room, self._room_trouble()))
        self.room.editingFinished.connect(self._keep_room)
        self._room_row = QWidget()
        of_room = row(label(self.tr("The room is, in every run here")), self.room, stretch=1)
        of_room.setContentsMargins(0, 0, 0, 0)
        self._room_row.setLayout(of_room)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(row(label(self.tr("The battery was at")), self.temperature, stretch=1))
        layout.addWidget(self._room_row)

    def show_run(self, run: Run) -> None:
        self._run = run
        known = run.head.conditions
        self.temperature.setText("" if known.temperature_c is None else f"{plain(known.temperature_c)} °C")
        self.room.setText(show_room(known.room_c))
        self._room_row.setVisible(known.temperature_c is None)

    def _keep_temperature(self) -> None:
        """What nobody wrote down before: from now on the run is judged at it."""
        if self._run is None or self.temperature.trouble:
            return
        kept, celsius = self._run.head.conditions, self.temperature.value()
        if celsius != kept.temperature_c:
            self._bench.tell(self._run.under(conditions=replace(kept, temperature_c=celsius)), self.tr("its temperature"))

    def _keep_room(self) -> None:
        if self._run is None or self._room_trouble():
            return
        room_c = parse_room(self.room.text())
        if room_c != self._run.head.conditions.room_c:
            self._bench.keep_room(self._run, room_c)

    def _room_trouble(self) -> str:
        try:
            parse_room(self.room.text())
        except QuantityError as error:
            return str(error)
        return ""
