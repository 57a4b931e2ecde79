"""Rows of a logbook as dataclasses."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ubrant.core.accuracy import parse_accuracy
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import DischargeRecord
from ubrant.core.label import Label, LabelError, parse_label
from ubrant.core.readings import Readings, Series, join

EVENT_KINDS = ("load on", "load off", "paused", "resumed")
"""What the bench does; everything else that is kept with a time is a jotting."""


@dataclass(frozen=True)
class StoredEvent:
    time_s: float
    kind: str
    text: str
    id: int = 0


@dataclass(frozen=True)
class Run:
    """One run as it is kept, without its readings. Label and accuracies are those it was made under."""

    unit_id: int | None
    method: str
    source: str
    started: str
    utc_offset_min: int = 0
    state: str = "running"
    ended_by: str = ""
    trouble: str = ""
    plan: dict[str, Any] = field(default_factory=dict)
    label_text: str = ""
    chemistry: str | None = None
    voltage_accuracy: str = ""
    current_accuracy: str = ""
    meter: str = ""
    id: int = 0

    @property
    def label(self) -> Label | None:
        try:
            return parse_label(self.label_text, self.chemistry)
        except LabelError:
            return None

    @property
    def cutoff(self) -> Cutoff | None:
        volts = self.plan.get("cutoff_v")
        return Cutoff(float(volts), float(self.plan.get("hold_s", 1.0))) if volts else None

    def record(self, voltage: Series, current: Series, events: list[StoredEvent], cutoff: Cutoff | None = None) -> DischargeRecord:
        """What the sums need, put together from what was kept.

        Raises
        ------
        ReadingsError
            There are no readings.
        """
        readings: Readings = join(voltage, current)
        on = [e.time_s for e in events if e.kind == "load on"]
        off = [e.time_s for e in events if e.kind == "load off"]
        return DischargeRecord(
            readings,
            parse_accuracy(self.voltage_accuracy, "V") if self.voltage_accuracy else None,
            parse_accuracy(self.current_accuracy, "A") if self.current_accuracy else None,
            self.label, cutoff or self.cutoff, self.plan.get("temperature_c"),
            on[0] if on else None, off[-1] if off else None,
            self.ended_by or {"interrupted": "interrupted", "running": "running"}.get(self.state),
            self.plan.get("tap", "battery"),
        )  # fmt: skip


@dataclass(frozen=True)
class KeptOutlook:
    """A prediction as it was made: its inputs as typed, and the sentence it gave."""

    name: str
    run_id: int | None
    made: str
    inputs: dict[str, str]
    answer: str
    id: int = 0


@dataclass(frozen=True)
class Summary:
    """The few figures a shelf or an outlook needs, worked out before; uncertainties are expanded ones."""

    charge_ah: float | None
    charge_u: float | None
    energy_wh: float | None
    energy_u: float | None
    share: float | None
    share_u: float | None
    ended_by: str
    verdict: str
    sentence: str
