"""Every converter and inverter that was measured, as candidates for one job."""

from __future__ import annotations

import numpy as np

from ubrant.core.candidates import Candidate, Job, Ranked, rank, ranking_sentence
from ubrant.core.sweep import Sweep
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.trials.registry import trial_view
from ubrant.workshop.trials.trial import TrialView
from ubrant.workshop.trials.unit_ratings import read_ratings

_METHODS = ("sweep", "steps")


def candidates_of(logbook: Logbook, output_v: float | None = None) -> list[Candidate]:
    """The latest sweep or load steps of each unit that gives losses; with ``output_v`` only those that give about that voltage."""
    found: dict[int, Candidate] = {}
    for run, name in logbook.runs():
        if run.method not in _METHODS or run.unit_id is None or run.unit_id in found or run.state == "running":
            continue
        unit = logbook.unit(run.unit_id)
        try:
            out = read_ratings(unit).output_v
        except ValueError:
            continue
        if output_v is not None and not 0.9 * output_v < out < 1.1 * output_v:
            continue
        candidate = _candidate(name, trial_view(logbook, run))
        if candidate is not None:
            found[run.unit_id] = candidate
    return list(found.values())


def _candidate(name: str, view: TrialView) -> Candidate | None:
    swept = view.sweep
    if swept is None or swept.model is None or not len(swept.points):
        return None
    carried = swept.points.output_w[swept.in_tolerance]
    idle = view.findings["idle_power"]
    dropout = view.findings.get("dropout_voltage") or view.findings.get("cutoff_input")
    volts = swept.points.input_v[swept.in_tolerance] if swept.in_tolerance.any() else swept.points.input_v
    return Candidate(
        name, swept.model, idle.value or 0.0, dropout.value if dropout is not None else None, (float(np.min(volts)), float(np.max(volts))),
        float(carried.max()) if len(carried) else 0.0, _doubts(swept), (dropout.expanded_uncertainty or 0.0) if dropout is not None else 0.0,
    )  # fmt: skip


def _doubts(swept: Sweep) -> tuple[tuple[float, float], ...]:
    """(W, ± of the efficiency in percent) at each load that was measured within tolerance."""
    good = swept.in_tolerance & np.isfinite(swept.efficiency_u) & (swept.points.output_w > 0)
    loads, doubts = swept.points.output_w[good], swept.efficiency_u[good]
    order = np.argsort(loads)
    return tuple(zip(loads[order].tolist(), doubts[order].tolist(), strict=True))


def ranked_for(logbook: Logbook, job: Job, output_v: float | None) -> tuple[list[Ranked], str]:
    """Rows, best first, and one sentence."""
    rows = rank(job, candidates_of(logbook, output_v))
    return rows, ranking_sentence(job, rows) if rows else "Nothing that was swept or stepped gives this voltage."
