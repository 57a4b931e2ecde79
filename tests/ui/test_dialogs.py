"""Ranking for a job, and judging a display."""

from __future__ import annotations

import numpy as np
import pytest

from tests.window import begin, close, prepare, say_line, type_into
from ubrant.core.equipment.checks import checks_from
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.readings import Series
from ubrant.ui.findings.rank_dialog import RankDialog
from ubrant.ui.shelf.judge_dialog import JudgeDialog
from ubrant.ui.shelf.meter_form import MeterForm


def test_ranking_says_what_is_wrong_with_a_field(bench_window, qtbot):
    dialog = RankDialog(bench_window.bench.logbook, bench_window)
    assert "Nothing that was swept" in dialog.sentence.text()
    type_into(qtbot, dialog.fields["load"], "ten")
    assert "is not a value in W" in dialog.sentence.text()
    type_into(qtbot, dialog.fields["load"], "0 W")
    assert "more than 0" in dialog.sentence.text()


def test_a_display_judged_against_a_meter_is_corrected_from_then_on(bench_window, qtbot):
    meters = bench_window.bench.logbook.meters()
    dialog = JudgeDialog("Bank's display", meters, bench_window)
    dialog.pairs.setPlainText("12.3 12.42\n13.1")
    assert "Line 2 holds 1 values" in dialog.note.text()
    dialog.pairs.setPlainText("4.0 V 4.06 V\n12.3 V 12.42 V\n13.1 V 13.22 V")
    assert "shows" in dialog.note.text()
    assert dialog.keep_button.isEnabled()
    form = MeterForm(Meter("Bank's display"), judges=meters)
    qtbot.addWidget(form)
    form.take_correction("V", dialog.found)
    meter = form.meter()
    corrected = meter.details.correct("V", _series([12.3])).value[0]
    assert corrected == pytest.approx(12.415, abs=0.02)
    assert meter.accuracy("V").limit(12.3) < 0.1


def _series(values):
    return Series(np.arange(len(values), dtype=float), np.array(values))


def test_a_clamp_checked_against_the_bench_meter_changes_the_finding(bench_window, qtbot):
    """A clamp that reads 3 % too much: a run typed with it says 3 % less after the check; the check is kept, a jump is called a drift."""
    window = bench_window
    book = window.bench.logbook
    clamp = book.keep_meter(Meter("Old clamp", "0.5 % + 10 mV", "3 % + 50 mA"))
    found = []
    for _ in range(2):
        prepare(window, Unit("Van battery", "battery", "12 V 95 Ah lead-acid"), "audit", loads="lights")
        window.prepare.form.meters["battery"].setCurrentIndex(window.prepare.form.meters["battery"].findText("Old clamp"))
        window.prepare.look()
        begin(window, qtbot)
        for line in ("12.63 V", "0.00 A", "10.30 A lights", "10.30 A"):
            say_line(window, qtbot, line)
        found.append(close(window, qtbot).findings["sum_of_loads"])
        if len(found) == 1:
            form = MeterForm(next(m for m in book.meters() if m.id == clamp.id), judges=book.meters())
            qtbot.addWidget(form)
            dialog = JudgeDialog("Old clamp", [m for m in book.meters() if m.id != clamp.id], form)
            dialog.quantity.setCurrentIndex(1)
            dialog.pairs.setPlainText("1.03 A 1.00 A\n5.15 A 5.00 A\n10.30 A 10.00 A")
            form.take_correction("A", dialog.found, dialog.made)
            book.keep_meter(form.meter())
            window.bench.shelf_changed.emit()
    assert found[0].value == pytest.approx(10.30)
    assert found[1].value == pytest.approx(10.0, abs=0.02)
    assert found[1].expanded_uncertainty < found[0].expanded_uncertainty
    kept = next(m for m in book.meters() if m.id == clamp.id)
    assert [c["against"] for c in kept.details.checks] == [book.meters()[0].name]
    again = JudgeDialog("Old clamp", book.meters(), window, checks_from(kept.details.checks))
    again.quantity.setCurrentIndex(1)
    again.pairs.setPlainText("1.10 A 1.00 A\n5.50 A 5.00 A\n11.00 A 10.00 A")
    assert "It has drifted" in again.note.text()
    assert again.chart.isVisibleTo(again)
