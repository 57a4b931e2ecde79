"""One run too close to the label to tell, and several like it that tell: by all of them, as far as they are like it and not long ago."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.core.uncertainty.decision import ONCE, Repeats
from ubrant.runs.kept.accounts import account_of

FIRST = datetime.fromisoformat("2026-05-01T10:00:00+00:00")


def kept(book, days_and_hours):
    needs("discharge")
    unit = book.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    runs = []
    for days, hours in days_and_hours:
        run = keep_discharge(book, unit, hours)
        whole = book.kept(run)
        book.delete_run(run.id)
        head = whole.run.head
        head = replace(head, conditions=replace(head.conditions, temperature_c=20.0))
        day = (FIRST + timedelta(days=days)).isoformat()
        runs.append(book.keep_import(replace(whole, run=replace(whole.run, started=day, told=head, id=0))))
    return runs


def said(book, run) -> str:
    return next((w for w in account_of(book, run)[1].warnings if w.startswith("Together with")), "")


def test_three_runs_tell_what_one_cannot(logbook):
    runs = kept(logbook, [(0, 5.01), (7, 5.0), (14, 5.0)])
    _, account = account_of(logbook, runs[2])
    assert account.verdict.word == "cannot tell"
    assert said(logbook, runs[2]).startswith("Together with its 2 other runs like this one, which gave 97.5")
    assert said(logbook, runs[2]).endswith("it is below its label.")


@pytest.mark.parametrize("others", [[], [(7, 6.2)], [(-400, 5.0), (-390, 5.0)]], ids=["none", "that differ", "of long ago"])
def test_nothing_is_said_together(logbook, others):
    run = kept(logbook, [*others, (14, 5.0)])[-1]
    assert not said(logbook, run)


def test_repeats_are_pooled_with_what_is_common():
    """JCGM 100, 4.2: by hand."""
    assert ONCE.of_mean == (0.01, 5)
    three = Repeats((1.02, 1.04))
    assert three.mean == pytest.approx(1.02)
    s = ((2 * (0.02 / 1.02) ** 2 + 5 * 0.01**2) / 7) ** 0.5
    assert three.of_mean == (pytest.approx(s / 3**0.5), 7)


def test_a_run_keeps_its_own_figure(logbook):
    """How nearly a battery gives the same again is in its verdict, not in the ± of what it gave."""
    run = kept(logbook, [(0, 5.0)])[0]
    _, account = account_of(logbook, run)
    assert account.findings["label_share"].expanded_uncertainty < 0.7
