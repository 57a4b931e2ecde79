"""What speaks against the meters of a test: ranges that are too small, accuracies nobody said."""

from __future__ import annotations

from datetime import date

from ubrant.core.equipment.meter import Meter
from ubrant.core.meter_checks.checks import remarks
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.head import Setup
from ubrant.core.wording import say
from ubrant.methods.method import Problem


def meter_remarks(setup: Setup, today: date) -> list[Problem]:
    """What the checks of its meters say: one drifted, or is due."""
    seen = {meter.uid: meter for meter in setup.meters.values()}
    return [Problem(False, text) for m in seen.values() for text in remarks(m.name, m.details.checks, m.details.due, today)]


def two_meter_checks(setup: Setup, into: tuple[float, float], out: tuple[float, float] | None) -> list[Problem]:
    """Ranges and accuracies at both ends. ``into``, ``out``: the most volts and amperes there; None where there is no second meter."""
    meters = [(setup.meter("input"), into)]
    if out is not None:
        meters.append((setup.meter("output") if "output" in setup.meters else setup.meter("input"), out))
    problems = [problem for meter, most in meters for problem in range_checks(meter, *most)]
    unknown = [m.name for m, _ in meters if not (m.voltage_accuracy and m.current_accuracy) and not m.details.power_accuracy]
    if unknown:
        problems.append(Problem(False, say("Nobody said how accurate {name} is: the findings will have no ±.", name=unknown[0])))
    return problems


def range_checks(meter: Meter, volts: float, amps: float) -> list[Problem]:
    """More than a meter can show: volts are refused, amperes are said."""
    problems = []
    if meter.max_v is not None and volts > meter.max_v:
        problems.append(
            Problem(
                True,
                say(
                    "{name} reads up to {most} V, and {volts} V are in the plan.",
                    name=meter.name,
                    most=plain(meter.max_v),
                    volts=plain(volts),
                ),
            )
        )
    if meter.max_a is not None and amps > meter.max_a:
        problems.append(
            Problem(
                False,
                say(
                    "{name} reads up to {most} A, and up to {amps} A may flow.",
                    name=meter.name,
                    most=plain(meter.max_a),
                    amps=plain(amps, 3),
                ),
            )
        )
    return problems


def plug_meter_checks(meter: Meter, mains_v: float) -> list[Problem]:
    """What speaks against a meter between the wall and what is tested."""
    problems = range_checks(meter, mains_v, 0.0)
    if not meter.details.power_accuracy:
        problems.append(
            Problem(False, say("Nobody said how accurate the watts of {name} are: the findings will have no ±.", name=meter.name))
        )
    return problems
