"""What was found, held against what labels say and against itself. An answer that cannot well be is held back until its person has looked."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ubrant.core.gate.check import Question
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.mend import Mend
from ubrant.core.record.record import Record
from ubrant.core.record.typed import BARE
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.wording import say

if TYPE_CHECKING:
    from ubrant.core.record.head import Setup

MAINS_ROOM, DC_ROOM, OUT_ROOM, BATTERY_ROOM = (0.75, 1.2), (0.6, 1.4), (0.7, 1.35), (0.75, 1.3)
"""Between so many times what a label says volts are read: mains, direct current in, direct current out, a battery from empty to being charged. Common practice, no source."""


_SAMPLE = 20_000
"""So many readings tell the middle of all; a run that is going on asks often."""


@dataclass(frozen=True)
class Doubt:
    """Something that has to be looked at before it is an answer.

    Attributes
    ----------
    key : by what a person confirms it
    sentence : what is asked, as a sentence of its own
    reads : the figure in a few words
    mend : the one slip that would explain it
    """

    key: str
    sentence: str
    reads: str = ""
    mend: Mend | None = None

    @property
    def question(self) -> Question:
        yes = say("{reading} is so", reading=self.reads) if self.reads else say("It is so")
        return Question(yes, checked=self.key, text=self.sentence, mend=self.mend)


@dataclass(frozen=True)
class Expected:
    """Between what a figure lies, in times of what the label says of it.

    Attributes
    ----------
    figure : key of the finding
    of : what the label says, in the unit of the finding; None where it says nothing
    why : what it would be otherwise, as a question to a person
    """

    figure: str
    low: float
    high: float
    of: Callable[[Setup], float | None]
    why: str


def of_figures(findings: Mapping[str, Finding], expected: Iterable[Expected], setup: Setup) -> Iterable[Doubt]:
    """What lies outside, its ± and what only bounds it allowed for."""
    for one in expected:
        found, says = findings.get(one.figure), one.of(setup)
        if found is None or found.value is None or not says:
            continue
        u = found.expanded_uncertainty or 0.0
        too_low = found.bound != AT_LEAST and found.value + u < one.low * says
        too_high = found.bound != AT_MOST and found.value - u > one.high * says
        if too_low or too_high:
            yield Doubt(
                f"figure-{one.figure}",
                say(
                    "{name}: {figure} is {percent} % of the {says} {unit} on its label. {why}",
                    name=found.name,
                    figure=found.value_text(),
                    percent=show(100 * found.value / says, 2),
                    says=plain(says, 4),
                    unit=found.unit,
                    why=say(one.why),
                ),
                found.value_text(),
            )


def of_volts(record: Record, expected: Mapping[str, tuple[float, float, float]], named: Mapping[str, str]) -> Iterable[Doubt]:
    """Places where the middle of the volts is none that the label allows; by tap: (lowest, highest, what the label says); ``named``: other names of taps."""
    for tap, (low, high, says) in expected.items():
        names = (tap, *(name or BARE for name, place in named.items() if place == tap))
        read = next((s.value for name in names if len(s := record.either(name, "V"))), np.empty(0))
        volts = np.abs(read[:: max(1, len(read) // _SAMPLE)])
        volts = volts[volts > 0.05 * volts.max()] if len(volts) else volts
        if not len(volts):
            continue
        middle = float(np.median(volts))
        if middle < _OFF * says:
            continue  # it was off, which is none of another label's
        if not low <= middle <= high:
            yield Doubt(
                f"volts-{tap}",
                say(
                    "{middle} V were read at the {tap}, and its label says {says} V: is this its label, or was another place read?",
                    middle=show(middle, 3),
                    tap=tap,
                    says=plain(says, 4),
                ),
                say("{middle} V", middle=show(middle, 3)),
            )


_OFF = 0.02
_RISES = 1.5
"""Points, with half of both last digits: by less a display wanders. Common practice, no source."""


def of_display(percents: Sequence[tuple[float, float, float]], of: str = "") -> Iterable[Doubt]:
    """A display of what is left that rises while something is drawn: (s, percent, half of its last digit) each; ``of`` what it was, for people."""
    for (_, before, half), (moment, after, other) in itertools.pairwise(percents):
        if after - before > _RISES + half + other:
            text = say(
                "{of}its display rises from {before} to {after} % while it gives: was it charged meanwhile, or did a digit slip?",
                of=f"{of}: " if of else "",
                before=plain(before),
                after=plain(after),
            )
            yield Doubt(f"rises-{moment:.0f}", f"{text[0].upper()}{text[1:]}")
            return


def of_percents(record: Record) -> Iterable[Doubt]:
    """A display that shows less than nothing, or more than all."""
    for entry in record.lines:
        for reading in entry.jotting.readings:
            if reading.quantity == "%" and reading.kind == "read" and not 0 <= reading.value <= 100:
                said = say("{percent} %", percent=plain(reading.value))
                yield Doubt(f"percent-{entry.time_s:.0f}", say("{said}: a percentage outside 0 to 100. Did a digit slip?", said=said), said)


def unconfirmed(doubts: Iterable[Doubt], record: Record) -> tuple[Doubt, ...]:
    """Without those that a person has looked at."""
    return tuple(doubt for doubt in doubts if doubt.key not in record.head.conditions.checked)


def room_about(volts: float, room: tuple[float, float]) -> tuple[float, float, float]:
    """(lowest, highest, volts)."""
    return room[0] * volts, room[1] * volts, volts
