"""What a run is called wherever runs are listed."""

from __future__ import annotations

from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.registry import meter_check


def is_about_its_unit(run: Run) -> bool:
    """Not of two meters that were only held to it."""
    entry = meter_check()
    return entry is None or run.method != entry.key


def name_of(run: Run, unit_name: str | None) -> str:
    """Its unit, or where it came from; two meters that were held against each other by their own names."""
    entry = meter_check()
    if entry is not None and run.method == entry.key:
        checked, reference = (run.head.setup.meter(tap).name for tap in entry.checks_meters)
        if checked and reference:
            return say("{checked} against {reference}", checked=checked, reference=reference)
    return unit_name or run.source


def name_in(logbook: Logbook, run: Run) -> str:
    """What it is called, its unit looked up."""
    return name_of(run, logbook.unit(run.unit_id).name if run.unit_id else None)
