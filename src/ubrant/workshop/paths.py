"""Power paths of a plan, of a run that is going on, and of one that was kept."""

from __future__ import annotations

import math
from itertools import pairwise

from ubrant.core.accuracy import parse_accuracy
from ubrant.core.course import Course, fraction_left
from ubrant.core.label import Label
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.power_path import Flow, Node, PowerPath, watt_hours, watts
from ubrant.core.quantity import plain, show
from ubrant.logbook.records import Run
from ubrant.methods.discharge import UNITS, DischargePlan
from ubrant.workshop.jotting import Session
from ubrant.workshop.running import LOAD_NAME
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.sweep import best_point
from ubrant.workshop.trials.trial import LEADS, LOAD, MAINS, SOURCE, UNIT, Told, Trial, TrialView
from ubrant.workshop.views import RunView, latest


def wiring_path(name: str, label: Label, plan: DischargePlan, meter: Meter, leads: Leads) -> PowerPath:
    """Where to clip each meter, before anything is switched on."""
    drop = plan.current_a * leads.resistance_ohm
    nodes = (
        Node("battery", name, label.summary().split(" · ")[0], note="meter at its own terminals"),
        Node("leads", "Leads", leads.describe()),
        Node("load", LOAD_NAME, f"{plan.show_setting()} constant", note=f"its own cut-off: {plan.own_cutoff_v:.2f} V"),
    )
    flows = (Flow(None, meter=f"{meter.name}: V across, A through"), Flow(None, meter="the load's own display"))
    return PowerPath(nodes, flows, (None, f"will drop {show(drop, 2)} V" if drop > 0 else None, None), (0.0, 0.0, 0.0), "W")


def live_path(run: Run, session: Session, name: str, found: Course | None, delivered_ah: float) -> PowerPath:
    """Watts at this moment."""
    taps: dict[str, tuple[float, float] | None] = {}
    read = latest(session)
    for tap in ("battery", "load"):
        taps[tap] = (read[(tap, "V")], read[(tap, "A")]) if (tap, "V") in read and (tap, "A") in read else None
    leads, rated = _leads(run), run.label.charge_ah if run.label else None
    left = fraction_left(found, delivered_ah, rated) if rated else None
    note = f"about {100 * left:.0f} % left by ampere-hours" if left is not None else ""
    nodes = (
        Node("battery", name, _claim(run), left, note),
        Node("leads", "Leads", leads.describe()),
        Node(
            "load",
            LOAD_NAME,
            _setting(run),
            note=_arrives(taps["battery"], taps["load"]),
        ),
    )
    accuracy = (
        parse_accuracy(run.voltage_accuracy, "V") if run.voltage_accuracy else None,
        parse_accuracy(run.current_accuracy, "A") if run.current_accuracy else None,
    )
    return watts(nodes, taps["battery"], taps["load"], (run.meter, LOAD_NAME), leads.resistance_ohm, accuracy)


def kept_path(view: RunView, name: str) -> PowerPath:
    """Watt-hours over the whole run."""
    run, energy = view.run, view.found.findings["energy"]
    setting = _setting(run)
    nodes = (
        Node("battery", name, _claim(run), note=energy.with_doubt()),
        Node("leads", "Leads", _leads(run).describe() if "lead_length_m" in run.plan else ""),
        Node("load", LOAD_NAME, setting or "as logged"),
    )
    between = view.found.load_on_s, view.found.end_s
    return watt_hours(nodes, energy.value or 0.0, energy.expanded_uncertainty, view.load, between, (run.meter or "log", LOAD_NAME))


def trial_path(trial: Trial, told: Told, view: TrialView | None, place: int | None = None) -> PowerPath:
    """What stands on the path of a trial, in watts at one of its points (the latest, unless one is named); where to clip the meters before any."""
    battery, leads = told.battery, told.leads
    boxes = {
        SOURCE: Node("battery", battery.name, battery.label_text) if battery is not None else Node("battery", "Supply"),
        MAINS: Node("battery", "Mains"), LEADS: Node("leads", "Leads", leads.describe()), UNIT: Node("converter", told.unit.name, told.unit.label_text),
        LOAD: Node("load", LOAD_NAME),
    }  # fmt: skip
    known = _metered(told, view, place) if view is not None else {}
    clipped = {SOURCE: "volts at its terminals" if battery else "its own display", UNIT: _clipped(told.meters[0]),
               LOAD: _clipped(told.meters[1]) if trial.two_ends else "the load's own display"}  # fmt: skip
    flows = []
    for after in trial.chain[1:]:
        tap = SOURCE if after == LEADS else after
        flows.append(known.get(tap, Flow(None)) if known else Flow(None, meter=clipped[tap]))
    losses: list[tuple[float, str | None]] = [(0.0, None)]
    for into, out in pairwise(flows):
        lost = max(into.amount - out.amount, 0.0) if into.amount is not None and out.amount is not None else 0.0
        losses.append((lost, f"−{show(lost, 3)} W lost" if lost > 0.005 else None))
    last = flows[-1].amount if trial.chain[-1] == UNIT and LEADS in trial.chain else None
    losses.append((last, "all lost") if last is not None else (0.0, None))
    return PowerPath(
        tuple(boxes[place] for place in trial.chain), tuple(flows), tuple(text for _, text in losses), tuple(w for w, _ in losses), "W"
    )


