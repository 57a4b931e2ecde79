"""What speaks against the meters of a trial: ranges that are too small, accuracies nobody said."""

from __future__ import annotations

from ubrant.core.meter import Meter
from ubrant.core.quantity import plain
from ubrant.workshop.trials.trial import Problems, Told


def meter_problems(told: Told, input_v: float, input_a: float, output_v: float, output_a: float) -> Problems:
    """Ranges that are too small, and accuracies nobody said."""
    found: Problems = []
    for meter, volts, amps in ((told.meters[0], input_v, input_a), (told.meters[1], output_v, output_a)):
        found += range_problems(meter, volts, amps)
    unknown = [m.name for m in told.meters if not (m.voltage_accuracy and m.current_accuracy) and not m.details.power_accuracy]
    if unknown:
        found.append((False, f"Nobody said how accurate {unknown[0]} is: the findings will have no ±."))
    return found


def range_problems(meter: Meter, volts: float, amps: float) -> Problems:
    """More than a meter can show: volts are refused, amperes are said."""
    found: Problems = []
    if meter.max_v is not None and volts > meter.max_v:
        found.append((True, f"{meter.name} reads up to {plain(meter.max_v)} V, and {plain(volts)} V are in the plan."))
    if meter.max_a is not None and amps > meter.max_a:
        found.append((False, f"{meter.name} reads up to {plain(meter.max_a)} A, and up to {plain(amps, 3)} A may flow."))
    return found


def plug_meter_problems(meter: Meter, mains_v: float) -> Problems:
    """What speaks against a meter between the wall and what is tested."""
    found = range_problems(meter, mains_v, 0.0)
    if not meter.details.power_accuracy:
        found.append((False, f"Nobody said how accurate the watts of {meter.name} are: the findings will have no ±."))
    return found
