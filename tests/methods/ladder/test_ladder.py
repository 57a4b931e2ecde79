"""A ladder of volts: every edge lies between the last step at which it did and the first at which it did not; what a supply's limit hides is no edge."""

from __future__ import annotations

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.making import METER, by_hand, prepared
from tests.ui.test_careless_rows import paste
from tests.window import begin, close, prepare, say_line, typed_row, write_cell
from ubrant.core.equipment.unit import Unit
from ubrant.core.loads.ladder import LadderStep, climb
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import method_of
from ubrant.runs.studies.where_it_stops import where_it_stops
from ubrant.runs.typed.pasting import _marks_apart
from ubrant.ui.common.where_it_stops_dialog import WhereItStopsDialog

HEAD = "method: ladder\nunit: Torch\nkind: load\nlabel: {label}\nvolts: 0.5 % + 2 mV\namps: 1 % + 1 mA\n{more}\n"
DOWN = ("4.10 V 0.402 A runs", "3.28 V 0.431 A runs", "3.20 V 0.433 A dims", "3.05 V 0.440 A dims", "2.95 V 0 A off")
UP = ("3.20 V 0 A does not start", "3.30 V 0 A does not start", "3.40 V 0.425 A starts")
TORCH = Unit("Torch", "load", "3.7 V, 2 W")


@pytest.fixture
def told(tmp_path):
    def tell(*lines, label="3.7 V, 2 W", more=""):
        path = tmp_path / "torch.jot"
        path.write_text(HEAD.format(label=label, more=more) + "\n".join(lines) + "\n", "utf-8")
        return said(str(path))

    return tell


def steps(*told: str) -> list[LadderStep]:
    """``3.2 off`` …, to two decimals."""
    return [LadderStep(float(v), 0.005, " ".join(fate)) for v, *fate in (one.split() for one in told)]


def test_each_edge_lies_between_two_steps(told):
    """Half of the way, rectangular, with k = 2: ± 1.155 times it (JCGM 100, 4.3.7), and the meter's 0.5 % + 2 mV on top."""
    found = told(*DOWN, *UP)["findings"]
    for key, did, did_not in (("starts_at", 3.40, 3.30), ("falters_at", 3.28, 3.20), ("off_at", 3.05, 2.95)):
        middle, half = (did + did_not) / 2, (did - did_not) / 2
        assert found[key]["value"] == pytest.approx(middle)
        meter = ((0.005 * middle) ** 2 + 0.002**2 + 0.005**2) / 3
        assert found[key]["expanded_uncertainty"] == pytest.approx(2 * (half**2 / 3 + meter) ** 0.5, rel=1e-3)
    assert found["power"]["value"] == pytest.approx(4.10 * 0.402)


def test_it_says_so_in_a_sentence_in_the_words_of_who_saw_it(told):
    assert told(*DOWN, *UP)["sentence"] == "Starts at 3.350 ± 0.061 V; dims at 3.240 ± 0.050 V; goes off at 3.000 ± 0.061 V."


def test_a_step_of_which_nobody_said_what_became_of_it_is_named(told):
    out = told("4.10 V 0.40 A runs", "3.60 V 0.42 A", "3.20 V 0 A off")
    assert "What became of it at 3.6 V was not said." in out["warnings"]


def test_what_was_not_seen_is_at_most_or_at_least(told):
    out = told("4.10 V runs", "3.20 V runs")
    assert out["findings"]["off_at"]["bound"] == "at most"
    assert out["findings"]["off_at"]["value"] > 3.2, "with what the meter may be off by"
    assert out["sentence"] == "Never went off, down to 3.2 V."
    assert any("Where it starts was not tried" in w for w in out["warnings"])
    out = told("4.10 V runs", "2.9 V off", "3.2 V does not start")
    assert out["findings"]["starts_at"]["bound"] == "at least"
    assert out["findings"]["starts_at"]["value"] < 3.2
    assert "Did not start up to 3.2 V" in out["sentence"]


