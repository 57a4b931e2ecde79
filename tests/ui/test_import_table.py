"""Logs from elsewhere in one table: answered for at once, kept with one press, and nothing moves while they are told."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QWidget

from tests.making_logs import two_packs
from tests.window import answered, click, needs, settle, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.import_model import FILE, LACKS, SAYS, UNIT
from ubrant.ui.findings.mapping_dialog import MappingDialog
from ubrant.ui.window.shell import FINDINGS


def column(dialog: ImportDialog, place: int) -> list[str]:
    """What a column says, from its top to its bottom."""
    return [str(dialog.model.index(k, place).data()) for k in range(dialog.model.rowCount())]


def press_row(qtbot, dialog: ImportDialog, place: int, keys=Qt.KeyboardModifier.NoModifier) -> None:
    where = dialog.table.visualRect(dialog.model.index(place, UNIT)).center()
    dialog.table.scrollTo(dialog.model.index(place, UNIT))
    qtbot.mouseClick(dialog.table.viewport(), Qt.MouseButton.LeftButton, keys, where)


def all_told(qtbot, dialog: ImportDialog) -> None:
    qtbot.waitUntil(lambda: all(row.told is not None for row in dialog.arrivals.rows), timeout=30_000)


def bring_in(window, qtbot, paths, act) -> ImportDialog:
    """Drop files, do something in the table, and look at it again once it has closed."""
    seen = answered(ImportDialog, act)
    window._dropped(paths)
    qtbot.waitUntil(lambda: bool(seen) and not QApplication.activeModalWidget(), timeout=60_000)
    settle()
    return seen[0]


def test_ten_logs_of_two_packs_in_twelve_presses(window, qtbot, tmp_path):
    """From an empty logbook: two labels, an Enter behind each, accuracy for all; the right units, and a verdict each."""
    needs("discharge")
    told: list[list[str]] = []

    def act(dialog: ImportDialog) -> None:
        presses = 1  # what dropped them
        assert dialog.focusWidget() is dialog.new_label
        assert not dialog.keep.isEnabled()
        assert column(dialog, UNIT) == ["Blue pack (new)"] * 5 + ["Red pack (new)"] * 5
        qtbot.keyClicks(dialog.new_label, "50 Ah 12.8 V LiFePO4")
        qtbot.keyClick(dialog.new_label, Qt.Key.Key_Return)
        presses += 2  # pasted, Enter
        assert [row.path.name[:3].lower() for row in dialog.chosen()] == ["red"] * 5
        assert not dialog.new_label.text()
        qtbot.keyClicks(dialog.new_label, "50 Ah 12.8 V LiFePO4")
        dialog.table.selectAll()
        presses += 2
        type_into(qtbot, dialog.volts, "0.1 % + 3 mV")
        type_into(qtbot, dialog.amps, "0.5 % + 5 mA")
        dialog.full_box.setCurrentIndex(dialog.full_box.findData(True))
        presses += 6
        all_told(qtbot, dialog)
        told.extend((column(dialog, SAYS), column(dialog, LACKS)))
        assert dialog.keep.text() == "Keep 10 runs"
        qtbot.keyClick(dialog.keep, Qt.Key.Key_Return)
        assert presses + 1 <= 12

    bring_in(window, qtbot, two_packs(tmp_path / "logs"), act)
    assert all("45.6" in one and "below" in one for one in told[0][:5]), told[0]
    assert all("35.2" in one and "spent" in one for one in told[0][5:]), told[0]
    assert "meter" not in " ".join(told[1])
    assert "10 runs were kept: 5 of Blue pack, 5 of Red pack." in window.said()
    book = window.bench.logbook
    assert {unit.name: len(book.runs(unit_id=unit.id)) for unit in book.units()} == {"Blue pack": 5, "Red pack": 5}
    window.bench.undo.undo()
    assert (book.units(), book.runs()) == ([], [])
    window.bench.undo.redo()
    assert len(book.runs()) == 10


def test_what_it_would_say_is_what_it_says_once_kept(window, qtbot, tmp_path):
    """The table, Findings and the shelf give one answer."""
    needs("discharge")
    window.bench.keep_unit(Unit("Blue pack", "battery", "50 Ah 12.8 V LiFePO4"))
    window.bench.logbook.keep_meter(Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA"))
    foretold: list[str] = []

    def act(dialog: ImportDialog) -> None:
        assert column(dialog, UNIT) == ["Blue pack"]
        dialog.meter_box.setCurrentIndex(0)
        dialog.full_box.setCurrentIndex(dialog.full_box.findData(True))
        all_told(qtbot, dialog)
        foretold.append(dialog.says.text())
        click(qtbot, dialog, "Keep it as a run")

    bring_in(window, qtbot, two_packs(tmp_path / "logs", 1), act)
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=10_000)
    assert window.findings.verdict.text() == foretold[0]
    assert foretold[0].startswith("Below its label: 45.63 ±")
    assert window.findings.shown()[0].source == "blue pack 2026-03-01.csv"  # a file's name stays with its run


def test_answers_count_for_the_rows_that_are_chosen_and_no_other(window, qtbot, tmp_path):
    needs("discharge")

    def act(dialog: ImportDialog) -> None:
        press_row(qtbot, dialog, 1)
        press_row(qtbot, dialog, 3, Qt.KeyboardModifier.ControlModifier)
        assert dialog.chosen_line.text() == "The 2 chosen rows"
        type_into(qtbot, dialog.temperature, "21 °C")
        press_row(qtbot, dialog, 0)
        assert dialog.temperature.text() == ""
        press_row(qtbot, dialog, 3)
        assert dialog.temperature.text() == "21 °C"
        assert [row.said.temperature_c for row in dialog.arrivals.rows] == [None, 21.0, None, 21.0]
        dialog.unit_box.setCurrentIndex(dialog.unit_box.findText("none of these"))
        assert column(dialog, UNIT) == ["Blue pack (new)", "Blue pack (new)", "Red pack (new)", "none"]
        click(qtbot, dialog, "Leave it")

    bring_in(window, qtbot, two_packs(tmp_path / "logs", 4), act)
    assert window.bench.logbook.runs() == []


def test_a_row_that_is_not_ticked_stays_out(window, qtbot, tmp_path):
    needs("discharge")

    def act(dialog: ImportDialog) -> None:
        dialog.table.selectAll()
        dialog.unit_box.setCurrentIndex(dialog.unit_box.findText("none of these"))
        dialog.table.setCurrentIndex(dialog.model.index(1, FILE))
        qtbot.keyClick(dialog.table, Qt.Key.Key_Space)
        assert dialog.keep.text() == "Keep 3 runs"
        click(qtbot, dialog, "Keep 3 runs")

    bring_in(window, qtbot, two_packs(tmp_path / "logs", 4), act)
    assert len(window.bench.logbook.runs()) == 3


def test_one_said_column_mends_all_files_like_it(window, qtbot, tmp_path):
    needs("discharge")
    good = two_packs(tmp_path / "logs", 1)
    odd = []
    for number in range(3):
        odd.append(tmp_path / f"odd {number}.csv")
        odd[-1].write_text("delta;epsilon;zeta\n" + "".join(f"{k * 60};{13 - k * 0.02:.3f};{10 + number}\n" for k in range(100)))

    def choose(dialog: MappingDialog) -> None:
        for key, number in (("time", 1), ("voltage", 2), ("current", 3)):
            dialog.boxes[key].setCurrentIndex(dialog.boxes[key].findData(number))
        click(qtbot, dialog, "Use these")

    def act(dialog: ImportDialog) -> None:
        assert column(dialog, LACKS)[1:] == ["columns"] * 3
        press_row(qtbot, dialog, 2)
        assert not dialog.unit_box.isEnabled()
        answered(MappingDialog, choose)
        click(qtbot, dialog, "Columns and units …")
        assert "columns" not in " ".join(column(dialog, LACKS))
        assert dialog.keep.text() == "Keep 4 runs"
        click(qtbot, dialog, "Leave it")

    bring_in(window, qtbot, [*odd, *good], act)


def places(dialog: ImportDialog) -> dict[QWidget, tuple[QPoint, int, int]]:
    """Where everything is that a person sees and that is not inside of what scrolls."""
    shown = (dialog.table, dialog.trace, dialog.keep, dialog.mend, dialog.unit_box, dialog.new_label, dialog.cutoff, dialog.amps)
    return {one: (one.mapTo(dialog, QPoint(0, 0)), one.width(), one.height()) for one in shown}


def test_nothing_moves_while_they_are_told_and_mended(window, qtbot, tmp_path):
    """A mistake is typed, a verdict arrives, a log with holes is looked at: table, preview, fields and buttons stay where they are."""
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 2)
    holes = tmp_path / "blue pack holes.csv"
    holes.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{k},{'OL' if k in (3, 4) else 12},1\n" for k in range(20)))

    def act(dialog: ImportDialog) -> None:
        settle()
        before = places(dialog)
        for text in ("50 Ah 12.8 V LiFePO4", "fifty", ""):
            type_into(qtbot, dialog.new_label, text)
            type_into(qtbot, dialog.cutoff, text)
            all_told(qtbot, dialog)
            for place in range(dialog.model.rowCount()):
                press_row(qtbot, dialog, place)
                settle()
                assert places(dialog) == before
        click(qtbot, dialog, "Leave it")

    bring_in(window, qtbot, [*paths, holes], act)
