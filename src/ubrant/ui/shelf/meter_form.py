"""Enter a meter with its accuracy as the manual words it."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ubrant.core.meter import Meter
from ubrant.core.quantity import plain
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import QuantityField, button, check_accuracy, label, row


class MeterForm(QWidget):
    """Emits ``kept`` with the meter as it was entered."""

    kept = pyqtSignal(Meter)
    left = pyqtSignal()

    def __init__(self, meter: Meter | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._meter = meter or Meter("")
        self.name = QLineEdit(self._meter.name)
        self.name.setPlaceholderText(self.tr("Bench meter"))
        self.name.setAccessibleName(self.tr("Name"))
        self.volts, self.amps = QLineEdit(self._meter.voltage_accuracy), QLineEdit(self._meter.current_accuracy)
        self.volts.setAccessibleName(self.tr("Accuracy of its volts"))
        self.amps.setAccessibleName(self.tr("Accuracy of its amperes"))
        self.volts.setPlaceholderText("0.1 % + 3 mV")
        self.amps.setPlaceholderText("0.5 % + 2 digits of 10 mA")
        self.max_v = QuantityField("V", self.tr("Reads up to, volts"), may_be_empty=True)
        self.max_a = QuantityField("A", self.tr("Reads up to, amperes"), may_be_empty=True)
        for field, value, unit in ((self.max_v, self._meter.max_v, "V"), (self.max_a, self._meter.max_a, "A")):
            field.setText(f"{plain(value)} {unit}" if value else "")
        self._trouble = Callout("bad")
        self._keep = button(self.tr("Keep it"), self._emit, "chief")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(label(self.tr("A meter"), "heading"))
        rows: tuple[tuple[str, QWidget], ...] = (
            (self.tr("Name"), self.name), (self.tr("Accuracy of its volts, as the manual says it"), self.volts),
            (self.tr("Accuracy of its amperes"), self.amps), (self.tr("Reads up to"), self.max_v), ("", self.max_a),
        )  # fmt: skip
        for title, widget in rows:
            if title:
                layout.addSpacing(5)
                layout.addWidget(label(title))
            layout.addWidget(widget)
        layout.addWidget(self._trouble)
        layout.addSpacing(8)
        layout.addLayout(row(self._keep, button(self.tr("Leave it"), self.left.emit)))
        layout.addStretch(1)
        for line in (self.name, self.volts, self.amps, self.max_v, self.max_a):
            line.textChanged.connect(self._look)
            line.returnPressed.connect(self._emit)
        self._look()

    def trouble(self) -> str:
        return self._trouble.text()

    def _look(self) -> None:
        trouble = self.max_v.trouble or self.max_a.trouble
        trouble = trouble or check_accuracy(self.volts, "V") or check_accuracy(self.amps, "A")
        self._trouble.say("bad", trouble)
        self._keep.setEnabled(bool(self.name.text().strip()) and not trouble)

    def _emit(self) -> None:
        if self._keep.isEnabled():
            self.kept.emit(replace(
                self._meter, name=self.name.text().strip(), voltage_accuracy=self.volts.text().strip(),
                current_accuracy=self.amps.text().strip(), max_v=self.max_v.value(), max_a=self.max_a.value(),
            ))  # fmt: skip
