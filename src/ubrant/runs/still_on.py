"""What may still be on from before: asked about at the next start, switched off on request, and told to the run it was on for."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from ubrant.bench.instruments import InstrumentError, ScpiConnection
from ubrant.bench.profile import Profile
from ubrant.bench.switched import ElectronicLoad, Supply
from ubrant.bench.switched_on import AddressHeld, Ledger, SwitchedOn, Whose
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.record.events import GuardianOff, Note
from ubrant.core.wording import say
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.runs.going_on import since_start

_ANSWERS_S = 2.0


@dataclass(frozen=True)
class Tried:
    """What came of switching something off: a sentence; whether it is off; whether a person has to agree first, since it does not say who it is."""

    sentence: str
    is_off: bool = False
    asks_first: bool = False


def may_be_on(ledger: Ledger) -> list[SwitchedOn]:
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


def switch_off(ledger: Ledger, entry: SwitchedOn, logbook: Logbook | None = None, *, agreed: bool = False) -> Tried:
    """Connect, ask who it is, switch off, have it confirmed. Where something else answers nothing is sent.

    Parameters
    ----------
    logbook : the one that is open: its run is told, if it was on for one of these
    agreed : a person knows that it does not say who it is, and wants off sent all the same
    """
    try:
        lock = ledger.lock(entry.address, Whose())
    except AddressHeld as error:
        return Tried(say("{address} is in use: {who}.", address=entry.address, who=str(error)))
    try:
        return _switched_off(ledger, entry, logbook, agreed=agreed)
    except InstrumentError as error:
        return Tried(say("{error} Look at it yourself, and switch it off by hand.", error=str(error)))
    finally:
        lock.release()


def _switched_off(ledger: Ledger, entry: SwitchedOn, logbook: Logbook | None, *, agreed: bool) -> Tried:
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
            return Tried(
                say(
                    "Something else answers at {address}: “{found}”, and not “{known}”. Nothing was sent. Look at {name} itself.",
                    address=entry.address,
                    found=line.identity,
                    known=entry.identity,
                    name=entry.name,
                )
            )
        if not entry.identity and not agreed:
            return Tried(
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
    _tell_run(logbook, entry, say("{name} was switched off when Ubrant was started again, and confirmed that it is off.", name=entry.name))
    return Tried(say("{name} is off: it was switched off, and confirms it.", name=entry.name), is_off=True)


def person_looked(ledger: Ledger, entry: SwitchedOn, logbook: Logbook | None = None) -> None:
    """It is off: a person says so."""
    ledger.remove(entry.address)
    _tell_run(logbook, entry, say("{name} is off: a person looked when Ubrant was started again.", name=entry.name))


def settle(ledger: Ledger, logbook: Logbook) -> list[str]:
    """What the guardian switched off and had confirmed: told to its run once that is open, and in a sentence each; nothing is asked."""
    said = []
    for entry in ledger.entries():
        if not entry.is_off or ledger.is_held(entry.address):
            continue
        if not _is_of(entry, logbook) and Path(entry.whose.logbook).exists():
            continue  # its own logbook is told when it is opened
        said.append(
            say(
                "{name} was switched off by the guardian ({run}: {why}), and confirmed that it is off.",
                name=entry.name,
                run=entry.whose.text,
                why=entry.outcome.get("because", ""),
            )
        )
        if _is_of(entry, logbook):
            with contextlib.suppress(LogbookError):
                run = logbook.run(entry.whose.run)
                at = since_start(run, datetime.fromisoformat(entry.outcome["at"]))
                logbook.add_event(run.id, GuardianOff(at, say("The guardian switched off: {why}.", why=entry.outcome["because"]), True))
        ledger.remove(entry.address)
    return said


def about(ledger: Ledger, logbook: Logbook, run_id: int) -> list[str]:
    """What a run's findings have to say: that something may still be on from it."""
    return [question(entry) for entry in may_be_on(ledger) if _is_of(entry, logbook) and entry.whose.run == run_id]


def looks(ledger: Ledger) -> Iterator[tuple[SwitchedOn, str]]:
    """What is asked, for whoever asks it."""
    for entry in may_be_on(ledger):
        yield entry, question(entry)


def _is_of(entry: SwitchedOn, logbook: Logbook) -> bool:
    with contextlib.suppress(OSError):
        return Path(entry.whose.logbook).resolve() == logbook.path.resolve()
    return False


def _tell_run(logbook: Logbook | None, entry: SwitchedOn, sentence: str) -> None:
    if logbook is None or logbook.read_only or not _is_of(entry, logbook):
        return
    with contextlib.suppress(LogbookError):
        run = logbook.run(entry.whose.run)
        now_s = since_start(run)
        logbook.add_event(run.id, Note(now_s, f"{sentence} ({show_duration(now_s)})"))


__all__ = ["Tried", "about", "looks", "may_be_on", "person_looked", "question", "settle", "switch_off"]
