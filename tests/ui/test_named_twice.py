"""A row that names one place twice, from an older logbook: asked about once for all of a kind, answered, and taken back."""

from __future__ import annotations

import pytest

from tests.making import by_hand
from tests.methods.samples import SAMPLES
from tests.window import click
from ubrant.runs.kept.accounts import account_of
from ubrant.ui.window.shell import FINDINGS

ROWS = {120.0 * k: f"charger 2.00 A load 12.85 V {5 - k / 10:.2f} A {3 - k / 10:.2f} A" for k in range(1, 8)}


@pytest.fixture
def run(window):
    made, _ = by_hand(window.bench.logbook, "balance", SAMPLES["balance"].prepared("balance", by_hand=True), ROWS)
    window.findings.open_run(made.id)
    window.go_to(FINDINGS)
    return made


def amps(window, run, tap: str) -> list[float]:
    jots = window.bench.logbook.jots(run.id)
    return [r.value for j in jots for r in j.jotting.readings if (r.tap or "battery", r.quantity) == (tap, "A")]


def test_one_answer_for_all_and_one_undo(window, qtbot, run):
    findings = window.findings
    assert findings.twice.question.text() == "In 7 rows load A stands twice, and the later number counts. Was the 2.9 A the battery's?"
    warned = [w for w in account_of(window.bench.logbook, run)[1].warnings if "stands twice" in w]
    assert warned == ["In 7 rows load A stands twice, and the later number counts."]
    assert amps(window, run, "battery") == []
    click(qtbot, findings.twice, "Yes")
    assert amps(window, run, "battery") == [pytest.approx(3 - k / 10) for k in range(1, 8)]
    assert amps(window, run, "load") == [pytest.approx(5 - k / 10) for k in range(1, 8)]
    assert not findings.twice.isVisible()
    assert not any("stands twice" in w for w in account_of(window.bench.logbook, run)[1].warnings)
    window.bench.undo.undo()
    assert findings.twice.isVisible()
    assert amps(window, run, "battery") == []


def test_it_may_be_as_it_stands(window, qtbot, run):
    click(qtbot, window.findings.twice, "No, it is as it stands")
    assert not window.findings.twice.isVisible()
    kept = window.bench.logbook.run(run.id)
    assert not any("stands twice" in w for w in account_of(window.bench.logbook, kept)[1].warnings)
    window.bench.undo.undo()
    assert window.findings.twice.isVisible()
