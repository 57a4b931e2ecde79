"""What flowed while everything was off, as it was seen at the bench: no resting voltage is one then."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.quantity import plain
from ubrant.core.record.events import DrawsBesides, GuardianOff, StillDraws
from ubrant.core.record.record import Record
from ubrant.core.wording import say


@dataclass(frozen=True)
class AtRest:
    """What flowed at a rest: a sentence, empty for nothing; ``known``: a person said that something else drew it."""

    sentence: str = ""
    known: bool = False

    @property
    def aside(self) -> str:
        """Behind a working."""
        return f"; {self.sentence}" if self.sentence else ""


def flowed_at_rest(record: Record, load_on_s: float | None, load_off_s: float | None) -> tuple[AtRest, AtRest]:
    """Before the load came on, and after it went off for good."""
    before, after = AtRest(), AtRest()
    for number, event in enumerate(record.events):
        if not isinstance(event, StillDraws):
            continue
        known = any(isinstance(later, DrawsBesides) for later in record.events[number + 1 :])
        text = (
            say("{a} A flowed, drawn by something else", a=plain(event.amps))
            if known
            else say("{a} A flowed although everything was off", a=plain(event.amps))
        )
        if load_on_s is None or event.time_s < load_on_s:
            before = AtRest(text, known)
        elif load_off_s is not None and event.time_s >= load_off_s:
            after = AtRest(text, known)
    return before, after


def warned_of(record: Record) -> tuple[str, ...]:
    """A sentence each for what flowed after off and for the guardian; whatever the method, a person should read them."""
    said = [
        say("At the {tap} {a} A flowed although everything was off: it may have been on.", tap=e.tap, a=plain(e.amps))
        for n, e in enumerate(record.events)
        if isinstance(e, StillDraws) and not any(isinstance(later, DrawsBesides) for later in record.events[n + 1 :])
    ]
    return tuple(dict.fromkeys(said)) + tuple(e.text for e in record.events if isinstance(e, GuardianOff))
