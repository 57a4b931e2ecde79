"""Rows of a logbook as dataclasses, and a run with everything that was kept of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from ubrant.core.quantities.jot import Grammar, TypedLine
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.readings import Series
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import Event
from ubrant.core.record.head import RunHeader
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, TapQuantity, record_of


@dataclass(frozen=True)
class StoredEvent:
    """An event under the number it is kept by."""

    event: Event
    id: int = 0


@dataclass(frozen=True)
class StoredJot:
    """A typed row as it is kept: what time it is about, the line as it was typed, when that was (UTC), and what it says.

    ``data`` is what counts. It is missing only where there never was more than a line: in a file of before format 8, or where a line is
    written out. The line is read then, once, where it comes in.
    """

    time_s: float
    line: str
    typed: str = ""
    id: int = 0
    data: TypedLine | None = None

    @property
    def jotting(self) -> TypedLine | None:
        """What it says; None where there is nothing in it."""
        return self.data if self.data is not None else _understood(self.line)


@dataclass(frozen=True)
class Photo:
    """A picture of a unit or of a run, as JPEG; ``text`` says what is on it."""

    jpeg: bytes
    text: str = ""
    unit_id: int | None = None
    run_id: int | None = None
    digest: str = ""
    id: int = 0


@dataclass(frozen=True)
class Run:
    """One run as it is kept, without its readings.

    Attributes
    ----------
    source : which road it came in by, or the name of the log, as a shelf shows it
    started : UTC; ``utc_offset_min`` of the place, then
    told : its head, or what reads it when it is wanted
    """

    unit_id: int | None
    method: str
    source: str
    started: str
    told: RunHeader | Callable[[], RunHeader] = field(compare=False, repr=False)
    utc_offset_min: int = 0
    state: str = "running"
    ended_by: str = ""
    trouble: str = ""
    id: int = 0

    @property
    def head(self) -> RunHeader:
        if callable(self.told):
            object.__setattr__(self, "told", self.told())
        assert isinstance(self.told, RunHeader)
        return self.told

    def under(self, **parts: Any) -> Run:
        """The same run with other parts of its head."""
        return replace(self, told=replace(self.head, **parts))

    @property
    def label(self) -> Label | None:
        return self.head.setup.label

    @property
    def label_text(self) -> str:
        return self.head.setup.unit.label_text

    @property
    def cutoff(self) -> Cutoff | None:
        return self.head.criteria.cutoff


def stamp_of(moment: datetime) -> str:
    """As a run keeps when it started: UTC."""
    return moment.astimezone(UTC).isoformat(timespec="seconds")


def new_run(head: RunHeader, source: str, started: datetime | None = None, state: str = "running", ended_by: str = "") -> Run:
    """A run that is about to be kept."""
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    return Run(
        head.setup.unit.id or None,
        head.method,
        source,
        stamp_of(moment),
        head,
        int(offset.total_seconds() // 60) if offset else 0,
        state,
        ended_by,
    )


@dataclass(frozen=True)
class StoredRun:
    """A run with its readings, events and typed lines: what a logbook holds, an export writes and an import reads."""

    run: Run
    readings: Mapping[TapQuantity, Series] = field(default_factory=dict)
    events: tuple[Event, ...] = ()
    jots: tuple[StoredJot, ...] = ()
    damage: str = ""

    def record(self) -> Record:
        """As every method sees it."""
        run = self.run
        made = record_of(run.head, self.readings, self.events, entries_of(self.jots), run.state, run.ended_by, self.damage)
        return replace(made, started=run.started)

    def under(self, head: RunHeader) -> StoredRun:
        """The same readings under another head."""
        return replace(self, run=replace(self.run, told=head, method=head.method))


def entries_of(jots: Iterable[StoredJot]) -> list[TimedLine]:
    """Typed lines, understood."""
    return [TimedLine(jot.time_s, found) for jot in jots if (found := jot.jotting) is not None]


def _understood(line: str) -> TypedLine | None:
    """What a line says that came without data; one that says nothing is a note, and nothing of it is lost."""
    try:
        return Grammar().parse(line)
    except ValueError:
        return TypedLine(line, line=line)


@dataclass(frozen=True)
class StoredOutlook:
    """A prediction as it was made: its inputs as typed, and the sentence it gave."""

    name: str
    run_id: int | None
    made: str
    inputs: dict[str, str]
    answer: str
    id: int = 0


@dataclass(frozen=True)
class StoredDays:
    """Days at the bench as they are kept.

    Attributes
    ----------
    made : UTC
    told : what was asked for, as TOML
    placed : the plan as it stands, as JSON
    id : 0 while it is not kept
    """

    name: str
    made: str
    told: str
    placed: str
    id: int = 0


@dataclass(frozen=True)
class Summary:
    """The little of an account that a shelf or an outlook needs, worked out before; uncertainties are expanded ones.

    Attributes
    ----------
    sentence, short, verdict : over all; in a few words; the word, empty where the method gives none
    bar : capacity in Ah and its ±, to be drawn against the label's; None without
    energy : what an outlook can rest on (Wh, its ±, whether that is all of it, measured over label); None without
    was : another verdict, that an older version of the sums gave of the same; empty for none
    sketch : the curve that is drawn of it, as points between 0 and 1; empty without one
    answers : what it says of what people want to know, by enquiry
    """

    sentence: str
    short: str = ""
    verdict: str = ""
    bar: tuple[float, float | None] | None = None
    energy: tuple[float, float | None, bool, float] | None = None
    sketch: tuple[tuple[float, float], ...] = ()
    was: str = ""
    answers: Mapping[str, str] = field(default_factory=dict)

    def to_json(self) -> dict[str, Any]:
        return {
            "sentence": self.sentence,
            "short": self.short,
            "verdict": self.verdict,
            "bar": self.bar,
            "energy": self.energy,
            "sketch": self.sketch,
            "was": self.was,
            "answers": dict(self.answers),
        }


def summary_from_json(data: Mapping[str, Any]) -> Summary:
    """The summary again."""
    bar, energy = data.get("bar"), data.get("energy")
    return Summary(
        str(data["sentence"]),
        str(data.get("short", "")),
        str(data.get("verdict", "")),
        tuple(bar) if bar else None,
        tuple(energy) if energy else None,
        tuple((float(x), float(y)) for x, y in data.get("sketch", ())),
        str(data.get("was", "")),
        {str(key): str(text) for key, text in data.get("answers", {}).items()},
    )
