"""Everything that was measured and can be chosen from, for one job."""

from __future__ import annotations

from dataclasses import replace

from ubrant.core.conversion.candidates import Candidate, Job, Ranked, rank, ranking_sentence
from ubrant.logbook.logbook import Logbook
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import entries
from ubrant.runs.accounts import account_of_stored


def candidates_of(logbook: Logbook, output_v: float | None = None) -> list[Candidate]:
    """The latest run of each unit that gives losses; with ``output_v`` only of those that give about that voltage."""
    ranking = {e.key for e in entries() if e.ranks}
    candidates: dict[int, Candidate] = {}
    for run, name in logbook.runs():
        if run.method not in ranking or run.unit_id is None or run.unit_id in candidates or run.state == "running":
            continue
        unit = logbook.unit(run.unit_id)
        try:
            out = read_ratings(unit, how_much=False).output_v
        except ValueError:
            continue
        if output_v is not None and not 0.9 * output_v < out < 1.1 * output_v:
            continue
        candidate = account_of_stored(logbook.kept(run).record()).candidate
        if candidate is not None:
            candidates[run.unit_id] = replace(candidate, name=name)
    return list(candidates.values())


def ranked_for(logbook: Logbook, job: Job, output_v: float | None) -> tuple[list[Ranked], str]:
    """Rows, best first, and one sentence."""
    rows = rank(job, candidates_of(logbook, output_v))
    return rows, ranking_sentence(job, rows) if rows else "Nothing that was swept or stepped gives this voltage."
