"""Bring what another logbook holds into this one: its units, meters, runs with all that was read and said, and pictures."""

from __future__ import annotations

import contextlib
import sqlite3
import tempfile
from dataclasses import dataclass, field, replace
from pathlib import Path

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Setup
from ubrant.core.wording import say
from ubrant.logbook.file import LogbookError, back_up
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run


@dataclass
class BroughtIn:
    """What came, by the ids it has here; what was there before is not in it.

    Attributes
    ----------
    same : units that were recognised; had : runs that were here already; damaged, going_on : runs that were left out for it
    outlooks : how many stay where they are, since they speak of that logbook's runs by number
    """

    units: list[int] = field(default_factory=list)
    meters: list[int] = field(default_factory=list)
    runs: list[int] = field(default_factory=list)
    photos: list[int] = field(default_factory=list)
    same: int = 0
    had: int = 0
    damaged: int = 0
    going_on: int = 0
    outlooks: int = 0

    def sentence(self, name: str) -> str:
        """What came and what did not, as one would say it."""
        runs = _count(len(self.runs), say("One run"), say("{n} runs"))
        units = _count(len(self.units), say("one unit"), say("{n} units"))
        parts = [say("{runs} and {units} came in from {name}", runs=runs, units=units, name=name)]
        parts += [_count(self.same, say("one unit was here"), say("{n} units were here"))] if self.same else []
        parts += [_count(self.had, say("one run was here already"), say("{n} runs were here already"))] if self.had else []
        parts += [_count(self.damaged, say("one damaged run was left out"), say("{n} damaged runs were left out"))] if self.damaged else []
        parts += (
            [_count(self.going_on, say("one run is still going on there"), say("{n} runs are still going on there"))]
            if self.going_on
            else []
        )
        parts += [_count(self.outlooks, say("its outlook stays there"), say("its {n} outlooks stay there"))] if self.outlooks else []
        return "; ".join(parts) + "."


def bring_in(logbook: Logbook, path: Path) -> BroughtIn:
    """All of another logbook that is not here yet, or nothing; the other file is left as it is.

    Raises
    ------
    LogbookError
        It is none, cannot be read, or this one cannot be written.
    """
    if path.exists() and path.samefile(logbook.path):
        raise LogbookError(say("{name} is this logbook itself: choose another one.", name=path.name))
    with tempfile.TemporaryDirectory() as place:
        copy = Path(place) / path.name
        going_on = _copy(path, copy)
        with contextlib.closing(Logbook(copy)) as other, logbook.together():
            return _Merge(logbook, other, path.stem, going_on).done()


def take_out(logbook: Logbook, came: BroughtIn) -> None:
    """All of what was brought in, out again."""
    with logbook.together():
        for run_id in came.runs:
            logbook.delete_run(run_id)
        for photo_id in came.photos:
            logbook.remove_photo(photo_id)
        for unit_id in came.units:
            logbook.remove_unit(unit_id)
        for meter_id in came.meters:
            logbook.remove_meter(meter_id)


def _copy(path: Path, into: Path) -> set[int]:
    """The file copied; which of its runs are going on there."""
    if not path.is_file():
        raise LogbookError(say("{name} is not there: choose a logbook (.ubrant).", name=path.name))
    try:
        with contextlib.closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as source:
            back_up(source, into)
            has_runs = source.execute("SELECT 1 FROM sqlite_master WHERE name = 'run'").fetchone()
            return {row[0] for row in source.execute("SELECT id FROM run WHERE state = 'running'")} if has_runs else set()
    except (sqlite3.Error, OSError) as error:
        raise LogbookError(say("{name} cannot be read ({error}): nothing was brought in.", name=path.name, error=error)) from None


