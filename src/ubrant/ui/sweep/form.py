"""The fields of a sweep."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.quantity import QuantityError, plain
from ubrant.core.unit import Unit
from ubrant.methods.sweep import SweepPlan
from ubrant.ui.widgets.forms import Choice, label
from ubrant.workshop.benches import BY_HAND, SIMULATED
from ubrant.workshop.sweeping import read_plan, usual_sweep

_NO_METER = Meter("DC meter")
_SPEEDS = (
    ("simulated, as fast as it can", float("inf")),
    ("simulated, 60 × the clock", 60.0),
    ("simulated, in real time", 1.0),
    ("none: I set and type", 0.0),
)


class SweepForm(QWidget):
    """``changed`` on every keystroke."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.fields = {name: QLineEdit() for name in ("highest", "lowest", "step", "loads", "tolerance", "rated", "most")}
        self.bench, self.input_meter, self.output_meter = (
            Choice(self.tr("Bench")),
            Choice(self.tr("Meter at the input")),
            Choice(self.tr("Meter at the output")),
        )
        for text, speed in _SPEEDS:
            self.bench.addItem(self.tr(text), speed)
        self._meters: list[Meter] = []
        self._unit: Unit | None = None
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        rows = (
            (self.tr("Bench"), self.bench), (self.tr("Input from"), self.fields["highest"]), (self.tr("down to"), self.fields["lowest"]),
            (self.tr("in steps of"), self.fields["step"]), (self.tr("Loads"), self.fields["loads"]), (self.tr("Output may be"), self.fields["tolerance"]),
            (self.tr("Rated output"), self.fields["rated"]), (self.tr("Most input current"), self.fields["most"]),
            (self.tr("Meter at the input"), self.input_meter), (self.tr("at the output"), self.output_meter),
        )  # fmt: skip
        for line, (title, field) in enumerate(rows):
            grid.addWidget(label(title), line, 0)
            grid.addWidget(field, line, 1)
            if isinstance(field, QLineEdit):
                field.setAccessibleName(title)
                field.textChanged.connect(lambda _: self.changed.emit())
        grid.setColumnStretch(1, 1)
        for box in (self.bench, self.input_meter, self.output_meter):
            box.currentIndexChanged.connect(lambda _: self.changed.emit())

    def offer_meters(self, meters: list[Meter]) -> None:
        self._meters = [m for m in meters if m.details.role == "meter"] or [_NO_METER]
        for box in (self.input_meter, self.output_meter):
            kept = box.currentText()
            box.blockSignals(True)
            box.clear()
            for meter in self._meters:
                box.addItem(meter.name)
            box.setCurrentIndex(max(0, box.findText(kept)))
            box.blockSignals(False)

    def suggest(self, unit: Unit) -> None:
        """Fill in what the label asks for.

        Raises
        ------
        ValueError
            It does not say enough.
        """
        self._unit = unit
        plan = usual_sweep(unit)
        texts = {
            "highest": f"{plain(plan.highest_v)} V", "lowest": f"{plain(plan.lowest_v)} V", "step": f"{plain(plan.step_v)} V",
            "loads": ", ".join(f"{plain(a)}" for a in plan.loads_a) + " A", "rated": f"{plain(plan.rated_w or 0)} W", "most": f"{plain(plan.most_input_a)} A",
            "tolerance": f"{plain(plan.tolerance.low)}..{plain(plan.tolerance.high)} V" if plan.tolerance else "",
        }  # fmt: skip
        self.blockSignals(True)
        for name, text in texts.items():
            self.fields[name].setText(text)
            self.fields[name].setCursorPosition(0)
        self.blockSignals(False)
        self.changed.emit()

    def trouble(self) -> str:
        """Why the plan cannot be read, in a sentence; empty when it can."""
        try:
            self.plan()
        except (QuantityError, ValueError) as error:
            return str(error)
        return ""

    def plan(self) -> SweepPlan:
        """The plan as it stands.

        Raises
        ------
        QuantityError
            A field cannot be read.
        """
        assert self._unit is not None
        return read_plan(
            {name: field.text().replace(" A", "") if name == "loads" else field.text() for name, field in self.fields.items()}, self._unit
        )

    def meters(self) -> tuple[Meter, Meter]:
        return (
            self._meters[max(0, self.input_meter.currentIndex())],
            self._meters[max(0, self.output_meter.currentIndex())],
        )

    def bench_kind(self) -> str:
        return BY_HAND if not self.bench.currentData() else SIMULATED

    def speed(self) -> float:
        return float(self.bench.currentData())

    def leads(self) -> Leads:
        return Leads()
