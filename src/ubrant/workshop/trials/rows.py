"""Settled points out of what was recorded or typed."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ubrant.core.jot import Jotting
from ubrant.core.meter import details_from
from ubrant.core.points import Points, points_of
from ubrant.core.readings import Array, Series
from ubrant.logbook.records import Run
from ubrant.workshop.trials.trial import KeptTrial

QUANTITIES = (("input", "V"), ("input", "A"), ("output", "V"), ("output", "A"), ("output", "W"), ("output", "Hz"), ("source", "V"))
_SAME_PLACE = {"dc": "input", "ac": "output", "battery": "source", "load": "output"}
"""Names people use for the two ends of an inverter."""
_NEEDED = (0, 1, 2)


@dataclass(frozen=True)
class Rows:
    """``asked`` settings, (n, 7) ``values`` in the order of QUANTITIES, NaN where not read; what else is known of each point."""

    asked: tuple[tuple[float, float], ...]
    values: Array
    about: tuple[dict[str, Any], ...]

    def __len__(self) -> int:
        return len(self.asked)

    def column(self, tap: str, quantity: str) -> Array:
        return np.asarray(self.values[:, QUANTITIES.index((tap, quantity))])

    def points(self) -> Points | None:
        """What the sums take; None for no row. Watts that were read stand; amperes that were not are worked out."""
        if not len(self):
            return None
        vin, iin, vout, iout, pout, _, source = self.values.T
        watts = np.where(np.isfinite(pout), pout, vout * np.where(np.isfinite(iout), iout, 0.0))
        amps = np.where(np.isfinite(iout), iout, np.divide(watts, vout, out=np.zeros_like(watts), where=vout > 0))
        return points_of(vin, iin, vout, amps, watts, source)


def rows_of(run: Run, kept: KeptTrial, *, typed: bool, settings: list[tuple[float, float]]) -> Rows:
    """Rows of a run; typed ones take the settings in their order."""
    return _typed(kept, settings) if typed else _sampled(run, kept)


def corrected(run: Run, kept: KeptTrial, tap: str, quantity: str) -> Series | None:
    """A series as it should have been shown: zero and what its meter was judged by taken into account."""
    series = kept.series.get((tap, quantity))
    if series is None:
        return None
    details = run.plan.get("corrections") or [{}, {}]
    meter = details_from(details[0] if tap == "input" else details[1] if tap == "output" else {})
    zeroed = next((e for e in kept.events if e.kind == "zero"), None)
    if tap == "input" and zeroed is not None:
        found = dict(zip(zeroed.text.split()[1::2], map(float, zeroed.text.split()[::2]), strict=True))
        if quantity in found:
            bare = replace(meter, zero_v=0.0, zero_a=0.0)
            return bare.correct(quantity, Series(series.time_s, series.value - found[quantity]))
    return meter.correct(quantity, series)


def _sampled(run: Run, kept: KeptTrial) -> Rows:
    """The settled means of every point."""
    series = {key: corrected(run, kept, *key) for key in QUANTITIES}
    asked, rows, abouts = [], [], []
    for event in kept.events:
        if event.kind != "point":
            continue
        about = json.loads(event.text)
        row = [mean_between(series[key], about["from_s"], event.time_s) for key in QUANTITIES]
        if not all(math.isfinite(row[k]) for k in _NEEDED):
            continue
        asked.append((float(about["input_v"]), float(about["load_a"])))
        rows.append(row)
        abouts.append({**about, "time_s": event.time_s})
    return Rows(tuple(asked), np.array(rows).reshape(-1, len(QUANTITIES)), tuple(abouts))


def mean_between(series: Series | None, from_s: float, to_s: float) -> float:
    """Mean of the readings between two moments; NaN for none."""
    if series is None or not len(series):
        return math.nan
    inside = (series.time_s >= from_s - 1e-6) & (series.time_s <= to_s + 1e-6)
    return float(np.mean(series.value[inside])) if inside.any() else math.nan


def _typed(kept: KeptTrial, settings: list[tuple[float, float]]) -> Rows:
    """A point a line: what it reads at both ends. A line marked ``skip`` leaves its point out."""
    asked, rows, abouts = [], [], []
    lines = [(t, j) for t, j in kept.parsed() if j.readings or j.mark == "skip"]
    for (moment, jotting), setting in zip(lines, settings, strict=False):
        row = typed_row(jotting)
        if jotting.mark == "skip" or not all(math.isfinite(row[k]) for k in _NEEDED):
            continue
        asked.append(setting)
        rows.append(row)
        abouts.append({"time_s": moment, "settled": True})
    return Rows(tuple(asked), np.array(rows).reshape(-1, len(QUANTITIES)), tuple(abouts))


def typed_row(jotting: Jotting) -> list[float]:
    """A typed line in the order of QUANTITIES."""
    read = {(_SAME_PLACE.get(r.tap, r.tap), r.quantity): r.value for r in jotting.readings}
    return [read.get(key, math.nan) for key in QUANTITIES]


def lacks_of(jotting: Jotting, needed: tuple[tuple[str, str], ...], example: str) -> str:
    """What a typed point lacks, in a sentence; empty when it is whole or skipped."""
    if jotting.mark == "skip":
        return ""
    read = {(_SAME_PLACE.get(r.tap, r.tap), r.quantity) for r in jotting.readings}
    missing = [f"{tap} {quantity}" for tap, quantity in needed if (tap, quantity) not in read]
    return f"This point still lacks: {', '.join(missing)}. Type it all in one line, like “{example}”, or “skip”." if missing else ""
