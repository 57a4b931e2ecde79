"""The readings table, by keys and clicks: a discharge over two evenings with breaks, typos mended in three ways, a paste, and one reading left out."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tests.command_line import said
from tests.trust.making import notes
from tests.window import begin, click, close, jot, needs, prepare, say_line, settle, typed_row, write_cell
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import JotError
from ubrant.demo.kit import WatchedClock
from ubrant.runs.typed.sheet import spread_over

pytestmark = pytest.mark.needs("discharge")

V, A = ("battery", "V"), ("battery", "A")
LABEL = "12 V 45 Ah lead-acid, 15 h rate, to 10.5 V"
SOC = np.array([1.0, 0.8, 0.5, 0.2, 0.1, 0.05, 0.0])
VOLTS = np.array([12.75, 12.5, 12.2, 11.7, 11.3, 10.9, 10.3])


def volts(ah: float) -> str:
    """Under 3 A, of a block of 40 Ah."""
    return f"{float(np.interp(1 - ah / 40.0, SOC[::-1], VOLTS[::-1])):.2f}"


@pytest.fixture
def typing(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Evening block", "battery", LABEL), "discharge", temperature_c="22 °C")
    click(qtbot, window.prepare, "Start the run")
    for _ in range(2):
        window.run.tick()
        click(qtbot, window.run, "Done, go on")
    window.run.tick()
    return window


def at(window, hours: float) -> None:
    window.clock.time_s = 3600.0 * hours
    window.run.tick()


def lines(window) -> list[str]:
    return [j.line for j in window.bench.logbook.jots(window.bench.run.id)]


def test_a_discharge_over_two_evenings_says_what_its_log_would(typing, qtbot, tmp_path):
    window, table = typing, typing.run.table
    qtbot.keyClick(table.view, Qt.Key.Key_Return)
    jot(qtbot, window.run, "12.85 V")
    # the first evening: two hours, a break, two hours
    readings: list[tuple[float, float]] = []  # hours on the clock, ampere-hours by then
    at(window, 0.1)
    click(qtbot, window.run, "The load is on")
    for hours, ah in ((0.1, 0.0), (1.1, 3.0), (2.1, 6.0)):
        at(window, hours)
        typed_row(qtbot, window, f"{volts(ah)} 3.00")
        readings.append((hours, ah))
    click(qtbot, window.run, "The load is off")
    at(window, 3.1)
    click(qtbot, window.run, "The load is on")
    for hours, ah in ((3.1, 6.0), (4.1, 9.0), (5.1, 12.0)):
        at(window, hours)
        typed_row(qtbot, window, f"{volts(ah)} 3.00")
        readings.append((hours, ah))
    click(qtbot, window.run, "The load is off")
    # a typo that is mended in its cell, one by fix, one by undo
    rows = table.model.sheet.rows
    place = next(k for k, r in enumerate(rows) if abs(r.time_s - 3600 * 1.1) < 1 and r.readings)
    write_cell(qtbot, table, place, V, "1.239")
    assert "1.239" in lines(window)[place]
    write_cell(qtbot, table, place, V, volts(3.0))
    window.run.tick()
    assert "was 1.239 V" in table.model.data(table.model.index(place, table.model.place_of("note")))
    # the second evening
    at(window, 24.0)
    click(qtbot, window.run, "The load is on")
    at(window, 24.01)
    typed_row(qtbot, window, f"{volts(12.03)} 30.0")
    if table.unfinished():
        qtbot.keyClick(table.view, Qt.Key.Key_Return)
    jot(qtbot, window.run, "fix 3.00 A", enters=2)
    at(window, 25.0)
    typed_row(qtbot, window, f"{volts(15.0)} 3.00")
    at(window, 25.5)
    typed_row(qtbot, window, "11.11 3.00")
    window.run.jot_line.setFocus()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QApplication.processEvents()
    window.run.tick()
    assert not any("11.11" in line for line in lines(window))
    # one that is left out
    at(window, 26.0)
    typed_row(qtbot, window, "12.61 3.00")
    if table.unfinished():
        qtbot.keyClick(table.view, Qt.Key.Key_Return)
    table._go(len(table.model.sheet.rows) - 1, V)
    click(qtbot, table, "Leave out")
    assert lines(window)[-1].startswith("left out")
    # twelve from a spreadsheet
    pasted, ah = [], 15.0
    for k in range(12):
        ah = 18.0 + 2.2 * k
        hours = 24.0 + (ah - 12.0) / 3.0
        pasted.append((hours, ah))
    at(window, pasted[-1][0] + 0.1)
    start = window.bench.run.started
    from datetime import datetime, timedelta

    begun = datetime.fromisoformat(start)
    text = "time\tvolts\tamps\n" + "".join(f"{begun + timedelta(hours=h):%Y-%m-%d %H:%M:%S}\t{volts(a)}\t3.00\n" for h, a in pasted)
    QApplication.clipboard().setText(text)
    before = len(lines(window))
    click(qtbot, table, "Paste rows")
    assert len(lines(window)) == before + 12
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(lines(window)) == before
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert len(lines(window)) == before + 12
    window.run.tick()
    found = close(window, qtbot)
    jots = window.bench.logbook.jots(window.findings.shown()[0].id)
    kept = [(j.time_s, j.line) for j in jots]
    log = notes(
        tmp_path, *(f"+{t:.3f}s {line}" for t, line in kept), label=LABEL, volts="0.05 % + 5 mV", amps="0.2 % + 5 mA", temperature="22 °C"
    )
    again = said(log)
    assert again["findings"]["charge"]["value"] == pytest.approx(found.findings["charge"].value, rel=1e-6)
    assert again["verdict"]["word"] == found.verdict.word
    at_cutoff = 40.0 * (1 - float(np.interp(10.5, VOLTS[::-1], SOC[::-1])))
    assert found.findings["charge"].value == pytest.approx(at_cutoff, rel=0.005)
    assert found.verdict.word == "below"


def test_a_row_can_be_deleted_and_its_time_changed(typing, qtbot):
    window, table = typing, typing.run.table
    at(window, 0.1)
    jot(qtbot, window.run, "load on 12.7 V 3.0 A")
    at(window, 1.0)
    typed_row(qtbot, window, "12.60 3.0")
    at(window, 2.0)
    typed_row(qtbot, window, "12.50 3.0")
    table._go(2, V)
    click(qtbot, table, "Delete row")
    assert len(lines(window)) == 2
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(lines(window)) == 3
    window.run.tick()
    write_cell(qtbot, table, 1, "time", "-1:00")
    assert "is no time of day" in table.message.text()
    write_cell(qtbot, table, 1, "time", "+0:30:00")
    window.run.tick()
    assert [round(j.time_s) for j in window.bench.logbook.jots(window.bench.run.id)] == [360, 1800, 7200]


def test_stamp_now_type_after(typing, qtbot):
    window, table = typing, typing.run.table
    at(window, 0.1)
    jot(qtbot, window.run, "load on 12.7 V 3.0 A")
    at(window, 1.0)
    table.view.setFocus()
    qtbot.keyClick(table.view, Qt.Key.Key_Space)
    at(window, 1.5)
    typed_row(qtbot, window, "12.60 3.0")
    assert window.bench.logbook.jots(window.bench.run.id)[-1].time_s == pytest.approx(3600.0)


def test_what_was_typed_is_not_carried_into_the_next_run(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle")
    begin(window, qtbot)
    table = window.run.table
    table._go(0, ("input", "V"))
    qtbot.keyClicks(table.view, "1")
    qtbot.keyClicks(QApplication.focusWidget(), "2.8")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    settle()
    assert QApplication.focusWidget() is table.view
    assert table.unfinished() == "12.8"
    qtbot.keyClick(table.view, Qt.Key.Key_Escape)
    assert table.unfinished() == ""
    window.run.jot_line.setText("half a li")
    click(qtbot, window.run, "Close the run")
    assert "“half a li” was typed" in window.run.notice_note.text()
    window.bench.session.end()
    window.run.tick()
    prepare(window, Unit("Hut two", "inverter", "12 V to 230 V sine, 300 W"), "idle")
    click(qtbot, window.prepare, "Start the run")
    assert window.run.jot_line.text() == ""


def test_it_is_time_for_a_reading(typing, qtbot):
    window = typing
    at(window, 0.1)
    jot(qtbot, window.run, "load on 12.7 V 3.0 A")
    window.run.tick()
    assert "next reading in" in window.run.aside_quiet.text()
    at(window, 0.7)
    assert "time for a reading" in window.said()
    typed_row(qtbot, window, "12.60 3.0")
    assert window.said() == ""


def test_cells_of_a_kept_run_can_be_mended(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle")
    begin(window, qtbot)
    assert QApplication.focusWidget() is window.run.table.view
    for line in ("skip", "input 12.80 V 0.37 A", "skip"):
        window.clock.time_s += 60
        jot(qtbot, window.run, line, enters=2)
        window.run.tick()
    close(window, qtbot)
    table = window.findings.table
    assert table.isVisible()
    write_cell(qtbot, table, 1, ("input", "A"), "0.27")
    assert window.findings.account.findings["idle_power"].value == pytest.approx(12.80 * 0.27, rel=2e-4)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.findings.account.findings["idle_power"].value == pytest.approx(12.80 * 0.37, rel=2e-4)


def test_the_readout_shows_the_next_step_and_takes_numbers(bench_window, qtbot):
    """From two metres, by number pad alone."""
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle")
    begin(window, qtbot)
    readout = window.run.readout
    readout.show()
    window.run.tick()
    assert readout.lines()[0] == "zero"
    for line in ("0.02", "12.80 0.37"):
        window.clock.time_s += 60
        qtbot.keyClicks(readout, line)
        window.run.tick()
        assert line in readout.lines()[1]
        qtbot.keyClick(readout, Qt.Key.Key_Enter)
        window.run.tick()
    assert lines(window) == ["input 0.02 A", "input 12.80 V 0.37 A"]
    assert readout.lines()[0] == "economy"
    readout.hide()


def test_the_same_again_on_another_unit(bench_window, qtbot):
    """One test over several candidates: method, bench, meters and fields stay, the unit is another."""
    window = bench_window
    window.bench.keep_unit(Unit("Hut two", "inverter", "12 V to 230 V sine, 600 W"))
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", seconds="2 min")
    begin(window, qtbot)
    for line in ("skip", "input 12.80 V 0.37 A", "skip"):
        window.clock.time_s += 60
        jot(qtbot, window.run, line, enters=2)
        window.run.tick()
    close(window, qtbot)
    click(qtbot, window.findings, "Same again …")
    box = window.prepare.unit_box
    box.setCurrentIndex(box.findText("Hut two"))
    form = window.prepare.form
    assert form.method.key == "idle"
    assert form.fields["seconds"].text() == "2 min"
    assert form.bench.currentText() == "by hand: I type the readings"
    click(qtbot, window.prepare, "Start the run")
    assert window.bench.run.head.setup.unit.name == "Hut two"


def careless(window, qtbot, line: str) -> str:
    """What is said of a row that was typed wrongly; it is not taken down."""
    before = lines(window)
    typed_row(qtbot, window, line)
    told = window.run.table.message.text()
    assert lines(window) == before
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_Escape)
    return told


def test_careless_rows_are_asked_about(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 3 A"), "sweep", hand_loads="0, 1, 2 A")
    begin(window, qtbot)
    assert "the wrong way round" in careless(window, qtbot, "0.031 12.05 5.04 0")
    assert "a factor of 1000 away. Did you mean" in careless(window, qtbot, "12050 0.03 5.0 0")
    assert "0.5 A: nothing is wanted to flow there now" in careless(window, qtbot, "12.05 262mA 5.06 0.5")
    assert "is no reading in V" in careless(window, qtbot, "262mA 12.05 5.06 0")
    assert "with that sign" in careless(window, qtbot, "-12.0 0.03 5.0 0")
    assert "5 numbers, and there are 4 columns" in careless(window, qtbot, "12 0.03 5.0 0 0")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "nothing to paste"),
        ("hello world", "is no reading in V"),
        ("time,foo,bar\n12:00,1,2", "“foo” is no column of this table"),
        ("12.05\t0.03\t5.0\t0\t9\t9\n", "has 6 cells"),
        ("25:00\t12.4\t0.1\t5\t0\n", "“25:00” is no time of day"),
    ],
)
def test_what_cannot_be_pasted_is_said(bench_window, qtbot, text, says):
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 3 A"), "sweep", hand_loads="0, 1, 2 A")
    begin(window, qtbot)
    QApplication.clipboard().setText(text)
    click(qtbot, window.run.table, "Paste rows")
    assert says in window.run.table.message.text()
    assert lines(window) == []


def test_rows_with_decimal_commas_and_no_headings_are_pasted_once(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 3 A"), "sweep", hand_loads="0, 0.5, 2 A")
    begin(window, qtbot)
    window.clock.time_s = 7200.0
    text = "12:00;12,05;0,031;5,04;0\n12:05;12,04;0,262;5,03;0,5\n"
    for said_of_it in ("2 rows were pasted.", "2 of them stood there already, and were not taken twice."):
        QApplication.clipboard().setText(text)
        click(qtbot, window.run.table, "Paste rows")
        assert window.run.table.message.text() == said_of_it
        window.run.tick()
    assert lines(window) == ["input 12.05 V 0.031 A output 5.04 V 0 A", "input 12.04 V 0.262 A output 5.03 V 0.5 A"]


def test_the_table_is_copied_as_a_spreadsheet_takes_it(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle")
    begin(window, qtbot)
    jot(qtbot, window.run, "skip")
    jot(qtbot, window.run, "input 12.80 V 0.37 A fan on", enters=2)
    window.run.tick()
    window.run.table.view.setFocus()
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert rows[0] == ["time", "in V", "in A", "note"]
    assert rows[2][1:] == ["12.80", "0.37", "fan on"]


def test_volts_times_amperes_of_mains_are_not_called_watts(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Lamp", "load", "230 V, 52 W"), "appliance", modes="on")
    begin(window, qtbot)
    jot(qtbot, window.run, "231 V 0.39 A 51 W", enters=2)
    window.run.tick()
    model = window.run.table.model
    assert model.data(model.index(0, model.place_of("says"))) == ""


def test_what_flowed_before_the_first_reading_is_in_so_far(typing, qtbot):
    """Load on, and read half an hour later: what the row says is what the ledger says."""
    window = typing
    at(window, 0.1)
    click(qtbot, window.run, "The load is on")
    at(window, 0.6)
    typed_row(qtbot, window, "12.60 4.00")
    at(window, 1.6)
    typed_row(qtbot, window, "12.50 4.00")
    model = window.run.table.model
    says = [model.data(model.index(k, model.place_of("says"))) for k in range(3)]
    assert says == ["", "2.00 Ah so far", "6.00 Ah so far"]
    for _ in range(20):
        window.run.tick()
    assert "6.0" in window.run.ledger.row("charge").accessibleName()


def test_rows_typed_faster_than_they_are_looked_at_are_all_kept(typing, qtbot):
    """A keyboard that sends whole lines: the next row is typed before the last one was looked at."""
    window, view = typing, typing.run.table.view
    at(window, 0.1)
    click(qtbot, window.run, "The load is on")
    view.setFocus()
    for line in ("12.60 4.00", "12.50 4.01", "12.40 4.02"):
        window.clock.time_s += 60
        qtbot.keyClicks(view, line[0])
        editor = QApplication.focusWidget()
        qtbot.keyClicks(editor, line[1:])
        qtbot.keyClick(editor, Qt.Key.Key_Return)
        QApplication.processEvents()
    settle()
    window.run.tick()
    assert [line for line in lines(window) if "V" in line] == ["12.60 V 4.00 A", "12.50 V 4.01 A", "12.40 V 4.02 A"]


class Counted:
    """Clicks and keys other than the numbers themselves."""

    def __init__(self, qtbot) -> None:
        self.qtbot, self.count = qtbot, 0

    def click(self, within, text: str) -> None:
        self.count += 1
        click(self.qtbot, within, text)

    def row(self, window, line: str) -> None:
        self.count += 1  # Enter
        window.clock.time_s += 60.0
        typed_row(self.qtbot, window, line)


@pytest.fixture
def two_meters(window):
    """A bench with two multimeters that cannot talk, and a clock that the test turns."""
    for name in ("Multimeter one", "Multimeter two"):
        window.bench.keep_meter(Meter(name, "0.5 % + 10 mV", "1 % + 5 mA", max_v=600, max_a=20))
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    return window


@pytest.mark.needs("sweep")
def test_a_converter_by_hand_in_twelve_keys_and_clicks_besides_its_numbers(two_meters, qtbot):
    window, hand = two_meters, Counted(qtbot)
    unit = window.bench.keep_unit(Unit("Step-down", "converter", "12 V to 5 V, 3 A"))
    window.bench.choose_unit(unit.id)
    hand.click(window.shelf, "Prepare a test")
    assert window.prepare.start_button.isEnabled()
    assert {box.currentText() for box in window.prepare.form.meters.values()} == {"Multimeter one", "Multimeter two"}
    hand.click(window.prepare, "Start the run")
    window.run.tick()
    hand.click(window.run, "Done, go on")
    window.run.tick()
    for amps, into in ((0, 0.031), (0.15, 0.09), (0.3, 0.16), (0.75, 0.35), (1.5, 0.69), (3, 1.42)):
        hand.row(window, f"12.00 {into:.3f} 5.00 {amps:.3f}")
    hand.click(window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    found = window.findings.account
    assert [key for key in found.answers if key.startswith("efficiency_")] == [f"efficiency_{k}" for k in range(1, 6)]
    assert all(found.findings[f"efficiency_{k}"].expanded_uncertainty for k in range(1, 6))
    assert hand.count <= 12


def test_an_idle_draw_of_an_inverter_in_under_ten(two_meters, qtbot):
    window, hand = two_meters, Counted(qtbot)
    unit = window.bench.keep_unit(Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"))
    window.bench.choose_unit(unit.id)
    hand.click(window.shelf, "Prepare a test")
    hand.count += 2  # the drop-down, and the method in it
    window.prepare.form.choose_method("idle")
    window.prepare.look()
    hand.click(window.prepare, "Start the run")
    window.run.tick()
    hand.click(window.run, "Done, go on")
    window.run.tick()
    for line in ("0.00", "12.80 0.37", "12.80 0.04"):
        hand.row(window, line)
    hand.click(window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    assert window.findings.account.findings["idle_power"].value == pytest.approx(12.80 * 0.37, rel=2e-4)
    assert hand.count < 10


def test_alarm_tripped_back_are_single_keys_and_the_time_between_is_a_finding(bench_window, qtbot):
    """They answer no row of a sweep, whatever is half typed stays, and in a note a letter is a letter."""
    needs("idle")
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    view = window.run.table.view
    asked = window.run.next_note.text()
    for seconds, key in ((10, Qt.Key.Key_A), (35, Qt.Key.Key_T), (60, Qt.Key.Key_B)):
        window.clock.time_s = float(seconds)
        view.setFocus()
        qtbot.keyClick(view, key)
        window.run.tick()
        settle()
    assert window.run.next_note.text() == asked
    window.clock.time_s = 90.0
    for line in ("12.8 V 0 A", "12.80 V 0.37 A", "skip"):
        say_line(window, qtbot, f"input {line}" if line != "skip" else line)
    account = close(window, qtbot)
    assert account.findings["from_alarm_to_tripped"].with_uncertainty() == "25 s ± 0.8 s"
    assert account.findings["from_tripped_to_back"].value == pytest.approx(25.0)
    assert account.findings["idle_power"].value == pytest.approx(12.8 * 0.37, rel=1e-3)


def test_a_cell_whose_column_has_gone_meanwhile():
    """Its own number stands; several have nowhere to go, and are refused with a sentence."""
    columns = [("input", "V"), ("input", "A")]
    assert spread_over("12.5", ("case", "°C"), columns) == {("case", "°C"): "12.5"}
    with pytest.raises(JotError, match="2 numbers"):
        spread_over("12.5 3", ("case", "°C"), columns)
