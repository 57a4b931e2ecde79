"""Places of a run are those of its method: one that is none is asked about, one that the test does not read is said, by the line and by a file."""

from __future__ import annotations

import pytest

from tests.making import by_hand
from tests.methods.samples import SAMPLES
from tests.window import click, jot, needs, prepare
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.methods.registry import method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.typed.jotting import grammar_for
from ubrant.ui.window.shell import RUN


@pytest.mark.parametrize("key", [k for k in SAMPLES if k != "notes"])
def test_no_line_that_a_method_reads_is_asked_about(logbook, key):
    sample = SAMPLES[key]
    run, session = by_hand(logbook, key, sample.prepared(key, by_hand=True), {}, end=False)
    grammar = grammar_for(run, {}, None, 0.0)
    for line in sample.lines.values():
        assert not [q for q in grammar.queries(grammar.parse(line)) if "no place" in q], line
    assert method_of(key).taps[0] in grammar.places
    session.end()


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("inptu 10.0 V", "was input meant?"),
        ("batery 12.9 V 5 A", "was battery meant?"),
        ("inverter 10.0 V", "“inverter” is no place that Ubrant knows: as it stands this is a note"),
        ("fan at 12 V now", ""),
        ("case warm", ""),
        ("changed fuse 10 A", ""),
        ("rested 2 h", ""),
        ("waited 20 min", ""),
        ("input 10.0 V", ""),
        ("full", ""),
    ],
)
def test_a_place_that_is_none(line, said):
    grammar = Grammar()
    asked = " ".join(grammar.queries(grammar.parse(line)))
    assert (said in asked) if said else not asked


def test_in_the_window_it_is_asked_and_the_line_stays(window, qtbot):
    sample = SAMPLES["sweep"]
    run, session = by_hand(window.bench.logbook, "sweep", sample.prepared("sweep", by_hand=True), {}, end=False)
    window.bench.begin(run, session, None)
    window.go_to(RUN)
    jot(qtbot, window.run, "inptu 10.0 V")
    assert "was input meant?" in window.run.jot_line.hint.text()
    assert window.run.jot_line.text() == "inptu 10.0 V"
    assert window.bench.logbook.events(run.id) == []
    jot(qtbot, window.run, "charger 13.9 V 2 A")
    assert "“charger” is no place of this test (input, output, source): it is kept beside" in window.run.jot_line.hint.text()
    session.end()


def test_in_a_file_it_is_said(tmp_path):
    path = tmp_path / "slip.jot"
    path.write_text(
        "method: sweep\nlabel: 12 V to 5 V, 2 A\nstarted: 2026-10-17 08:10\n\n@08:10 inptu 10.0 V\n"
        + "".join(f"@08:1{k} input {v} V 1.0 A output 5.00 V 2.0 A\n" for k, v in enumerate((12, 11, 10), start=1)),
        "utf-8",
    )
    account = account_of_stored(read_file(path, LogOptions()).record())
    assert any("Line 5: “inptu” is no place that Ubrant knows: was input meant?" in w for w in account.warnings)


def test_what_is_said_of_a_meter_at_the_mains_is_not_dropped(tmp_path):
    """``watts ac`` of an appliance is its one meter's, of an inverter that at its output; at a place that is read nowhere it is said."""
    path = tmp_path / "lamp.jot"
    lamp = "method: appliance\nlabel: 230 V, 52 W\n{meter}: 1 % + 0.3 W\n\nac 231 V 0.39 A 51 W on\n"
    path.write_text(lamp.format(meter="watts ac"), "utf-8")
    account = account_of_stored(read_file(path, LogOptions()).record())
    assert account.findings["power_1"].expanded_uncertainty == pytest.approx(2 * ((0.51**2 + 0.3**2 + 0.5**2) / 3) ** 0.5, rel=0.2)
    path.write_text(lamp.format(meter="watts charger"), "utf-8")
    account = account_of_stored(read_file(path, LogOptions()).record())
    assert account.findings["power_1"].expanded_uncertainty is None
    assert any("a meter at “charger” is used nowhere: this test reads input" in w for w in account.warnings)


@pytest.mark.parametrize(
    ("label", "examples"), [("20000 mAh 3.7 V", ("3.85 V", "3.77 V 4 A")), ("50 Ah 12.8 V LiFePO4", ("13.31 V", "13.06 V 10 A"))]
)
def test_examples_are_of_this_battery(label, examples):
    from ubrant.core.equipment.unit import Unit
    from ubrant.core.record.head import Setup

    unit = Unit("x", "bank", label)
    method = method_of("discharge")
    hand = method.by_hand(method.prepare(Setup(unit), {one.key: one.usual for one in method.form(Setup(unit))}))
    asked = hand.asks[-1].text
    for example in examples:
        assert f"“{example}”" in asked or f"load on {example}" in asked, asked


@pytest.mark.parametrize("by", ["line", "cell"])
def test_a_time_that_would_go_back_a_day_before_the_run_is_asked(logbook, by):
    from datetime import datetime, timedelta

    from ubrant.core.quantities.jot import JotError
    from ubrant.runs.typed.jotting import moment_of
    from ubrant.runs.typed.sheet import read_time

    sample = SAMPLES["discharge"]
    run, session = by_hand(logbook, "discharge", sample.prepared("discharge", by_hand=True), {}, end=False)
    start = datetime.fromisoformat(run.started) + timedelta(minutes=run.utc_offset_min)

    def read(moment: datetime, *, day: bool = False) -> float:
        text = f"{moment:%m-%d %H:%M:%S}" if day else f"{moment:%H:%M:%S}"
        return moment_of(Grammar().parse(f"@{text} 13 V"), run, 600.0) if by == "line" else read_time(text, run, 600.0, 600.0)

    assert read(start + timedelta(seconds=300)) == 300.0
    assert read(start - timedelta(minutes=30)) == -1800.0
    later = start + timedelta(hours=3)
    with pytest.raises(JotError, match=r"lies ahead\. Was it on the day before, 21 h before this run began\? Then write its day: @"):
        read(later)
    assert read(later - timedelta(days=1), day=True) == -21 * 3600.0
    session.end()


def test_every_place_that_anything_on_a_path_names_is_one_of_its_own(bench_window, qtbot):
    needs("anything")
    window = bench_window
    prepare(window, Unit("Yard", "battery", "12 V 100 Ah AGM"), "anything")
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    for place in ("source", "charger", "battery", "load", "input", "output"):
        jot(qtbot, window.run, f"{place} 13.9 V 2 A")
        assert not window.run.jot_line.text(), window.run.jot_line.hint.text()
        window.run.tick()
