"""One more method, in one file: it is on the bench, by hand, from a log and from a jot text, and in every stage, the report and the JSON."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog

from tests.command_line import ubrant
from tests.making import PACK, by_hand, falling, prepared
from tests.methods import toy
from tests.window import begin, click, close, prepare, say_line
from ubrant.core.equipment.meter import Meter
from ubrant.logbook.exporting import export_csv
from ubrant.methods.registry import add, entry_of, method_of, suiting
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of, account_of_stored
from ubrant.runs.making.begin import start
from ubrant.runs.making.benches import BenchChoice
from ubrant.runs.typed.jot_heads import export_jots
from ubrant.ui.window.shell import FINDINGS

METER = Meter("Meter", "0.1 % + 3 mV", "0.5 % + 5 mA")


@pytest.fixture(autouse=True)
def added():
    take_out = add(toy.RESTING)
    yield
    take_out()


def test_it_is_short():
    with Path(toy.__file__).open() as file:
        assert len(file.readlines()) < 50
    assert entry_of("resting").method.title == "Resting voltage"
    assert "resting" in [e.key for e in suiting(PACK)]


def test_by_a_simulated_person_and_back_from_its_export(logbook, tmp_path):
    run, session = start(logbook, method_of("resting"), prepared("resting", PACK, (METER,)), BenchChoice(unattended=True))
    while session.running:
        session.keep_up()
    _, account = account_of(logbook, run)
    assert account.findings["resting"].value == pytest.approx(13.34, abs=0.02)
    export_csv(logbook.kept(run), tmp_path / "run.csv")
    again = account_of_stored(read_file(tmp_path / "run.csv", LogOptions()).record())
    assert again.sentence == account.sentence


def test_by_hand_and_back_from_a_jot_text(logbook, tmp_path):
    run, _ = by_hand(logbook, "resting", prepared("resting", PACK, (METER,)), {10.0: "13.34 V", 70.0: "13.32 V"})
    _, account = account_of(logbook, logbook.run(run.id))
    assert account.findings["resting"].value == pytest.approx(13.33)
    assert export_jots(logbook.kept(logbook.run(run.id)), tmp_path / "rest.jot", "Pack") == ""
    said = json.loads(ubrant("analyse", str(tmp_path / "rest.jot"), "--json").stdout)
    assert said["findings"]["resting"]["value"] == account.findings["resting"].value
    assert said["findings"]["resting"]["expanded_uncertainty"] == account.findings["resting"].expanded_uncertainty
    assert said["sentence"] == account.sentence
    assert said["verdict"] is None


def test_from_a_log(tmp_path):
    body = falling()
    path = tmp_path / "log.csv"
    path.write_text(
        "Time (s),Voltage (V),Current (A)\n" + "\n".join(f"{t},{v:.3f},0" for t, v in zip(body.time_s[:50], body.voltage_v, strict=False))
    )
    said = json.loads(ubrant("analyse", str(path), "--method", "resting", "--voltage-accuracy", "0.1 % + 3 mV", "--json").stdout)
    assert said["findings"]["resting"]["value"] == pytest.approx(13.2)


def test_in_every_stage_and_the_report(bench_window, qtbot, tmp_path, monkeypatch):
    window = bench_window
    prepare(window, PACK, "resting", seconds="2 min")
    assert any("Take everything off" in text for text in window.prepare.steps.texts())
    window.prepare.form.fields["seconds"].setText("0 s")
    window.prepare.look()
    assert window.prepare.problems() == ["It has to rest for longer than 0 s."]
    window.prepare.form.fields["seconds"].setText("2 min")
    window.prepare.look()
    begin(window, qtbot)
    assert "Type what it shows" in window.run.next_note.text()
    say_line(window, qtbot, "13.34 V")
    for _ in range(16):
        window.run.tick()
    assert window.run.ledger.row("resting").accessibleName().startswith("Resting voltage: 13.34")
    say_line(window, qtbot, "13.32 V")
    account = close(window, qtbot)
    assert window.stage() == FINDINGS
    assert account.sentence == window.findings.verdict.text()
    assert window.findings.drawn.trace.isVisible()
    report = tmp_path / "rest.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(report), "HTML (*.html)"))
    click(qtbot, window.findings, "Report …")
    qtbot.waitUntil(lambda: "rest.html" in window.said(), timeout=15_000)
    assert account.sentence in report.read_text()