def test_starting_is_apart_from_coming_back_by_itself():
    by_itself = climb(steps("4 runs", "3 off", "3.2 off", "3.4 runs"))
    assert by_itself.starts is None
    assert by_itself.comes_back is not None
    assert (by_itself.comes_back.did.volts, by_itself.comes_back.did_not.volts) == (3.4, 3.2)
    anew = climb(steps("4 runs", "3 off", "3.2 does not start", "3.4 runs"))
    assert anew.comes_back is None, "it was being switched on anew"
    assert (anew.starts.did.volts, anew.starts.did_not.volts) == (3.4, 3.2)


def test_off_while_the_volts_rise_is_not_where_it_goes_off():
    found = climb(steps("4 runs", "3 runs", "2.8 off", "3.5 off", "3.6 starts", "3.1 runs"))
    assert (found.stays_on.did.volts, found.stays_on.did_not.volts) == (3.0, 2.8)


def test_what_fails_once_may_fail_again(told):
    out = told("4.10 V runs", "3.00 V runs", "2.90 V off", "4.10 V starts", "3.20 V off")
    assert out["findings"]["off_at"]["value"] == pytest.approx(3.65)
    assert any("It did at 3 V and not at 3.2 V" in w for w in out["warnings"])


@pytest.mark.parametrize(
    ("line", "more"),
    [
        ("3.40 V 1.00 A supply limited", ""),
        ("3.40 V 1.00 A at its limit", ""),
        ("3.40 V 0.99 A off", "plan limit_a: 1 A\nplan volts: 4.1, 3.8, 3.4 V\n"),
    ],
)
def test_a_supply_at_its_limit_says_nothing_of_the_thing(told, line, more):
    out = told("4.10 V 0.80 A runs", "3.80 V 0.87 A runs", line, more=more)
    assert out["findings"]["off_at"]["bound"] == "at most"
    assert "down to 3.8 V" in out["sentence"]
    assert any("At 3.4 V the supply was at its own limit" in w for w in out["warnings"])


@pytest.mark.parametrize(
    ("lines", "more", "asks"),
    [
        (("4.10 V 0.40 A runs", "3.20 V 0.39 A off"), "", "it is off, and takes 0.39 A"),
        (("4.10 V 0.40 A runs", "3.60 V 0.004 A runs", "3.20 V 0 A off"), "", "it runs, and takes 0.004 A"),
        (("4.10 V runs", "3.20 V off"), "plan volts: 4.1, 3.6 V\n", "3.2 V stood at it where 3.6 V were to be set"),
        (("5.4 V runs", "3.0 V off"), "", "5.4 V is the highest step, and its label says 3.7 V"),
        (("2.8 V runs", "2.0 V off"), "", "2.8 V is the highest step, and its label says 3.7 V"),
        (("12.0 V runs", "9.0 V off"), "", "12 V is the highest step, and its label says 3.7 V"),
        (("4.10 V runs", "3.60 V off", "2.9 V does not start", "3.0 V starts"), "", "Are the two mixed up?"),
    ],
)
def test_what_cannot_well_be_is_asked_before_it_is_an_answer(told, lines, more, asks):
    out = told(*lines, more=more)
    assert out["sentence"].startswith("Cannot tell yet")
    assert asks in out["sentence"]


@pytest.mark.parametrize(
    ("lines", "says"),
    [(("4.10 V 0.4 A", "3.2 V 0.4 A"), "What became of it is missing"), (("3.2 V off",), "At no step was it seen to run")],
)
def test_without_what_became_of_it_nothing_is_said(tmp_path, lines, says):
    path = tmp_path / "torch.jot"
    path.write_text(HEAD.format(label="3.7 V, 2 W", more="") + "\n".join(lines) + "\n", "utf-8")
    assert says in ubrant("analyse", str(path)).stderr


