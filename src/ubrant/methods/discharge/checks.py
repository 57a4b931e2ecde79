"""What is wrong with a plan, named before anything is switched on."""

from __future__ import annotations

from ubrant.core.equipment.leads import Leads, heat_in
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.wording import say
from ubrant.methods.discharge.procedure import DischargePlan
from ubrant.methods.method import LoadRating, Problem, refusals_first


def discharge_problems(plan: DischargePlan, unit: Unit, label: Label, meter: Meter, load: LoadRating, leads: Leads) -> list[Problem]:
    """Everything that speaks against a discharge, the refusals first."""
    problems = _cutoff_problems(plan, label) + _current_problems(plan, unit, label, meter, load)
    full_v = _full_voltage(label)
    if full_v is not None and meter.max_v is not None and full_v > meter.max_v:
        problems.append(
            Problem(
                True,
                say(
                    "Charged it may stand at {full_v} V, and {name} goes to {max_v} V.",
                    full_v=plain(full_v, 3),
                    name=meter.name,
                    max_v=plain(meter.max_v, 3),
                ),
            )
        )
    if full_v is not None and full_v > load.max_v:
        problems.append(
            Problem(
                True,
                say(
                    "Charged it may stand at {full_v} V, and the load takes {max_v} V.", full_v=plain(full_v, 3), max_v=plain(load.max_v, 3)
                ),
            )
        )
    if full_v is not None and full_v * plan.current_a > load.max_w:
        watts = plain(full_v * plan.current_a, 3)
        problems.append(
            Problem(
                True,
                say(
                    "{watts} W at the start is over the load's {max_w} W: choose a smaller current.",
                    watts=watts,
                    max_w=plain(load.max_w, 3),
                ),
            )
        )
    if not plan.own_cutoff_v > 0:
        problems.append(Problem(True, say("The leads would drop all of the voltage: use thicker or shorter ones, or less current.")))
    if plan.own_cutoff_v > 0 and (hot := heat_in(leads, plan.current_a, plan.cutoff.voltage_v or full_v or 0.0)) is not None:
        problems.append(Problem(hot.melts, hot.sentence))
    problems += _meter_problems(plan, meter, full_v)
    try:
        unknown = meter.accuracy("V") is None or meter.accuracy("A") is None
    except QuantityError as error:
        return [*problems, Problem(True, f"{meter.name}: {error}")]
    if unknown:
        problems.append(
            Problem(False, say("Nobody said how accurate {name} is: the result will have no ± and no verdict.", name=meter.name))
        )
    return refusals_first(problems)


def _meter_problems(plan: DischargePlan, meter: Meter, full_v: float | None) -> list[Problem]:
    """What the meter does to what it measures: what it cannot show, drops, draws."""
    details, amps, problems = meter.details, plan.current_a, []
    if details.floor_a and 0 < amps <= details.floor_a:
        problems.append(
            Problem(
                True,
                say(
                    "{amps} A is not over the {floor_a} A under which {name} shows nothing.",
                    amps=plain(amps, 3),
                    floor_a=plain(details.floor_a, 3),
                    name=meter.name,
                ),
            )
        )
    drop = details.burden_ohm * amps
    if drop > 0.005 * plan.cutoff.voltage_v > 0:
        problems.append(
            Problem(
                False,
                say(
                    "{name} drops {drop} V in the current path: clip its volts on at the battery's side of it.",
                    name=meter.name,
                    drop=plain(drop, 2),
                ),
            )
        )
    own_a = full_v / details.input_ohm if details.input_ohm and full_v else 0.0
    if own_a > 0.001 * amps > 0:
        problems.append(
            Problem(
                False,
                say(
                    "{name} itself draws {plain} mA from the battery, which its amperes do not show.",
                    name=meter.name,
                    plain=plain(1000 * own_a, 2),
                ),
            )
        )
    return problems


def _full_voltage(label: Label) -> float | None:
    kind = label.kind_of_cell
    return kind.full_v * label.series if kind and label.series else label.voltage_v


def _cutoff_problems(plan: DischargePlan, label: Label) -> list[Problem]:
    kind, volts, problems = label.kind_of_cell, plan.cutoff.voltage_v, []
    full_v = _full_voltage(label)
    if not volts > 0:
        problems.append(Problem(True, say("There is no cut-off: say at which voltage the load must go off.")))
    elif kind and label.series and volts < kind.floor_v * label.series - 1e-9:
        floor = plain(kind.floor_v * label.series, 3)
        problems.append(
            Problem(
                True,
                say(
                    "{volts} V is below the floor of {floor} V for {series} {name} cells: it would be harmed.",
                    volts=plain(volts, 3),
                    floor=floor,
                    series=label.series,
                    name=kind.name,
                ),
            )
        )
    elif full_v is not None and volts >= full_v:
        problems.append(
            Problem(
                True,
                say(
                    "{volts} V is not under its full {full_v} V: the run would end at once.", volts=plain(volts, 3), full_v=plain(full_v, 3)
                ),
            )
        )
    if kind is None:
        problems.append(
            Problem(False, say("What kind of cell it is nobody said: Ubrant cannot guard its floor. Choose the cut-off with care."))
        )
    return problems


def _current_problems(plan: DischargePlan, unit: Unit, label: Label, meter: Meter, load: LoadRating) -> list[Problem]:
    amps, kind, problems = plan.current_a, label.kind_of_cell, []
    if not amps > 0:
        return [Problem(True, say("There is no current: say how many amperes the load should draw."))]
    limits = [
        (load.max_a, "the load takes"),
        (unit.max_current_a, f"{unit.name} may give"),
        (meter.max_a, say("{name} reads up to", name=meter.name)),
    ]
    for limit, whose in limits:
        if limit is not None and amps > limit:
            problems.append(
                Problem(True, say("{amps} A is more than {whose} ({limit} A).", amps=plain(amps, 3), whose=whose, limit=plain(limit, 3)))
            )
    if kind and label.charge_ah and unit.max_current_a is None and amps > kind.max_rate_c * label.charge_ah:
        rate, most = plain(amps / label.charge_ah, 3), plain(kind.max_rate_c * label.charge_ah, 3)
        problems.append(
            Problem(
                True,
                say(
                    "{amps} A is {rate} C: more than {most} A wants a limit from its maker. Enter one on the shelf.",
                    amps=plain(amps, 3),
                    rate=rate,
                    most=most,
                ),
            )
        )
    standard = label.standard_rate_c
    if standard and label.charge_ah and not 0.9 <= amps / label.charge_ah / standard <= 1.1:
        wanted = plain(standard * label.charge_ah, 3)
        problems.append(
            Problem(
                False,
                say(
                    "The label means {wanted} A ({standard} C). At {amps} A the result is not like for like.",
                    wanted=wanted,
                    standard=plain(standard, 3),
                    amps=plain(amps, 3),
                ),
            )
        )
    return problems
