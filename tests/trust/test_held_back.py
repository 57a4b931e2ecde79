"""What is doubted is asked in Findings, in Run and on the command line; its answer waits for the person, and comes with one yes, undone with one undo."""

from __future__ import annotations

import json
from datetime import datetime, timedelta

import pytest

from tests.command_line import ubrant
from tests.window import begin, click, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file

DOUBT = "It is said to have been full, and its display said 63 % at the start."
LINES = ("load on output 5.08 V 1.00 A bank 63 %", "output 5.05 V 1.00 A bank 4 %", "empty")
NOTES = (
    "method: output\nunit: Bank\nkind: bank\nlabel: 37 Wh 10 Ah 3.7 V\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\nfull: yes\n\n"
    + "".join(f"@{clock} {line}\n" for clock, line in zip(("10:00", "14:00", "14:05"), LINES, strict=True))
)


def test_in_run_and_findings(bench_window, qtbot):
    """From an empty logbook: seen at the row, held back in Findings, answered by its button, taken back."""
    window = bench_window
    prepare(window, Unit("Bank", "bank", "37 Wh 10 Ah 3.7 V"), "output")
    begin(window, qtbot)
    say_line(window, qtbot, LINES[0], after_s=60)
    say_line(window, qtbot, LINES[1], after_s=4 * 3600)
    assert DOUBT in window.run.warning_note.text(), "as soon as there is a figure"
    say_line(window, qtbot, LINES[2], after_s=300)
    close(window, qtbot)
    stage = window.findings
    assert stage.verdict.text() == f"Cannot tell yet: {DOUBT}"
    assert not stage.account.answers
    assert stage.account.energy is None
    click(qtbot, stage, "It is so")
    assert stage.verdict.text().startswith("Gives ")
    assert stage.account.answers
    window.bench.undo.undo()
    assert stage.verdict.text() == f"Cannot tell yet: {DOUBT}"


@pytest.mark.parametrize("yes", [(), ("--checked", "start")])
def test_on_the_command_line(tmp_path, yes):
    path = tmp_path / "notes.jot"
    path.write_text(NOTES, "utf-8")
    said = json.loads(ubrant("analyse", str(path), *yes, "--json").stdout)
    assert said["sentence"].startswith("Gives " if yes else f"Cannot tell yet: {DOUBT}")
    told = ubrant("analyse", str(path), *yes).stdout.replace("\n", " ")
    assert ("--checked start" in told) is not bool(yes)


def test_in_the_notes_themselves(tmp_path):
    path = tmp_path / "notes.jot"
    path.write_text(NOTES.replace("full: yes", "full: yes\nchecked: start"), "utf-8")
    assert json.loads(ubrant("analyse", str(path), "--json").stdout)["sentence"].startswith("Gives ")


@pytest.mark.parametrize(
    ("method", "label", "volts", "says"),
    [
        ("brick", "230 V to 19 V, 65 W", lambda k: 12.1 - 0.01 * k, "12.0 V were read at the output, and its label says 19 V"),
        ("charger", "230 V to 14.6 V, 5 A", lambda k: min(14.6, 12.0 + 0.2 * k), "25.00 A is 500 % of the 5 A on its label"),
        ("source", "100 F 5.4 V", lambda k: 5.4 - 0.05 * k, ""),
    ],
)
def test_a_log_is_held_against_the_label_that_was_said_of_it(tmp_path, method, label, volts, says):
    path = tmp_path / "log.csv"
    amps = {"brick": lambda k: 0.15 * k, "charger": lambda k: 25.0 if k < 15 else 25.0 / (k - 13), "source": lambda k: 0.1 * k}[method]
    rows = "\n".join(f"{60 * k},{volts(k):.3f},{amps(k):.3f}" for k in range(22))
    path.write_text(f"Time (s),Voltage (V),Current (A)\n{rows}\n", "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--method", method, "--rated", label, "--json").stdout)
    assert said["sentence"].startswith("Cannot tell yet") is bool(says)
    assert says in said["sentence"]


