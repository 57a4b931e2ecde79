"""Rows of a logbook as dataclasses."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ubrant.core.cutoff import Cutoff
from ubrant.core.label import Label, LabelError, parse_label

EVENT_KINDS = ("load on", "load off", "paused", "resumed", "gap", "charge on", "charge off", "step", "zero", "beside")
"""What the bench does; everything else that is kept with a time is a jotting."""


@dataclass(frozen=True)
class StoredEvent:
    time_s: float
    kind: str
    text: str
    id: int = 0


@dataclass(frozen=True)
class StoredJot:
    """A typed line as it is kept: what time it is about, the line, when it was typed (UTC)."""

    time_s: float
    line: str
    typed: str = ""
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
