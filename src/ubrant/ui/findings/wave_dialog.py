"""A scope's record from a file: whose output it is and at which load, drawn before it is kept."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from ubrant.core.accuracy import parse_accuracy
from ubrant.core.quantity import QuantityError, parse_quantity
from ubrant.core.readings import ReadingsError, Series
from ubrant.core.tolerance import parse_tolerance
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.taps import read_wave
from ubrant.logbook.records import Run
from ubrant.ui.trials.drawings import CourseView
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.workbench import Workbench
from ubrant.workshop.trials.wave import check_wave, import_wave


class WaveDialog(QDialog):
    """``kept`` is the run once it was accepted."""

    def __init__(self, bench: Workbench, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self._path = bench, path
        self.kept: Run | None = None
        self.setWindowTitle(self.tr("A scope's record"))
        self.resize(760, 520)
        self.unit_box = Choice(self.tr("Output of"))
        self.unit_box.addItem(self.tr("no unit on the shelf"), 0)
        for unit in bench.logbook.units():
            if unit.kind in {"inverter", "converter", "station", "charger"}:
                self.unit_box.addItem(unit.name, unit.id)
        self.load = plain_field(self.tr("At a load of"), "0 W")
        self.trace = plain_field(self.tr("Column of the voltage"), hint=self.tr("its heading, where there are two"))
        scopes = [m.voltage_accuracy for m in bench.logbook.meters() if m.details.role == "scope" and m.voltage_accuracy]
        self.accuracy = plain_field(self.tr("Scope's accuracy"), next(iter(scopes), ""), hint=self.tr("3 % + 0.1 V; empty: no ±"))
        self.tolerance = plain_field(self.tr("A DC output may be"), hint=self.tr("5 V 5%, for its ripple and dips"))
        self.view, self.note = CourseView(), Callout("plain")
        self.keep_button = button(self.tr("Keep it"), self._keep, "chief")
        grid = QGridLayout()
        for line, (title, widget) in enumerate(
            ((self.tr("Output of"), self.unit_box), (self.tr("At a load of"), self.load), (self.tr("Column of the voltage"), self.trace),
             (self.tr("Scope's accuracy"), self.accuracy), (self.tr("A DC output may be"), self.tolerance))
        ):  # fmt: skip
            grid.addWidget(label(title), line, 0)
            grid.addWidget(widget, line, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(self.view, 1)
        layout.addWidget(self.note)
        layout.addLayout(row(self.keep_button, button(self.tr("Leave it"), self.reject)))
        self.trace.textChanged.connect(lambda _: self._look())
        for field in (self.load, self.accuracy, self.tolerance):
            field.textChanged.connect(lambda _: self._look())
        self._look()

    def _columns(self) -> str | None:
        name = self.trace.text().strip()
        return f"voltage={name}" if name else None

    def _look(self) -> None:
        try:
            parse_quantity(self.load.text(), "W")
            if self.accuracy.text().strip():
                parse_accuracy(self.accuracy.text(), "V")
            if self.tolerance.text().strip():
                parse_tolerance(self.tolerance.text())
            time, volts, heading = read_wave(self._path, self._columns())
            self.view.show_course(((heading, Series(time, volts)),), "V")
            check_wave(time, volts)
        except (LogError, QuantityError, ReadingsError) as error:
            self.note.say("bad", str(error))
            self.keep_button.setEnabled(False)
            return
        self.note.say("plain", self.tr("{count} samples of “{heading}”.").format(count=len(time), heading=heading))
        self.keep_button.setEnabled(True)

    def _keep(self) -> None:
        unit_id = int(self.unit_box.currentData())
        unit = self._bench.logbook.unit(unit_id) if unit_id else None
        load_w = parse_quantity(self.load.text(), "W")
        accuracy, tolerance = self.accuracy.text().strip(), self.tolerance.text().strip()
        self.kept = self._bench.keep_import(
            lambda: import_wave(self._bench.logbook, self._path, unit, load_w, self._columns(), accuracy=accuracy, tolerance=tolerance)
        )
        self.accept()