def test_steps_over_its_window_are_refused_and_its_own_are_offered():
    lamp = Unit("Lamp", "load", "10-15 V, 20 W")
    method = method_of("ladder")
    over = method.problems(prepared("ladder", lamp, (METER,), volts="16, 14 V"), LoadRating())
    assert over[0].refused
    assert "over the 15 V that its label allows" in over[0].text
    usual = prepared("ladder", lamp, (METER,)).plan.volts
    assert usual[0] == 15.0
    assert usual == (15.0, 14.0, 13.0, 12.0, 11.0, 10.0, 9.0, 8.0), "to a fifth under its window, where it is bound to stop"
    plain = prepared("ladder", Unit("Lamp", "load", "12 V, 20 W"), (METER,)).plan.volts
    assert plain == (13.0, 12.0, 11.0, 10.0, 9.0, 8.0)


def test_typed_through_the_window_it_is_the_same_and_what_is_below_off_is_asked_no_more(bench_window, qtbot, told):
    window = bench_window
    prepare(window, TORCH, "ladder", volts="4.1, 3.28, 3.2, 3.05, 2.95, 2.8, 2.6 V")
    begin(window, qtbot)
    for line in DOWN:
        say_line(window, qtbot, line)
    assert "Now where it starts" in window.run.next_note.text()
    for line in UP:
        say_line(window, qtbot, line)
    account = close(window, qtbot)
    assert account.sentence.startswith("Starts at 3.35 ± ")
    assert [account.findings[key].value for key in ("starts_at", "falters_at", "off_at")] == pytest.approx(
        [told(*DOWN, *UP)["findings"][key]["value"] for key in ("starts_at", "falters_at", "off_at")]
    )
    assert window.findings.account.short == "starts 3.35, dims 3.24, off 3.00 V"


def test_laid_over_the_batteries_of_the_shelf_it_says_how_long_until_each_edge(bench_window, qtbot):
    """20 Ah of lead-acid, 10 W at any volts: by the resting chart, to a depth where a cell falls to 1.95 V (11.7 V: 23 % by the chart), less what the current sags."""
    window = bench_window
    window.bench.keep_unit(Unit("Small block", "battery", "20 Ah 12 V lead-acid"))
    window.bench.keep_unit(Unit("Drill pack", "battery", "4 Ah 36 V li-ion"))
    prepare(window, Unit("Lamp", "load", "10-15 V, 10 W"), "ladder", volts="15, 13, 12, 11.8, 11.6 V")
    begin(window, qtbot)
    for line in (
        "15.0 V 0.667 A runs",
        "13.0 V 0.769 A runs",
        "12.0 V 0.833 A runs",
        "11.8 V 0.847 A runs",
        "11.6 V 0 A off",
        "11.8 V 0 A does not start",
        "12.0 V 0.833 A starts",
    ):
        say_line(window, qtbot, line)
    account = close(window, qtbot)
    assert window.findings.stops_button.isVisibleTo(window)
    unit = next(u for u in window.bench.logbook.units() if u.name == "Lamp")
    found = where_it_stops(window.bench.logbook, unit)
    by_name = {one.name: one for one in found.batteries}
    block = by_name["Small block"].until[-1]
    share = float(np.interp(account.findings["off_at"].value, [11.66, 11.81], [0.2, 0.3]))
    assert block.left == pytest.approx(share, abs=0.08), "a little more, by what the current sags"
    assert block.seconds / 3600 == pytest.approx(20 * (1 - block.left) * 12.3 / 10, rel=0.06)
    assert "stays unused" in block.text
    assert by_name["Drill pack"].until[-1].text == "not tried so high: 42.2 V when full"
    assert found.batteries[0].until[-1].seconds == max(one.until[-1].seconds for one in found.batteries), "the longest first"
    dialog = WhereItStopsDialog(window.bench.logbook, unit, window)
    assert dialog.table.horizontalHeaderItem(0).text().startswith("Goes off at\n11.7")
    assert block.text in [dialog.table.item(k, 0).text() for k in range(dialog.table.rowCount())]
    assert dialog.plot.isVisibleTo(dialog)
    other = WhereItStopsDialog(window.bench.logbook, next(u for u in window.bench.logbook.units() if u.name == "Small block"), window)
    assert "Climb a ladder of volts with it first" in other.sentence.text()


