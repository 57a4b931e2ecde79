"""Ranking for a job, and judging a display."""

from __future__ import annotations

from tests.window import type_into
from ubrant.ui.findings.rank_dialog import RankDialog


def test_ranking_says_what_is_wrong_with_a_field(bench_window, qtbot):
    dialog = RankDialog(bench_window.bench.logbook, bench_window)
    qtbot.waitUntil(lambda: "Nothing that was swept" in dialog.sentence.text(), timeout=5000)
    type_into(qtbot, dialog.fields["load"], "ten")
    assert "is not a value in W" in dialog.sentence.text()
    type_into(qtbot, dialog.fields["load"], "0 W")
    assert "more than 0" in dialog.sentence.text()
