"""Verdicts measured again: which held, capacities that agree within their ±, what newer sums judge otherwise, no rehearsals."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from tests.command_line import ubrant
from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import SIMULATED
from ubrant.runs.afterwards.verdicts_again import again_to_json, verdicts_again
from ubrant.runs.kept.accounts import summary_of
from ubrant.ui.shelf.verdicts_dialog import VerdictsDialog


@pytest.fixture
def twice(logbook):
    """One pack measured on three days: it meets, meets a month later, and is spent two years later."""
    needs("discharge")
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    runs = []
    for days, hours in ((0, 5.5), (30, 5.5), (760, 3.0)):
        run = keep_discharge(logbook, unit, hours)
        whole = logbook.kept(run)
        logbook.delete_run(run.id)
        day = (datetime.fromisoformat("2024-05-01T10:00:00+00:00") + timedelta(days=days)).isoformat()
        runs.append(logbook.keep_import(replace(whole, run=replace(whole.run, started=day, id=0))))
    return logbook, runs


def test_what_held_and_what_did_not(twice):
    book, _ = twice
    found = verdicts_again(book)
    assert [(p.before.summary.verdict, p.after.summary.verdict) for p in found.pairs] == [("meets", "spent"), ("meets", "meets")]
    assert [round(p.days) for p in found.pairs] == [730, 30]
    assert found.pairs[1].apart == pytest.approx(0.0, abs=1e-9)
    assert found.pairs[0].apart > 10
    assert found.sentence() == (
        "Of 2 verdicts that were measured again 1 held: 1 of 2 “meets”. Of 1 capacities measured twice within 90 days 1 agree within their ±."
    )
    assert again_to_json(found)["pairs"][0]["after"]["verdict"] == "spent"


def test_a_rehearsal_is_no_measurement(twice):
    book, runs = twice
    run = book.run(runs[2].id)
    book.update_run(replace(run, told=replace(run.head, origin=replace(run.head.origin, road=SIMULATED))))
    assert len(verdicts_again(book).pairs) == 1


def test_what_newer_sums_judge_otherwise(twice):
    book, runs = twice
    for run in runs:
        summary_of(book, run)
    book._write(
        "UPDATE summary SET version = version - 1, findings = replace(findings, '\"meets\"', '\"below\"') WHERE run_id = ?", (runs[0].id,)
    )
    found = verdicts_again(book)
    assert [(one.run.id, one.summary.was, one.summary.verdict) for one in found.by_sums] == [(runs[0].id, "below", "meets")]
    assert "A newer version of the sums has changed 1 verdicts." in found.sentence()
    assert verdicts_again(book).by_sums  # it is remembered


def test_nothing_yet(logbook):
    assert verdicts_again(logbook).sentence().startswith("No verdict was measured again yet")


def test_by_window_and_command_line(twice, dressed, qtbot, tmp_path):
    book, _ = twice
    dialog = VerdictsDialog(book)
    qtbot.addWidget(dialog)
    assert dialog.table.rowCount() == 2
    assert dialog.table.item(0, 3).text().startswith("another verdict; ")
    assert dialog.table.item(1, 3).text() == "it held; 0 × what both ± allow"
    path = tmp_path / "copy.ubrant"
    book.save_copy(path)
    assert "2024-05-01 meets → 2024-05-31 meets" in ubrant("verdicts", str(path)).stdout
    assert json.loads(ubrant("verdicts", str(path), "--json").stdout)["pairs"][1]["days"] == 30.0
