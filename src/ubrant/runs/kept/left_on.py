"""What may still be on from before, by what was written down when it was switched on; nothing is asked of any instrument here."""

from __future__ import annotations

import contextlib
from pathlib import Path

from ubrant.bench.switched_on import SwitchedOn, SwitchedOnLedger
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook


def may_be_on(ledger: SwitchedOnLedger) -> list[SwitchedOn]:
    """What nobody knows to be off, and no program or guardian is busy with."""
    return [entry for entry in ledger.entries() if not entry.is_off and not ledger.is_held(entry.address)]


def question(entry: SwitchedOn) -> str:
    """What is asked about it, in a sentence or two."""
    asked = say(
        "{name} at {address} may still be on: {run} ended together with the program, and nothing says that it was switched off.",
        name=entry.name,
        address=entry.address,
        run=entry.whose.text,
    )
    if entry.outcome.get("sent"):
        why = entry.outcome.get("says") or say("it did not answer")
        asked += " " + say("The guardian sent off; it could not be confirmed: {why}.", why=why)
    return asked


def about(ledger: SwitchedOnLedger, logbook: Logbook, run_id: int) -> list[str]:
    """What a run's findings have to say: that something may still be on from it."""
    return [question(entry) for entry in may_be_on(ledger) if is_of(entry, logbook) and entry.whose.run == run_id]


def is_of(entry: SwitchedOn, logbook: Logbook) -> bool:
    """Whether it was switched on for a run of this logbook; a copy of it elsewhere is another one."""
    with contextlib.suppress(OSError):
        return Path(entry.whose.logbook).resolve() == logbook.path.resolve()
    return False
