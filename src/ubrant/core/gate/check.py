"""A check: what it looks at, what follows where it fails, and why."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass, replace
from typing import Generic, TypeVar

from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import Conditions
from ubrant.core.record.mend import Mend
from ubrant.core.wording import say

COMPLETE, PLAUSIBLE = "complete", "plausible"
"""What a check asks: is all of it there for this question, can it be so? Whether it is what the verdict assumes is asked by the verdict itself."""

REFUSES, DECIDES_NOTHING, AT_LEAST = "refuses", "decides nothing", "at least"
"""What follows where it fails, the strongest first: no figure at all; figures, but no verdict; a verdict only where less would do."""

ASK_FOR_FULL = frozenset({"full", "begins loaded"})
"""Keys of the checks that are answered by saying that it was full."""

Facts = TypeVar("Facts")
Look = Callable[[Facts], "tuple[str, str] | None"]
"""What speaks against the facts, as the rest of a sentence (*it was charged in between*), and what to do about it; None where nothing does."""


@dataclass(frozen=True)
class Check(Generic[Facts]):
    """One row of a gate's table.

    Attributes
    ----------
    key : by which a person says that it was looked at
    about : COMPLETE or PLAUSIBLE
    effect : REFUSES, DECIDES_NOTHING or AT_LEAST
    reason : why it is made, with its source
    asks : true things may fail it too: a person who has looked can say so, and it is passed over
    """

    key: str
    about: str
    effect: str
    reason: str
    look: Look[Facts]
    asks: bool = False


@dataclass(frozen=True)
class Objection:
    """A check that failed."""

    key: str
    effect: str
    sentence: str
    remedy: str
    asks: bool = False

    def whole(self) -> str:
        """As a sentence of its own."""
        stop = "" if self.sentence.endswith("?") else "."
        return f"{self.sentence[0].upper()}{self.sentence[1:]}{stop} {self.remedy}".strip()


@dataclass(frozen=True)
class Question:
    """What only a person knows, and what a yes does to the conditions: a check that was looked at, or that it was full.

    Attributes
    ----------
    yes : as a button says it
    full : it was full at the start
    checked : key of the check
    text : what is asked, in a sentence, where nothing else that is shown says it
    mend : what a reading should be, where one slip explains it
    """

    yes: str
    full: bool = False
    checked: str = ""
    text: str = ""
    mend: Mend | None = None

    @property
    def flag(self) -> str:
        """The same yes on the command line."""
        return "--full" if self.full else f"--checked {self.checked}"

    def answered(self, conditions: Conditions) -> Conditions:
        """The conditions once it was answered with yes."""
        if self.full:
            return replace(conditions, full=True)
        return replace(conditions, checked=tuple(sorted({*conditions.checked, self.checked})))


def objections(checks: Iterable[Check[Facts]], facts: Facts, checked: Collection[str] = ()) -> tuple[Objection, ...]:
    """What speaks against it, in the order of the table, without what a person has looked at."""
    found = []
    for check in checks:
        if check.asks and check.key in checked:
            continue
        if said := check.look(facts):
            found.append(Objection(check.key, check.effect, *said, asks=check.asks))
    return tuple(found)


def refuse(found: Iterable[Objection]) -> None:
    """Stop where one of them allows no figure at all.

    Raises
    ------
    ReadingsError
        Says what speaks against it and what to do.
    """
    for objection in found:
        if objection.effect == REFUSES:
            raise ReadingsError(say("{whole}", whole=objection.whole()))


def questions(found: Iterable[Objection]) -> tuple[Question, ...]:
    """What a person can answer of it."""
    asked: list[Question] = []
    for objection in found:
        if objection.asks:
            asked.append(Question(say("It is so"), checked=objection.key))
        elif objection.key in ASK_FOR_FULL:
            asked.append(Question(say("It was full"), full=True))
    return tuple(dict.fromkeys(asked))[:2]


def if_it_is_so() -> str:
    """How a person says that a check was looked at and things are as they were read."""
    return say(" If it is as it was read, say so: “It is so”.")
