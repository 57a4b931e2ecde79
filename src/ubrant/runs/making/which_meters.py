"""Which meters a test is best made with."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from ubrant.core.equipment.meter import Meter
from ubrant.methods.method import LoadRating, Method, Prepared
from ubrant.methods.ratings import read_ratings


def best_meters(
    method: Method,
    prepared_with: Callable[[dict[str, Meter]], Prepared],
    meters: Sequence[Meter],
    *,
    connected: bool = False,
    fixed: Mapping[str, Meter] | None = None,
) -> dict[str, Meter]:
    """The meters by tap that speak least against it: none that is refused, one that reads watts where there is mains, then the fewest cautions.

    Parameters
    ----------
    prepared_with : the plan with these meters
    connected : one that has to be read by a person will not do
    fixed : by tap, what a person has chosen already
    """
    taps = method.taps

    def against(tap: str, chosen: dict[str, Meter]) -> tuple[int, ...]:
        meter = chosen[tap]
        try:
            prepared = prepared_with(chosen)
            problems = method.problems(prepared, LoadRating())
            mains = _mains(prepared, tap)
        except ValueError:  # the form is not whole yet
            problems, mains = [], False
        refused = sum(p.refused for p in problems)
        return (
            connected and meter.details.connection == "display",
            refused,
            mains != bool(meter.details.power_accuracy),
            len(problems) - refused,
            not meter.voltage_accuracy,
            tap != taps[0] and meter.is_same(chosen[taps[0]]),
        )

    first, *others = taps
    fixed = fixed or {}

    def everywhere(meter: Meter) -> dict[str, Meter]:
        return {**dict.fromkeys(taps, meter), **fixed}

    chosen = everywhere(min(meters, key=lambda m: against(first, everywhere(m))))
    for tap in (t for t in others if t not in fixed):
        chosen[tap] = min(meters, key=lambda m: against(tap, {**chosen, tap: m}))
    if first not in fixed:
        chosen[first] = min(meters, key=lambda m: against(first, {**chosen, first: m}))
    return chosen


def _mains(prepared: Prepared, tap: str) -> bool:
    """Whether mains is at this tap."""
    unit = prepared.setup.unit
    try:
        ratings = read_ratings(unit)
    except ValueError:
        return unit.kind == "load" and tap == "input"
    return ratings.gives_mains if tap == "output" else ratings.takes_mains
