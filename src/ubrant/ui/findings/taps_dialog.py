"""A log whose headings name taps, or a scope's record: what was tested, whose it is and how it is judged, seen before it is kept."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.account import Account
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.wording import say
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.records import Run, StoredRun
from ubrant.methods.method import ONE_PLACE, WAVE_LOG, MethodError
from ubrant.methods.registry import entries, method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, from_taps, keep, under_options
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.plain_field import plain_field


class TapsDialog(Dialog):
    """``kept`` is the run once it was accepted."""

    def __init__(self, bench: Workbench, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self._path = bench, path
        self.kept: Run | None = None
        self._made: StoredRun | None = None
        self.setWindowTitle(self.tr("A log with taps, or a scope's record"))
        self.resize(820, 640)
        self.method_box, self.unit_box = Choice(self.tr("What it is")), Choice(self.tr("Unit"))
        for entry in entries():
            if entry.method.log not in {"", ONE_PLACE}:
                self.method_box.addItem(say(entry.title), entry.key)
        self.unit_box.addItem(self.tr("no unit on the shelf"), 0)
        for unit in bench.logbook.units():
            self.unit_box.addItem(unit.name, unit.id)
        self.unit_box.setCurrentIndex(max(0, self.unit_box.findData(bench.unit_id)))
        self.columns = plain_field(self.tr("Columns"), hint=self.tr("input voltage=…, output current=…"))
        self.volts = plain_field(self.tr("Volts accurate to"), hint=self.tr("0.1 % + 3 mV; empty: no ±"))
        self.amps = plain_field(self.tr("Amperes accurate to"), hint=self.tr("0.5 % + 5 mA; empty: no ±"))
        self.out_volts = plain_field(self.tr("Volts at the output"), hint=self.tr("where another meter was there"))
        self.out_amps = plain_field(self.tr("Amperes at the output"), hint=self.tr("where another meter was there"))
        self.one_meter = QCheckBox(self.tr("One meter was moved from input to output"))
        self.tolerance = plain_field(self.tr("The output may be"), hint=self.tr("5 V 5%"))
        self.rated = plain_field(self.tr("Rated output"), hint=self.tr("60 W"))
        self.battery = plain_field(self.tr("Fed by a battery of"), hint=self.tr("12 V 45 Ah lead-acid"))
        self.load = plain_field(self.tr("Made at a load of"), hint=self.tr("40 W"))
        self.drawn, self.note = DrawingsView(), Callout("plain")
        self.keep_button = button(self.tr("Keep it"), self._keep, "chief")
        self._build()
        self.method_box.currentIndexChanged.connect(lambda _: self._method_changed())
        self.unit_box.currentIndexChanged.connect(lambda _: self.look())
        self.one_meter.toggled.connect(lambda _: self.look())
        for field in self._fields():
            field.textChanged.connect(lambda _: self.look())
        self.look()

    def _fields(self) -> tuple[QLineEdit, ...]:
        return (self.columns, self.volts, self.amps, self.out_volts, self.out_amps, self.tolerance, self.rated, self.battery, self.load)

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        boxes = (self.method_box, self.unit_box, *self._fields())
        for place, widget in enumerate(boxes):
            line, column = place % 6, 2 * (place // 6)
            grid.addWidget(label(widget.accessibleName()), line, column)
            grid.addWidget(widget, line, column + 1)
        grid.addWidget(self.one_meter, 5, 2, 1, 2)
        for column in (1, 3):
            grid.setColumnStretch(column, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(self._path.name, "title"))
        layout.addLayout(grid)
        layout.addWidget(self.drawn, 1)
        layout.addWidget(self.note)
        layout.addLayout(row(QWidget(), button(self.tr("Leave it"), self.reject), self.keep_button, stretch=0))

    def _told(self) -> LogOptions:
        unit_id = int(self.unit_box.currentData())
        text = {
            name: field.text().strip() for name, field in (("tolerance", self.tolerance), ("rated", self.rated), ("battery", self.battery))
        }
        accuracies = (self.volts.text().strip(), self.amps.text().strip(), self.out_volts.text().strip(), self.out_amps.text().strip())
        load = self.load.text().strip()
        return LogOptions(
            str(self.method_box.currentData()),
            text,
            accuracies,
            self.one_meter.isChecked(),
            unit=self._bench.logbook.unit(unit_id) if unit_id else None,
            load_w=parse_quantity(load, "W") if load else None,
        )

    def _method_changed(self) -> None:
        """A scope on the shelf says how accurate its record is."""
        scopes = [m.voltage_accuracy for m in self._bench.logbook.meters() if m.details.role == "scope" and m.voltage_accuracy]
        if scopes and not self.volts.text() and method_of(str(self.method_box.currentData())).log == WAVE_LOG:
            self.volts.setText(scopes[0])
        self.look()

    def look(self) -> None:
        """Read it by what is chosen, and show what it says."""
        self._made = None
        try:
            options = self._told()
            self._made = under_options(from_taps(self._path, method_of(options.method), self.columns.text().strip() or None), options)
            account = account_of_stored(self._made.record())
        except (LogError, MethodError, QuantityError) as error:
            account = Account(trouble=str(error))
        self.drawn.show_drawings(account.drawings())
        said = account.trouble or " ".join((account.sentence, *account.warnings))
        self.note.say("bad" if account.trouble else "plain", said)
        self.keep_button.setEnabled(self._made is not None and not account.trouble)

    def _keep(self) -> None:
        made, unit = self._made, self._told().unit
        if made is not None:
            self.kept = self._bench.keep_import(lambda: keep(self._bench.logbook, made, unit))
            self.accept()
