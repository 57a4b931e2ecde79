"""What happens in a run, each kind a dataclass of its own; and the one codec between them and JSON. docs/logbook-format.md lists them."""

from __future__ import annotations

import dataclasses
import typing
from dataclasses import dataclass, field
from typing import Any, ClassVar

from ubrant.core.record.codec import CodecError, decode, encode

KINDS: dict[str, type[Event]] = {}
"""Every kind of event by its name in files: each is put in by being written down as a dataclass."""


@dataclass(frozen=True)
class Event:
    """Something that happened at ``time_s`` of the run; ``text`` says it to a person and is never read back.

    ``kind`` names it in files; ``word`` is what stands at its mark on a trace where there is no room for the text, empty for what is not drawn.
    """

    time_s: float
    text: str = ""
    kind: ClassVar[str] = ""
    word: ClassVar[str] = ""

    def __init_subclass__(cls) -> None:
        if cls.kind:
            KINDS[cls.kind] = cls


@dataclass(frozen=True)
class LoadOn(Event):
    kind: ClassVar[str] = "load_on"


@dataclass(frozen=True)
class LoadOff(Event):
    kind: ClassVar[str] = "load_off"


@dataclass(frozen=True)
class ChargeOn(Event):
    kind: ClassVar[str] = "charge_on"
    word: ClassVar[str] = "charge on"


@dataclass(frozen=True)
class ChargeOff(Event):
    kind: ClassVar[str] = "charge_off"
    word: ClassVar[str] = "charge off"


@dataclass(frozen=True)
class Paused(Event):
    """Load (or charger, or supply) off for now."""

    kind: ClassVar[str] = "paused"
    word: ClassVar[str] = "paused"


@dataclass(frozen=True)
class Resumed(Event):
    kind: ClassVar[str] = "resumed"
    word: ClassVar[str] = "resumed"


@dataclass(frozen=True)
class LoadSet(Event):
    """The load, or the supply, was set to something else while it was on."""

    kind: ClassVar[str] = "set"


@dataclass(frozen=True)
class PointTaken(Event):
    """A settled point, read from ``from_s`` until the event's time.

    Attributes
    ----------
    input_v, load : what supply and load were set to; 0 V where a battery feeds it, A or W as the plan says
    settled : it held still; otherwise the last seconds count
    answer : what the method was told, so that it can be played to where it was
    wave : from when to when a scope recorded
    """

    from_s: float = 0.0
    input_v: float = 0.0
    load: float = 0.0
    settled: bool = True
    answer: str | None = None
    wave: tuple[float, float] | None = None
    kind: ClassVar[str] = "point"


@dataclass(frozen=True)
class HoldBegan(Event):
    """A load is held from now on."""

    load: float = 0.0
    tap: str = ""
    kind: ClassVar[str] = "hold"


@dataclass(frozen=True)
class WentOff(Event):
    """It opened, or the output went off, ``after_s`` from the start of the hold."""

    load: float = 0.0
    after_s: float = 0.0
    kind: ClassVar[str] = "went_off"


@dataclass(frozen=True)
class HeldOn(Event):
    """It was still on after ``after_s``."""

    load: float = 0.0
    after_s: float = 0.0
    kind: ClassVar[str] = "held"


@dataclass(frozen=True)
class Zeroed(Event):
    """What the meter at ``tap`` showed with nothing connected, by quantity; it is taken off its readings."""

    values: dict[str, float] = field(default_factory=dict)
    tap: str = ""
    kind: ClassVar[str] = "zeroed"


@dataclass(frozen=True)
class HandDid(Event):
    """A person did what was asked: ``on``, ``economy``, ``off``, ``reset``, ``cool``."""

    action: str = ""
    kind: ClassVar[str] = "hand"


@dataclass(frozen=True)
class Gap(Event):
    """Nothing was read until now; ``interrupted``: the run went on after an interruption, the load off meanwhile."""

    interrupted: bool = False
    kind: ClassVar[str] = "gap"
    word: ClassVar[str] = "gap"


@dataclass(frozen=True)
class MeterAway(Event):
    """A meter that is only read along fell silent, or answers again."""

    kind: ClassVar[str] = "meter_away"
    word: ClassVar[str] = "meter away"


@dataclass(frozen=True)
class StillDraws(Event):
    """Something flowed at ``tap`` although everything was off, so many amperes: it may be on."""

    tap: str = ""
    amps: float = 0.0
    kind: ClassVar[str] = "still_draws"
    word: ClassVar[str] = "still draws"


@dataclass(frozen=True)
class DrawsBesides(Event):
    """A person looked: something else draws these amperes at ``tap``. From then on they are what flows at rest."""

    tap: str = ""
    amps: float = 0.0
    kind: ClassVar[str] = "draws_besides"
    word: ClassVar[str] = "something else draws"


@dataclass(frozen=True)
class GuardianOff(Event):
    """The guardian switched off, since the program gave no sign of life; ``confirmed`` by what was switched off."""

    confirmed: bool = False
    kind: ClassVar[str] = "guardian_off"
    word: ClassVar[str] = "guardian"


@dataclass(frozen=True)
class Note(Event):
    """What a person noted."""

    kind: ClassVar[str] = "note"


@dataclass(frozen=True)
class Unknown(Event):
    """An event of a kind that this version does not know, passed on untouched."""

    name: str = ""
    data: dict[str, Any] = field(default_factory=dict)


def event_to_json(event: Event) -> dict[str, Any]:
    """The event without its time, which stands beside it."""
    if isinstance(event, Unknown):
        return {"kind": event.name, **event.data}
    made = encode(event)
    made.pop("time_s", None)
    return {"kind": event.kind, **made}


def event_from_json(time_s: float, data: dict[str, Any]) -> Event:
    """The event again; one of an unknown kind, or with data that do not fit, is :class:`Unknown`."""
    rest = {k: v for k, v in data.items() if k != "kind"}
    kind = KINDS.get(str(data.get("kind")))
    if kind is not None:
        try:
            return decode(kind, {"time_s": time_s, **rest})
        except CodecError:
            pass
    text = rest.get("text", "")
    return Unknown(time_s, text if isinstance(text, str) else "", str(data.get("kind")), rest)


def mark_of(event: Event) -> str:
    """What stands at the event's mark on a trace; empty for one that is not drawn."""
    return event.text if isinstance(event, Note) else event.word


def kinds_with_fields() -> list[tuple[str, tuple[str, ...]]]:
    """(kind, its own fields) of every event, for the papers."""
    known = {f.name for f in dataclasses.fields(Event)}
    return [(k, tuple(f.name for f in dataclasses.fields(c) if f.name not in known)) for k, c in KINDS.items()]


Events = typing.Sequence[Event]
