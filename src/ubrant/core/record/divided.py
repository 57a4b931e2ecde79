"""Any two metered taps divided: powers of one line, or what two counters counted over the same time."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np

from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Series
from ubrant.core.record.counters import counted
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.wording import say

Watts = tuple[float, float, tuple[tuple[str, float, float], ...]]
"""W, its half-width, and what it was made of: (quantity, value, half-width)."""


def taps_divided(record: Record) -> list[Finding]:
    """The smaller over the larger of every two taps that were read at once, in %: by power, by energy; empty where there are none."""
    return [*_by_power(record), *_by_energy(record)]


def _power(entry: TimedLine, tap: str, own: str) -> Watts | None:
    """Watts of a tap in a line, by a wattmeter or on DC by volts and amperes."""
    read = {r.quantity: r for r in entry.jotting.readings if (r.tap or own) == tap and r.kind in {"read", "about", "range"}}
    if (watts := read.get("W")) is not None:
        return watts.value, watts.half_width, (("W", watts.value, watts.half_width),)
    volts, amps = read.get("V"), read.get("A")
    if volts is None or amps is None or abs(volts.value) > AC_FROM_V:
        return None
    return volts.value * amps.value, 0.0, (("V", volts.value, volts.half_width), ("A", amps.value, amps.half_width))


def _by_power(record: Record) -> list[Finding]:
    pairs: dict[tuple[str, str], list[tuple[Watts, Watts]]] = {}
    own = record.head.setup.tap_named("")
    for entry in record.typed.further:
        taps = list(dict.fromkeys(r.tap or own for r in entry.jotting.readings))
        for one, other in itertools.combinations(taps, 2):
            first, second = _power(entry, one, own), _power(entry, other, own)
            if first is not None and second is not None and first[0] > 0 and second[0] > 0:
                key = (one, other) if (other, one) not in pairs else (other, one)
                pairs.setdefault(key, []).append((first, second) if key == (one, other) else (second, first))
    return [_ratio(record, key, rows) for key, rows in pairs.items()]


def _ratio(record: Record, taps: tuple[str, str], rows: Sequence[tuple[Watts, Watts]]) -> Finding:
    """Σ W of the smaller ÷ Σ W of the larger, over the lines in which both were read."""
    sums = [sum(row[k][0] for row in rows) for k in (0, 1)]
    small = 0 if sums[0] <= sums[1] else 1
    columns: dict[str, np.ndarray] = {}
    half: dict[str, np.ndarray] = {}
    for k, tap in enumerate(taps):
        for place, (quantity, _, _) in enumerate(rows[0][k][2]):
            name = f"{tap} {quantity}"
            columns[name] = np.array([row[k][2][min(place, len(row[k][2]) - 1)][1] for row in rows])
            half[name] = np.array([row[k][2][min(place, len(row[k][2]) - 1)][2] for row in rows])

    def figures(values: Columns) -> dict[str, float | None]:
        totals = [float(np.sum(np.prod([values[c] for c in columns if c.startswith(f"{tap} ")], axis=0))) for tap in taps]
        return {"ratio": 100 * totals[small] / totals[1 - small] if totals[1 - small] > 0 else None}

    known = {name: record.accuracy(*name.rsplit(" ", 1)) for name in columns}
    errors = (e for name, accuracy in known.items() for e in errors_in(accuracy, name, place=name.rsplit(" ", 1)[0]))
    complete = all(accuracy is not None for accuracy in known.values())
    ratio = by_errors(figures, columns, errors, half, known=complete)["ratio"]
    top, bottom = taps[small] or say("the meter"), taps[1 - small] or say("the meter")
    working = say("{a} W ÷ {b} W, over {n} lines", a=show(sums[small] / len(rows)), b=show(sums[1 - small] / len(rows)), n=len(rows))
    name = say("{top} ÷ {bottom}, by power", top=top, bottom=bottom)
    return Finding.made(f"power_ratio_{_key(top)}_{_key(bottom)}", name, ratio, "%", working)


def _by_energy(record: Record) -> list[Finding]:
    """What counters in Wh counted from the first moment both were read to the last."""
    counters = {tap: series for (tap, quantity), series in record.typed.series.items() if quantity == "Wh" and len(series) > 1}
    found = []
    for one, other in itertools.combinations(counters, 2):
        times = np.intersect1d(counters[one].time_s, counters[other].time_s)
        if len(times) < 2:
            continue
        amounts = []
        for tap in (one, other):
            inside = np.isin(counters[tap].time_s, times)
            half = record.half_width(tap, "Wh")
            widths = (np.full(len(counters[tap]), half) if isinstance(half, float) else half)[inside]
            series = counters[tap]
            count = counted(Series(series.time_s[inside], series.value[inside]), widths)
            amounts.append(count.value(tap) + record.off_in_count(tap, "Wh", count.amount))
        if min(a.value for a in amounts) <= 0 or not all(math.isfinite(a.value) for a in amounts):
            continue
        small = 0 if amounts[0].value <= amounts[1].value else 1
        top, bottom = ((one, other), (other, one))[small]
        working = f"{show(amounts[small].value)} Wh ÷ {show(amounts[1 - small].value)} Wh"
        name = say("{top} ÷ {bottom}, by counters", top=top, bottom=bottom)
        key = f"energy_ratio_{_key(top)}_{_key(bottom)}"
        found.append(Finding.made(key, name, 100 * amounts[small] / amounts[1 - small], "%", working))
    return found


def _key(tap: str) -> str:
    return tap.replace(" ", "_")