def test_a_load_that_follows_its_volts_and_one_that_the_battery_outlives(logbook):
    """A resistance draws less as volts fall: it lasts longer than one that draws the same watts throughout."""
    for name, amps in (("Watts", (0.667, 0.8, 0.909)), ("Ohms", (0.667, 0.556, 0.489))):
        lines = {60.0 * k: f"{v} V {a} A runs" for k, (v, a) in enumerate(zip((15.0, 12.5, 11.0), amps, strict=True), start=1)}
        by_hand(logbook, "ladder", prepared("ladder", Unit(name, "load", "10-15 V, 10 W"), (METER,)), lines | {400.0: "10.0 V 0 A off"})
    logbook.keep_unit(Unit("Small block", "battery", "20 Ah 12 V lead-acid"))
    units = {u.name: u for u in logbook.units()}
    watts, ohms = (next(b for b in where_it_stops(logbook, units[name]).batteries if b.name == "Small block") for name in ("Watts", "Ohms"))
    assert ohms.until[-1].seconds > 1.2 * watts.until[-1].seconds
    assert "the battery ends first" in watts.until[-1].text


def test_in_the_table_what_it_does_stands_behind_the_numbers(bench_window, qtbot):
    """Numbers and a word in one cell, Enter; the word alone where no amperes are read."""
    window = bench_window
    prepare(window, TORCH, "ladder", volts="4.1, 3.6, 3.2, 3.0, 2.8 V")
    begin(window, qtbot)
    for row in ("4.10 0.402 runs", "3.60 0.421 runs", "3.20 0.433 dims", "3.00 0 off", "3.20 0 does not start", "3.60 0.42 starts"):
        typed_row(qtbot, window, row)
        window.clock.time_s += 30
    rows = window.run.table.model.sheet.rows
    assert [r.jotting.mark for r in rows] == ["runs", "runs", "falters", "off", "does not start", "starts"]
    assert rows[2].jotting.text == "dims"
    write_cell(qtbot, window.run.table, 1, "note", "flickers, a little")
    changed = window.run.table.model.sheet.rows[1].jotting
    assert (changed.mark, changed.text) == ("falters", "flickers, a little")
    write_cell(qtbot, window.run.table, 1, "note", "runs")
    account = close(window, qtbot)
    assert account.short == "starts 3.40, dims 3.40, off 3.10 V"


def test_a_ladder_is_pasted_from_a_spreadsheet(bench_window, qtbot):
    """A word of its own for faltering once held the window for ever."""
    window = bench_window
    prepare(window, TORCH, "ladder", volts="4.1, 3.6, 3.2, 3.0 V")
    begin(window, qtbot)
    window.clock.time_s += 600
    rows = (
        "0\t4.10\t0.402\truns",
        "1\t3.20\t0.433\tdims, a little",
        "2\t2.95\t0\toff",
        "3\t3.20\t0\tdoes not start",
        "4\t3.40\t0.42\tstarts",
    )
    assert paste(window, qtbot, "\n".join(("min\tV\tA\tnote", *rows))) == "5 rows were pasted."
    lines = [r.jotting for r in window.run.table.model.sheet.rows]
    assert [line.mark for line in lines] == ["runs", "falters", "off", "does not start", "starts"]
    assert lines[1].text == "dims, a little"
    assert close(window, qtbot).sentence.startswith("Starts at 3.3")


@pytest.mark.parametrize(
    ("note", "marks"),
    [
        ("dims", ([], "dims")),
        ("full, load on", (["full"], "load on")),
        ("full, dims", (["full"], "dims")),
        ("off, full, load on", (["off", "full"], "load on")),
    ],
)
def test_marks_in_one_note_are_told_apart(note, marks):
    assert _marks_apart(note) == marks
