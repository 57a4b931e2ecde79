"""A built-in display judged against a meter: pairs typed, the correction worked out and kept."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.checks import Check, check_of, control_chart, drifted
from ubrant.core.equipment.display_check import DisplayCheck, check_display, read_pairs
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.record.readings import ReadingsError
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.plot import PlotView
from ubrant.ui.widgets.text import in_a_line


class JudgeDialog(QDialog):
    """``found`` is the correction once it was accepted, for ``unit`` V or A."""

    def __init__(self, name: str, meters: list[Meter], parent: QWidget | None = None, history: Sequence[Check] = ()) -> None:
        super().__init__(parent)
        self.found: DisplayCheck | None = None
        self.made: Check | None = None
        self._history = history
        self.chart = PlotView()
        self.chart.setMinimumHeight(170)
        self.chart.hide()
        self._meters = meters
        self.setWindowTitle(in_a_line(self.tr("Judge {name} against a meter").format(name=name or self.tr("this display"))))
        self.resize(520, 420)
        self.quantity, self.against = Choice(self.tr("Quantity")), Choice(self.tr("The meter"))
        for text, unit in ((self.tr("volts"), "V"), (self.tr("amperes"), "A")):
            self.quantity.addItem(text, unit)
        for meter in meters:
            self.against.addItem(meter.name)
        self.pairs = QPlainTextEdit()
        self.pairs.setAccessibleName(self.tr("Pairs: the display, the meter"))
        self.pairs.setPlaceholderText("12.3 V 12.41 V\n13.1 V 13.22 V")
        self.note = Callout("plain")
        self.keep_button = button(self.tr("Keep the correction"), self.accept, "chief")
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(self.tr("Read both at the same moment, low and high. A line each: what the display shows, what the meter reads."))
        )
        layout.addLayout(row(self.quantity, self.against))
        layout.addWidget(self.pairs, 1)
        layout.addWidget(self.note)
        layout.addWidget(self.chart, 1)
        layout.addLayout(row(self.keep_button, button(self.tr("Leave it"), self.reject)))
        self.pairs.textChanged.connect(self._look)
        for box in (self.quantity, self.against):
            box.currentIndexChanged.connect(lambda _: self._look())
        self._look()

    @property
    def unit(self) -> str:
        return str(self.quantity.currentData())

    def _look(self) -> None:
        self.found = self.made = None
        self.keep_button.setEnabled(False)
        self.chart.hide()
        text = self.pairs.toPlainText()
        if not text.strip():
            self.note.say("plain", "")
            return
        try:
            shown, metered = read_pairs(text, self.unit)
            against = self._meters[self.against.currentIndex()] if self._meters else None
            accuracy = against.accuracy(self.unit) if against is not None else None
            self.found = check_display(shown, metered, accuracy, _digit_of(text))
            gain = accuracy.gain if accuracy is not None else 0.0
            day = datetime.now(UTC).isoformat(timespec="seconds")
            self.made = check_of(self.found, shown, metered, gain, self.unit, against.name if against is not None else "", day)
        except (QuantityError, ReadingsError) as error:
            self.note.say("bad", str(error))
            return
        said = self.tr("{sentence} Corrected: × {gain} {zero} {unit}; then good for ± ({accuracy}).").format(
            sentence=self.found.sentence,
            gain=plain(self.found.gain, 5),
            zero=f"{self.found.zero:+.4g}",
            unit=self.unit,
            accuracy=self.found.accuracy.text,
        )
        why = drifted(self._history, self.made)
        self.note.say("caution" if why else "plain", " ".join(filter(None, (said, why))))
        drawn = control_chart(self._history, self.unit, self.made)
        self.chart.setVisible(drawn is not None)
        if drawn is not None:
            self.chart.show_plot(drawn)
        self.keep_button.setEnabled(True)


def _digit_of(text: str) -> float:
    """The last digit of the display, by how its first value is written."""
    first = text.split()[0].replace(",", ".")
    number = "".join(c for c in first if c.isdigit() or c == ".")
    return float(10.0 ** -(len(number.partition(".")[2])))
