"""The demo logbook: made by the simulated bench, with a verdict of every kind."""

from __future__ import annotations

from ubrant.core.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.demo.dome import UNITS, make_demo
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.views import summary_of


def test_every_kind_of_verdict_stands_on_the_shelf(tmp_path):
    told: list[str] = []
    make_demo(tmp_path / "demo.ubrant", told.append)
    logbook = Logbook(tmp_path / "demo.ubrant")
    found = {name: (run, summary_of(logbook, run)) for run, name in logbook.runs()}
    assert {summary.verdict for _, summary in found.values()} == {MEETS, BELOW, SPENT, CANNOT_TELL, NOT_ALIKE}
    assert [unit.name for unit in logbook.units()] == [unit.name for unit in UNITS]
    assert all((run.source, run.ended_by, run.trouble) == ("simulated bench", "cut-off", "") for run, _ in found.values())
    assert set(told) == set(found)
    logbook.close()
    assert [p.name for p in tmp_path.iterdir()] == ["demo.ubrant"]
