"""Days at the bench as they are lived: made, kept, filled by runs, moved where somebody or something was late."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from ubrant.core.planning.schedule import planned, replanned
from ubrant.core.planning.steps import BY_ITSELF, REST, TEST, BenchDays, BenchPlan, Placed, PlanError
from ubrant.core.planning.visits import BEGIN, STOP, Visit, visits_of
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredDays
from ubrant.runs.bench_days.asked import DaysPart, TestPart, days_toml, moment_said, parse_days
from ubrant.runs.bench_days.picked import Picked, Shelf, bench_of, picked_tests, test_key
from ubrant.runs.kept.accounts import account_of, summary_of
from ubrant.runs.kept.answer_sheet import is_rehearsed

_LOOKED_AT, _BEFORE_S = 40, 1800.0
_OVERDUE_S = 900.0
"""By so much a visit may be missed before the plan moves."""
_VERSION = 1


@dataclass(frozen=True)
class Days:
    """A plan with all that it is of.

    Attributes
    ----------
    begins : when its first step could begin
    gives : where not everything can be held, what might give, the cheapest first
    id : in the logbook; 0 while it is not kept
    """

    part: DaysPart
    picked: tuple[Picked, ...]
    bench: BenchDays
    plan: BenchPlan
    begins: datetime
    gives: tuple[str, ...] = ()
    id: int = 0

    @property
    def name(self) -> str:
        return self.part.name or say("Days at the bench")

    @property
    def remarks(self) -> list[str]:
        """What was taken for granted."""
        return [text for one in self.picked for text in one.remarks]

    def visits(self) -> list[Visit]:
        """When one has to be there."""
        return visits_of(self.bench, self.plan)

    def test_of(self, key: str) -> Picked:
        """The test that a step is of."""
        return next(one for one in self.picked if key.startswith(f"{one.key} "))

    @property
    def is_over(self) -> bool:
        return bool(self.plan.placed) and all(one.ended for one in self.plan.placed.values())


def shelf_of(logbook: Logbook) -> Shelf:
    """What a logbook's shelf has for a plan, and how long its tests took before."""

    def lasted(unit: Any, method: str) -> float | None:
        for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
            if run.method == method and run.state == "done" and _came_to_its_end(logbook, run) and (took := _took(logbook, run)):
                return took
        return None

    return Shelf(logbook.units(), logbook.meters(), lasted)


def _came_to_its_end(logbook: Logbook, run: Run) -> bool:
    """What was stopped half way does not say how long it takes."""
    summary = summary_of(logbook, run)
    return summary is not None and (summary.energy is None or summary.energy[2])


def _took(logbook: Logbook, run: Run) -> float | None:
    _, account = account_of(logbook, run)
    found = account.findings.get("duration")
    if found is not None and found.value:
        return found.value
    return account.span[1] if account.span is not None and account.span[1] > 0 else None


def plan_days(part: DaysPart, shelf: Shelf, now: datetime, before: Days | None = None) -> Days:
    """The plan that is asked for.

    Parameters
    ----------
    before : the plan whose place it takes: what of it has begun stays as it is

    Raises
    ------
    PlanError
        It cannot be planned; says what is lacking, or what must not be.
    """
    part = part.model_copy(update={"test": [test for test in part.test if not test.left_out]})
    begins = moment_said(part.begins, now, say("Begins")) if part.begins.strip() else now
    picked = picked_tests(part, shelf, begins)
    fixed = _still_begun(before, picked) if before is not None else []
    if begins < now - timedelta(seconds=_BEFORE_S) and not fixed:
        raise PlanError(say("{moment} has passed: say when it begins, like “Sat 18:00”.", moment=f"{begins:%-d %b, %H:%M}"))
    bench = bench_of(part, picked, begins, now)
    plan = planned(bench, fixed)
    if plan is None:
        raise PlanError(_no_hours(bench, picked))
    kept = part.model_copy(update={"begins": begins.strftime("%Y-%m-%d %H:%M")})
    return Days(kept, tuple(picked), bench, plan, begins, _gives(bench, picked, plan), before.id if before is not None else 0)


