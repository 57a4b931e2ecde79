"""The lowest input at which a load held, from rows that say *runs*, *falters* or *off*, or volts at the output: no amperes are needed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.jot import RUNS
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.settled import Try
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import as_read, digit, within
from ubrant.core.wording import say, words

NAME = "Lowest input that holds"


def lowest_held(
    tries: Sequence[Try], loads: Mapping[int, str], accuracy: Accuracy | None, tolerance: Tolerance | None
) -> tuple[Finding | None, tuple[str, ...]]:
    """The lowest input at which every load held, and what has to be said of it.

    An input counts only where nothing above it failed. The middle between it and the highest input at which some load did not hold, ± half
    of the way between them; where it held all the way down, at most the lowest that was tried.

    Parameters
    ----------
    loads : what hung on the output, by the place of a setting
    accuracy : of volts at the input; None where nobody gave one
    tolerance : of the output, where its volts were read and nobody said what became of the load
    """
    known = [(one, held) for one in tries if (held := _held(one, tolerance)) is not None]
    if not any(one.fate for one in tries) or not known:
        return None, ()
    bad = [one for one, held in known if not held]
    good = [one for one, held in known if held]
    if not good:
        highest = max(bad, key=lambda one: one.input_v)
        working = say("it held at none of {count} inputs, up to {volts} V", count=len(bad), volts=plain(highest.input_v))
        return Finding("lowest_held", say(NAME), highest.input_v, "V", (), working, bound=AT_LEAST), ()
    if not bad:
        lowest = min(good, key=lambda one: one.input_v)
        working = say("it held at all of {count} inputs; the lowest that was tried", count=len(good))
        return Finding("lowest_held", say(NAME), lowest.input_v, "V", (), working, bound=AT_MOST), ()
    failed = max(bad, key=lambda one: one.input_v)
    above = [one for one in good if one.input_v > failed.input_v]
    below = [one for one in good if one.input_v <= failed.input_v and loads.get(one.place) == loads.get(failed.place)]
    said = [
        say(
            "It held at {low} V and not at {high} V{load}: what fails once may fail again, so the higher one counts.",
            low=plain(one.input_v),
            high=plain(failed.input_v),
            load=_with(loads, failed),
        )
        for one in below[:1]
    ]
    if not above:
        working = say(
            "it did not hold at {volts} V{load}, the highest that was tried", volts=plain(failed.input_v), load=_with(loads, failed)
        )
        return Finding("lowest_held", say(NAME), failed.input_v, "V", (), working, bound=AT_LEAST), tuple(said)
    lowest_good = min(above, key=lambda one: one.input_v)
    middle, half = (lowest_good.input_v + failed.input_v) / 2, (lowest_good.input_v - failed.input_v) / 2
    value = as_read(middle, accuracy, "input") + within(half, words("bracket"), "V", note=say("half of the way between them"))
    value += digit(max(lowest_good.half_v, failed.half_v), "V")
    working = say(
        "middle between {held} V, where it held, and {failed} V, where it did not{load}",
        held=plain(lowest_good.input_v),
        failed=plain(failed.input_v),
        load=_with(loads, failed),
    )
    return Finding.made("lowest_held", say(NAME), value, "V", working), tuple(said)


def _held(one: Try, tolerance: Tolerance | None) -> bool | None:
    """Whether output and load held; None where nobody can say. Volts outside tolerance are none that hold, whatever was said."""
    volts = one.output_v == one.output_v
    if volts and tolerance is not None and not tolerance.holds(one.output_v):
        return False
    if one.fate:
        return one.fate == RUNS
    return True if volts and tolerance is not None else None


def _with(loads: Mapping[int, str], one: Try) -> str:
    return say(" with {load}", load=loads[one.place]) if loads.get(one.place) and len(set(loads.values())) > 1 else ""
