"""Which way a battery's current goes, by its volts: they fall while it gives, and rise while it is charged, at one load and once it has settled."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from ubrant.core.network.graph import BATTERY, Key
from ubrant.core.network.moment import Instant

SETTLES_S = 900.0
"""So long after another load, or after it was picked up, a battery's volts still move by themselves. Common practice, no source."""
MOVED = 0.005
"""They have moved where they have by more than this share, and by more than their digits. Common practice, no source."""
ALIKE = 0.03
"""Currents so near to each other are one load's. Common practice, no source."""
_VOLTS = (BATTERY, "V")


@dataclass(frozen=True)
class Moved:
    """The battery's volts moved at one load: the numbers of both moments, and from what to what, V."""

    before: int
    after: int
    from_v: float
    to_v: float

    @property
    def fell(self) -> bool:
        return self.to_v < self.from_v


def volts_moved(instants: Mapping[int, Instant]) -> tuple[Moved, ...]:
    """Of each stretch at one load that was read often enough, how the battery's volts moved from where it had settled to its end.

    One meter's own gain and zero move nothing. Where another load was set, or nothing but volts was read, a stretch ends.
    """
    return tuple(found for stretch in _stretches(instants) if (found := _of_stretch(stretch)) is not None)


def _stretches(instants: Mapping[int, Instant]) -> Iterator[list[tuple[int, Instant]]]:
    stretch: list[tuple[int, Instant]] = []
    for number, instant in instants.items():
        if _VOLTS not in instant.read or not _flows(instant) or instant.read[_VOLTS].over_h:
            continue
        if stretch and not _is_alike(stretch[0][1], instant):
            yield stretch
            stretch = []
        stretch.append((number, instant))
    if stretch:
        yield stretch


def _flows(instant: Instant) -> dict[Key, float]:
    return {key: one.shown for key, one in instant.read.items() if key[1] != "V"}


def _is_alike(one: Instant, other: Instant) -> bool:
    """The same was read, and is as large to within its digits and a few hundredths."""
    before, after = _flows(one), _flows(other)
    widths = {key: one.read[key].half + other.read[key].half for key in before if key in after}
    return before.keys() == after.keys() and all(
        abs(before[key] - after[key]) <= ALIKE * abs(before[key]) + width for key, width in widths.items()
    )


def _of_stretch(stretch: list[tuple[int, Instant]]) -> Moved | None:
    began = stretch[0][1].read[_VOLTS].time_s
    settled = [(number, instant.read[_VOLTS]) for number, instant in stretch if instant.read[_VOLTS].time_s - began >= SETTLES_S]
    if len(settled) < 2:
        return None
    (before, first), (after, last) = settled[0], settled[-1]
    if abs(last.shown - first.shown) <= MOVED * abs(first.shown) + first.half + last.half:
        return None
    return Moved(before, after, first.shown, last.shown)
