"""The fields of a discharge plan."""

from __future__ import annotations

import math

from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from ubrant.core.cutoff import Cutoff
from ubrant.core.label import Label
from ubrant.core.leads import OHM_PER_KM, Leads
from ubrant.core.meter import Meter
from ubrant.core.quantity import plain, show_duration
from ubrant.methods.discharge import DischargePlan, own_cutoff, usual_plan
from ubrant.ui.widgets.forms import Choice, QuantityField, label

SPEEDS = (("as fast as it can", math.inf), ("600 × the clock", 600.0), ("60 × the clock", 60.0), ("real time", 1.0))
_NO_METER = Meter("DC meter")


class PlanForm(QWidget):
    """Current, cut-off, rests, leads, meter, bench. ``changed`` on every keystroke."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.current = QuantityField("A", self.tr("Current"))
        self.cutoff = QuantityField("V", self.tr("Cut-off"))
        self.hold = QuantityField("s", self.tr("Hold"))
        self.every = QuantityField("s", self.tr("A reading every"))
        self.rest_before = QuantityField("s", self.tr("Rest before"))
        self.rest_after = QuantityField("s", self.tr("Rest after"))
        self.temperature = QuantityField("°C", self.tr("Battery's temperature"), may_be_empty=True)
        self.lead_length = QuantityField("m", self.tr("Lead length"))
        self.lead_area = Choice(self.tr("Lead section"))
        self.meter, self.speed = Choice(self.tr("Meter")), Choice(self.tr("Bench"))
        self._meters: list[Meter] = []
        self._label: Label | None = None
        self._lay_out()
        self.temperature.setPlaceholderText(self.tr("not known"))
        for area in OHM_PER_KM:
            self.lead_area.addItem(f"{area:g} mm²", area)
        self.lead_area.setCurrentIndex(self.lead_area.findData(4.0))
        for text, speed in SPEEDS:
            self.speed.addItem(self.tr(text), speed)
        self.speed.setCurrentIndex(int(QSettings().value("speed", 1)))
        for field in self._fields():
            field.changed.connect(self.changed)
        for box in (self.lead_area, self.meter, self.speed):
            box.currentIndexChanged.connect(lambda _: self.changed.emit())

    def _fields(self) -> tuple[QuantityField, ...]:
        return (
            self.current,
            self.cutoff,
            self.hold,
            self.every,
            self.rest_before,
            self.rest_after,
            self.temperature,
            self.lead_length,
        )

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        pairs = (
            (self.tr("Current"), self.current), (self.tr("Cut-off"), self.cutoff), (self.tr("below it for"), self.hold),
            (self.tr("A reading every"), self.every), (self.tr("Rest before, after"), self.rest_before), ("", self.rest_after),
            (self.tr("Battery is at"), self.temperature), (self.tr("Leads, one way"), self.lead_length), ("", self.lead_area),
            (self.tr("Battery meter"), self.meter), (self.tr("Simulated bench"), self.speed),
        )  # fmt: skip
        side_by_side = {self.rest_after, self.lead_area}
        line = -1
        for title, field in pairs:
            if field in side_by_side:
                grid.addWidget(field, line, 2)
                continue
            line += 1
            grid.addWidget(label(title), line, 0)
            wide = field in {self.rest_before, self.lead_length}
            grid.addWidget(field, line, 1, 1, 1 if wide else 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        for column in (1, 2):
            grid.setColumnMinimumWidth(column, 82)

    def offer_meters(self, meters: list[Meter]) -> None:
        chosen = self.meter.currentText()
        self._meters = meters or [_NO_METER]
        self.meter.blockSignals(True)
        self.meter.clear()
        for meter in self._meters:
            self.meter.addItem(meter.name)
        self.meter.setCurrentIndex(max(0, self.meter.findText(chosen)))
        self.meter.blockSignals(False)

    def suggest(self, found: Label) -> None:
        """Fill in the test that the label asks for.

        Raises
        ------
        ValueError
            The label gives no capacity in Ah.
        """
        self._label = found
        plan = usual_plan(found, Leads())
        self.blockSignals(True)
        self.current.setText(f"{plain(plan.current_a)} A")
        self.cutoff.setText(f"{plan.cutoff.voltage_v:.4g} V")
        self.hold.setText(show_duration(plan.cutoff.hold_s))
        self.every.setText(show_duration(plan.every_s))
        self.rest_before.setText(show_duration(plan.rest_before_s))
        self.rest_after.setText(show_duration(plan.rest_after_s))
        self.lead_length.setText("1.5 m")
        self.blockSignals(False)
        self.changed.emit()

    def trouble(self) -> str:
        """The first field that cannot be read, in a sentence; empty when all can."""
        for field in self._fields():
            if field.trouble:
                return f"{field.accessibleName()}: {field.trouble}"
        every, hold = self.every.value() or 0.0, self.hold.value()
        if not every > 0:
            return self.tr("A reading every: it has to be more than 0 s.")
        if hold is None or hold < 0:
            return self.tr("Hold: it has to be 0 s or more.")
        return ""

    def leads(self) -> Leads:
        return Leads(self.lead_length.value() or 0.0, float(self.lead_area.currentData()))

    def chosen_meter(self) -> Meter:
        return self._meters[max(0, self.meter.currentIndex())] if self._meters else _NO_METER

    def chosen_speed(self) -> float:
        return float(self.speed.currentData())

    def plan(self) -> DischargePlan:
        """The plan as it stands; only when there is no trouble."""
        current, volts = self.current.value() or 0.0, self.cutoff.value() or 0.0
        return DischargePlan(
            current, Cutoff(volts, self.hold.value() or 0.0), own_cutoff(volts, current, self.leads()), self.every.value() or 1.0,
            self.rest_before.value() or 0.0, self.rest_after.value() or 0.0, self.temperature.value(),
            self._label.chemistry if self._label else None, self._label.series if self._label else None,
        )  # fmt: skip
