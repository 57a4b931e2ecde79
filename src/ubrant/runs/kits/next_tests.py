"""What to measure next in a whole logbook: for each outlook that was kept, and what nobody has asked of each thing yet."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import OutlookAnswer, look
from ubrant.core.outlook.kit import Kit
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import summary_of
from ubrant.runs.kept.answer_sheet import row_told, sheet_of_unit
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.past_outlooks import kit_corrected, past_of
from ubrant.runs.kits.promised_tests import score_told, what_came
from ubrant.runs.kits.worth_measuring import WorthMeasuring, worth_json, worth_measuring

_OUTLOOKS, _OPEN = 5, 2
SCHEMA = 1


@dataclass(frozen=True)
class NextOf:
    """Of one outlook, or one thing on the shelf.

    Attributes
    ----------
    worth : what would tell most for it; None where nothing is in doubt, or where it is no outlook
    asked : the enquiries of a thing that are open, with what each takes
    came : what tests told that were said to tell
    """

    name: str
    worth: WorthMeasuring | None = None
    asked: tuple[str, ...] = ()
    came: tuple[str, ...] = ()

    def lines(self) -> list[str]:
        """In words."""
        if self.asked or self.came:
            return [*self.asked, *self.came]
        said = self.worth.lines() if self.worth is not None else []
        return said or [say("Nothing in it is in doubt.")]


def next_of_kit(
    name: str, kit: Kit, looked: OutlookAnswer, wanted_s: float | None, units: Sequence[Unit], meters: Sequence[Meter]
) -> NextOf:
    """What would tell most for one outlook."""
    return NextOf(name, worth_measuring(kit, looked, units, meters, wanted_s))


def next_in(logbook: Logbook, now: datetime, wanted_s: float | None = None) -> list[NextOf]:
    """For the newest outlooks that were kept, then what is open of each thing on the shelf."""
    units, meters, measured = logbook.units(), logbook.meters(), measured_in(logbook)
    found = []
    for kept in logbook.outlooks()[:_OUTLOOKS]:
        with suppress(KitError, QuantityError):  # a run it rested on may be gone
            past = past_of(kept)
            kit = kit_corrected(kit_of(past.part, measured), past)
            found.append(next_of_kit(kept.name, kit, look(kit), wanted_s, units, meters))
    came = what_came(logbook, logbook.outlooks())
    if came:
        found.append(NextOf(say("What tests told that were said to tell"), came=(*(one.told() for one in came), score_told(came))))
    for unit in units:
        rows = sheet_of_unit(logbook, unit, lambda run: summary_of(logbook, run), now)
        open_rows = [row for row in rows if not row.is_known and row.ways][:_OPEN]
        if open_rows:
            found.append(NextOf(unit.name, asked=tuple(row_told(row, meters) for row in open_rows)))
    return found


def next_json(found: Sequence[NextOf]) -> dict[str, Any]:
    """As one JSON object."""
    outlooks = [
        {"name": one.name, **(worth_json(one.worth) if one.worth is not None else {})} for one in found if not one.asked and not one.came
    ]
    asked = [{"unit": one.name, "questions": list(one.asked)} for one in found if one.asked]
    return {"schema": SCHEMA, "outlooks": outlooks, "open": asked, "came": [text for one in found for text in one.came]}