class _Merge:
    """One logbook going into another."""

    def __init__(self, into: Logbook, other: Logbook, name: str, going_on: set[int]) -> None:
        self._into, self._other, self._name, self._going_on = into, other, name, going_on
        self._before = into.units()
        self._came = BroughtIn(outlooks=len(other.outlooks()))
        self._here = {_key(into, run, run.unit_id) for run in (*(r for r, _ in into.runs(limit=-1)), *(r for r, _, _ in into.thrown()))}
        self._units: dict[int, Unit] = {}
        self._sound = {table: other.sound(table) for table in ("unit", "meter")}

    def done(self) -> BroughtIn:
        runs = [run for run, _ in reversed(self._other.runs(limit=-1)) if run.id not in self._going_on]
        self._came.going_on = len(self._going_on)
        for unit in self._other.units():
            self._unit(unit)
        for run in runs:  # of things that were taken off the shelf there
            if run.unit_id and run.unit_id not in self._units:
                self._unit(self._other.unit(run.unit_id))
        self._meters()
        numbers: dict[int, int] = {}
        for run in runs:
            owner = self._units.get(run.unit_id or 0)
            if _key(self._other, run, owner.id if owner is not None else None) in self._here:
                self._came.had += 1
            elif (kept := self._run(run)) is not None:
                numbers[run.id] = kept.id
        for old, new in numbers.items():
            series = self._other.run(old).head.origin.series
            if series in numbers:
                run = self._into.run(new)
                self._into.update_run(replace(run, told=replace(run.head, origin=replace(run.head.origin, series=numbers[series]))))
        return self._came

    def _unit(self, unit: Unit) -> None:
        """The same one here, or a new one; a name that something else has already says where it comes from."""
        unit = unit if unit.id in self._sound["unit"] else replace(unit, name=say("{name} (damaged)", name=unit.name))
        here = self._into.units()
        renamed = self._from_there(unit.name)
        asked = (unit, replace(unit, name=renamed))  # by its name, else by the one it was given when it came before
        same = next((u for it in asked for u in self._before if is_same(u, it)), None)
        if same is not None:
            self._before.remove(same)  # two alike there are two here
            self._came.same += 1
        else:
            name = unit.name if all(u.name != unit.name for u in here) else renamed
            same = self._into.keep_unit(replace(unit, id=0, name=name))
            self._came.units.append(same.id)
        self._units[unit.id] = same
        there = {photo.id for photo in self._into.photos(same.id)}
        kept = [self._into.keep_photo(replace(photo, unit_id=same.id, id=0)).id for photo in self._other.photos(unit.id)]
        self._came.photos += [photo_id for photo_id in kept if photo_id not in there]

    def _from_there(self, name: str) -> str:
        return say("{name} (from {logbook})", name=name, logbook=self._name)

    def _meters(self) -> None:
        for meter in self._other.meters():
            meter = meter if meter.id in self._sound["meter"] else replace(meter, name=say("{name} (damaged)", name=meter.name))
            here, renamed = self._into.meters(), self._from_there(meter.name)
            if any(_alike(m) == replace(_alike(meter), name=name) for m in here for name in (meter.name, renamed)):
                continue
            name = renamed if any(m.name == meter.name for m in here) else meter.name
            self._came.meters.append(self._into.keep_meter(replace(_alike(meter), name=name)).id)

    def _run(self, run: Run) -> Run | None:
        whole = self._other.kept(run)
        if whole.damage:
            self._came.damaged += 1
            return None
        unit = self._units.get(run.unit_id or 0)
        head = replace(run.head, setup=self._setup(run.head.setup))
        kept = self._into.keep_import(replace(whole, run=replace(run, id=0, told=head, unit_id=unit.id if unit is not None else None)))
        if kept.head.conditions != head.conditions:  # the room that was said here was not the one there
            kept = replace(kept, told=replace(kept.head, conditions=head.conditions))
            self._into.update_run(kept)
        self._came.runs.append(kept.id)
        for photo in self._other.photos(run_id=run.id):
            self._into.keep_photo(replace(photo, run_id=kept.id, id=0))
        for stated, version, findings in self._other.statements(run.id):
            self._into.keep_said(kept.id, stated, version, findings)
        return kept

    def _setup(self, setup: Setup) -> Setup:
        """With the numbers that its things have here."""
        unit, battery, device = (
            replace(one, id=self._units[one.id].id if one.id in self._units else 0) if one is not None else None
            for one in (setup.unit, setup.battery, setup.device)
        )
        assert unit is not None
        return replace(setup, unit=unit, battery=battery, device=device)


def is_same(one: Unit, other: Unit) -> bool:
    """Whether two entries are one thing: by serial number where both have one, else by name, kind and label."""
    serials = one.facts.serial.strip().lower(), other.facts.serial.strip().lower()
    if all(serials):
        return one.kind == other.kind and serials[0] == serials[1]
    return (one.name, one.kind, one.label_text) == (other.name, other.kind, other.label_text)


def _key(book: Logbook, run: Run, unit_id: int | None) -> tuple[object, ...]:
    """What makes two runs of one unit the same one; what can be changed afterwards is not in it."""
    return unit_id, run.started, run.source, *book.told_by(run.id)


def _count(n: int, one: str, several: str) -> str:
    return one if n == 1 else several.format(n=n)


def _alike(meter: Meter) -> Meter:
    """A meter without what only its own logbook knows: its number, and the runs it was checked in."""
    return replace(meter, id=0, details=replace(meter.details, checks=tuple(replace(check, run=0) for check in meter.details.checks)))
