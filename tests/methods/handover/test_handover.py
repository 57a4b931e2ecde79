"""Hand-over: what held, what restarted, how low the output went, against what it may fall to."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit

HEAD = "method: handover\nunit: Desk\nkind: load\nvolts: 0.5 % + 2 digits of 10 mV\nplan sources: mains, pack, its own\nplan least_v: 10.8 V\n\n"


def found(tmp_path, lines: str) -> dict:
    notes = tmp_path / "desk.jot"
    notes.write_text(HEAD + lines)
    return said(str(notes))


def test_what_held_and_what_restarted(tmp_path):
    out = found(tmp_path, "+1min 12.10 V runs\n+3min 11.62 V falters\n+5min 12.24 V runs\n+7min 12.41 V restarted\n")
    assert out["sentence"].startswith("2 of 4 changes held, the output never below 11.62")
    assert "pack to its own: it restarted" in out["sentence"]
    assert out["findings"]["lowest_output"]["value"] == 11.62
    assert out["findings"]["lowest_output"]["working"] == "pack to its own"


@pytest.mark.parametrize(("volts", "says"), [("10.2", "falls below the 10.8 V"), ("10.82", "may fall below the 10.8 V"), ("11.9", "")])
def test_against_what_it_may_fall_to(tmp_path, volts, says):
    warnings = " ".join(found(tmp_path, f"+1min {volts} V runs\n")["warnings"])
    assert says in warnings
    assert bool(says) == ("10.8 V" in warnings)


def test_no_volts_and_nothing_at_all(tmp_path):
    assert found(tmp_path, "+1min 0 V off\n")["sentence"].endswith("mains to pack: it went off.")
    notes = tmp_path / "desk.jot"
    notes.write_text(HEAD + "+1min all set up\n")
    assert "No source was pulled yet" in ubrant("analyse", str(notes)).stderr


def test_typed_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Sound desk", "load", "12 V, 30 W"), "handover", sources="mains, pack")
    begin(window, qtbot)
    for line in ("12.10 V runs", "12.30 V runs"):
        say_line(window, qtbot, line)
    close(window, qtbot)
    assert window.findings.account.sentence.startswith("2 of 2 changes held")


def test_off_alone_is_an_answer_in_the_window_as_in_a_file(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Sound desk", "load", "12 V, 30 W"), "handover", sources="mains, pack")
    begin(window, qtbot)
    say_line(window, qtbot, "off")
    say_line(window, qtbot, "the lamp went dark")
    say_line(window, qtbot, "12.30 V runs")
    close(window, qtbot)
    assert window.findings.account.sentence == "1 of 2 changes held, the output never below 12.300 ± 0.011 V; mains to pack: it went off."
