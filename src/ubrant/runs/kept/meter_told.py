"""A meter's page: how sure it is of what it usually reads, when it was last checked, and which open questions it could answer by itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, datetime

from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy, show_accuracy
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_read
from ubrant.core.wording import say, words
from ubrant.logbook.records import Run
from ubrant.methods.enquiries import Enquiry
from ubrant.runs.kept.answer_sheet import AnswerRow, WayToKnow, day_of

_AT = {"V": (1.2, 3.7, 12.0, 48.0, 230.0), "A": (0.02, 0.1, 1.0, 10.0, 50.0), "W": (0.5, 5.0, 60.0, 1000.0)}
"""What makers read most: a cell, a pack, the mains; a board asleep, a lamp, a pump, an inverter."""
_MOST_EXAMPLES = 3
_FIT_FROM, _FIT_TO = 0.005, 0.5
"""Of a reading: an example that is surer than that, or worth nothing, tells little."""
_ROUGH = 0.1
_QUANTITIES = {"V": words("Volts"), "A": words("Amperes"), "W": words("Watts")}


@dataclass(frozen=True)
class HowSure:
    """One quantity of a meter.

    Attributes
    ----------
    quantity, told : its name; how good it is there, by whom, in a line
    examples : readings as they are known, like ``1.000 ± 0.046 A``
    least : from where on it is known to a tenth, in a sentence; empty where it always is
    """

    quantity: str
    told: str
    examples: tuple[str, ...]
    least: str


@dataclass(frozen=True)
class Settles:
    """A question that this meter alone could answer, the shortest way to it, and of which units it is open."""

    enquiry: Enquiry
    way: WayToKnow
    units: tuple[Unit, ...]


def how_sure(meter: Meter, now: datetime) -> tuple[HowSure, ...]:
    """What it reads, each with how sure it is of it today."""
    today = meter.on(now.isoformat())
    return tuple(
        _one(quantity, accuracy, meter, today.details.corrects(quantity))
        for quantity in "VAW"
        if (accuracy := _known(today, quantity)) is not None
    )


def _known(meter: Meter, quantity: str) -> Accuracy | None:
    """None also where what an older logbook keeps of it cannot be read."""
    try:
        return meter.accuracy(quantity)
    except QuantityError:
        return None


def _one(quantity: str, accuracy: Accuracy, meter: Meter, found: MeterCheck | None) -> HowSure:
    if meter.details.assumed:
        by_whom = say("assumed, as good as {kind}", kind=say(meter.details.assumed))
    else:
        by_whom = say("as found on {day}", day=day_of(found.made)) if found is not None else say("as its manual says")
    most = {"V": meter.max_v, "A": meter.max_a}.get(quantity) or float("inf")
    values = [value for value in _AT[quantity] if value <= most]
    telling = [v for v in values if _FIT_FROM * v <= accuracy.limit(v) <= _FIT_TO * v] or values[-1:]
    examples = tuple(_example(value, accuracy) for value in telling[:_MOST_EXAMPLES])
    rough = accuracy.zero / (_ROUGH - accuracy.gain) if accuracy.gain < _ROUGH else float("inf")
    least = say("Under {least} {unit} it may be off by more than a tenth.", least=plain(rough, 2), unit=quantity)
    return HowSure(say(_QUANTITIES[quantity]), f"{show_accuracy(accuracy)} · {by_whom}", examples, least if rough > values[0] else "")


def _example(value: float, accuracy: Accuracy) -> str:
    return Finding.made("example", "", as_read(value, accuracy), accuracy.unit, "").with_uncertainty()


def checked_when(meter: Meter, today: date) -> str:
    """When it was last looked at, by what, and when it is due, in a sentence or two."""
    checks, due = meter.details.checks, meter.details.due
    if checks:
        last = checks[-1]
        said = say("Last checked on {day}, by {by}.", day=day_of(last.made), by=last.against)
    else:
        said = say("It was never checked here: beside a better one takes ten minutes.")
    if not due:
        return said
    overdue = date.fromisoformat(due) < today
    return f"{said} {say('A check has been due since {day}.', day=day_of(due)) if overdue else say('The next check is due on {day}.', day=day_of(due))}"


def settled_by(meter: Meter, sheets: Iterable[tuple[Unit, Callable[[], list[AnswerRow]]]]) -> list[Settles]:
    """Open questions that nothing else than this meter is needed for, those asked most first.

    Parameters
    ----------
    sheets : each unit with what makes its sheet
    """
    found: dict[tuple[str, str], Settles] = {}
    for unit, sheet in sheets:
        for row in sheet():
            way = next((way for way in row.ways if way.how.reads and all(_known(meter, q) is not None for q in way.how.reads)), None)
            if not row.is_known and way is not None:
                before = found.get(key := (row.enquiry.key, way.entry.key))
                found[key] = Settles(row.enquiry, way, (*(before.units if before is not None else ()), unit))
    return sorted(found.values(), key=lambda one: (one.enquiry.rank, one.way.how.minutes))


def used_in(meter: Meter, runs: Iterable[Run]) -> str:
    """In how many runs it was read, and when last; ``runs`` are the newest first."""
    own = [run for run in runs if any(meter.is_same(one) for one in run.head.setup.meters.values())]
    if not own:
        return say("It was not used in a run yet.")
    if len(own) == 1:
        return say("Used in one run, on {day}.", day=day_of(own[0].started))
    return say("Used in {n} runs, the last on {day}.", n=len(own), day=day_of(own[0].started))


def told_of_meter(meter: Meter) -> str:
    """What it is and what it can stand, in a line."""
    roles = {"meter": words("meter"), "load": words("electronic load"), "supply": words("bench supply"), "scope": words("oscilloscope")}
    parts = [say(roles.get(meter.details.role, meter.details.role))]
    parts += [say("up to {most} {unit}", most=show(most, 3), unit=unit) for most, unit in ((meter.max_v, "V"), (meter.max_a, "A")) if most]
    return " · ".join(parts)
