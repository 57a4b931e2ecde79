"""Setting up what can talk, in the window, on stand-ins; logs whose columns a person has to name; files of several runs."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from tests.window import answered, click, needs, type_into
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.standins.scenario import Scenario
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import pack_from_label
from ubrant.core.quantities.label import parse_label
from ubrant.runs.coming_in.arriving import FileReader
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.mapping_dialog import MappingDialog
from ubrant.ui.shelf.connection_dialogs import LinesDialog, ProfileDialog
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.window.shell import FINDINGS


@pytest.fixture
def world():
    made = WorldProcess(Scenario(pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4")), runs_free=True, free_speed=10.0, board_every_s=0.5))
    yield made
    made.close()


def address(world, name: str) -> str:
    return world.addresses[name]


def test_a_meter_is_entered_with_everything_known_of_it(window, qtbot):
    click(qtbot, window.shelf, "Add a meter")
    form = window.shelf.findChild(MeterForm)
    qtbot.keyClicks(form.name, "Load one")
    form.role.setCurrentIndex(form.role.findData("load"))
    form.connection.setCurrentIndex(form.connection.findData("lines"))
    assert "is asked by SCPI" in form.trouble()
    form.connection.setCurrentIndex(form.connection.findData("scpi"))
    form.address.setEditText("TCPIP0::127.0.0.1::5025::SOCKET")
    type_into(qtbot, form.zero_a, "12 mA")
    type_into(qtbot, form.burden, "0.01")
    form.reversed.click()
    click(qtbot, form, "Keep it")
    (kept,) = window.bench.logbook.meters()
    assert (kept.details.role, kept.details.connection, kept.details.zero_a, kept.details.reversed) == ("load", "scpi", 0.012, True)
    assert kept.details.burden_ohm == pytest.approx(0.01)
    assert kept.details.zeroed
    window.bench.undo.undo()
    assert window.bench.logbook.meters() == []


def test_a_command_is_tried_and_a_profile_copied(dressed, qtbot, world):
    meter = Meter("Load one", details=MeterDetails(role="load", connection="scpi", address=address(world, "load")))
    page = ProfileDialog(meter)
    qtbot.addWidget(page)
    page.show()
    page.command.setCurrentIndex(page.command.findData("is_on"))
    click(qtbot, page, "Send it")
    qtbot.waitUntil(lambda: page.answer.text() == "INP?  →  0", timeout=5000)
    text = page.text.toPlainText()
    page.text.setPlainText(text.replace('"INP OFF"', '"INP {off}"'))
    assert "is not understood" in page.trouble.text()
    assert not page.try_button.isEnabled()
    page.text.setPlainText(text.replace("Generic load", "My load"))
    click(qtbot, page, "Keep it as one of my own")
    assert page.profile_name() == "My load"


def test_lines_are_shown_live_while_the_pattern_is_typed(dressed, qtbot, world):
    meter = Meter("Board", details=MeterDetails(connection="lines", address=world.addresses["terminal"], profile="2 V, 3 A"))
    page = LinesDialog(meter)
    qtbot.addWidget(page)
    page.show()
    qtbot.waitUntil(lambda: "V · " in page.made.text(), timeout=5000)
    assert page.made.text().startswith("Read as 13.")
    page.pattern.setText("2 parsec")
    assert "is not understood" in page.trouble.text()
    page.pattern.setText("2 mV")
    page.look()
    assert page.made.text().startswith("Read as 0.013")


def test_a_run_on_instruments_is_refused_until_all_is_there(window, qtbot):
    needs("discharge")
    window.bench.logbook.keep_meter(Meter("Clamp", "1 %", "2 %"))
    unit = window.bench.keep_unit(Unit("Pack", "battery", "0.5 Ah 12.8 V LiFePO4"))
    window.bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findText("instruments"))
    window.prepare.look()
    assert any("Clamp has no connection" in p for p in window.prepare.problems())
    assert not window.prepare.start_button.isEnabled()
    assert form.load.isVisible()
    assert form.load.currentText() == "a person switches it"


def test_columns_are_named_once_and_remembered(window, qtbot, tmp_path):
    needs("discharge")
    path = tmp_path / "odd.csv"
    rows = "\n".join(f"{k * 60};{13 - k * 0.02:.3f};{10:.1f}" for k in range(100))
    path.write_text(f"alpha;beta;gamma\n{rows}\n")

    def choose(dialog: MappingDialog) -> None:
        assert "no column for time" in dialog.trouble.text() or dialog.use.isEnabled()
        dialog.boxes["time"].setCurrentIndex(dialog.boxes["time"].findData(1))
        dialog.boxes["voltage"].setCurrentIndex(dialog.boxes["voltage"].findData(2))
        dialog.boxes["current"].setCurrentIndex(dialog.boxes["current"].findData(3))
        answered(ImportDialog, lambda d: (d.unit_box.setCurrentIndex(d.unit_box.count() - 1), qtbot.keyClick(d.keep, Qt.Key.Key_Return)))
        click(qtbot, dialog, "Use these")

    seen = answered(MappingDialog, choose)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=10_000)
    assert seen
    assert window.findings.account.findings["charge"].value == pytest.approx(16.5)
    window.go_to(0)

    def once_more(dialog: ImportDialog) -> None:
        qtbot.waitUntil(lambda: dialog.current().told is not None, timeout=10_000)
        assert dialog.says.text() == "It is in the logbook already."
        dialog.unit_box.setCurrentIndex(dialog.unit_box.count() - 1)
        assert not dialog.keep.isEnabled()
        qtbot.keyClick(dialog.table, Qt.Key.Key_Space)  # ticked all the same
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)

    answered(ImportDialog, once_more)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=10_000)
    assert len(window.bench.logbook.runs()) == 2


def test_a_wrong_unit_is_seen_before_a_log_is_kept_and_mended_by_a_box(window, qtbot, tmp_path):
    """Times in minutes under a heading of seconds: *are the times minutes?*, and a box for the unit of each column."""
    needs("discharge")
    path = tmp_path / "minutes.csv"
    rows = [(k, 13.3 - 0.5 * k / 300 - (1.9 if k >= 300 else 0.0), 10.0) for k in range(302)]
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t},{v:.3f},{a}\n" for t, v, a in rows))
    window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    said: list[str] = []

    def choose(dialog: MappingDialog) -> None:
        assert dialog.boxes["time"].currentData() == 1
        dialog.units["time"].setCurrentIndex(dialog.units["time"].findData("min"))
        click(qtbot, dialog, "Use these")

    def listen(dialog: ImportDialog) -> None:
        qtbot.waitUntil(lambda: dialog.current().told is not None, timeout=10_000)
        said.append(dialog.says.text())

    def doubt(dialog: ImportDialog) -> None:
        dialog.full_box.setCurrentIndex(1)
        listen(dialog)
        answered(MappingDialog, choose)
        click(qtbot, dialog, "Columns and units …")
        listen(dialog)
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)

    answered(ImportDialog, doubt)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=10_000)
    assert "are the times minutes?" in said[0]
    assert "minutes" not in said[1]
    assert window.findings.account.findings["charge"].value == pytest.approx(50.0, rel=0.01)


def test_the_runs_of_one_file_are_kept_alike(window, qtbot, tmp_path):
    needs("discharge")
    path = tmp_path / "two.csv"
    rows = [f"{k * 60},{13 - k * 0.02 - n / 1000:.3f},10\n" for n in range(3) for k in range(50)]
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(rows))

    def keep(dialog: ImportDialog) -> None:
        type_into(qtbot, dialog.volts, "0.1 %")
        type_into(qtbot, dialog.amps, "0.5 %")
        dialog.unit_box.setCurrentIndex(dialog.unit_box.count() - 1)
        assert dialog.keep.text() == "Keep 3 runs"
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)

    answered(ImportDialog, keep)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: len(window.bench.logbook.runs()) == 3, timeout=10_000)
    assert {run.head.setup.meter("battery").current_accuracy for run, _ in window.bench.logbook.runs()} == {"0.5 %"}


def many_logs(folder, count: int) -> list:
    folder.mkdir()
    paths = []
    for number in range(count):
        path = folder / f"cycle {number:03d}.csv"
        body = "".join(f"{k * 600},{13.2 - k * 0.05 - 0.001 * number:.3f},10\n" for k in range(30))
        path.write_text("Time (s),Voltage (V),Current (A)\n" + body)
        paths.append(path)
    return paths


def test_two_hundred_logs_at_once_with_one_undo(window, qtbot, tmp_path):
    """All are answered for at once; what cannot be read is named; one undo takes them out."""
    needs("discharge")
    paths = many_logs(tmp_path / "logs", 200)
    paths[7].write_text("nothing of the kind\n")

    def keep(dialog: ImportDialog) -> None:
        assert len(dialog.chosen()) == 199
        type_into(qtbot, dialog.amps, "0.5 %")
        dialog.unit_box.setCurrentIndex(dialog.unit_box.count() - 1)
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)

    answered(ImportDialog, keep)
    window._dropped(paths)
    qtbot.waitUntil(lambda: len(window.bench.logbook.runs(limit=-1)) == 199, timeout=60_000)
    assert "199 runs were kept. 1 could not be read: cycle 007.csv" in window.said()
    assert {run.head.setup.meter("battery").current_accuracy for run, _ in window.bench.logbook.runs(limit=-1)} == {"0.5 %"}
    window.bench.undo.undo()
    assert not window.bench.logbook.runs(limit=-1)


def test_a_reading_that_is_left_gives_nothing(tmp_path):
    paths = many_logs(tmp_path / "logs", 5)
    reading = FileReader(paths)

    def columns(path):
        reading.left = path == paths[2]

    reading.columns = columns
    assert reading.read() == []
    assert reading.done == 3


def test_lines_that_were_left_out_are_told_before_and_after(window, qtbot, tmp_path):
    needs("discharge")
    path = tmp_path / "holes.csv"
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{k},{'OL' if k in (3, 4) else 12},1\n" for k in range(20)))
    told = []

    def keep(dialog: ImportDialog) -> None:
        from ubrant.ui.widgets.callout import Callout

        told.extend(c.text() for c in dialog.findChildren(Callout))
        dialog.unit_box.setCurrentIndex(dialog.unit_box.count() - 1)
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)

    answered(ImportDialog, keep)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=10_000)
    assert any("2 lines were left out: lines 5 to 6 (voltage: over the meter's range)." in t for t in told)
    assert "2 lines were left out" in window.findings.notes.text()


def test_two_meters_of_one_name_are_two(window):
    """A bench often has two of a kind: each is chosen, kept and found again as itself."""
    needs("sweep")
    first = window.bench.logbook.keep_meter(Meter("Clamp", "1 %", "2 %", max_v=60, max_a=40))
    second = window.bench.logbook.keep_meter(Meter("Clamp", "0.1 %", "0.2 %", max_v=60, max_a=40))
    unit = window.bench.keep_unit(Unit("Step-down", "converter", "12 V to 5 V, 3 A"))
    window.bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    shown = [form.meters["input"].itemText(k) for k in range(form.meters["input"].count())]
    assert shown == [f"Clamp ({first.id})", f"Clamp ({second.id})"]
    form.meters["input"].setCurrentIndex(1)
    form.meters["output"].setCurrentIndex(0)
    setup = form.prepared().setup
    assert (setup.meter("input"), setup.meter("output")) == (second, first)
    assert not setup.one_meter
    form.meters["output"].setCurrentIndex(1)
    assert form.prepared().setup.one_meter
