"""The same through the window: typed by keys, brought in by a drop, answered by a click."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QPushButton

from tests.trust.making import LABEL, discharge, write
from tests.window import begin, click, close, jot, needs, prepare, say_line
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, logs_in, under_options
from ubrant.ui.window.shell import FINDINGS


def brought_in(window, folder, rows, **told):
    """A log kept as a unit's run, and shown."""
    needs("discharge")
    (log,) = logs_in(write_path(folder, rows))
    unit = window.bench.logbook.keep_unit(Unit("Pack", "battery", LABEL))
    meter = Meter("Bench meter", "0.1 % + 2 mV", "0.5 % + 5 mA")
    stored = under_options(from_log(log), LogOptions(said={"cutoff": "11 V"}, meters={"battery": meter}, unit=unit, **told))
    run = keep(window.bench.logbook, stored, unit)
    window.bench.shelf_changed.emit()
    window.go_to(FINDINGS)
    window.findings.open_run(run.id)
    return run


def write_path(folder, rows):
    from pathlib import Path

    return Path(write(folder, rows))


def buttons(window):
    return {b.text() for b in window.findings.findChildren(QPushButton) if b.isVisible()}


def test_load_on_after_load_off_goes_on(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Dome pack", "battery", LABEL), "discharge", cutoff="11 V", load="10 A")
    begin(window, qtbot)
    click(qtbot, window.run, "Done, go on")
    say_line(window, qtbot, "13.45 V")
    say_line(window, qtbot, "load on 13.1 V 10 A")
    say_line(window, qtbot, "13.0 V 10 A", after_s=3600)
    say_line(window, qtbot, "load off", after_s=1)
    assert window.bench.session.progress.phase == "recovering"
    say_line(window, qtbot, "load on 13.0 V 10 A", after_s=14_000)
    assert window.bench.session.progress.phase == "load on"
    say_line(window, qtbot, "12.9 V 10 A", after_s=3600)
    say_line(window, qtbot, "load off", after_s=1)
    account = close(window, qtbot)
    assert account.findings["charge"].value == pytest.approx(20.0, abs=0.1)
    assert account.findings["duration"].value == pytest.approx(7202, abs=5)
    assert window.findings.verdict.text().startswith("Cannot tell: it gave at least")


def test_it_was_full_is_a_click_and_can_be_taken_back(window, qtbot, tmp_path):
    run = brought_in(window, tmp_path, discharge(ah=38.0, rest_s=0.0), temperature_c=20.0)
    assert "begins with the load on" in window.findings.verdict.text()
    assert "It was full" in buttons(window)
    click(qtbot, window.findings, "It was full")
    assert window.findings.verdict.text().startswith("Spent:")
    assert window.bench.logbook.run(run.id).head.conditions.full is True
    assert "It was full" not in buttons(window)
    window.bench.undo.undo()
    assert "begins with the load on" in window.findings.verdict.text()


def test_what_was_asked_is_looked_at_with_a_click(window, qtbot, tmp_path):
    brought_in(window, tmp_path, [(t, v, a / 2) for t, v, a in discharge(ah=50.96)])
    assert "was one lead of two clamped" in window.findings.verdict.text()
    click(qtbot, window.findings, "It is so")
    assert window.findings.verdict.text().startswith("Not like for like")


def test_a_charge_is_refused_with_its_sentence(window, tmp_path):
    brought_in(window, tmp_path, [(60.0 * k, 12.6 + 1.8 * k / 300, 10.0) for k in range(300)])
    assert "this is a charge, not a discharge" in window.findings.verdict.text()
    assert window.findings.account.findings == {}


def test_a_draw_that_was_typed_wrongly_is_no_economy_setting(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V, 300 W"), "idle")
    begin(window, qtbot)
    say_line(window, qtbot, "input 12.8 V 0.00 A")
    say_line(window, qtbot, "input 12.8 V 62 A")
    say_line(window, qtbot, "skip")
    account = close(window, qtbot)
    assert account.findings == {}
    assert "794" in window.findings.verdict.text()


def test_the_uncertainty_is_checked_by_draws(window, qtbot, tmp_path):
    brought_in(window, tmp_path, discharge(ah=54.0), temperature_c=20.0)
    click(qtbot, window.findings, "Check the ±")
    qtbot.waitUntil(lambda: "they agree" in window.findings.more.text(), timeout=20_000)
    assert "By 512 draws" in window.findings.more.text()


def test_another_mode_is_not_asked_about_because_it_draws_more(bench_window, qtbot):
    """38 W after 0.5 W standing by is what a mode is for: one Enter takes it down."""
    window = bench_window
    prepare(window, Unit("Projector", "load", "230 V, 52 W"), "appliance")
    begin(window, qtbot)
    for line in ("231 V 0.006 A 0.5 W standby", "230.8 V 0.28 A 38 W eco"):
        window.clock.time_s += 60.0
        jot(qtbot, window.run, line)
        window.run.tick()
        assert window.run.jot_line.text() == ""
    assert close(window, qtbot).findings["power_2"].value == 38.0
