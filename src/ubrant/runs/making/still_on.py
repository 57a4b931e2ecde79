"""What may still be on from before: asked about at the next start, switched off on request, and told to the run it was on for."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from ubrant.bench.instruments import InstrumentError, ScpiConnection
from ubrant.bench.profile import Profile
from ubrant.bench.switched import ElectronicLoad, Supply
from ubrant.bench.switched_on import AddressHeld, SwitchedOn, SwitchedOnLedger, Whose
from ubrant.core.record.events import GuardianOff, Note
from ubrant.core.wording import say
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.left_on import is_of
from ubrant.runs.making.going_on import since_start

_ANSWERS_S = 2.0


@dataclass(frozen=True)
class SwitchedOff:
    """What came of switching something off: a sentence; whether it is off; whether a person has to agree first, since it does not say who it is."""

    sentence: str
    is_off: bool = False
    asks_first: bool = False


def switch_off(ledger: SwitchedOnLedger, entry: SwitchedOn, *, agreed: bool = False) -> SwitchedOff:
    """Connect, ask who it is, switch off, have it confirmed. Where something else answers nothing is sent. ``is_off`` is for :func:`tell_run`.

    Parameters
    ----------
    agreed : a person knows that it does not say who it is, and wants off sent all the same
    """
    try:
        lock = ledger.lock(entry.address, Whose())
    except AddressHeld as error:
        return SwitchedOff(say("{address} is in use: {who}.", address=entry.address, who=str(error)))
    try:
        return _switched_off(ledger, entry, agreed=agreed)
    except InstrumentError as error:
        return SwitchedOff(say("{error} Look at it yourself, and switch it off by hand.", error=str(error)))
    finally:
        lock.release()


def _switched_off(ledger: SwitchedOnLedger, entry: SwitchedOn, *, agreed: bool) -> SwitchedOff:
    profile = Profile(
        name=entry.name,
        kind="supply" if entry.kind == "supply" else "load",
        off_answers=entry.off_answers,
        baud=entry.baud,
        answers_within_s=_ANSWERS_S,
        commands={name: command for name, command in entry.commands.items() if command},
    )
    with contextlib.closing(ScpiConnection(entry.name, entry.opens or entry.address, _ANSWERS_S, profile)) as line:
        if entry.identity and line.identity != entry.identity:
            if not line.identity:
                raise InstrumentError(say("{address} does not say who it is any more.", address=entry.address))
            return SwitchedOff(
                say(
                    "Something else answers at {address}: “{found}”, and not “{known}”. Nothing was sent. Look at {name} itself.",
                    address=entry.address,
                    found=line.identity,
                    known=entry.identity,
                    name=entry.name,
                )
            )
        if not entry.identity and not agreed:
            return SwitchedOff(
                say(
                    "What answers at {address} does not say who it is: is it {name}? “{off}” would be sent.",
                    address=entry.address,
                    name=entry.name,
                    off=entry.commands["off"],
                ),
                asks_first=True,
            )
        thing = Supply(entry.name, line, profile) if entry.kind == "supply" else ElectronicLoad(entry.name, line, profile)
        thing.off()
    ledger.remove(entry.address)
    return SwitchedOff(
        say("{name} was switched off when Ubrant was started again, and confirmed that it is off.", name=entry.name), is_off=True
    )


def person_looked(ledger: SwitchedOnLedger, entry: SwitchedOn) -> SwitchedOff:
    """It is off: a person says so."""
    ledger.remove(entry.address)
    return SwitchedOff(say("{name} is off: a person looked when Ubrant was started again.", name=entry.name), is_off=True)


def tell_switched_off(ledger: SwitchedOnLedger, logbook: Logbook) -> list[str]:
    """What the guardian switched off and had confirmed: told to its run once that is open, and in a sentence each; nothing is asked."""
    said = []
    for entry in ledger.entries():
        if not entry.is_off or ledger.is_held(entry.address):
            continue
        if not is_of(entry, logbook) and Path(entry.whose.logbook).exists():
            continue  # its own logbook is told when it is opened
        said.append(
            say(
                "{name} was switched off by the guardian ({run}: {why}), and confirmed that it is off.",
                name=entry.name,
                run=entry.whose.text,
                why=entry.outcome.get("because", ""),
            )
        )
        if is_of(entry, logbook):
            with contextlib.suppress(LogbookError):
                run = logbook.run(entry.whose.run)
                at = since_start(run, datetime.fromisoformat(entry.outcome["at"]))
                logbook.add_event(run.id, GuardianOff(at, say("The guardian switched off: {why}.", why=entry.outcome["because"]), True))
        ledger.remove(entry.address)
    return said


def tell_run(logbook: Logbook, entry: SwitchedOn, tried: SwitchedOff) -> None:
    """The run that it was on for, where that is in this logbook."""
    if not tried.is_off or logbook.read_only or not is_of(entry, logbook):
        return
    with contextlib.suppress(LogbookError):
        run = logbook.run(entry.whose.run)
        now_s = since_start(run)
        logbook.add_event(run.id, Note(now_s, tried.sentence))


__all__ = ["SwitchedOff", "person_looked", "switch_off", "tell_run", "tell_switched_off"]