def test_a_question_stands_in_json_with_its_flag(tmp_path):
    path = tmp_path / "notes.jot"
    path.write_text(NOTES, "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--json").stdout)
    assert [q["flag"] for q in said["questions"]] == ["--checked start"]


def test_notes_without_a_date_are_of_the_last_day_that_they_can_be_of(tmp_path):
    """Rows stand at the times that were noted, and none of them lies ahead."""
    path = tmp_path / "notes.jot"
    path.write_text(NOTES, "utf-8")
    stored = read_file(path, LogOptions())
    began = datetime.fromisoformat(stored.run.started).astimezone()
    now = datetime.now().astimezone()
    assert (began.hour, began.minute) == (10, 0)
    assert timedelta(0) <= now - (began + timedelta(hours=4, minutes=5)) < timedelta(days=1, hours=1)


@pytest.mark.parametrize(
    ("line", "checked", "says"),
    [("load off", "", "It carried"), ("load off", "checked: went-off\n", "went off at 11.60 V"), ("empty", "", "went off at 11.60 V")],
)
def test_a_persons_load_off_is_no_end_of_the_output(tmp_path, line, checked, says):
    """Load steps: old notes wrote “load off” where the output went off; that is asked, and taken at the person's word."""
    head = "method: steps\nunit: Hut\nkind: inverter\nlabel: 12 V to 230 V sine, 300 W\nfed by: Pack: 12.8 V 50 Ah LiFePO4\n"
    rows = "@10:00 input 12.6 V 0.36 A output 231 V 0 W\n@10:02 input 11.6 V 29.3 A output 227 V 300 W\n"
    path = tmp_path / "notes.jot"
    path.write_text(f"{head}{checked}\n{rows}@10:04 {line}\n@10:05 source 12.5 V\n", "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--json").stdout)
    assert says in said["sentence"]
    assert [q["flag"] for q in said["questions"]] == (["--checked went-off"] if says == "It carried" else [])


def test_an_answer_that_is_lost_in_run_is_not_left_standing(bench_window, qtbot):
    """By hand: a row a day late makes it impossible; the ledger empties, and says why."""
    window = bench_window
    prepare(window, Unit("Bank", "bank", "37 Wh 10 Ah 3.7 V"), "output")
    begin(window, qtbot)
    say_line(window, qtbot, "load on output 5.08 V 1.00 A", 60)
    assert not window.run.warning_note.text(), "before there is an answer the next thing asked says it better"
    say_line(window, qtbot, "output 5.07 V 1.00 A", 1800)
    settle(window)
    assert window.run.ledger._rows
    say_line(window, qtbot, "output 5.06 V 1.00 A", 72_000)
    settle(window)
    assert "more than the 37.00 Wh on its label" in window.run.warning_note.text()
    assert not window.run.ledger._rows


def settle(window) -> None:
    """As many looks as the sums wait for."""
    for _ in range(40):
        window.run.tick()


def test_a_thousand_times_too_much_is_left_out_by_hand(bench_window, qtbot):
    """Volts in millivolts and amperes in milliamperes, taken at the person's word by a second Enter: asked about in Findings."""
    window = bench_window
    prepare(window, Unit("Bank", "bank", "37 Wh 10 Ah 3.7 V"), "output")
    begin(window, qtbot)
    for line in (
        "load on output 5.08 V 1.00 A",
        "output 5.07 V 1.00 A",
        "output 5.06 V 1000 A",
        "output 5050 V 1.00 A",
        "output 5.05 V 1.00 A",
    ):
        say_line(window, qtbot, line, 1800)
    account = close(window, qtbot)
    assert {q.yes for q in account.questions} >= {"1000 A is so", "5050 V is so"}
    assert account.sentence.startswith("At least ")
