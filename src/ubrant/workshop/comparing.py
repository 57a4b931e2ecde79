"""What several runs of one unit say together, and what may be guessed of a run that did not reach its end."""

from __future__ import annotations

import numpy as np

from ubrant.core.course import course, running_charge, thinned
from ubrant.core.finding import Finding
from ubrant.core.label import LabelError
from ubrant.core.leads import Leads
from ubrant.core.peukert import ConstantRun, capacity_at_rated, fit_exponent
from ubrant.core.quantity import plain
from ubrant.core.readings import ReadingsError
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.running import expected, plan_from_json
from ubrant.workshop.views import RunView, view_of

_MOST_RUNS = 12
_STEADY = 0.03


def constant_run(view: RunView) -> ConstantRun | None:
    """A run as one point of Peukert's law; None where its current did not hold still, or it did not reach its cut-off."""
    found, readings = view.found, view.record.readings
    given_ah = found.findings["charge"].value
    if found.ended_by != "cut-off" or found.gaps or not given_ah:
        return None
    loaded = readings.current_a[(readings.time_s > found.load_on_s) & (readings.time_s < found.end_s)]
    if len(loaded) < 3 or float(np.std(loaded)) > _STEADY * abs(float(np.mean(loaded))):
        return None
    duration, charge = found.findings["duration"], found.findings["charge"]
    hours = (duration.value or 0.0) / 3600
    amps = given_ah / hours
    u_a = charge.standard_uncertainty
    u_h = duration.standard_uncertainty
    return ConstantRun(amps, hours, None if u_a is None else u_a / hours, None if u_h is None else u_h / 3600)


def peukert_of(logbook: Logbook, view: RunView) -> list[Finding]:
    """Peukert's exponent from this and the other runs of the unit to the same cut-off, and the capacity at the label's own rate by it."""
    run, mine = view.run, constant_run(view)
    label = run.label
    if mine is None or run.unit_id is None or run.cutoff is None:
        return []
    points = [mine]
    for other, _ in logbook.runs(limit=1000, unit_id=run.unit_id)[:_MOST_RUNS]:
        if other.id == run.id or other.cutoff is None or abs(other.cutoff.voltage_v - run.cutoff.voltage_v) > 0.01 * run.cutoff.voltage_v:
            continue
        try:
            point = constant_run(view_of(logbook, other))
        except ReadingsError:
            continue
        if point is not None:
            points.append(point)
    try:
        exponent = fit_exponent(points)
    except ValueError:
        return []
    if label is None or not label.charge_ah or not label.standard_rate_c:
        return [exponent]
    return [exponent, capacity_at_rated(mine, 1 / label.standard_rate_c, exponent, view.found.findings["charge"])]


def rest_guess(view: RunView, logbook: Logbook) -> str:
    """How much may have been left in a battery whose run was stopped before its cut-off, by the expected curve; empty where nobody can say."""
    run, found = view.run, view.found
    charge = found.findings["charge"].value
    if found.crossing is not None or not charge or run.unit_id is None or "current_a" not in run.plan or not run.plan.get("cutoff_v"):
        return ""
    unit = logbook.unit(run.unit_id)
    try:
        plan, leads = plan_from_json(run.plan, unit)
        if plan.charge is not None or plan.profile or not plan.current_a > 0:
            return ""
        seen = expected(plan, unit.label, leads if leads.length_m else Leads())
    except (ValueError, LabelError, KeyError, TypeError):
        return ""
    if seen.load_on_s is None or not seen.until_s:
        return ""
    part, model = thinned(view.record.readings), seen.readings
    loaded = (part.time_s >= found.load_on_s) & (part.time_s <= found.end_s)
    in_model = (model.time_s >= seen.load_on_s) & (model.time_s <= seen.load_on_s + seen.until_s[0])
    if loaded.sum() < 5 or in_model.sum() < 5:
        return ""
    so_far, foreseen = running_charge(part), running_charge(model)
    guess = course(so_far[loaded], part.voltage_v[loaded], foreseen[in_model], model.voltage_v[in_model], plan.current_a)
    if guess is None:
        return ""
    low, high = max(guess.low_ah - charge, 0.0), max(guess.high_ah - charge, 0.0)
    return f"It did not reach its cut-off: by the expected curve perhaps {plain(low, 2)} to {plain(high, 2)} Ah were left in it. That is a guess, not a finding."