def _still_begun(before: Days, picked: Sequence[Picked]) -> list[Placed]:
    """What has begun of tests that are asked for again, under the names they have now."""
    left, found = list(before.picked), []
    for one in picked:
        old = next((o for o in left if (o.unit.id, o.entry.key) == (one.unit.id, one.entry.key)), None)
        if old is None:
            continue
        left.remove(old)
        for step in one.steps:
            placed = before.plan.placed.get(f"{old.key}{step.key.removeprefix(one.key)}")
            if placed is not None and placed.begun:
                found.append(replace(placed, key=step.key))
    return found


def _no_hours(bench: BenchDays, picked: Sequence[Picked]) -> str:
    """Why there are no hours for it: what is longest alone while somebody has to be there."""
    longest = max((span.seconds for span in bench.here), default=0.0)
    for one in picked:
        for step in one.steps:
            if not step.alone and step.seconds > longest:
                return say(
                    "{name} takes {h} h while somebody is there, and nobody is there for so long: let something switch it off by itself, or stay longer.",
                    name=one.unit.name,
                    h=round(step.seconds / 3600, 1),
                )
    return say("There are not hours enough for all of it in two weeks: leave a test out, or be there more.")


def _gives(bench: BenchDays, picked: Sequence[Picked], plan: BenchPlan) -> tuple[str, ...]:
    """What must give where something is late: later by so much, or which test left out lets the rest be in time; empty where nothing is."""
    late_keys = dict(plan.late)
    if not late_keys:
        return ()
    most = max(late_keys.values())
    names = ", ".join(dict.fromkeys(bench.step(key).unit for key in late_keys))
    said = [say("{names} cannot be done in time: {time} later.", names=names, time=_hours(most))]
    options: list[tuple[float, str]] = []
    for one in picked:
        left = BenchDays(tuple(s for s in bench.steps if s.test != one.key), bench.here, bench.begins, bench.socket_w)
        other = planned(left, tries=60) if left.steps else None
        if other is not None and not other.late:
            options.append((sum(step.seconds for step in one.steps), say("Leave out {name}, and the rest is in time.", name=one.unit.name)))
    said += [text for _, text in sorted(options)]
    said.append(say("Or say a later moment for it; a second charger or load may do, too."))
    return tuple(said)


def _hours(seconds: float) -> str:
    return say("{h} h", h=max(round(seconds / 3600 * 2) / 2, 0.5))


# living


def begun_visit(days: Days, visit: Visit, now: datetime) -> Days:
    """What there was to do at a visit is done, now."""
    moment, placed = now.timestamp(), dict(days.plan.placed)
    for deed in visit.deeds:
        one = placed[deed.step.key]
        if deed.what == BEGIN and not one.begun:
            whole = deed.step.begins_s >= deed.step.seconds  # a test by eye is over when one says that it is done
            start = min(one.start, moment - 60) if whole else moment
            _begin(days, placed, replace(one, start=start, end=moment if whole else moment + deed.step.seconds, begun=True, ended=whole))
        elif deed.what == STOP and not one.ended:
            placed[one.key] = replace(one, end=moment, begun=True, ended=True)
    return lived(replace(days, plan=days.bench.plan_of(placed)), (), now)


def _begin(days: Days, placed: dict[str, Placed], begun: Placed) -> None:
    """It has begun: so all that it had to wait for is over, and whatever its unit and its tools did before."""
    step = days.bench.step(begun.key)
    waited, ahead = set(), list(step.after)
    while ahead:
        if (key := ahead.pop()) in placed and key not in waited:
            waited.add(key)
            ahead += days.bench.step(key).after
    for key, one in list(placed.items()):
        same = days.bench.step(key).unit == step.unit or bool(set(one.tools) & set(begun.tools))
        if key != begun.key and not one.ended and (key in waited or (one.begun and same)):
            start = min(one.start, begun.start) if one.begun else begun.start
            placed[key] = replace(one, start=start, end=max(min(one.end, begun.start), start), begun=True, ended=True)
    placed[begun.key] = begun


