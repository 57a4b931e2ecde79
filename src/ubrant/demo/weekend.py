"""A weekend at the bench, half done: three tests are over, a plug meter counts, the rest is late."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from ubrant.core.planning.steps import BY_ITSELF
from ubrant.core.planning.visits import next_visit
from ubrant.logbook.logbook import Logbook
from ubrant.runs.bench_days.asked import DaysPart, TestPart
from ubrant.runs.bench_days.living import begun_visit, lived, plan_days, runs_since, shelf_of, stored_of

_FRIDAY, _SUNDAY = datetime(2026, 11, 6, 18, 0), datetime(2026, 11, 8, 15, 30)
ASKED = DaysPart(
    name="Before the showing",
    begins=f"{_FRIDAY:%Y-%m-%d %H:%M}",
    out=["Sat 14:00 to 17:00"],
    loads=["Electronic load"],
    chargers=["Lead-acid charger"],
    socket="1500 W",
    test=[
        TestPart(unit="Projector", method="plug-day"),
        TestPart(unit="Hut 300", method="steps"),
        TestPart(unit="Attic 150", method="steps"),
        TestPart(unit="Pack breaker", method="trip"),
        TestPart(unit="Dome pack B", method="discharge", charge="6 h", ends=BY_ITSELF),
        TestPart(unit="Hall block", method="discharge", takes="10 h", charge="7 h", charger="Lead-acid charger", ends=BY_ITSELF),
    ],
)


def keep_weekend(logbook: Logbook) -> None:
    """The plan as it stood on Sunday afternoon, filled by the runs that were made since Friday: here all of them are of the simulated bench."""
    friday, sunday = _FRIDAY.astimezone(), _SUNDAY.astimezone()
    days = plan_days(ASKED, shelf_of(logbook), friday)
    first = next_visit(days.visits())
    assert first is not None
    by_hand = tuple(deed for deed in first.deeds if deed.step.begins_s < deed.step.seconds)  # what is done by eye has its runs
    days = begun_visit(days, replace(first, deeds=by_hand), friday)
    logbook.keep_bench_days(stored_of(lived(days, runs_since(logbook, days, rehearsed=True), sunday), sunday))
