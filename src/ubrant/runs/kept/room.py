"""Between what the room is, said once for all runs of a logbook whose temperature nobody wrote down."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ubrant.core.record.head import Conditions
from ubrant.logbook.logbook import Logbook


def keep_room(logbook: Logbook, room_c: tuple[float, float] | None) -> dict[int, Conditions]:
    """For every run that has ended; returns by run what was known before."""
    kept = [run for run, _ in logbook.runs(limit=-1) if run.state != "running"]
    untold = {run.id: run.head.conditions for run in kept if run.head.conditions.temperature_c is None}
    put_back(logbook, {run_id: replace(known, room_c=room_c) for run_id, known in untold.items()})
    return untold


def put_back(logbook: Logbook, known: Mapping[int, Conditions]) -> None:
    """What is known of these runs from now on, all of it or nothing."""
    with logbook.together():
        for run_id, conditions in known.items():
            if (run := logbook.find_run(run_id)) is not None:
                logbook.update_run(run.under(conditions=conditions))
