"""Readings of which nobody has said yet what they are of. They are kept and drawn; nothing is judged."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ubrant.core.account import Account
from ubrant.core.drawings import TraceDrawing
from ubrant.core.record.head import BY_HAND, Setup
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.method import LoadRating, Method, Prepared, Problem, Scene
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ANY_MARK, HandScript, Prompt
from ubrant.methods.steps import Ask, Steps


@dataclass(frozen=True)
class NotesPlan:
    """Nothing was planned."""

    begun: bool = True


class NotesMethod(Method):
    """By hand only."""

    key = "notes"
    title = "Readings"
    taps = ("battery",)
    Plan = NotesPlan
    roads = (BY_HAND,)
    has_leads = False

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        return Prepared(setup, NotesPlan())

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        return []

    def steps(self, prepared: Prepared) -> Steps:
        raise NotImplementedError

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        return Scene(self.taps, by_hand=True)

    def by_hand(self, prepared: Prepared) -> HandScript:
        after = say("Type what you read. What it was, and of what, is asked when you close the run.")
        ask = Ask(after, (cautions.HAND_OFF,))
        return HandScript((ask,), (), Prompt(after, marks=(ANY_MARK,)), marks_load=True, reads=(("battery", "V"), ("battery", "A")))

    def wiring(self, prepared: Prepared) -> PowerPath:
        return PowerPath((), (), (), (), "W")

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        return NotesPlan()

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        """How many there are and where; why nothing more is said."""
        series = {key: s for key, s in (*record.readings.items(), *record.typed.series.items()) if len(s)}
        if not series:
            return Account(trouble=say("Nothing was read yet."))
        count = sum(len(s) for s in series.values())
        places = sorted({tap or say("the meter") for tap, _ in series})
        sentence = say(
            "{count} readings at {places}. Say what it was, and of what: then it is worked out.", count=count, places=", ".join(places)
        )
        volts = {quantity: s for (tap, quantity), s in series.items() if quantity in "VAW" and tap == places[0]}
        found = Finding("readings", say("Readings"), float(count), "", None, say("as they were typed"))
        return Account({found.key: found}, sentence=sentence, drawings=lambda: (TraceDrawing(volts),) if "V" in volts else ())
