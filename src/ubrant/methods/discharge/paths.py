"""The power path of a discharge: to wire it up, at this moment, and over the whole run."""

from __future__ import annotations

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import join
from ubrant.core.record.head import Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath, watt_hours, watts
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.methods.discharge.forecast import Forecast, fraction_left
from ubrant.methods.discharge.procedure import UNITS, DischargePlan
from ubrant.methods.discharge.sums import Discharge


def wiring_path(setup: Setup, plan: DischargePlan) -> PowerPath:
    """Where to clip each meter, before anything is switched on."""
    label, leads = setup.label, setup.leads
    drop = plan.current_a * leads.resistance_ohm
    claim = label.summary().split(" · ")[0] if label is not None else setup.unit.printed
    nodes = (
        PathNode("battery", setup.unit.name, claim, note=say("meter at its own terminals")),
        PathNode("leads", say("Leads"), leads.describe()),
        PathNode(
            "load",
            say("Load"),
            say("{setting} constant", setting=plan.show_setting()),
            note=say("its own cut-off: {volts} V", volts=f"{plan.own_cutoff_v:.2f}"),
        ),
    )
    flows = (Flow(None, meter=f"{setup.meter('battery').name}: V across, A through"), Flow(None, meter=say("the load's own display")))
    return PowerPath(
        nodes, flows, (None, say("will drop {volts} V", volts=show(drop, 2)) if drop > 0 else None, None), (0.0, 0.0, 0.0), "W"
    )


def live_path(record: Record, plan: DischargePlan | None, forecast: Forecast | None, delivered_ah: float) -> PowerPath:
    """Watts at this moment."""
    setup = record.head.setup
    taps: dict[str, tuple[float, float] | None] = {}
    for tap in ("battery", "load"):
        volts, amps = record.either(tap, "V"), record.either(tap, "A")
        taps[tap] = (float(volts.value[-1]), float(amps.value[-1])) if len(volts) and len(amps) else None
    rated = setup.label.charge_ah if setup.label else None
    left = fraction_left(forecast, delivered_ah, rated) if rated else None
    note = say("about {share} % left by ampere-hours", share=f"{100 * left:.0f}") if left is not None else ""
    nodes = (
        PathNode("battery", setup.unit.name or say("Battery"), _claim(setup), left, note),
        PathNode("leads", say("Leads"), setup.leads.describe()),
        PathNode("load", say("Load"), _setting(plan), note=_arrives(taps["battery"], taps["load"])),
    )
    accuracy = record.accuracy("battery", "V"), record.accuracy("battery", "A")
    return watts(nodes, taps["battery"], taps["load"], (setup.meter("battery").name, say("Load")), setup.leads.resistance_ohm, accuracy)


def stored_path(record: Record, plan: DischargePlan | None, discharge: Discharge) -> PowerPath:
    """Watt-hours over the whole run."""
    setup, energy = record.head.setup, discharge.findings["energy"]
    nodes = (
        PathNode("battery", setup.unit.name or say("Battery"), _claim(setup), note=energy.with_uncertainty()),
        PathNode("leads", say("Leads"), setup.leads.describe() if plan is not None else ""),
        PathNode("load", say("Load"), _setting(plan) or say("as logged")),
    )
    volts, amps = record.either("load", "V"), record.either("load", "A")
    load = join(volts, amps) if len(volts) and len(amps) else None
    names = (setup.meter("battery").name or say("log"), say("Load"))
    return watt_hours(nodes, energy.value or 0.0, energy.expanded_uncertainty, load, (discharge.load_on_s, discharge.end_s), names)


def _setting(plan: DischargePlan | None) -> str:
    """What the load holds still."""
    if plan is None:
        return ""
    if plan.by_hand:
        return say("draws what it draws")
    if plan.profile:
        return (
            say("{count} steps, again and again", count=len(plan.profile))
            if plan.repeats
            else say("{count} steps", count=len(plan.profile))
        )
    return say("{amount} {unit} constant", amount=plain(plan.setting), unit=UNITS[plan.mode]) if plan.setting else ""


def _arrives(battery: tuple[float, float] | None, load: tuple[float, float] | None) -> str:
    if battery is None or load is None or battery[0] * battery[1] < 0.05:
        return ""
    share = min(100.0, 100 * load[0] * load[1] / (battery[0] * battery[1]))
    return say("gets {share} % of what leaves the battery", share=show(share, 3))


def _claim(setup: Setup) -> str:
    return " · ".join(setup.label.summary().split(" · ")[:2]) if setup.label else setup.unit.printed