def going_on(days: Days) -> list[str]:
    """Steps that have begun and end by themselves, and of which nobody has said that they ended."""
    return [
        key
        for key, one in days.plan.placed.items()
        if one.begun and not one.ended and (step := days.bench.step(key)).ends == BY_ITSELF and step.kind != REST
    ]


def ended_step(days: Days, key: str, now: datetime) -> Days:
    """A step that ended by itself, earlier or later than was thought."""
    placed = {**days.plan.placed, key: replace(days.plan.placed[key], end=now.timestamp(), begun=True, ended=True)}
    return lived(replace(days, plan=days.bench.plan_of(placed)), (), now)


def without_test(days: Days, key: str, now: datetime) -> Days:
    """Without one test, as where its unit failed."""
    left = tuple(one for one in days.picked if one.key != key)
    if not left:
        raise PlanError(say("It is the only one: plan another, or leave it."))
    tests = [test.model_copy(update={"left_out": test.left_out or key == test_key(n)}) for n, test in enumerate(days.part.test, start=1)]
    part = days.part.model_copy(update={"test": tests})
    bench = replace(days.bench, steps=tuple(step for step in days.bench.steps if step.test != key))
    plan = bench.plan_of({k: one for k, one in days.plan.placed.items() if days.bench.step(k).test != key})
    return lived(replace(days, part=part, picked=left, bench=bench, plan=plan), (), now)


def lived(days: Days, runs: Iterable[tuple[Run, float | None]], now: datetime) -> Days:
    """The plan as it is now: what runs have begun and ended, what was to be over by now, and the rest moved where it has to be.

    What is overdue stays where it is for a quarter of an hour: a plan that moved by the minute could not be read.

    Parameters
    ----------
    runs : that were made since, with how long each took; None for one that goes on
    """
    days = replace(days, bench=bench_of(days.part, days.picked, days.begins, now))
    moment, placed = now.timestamp(), dict(days.plan.placed)
    for run, took in runs:
        if (key := _step_of(days, run, placed)) is not None:
            start = datetime.fromisoformat(run.started).timestamp()
            end = start + took if took is not None else max(start + days.bench.step(key).seconds, moment)
            _begin(days, placed, replace(placed[key], start=start, end=end, begun=True, ended=took is not None))
    for key, one in list(placed.items()):
        step = days.bench.step(key)
        if not one.begun or one.ended or one.end > moment:
            continue
        if step.ends == BY_ITSELF and step.kind != TEST:
            placed[key] = replace(one, ended=True)
        elif one.end < moment - _OVERDUE_S:  # it goes on until somebody says that it ended
            placed[key] = replace(one, end=moment)
    for key, one in list(placed.items()):  # a rest begins with the end of the charge, and nobody has to be there
        step = days.bench.step(key)
        before = [placed[k] for k in step.after if k in placed]
        if step.kind == REST and not one.begun and before and all(b.ended for b in before):
            start = max(b.end for b in before)
            placed[key] = replace(one, start=start, end=start + step.seconds, begun=True, ended=start + step.seconds <= moment)
    plan = days.bench.plan_of(placed)
    waiting = [key for key, one in placed.items() if not one.begun]
    if not all(_stands(days, placed, key, moment) for key in waiting):
        moved = replanned(days.bench, plan, [one for one in placed.values() if one.begun])
        if moved is None:
            raise PlanError(say("There are no hours left for the rest: plan anew."))
        plan = moved
    was_late = {key for key, _ in days.plan.late}
    gives = days.gives if was_late == {key for key, _ in plan.late} else _gives(days.bench, days.picked, plan)
    return replace(days, plan=plan, gives=gives)


def _stands(days: Days, placed: dict[str, Placed], key: str, moment: float) -> bool:
    """Whether what has not begun may stay where it is."""
    one, step = placed[key], days.bench.step(key)
    if one.start < moment - _OVERDUE_S:
        return False
    if any(placed[k].end > one.start + 60 for k in step.after if k in placed):
        return False
    others = [(days.bench.step(k), p) for k, p in placed.items() if k != key and p.begun and not p.ended]
    return not any(p.end > one.start + 60 and (set(p.tools) & set(one.tools) or s.unit == step.unit) for s, p in others)


