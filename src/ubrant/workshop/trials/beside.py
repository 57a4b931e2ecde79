"""Further meters beside those at the two ends: whether they agree with them."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np

from ubrant.core.accuracy import Accuracy
from ubrant.core.readings import Array, Series
from ubrant.core.second_meter import disagreement
from ubrant.logbook.records import Run
from ubrant.logbook.run_record import beside_accuracies, beside_corrected
from ubrant.workshop.trials.rows import corrected, mean_between
from ubrant.workshop.trials.trial import KeptTrial, TrialView, meters_of


def with_disagreements(view: TrialView, kept: KeptTrial) -> TrialView:
    """The view, with a sentence for every quantity on which two meters at one end are too far apart."""
    said = tuple(text for tap in view.run.plan.get("beside", {}) for text in _at(view.run, kept, tap))
    return replace(view, warnings=view.warnings + said) if said else view


def _at(run: Run, kept: KeptTrial, tap: str) -> list[str]:
    """What a meter at ``input 2`` has against the one at ``input``."""
    end, name = tap.split(" ")[0], run.plan["beside"][tap]["name"]
    meters = meters_of(run)
    ours: dict[str, tuple[Accuracy | None, Accuracy | None]] = {
        "input": (meters.input_v, meters.input_a), "output": (meters.output_v, meters.output_a)
    }  # fmt: skip
    said = []
    for unit, accuracy, other_accuracy in zip("VA", ours.get(end, (None, None)), beside_accuracies(run, tap), strict=True):
        mine, other = corrected(run, kept, end, unit), kept.series.get((tap, unit))
        if tap != end and mine is not None and other is not None and len(mine) and len(other):
            said.append(
                disagreement(
                    *_paired(kept, mine, beside_corrected(run, tap, unit, other)), unit, accuracy, other_accuracy, f"{name} at the {end}"
                )
            )
    return [text for text in said if text]


def _paired(kept: KeptTrial, mine: Series, other: Series) -> tuple[Array, Array]:
    """What both showed: settled means at every point, or else moment by moment."""
    spans = [(json.loads(e.text)["from_s"], e.time_s) for e in kept.events if e.kind == "point"]
    if spans:
        return np.array([mean_between(mine, *s) for s in spans]), np.array([mean_between(other, *s) for s in spans])
    return np.interp(other.time_s, mine.time_s, mine.value, np.nan, np.nan), other.value
