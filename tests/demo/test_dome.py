"""The demo logbook: made by the simulated bench, with a verdict of every kind."""

from __future__ import annotations

from ubrant.core.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.demo.dome import UNITS, make_demo
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.comparing import peukert_of
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.views import summary_of, view_of


def test_every_kind_of_verdict_stands_on_the_shelf(tmp_path):
    told: list[str] = []
    make_demo(tmp_path / "demo.ubrant", told.append)
    logbook = Logbook(tmp_path / "demo.ubrant")
    trials = [(run, name) for run, name in logbook.runs() if trial_of(run.method) is not None]
    of = {(name, run.method): trial_view(logbook, run) for run, name in trials}
    assert {name for name, method in of if method == "sweep"} == {"Step-down one", "Step-down two", "Laptop step-up"}
    assert all(view.findings["dropout_voltage"].value for (_, method), view in of.items() if method == "sweep")
    assert all(view.sentence for view in of.values())
    assert {w.found.kind for w in of[("Attic 150", "steps")].waves} == {"stepped"}
    assert of[("Attic 150", "steps")].ended_by == "overload"
    assert "leads" in {trial_view(logbook, run).ended_by for run, name in trials if name == "Hut 300" and run.method == "steps"}
    assert of[("Hall 1000", "idle")].findings["idle_power"].value > 2 * of[("Hut 300", "idle")].findings["idle_power"].value
    assert "settles nothing" in " ".join(of[("Step-down one", "idle")].warnings)
    runs = [(run, name) for run, name in logbook.runs() if trial_of(run.method) is None]
    found = {name: (run, summary_of(logbook, run)) for run, name in reversed(runs)}
    assert {summary.verdict for _, summary in found.values()} >= {MEETS, BELOW, SPENT, NOT_ALIKE}
    assert CANNOT_TELL in {summary_of(logbook, run).verdict for run, _ in runs}
    assert [unit.name for unit in logbook.units()] == [unit.name for unit in UNITS]
    assert {run.trouble for run, _ in runs} == {""}
    assert [run.source for run, _ in runs].count("typed") == 1
    assert [run.state for run, _ in runs].count("interrupted") == 1
    views = {run.id: view_of(logbook, run) for run, _ in runs}
    assert sum(1 for view in views.values() if view.found.gaps) == 1
    shown = {key for view in views.values() for key in view.found.findings}
    assert {"resistance_two_step", "resistance_edges", "coulombic_efficiency", "cycle_3", "reference_capacity"} <= shown
    block = next(view for view in views.values() if view.run.plan["current_a"] == 9.0)
    assert [f.key for f in peukert_of(logbook, block)] == ["peukert", "rated_capacity"]
    assert set(told) == set(found) | {name for _, name in trials}
    logbook.close()
    assert [p.name for p in tmp_path.iterdir()] == ["demo.ubrant"]
