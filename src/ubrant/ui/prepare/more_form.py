"""What few tests need: other ways to end, steps of the load, a charge, a zero, what is known of the start."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QLineEdit, QWidget

from ubrant.core.ending import Ends
from ubrant.core.label import Label
from ubrant.core.quantity import plain, show_duration
from ubrant.methods.discharge import ChargePlan, usual_charge
from ubrant.ui.widgets.forms import Choice, QuantityField, button, label
from ubrant.workshop.profiles import ProfileFileError, read_load_profile

NO_CHARGE, BEFORE, AFTER, CYCLES = "", "before", "after", "cycles"


class MoreForm(QWidget):
    """``changed`` on every keystroke. Everything in it may be left as it is."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.charge_out = QuantityField("Ah", self.tr("After so much charge"), may_be_empty=True)
        self.energy_out = QuantityField("Wh", self.tr("After so much energy"), may_be_empty=True)
        self.longest = QuantityField("s", self.tr("After so long"), may_be_empty=True)
        self.hottest = QuantityField("°C", self.tr("When the battery is at"), may_be_empty=True)
        self.risen = QLineEdit()
        self.risen.setAccessibleName(self.tr("When its resistance has risen to"))
        self.slow = QuantityField("A", self.tr("When less flows than"), may_be_empty=True)
        self.pulse_on = QuantityField("s", self.tr("Pulses: on for"), may_be_empty=True)
        self.pulse_off = QuantityField("s", self.tr("Pulses: off for"), may_be_empty=True)
        self.take_out = QuantityField("Ah", self.tr("Take out first"), may_be_empty=True)
        self.charge_when = Choice(self.tr("Charge"))
        for text, key in (
            (self.tr("none recorded"), NO_CHARGE), (self.tr("before"), BEFORE), (self.tr("after"), AFTER), (self.tr("in cycles"), CYCLES),
        ):  # fmt: skip
            self.charge_when.addItem(text, key)
        self.charge_a = QuantityField("A", self.tr("Charging current"), may_be_empty=True)
        self.charge_v = QuantityField("V", self.tr("Charging voltage"), may_be_empty=True)
        self.charge_end = QuantityField("A", self.tr("Charged when still flow"), may_be_empty=True)
        self.cycles = QLineEdit("3")
        self.cycles.setAccessibleName(self.tr("Cycles"))
        self.stop_share = QuantityField("%", self.tr("Stop under this share of the first"), may_be_empty=True)
        self.two_step = QCheckBox(self.tr("DC resistance in two steps first"))
        self.zero_first = QCheckBox(self.tr("Read the meter's zero first"))
        self.charged_how = QLineEdit()
        self.charged_how.setPlaceholderText(self.tr("how it was charged, how long it rested, settings"))
        self.charged_how.setAccessibleName(self.tr("What is known of the start"))
        self.profile_button = button(self.tr("Load profile from a file …"), self._choose_profile)
        self.profile: tuple[tuple[float, float], ...] = ()
        self._profile_trouble = ""
        self._lay_out()
        for field in (*self._quantities(), self.risen, self.cycles, self.charged_how):
            field.textChanged.connect(lambda _: self.changed.emit())
        self.charge_when.currentIndexChanged.connect(lambda _: self._charge_chosen())
        for box in (self.two_step, self.zero_first):
            box.toggled.connect(lambda _: self.changed.emit())
        self._label: Label | None = None
        self._charge_chosen()

    def _quantities(self) -> tuple[QuantityField, ...]:
        return (
            self.charge_out, self.energy_out, self.longest, self.hottest, self.slow, self.pulse_on, self.pulse_off, self.take_out,
            self.charge_a, self.charge_v, self.charge_end, self.stop_share,
        )  # fmt: skip

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        self._rows: dict[QWidget, QWidget] = {}
        pairs: tuple[tuple[str, QWidget], ...] = (
            (self.tr("End also after"), self.charge_out), ("", self.energy_out), ("", self.longest), (self.tr("… at a battery of"), self.hottest),
            (self.tr("… at a resistance ×"), self.risen), (self.tr("… when less than"), self.slow), (self.tr("Pulses: on for"), self.pulse_on),
            (self.tr("off for"), self.pulse_off), (self.tr("Take out first"), self.take_out), (self.tr("Charge recorded"), self.charge_when),
            (self.tr("at"), self.charge_a), (self.tr("up to"), self.charge_v), (self.tr("until still flow"), self.charge_end),
            (self.tr("Cycles"), self.cycles), (self.tr("until under"), self.stop_share), (self.tr("The start"), self.charged_how),
        )  # fmt: skip
        line = -1
        for title, field in pairs:
            if title:
                line += 1
                name = label(title)
                grid.addWidget(name, line, 0)
                self._rows[field] = name
                grid.addWidget(field, line, 1, 1, 3)
            else:
                grid.addWidget(field, line, 2 if field is self.energy_out else 3)
        grid.addWidget(self.charge_out, 0, 1)
        for widget in (self.profile_button, self.two_step, self.zero_first):
            line += 1
            grid.addWidget(widget, line, 0, 1, 4)
        for column in (1, 2, 3):
            grid.setColumnStretch(column, 1)
        for field, hint in ((self.charge_out, "Ah"), (self.energy_out, "Wh"), (self.longest, "h"), (self.hottest, "45 °C"), (self.risen, "1.5"),
                            (self.slow, "0.2 A"), (self.pulse_on, "60 s"), (self.pulse_off, "20 s"), (self.take_out, "4 Ah"), (self.stop_share, "80 %")):  # fmt: skip
            field.setPlaceholderText(hint)

    def suggest(self, found: Label) -> None:
        """How such a battery is usually charged."""
        self._label = found
        usual = usual_charge(found)
        for field, value, unit in ((self.charge_a, usual.current_a if usual else None, "A"), (self.charge_v, usual.limit_v if usual else None, "V"),
                                   (self.charge_end, usual.end_a if usual else None, "A")):  # fmt: skip
            field.setText(f"{plain(value)} {unit}" if value else "")

    def _charge_chosen(self) -> None:
        when = self.charge_when.currentData()
        for field in (self.charge_a, self.charge_v, self.charge_end):
            self._set_shown(field, when != NO_CHARGE)
        for other in (self.cycles, self.stop_share):
            self._set_shown(other, when == CYCLES)
        self.changed.emit()

    def _set_shown(self, field: QWidget, shown: bool) -> None:
        field.setVisible(shown)
        self._rows[field].setVisible(shown)

    def _choose_profile(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, self.tr("A load profile"), "", self.tr("Logs (*.csv *.txt);;All files (*)"))
        if path:
            self.read_profile(Path(path))

    def read_profile(self, path: Path) -> None:
        """Take the steps of the load from a file with time and current (or power)."""
        try:
            self.profile = read_load_profile(path)
        except ProfileFileError as error:
            self.profile, self._profile_trouble = (), str(error)
            self.profile_button.setText(self.tr("Load profile from a file …"))
        else:
            self._profile_trouble = ""
            length = show_duration(sum(s for s, _ in self.profile))
            self.profile_button.setText(
                self.tr("{name}: {count} steps, {length}").format(name=path.name, count=len(self.profile), length=length)
            )
        self.changed.emit()

    def trouble(self) -> str:
        """The first field that cannot be read, in a sentence; empty when all can."""
        for field in self._quantities():
            if field.trouble and field.isVisibleTo(self):
                return f"{field.accessibleName()}: {field.trouble}"
        if (self.pulse_on.value() is None) != (self.pulse_off.value() is None):
            return self.tr("Pulses need both: how long on, and how long off.")
        if self.charge_when.currentData() == CYCLES and not self.cycles.text().strip().isdigit():
            return self.tr("Cycles: write how many, like 3.")
        if self.risen.text().strip() and self._risen() is None:
            return self.tr("Resistance: write how many times what it was, like 1.5.")
        if self.charge_when.currentData() and self.charge() is None:
            return self.tr("The charge needs a current, a voltage and the current at which it ends.")
        return self._profile_trouble

    def _risen(self) -> float | None:
        try:
            value = float(self.risen.text().strip().replace(",", "."))
        except ValueError:
            return None
        return value if value > 1 else None

    def limits(self) -> Ends:
        return Ends(
            charge_ah=self.charge_out.value(), energy_wh=self.energy_out.value(), time_s=self.longest.value(), temperature_c=self.hottest.value(),
            resistance_rise=self._risen() if self.risen.text().strip() else None, slow_ah_per_h=self.slow.value(),
        )  # fmt: skip

    def charge(self) -> ChargePlan | None:
        amps, volts, end = self.charge_a.value(), self.charge_v.value(), self.charge_end.value()
        if not self.charge_when.currentData() or not amps or not volts or end is None:
            return None
        return ChargePlan(amps, volts, end)

    def pulses(self, amount: float) -> tuple[tuple[float, float], ...]:
        on_s, off_s = self.pulse_on.value(), self.pulse_off.value()
        return ((on_s, amount), (off_s, 0.0)) if on_s and off_s else ()

    def cycle_count(self) -> int:
        text = self.cycles.text().strip()
        return int(text) if self.charge_when.currentData() == CYCLES and text.isdigit() else 1

    def in_use(self) -> bool:
        """Whether anything here is other than usual."""
        return (
            self.limits() != Ends() or bool(self.charge_when.currentData()) or self.two_step.isChecked() or self.zero_first.isChecked()
            or bool(self.profile or self.pulses(1.0) or self.take_out.value() or self.charged_how.text().strip())
        )  # fmt: skip
