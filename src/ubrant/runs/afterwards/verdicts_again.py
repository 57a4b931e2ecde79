"""Verdicts that were measured again: how many held, which did not, and which a new version of the sums has changed."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import datetime
from itertools import groupby, pairwise
from typing import Any

from ubrant.core.battery.verdict import CANNOT_TELL
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, Summary
from ubrant.methods.registry import title_of
from ubrant.runs.kept.accounts import summary_of
from ubrant.runs.kept.found_of_meters import is_rehearsal

SOON_DAYS = 90.0
"""Within so long a thing is taken to be the same, so that two capacities ought to agree."""


@dataclass(frozen=True)
class Judged:
    """A run that gave a verdict."""

    run: Run
    unit: str
    summary: Summary

    @property
    def day(self) -> str:
        return self.run.started[:10]


@dataclass(frozen=True)
class Again:
    """Two verdicts of one unit by one method, the earlier first; ``apart`` is how many times as far apart as both ± allow, None without."""

    before: Judged
    after: Judged
    apart: float | None

    @property
    def held(self) -> bool:
        return self.before.summary.verdict == self.after.summary.verdict

    @property
    def days(self) -> float:
        return (datetime.fromisoformat(self.after.run.started) - datetime.fromisoformat(self.before.run.started)).total_seconds() / 86400


@dataclass(frozen=True)
class VerdictsAgain:
    """``pairs``: the newest first; ``by_sums``: runs that a newer version of the sums judges otherwise than the one before."""

    pairs: tuple[Again, ...]
    by_sums: tuple[Judged, ...]

    def sentence(self) -> str:
        if not self.pairs:
            told = say("No verdict was measured again yet: test a unit once more, the same way.")
        else:
            words = Counter(pair.before.summary.verdict for pair in self.pairs)
            held = Counter(pair.before.summary.verdict for pair in self.pairs if pair.held)
            each = ", ".join(
                say("{held} of {all} “{word}”", held=held[word], all=count, word=say(word)) for word, count in words.most_common()
            )
            told = say("Of {all} verdicts that were measured again {held} held: {each}.", all=len(self.pairs), held=held.total(), each=each)
            soon = [pair for pair in self.pairs if pair.apart is not None and pair.days <= SOON_DAYS]
            if soon:
                good = sum(pair.apart <= 1 for pair in soon if pair.apart is not None)
                told += say(
                    " Of {all} capacities measured twice within {days} days {good} agree within their ±.",
                    all=len(soon),
                    days=plain(SOON_DAYS),
                    good=good,
                )
        if self.by_sums:
            told += say(" A newer version of the sums has changed {count} verdicts.", count=len(self.by_sums))
        return told


def verdicts_again(logbook: Logbook) -> VerdictsAgain:
    """Of everything that was measured, rehearsals left out; one verdict after the other of the same unit by the same method."""
    judged = []
    for run, name in logbook.runs(limit=-1):
        if run.unit_id is None or run.state == "running" or is_rehearsal(logbook, run):
            continue
        summary = summary_of(logbook, run)
        if summary is not None and summary.verdict:
            judged.append(Judged(run, name, summary))
    judged.sort(key=lambda one: (one.run.unit_id, one.run.method, one.run.started, one.run.id))
    pairs = []
    for _, those in groupby(judged, key=lambda one: (one.run.unit_id, one.run.method)):
        settled = [one for one in those if one.summary.verdict != CANNOT_TELL]
        pairs += [Again(before, after, _apart(before.summary, after.summary)) for before, after in pairwise(settled)]
    pairs.sort(key=lambda pair: pair.after.run.started, reverse=True)
    return VerdictsAgain(tuple(pairs), tuple(one for one in judged if one.summary.was))


def _apart(before: Summary, after: Summary) -> float | None:
    """\\|difference\\| ÷ √(U₁² + U₂²) of their capacities; None where one has none, or no ±."""
    if before.bar is None or after.bar is None or not before.bar[1] or not after.bar[1]:
        return None
    return float(abs(after.bar[0] - before.bar[0]) / (before.bar[1] ** 2 + after.bar[1] ** 2) ** 0.5)


def again_to_json(found: VerdictsAgain) -> dict[str, Any]:
    """For the command line."""
    return {
        "schema": 1,
        "sentence": found.sentence(),
        "pairs": [
            {
                "unit": pair.before.unit,
                "method": pair.before.run.method,
                "before": {"run": pair.before.run.id, "day": pair.before.day, "verdict": pair.before.summary.verdict},
                "after": {"run": pair.after.run.id, "day": pair.after.day, "verdict": pair.after.summary.verdict},
                "days": round(pair.days, 2),
                "apart": pair.apart,
            }
            for pair in found.pairs
        ],
        "by_sums": [
            {"run": one.run.id, "unit": one.unit, "day": one.day, "was": one.summary.was, "verdict": one.summary.verdict}
            for one in found.by_sums
        ],
    }


def unit_and_method(pair: Again) -> str:
    """``Dome pack A, Discharge``"""
    return f"{pair.before.unit}, {title_of(pair.before.run.method)}"
