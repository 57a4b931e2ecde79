"""The demo logbook: made by the simulated bench, with a verdict of every kind."""

from __future__ import annotations

from ubrant.core.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.demo.dome import UNITS, make_demo
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.comparing import peukert_of
from ubrant.workshop.sweeping import sweep_view
from ubrant.workshop.views import summary_of, view_of


def test_every_kind_of_verdict_stands_on_the_shelf(tmp_path):
    told: list[str] = []
    make_demo(tmp_path / "demo.ubrant", told.append)
    logbook = Logbook(tmp_path / "demo.ubrant")
    sweeps = [(run, name) for run, name in logbook.runs() if run.method == "sweep"]
    assert {name for _, name in sweeps} == {"Step-down one", "Step-down two", "Laptop step-up"}
    assert all(sweep_view(logbook, run).found.findings["dropout_voltage"].value for run, _ in sweeps)
    runs = [(run, name) for run, name in logbook.runs() if run.method != "sweep"]
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
    assert set(told) == set(found) | {name for _, name in sweeps}
    logbook.close()
    assert [p.name for p in tmp_path.iterdir()] == ["demo.ubrant"]
