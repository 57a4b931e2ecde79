"""Bars by the clock hour, as a display or a program on a telephone shows them: a counter in bins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ubrant.core.quantities.jot import BAR
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import digit, total_of
from ubrant.core.wording import say


@dataclass(frozen=True)
class Bar:
    """One hour's bar: what it held when the load came on (None where nobody read it then), what it held in the end, half of its digit."""

    hour: str
    before: float | None
    after: float
    half: float


def bars_of(columns: Mapping[str, tuple[Series, Array]], load_on_s: float | None) -> tuple[Bar, ...]:
    """The bars of a display, in the order in which their hours were first read; by quantity, each with half of its last digit."""
    found = []
    for quantity, (series, half) in sorted(columns.items(), key=lambda item: float(item[1][0].time_s[0])):
        if not quantity.startswith(BAR) or not len(series):
            continue
        there = load_on_s is not None and float(series.time_s[0]) <= load_on_s + 1.0
        before = float(series.value[0]) if there and len(series) > 1 else None
        found.append(Bar(quantity.removeprefix(BAR), before, float(series.value[-1]), float(half.max())))
    return tuple(found)


def by_bars(bars: Sequence[Bar], said: list[str]) -> Finding | None:
    """Wh since load-on: the bars added up, what the first held before taken off. Where that was not read, it hides at most the whole first bar."""
    if not bars:
        return None
    first = bars[0]
    total = total_of(bar.after + digit(bar.half, "Wh", when=say("of the bar of {hour}", hour=bar.hour)) for bar in bars)
    if first.before is not None:
        total -= first.before + digit(first.half, "Wh", when=say("before the load came on"))
    hidden = 0.0 if first.before is not None else first.after
    if hidden:
        text = say(
            "What the bar of {hour} held before the load came on was not read: up to its {wh} Wh may be from before.",
            hour=first.hour,
            wh=show(hidden),
        )
        said.append(text)
    if len(bars) > 1:
        said.append(say("The bars of {first} and {last} are part hours.", first=first.hour, last=bars[-1].hour))
    terms = " + ".join(plain(bar.after, 4) for bar in bars)
    working = f"{terms} − {plain(first.before, 4)} Wh" if first.before is not None else f"{terms} Wh"
    return Finding.made("energy_out", say("Given at the output"), total, "Wh", working, sides=(hidden, 0.0))
