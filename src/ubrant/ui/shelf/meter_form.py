"""Enter a meter or another instrument: accuracy as the manual words it, how it is connected, what it does to what it measures."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.line_pattern import LinePattern, PatternError
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.usual_meters import USUAL, still_assumed
from ubrant.core.quantities.accuracy import parse_share, parse_standard
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.wording import say
from ubrant.methods.method import METERED_AT
from ubrant.ui.shelf.certificate_dialog import CertificateDialog
from ubrant.ui.shelf.connection_dialogs import LinesDialog, ProfileDialog, serial_ports
from ubrant.ui.shelf.found_list import FoundList
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Beneath, Choice, QuantityField, button, check_accuracy, label, row
from ubrant.ui.widgets.plain_field import plain_field

_Rows = tuple[tuple[str, tuple[QWidget, ...]], ...]
_BAUDS = (9600, 19200, 38400, 57600, 115200, 230400)


class MeterForm(QWidget):
    """Emits ``kept`` with the meter as it was entered; ``check_wanted`` to check it against another."""

    kept = pyqtSignal(Meter)
    check_wanted = pyqtSignal(Meter)
    left = pyqtSignal()

    def __init__(self, meter: Meter | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._meter = meter or Meter("")
        details = self._meter.details
        self.name = QLineEdit(self._meter.name)
        self.name.setPlaceholderText(self.tr("Bench meter"))
        self.name.setAccessibleName(self.tr("Name"))
        self.volts, self.amps = QLineEdit(self._meter.voltage_accuracy), QLineEdit(self._meter.current_accuracy)
        self.volts.setAccessibleName(self.tr("Accuracy of its volts"))
        self.amps.setAccessibleName(self.tr("Accuracy of its amperes"))
        self.volts.setPlaceholderText("0.1 % + 3 mV")
        self.amps.setPlaceholderText("0.5 % + 2 digits of 10 mA")
        self.watts = plain_field(self.tr("Accuracy of its watts"), details.power_accuracy, "1 % + 0.5 W")
        self.like = Choice(self.tr("How good it is"))
        self.max_v = _quantity("V", self.tr("Reads up to, volts"), self._meter.max_v)
        self.max_a = _quantity("A", self.tr("Reads up to, amperes"), self._meter.max_a)
        self._offer_usual()
        self.role, self.connection, self.tap = Choice(self.tr("What it is")), Choice(self.tr("Its readings")), Choice(self.tr("Clipped at"))
        self._offer_choices()
        self.tap.addItems(METERED_AT)
        self.address = QComboBox()
        self.address.setEditable(True)
        self.address.setAccessibleName(self.tr("Address"))
        self.profile = QComboBox()
        self.profile.setEditable(True)
        self.profile.setAccessibleName(self.tr("Profile or pattern"))
        self.baud = Choice(self.tr("Speed of the line"))
        for baud in _BAUDS:
            self.baud.addItem(f"{baud} baud", baud)
        self.floor = _quantity("A", self.tr("Shows nothing under"), details.floor_a)
        self.burden = _quantity("Ω", self.tr("In the current path"), details.burden_ohm)
        self.input_ohm = _quantity("Ω", self.tr("Across the voltage"), details.input_ohm)
        self.zero_v = _quantity("V", self.tr("Zero, volts"), details.zero_v)
        self.zero_a = _quantity("A", self.tr("Zero, amperes"), details.zero_a)
        self.full_ah = _quantity("Ah", self.tr("Ah counter begins again at"), details.counts_to_ah)
        self.full_wh = _quantity("Wh", self.tr("Wh counter begins again at"), details.counts_to_wh)
        self.reversed = QCheckBox(self.tr("It shows the wrong sign"))
        self.reversed.setChecked(details.reversed)
        for box, value in ((self.role, details.role), (self.connection, details.connection), (self.baud, details.baud)):
            box.setCurrentIndex(max(0, box.findData(value)))
        self.tap.setCurrentText(details.tap)
        self._trouble = Callout("bad")
        self._keep = button(self.tr("Keep it"), self._emit, "chief")
        self.try_button = button(self.tr("Try it …"), self._try)
        self.check_button = button(self.tr("Check it …"), lambda: self.check_wanted.emit(self._meter))
        self.check_button.setEnabled(bool(self._meter.id))
        self.certificate_button = button(self.tr("A certificate …"), self._certificate)
        self.found = FoundList(details.checks)
        self.drift = plain_field(self.tr("Its drift a year"), _percent(details.drift_a_year), "0.1 %")
        self.tempco = plain_field(self.tr("For each °C outside 18 to 28"), _percent(details.tempco), "0.01 %")
        self.standard = plain_field(self.tr("Check standard"), details.standard, "2.500 V ± 1 mV")
        self.due = plain_field(self.tr("Next check due"), details.due, "2027-05-01")
        self._titles: dict[QWidget, QWidget] = {}
        self._build()
        self.address.setEditText(details.address)
        self._kind_changed()
        self.profile.setEditText(details.profile)
        self._connect()
        self._look()

    def _offer_usual(self) -> None:
        self.like.addItem(self.tr("as its manual says, below"), None)
        for usual in USUAL:
            self.like.addItem(say("as {kind} usually is (assumed)", kind=say(usual.kind)), usual)
        self.like.setCurrentIndex(next((k for k, usual in enumerate(USUAL, start=1) if usual.kind == self._meter.details.assumed), 0))
        self._usual = self.like.currentData()

    def _offer_choices(self) -> None:
        for text, key in (
            (self.tr("a meter"), "meter"),
            (self.tr("an electronic load"), "load"),
            (self.tr("a bench supply"), "supply"),
            (self.tr("an oscilloscope"), "scope"),
        ):
            self.role.addItem(text, key)
        for text, key in (
            (self.tr("are read off a display"), "display"),
            (self.tr("are asked for by SCPI"), "scpi"),
            (self.tr("come as printed lines"), "lines"),
            (self.tr("are in another program's log"), "file"),
        ):
            self.connection.addItem(text, key)

    def _connect(self) -> None:
        lines = (self.name, self.volts, self.amps, self.watts, self.due, self.drift, self.tempco, self.standard, *self._quantities())
        for line in lines:
            line.textChanged.connect(self._look)
            line.returnPressed.connect(self._emit)
        self.like.activated.connect(lambda _: self._take_usual())
        for line in (self.volts, self.amps, self.watts):
            line.textEdited.connect(lambda _: self._says_own())
        for choice in (self.role, self.connection):
            choice.currentIndexChanged.connect(lambda _: self._kind_changed())
        for combo in (self.address, self.profile):
            combo.editTextChanged.connect(lambda _: self._look())

    def _quantities(self) -> tuple[QuantityField, ...]:
        return (self.max_v, self.max_a, self.floor, self.burden, self.input_ohm, self.zero_v, self.zero_a, self.full_ah, self.full_wh)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(label(self.tr("A meter"), "heading"))
        self.more = button(self.tr("More …"), lambda: self._fold(is_open=self._folded.isHidden()), "link")
        self._folded = QWidget()
        behind = QVBoxLayout(self._folded)
        behind.setContentsMargins(0, 0, 0, 0)
        behind.setSpacing(4)
        first: _Rows = (
            (self.tr("Name"), (self.name,)),
            (self.tr("It is"), (self.role,)),
            (self.tr("How good it is"), (self.like,)),
            (self.tr("Accuracy of its volts, as the manual says it"), (self.volts,)),
            (self.tr("Accuracy of its amperes"), (self.amps,)),
            (self.tr("Accuracy of its watts, where it reads them"), (self.watts,)),
            (self.tr("Reads up to"), (self.max_v, self.max_a)),
            (self.tr("Its readings"), (self.connection,)),
            (self.tr("Where: address, port or file"), (self.address,)),
            (self.tr("How: profile, or which column is what"), (self.profile,)),
            ("", (self.baud, self.try_button)),
            (self.tr("What it was found to be"), (self.found,)),
            ("", (self.check_button, self.certificate_button)),
        )
        seldom: _Rows = (
            (self.tr("Next check due, drift a year"), (self.due, self.drift)),
            (self.tr("For each °C outside 18 to 28 °C"), (self.tempco,)),
            (self.tr("Tried with a check standard of"), (self.standard,)),
            (self.tr("Clipped at"), (self.tap,)),
            (self.tr("Drops in the current path, draws from the voltage"), (self.burden, self.input_ohm)),
            (self.tr("Shows nothing under"), (self.floor,)),
            (self.tr("Zero: what it shows of nothing"), (self.zero_v, self.zero_a)),
            (self.tr("Counters begin again at"), (self.full_ah, self.full_wh)),
            ("", (self.reversed,)),
        )
        self._place(layout, first)
        self._place(behind, seldom)
        layout.addWidget(self.more)
        layout.addWidget(self._folded)
        self._fold(
            is_open=any(isinstance(w, QLineEdit) and w.text() for _, widgets in seldom for w in widgets) or self.reversed.isChecked()
        )
        layout.addWidget(self._trouble)
        layout.addSpacing(8)
        layout.addLayout(row(self._keep, button(self.tr("Leave it"), self.left.emit)))
        layout.addStretch(1)
        for field, hint in (
            (self.burden, "10 mΩ"),
            (self.input_ohm, "10 MΩ"),
            (self.floor, "20 mA"),
            (self.zero_v, "0 V"),
            (self.zero_a, "0 A"),
            (self.full_ah, "Ah"),
            (self.full_wh, "Wh"),
            (self.max_v, "V"),
            (self.max_a, "A"),
        ):
            field.setPlaceholderText(hint)

    def _place(self, layout: QVBoxLayout, rows: _Rows) -> None:
        for title, widgets in rows:
            if title:
                layout.addSpacing(5)
                name = label(title)
                layout.addWidget(name)
                for widget in widgets:
                    self._titles[widget] = name
            layout.addLayout(row(*widgets))
            if typed := [w for w in widgets if isinstance(w, QLineEdit) and w is not self.name]:
                layout.addWidget(Beneath(*typed))

    def _fold(self, *, is_open: bool) -> None:
        """What is seldom known of a meter stands behind *More …*, and is there where something of it is known."""
        self._folded.setVisible(is_open)
        self.more.setText(self.tr("Less") if is_open else self.tr("More …"))

    def _take_usual(self) -> None:
        """What such a meter usually is, in place of what stands there; and a name where it has none yet."""
        usual, before = self.like.currentData(), self._usual
        self._usual = usual
        for line, part in ((self.volts, "volts"), (self.amps, "amps"), (self.watts, "watts")):
            if usual is not None:
                line.setText(getattr(usual, part))
            elif before is not None and line.text().strip() == getattr(before, part):
                line.clear()  # the manual does not say it: nobody read it there
        if usual is not None and not self.name.text().strip():
            self.name.setText(say(usual.name))

    def _assumed(self) -> str:
        return "" if self._usual is None else still_assumed(self._usual.kind, self.volts.text(), self.amps.text(), self.watts.text())

    def _says_own(self) -> None:
        """Once every accuracy was typed by a person, nothing of it is assumed."""
        if not self._assumed():
            self._usual = None
            self.like.setCurrentIndex(0)

    def _kind_changed(self) -> None:
        """Show what this kind of connection needs."""
        kind = self.connection.currentData()
        for widget, shown in ((self.address, kind != "display"), (self.profile, kind in {"scpi", "lines"})):
            widget.setVisible(shown)
            self._titles[widget].setVisible(shown)
        self.baud.setVisible(kind == "lines")
        self.try_button.setVisible(kind in {"scpi", "lines"})
        kept, said = self.address.currentText(), self.profile.currentText()
        self.address.clear()
        if kind in {"scpi", "lines"}:
            self.address.addItems(serial_ports(as_visa=kind == "scpi"))
        self.address.setEditText(kept)
        self.profile.clear()
        if kind == "scpi":
            from ubrant.bench.profile import profiles  # slow to import

            self.profile.addItems([p.name for p in profiles()[0].values() if p.kind == self.role.currentData()])
        elif kind == "lines":
            self.profile.addItems(["header", "1 V, 2 A"])
        if said:
            self.profile.setEditText(said)
        edit = self.address.lineEdit()
        if edit is not None:
            edit.setPlaceholderText(
                {"scpi": "TCPIP0::192.0.2.10::5025::SOCKET", "lines": "/dev/ttyUSB0", "file": "/home/me/log.csv"}.get(kind, "")
            )
        self._look()

    def trouble(self) -> str:
        return self._trouble.text()

    def _look(self) -> None:
        wrong = [check_accuracy(self.volts, "V"), check_accuracy(self.amps, "A"), check_accuracy(self.watts, "W")]
        amiss = any(wrong) or any(q.trouble for q in self._quantities())
        trouble = ""
        if not amiss and self.connection.currentData() == "lines":
            try:
                LinePattern(self.profile.currentText())
            except PatternError as error:
                trouble = str(error)
        if not trouble and self.role.currentData() != "meter" and self.connection.currentData() in {"lines", "file"}:
            trouble = self.tr("A load or a supply has to be told things: it is asked by SCPI, or a person switches it.")
        if not trouble and (due := self.due.text().strip()):
            try:
                date.fromisoformat(due)
            except ValueError:
                trouble = self.tr("“{due}” is no day: write it like 2027-05-01.").format(due=due)
        try:
            for field in (self.drift, self.tempco):
                parse_share(field.text())
            parse_standard(self.standard.text())
        except QuantityError as error:
            trouble = trouble or str(error)
        self._trouble.say("bad", trouble)
        self._keep.setEnabled(bool(self.name.text().strip()) and not trouble and not amiss)

    def meter(self) -> Meter:
        """The meter as it stands in the form."""
        before = self._meter.details
        zero_v, zero_a = self.zero_v.value() or 0.0, self.zero_a.value() or 0.0
        same_zero = (zero_v, zero_a) == (before.zero_v, before.zero_a)
        details = replace(
            before,
            role=self.role.currentData(),
            connection=self.connection.currentData(),
            address=self.address.currentText().strip(),
            profile=self.profile.currentText().strip(),
            baud=int(self.baud.currentData()),
            tap=self.tap.currentText(),
            floor_a=self.floor.value() or 0.0,
            burden_ohm=self.burden.value() or 0.0,
            input_ohm=self.input_ohm.value() or 0.0,
            zero_v=zero_v,
            zero_a=zero_a,
            power_accuracy=self.watts.text().strip(),
            zeroed=before.zeroed if same_zero else datetime.now(UTC).isoformat(timespec="seconds"),
            reversed=self.reversed.isChecked(),
            counts_to_ah=self.full_ah.value() or 0.0,
            counts_to_wh=self.full_wh.value() or 0.0,
            checks=self.found.checks,
            due=self.due.text().strip(),
            drift_a_year=parse_share(self.drift.text()),
            tempco=parse_share(self.tempco.text()),
            standard=self.standard.text().strip(),
            assumed=self._assumed(),
        )
        return replace(
            self._meter,
            name=self.name.text().strip(),
            voltage_accuracy=self.volts.text().strip(),
            current_accuracy=self.amps.text().strip(),
            max_v=self.max_v.value(),
            max_a=self.max_a.value(),
            details=details,
        )

    def _try(self) -> None:
        if self.connection.currentData() == "lines":
            dialog = LinesDialog(self.meter(), self)
            dialog.exec()
            self.profile.setEditText(dialog.pattern.text())
        else:
            page = ProfileDialog(self.meter(), self)
            page.exec()
            self._kind_changed()
            self.profile.setEditText(page.profile_name())

    def _certificate(self) -> None:
        dialog = CertificateDialog(self.name.text().strip(), date.today(), self)
        if dialog.exec() and dialog.made is not None:
            self.found.add(dialog.made)

    def _emit(self) -> None:
        if self._keep.isEnabled():
            self.kept.emit(self.meter())


def _percent(share: float) -> str:
    return f"{plain(100 * share, 4)} %" if share else ""


def _quantity(unit: str, name: str, value: float | None) -> QuantityField:
    field = QuantityField(unit, name, may_be_empty=True)
    field.setText(f"{plain(value, 6)} {unit}" if value else "")
    return field
