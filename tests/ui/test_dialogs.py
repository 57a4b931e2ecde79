"""Ranking for a job, and judging a display."""

from __future__ import annotations

import numpy as np
import pytest

from tests.window import type_into
from ubrant.core.equipment.meter import Meter
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
