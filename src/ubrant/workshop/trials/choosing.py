"""Which meters a trial is best made with."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ubrant.core.meter import Meter
from ubrant.workshop.trials.trial import Told, Trial
from ubrant.workshop.trials.unit_ratings import read_ratings


def best_meters(
    trial: Trial, told_with: Callable[[Meter, Meter], Told], meters: Sequence[Meter], *, connected: bool = False
) -> tuple[Meter, Meter]:
    """The meters at both ends that speak least against it: none that is refused, one that reads watts where there is mains, then the fewest cautions.

    Parameters
    ----------
    told_with : the plan with these two meters
    connected : one that has to be read by a person will not do
    """

    def against(into: Meter, out: Meter, end: int) -> tuple[int, ...]:
        meter = (into, out)[end]
        try:
            told = told_with(into, out)
            problems = trial.problems(told)
            mains = _mains(told)[end]
        except ValueError:  # the form is not whole yet
            problems, mains = [], False
        refused = sum(refused for refused, _ in problems)
        return (
            connected and meter.details.connection == "display", refused, mains != bool(meter.details.power_accuracy), len(problems) - refused,
            not meter.voltage_accuracy, end == 1 and into.name == out.name,
        )  # fmt: skip

    into = min(meters, key=lambda meter: against(meter, meter, 0))
    if not trial.two_ends:
        return into, into
    out = min(meters, key=lambda meter: against(into, meter, 1))
    return min(meters, key=lambda meter: against(meter, out, 0)), out


def _mains(told: Told) -> tuple[bool, bool]:
    """Whether mains goes in, and comes out."""
    try:
        ratings = read_ratings(told.unit)
    except ValueError:
        return told.unit.kind == "load", False
    return ratings.takes_mains, ratings.gives_mains
