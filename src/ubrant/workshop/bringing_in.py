"""Bring a log in from elsewhere: what is in it as a run, kept or only worked out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from ubrant.core.account import account
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import Discharge
from ubrant.core.jot_text import line_of
from ubrant.core.readings import Series
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import EVENT_KINDS, Run, StoredEvent, StoredJot
from ubrant.logbook.run_record import Kept, beside_of, record_of, typed_of


@dataclass(frozen=True)
class Told:
    """What a person says of a log; empty or None where it is not known."""

    label_text: str = ""
    chemistry: str | None = None
    cutoff: Cutoff | None = None
    voltage_accuracy: str = ""
    current_accuracy: str = ""
    temperature_c: float | None = None
    meter: str = ""


@dataclass(frozen=True)
class Brought:
    """A log as a run, before it is kept."""

    run: Run
    series: Mapping[tuple[str, str], Series]
    events: tuple[StoredEvent, ...]
    jots: tuple[StoredJot, ...]

    def found(self) -> Discharge:
        """What it says.

        Raises
        ------
        ReadingsError
            Nothing can be said of it.
        """
        kept = Kept(self.series, self.events, typed_of(self.jots))
        return account(record_of(self.run, kept), beside_of(self.run, kept))


def brought(log: LogFile, told: Told, unit_id: int | None = None) -> Brought:
    """A log as a run, metered at the battery; with its other taps, its events and its typed lines."""
    about = log.about
    started = (datetime.fromisoformat(about["started"]) if about.get("started") else log.started or datetime.now(UTC)).astimezone(UTC)
    plan: dict[str, object] = dict(about.get("plan", {}))
    said = [*log.warnings, *([log.left_out_sentence()] if log.left_out else [])]
    plan |= {"temperature_c": told.temperature_c, "warnings": said, "columns": log.columns}
    plan |= {"cutoff_v": told.cutoff.voltage_v, "hold_s": told.cutoff.hold_s} if told.cutoff is not None else {"cutoff_v": None}
    endings = [text.removeprefix("ended by ") for _, text in log.events if text.startswith("ended by ")]
    run = Run(
        unit_id, "discharge", log.name, started.isoformat(timespec="seconds"), int(about.get("utc_offset_min", 0)), state="done",
        ended_by=endings[-1] if endings else "", plan=plan, label_text=told.label_text, chemistry=told.chemistry,
        voltage_accuracy=told.voltage_accuracy, current_accuracy=told.current_accuracy, meter=told.meter,
    )  # fmt: skip
    series = dict(log.others)
    if not log.entries:
        series |= {("battery", "V"): Series(log.time_s, log.voltage_v), ("battery", "A"): Series(log.time_s, log.current_a)}
    jots = tuple(StoredJot(e.time_s, line_of(e.jotting), run.started) for e in log.entries if e.jotting.readings or e.jotting.mark)
    notes = [StoredEvent(e.time_s, "jotting", e.jotting.text) for e in log.entries if not (e.jotting.readings or e.jotting.mark)]
    events = tuple(
        StoredEvent(t, text if text in EVENT_KINDS else "jotting", text) for t, text in log.events if not text.startswith("ended by ")
    )
    return Brought(run, series, (*events, *notes), jots)


def keep_log(
    logbook: Logbook, log: LogFile, unit: Unit | None, *, cutoff: Cutoff | None, voltage_accuracy: str = "", current_accuracy: str = "",
    temperature_c: float | None = None, meter: str = "",
) -> Run:  # fmt: skip
    """Keep a log from elsewhere as a run."""
    label_text, chemistry = (unit.label_text, unit.chemistry) if unit else ("", None)
    told = Told(label_text, chemistry, cutoff, voltage_accuracy, current_accuracy, temperature_c, meter)
    made = brought(log, told, unit.id if unit else None)
    return logbook.keep_import(made.run, dict(made.series), made.events, made.jots)
