"""Power paths of a plan, of a run that is going on, and of one that was kept."""

from __future__ import annotations

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
from ubrant.workshop.trials.trial import Told, TrialView
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


def trial_path(told: Told, view: TrialView | None, place: int | None = None) -> PowerPath:
    """Source → leads → unit → load in watts, at one point of a trial (the latest, unless one is named); where to clip the meters before any."""
    name, leads = told.unit.name, told.leads
    battery = told.battery
    first = Node("battery", battery.name, battery.label_text) if battery is not None else Node("battery", "Supply")
    nodes = (first, Node("leads", "Leads", leads.describe()), Node("converter", name, told.unit.label_text), Node("load", LOAD_NAME))
    points = view.points if view is not None else None
    if view is None or points is None or not len(points):
        taps = ("volts at its terminals" if battery else "its own display", *(_clipped(meter) for meter in told.meters))
        return PowerPath(nodes, tuple(Flow(None, meter=tap) for tap in taps), (None,) * 4, (0.0,) * 4, "W")
    k = len(points) - 1 if place is None else place
    into, out = float(points.input_w[k]), float(points.output_w[k])
    volts, amps = float(points.input_v[k]), float(points.input_a[k])
    read = points.source_v[k] == points.source_v[k]
    source_v = float(points.source_v[k]) if read else volts + amps * leads.resistance_ohm
    flows = (
        Flow(source_v * amps, source_v, amps, first.title if read else ""), Flow(into, volts, amps, told.meters[0].name),
        Flow(out, float(points.output_v[k]), float(points.output_a[k]), told.meters[1].name),
    )  # fmt: skip
    lost = (max(source_v * amps - into, 0.0), max(into - out, 0.0))
    words = tuple(f"−{show(w, 3)} W lost" if w > 0.005 else None for w in lost)
    return PowerPath(nodes, flows, (None, words[0], words[1], None), (0.0, *lost, 0.0), "W")


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
