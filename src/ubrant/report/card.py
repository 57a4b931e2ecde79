"""The answer of a run on a card: what is said, the few answers with their ±, under what conditions, and the working. For a letter, a forum, a lid."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.account import Account
from ubrant.core.guess import beside
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.records import Run
from ubrant.report.document import conditions_of, started_at

_ON_A_CARD = ("Cut-off", "Battery's temperature", "Ended by", "On the battery", "Leads")
"""Conditions that change the answer; the meters come with them."""


@dataclass(frozen=True)
class CardLine:
    """One line of a card: ``Charge``, ``48.87 Ah``, ``± 0.29``, the sum."""

    name: str
    value: str
    uncertainty: str
    working: str


@dataclass(frozen=True)
class Card:
    """A heading, a sentence, the answers, and (title, words) of the conditions."""

    heading: str
    sentence: str
    answers: tuple[CardLine, ...]
    conditions: tuple[tuple[str, str], ...]

    def text(self) -> str:
        """All of it as plain text, a line each."""
        answers = [
            line
            for a in self.answers
            for line in (f"{a.name}: {a.value} {a.uncertainty}".rstrip(), *([f"    {a.working}"] if a.working else []))
        ]
        conditions = [f"{title}: {words}" for title, words in self.conditions]
        return "\n".join(line for line in (self.heading, self.sentence, *answers, *conditions) if line)


def card_of(run: Run, record: Record, account: Account, name: str) -> Card:
    """The card of a run: its answers where its method names some, else the first findings."""
    keys = [k for k in account.answers if k in account.findings] or list(account.findings)
    shown = [account.findings[key].for_people() for key in keys if account.findings[key].value is not None][:_MOST]
    conditions = [
        (title, words) for title, words in conditions_of(run, record, account) if title.startswith("Meter") or title in _ON_A_CARD
    ]
    if run.label_text:
        conditions.insert(0, ("Label", run.label_text))
    if guess := beside(run.head.conditions.guess, account):
        conditions.append(("Before", guess))
    rehearsed = f" · {run.source}" if record.head.origin.road == SIMULATED else ""  # it must never pass for a measurement
    heading = f"{name}, {started_at(run):%-d %B %Y}{rehearsed}"
    by_title = dict(conditions)  # the plan's cut-off, and the one it is judged to: the latter
    return Card(heading, account.sentence or account.trouble, tuple(map(_answer, shown)), tuple(by_title.items()))


_MOST = 8


def _answer(found: Finding) -> CardLine:
    """With the last line of its arithmetic that is a sum."""
    sums = [line for line in found.arithmetic if " = " in line]
    return CardLine(found.name, found.value_text(), found.uncertainty_text(), sums[-1] if sums else found.working)
