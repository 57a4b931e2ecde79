"""What a run found of a meter: kept with the meter once a person says so."""

from __future__ import annotations

from dataclasses import replace

from ubrant.core.account import Account
from ubrant.core.equipment.certificates import in_order
from ubrant.core.equipment.meter import Meter
from ubrant.core.record.head import SIMULATED
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run


def is_rehearsal(logbook: Logbook, run: Run) -> bool:
    """Made on a simulated bench with a unit that is not simulated itself: no measurement, and it judges nothing real."""
    return run.head.origin.road == SIMULATED and not (run.unit_id is not None and logbook.unit(run.unit_id).stand_in)


def found_of_meter(logbook: Logbook, run: Run, account: Account) -> tuple[Meter, str] | None:
    """The meter on the shelf with what was found, and what keeping it is called; None where nothing was found, or it is kept already.

    What an earlier state of the same run found gives way to it.
    """
    if account.correction is None or run.state == "running" or is_rehearsal(logbook, run):
        return None
    tap, check = account.correction
    check = replace(check, run=run.id, made=run.started)
    there = run.head.setup.meter(tap)
    meter = next((m for m in logbook.meters() if m.is_same(there)), None)
    if meter is None or check in meter.details.checks:
        return None
    others = [one for one in meter.details.checks if one.run != run.id]
    text = say("Keep this with {name}", name=meter.name)
    return replace(meter, details=replace(meter.details, checks=in_order((*others, check)))), text