def found_path(told: Told, view: TrialView) -> PowerPath | None:
    """The path of a kept trial with what flowed: at its best point where it has several; None where nothing says."""
    trial = trial_of(view.run.method)
    assert trial is not None
    path = trial_path(trial, told, view, best_point(view.sweep) if view.sweep is not None else None)
    return path if any(flow.amount is not None for flow in path.flows) else None


def _metered(told: Told, view: TrialView, place: int | None) -> dict[str, Flow]:
    """What flows at each tap of a trial, by the place behind it; empty before anything was taken."""
    meters, points = told.meters, view.points
    if points is None or not len(points):
        found = {}
        for tap, taken, meter in ((UNIT, view.taken_in, meters[0]), (LOAD, view.given_out, meters[1])):
            if taken is not None:
                watts_there, volts, amps = (None if math.isnan(value) else value for value in taken)
                found[tap] = Flow(watts_there, volts, amps, meter.name)
        at = found.get(UNIT)
        if at is not None and at.volts is not None and at.amps is not None:
            source_v = at.volts + at.amps * told.leads.resistance_ohm
            found[SOURCE] = Flow(source_v * at.amps, source_v, at.amps)
        return found
    k = len(points) - 1 if place is None else place
    into, out = float(points.input_w[k]), float(points.output_w[k])
    volts, amps = float(points.input_v[k]), float(points.input_a[k])
    read = points.source_v[k] == points.source_v[k]
    source_v = float(points.source_v[k]) if read else volts + amps * told.leads.resistance_ohm
    return {
        SOURCE: Flow(source_v * amps, source_v, amps, "source" if read else ""), UNIT: Flow(into, volts, amps, meters[0].name),
        LOAD: Flow(out, float(points.output_v[k]), float(points.output_a[k]), meters[1].name),
    }  # fmt: skip


def _clipped(meter: Meter) -> str:
    return f"{meter.name}: V, A, W" if meter.details.power_accuracy else f"{meter.name}: V across, A through"


def held_path(told: Told, view: TrialView) -> PowerPath | None:
    """The same in watt-hours over the time a load was held; None where none was."""
    into, out = view.findings.get("held_in"), view.findings.get("held_out")
    if into is None or out is None or into.value is None or out.value is None:
        return None
    battery = told.battery
    nodes = (Node("battery", battery.name if battery else "Source", battery.label_text if battery else ""), Node("converter", told.unit.name, told.unit.label_text),
             Node("load", LOAD_NAME))  # fmt: skip
    lost = max(into.value - out.value, 0.0)
    flows = (Flow(into.value, meter=told.meters[0].name), Flow(out.value, meter=told.meters[1].name))
    return PowerPath(nodes, flows, (None, f"−{show(lost, 3)} Wh lost", None), (0.0, lost, 0.0), "Wh")


def _setting(run: Run) -> str:
    """What the load holds still."""
    plan = run.plan
    if plan.get("by_hand"):
        return "draws what it draws"
    if plan.get("profile"):
        return f"{len(plan['profile'])} steps{', again and again' if plan.get('repeats') else ''}"
    amount, unit = plan.get("amount") or plan.get("current_a"), UNITS[plan.get("mode", "current")]
    return f"{plain(amount)} {unit} constant" if amount else ""


def _arrives(battery: tuple[float, float] | None, load: tuple[float, float] | None) -> str:
    if battery is None or load is None or battery[0] * battery[1] < 0.05:
        return ""
    share = min(100.0, 100 * load[0] * load[1] / (battery[0] * battery[1]))
    return f"gets {show(share, 3)} % of what leaves the battery"


def _claim(run: Run) -> str:
    label = run.label
    return " · ".join(label.summary().split(" · ")[:2]) if label else run.label_text


def _leads(run: Run) -> Leads:
    return Leads(float(run.plan.get("lead_length_m", 0.0)), float(run.plan.get("lead_area_mm2", 4.0)))
