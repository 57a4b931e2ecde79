"""Every stage and dialog of a window, filled as people fill them."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QWidget

from tests.making import BENCH, PLUG
from tests.said import saying
from tests.ui.test_plain_text import dialogs
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.logbook.records import StoredJot, StoredRun, new_run
from ubrant.methods.registry import entries
from ubrant.ui.window.shell import FINDINGS, OUTLOOK, PREPARE, RUN, SHELF, MainWindow

Scene = Iterator[tuple[str, QWidget]]
UNITS = (
    Unit("Dome pack A", "battery", "50 Ah 12.8 V LiFePO4"),
    Unit("Exit-light block behind the stage", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V"),
    Unit("Ticket bank", "bank", "24 000 mAh 3.7 V, 5 V 2.4 A out"),
    Unit("Hut inverter", "inverter", "12 V to 230 V sine, 300 W"),
    Unit("Step-down one", "converter", "12 V to 5 V, 3 A"),
    Unit("Dew heaters", "load", "12 V 24 W"),
    Unit("Main breaker", "lead", "25 A breaker"),
    Unit("Sound brick", "charger", "230 V to 19 V, 65 W"),
)
_LINES = ("load on", "12.94 V 5.02 A", "+10 min 12.9 V 5.01 A", "12.81 V 5.01 A 8.4 Ah")


def shelf(window: MainWindow) -> Scene:
    window.go_to(SHELF)
    yield " empty", window
    for meter in (BENCH, PLUG):
        window.bench.logbook.keep_meter(meter)
    for unit in UNITS:
        window.bench.keep_unit(unit)
    for line in (saying.HERE / "records.txt").read_text("utf-8").splitlines()[::9]:
        _keep(window, line)
    window.bench.shelf_changed.emit()
    yield "", window
    window.bench.choose_unit(1)
    yield " with one chosen", window
    window.shelf.start_adding()
    yield " adding a unit", window
    window.shelf.start_meter(Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA"))
    yield " a meter", window
    window.shelf._close_form(window.shelf._side.findChild(QWidget, "open form"))


def _keep(window: MainWindow, line: str) -> None:
    """A record of those that are told word for word, as a run of the first unit of its kind."""
    record = saying.record_from(line)
    kind = record.head.setup.unit.kind
    unit = next((u for u in window.bench.logbook.units() if u.kind == kind), None)
    run = new_run(record.head, "log", None, "done", record.ended_by)
    jots = tuple(StoredJot(t, text) for t, text in json.loads(line)["lines"])
    stored = StoredRun(run, record.readings, record.events, jots)
    window.bench.logbook.keep_import(stored if unit is None else StoredRun(_of(run, unit.id), record.readings, record.events, jots))


def _of(run, unit_id: int):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    return replace(run, unit_id=unit_id)


def prepare(window: MainWindow) -> Scene:
    window.go_to(PREPARE)
    for unit in window.bench.logbook.units()[: len(UNITS)]:
        for entry in entries():
            if not entry.suits(unit):
                continue
            window.prepare.choose(unit.id)
            form = window.prepare.form
            form.choose_method(entry.key)
            for bench in range(min(2, form.bench.count())):
                form.bench.setCurrentIndex(bench)
                window.prepare.look()
                yield f" {unit.name}, {entry.key}, {form.bench.currentText()}", window


def run(window: MainWindow) -> Scene:
    window.go_to(RUN)
    yield " empty", window
    for name, key in (("Dome pack A", "discharge"), ("Step-down one", "sweep"), ("Hut inverter", "idle")):
        unit = next(u for u in window.bench.logbook.units() if u.name == name)
        if key not in {entry.key for entry in entries()}:
            continue
        window.bench.test_wanted.emit(unit.id)
        form = window.prepare.form
        form.choose_method(key)
        form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings"))
        window.prepare.look()
        window.prepare.start()
        window.run.tick()
        yield f" {key}, asking", window
        for _ in range(6):
            if not window.run.done_button.isVisible():
                break
            window.run.done_button.click()
            window.run.tick()
            QApplication.processEvents()
        for line in _LINES if key == "discharge" else ("13 V 0.52 A 5.02 V 0.5 A", "13.8 V 0.35 A"):
            window.run.jot_line.jotted.emit(Grammar().parse(line))
            window.run.tick()
        yield f" {key}", window
        assert window.bench.session is not None
        window.bench.session.end()
        window.run.tick()


def findings(window: MainWindow) -> Scene:
    window.go_to(FINDINGS)
    yield " empty", window
    for run, name in window.bench.logbook.runs()[::2]:
        window.findings.open_run(run.id)
        yield f" {run.method} {run.id} {name}", window


def outlook(window: MainWindow) -> Scene:
    window.go_to(OUTLOOK)
    yield "", window
    for name, rows in (
        ("simple", [("source", "640 Wh"), ("load", "fridge 38 W 40 %")]),
        ("wrong", [("source", "640 Wh"), ("load", "fridge 38")]),
    ):
        window.outlook.show_rows(rows)
        yield f" {name}", window
    for place in range(1, min(3, window.outlook.kept_box.count())):
        window.outlook.kept_box.setCurrentIndex(place)
        window.outlook.kept_box.activated.emit(place)
        yield f" {place}", window


def days(window: MainWindow) -> Scene:
    window.show_days()
    yield " empty", window
    page = window.days
    for name, method in (("Dome pack A", "discharge"), ("Ticket bank", "output"), ("Hut inverter", "idle")):
        page.add_test(name, method)
    page.fields["begins"].setText("2027-01-08 18:00")
    page.fields["chargers"].setText("iron phosphate charger")
    page.fields["loads"].setText("lamp board")
    page.plan()
    assert window.days_in.keeper.days is not None, page.trouble.text()
    for place, name in enumerate(("visits", "bars")):
        page.show_as(place)
        yield f" {name}", window
    page.fields["asleep"].setText("at night")
    page.plan()
    yield " wrong", window


def every_dialog(window: MainWindow) -> Scene:
    for dialog in dialogs(window, Path(tempfile.mkdtemp()), "Bench meter"):
        dialog.show()
        yield f" {dialog.windowTitle()}", dialog
        dialog.close()


SCENES: dict[str, Callable[[MainWindow], Scene]] = {
    "Shelf": shelf,
    "Prepare": prepare,
    "Run": run,
    "Findings": findings,
    "Outlook": outlook,
    "Days": days,
    "Dialog": every_dialog,
}
