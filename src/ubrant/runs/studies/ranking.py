"""Everything that was measured and can be chosen from, for one job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ubrant.core.conversion.candidates import ConverterCandidate, Job, Ranked, rank, ranking_sentence
from ubrant.logbook.logbook import Logbook
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import entries
from ubrant.runs.kept.accounts import account_of_stored

Measured = tuple[float, ConverterCandidate]
"""Volts that a unit gives, and what was measured of it."""


def candidates_of(logbook: Logbook) -> list[Measured]:
    """The latest run of each unit that gives losses: an account each."""
    ranking = {e.key for e in entries() if e.ranks}
    candidates: dict[int, Measured] = {}
    for run, name in logbook.runs():
        if run.method not in ranking or run.unit_id is None or run.unit_id in candidates or run.state == "running":
            continue
        unit = logbook.unit(run.unit_id)
        try:
            out = read_ratings(unit, how_much=False).output_v
        except ValueError:
            continue
        candidate = account_of_stored(logbook.kept(run).record()).candidate
        if candidate is not None:
            candidates[run.unit_id] = out, replace(candidate, name=name)
    return list(candidates.values())


def ranked_for(measured: Sequence[Measured], job: Job, output_v: float | None) -> tuple[list[Ranked], str]:
    """Rows, best first, and one sentence; with ``output_v`` only of those that give about that voltage."""
    rows = rank(job, [one for gives, one in measured if output_v is None or 0.9 * output_v < gives < 1.1 * output_v])
    return rows, ranking_sentence(job, rows) if rows else "Nothing that was swept or stepped gives this voltage."
