"""Where a method lacks a reading: what follows from the others all the same, and which reading would tell the rest; never where something cannot be."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.command_line import ubrant
from tests.window import begin, close, jot, needs, prepare
from ubrant.core.equipment.unit import Unit
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

STEP_DOWN = "method: sweep\nunit: Step-down\nkind: converter\nlabel: 12 V to 5 V, 8 A\nvolts: 0.5 % + 10 mV\nvolts output: 0.5 % + 10 mV\namps output: 1 % + 10 mA\n\n"
LINES = ("input 12.5 V output 5.02 V 2.00 A", "input 12.4 V output 5.01 V 4.00 A")
SAYS = "No point was taken yet. What was read says so much: Converter between 44 and 100 %. Input, watts: between 19 and 45 W; the amperes of the input would tell."


@pytest.fixture(autouse=True)
def needed():
    for key in ("anything", "sweep", "steps", "discharge", "output"):
        needs(key)


@pytest.fixture
def told(tmp_path):
    def tell(text):
        path = tmp_path / "notes.jot"
        path.write_text(text, "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


def test_a_converter_without_the_amperes_it_takes(told):
    """20 W come out: as much at least, and no more than twice of it and what it may burn by itself go in."""
    found = told(STEP_DOWN + "".join(f"@10:0{k} {line}\n" for k, line in enumerate(LINES)))
    assert found.trouble == SAYS
    assert found.findings["input_W"].value_text() == "19 to 45 W"
    assert found.findings["output_W"].value == pytest.approx(20.04)
    assert not found.answers, "it is no answer of the sweep"
    assert [group.title for group in found.groups] == ["What follows from what was read"]


def test_the_same_in_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 8 A"), "sweep")
    begin(window, qtbot)
    window.clock.time_s += 60
    jot(qtbot, window.run, LINES[0], enters=2)  # the first says that another load comes first
    assert "still lacks: input A" in window.run.jot_line.hint.text()
    assert not window.run.table.model.sheet.rows
    QTest.keyClick(window.run.jot_line, Qt.Key.Key_Return)
    assert not window.run.jot_line.text(), "once more takes it as it is"
    window.run.tick()
    close(window, qtbot)
    assert "Converter between" in window.findings.verdict.text()
    assert window.findings.account.findings["input_W"].bound == "between"


def test_on_the_command_line(tmp_path):
    path = tmp_path / "notes.jot"
    path.write_text(STEP_DOWN + "@10:00 " + LINES[0] + "\n", "utf-8")
    done = ubrant("analyse", str(path))
    assert "the amperes of the input would tell" in " ".join(done.stderr.split())


def test_steps_by_a_plug_meter_alone(told):
    found = told(
        "method: steps\nunit: Hut\nkind: inverter\nlabel: 12 V to 230 V sine, 300 W\n\n@10:00 output 230 V 85 W\n@10:05 output 229 V 150 W\n"
    )
    assert "Converter between 4" in found.trouble
    assert found.findings["input_W"].bound == "between"


@pytest.mark.parametrize(
    "text",
    [
        "method: discharge\nunit: Pack\nkind: battery\nlabel: 12.8 V 20 Ah LiFePO4\nfull: yes\n\n@10:00 load on 12.9 V\n@14:00 10.0 V empty\n",
        "method: output\nunit: Bank\nkind: bank\nlabel: 37 Wh 10 Ah 3.7 V\n\n@10:00 load on output 5.08 V 1.00 A\n+20h output 5.06 V 1.00 A\n",
        STEP_DOWN + "@10:00 input 12.5 V 1.0 A output 5.0 V 9.0 A\n",
        STEP_DOWN + "@10:00 input 12.5 V 1.0 A\n",
    ],
    ids=["volts alone", "more than its label", "more out than in", "its own watts alone"],
)
def test_nothing_is_added(told, text):
    found = told(text)
    assert "What was read says so much" not in found.trouble + found.sentence
    assert "input_W" not in found.findings
