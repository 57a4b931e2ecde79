"""In what order a shelf is shown, and what a search finds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ubrant.core.equipment.unit import KINDS, Unit
from ubrant.core.wording import say, words
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, Summary
from ubrant.methods.registry import title_of
from ubrant.runs.kept.naming import is_about_its_unit

BY_KIND, BY_NAME, BY_DATE, BY_VERDICT = "kind", "name", "date", "verdict"
ORDERS = ((words("by kind"), BY_KIND), (words("by name"), BY_NAME), (words("tested last"), BY_DATE), (words("by verdict"), BY_VERDICT))
TESTED, NOT_TESTED = "tested", "not tested"
_GROUPS = {
    "battery": words("Batteries"),
    "bank": words("Banks"),
    "station": words("Stations"),
    "converter": words("Converters"),
    "inverter": words("Inverters"),
    "charger": words("Chargers"),
    "load": words("Loads"),
    "source": words("Panels and other sources"),
    "lead": words("Leads, fuses, breakers"),
}
_WORST_FIRST = ("spent", "below", "cannot tell", "not like for like", "meets", "")


_LOOKED_AT = 200


def newest_of(logbook: Logbook, unit_id: int) -> Run | None:
    """The newest run of a unit that has ended and says something of it."""
    runs = (run for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit_id))
    return next((run for run in runs if run.state != "running" and is_about_its_unit(run)), None)


@dataclass(frozen=True)
class OnShelf:
    """A unit with its newest run and the little that is known of that, and all of its runs for a search."""

    unit: Unit
    newest: Run | None = None
    summary: Summary | None = None
    runs: Sequence[Run] = field(default=())

    @property
    def verdict(self) -> str:
        return self.summary.verdict if self.summary is not None else ""

    def fits(self, sought: str) -> bool:
        """Whether each word is somewhere in its name, kind, label, note, verdict, tags, serial number, or in the methods and dates of its runs."""
        unit = self.unit
        told = [unit.name, unit.kind, unit.label_text, unit.note, self.verdict, TESTED if self.runs else NOT_TESTED]
        told += [unit.facts.serial, unit.facts.connectors, *(f"#{tag}" for tag in unit.facts.tags)]
        if self.summary is not None:
            told.append(self.summary.sentence)
        told += [f"{title_of(run.method)} {run.started[:10]} {run.source}" for run in self.runs]
        whole = " ".join(told).lower()
        return all(word in whole for word in sought.lower().split())

    def is_of(self, group: str) -> bool:
        """Whether it belongs to a kind, bears a tag (``#blower``), or was tested, or was not; an empty group is everything."""
        return group in {"", self.unit.kind, TESTED if self.runs else NOT_TESTED, *(f"#{tag}" for tag in self.unit.facts.tags)}


def arranged(shelf: Sequence[OnShelf], order: str) -> list[tuple[str, list[OnShelf]]]:
    """(heading, what stands under it), in this order; one group without a heading where it is not by kind or verdict."""
    by_name = sorted(shelf, key=lambda one: one.unit.name.lower())
    if order == BY_NAME:
        return [("", by_name)]
    if order == BY_DATE:
        return [("", sorted(by_name, key=lambda one: one.newest.started if one.newest is not None else "", reverse=True))]
    if order == BY_VERDICT:
        groups = [(word or say("no verdict"), [one for one in by_name if one.verdict == word]) for word in _WORST_FIRST]
    else:
        groups = [(say(_GROUPS[kind]), [one for one in shelf if one.unit.kind == kind]) for kind in KINDS]
        groups.append((say("Others"), [one for one in shelf if one.unit.kind not in KINDS]))
    return [(heading, those) for heading, those in groups if those]
