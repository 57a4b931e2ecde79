"""The form of a trial: its method, its fields, the bench, the meters, the leads, the battery behind it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QWidget

from ubrant.core.leads import OHM_PER_KM, Leads
from ubrant.core.meter import Meter
from ubrant.core.quantity import QuantityError, parse_quantity
from ubrant.core.unit import Unit
from ubrant.ui.widgets.also_read import AlsoRead
from ubrant.ui.widgets.forms import Choice, label
from ubrant.workshop.benches import BY_HAND, INSTRUMENTS, SIMULATED, BenchChoice, trial_bench_problems
from ubrant.workshop.trials.choosing import best_meters
from ubrant.workshop.trials.registry import trials_for
from ubrant.workshop.trials.trial import LOAD, Told, Trial
from ubrant.workshop.views import label_of

_NO_METER = Meter("DC meter")
_BENCHES = (
    ("simulated, as fast as it can", float("inf")),
    ("simulated, 60 × the clock", 60.0),
    ("simulated, in real time", 1.0),
    ("instruments", -1.0),
    ("none: I set and type", 0.0),
)


class TrialForm(QWidget):
    """``changed`` on every keystroke."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.method, self.bench, self.battery = Choice(self.tr("Method")), Choice(self.tr("Bench")), Choice(self.tr("On the battery"))
        self.input_meter, self.output_meter = Choice(self.tr("Meter at the input")), Choice(self.tr("Meter at the output"))
        self.load, self.supply, self.scope = Choice(self.tr("Load")), Choice(self.tr("Supply")), Choice(self.tr("Scope"))
        self._roles = ((self.load, "load"), (self.supply, "supply"), (self.scope, "scope"))
        self.also = AlsoRead(("source", "input", "output"))
        self.lead_length, self.lead_area = QLineEdit("1.5 m"), Choice(self.tr("Lead section"))
        self.lead_length.setAccessibleName(self.tr("Leads, one way"))
        self.fields: dict[str, QLineEdit] = {}
        self._titles: dict[QWidget, QLabel] = {}
        self._on_instruments: tuple[QWidget, ...] = ()
        self._unit: Unit | None = None
        self._person_chose = False
        self._trials: list[Trial] = []
        self._all: list[Meter] = []
        self._meters: list[Meter] = []
        self._batteries: list[Unit] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(1, 1)
        for area in OHM_PER_KM:
            self.lead_area.addItem(f"{area:g} mm²", area)
        self.lead_area.setCurrentIndex(self.lead_area.findData(4.0))
        for text, speed in _BENCHES:
            self.bench.addItem(self.tr(text), speed)
        self.method.currentIndexChanged.connect(lambda _: self._method_changed())
        self.bench.currentIndexChanged.connect(lambda _: self._bench_changed())
        for box in (self.input_meter, self.output_meter):
            box.currentIndexChanged.connect(lambda _: self._meters_changed())
        for box in (self.battery, self.lead_area, self.load, self.supply, self.scope):
            box.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.also.changed.connect(self.changed)
        self.lead_length.textChanged.connect(lambda _: self.changed.emit())

    # what is on offer

    def offer_meters(self, meters: list[Meter]) -> None:
        self._all = meters
        self._meters = [m for m in meters if m.details.role == "meter"] or [_NO_METER]
        for box in (self.input_meter, self.output_meter):
            kept = box.currentText()
            box.blockSignals(True)
            box.clear()
            for meter in self._meters:
                box.addItem(meter.name)
            box.setCurrentIndex(max(0, box.findText(kept)))
            box.blockSignals(False)
        for box, role in self._roles:
            kept = box.currentText() if box.count() > 1 else ""
            box.blockSignals(True)
            box.clear()
            for meter in meters:
                if meter.details.role == role and meter.details.connection == "scpi":
                    box.addItem(meter.name, meter.id)
            box.addItem(self.tr("none"), 0)
            box.setCurrentIndex(max(0, box.findText(kept)))
            box.blockSignals(False)
        self._offer_also()

    def _offer_also(self) -> None:
        ends = tuple(box.currentText() for box in (self.input_meter, self.output_meter))
        self.also.offer(self._all, ends)

    def _meters_changed(self) -> None:
        self._person_chose = True
        self._offer_also()
        self.changed.emit()

    def offer_batteries(self, units: list[Unit]) -> None:
        kept = self.battery.currentText()
        self._batteries = [u for u in units if u.kind in {"battery", "bank", "station"} and label_of(u) is not None]
        self.battery.blockSignals(True)
        self.battery.clear()
        for unit in self._batteries:
            self.battery.addItem(unit.name)
        self.battery.setCurrentIndex(max(0, self.battery.findText(kept)))
        self.battery.blockSignals(False)

    def suggest(self, unit: Unit) -> None:
        """Offer what suits the unit, filled in as its label asks for.

        Raises
        ------
        ValueError
            It does not say enough.
        """
        self._unit, self._trials = unit, trials_for(unit)
        self.method.blockSignals(True)
        self.method.clear()
        for trial in self._trials:
            self.method.addItem(self.tr(trial.title), trial.method)
        self.method.blockSignals(False)
        self._fill()
        self._person_chose = False
        self._choose_meters()
        self.changed.emit()

    def _choose_meters(self) -> None:
        """The meters that the method has least against."""
        chosen = best_meters(self.trial, self._told_with, self._meters, connected=self.bench_kind() == INSTRUMENTS)
        for box, meter in zip((self.input_meter, self.output_meter), chosen, strict=True):
            box.blockSignals(True)
            box.setCurrentIndex(self._meters.index(meter) if meter in self._meters else 0)
            box.blockSignals(False)
        self._offer_also()

    def _must_connect(self, meter: Meter) -> bool:
        """Whether the bench needs a connection that this meter does not have."""
        return self.bench_kind() == INSTRUMENTS and meter.details.connection == "display"

    def choose_method(self, method: str) -> None:
        self.method.setCurrentIndex(self.method.findData(method))

    @property
    def trial(self) -> Trial:
        return self._trials[max(0, self.method.currentIndex())]

    def _method_changed(self) -> None:
        if self._unit is None or not self._trials:
            return
        try:
            self._fill()
        except ValueError:
            return  # what the label lacks is said by whoever looks at the plan
        if not self._person_chose:
            self._choose_meters()
        self.changed.emit()

    def _fill(self) -> None:
        """A line for every field of the method, with what is usual in it."""
        assert self._unit is not None
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None and (widget in self._titles.values() or widget in self.fields.values()):
                widget.deleteLater()
        trial = self.trial
        self.fields, self._titles = {name: QLineEdit() for name, _ in trial.fields}, {}
        by_hand = trial.by_hand_only
        rows: list[tuple[str, QWidget]] = [(self.tr("Method"), self.method)]
        if not by_hand:
            rows.append((self.tr("Bench"), self.bench))
        if trial.on_battery:
            rows.append((self.tr("On the battery"), self.battery))
        rows += [(self.tr(title), self.fields[name]) for name, title in trial.fields]
        rows.append((self.tr("Meter at the input") if trial.two_ends else self.tr("Meter"), self.input_meter))
        if trial.two_ends:
            rows.append((self.tr("at the output"), self.output_meter))
        if not by_hand and trial.method != "trip":
            rows += [(self.tr("Leads, one way"), self.lead_length), (self.tr("of"), self.lead_area)]
        loads = (self.load,) if LOAD in trial.chain else ()
        self._on_instruments = () if by_hand else (*loads, *(() if trial.on_battery else (self.supply,)), self.scope, self.also)
        names = {self.load: self.tr("Load"), self.supply: self.tr("Supply"), self.scope: self.tr("Scope"), self.also: self.tr("Read along")}
        rows += [(names[widget], widget) for widget in self._on_instruments]
        for widget in (self.bench, self.battery, self.output_meter, self.lead_length, self.lead_area, *names):
            widget.setVisible(any(field is widget for _, field in rows))
        for line, (title, field) in enumerate(rows):
            self._titles[field] = label(title)
            self._grid.addWidget(self._titles[field], line, 0)
            self._grid.addWidget(field, line, 1)
        self._show_instruments()
        self.blockSignals(True)
        for name, text in trial.usual(self._unit).items():
            field = self.fields[name]
            field.setAccessibleName(dict(trial.fields)[name])
            field.setText(text)
            field.setCursorPosition(0)
            field.textChanged.connect(lambda _: self.changed.emit())
        if "ratings" in self.fields:
            self.fields["ratings"].setPlaceholderText(self.tr("leads 20 A, fuse 15 A, cord 5 A"))
        self.blockSignals(False)

    def _show_instruments(self) -> None:
        """Which load, supply and scope, and what is read along: asked only where there are instruments."""
        for widget in self._on_instruments:
            shown = self.bench_kind() == INSTRUMENTS
            widget.setVisible(shown)
            self._titles[widget].setVisible(shown)

    def _bench_changed(self) -> None:
        self._show_instruments()
        ends = [box.currentIndex() for box in (self.input_meter, self.output_meter)]
        if self._unit is not None and any(0 <= k < len(self._meters) and self._must_connect(self._meters[k]) for k in ends):
            self._choose_meters()
        self.changed.emit()

    # what was chosen

    def trouble(self) -> str:
        """Why the plan cannot be read, in a sentence; empty when it can."""
        try:
            told = self.told()
            self.trial.problems(told)
        except (QuantityError, ValueError) as error:
            return str(error)
        return ""

    def told(self) -> Told:
        """The plan as it stands.

        Raises
        ------
        QuantityError
            The length of the leads cannot be read.
        """
        meters = self._meters or [_NO_METER]
        return self._told_with(meters[max(0, self.input_meter.currentIndex())], meters[max(0, self.output_meter.currentIndex())])

    def _told_with(self, into: Meter, out: Meter) -> Told:
        assert self._unit is not None
        out = out if self.trial.two_ends else into
        battery = self._batteries[max(0, self.battery.currentIndex())] if self.trial.on_battery and self._batteries else None
        leads = Leads(parse_quantity(self.lead_length.text(), "m"), float(self.lead_area.currentData()))
        return Told(self._unit, {name: field.text() for name, field in self.fields.items()}, (into, out), leads, battery)

    def bench_kind(self) -> str:
        data = self.bench.currentData()
        return BY_HAND if self.trial.by_hand_only or not data else INSTRUMENTS if data < 0 else SIMULATED

    def speed(self) -> float:
        return float(self.bench.currentData())

    def choice(self) -> BenchChoice:
        """The instruments a trial is made on."""
        chosen = {role: next((m for m in self._all if m.id and m.id == box.currentData()), None) for box, role in self._roles}
        supply = None if self.trial.on_battery else chosen["supply"]
        return BenchChoice(self.bench_kind(), 1.0, chosen["load"], supply, self.also.chosen(), chosen["scope"])

    def bench_problems(self) -> list[str]:
        """What is missing for instruments."""
        trial = self.trial
        return trial_bench_problems(
            self.choice(), self.told().meters, on_battery=trial.on_battery, two_ends=trial.two_ends, loaded=LOAD in trial.chain
        )
