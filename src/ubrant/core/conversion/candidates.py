"""Several converters or inverters ranked for one job: this input range, this load."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.conversion.loss_model import LossModel
from ubrant.core.conversion.sweep import Sweep
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

HOURS_A_YEAR = 8766.0


@dataclass(frozen=True)
class Job:
    """``lowest_v`` to ``highest_v`` at the input, ``load_w`` at the output for ``hours_a_day``; ``battery_wh`` that can be used; price of
    1 kWh in whatever money. ``always_on``: nobody switches it off, so that its idle draw runs through the rest of the day."""

    lowest_v: float
    highest_v: float
    load_w: float
    hours_a_day: float
    battery_wh: float
    price_kwh: float
    always_on: bool = False


@dataclass(frozen=True)
class ConverterCandidate:
    """What was measured of one: losses, idle draw in W, the input under which its output leaves tolerance (None where it never did), the lowest and highest
    input it was swept over, largest load within tolerance; ``uncertainties``: (W, expanded uncertainty of the efficiency there in percent), by rising load, empty for
    unknown; ``dropout_u`` expanded."""

    name: str
    model: LossModel
    idle_w: float
    dropout_v: float | None
    swept_v: tuple[float, float]
    carries_w: float
    uncertainties: tuple[tuple[float, float], ...] = ()
    dropout_u: float = 0.0

    def efficiency_u(self, load_w: float) -> float | None:
        """Expanded uncertainty of its efficiency at a load, percent, between those that were measured."""
        if not self.uncertainties:
            return None
        loads, uncertainties = zip(*self.uncertainties, strict=True)
        return float(np.interp(load_w, loads, uncertainties))


def candidate_of(name: str, swept: Sweep, findings: Mapping[str, Finding]) -> ConverterCandidate | None:
    """What a sweep or load steps say of a unit as a candidate; None without fitted losses."""
    if swept.model is None or not len(swept.points):
        return None
    carried = swept.points.output_w[swept.in_tolerance]
    dropout = findings.get("dropout_voltage") or findings.get("cutoff_input")
    volts = swept.points.input_v[swept.in_tolerance] if swept.in_tolerance.any() else swept.points.input_v
    good = swept.in_tolerance & np.isfinite(swept.efficiency_u) & (swept.points.output_w > 0)
    loads, uncertainties = swept.points.output_w[good], swept.efficiency_u[good]
    order = np.argsort(loads)
    return ConverterCandidate(
        name,
        swept.model,
        findings["idle_power"].value or 0.0,
        dropout.value if dropout is not None else None,
        (float(np.min(volts)), float(np.max(volts))),
        float(carried.max()) if len(carried) else 0.0,
        tuple(zip(loads[order].tolist(), uncertainties[order].tolist(), strict=True)),
        (dropout.expanded_uncertainty or 0.0) if dropout is not None else 0.0,
    )


@dataclass(frozen=True)
class Ranked:
    """One row: power taken in, runtime, energy and cost over a year, expanded uncertainties where known; ``refused`` says why it cannot do the job at all, ``caveat`` what was not measured."""

    name: str
    input_w: float
    efficiency: float
    runtime_h: float
    runtime_u: float | None
    kwh_a_year: float
    cost_a_year: float
    refused: str = ""
    caveat: str = ""
    efficiency_u: float | None = None


def rank(job: Job, candidates: list[ConverterCandidate]) -> list[Ranked]:
    """Best first: longest runtime among those that can do the job, then those that cannot."""
    return sorted((_judge(job, c) for c in candidates), key=lambda r: (bool(r.refused), -r.runtime_h))


def _judge(job: Job, candidate: ConverterCandidate) -> Ranked:
    taken = job.load_w + candidate.model.loss_w(job.load_w)
    idle_hours = 24.0 - job.hours_a_day if job.always_on else 0.0
    day_wh = taken * job.hours_a_day + candidate.idle_w * idle_hours
    runs_h = job.battery_wh * job.hours_a_day / day_wh if job.always_on else job.battery_wh / taken
    efficiency = 100 * job.load_w / taken
    efficiency_u = candidate.efficiency_u(job.load_w)
    share_u = efficiency_u / efficiency if efficiency_u is not None else None
    refused = caveat = ""
    dropout, dropout_u = candidate.dropout_v, candidate.dropout_u
    if dropout is not None and job.lowest_v < dropout - dropout_u:
        refused = say(
            "leaves tolerance at {dropout} V, and the input goes down to {lowest_v} V",
            dropout=plain(dropout, 3),
            lowest_v=plain(job.lowest_v),
        )
    elif job.load_w > 1.02 * candidate.carries_w:
        refused = say("was seen to carry {carries_w} W at most", carries_w=show(candidate.carries_w, 3))
    elif job.lowest_v < 0.98 * candidate.swept_v[0] or job.highest_v > 1.02 * candidate.swept_v[1]:
        caveat = say(
            "was measured from {plain} to {plain_2} V only", plain=plain(candidate.swept_v[0], 3), plain_2=plain(candidate.swept_v[1], 3)
        )
    elif dropout is not None and job.lowest_v < dropout + dropout_u:
        caveat = say(
            "leaves tolerance at {dropout} ± {dropout_u} V, which may be above the {lowest_v} V it gets",
            dropout=show(dropout, 3),
            dropout_u=show(dropout_u, 1),
            lowest_v=plain(job.lowest_v),
        )
    kwh = day_wh / 24.0 * HOURS_A_YEAR / 1000
    return Ranked(
        candidate.name,
        taken,
        efficiency,
        runs_h,
        None if share_u is None else runs_h * share_u,
        kwh,
        kwh * job.price_kwh,
        refused,
        caveat,
        efficiency_u,
    )


def ranking_sentence(job: Job, ranked: list[Ranked]) -> str:
    """Which to take, and by how much."""
    fit = [r for r in ranked if not r.refused]
    if not fit:
        return say("None of them can do this job.")
    best = fit[0]
    if len(fit) == 1:
        return say("Take {name}: the only one that can.", name=best.name)
    second = fit[1]
    gap, uncertainty = best.runtime_h - second.runtime_h, math.hypot(best.runtime_u or 0.0, second.runtime_u or 0.0)
    known = best.runtime_u is not None and second.runtime_u is not None
    if known and gap <= uncertainty:
        return say(
            "{name} and {name_2} cannot be told apart: {runtime_h} h against {runtime_h_2} h, ± {uncertainty} h.",
            name=best.name,
            name_2=second.name,
            runtime_h=show(best.runtime_h, 3),
            runtime_h_2=show(second.runtime_h, 3),
            uncertainty=show(uncertainty, 2),
        )
    more = 100 * gap / second.runtime_h
    saved = second.cost_a_year - best.cost_a_year
    return say(
        "Take {name}: {runtime_h} h, {more} % longer than {name_2}; saves {saved:.2f} a year.",
        name=best.name,
        runtime_h=show(best.runtime_h, 3),
        more=plain(more, 2),
        name_2=second.name,
        saved=saved,
    )
