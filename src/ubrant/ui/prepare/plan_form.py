"""The fields of a discharge plan."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from ubrant.core.circuit import CURRENT, POWER, RESISTANCE
from ubrant.core.cutoff import Cutoff
from ubrant.core.label import Label
from ubrant.core.leads import OHM_PER_KM, Leads
from ubrant.core.meter import Meter
from ubrant.core.quantity import plain, show_duration
from ubrant.core.typed import HELD, STRAIGHT
from ubrant.methods.discharge import UNITS, DischargePlan, own_cutoff, usual_plan
from ubrant.ui.prepare.more_form import MoreForm
from ubrant.ui.settings import SPEEDS
from ubrant.ui.widgets.also_read import AlsoRead
from ubrant.ui.widgets.forms import Choice, QuantityField, button, label
from ubrant.workshop.benches import BY_HAND, INSTRUMENTS, SIMULATED, BenchChoice

MODES = (("constant current", CURRENT), ("constant power", POWER), ("constant resistance", RESISTANCE))
_ON_INSTRUMENTS, _TYPED = -1.0, -2.0
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
        self.mode, self.load, self.charger, self.between = (
            Choice(self.tr("Load holds")),
            Choice(self.tr("Load")),
            Choice(self.tr("Charger")),
            Choice(self.tr("Between readings")),
        )
        self.also = AlsoRead(("battery", "load", "source", "case"))
        self.more = MoreForm()
        self.more_button = button(self.tr("More …"), self._toggle_more, "link")
        self._meters: list[Meter] = []
        self._all: list[Meter] = []
        self._label: Label | None = None
        self._lay_out()
        self.temperature.setPlaceholderText(self.tr("not known"))
        for area in OHM_PER_KM:
            self.lead_area.addItem(f"{area:g} mm²", area)
        self.lead_area.setCurrentIndex(self.lead_area.findData(4.0))
        for text, speed in SPEEDS:
            self.speed.addItem(self.tr(text), speed)
        self.speed.addItem(self.tr("instruments"), _ON_INSTRUMENTS)
        self.speed.addItem(self.tr("none: I type the readings"), _TYPED)
        self.speed.setCurrentIndex(int(QSettings().value("speed", 1)))
        for text, mode in MODES:
            self.mode.addItem(self.tr(text), mode)
        for text, between in (("a straight line between readings", STRAIGHT), ("held until the next reading", HELD)):
            self.between.addItem(self.tr(text), between)
        for field in self._fields():
            field.changed.connect(self.changed)
        for box in (self.lead_area, self.meter, self.speed, self.mode, self.load, self.charger, self.between):
            box.currentIndexChanged.connect(lambda _: self._box_changed())
        self.also.changed.connect(self.changed)
        self.more.changed.connect(self.changed)
        self.more.hide()
        self._box_changed()

    def _box_changed(self) -> None:
        """Show what the bench and the load need, and nothing else."""
        kind = self.bench_kind()
        for field, shown in ((self.load, kind == INSTRUMENTS), (self.charger, kind == INSTRUMENTS), (self.also, kind == INSTRUMENTS), (self.between, kind == BY_HAND),
                             (self.every, kind != BY_HAND), (self.rest_before, kind != BY_HAND)):  # fmt: skip
            field.setVisible(shown)
            self._titles[field].setVisible(shown)
        self.rest_after.setVisible(kind != BY_HAND)
        self._titles[self.current].setText(
            {CURRENT: self.tr("Current"), POWER: self.tr("Power"), RESISTANCE: self.tr("Resistance")}[self.mode.currentData()]
        )
        self.current.set_unit(UNITS[self.mode.currentData()])
        if kind == INSTRUMENTS and self.chosen_meter().details.connection == "display":
            connected = [k for k, m in enumerate(self._meters) if m.details.connection != "display"]
            if connected:
                self.meter.setCurrentIndex(connected[0])  # comes back here
                return
        self.also.offer(self._all, (self.chosen_meter().name,))
        self.changed.emit()

    def _toggle_more(self) -> None:
        self.more.setVisible(not self.more.isVisibleTo(self))
        self.more_button.setText(self.tr("Less") if self.more.isVisibleTo(self) else self.tr("More …"))

    def bench_kind(self) -> str:
        """What the run is made on."""
        return {_ON_INSTRUMENTS: INSTRUMENTS, _TYPED: BY_HAND}.get(float(self.speed.currentData() or 1.0), SIMULATED)

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
            (self.tr("Bench"), self.speed), (self.tr("Load holds"), self.mode), (self.tr("Current"), self.current),
            (self.tr("Cut-off"), self.cutoff), (self.tr("below it for"), self.hold),
            (self.tr("A reading every"), self.every), (self.tr("Rest before, after"), self.rest_before), ("", self.rest_after),
            (self.tr("Battery is at"), self.temperature), (self.tr("Leads, one way"), self.lead_length), ("", self.lead_area),
            (self.tr("Battery meter"), self.meter), (self.tr("Load"), self.load), (self.tr("Charger"), self.charger),
            (self.tr("Read along"), self.also), (self.tr("Take it as"), self.between),
        )  # fmt: skip
        side_by_side = {self.rest_after, self.lead_area}
        self._titles: dict[QWidget, QLabel] = {}
        line = -1
        for title, field in pairs:
            if field in side_by_side:
                grid.addWidget(field, line, 2)
                continue
            line += 1
            self._titles[field] = label(title)
            grid.addWidget(self._titles[field], line, 0)
            wide = field in {self.rest_before, self.lead_length}
            grid.addWidget(field, line, 1, 1, 1 if wide else 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        grid.addWidget(self.more_button, line + 1, 0, 1, 3)
        grid.addWidget(self.more, line + 2, 0, 1, 3)
        for column in (1, 2):
            grid.setColumnMinimumWidth(column, 82)

    def offer_meters(self, meters: list[Meter]) -> None:
        chosen = self.meter.currentText()
        self._all = meters
        self._meters = [m for m in meters if m.details.role == "meter"] or [_NO_METER]
        for box, role, none in ((self.load, "load", self.tr("a person switches it")), (self.charger, "supply", self.tr("none"))):
            kept = box.currentText() if box.count() > 1 else ""
            box.blockSignals(True)
            box.clear()
            for found in meters:
                if found.details.role == role:
                    box.addItem(found.name, found.id)
            box.addItem(none, 0)
            box.setCurrentIndex(max(0, box.findText(kept)))
            box.blockSignals(False)
        self.meter.blockSignals(True)
        self.meter.clear()
        for meter in self._meters:
            self.meter.addItem(meter.name)
        self.meter.setCurrentIndex(max(0, self.meter.findText(chosen)))
        self.meter.blockSignals(False)
        self.also.offer(meters, (self.chosen_meter().name,))

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
        self.mode.setCurrentIndex(0)
        self.more.suggest(found)
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
        return self.more.trouble()

    def leads(self) -> Leads:
        return Leads(self.lead_length.value() or 0.0, float(self.lead_area.currentData()))

    def chosen_meter(self) -> Meter:
        return self._meters[max(0, self.meter.currentIndex())] if self._meters else _NO_METER

    def chosen_bench(self) -> BenchChoice:
        """What the run will be made on."""
        kind = self.bench_kind()
        by_id = {m.id: m for m in self._all}
        load, charger = by_id.get(self.load.currentData() or 0), by_id.get(self.charger.currentData() or 0)
        speed = float(self.speed.currentData()) if kind == SIMULATED else 1.0
        return BenchChoice(kind, speed, load if kind == INSTRUMENTS else None, charger if kind == INSTRUMENTS else None, self.also.chosen())

    def plan(self) -> DischargePlan:
        """The plan as it stands; only when there is no trouble."""
        amount, volts, more = self.current.value() or 0.0, self.cutoff.value() or 0.0, self.more
        mode = self.mode.currentData()
        usual_v = (self._label.voltage_v if self._label else None) or volts or 1.0
        current = {CURRENT: amount, POWER: amount / usual_v, RESISTANCE: usual_v / amount if amount else 0.0}[mode]
        told = more.charged_how.text().strip()
        bench = self.chosen_bench()
        return DischargePlan(
            current, Cutoff(volts, self.hold.value() or 0.0), own_cutoff(volts, current, self.leads()), self.every.value() or 1.0,
            self.rest_before.value() or 0.0, self.rest_after.value() or 0.0, self.temperature.value(),
            self._label.chemistry if self._label else None, self._label.series if self._label else None,
            mode=mode, amount=None if mode == CURRENT else amount, profile=more.profile or more.pulses(amount), repeats=bool(more.pulses(amount)),
            limits=more.limits(), two_step=more.two_step.isChecked(), rated_ah=self._label.charge_ah if self._label else None,
            charge=more.charge(), charge_when=more.charge_when.currentData() or "", cycles=more.cycle_count(),
            stop_share=(more.stop_share.value() or 0.0) / 100, zero_first=more.zero_first.isChecked(),
            by_hand=bench.kind == BY_HAND or (bench.kind == INSTRUMENTS and bench.load is None), take_out_ah=more.take_out.value() or 0.0,
            told={"start": told} if told else {},
        )  # fmt: skip
