"""The form of a test: its method, the bench, the method's own fields, leads, meters, instruments, and what is seldom needed below."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QLabel, QLineEdit, QStyle, QWidget

from ubrant.core.equipment.leads import OHM_PER_KM, Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, LOG, SIMULATED, Setup, label_of
from ubrant.core.wording import say
from ubrant.logbook.records import Run
from ubrant.methods.form import PLAN, Field, FieldError, Phases, YesNo
from ubrant.methods.form import ChoiceKind as OneOf
from ubrant.methods.method import Method, Prepared
from ubrant.methods.registry import MethodEntry, begun_with, suiting
from ubrant.runs.afterwards.known_late import meters_for
from ubrant.runs.making.benches import BenchChoice
from ubrant.runs.making.load_profile import ProfileFileError, read_load_profile
from ubrant.runs.making.which_meters import best_meters
from ubrant.ui.widgets.also_read import AlsoRead
from ubrant.ui.widgets.forms import Beneath, Choice, button, label, mark_amiss
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.settings import SPEEDS, guardian_s, speed_index

_NO_METER = Meter("DC meter")
_BELOW = 40
"""A line of the grid below all others."""
ON_INSTRUMENTS, TYPED = -1.0, -2.0
"""Stand in the box of benches among the speeds of simulated ones."""
Box = QLineEdit | Choice | QCheckBox


class MethodForm(QWidget):
    """``changed`` on every keystroke. ``fields`` are the method's own, by key; ``meters`` the boxes of the meters, by tap.

    Of a run that is kept (``kept``) it asks what can still become known: neither bench nor meters, and no plan where it had none.
    """

    changed = pyqtSignal()
    completed = pyqtSignal(str)
    """The label of the unit, with what was lacking."""

    def __init__(self, parent: QWidget | None = None, kept: Run | None = None) -> None:
        super().__init__(parent)
        self._kept = kept
        self.guess = plain_field(self.tr("Your guess"), hint=self.tr("if you like: it is in no sum"))
        self.guess.textChanged.connect(lambda _: self.changed.emit())
        self.method_box, self.bench, self.battery = Choice(self.tr("Method")), Choice(self.tr("Bench")), Choice(self.tr("On the battery"))
        self.device = Choice(self.tr("Device"))
        self.load, self.supply, self.scope = Choice(self.tr("Load")), Choice(self.tr("Supply")), Choice(self.tr("Scope"))
        self._roles = ((self.load, "load"), (self.supply, "supply"), (self.scope, "scope"))
        self.also = AlsoRead(())
        self.lead_length, self.lead_area = QLineEdit("1.5 m"), Choice(self.tr("Lead section"))
        self.lead_length.setAccessibleName(self.tr("Leads, one way"))
        self.more_button = button(self.tr("More …"), self._toggle_more, "link")
        self.fields: dict[str, Box] = {}
        self.meters: dict[str, Choice] = {}
        self._specs: dict[str, Field] = {}
        self._titles: dict[QWidget, QLabel] = {}
        self._beneath: dict[QWidget, Beneath] = {}
        self._made: list[QWidget] = []
        self._unit: Unit | None = None
        self._entries: list[MethodEntry] = []
        self._lacks = ""
        self._all: list[Meter] = []
        self._batteries: list[Unit] = []
        self._units: list[Unit] = []
        self._person_chose = self._more_shown = False
        self._own_trouble = ""
        self._bench_chosen, self._bench_wanted = False, TYPED
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(1)
        for column in (1, 2, 3):
            self._grid.setColumnStretch(column, 1)
        self._fill_boxes()

    def _fill_boxes(self) -> None:
        for area in OHM_PER_KM:
            self.lead_area.addItem(f"{area:g} mm²", area)
        self.lead_area.setCurrentIndex(self.lead_area.findData(4.0))
        self.method_box.currentIndexChanged.connect(lambda _: self._method_changed())
        self.bench.currentIndexChanged.connect(lambda _: self._bench_changed())
        self.bench.activated.connect(lambda _: setattr(self, "_bench_chosen", True))
        for box in (self.battery, self.device, self.lead_area, self.load, self.supply, self.scope):
            box.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.also.changed.connect(self.changed)
        self.lead_length.textChanged.connect(lambda _: self.changed.emit())

    # what is on offer

    def offer_meters(self, meters: list[Meter]) -> None:
        """Those on the shelf; each is told from others by more than its name."""
        self._all = meters
        for tap, box in self.meters.items():
            self._offer(box, self._readers(tap))
        for box, role in self._roles:
            fit = [m for m in meters if m.details.role == role and (m.details.connection == "scpi" or role == "supply")]
            self._offer(box, fit, self.tr("a person switches it") if role == "load" else self.tr("none"))
        self._offer_also()

    def _readers(self, tap: str = "") -> list[Meter]:
        own_displays = bool(self._entries) and tap in self.method.reads_any
        return [m for m in self._all if own_displays or m.details.role == "meter"] or [_NO_METER]

    def _offer(self, box: Choice, meters: list[Meter], none: str = "") -> None:
        kept = box.currentData() if box.count() > bool(none) else None
        box.blockSignals(True)
        box.clear()
        names = [m.name for m in meters]
        for meter in meters:
            box.addItem(meter.name if names.count(meter.name) == 1 else f"{meter.name} ({meter.id})", meter.uid)
        if none:
            box.addItem(none, "")
        box.setCurrentIndex(max(0, box.findData(kept)))
        box.blockSignals(False)

    def _offer_also(self) -> None:
        self.also.offer(self._all, tuple(m.uid for m in self._chosen_meters().values()), self._taps_to_read())

    def _taps_to_read(self) -> tuple[str, ...]:
        return self.method.also_read if self._entries else ()

    def offer_batteries(self, units: list[Unit]) -> None:
        kept, self._units = self.battery.currentText(), units
        self._batteries = [u for u in units if u.kind in {"battery", "bank", "station"} and label_of(u) is not None]
        self.battery.blockSignals(True)
        self.battery.clear()
        for unit in self._batteries:
            self.battery.addItem(unit.name)
        self.battery.setCurrentIndex(max(0, self.battery.findText(kept)))
        self.battery.blockSignals(False)

    def _offer_devices(self) -> None:
        """What the method may feed besides, out of the shelf."""
        kept = self.device.currentData()
        self.device.blockSignals(True)
        self.device.clear()
        kinds = self.method.device_kinds
        fit = [u for u in self._units if u.kind in kinds and (self._unit is None or u.id != self._unit.id)]
        for unit in sorted(fit, key=lambda u: (self.method.device_holds and label_of(u) is None, kinds.index(u.kind))):
            self.device.addItem(unit.name, unit.id)
        self.device.setCurrentIndex(max(0, self.device.findData(kept)))
        self.device.blockSignals(False)

    def suggest(self, unit: Unit) -> None:
        """Offer what suits the unit, filled in as its label asks for; where that does not say enough it is asked for, in place of the fields."""
        self.guess.clear()
        of_run = self._kept.method if self._kept is not None else ""
        self._unit, self._entries = unit, [e for e in suiting(unit) if e.method.is_started or e.key == of_run]
        self.method_box.blockSignals(True)
        self.method_box.clear()
        for entry in self._entries:
            self.method_box.addItem(say(entry.title), entry.key)
        self.method_box.setCurrentIndex(begun_with(self._entries, unit) if self._entries else -1)
        self.method_box.blockSignals(False)
        self._person_chose = False
        self._offer_bench(unit)
        self._lay_out()
        self._choose_meters()
        self.changed.emit()

    def _offer_bench(self, unit: Unit) -> None:
        """By hand, until an instrument is connected; a simulated one only for what is simulated itself. What a person chose stays."""
        if self._bench_chosen or self._kept is not None:
            return
        connected = any(m.details.connection != "display" for m in self._all)
        self._bench_wanted = SPEEDS[speed_index()][1] if unit.stand_in else ON_INSTRUMENTS if connected else TYPED

    def _offer_roads(self) -> None:
        """The benches that the method can be made on."""
        roads = self.method.roads
        benches = [(self.tr("by hand: I type the readings"), TYPED)] if BY_HAND in roads else []
        benches += [(self.tr("instruments"), ON_INSTRUMENTS)] if INSTRUMENTS in roads else []
        benches += [(self.tr(text), speed) for text, speed in SPEEDS] if SIMULATED in roads else []
        self.bench.blockSignals(True)
        self.bench.clear()
        for text, data in benches:
            self.bench.addItem(text, data)
        self.bench.setCurrentIndex(max(0, self.bench.findData(self._bench_wanted)))
        self.bench.blockSignals(False)

    def _choose_meters(self, fixed: Mapping[str, Meter] | None = None) -> None:
        """The meters that the method has least against."""
        if self._kept is not None or self._lacks:
            return
        connected = self.bench_kind() == INSTRUMENTS
        chosen = best_meters(self.method, self._prepared_with, self._readers(), connected=connected, fixed=fixed)
        for tap, box in self.meters.items():
            box.blockSignals(True)
            box.setCurrentIndex(max(0, box.findData(chosen[tap].uid)))
            box.blockSignals(False)
        self._offer_also()

    def fill_as(self, run: Run) -> None:
        """The same again: method, bench, meters and fields as in a run, as far as they are on offer for this unit."""
        head = run.head
        if self.method_box.findData(head.method) < 0 or not head.plan:
            return
        self.choose_method(head.method)
        kind = {BY_HAND: TYPED, INSTRUMENTS: ON_INSTRUMENTS}.get(head.origin.road)
        if kind is not None:
            self.bench.setCurrentIndex(self.bench.findData(kind))
        for tap, box in self.meters.items():
            box.setCurrentIndex(max(0, box.findData(head.setup.meter(tap).uid)))
        self.fill_setup(head.setup)
        self.fill(self.method.typed(self.method.prepared(head)))

    def fill_setup(self, setup: Setup) -> None:
        """Leads, battery and device as they were, as far as they are on offer."""
        if setup.leads.length_m:
            self.lead_length.setText(f"{setup.leads.length_m:g} m")
        self.lead_area.setCurrentIndex(max(0, self.lead_area.findData(setup.leads.area_mm2)))
        for box, unit in ((self.battery, setup.battery), (self.device, setup.device)):
            if unit is not None and (place := box.findText(unit.name)) >= 0:
                box.setCurrentIndex(place)

    def fill(self, texts: Mapping[str, str]) -> None:
        """Fields by their keys, as they could have been typed."""
        for key, text in texts.items():
            match self.fields.get(key):
                case QLineEdit() as line:
                    line.setText(text)
                case QCheckBox() as tick:
                    tick.setChecked(bool(self._specs[key].kind.read(text)))
                case Choice() as choice:
                    choice.setCurrentIndex(max(0, choice.findData(self._specs[key].kind.read(text))))

    def choose_meter(self, tap: str, uid: str) -> None:
        """This one at a tap, and at the others what goes best with it."""
        meter = next((m for m in self._all if m.uid == uid), None)
        if meter is not None and tap in self.meters:
            self._choose_meters({tap: meter})
            self._meters_changed()

    def offers(self, key: str) -> bool:
        """Whether this method can be chosen."""
        return self.method_box.findData(key) >= 0

    def choose_method(self, key: str) -> None:
        self.method_box.setCurrentIndex(self.method_box.findData(key))

    @property
    def method(self) -> Method:
        return self._entries[max(0, self.method_box.currentIndex())].method

    def _method_changed(self) -> None:
        if self._unit is None or not self._entries:
            return
        self._lay_out()
        if not self._person_chose:
            self._choose_meters()
        self.changed.emit()

    # how it is laid out

    def _lay_out(self) -> None:
        """A line for every field of the method, with what is usual in it."""
        assert self._unit is not None
        self._lacks = ""
        if not self._entries:
            return
        try:
            specs = tuple(s for s in self.method.form(Setup(self._unit)) if self._is_asked(s))
        except ValueError as error:
            self._ask_for_label(str(error))
            return
        chosen = {tap: box.currentData() for tap, box in self.meters.items()} if self._person_chose else {}
        self._clear()
        self._specs = {spec.key: spec for spec in specs}
        self.fields = {spec.key: self._box_for(spec) for spec in specs}
        self.meters = {}
        for tap in self.method.taps if self._kept is None else ():
            box = Choice(say(self.method.meter_title(tap)))
            self._offer(box, self._readers(tap))
            box.setCurrentIndex(max(0, box.findData(chosen.get(tap))))
            box.currentIndexChanged.connect(lambda _: self._meters_changed())
            self.meters[tap] = box
            self._made.append(box)
        rows: list[tuple[str, QWidget, bool]] = []
        if len(self._entries) > 1:
            rows.append((self.tr("Method"), self.method_box, False))
        if len(self.method.roads) > 1 and self._kept is None:
            self._offer_roads()
            rows.append((self.tr("Bench"), self.bench, False))
        if self.method.on_battery:
            rows.append((self.tr("On the battery"), self.battery, False))
        if self.method.device:
            self._offer_devices()
            rows.append((say(self.method.device), self.device, False))
        rows += [(say(spec.title), self.fields[spec.key], spec.beside) for spec in specs if not spec.folded]
        if self.method.has_leads:
            rows += [(self.tr("Leads, one way"), self.lead_length, False), ("", self.lead_area, True)]
        if self._kept is None:
            rows += self._rows_of_bench()
        self._place(rows, [spec for spec in specs if spec.folded])
        self._show_what_is_asked()

    def _ask_for_label(self, lacks: str) -> None:
        """Nothing of the unit before stays: the method, and what is lacking, to be completed here."""
        assert self._unit is not None
        self._lacks = lacks
        self._clear()
        self._specs, self.fields, self.meters = {}, {}, {}
        rows: list[tuple[str, QWidget, bool]] = [(self.tr("Method"), self.method_box, False)] if len(self._entries) > 1 else []
        if self._kept is None:
            self.label_field = plain_field(self.tr("Its label"), hint=self.tr("as it stands on the thing"))
            self.label_field.setText(self._unit.printed)
            self.label_field.returnPressed.connect(self._complete_label)
            self.label_button = button(self.tr("Complete its label"), self._complete_label, "chief")
            self._made += [self.label_field, self.label_button]
            rows.append((self.tr("Its label"), self.label_field, False))
            self._grid.addWidget(self.label_button, _BELOW, 1, 1, 3)
        self._place(rows, [])
        self._show_what_is_asked()

    def _complete_label(self) -> None:
        text = self.label_field.text().strip()
        if self._unit is not None and text and text != self._unit.printed:
            self.completed.emit(text)

    @property
    def has_methods(self) -> bool:
        """Whether anything can be tried on the unit."""
        return bool(self._entries)

    @property
    def lacks(self) -> str:
        """What its label lacks for the method, in a sentence; empty where it says enough."""
        return self._lacks

    def _is_asked(self, spec: Field) -> bool:
        return self._kept is None or bool(self._kept.head.plan) or spec.part != PLAN

    def _rows_of_bench(self) -> list[tuple[str, QWidget, bool]]:
        """Meters, instruments, and the guess: what is decided before a run."""
        one = len(self.meters) == 1 and "battery" not in self.meters
        rows: list[tuple[str, QWidget, bool]] = [
            (self.tr("Meter") if one else box.accessibleName(), box, False) for box in self.meters.values()
        ]
        charger = self.tr("Charger") if "battery" in self.meters else self.tr("Supply")
        rows += [
            (self.tr("Load"), self.load, False),
            (charger, self.supply, False),
            (self.tr("Scope"), self.scope, False),
            (self.tr("Read along"), self.also, False),
        ]
        return [*rows, (self.tr("Your guess"), self.guess, False)]

    def _place(self, rows: list[tuple[str, QWidget, bool]], folded: list[Field]) -> None:
        line = -1
        beside: list[list[QWidget]] = []
        for title, widget, is_beside in rows + [(say(s.title), self.fields[s.key], s.beside) for s in folded]:
            if is_beside and beside:
                beside[-1].append(widget)
                continue
            line += 2
            if folded and widget is self.fields[folded[0].key]:
                self._grid.addWidget(self.more_button, line, 0, 1, 4)
                line += 2
            beside.append([widget])
            if isinstance(widget, QCheckBox):
                self._grid.addWidget(widget, line, 0, 1, 4)
                continue
            self._titles[widget] = label(title)
            self._made.append(self._titles[widget])
            self._grid.addWidget(self._titles[widget], line, 0)
        for group in beside:
            if isinstance(group[0], QCheckBox):
                continue
            row = self._row_of(self._titles[group[0]])
            for column, widget in enumerate(group, start=1):
                last = column == len(group)
                self._grid.addWidget(widget, row, column, 1, 4 - column if last else 1)
            if typed := [widget for widget in group if isinstance(widget, QLineEdit)]:
                self._beneath[group[0]] = Beneath(*typed)
                self._made.append(self._beneath[group[0]])
                self._grid.addWidget(self._beneath[group[0]], row + 1, 0, 1, 4)
        self.more_button.setVisible(bool(folded))

    def _row_of(self, widget: QWidget) -> int:
        place = self._grid.getItemPosition(self._grid.indexOf(widget))
        return int(place[0] or 0)

    def _clear(self) -> None:
        while self._grid.takeAt(0) is not None:
            pass
        for widget in self._made:
            widget.setParent(None)
            widget.deleteLater()
        self._made, self._titles, self._beneath = [], {}, {}

    def _box_for(self, spec: Field) -> Box:
        box: Box
        if isinstance(spec.kind, YesNo):
            box = QCheckBox(say(spec.title))
            box.setChecked(spec.kind.read(spec.usual))
            box.toggled.connect(lambda _: self._field_changed())
        elif isinstance(spec.kind, OneOf):
            box = Choice(say(spec.title))
            for shown, key in spec.kind.options:
                box.addItem(say(shown), key)
            box.setCurrentIndex(max(0, box.findData(spec.kind.read(spec.usual))))
            box.currentIndexChanged.connect(lambda _: self._field_changed())
        else:
            box = QLineEdit(spec.usual)
            box.setAccessibleName(say(spec.title))
            box.setPlaceholderText(say(spec.hint))
            box.setCursorPosition(0)
            box.textChanged.connect(lambda _: self._field_changed())
            if isinstance(spec.kind, Phases):
                style = self.style()
                assert style is not None
                icon = style.standardIcon(QStyle.StandardPixmap.SP_DialogOpenButton)
                action = box.addAction(icon, QLineEdit.ActionPosition.TrailingPosition)
                assert action is not None
                action.setToolTip(self.tr("From a file …"))
                action.triggered.connect(lambda _, key=spec.key: self._choose_profile(key))
        self._made.append(box)
        return box

    def _field_changed(self) -> None:
        self._show_what_is_asked()
        self.changed.emit()

    def _toggle_more(self) -> None:
        self._more_shown = not self._more_shown
        self.more_button.setText(self.tr("Less") if self._more_shown else self.tr("More …"))
        self._show_what_is_asked()

    def _show_what_is_asked(self) -> None:
        """What the bench and the other fields ask for, and nothing else."""
        kind, typed = self.bench_kind(), self._texts()
        for key, spec in self._specs.items():
            asked = (
                (not spec.roads or kind in spec.roads)
                and (spec.only_with is None or spec.only_with(typed))
                and (not spec.folded or self._more_shown)
            )
            self._set_shown(self.fields[key], asked)
            self._mark(key)
        on_bench = kind == INSTRUMENTS
        battery = "battery" in self.meters
        has_load = self.method.uses_load and (battery or "output" in self.meters or not self.method.has_leads)
        shown: tuple[tuple[QWidget, bool], ...] = (
            (self.load, has_load),
            (self.supply, not self.method.on_battery and not self.method.by_eye),
            (self.scope, not battery),
            (self.also, True),
        )
        for widget, wanted in shown:
            self._set_shown(widget, on_bench and wanted)
        for widget in (self.guess, self.method_box, self.bench, self.battery, self.device, self.lead_length, self.lead_area):
            widget.setVisible(self._grid.indexOf(widget) >= 0)

    def _set_shown(self, widget: QWidget, shown: bool) -> None:
        shown = shown and self._grid.indexOf(widget) >= 0
        widget.setVisible(shown)
        if widget in self._titles:
            self._titles[widget].setVisible(shown)
        if widget in self._beneath:
            self._beneath[widget].setVisible(shown)

    def _mark(self, key: str) -> None:
        """Frame a field that cannot be read."""
        box, spec = self.fields[key], self._specs[key]
        if not isinstance(box, QLineEdit):
            return
        try:
            spec.read(box.text())
        except FieldError as error:
            mark_amiss(box, error.what)
        else:
            mark_amiss(box, "")

    def _meters_changed(self) -> None:
        self._person_chose = True
        self._offer_also()
        self.changed.emit()

    def _bench_changed(self) -> None:
        if not self._entries:
            return
        self._bench_wanted = float(self.bench.currentData())
        self._show_what_is_asked()
        if self.bench_kind() == INSTRUMENTS and any(m.details.connection == "display" for m in self._chosen_meters().values()):
            self._choose_meters()
        self.changed.emit()

    def _choose_profile(self, key: str) -> None:
        path, _ = QFileDialog.getOpenFileName(self, self.tr("A load profile"), "", self.tr("Logs (*.csv *.txt);;All files (*)"))
        if path:
            self.read_profile(Path(path), key)

    def read_profile(self, path: Path, key: str = "profile") -> None:
        """Take the steps of the load from a file with time and current (or power)."""
        box, kind = self.fields[key], self._specs[key].kind
        assert isinstance(box, QLineEdit)
        self._own_trouble = ""
        try:
            box.setText(kind.show(read_load_profile(path)))
        except ProfileFileError as error:
            self._own_trouble = str(error)
            self.changed.emit()

    # what was chosen

    def _texts(self) -> dict[str, str]:
        texts = {}
        for key, box in self.fields.items():
            if isinstance(box, QCheckBox):
                texts[key] = self._specs[key].kind.show(box.isChecked())
            else:
                texts[key] = str(box.currentData()) if isinstance(box, Choice) else box.text()
        return texts

    def trouble(self) -> str:
        """Why the plan cannot be read, in a sentence; empty when it can."""
        if self._own_trouble or self._lacks:
            return self._lacks or self._own_trouble
        try:
            self.prepared()
        except (QuantityError, ValueError) as error:
            return str(error)
        return ""

    def prepared(self) -> Prepared:
        """The plan as it stands.

        Raises
        ------
        FieldError
            A field that cannot be read; says which.
        QuantityError
            The length of the leads cannot be read.
        ValueError
            The label does not say enough.
        """
        return self._prepared_with(self._chosen_meters())

    def _chosen_meters(self) -> dict[str, Meter]:
        if self._kept is not None:
            return dict(meters_for(self._kept.head, self.method))
        known = {m.uid: m for m in self._all}
        return {tap: known.get(str(box.currentData()), _NO_METER) for tap, box in self.meters.items()}

    def _prepared_with(self, meters: dict[str, Meter]) -> Prepared:
        assert self._unit is not None
        if self._lacks:
            raise ValueError(self._lacks)
        battery = self._batteries[max(0, self.battery.currentIndex())] if self.method.on_battery and self._batteries else None
        leads = (
            Leads(parse_quantity(self.lead_length.text(), "m"), float(self.lead_area.currentData()))
            if self.method.has_leads
            else Leads(0.0)
        )
        chosen = self.device.currentData() if self.method.device else None
        device = next((u for u in self._units if chosen is not None and u.id == chosen), None)
        made = self.method.prepare(Setup(self._unit, meters, leads, battery, device), self._texts())
        return replace(made, conditions=replace(made.conditions, guess=self.guess.text().strip()))

    @property
    def asked(self) -> tuple[Field, ...]:
        """What can be changed in it."""
        return tuple(self._specs.values())

    def bench_kind(self) -> str:
        if self._kept is not None:
            return BY_HAND if self._kept.head.origin.road == LOG else self._kept.head.origin.road
        if self._entries and len(self.method.roads) == 1:
            return self.method.roads[0]
        return {ON_INSTRUMENTS: INSTRUMENTS, TYPED: BY_HAND}.get(float(self.bench.currentData() or 1.0), SIMULATED)

    def choice(self) -> BenchChoice:
        """The bench it will be made on."""
        kind = self.bench_kind()
        speed = float(self.bench.currentData()) if kind == SIMULATED else 1.0
        if kind != INSTRUMENTS:
            return BenchChoice(kind, speed)
        chosen = {role: next((m for m in self._all if m.uid == box.currentData()), None) for box, role in self._roles}
        supply = None if self.method.on_battery else chosen["supply"]
        scope = chosen["scope"] if "battery" not in self.meters else None
        return BenchChoice(kind, speed, chosen["load"], supply, self.also.chosen(), scope, guardian_s=guardian_s())