def _step_of(days: Days, run: Run, placed: dict[str, Placed]) -> str | None:
    """The step that a run is of: the first test of its unit and method that is not over."""
    return next(
        (
            key
            for one in days.picked
            if (one.unit.id, one.entry.key) == (run.unit_id, run.method) and (key := f"{one.key} test") in placed and not placed[key].ended
        ),
        None,
    )


def runs_since(logbook: Logbook, days: Days, *, rehearsed: bool = False) -> list[tuple[Run, float | None]]:
    """Runs that tests of a plan wait for, made since it begins, the oldest first; what the plan knows of is not looked at again.

    Parameters
    ----------
    rehearsed : a rehearsal of a real thing counts as well, which else is none of its runs
    """
    waiting = [one for one in days.picked if (test := days.plan.placed.get(f"{one.key} test")) is not None and not test.ended]
    units, tests = {one.unit.id: one.unit for one in waiting}, {(one.unit.id, one.entry.key) for one in waiting}
    known = {round(one.start) for one in days.plan.placed.values() if one.ended}
    since = days.begins.timestamp() - _BEFORE_S
    found = [
        run
        for number, unit in units.items()
        for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=number)
        if (run.unit_id, run.method) in tests and (rehearsed or not is_rehearsed(run, unit))
        if (start := datetime.fromisoformat(run.started).timestamp()) >= since and round(start) not in known
    ]
    return [(run, None if run.state == "running" else _took(logbook, run) or 0.0) for run in sorted(found, key=lambda r: r.started)]


# keeping


def stored_of(days: Days, now: datetime) -> StoredDays:
    """As a logbook keeps it."""
    placed = {
        key: {"start": one.start, "end": one.end, "tools": list(one.tools), "begun": one.begun, "ended": one.ended}
        for key, one in days.plan.placed.items()
    }
    return StoredDays(
        days.name,
        now.astimezone(UTC).isoformat(timespec="seconds"),
        days_toml(days.part),
        json.dumps({"v": _VERSION, "placed": placed}),
        days.id,
    )


def days_of(stored: StoredDays, shelf: Shelf, now: datetime) -> Days:
    """As it was kept; a test that cannot be planned any more is left out, and ``gives`` says why.

    Raises
    ------
    PlanError
        Nothing is left of it, or what was kept cannot be read.
    """
    part, troubles = parse_days(stored.told, stored.name), list[str]()
    begins = moment_said(part.begins, now, say("Begins"))
    picked = picked_tests(part, shelf, begins, troubles)
    unreadable = PlanError(say("{name} cannot be read any more: plan anew.", name=stored.name))
    try:
        told = json.loads(stored.placed)
        placed = {
            key: Placed(key, float(one["start"]), float(one["end"]), tuple(one["tools"]), bool(one["begun"]), bool(one["ended"]))
            for key, one in told["placed"].items()
        }
    except (ValueError, KeyError, TypeError):
        raise unreadable from None
    if not all(math.isfinite(one.start) and math.isfinite(one.end) for one in placed.values()):
        raise unreadable
    picked = [replace(one, steps=tuple(s for s in one.steps if s.key in placed)) for one in picked]
    picked = [one for one in picked if one.steps]
    bench = bench_of(part, picked, begins, now)
    known = {step.key for step in bench.steps}
    plan = bench.plan_of({key: one for key, one in placed.items() if key in known})
    return Days(part, tuple(picked), bench, plan, begins, tuple(troubles), stored.id)


def current_days(logbook: Logbook, now: datetime) -> Days | None:
    """The newest plan of a logbook as it stands now; None where nothing is planned.

    Raises
    ------
    PlanError
        It cannot be gone on with; says why.
    """
    stored = next(iter(logbook.bench_days()), None)
    if stored is None:
        return None
    days = days_of(stored, shelf_of(logbook), now)
    return lived(days, runs_since(logbook, days), now)


def asked_again(part: DaysPart, *, add: TestPart | None = None, drop: int | None = None) -> DaysPart:
    """With one test more, or without one (its number from 1)."""
    tests = [test for number, test in enumerate(part.test, start=1) if number != drop]
    return part.model_copy(update={"test": [*tests, *([add] if add is not None else [])]})
