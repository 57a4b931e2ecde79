"""The demo logbook: made by the simulated bench, with a verdict of every kind."""

from __future__ import annotations

from datetime import datetime

import pytest

from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.demo.dome import UNITS, make_demo
from ubrant.demo.kit import METERS
from ubrant.demo.weekend import keep_weekend
from ubrant.logbook.logbook import Logbook
from ubrant.runs.bench_days.living import current_days
from ubrant.runs.bench_days.words import under_way
from ubrant.runs.kept.accounts import account_of, summary_of


@pytest.mark.slow
def test_every_kind_of_verdict_stands_on_the_shelf(tmp_path):
    told: list[str] = []
    make_demo(tmp_path / "demo.ubrant", told.append)
    logbook = Logbook(tmp_path / "demo.ubrant")
    runs = logbook.runs()
    accounts = {run.id: account_of(logbook, run)[1] for run, _ in runs}
    of = {(name, run.method): accounts[run.id] for run, name in runs}
    assert {name for name, method in of if method == "sweep"} == {"Step-down one", "Step-down two", "Laptop step-up"}
    assert all(account.findings["dropout_voltage"].value for (_, method), account in of.items() if method == "sweep")
    assert all(account.sentence and not account.trouble for account in accounts.values())
    assert {w.kind for w in of[("Attic 150", "steps")].waves} == {"stepped"}
    assert of[("Attic 150", "steps")].ended_by == "overload"
    assert "leads" in {accounts[run.id].ended_by for run, name in runs if name == "Hut 300" and run.method == "steps"}
    assert of[("Hall 1000", "idle")].findings["idle_power"].value > 2 * of[("Hut 300", "idle")].findings["idle_power"].value
    assert "settles nothing" in " ".join(of[("Step-down one", "idle")].warnings)
    emptied = [(run, name) for run, name in runs if run.method == "discharge"]
    last = {name: summary_of(logbook, run).verdict for run, name in reversed(emptied)}
    assert set(last.values()) >= {MEETS, BELOW, SPENT, NOT_ALIKE}
    assert CANNOT_TELL in {summary_of(logbook, run).verdict for run, _ in emptied}
    assert [unit.name for unit in logbook.units()] == [unit.name for unit in UNITS]
    assert {run.trouble for run, _ in emptied} == {""}
    assert [run.source for run, _ in emptied].count("typed") == 1
    assert [run.state for run, _ in emptied].count("interrupted") == 1
    assert sum(1 for run, _ in emptied if accounts[run.id].gaps) == 1
    shown = {key for run, _ in emptied for key in accounts[run.id].findings}
    assert {
        "resistance_two_step",
        "resistance_edges",
        "coulombic_efficiency",
        "cycle_3",
        "reference_capacity",
        "peukert",
        "rated_capacity",
    } <= shown
    assert set(told) == {name for _, name in runs}
    days = current_days(logbook, datetime(2026, 11, 8, 15, 30).astimezone())
    assert days is not None
    assert under_way(days) == "3 of 6 under way, 3 done"
    logbook.close()
    assert [p.name for p in tmp_path.iterdir()] == ["demo.ubrant"]


def test_a_weekend_is_planned_by_what_lies_on_the_shelf(logbook):
    """Without its runs nothing of it is done but what was clipped on."""
    for meter in METERS:
        logbook.keep_meter(meter)
    for unit in UNITS:
        logbook.keep_unit(unit)
    keep_weekend(logbook)
    days = current_days(logbook, datetime(2026, 11, 8, 15, 30).astimezone())
    assert days is not None
    assert under_way(days) == "3 of 6 under way, 0 done"
    assert {key for key, one in days.plan.placed.items() if one.ended} == {"test 5 fill", "test 5 rest", "test 6 fill", "test 6 rest"}
    assert days.gives == ()
