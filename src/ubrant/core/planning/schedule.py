"""A plan by a serial schedule: step after step, each as early as its tools, its unit and the person allow; then improved by other orders.

The serial schedule generation scheme makes active schedules, among which a shortest one lies (Kolisch 1996, *European Journal of Operational Research* 90);
orders, and which of several tools a step waits for, are improved by simulated annealing. The same bench makes the same plan.
"""

from __future__ import annotations

import math
import random
from bisect import bisect_right, insort
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice

from ubrant.core.planning.steps import BY_HAND, BY_ITSELF, WHEN_SEEN, BenchDays, BenchPlan, BenchStep, Placed, Span

TRIES = 1200
"""Orders that are tried, and fewer where there are many steps."""
_MOST_PLACED = 32_000
"""Steps that are placed in all of them: what a person waits two seconds for."""
_WARM_S = 1200.0
"""By so much a later plan may be gone on from at first."""
_MOST_AT_ONCE, _MOST_MOVES, _MOST_TOGETHER = 12, 4000, 60
_AFTER_ALL_S = 45 * 86_400.0


class _Busy:
    """When one thing is taken: (start, end) in order."""

    __slots__ = ("spans",)

    def __init__(self) -> None:
        self.spans: list[tuple[float, float]] = []

    def take(self, start: float, end: float) -> None:
        if end > start:
            insort(self.spans, (start, end))

    def free_from(self, start: float, seconds: float) -> float:
        """The first moment from ``start`` on at which it is free for so long."""
        spans = self.spans
        place = bisect_right(spans, (start, math.inf))
        if place and spans[place - 1][1] > start + 1e-6:
            start = spans[place - 1][1]
        for begins, ends in islice(spans, place, None):
            if begins >= start + seconds - 1e-6:
                break
            start = max(start, ends)
        return start


@dataclass(frozen=True)
class _Try:
    start: float
    end: float
    tools: tuple[str, ...]


class _Bench:
    """A bench while it is being filled."""

    def __init__(self, days: BenchDays, only: Mapping[str, str]) -> None:
        self.days, self.only = days, only
        self.tools: dict[str, _Busy] = {}
        self.units: dict[str, _Busy] = {}
        self.person = _Busy()
        self.watts: list[tuple[float, float, float]] = []
        self.placed: dict[str, Placed] = {}
        self._opens = [span.start for span in days.here]
        self.wanted: dict[str, float] = {}
        for step in days.steps:
            for group in step.tools:
                for tool in group:
                    self.wanted[tool] = self.wanted.get(tool, 0.0) + step.seconds / len(group) ** 2

    def put(self, step: BenchStep, placed: Placed) -> None:
        """Take what a step takes."""
        for tool in placed.tools:
            self.tools.setdefault(tool, _Busy()).take(placed.start, placed.end)
        self.units.setdefault(step.unit, _Busy()).take(placed.start, placed.end)
        if not placed.begun:
            self.person.take(placed.start, placed.start + step.begins_s)
        if step.ends != BY_ITSELF and not placed.ended:
            self.person.take(placed.end - step.ends_s, placed.end)
        if step.watts:
            self.watts.append((placed.start, placed.end, step.watts))
        self.placed[step.key] = placed

    def take_out(self, step: BenchStep) -> None:
        """Give back what it took."""
        placed = self.placed.pop(step.key)
        for busy in [self.tools[tool] for tool in placed.tools] + [self.units[step.unit]]:
            if (placed.start, placed.end) in busy.spans:
                busy.spans.remove((placed.start, placed.end))
        for span in ((placed.start, placed.start + step.begins_s), (placed.end - step.ends_s, placed.end)):
            if span in self.person.spans:
                self.person.spans.remove(span)
        if step.watts:
            self.watts.remove((placed.start, placed.end, step.watts))

    def earliest(self, step: BenchStep, since: float) -> _Try | None:
        """The first hours that hold; None where there are none."""
        start = since
        for _ in range(_MOST_MOVES):
            if start > since + _AFTER_ALL_S:
                return None
            found = self._at(step, start)
            if isinstance(found, _Try):
                return found
            if not found > start:
                return None
            start = found
        return None

    def _at(self, step: BenchStep, start: float) -> _Try | float:
        """It, begun then; or the next moment that is worth a look."""
        seconds = step.seconds
        moved = self.units.setdefault(step.unit, _Busy()).free_from(start, seconds)
        tools = []
        only = self.only.get(step.key, "")
        for group in step.tools:
            wanted = (only,) if only in group else group
            free = [(self.tools.setdefault(tool, _Busy()).free_from(moved, seconds), tool) for tool in wanted if tool not in tools]
            if not free:
                return math.inf
            soonest = min(free)[0]
            if soonest > moved:
                return soonest
            tools.append(free[0][1] if len(free) == 1 else min((tool for moment, tool in free if moment <= moved), key=self._asked_for))
        if moved > start:
            return moved
        if step.begins_s > 0:
            seen = self._seen(start, step.begins_s)
            if seen > start:
                return seen
        end = start + seconds
        if not step.alone:
            span = self._hours_at(start)
            if span is None or span.end < end - 1e-6:
                return self._next_hours(start)
        if step.ends == BY_HAND:
            seen = self._seen(end - step.ends_s, step.ends_s)
            if seen > end - step.ends_s + 1e-6:
                return start + (seen - (end - step.ends_s))
        elif step.ends == WHEN_SEEN:
            end = self._seen(end, step.ends_s) + step.ends_s
            if math.isinf(end):
                return math.inf
            for busy in (self.units[step.unit], *(self.tools[tool] for tool in tools)):
                if (later := busy.free_from(start, end - start)) > start:
                    return later
        moved = self._socket_free(step.watts, start, end)
        return moved if moved > start else _Try(start, end, tuple(tools))

    def _asked_for(self, tool: str) -> float:
        return self.wanted.get(tool, 0.0)

    def _seen(self, moment: float, seconds: float) -> float:
        """The first moment from then on at which the person is there, and free for so long; inf for never."""
        here, seconds = self.days.here, max(seconds, 1e-3)
        place = max(bisect_right(self._opens, moment + 1e-6) - 1, 0)
        for span in islice(here, place, None):
            if span.start > moment:
                moment = span.start
            if moment + seconds > span.end + 1e-6:
                continue
            moment = self.person.free_from(moment, seconds)
            if moment + seconds <= span.end + 1e-6:
                return moment
        return math.inf

    def _hours_at(self, moment: float) -> Span | None:
        place = bisect_right(self._opens, moment + 1e-6) - 1
        span = self.days.here[place] if place >= 0 else None
        return span if span is not None and moment < span.end - 1e-6 else None

    def _next_hours(self, moment: float) -> float:
        place = bisect_right(self._opens, moment + 1e-6)
        return self._opens[place] if place < len(self._opens) else math.inf

    def _socket_free(self, watts: float, start: float, end: float) -> float:
        if not watts or math.isinf(self.days.socket_w):
            return start
        at = [start, *(s for s, e, _ in self.watts if start < s < end)]
        for moment in at:
            running = [(e, w) for s, e, w in self.watts if s <= moment < e]
            if watts + sum(w for _, w in running) > self.days.socket_w + 1e-9:
                return min((e for e, _ in running), default=math.inf)
        return start


def serial_plan(
    days: BenchDays,
    order: Sequence[str],
    fixed: Iterable[Placed] = (),
    not_before: Mapping[str, float] | None = None,
    only: Mapping[str, str] | None = None,
    until: Mapping[str, float] | None = None,
) -> BenchPlan | None:
    """Steps in this order, each as early as it can be; None where one finds no hours.

    A step that has to follow soon after another moves that one later, where it would come too late itself.

    Parameters
    ----------
    order : keys; those before which others have to end wait for these
    fixed : what has begun or is over
    not_before : moments before which single steps do not begin
    only : by step, the tool that it waits for, although another would do
    until : by step, the end beyond which the plan is not wanted any more
    """
    fixed = tuple(fixed)
    at_once: set[str] = set()
    for _ in range(_MOST_AT_ONCE):
        found = _one_pass(days, order, fixed, not_before or {}, only or {}, until or {}, at_once)
        if not isinstance(found, str):
            return found
        at_once.add(found)
    return None


def _one_pass(
    days: BenchDays,
    order: Sequence[str],
    fixed: Sequence[Placed],
    not_before: Mapping[str, float],
    only: Mapping[str, str],
    until: Mapping[str, float],
    at_once: set[str],
) -> BenchPlan | str | None:
    """The plan; or the step that came too late after another, and has to be placed with that one at once."""
    bench = _Bench(days, only)
    steps = {step.key: step for step in days.steps}
    followers: dict[str, list[str]] = {}
    for key in at_once:
        for before in steps[key].after:
            followers.setdefault(before, []).append(key)
    for placed in fixed:
        bench.put(steps[placed.key], placed)
    waiting = [key for key in order if key not in bench.placed]
    while waiting:
        key = next((k for k in waiting if all(b in bench.placed or b not in steps for b in steps[k].after)), "")
        if not key or not _place(bench, steps, followers, key, not_before):
            return None
        one = bench.placed[key]
        if one.end > until.get(key, math.inf):
            return None
        if math.isfinite(steps[key].soon_s) and key not in at_once:
            ended = [bench.placed[k] for k in steps[key].after if k in bench.placed]
            if any(one.start > before.end + steps[key].soon_s + 1 and not before.begun for before in ended):
                return key
        waiting = [k for k in waiting if k not in bench.placed]
    return days.plan_of(dict(bench.placed))


def _ready(bench: _Bench, step: BenchStep, not_before: Mapping[str, float]) -> float:
    ended = [bench.placed[k].end for k in step.after if k in bench.placed]
    return max([bench.days.begins, *ended, not_before.get(step.key, 0.0)])


def _place(
    bench: _Bench, steps: Mapping[str, BenchStep], followers: Mapping[str, list[str]], key: str, not_before: Mapping[str, float]
) -> bool:
    """It, and what has to follow it soon."""
    step = steps[key]
    since = _ready(bench, step, not_before)
    for _ in range(_MOST_TOGETHER):
        found = bench.earliest(step, since)
        if found is None:
            return False
        bench.put(step, Placed(key, found.start, found.end, found.tools))
        later = 0.0
        for after in followers.get(key, ()):
            if after in bench.placed:
                continue
            follows = steps[after]
            if any(b not in bench.placed for b in follows.after):
                continue
            if not _place(bench, steps, followers, after, not_before):
                bench.take_out(step)
                return False
            later = max(later, bench.placed[after].start - found.end - follows.soon_s)
        if later <= 1:
            return True
        _take_out_with(bench, steps, followers, key)
        since = found.start + max(later, 60.0)
    return False


def _take_out_with(bench: _Bench, steps: Mapping[str, BenchStep], followers: Mapping[str, list[str]], key: str) -> None:
    for after in followers.get(key, ()):
        if after in bench.placed and not bench.placed[after].begun:
            _take_out_with(bench, steps, followers, after)
    bench.take_out(steps[key])


def planned(days: BenchDays, fixed: Iterable[Placed] = (), tries: int = TRIES) -> BenchPlan | None:
    """The best plan that was found: what is due first, then what ends soonest; None where there is none."""
    fixed = tuple(fixed)
    begun = {one.key for one in fixed}
    free = [step for step in days.steps if step.key not in begun]
    orders = _rules(free)
    first = [_Kept(_worth(plan), one, {}, plan) for one in orders if (plan := serial_plan(days, one, fixed)) is not None]
    chance = random.Random(len(days.steps))
    test_of = {step.key: step.test for step in days.steps}
    choices = {step.key: group for step in free for group in step.tools if len(group) > 1}
    bound = _least_end(days, fixed)
    tails = _tails(free)
    behind = {step.key: tails[step.key] - step.seconds for step in free}
    tries = min(tries, _MOST_PLACED // max(len(free), 1))
    best = now = min(first, key=lambda one: one.worth, default=_Kept((math.inf, math.inf, math.inf), orders[0], {}, BenchPlan()))
    for number in range(tries if len(free) > 1 else 0):
        if best.worth[0] == 0 and best.worth[1] <= bound + 1:
            break
        warm = _WARM_S * (1 - number / tries) ** 2 + 60.0
        other = _shaken(now, tails, chance) if chance.random() < 0.5 else _moved(now.order, test_of, now.critical(days), chance)
        only = _other_tools(now.only, choices, chance)
        allowed = -warm * math.log(max(chance.random(), 1e-9)) if not now.worth[0] else 0.0
        latest = now.worth[1] + allowed if not now.worth[0] else math.inf
        plan = serial_plan(days, other, fixed, only=only, until={key: latest - tail for key, tail in behind.items()})
        if plan is None:
            continue
        worth = _worth(plan)
        if worth[0] <= now.worth[0] and (worth[1] <= latest or worth[0] < now.worth[0]):
            now = _Kept(worth, other, only, plan)
            best = min(best, now, key=lambda one: one.worth)
        if number % 200 == 199:
            now = best
    return best.plan if best.plan.placed or not free else None


@dataclass(frozen=True)
class _Kept:
    """A way to make a plan, and how good that is: seconds late, its end, the sum of all ends."""

    worth: tuple[float, float, float]
    order: list[str]
    only: Mapping[str, str]
    plan: BenchPlan
    waits: list[str] = field(default_factory=list)

    def critical(self, days: BenchDays) -> list[str]:
        """What its end waits for, worked out once."""
        if not self.waits:
            self.waits.extend(_critical(days, self.plan))
        return self.waits


def _shaken(held: _Kept, tails: Mapping[str, float], chance: random.Random) -> list[str]:
    """The order of its hours, each moved at random by a little or a lot; what has much behind it sooner."""
    wide = chance.choice((0.5, 2.0, 6.0)) * 3600
    pull = chance.choice((0.0, 0.0, 0.1, 0.3))
    starts = {key: one.start for key, one in held.plan.placed.items()}
    return sorted(held.order, key=lambda key: starts.get(key, 0.0) + chance.gauss(0.0, wide) - pull * tails[key])


def _other_tools(only: Mapping[str, str], choices: Mapping[str, tuple[str, ...]], chance: random.Random) -> Mapping[str, str]:
    """Now and then one step waits for one of its tools, or for none any more."""
    if not choices or chance.random() < 0.6:
        return only
    key = chance.choice(list(choices))
    others = {k: tool for k, tool in only.items() if k != key}
    return others if key in only and chance.random() < 0.4 else {**others, key: chance.choice(choices[key])}


def order_of(plan: BenchPlan) -> list[str]:
    """The order that makes a plan again."""
    return [one.key for one in sorted(plan.placed.values(), key=lambda p: (p.start, p.end))]


def replanned(
    days: BenchDays, before: BenchPlan, fixed: Iterable[Placed], not_before: Mapping[str, float] | None = None
) -> BenchPlan | None:
    """The same plan after something came otherwise: what has begun stays, the rest keeps its order, and moves as little as it must."""
    fixed = tuple(fixed)
    order = [key for key in order_of(before) if any(step.key == key for step in days.steps)]
    order += [step.key for step in days.steps if step.key not in order]
    return serial_plan(days, order, fixed, not_before)


def _worth(plan: BenchPlan) -> tuple[float, float, float]:
    return sum(seconds for _, seconds in plan.late), plan.ends, sum(one.end for one in plan.placed.values())


def _rules(free: Sequence[BenchStep]) -> list[list[str]]:
    """Orders worth beginning with: the longest chains first, what is due first, as they were picked, the shortest first."""
    tests: dict[str, list[BenchStep]] = {}
    for step in free:
        tests.setdefault(step.test, []).append(step)
    lengths = {test: sum(s.seconds for s in steps) for test, steps in tests.items()}
    dues = {test: min(s.due for s in steps) for test, steps in tests.items()}
    tail = _tails(free)
    depth = {step.key: k for steps in tests.values() for k, step in enumerate(steps)}
    return [
        [step.key for test in tests for step in tests[test]],
        [step.key for test in sorted(tests, key=lambda t: (dues[t], -lengths[t])) for step in tests[test]],
        [step.key for test in sorted(tests, key=lambda t: -lengths[t]) for step in tests[test]],
        [step.key for test in sorted(tests, key=lambda t: lengths[t]) for step in tests[test]],
        [step.key for step in sorted(free, key=lambda s: (-tail[s.key], s.key))],
        [step.key for step in sorted(free, key=lambda s: (depth[s.key], -lengths[s.test], s.key))],
    ]


def _tails(steps: Sequence[BenchStep]) -> dict[str, float]:
    """From the beginning of each step to the end of the last that waits for it."""
    after: dict[str, list[BenchStep]] = {}
    for step in steps:
        for before in step.after:
            after.setdefault(before, []).append(step)
    found: dict[str, float] = {}

    def tail(step: BenchStep) -> float:
        if step.key not in found:
            found[step.key] = step.seconds + max((tail(one) for one in after.get(step.key, [])), default=0.0)
        return found[step.key]

    for step in steps:
        tail(step)
    return found


def _least_end(days: BenchDays, fixed: Sequence[Placed]) -> float:
    """No plan ends sooner: the longest chain, begun when a person is first there."""
    begun = {one.key for one in fixed}
    tails = _tails([step for step in days.steps if step.key not in begun])
    first = days.here[0].start if days.here else days.begins
    return max([*(one.end for one in fixed), max(days.begins, first) + max(tails.values(), default=0.0)])


def _critical(days: BenchDays, plan: BenchPlan) -> list[str]:
    """What the end of a plan waits for: the last step, what was in its way before, and so on back."""
    steps = {step.key: step for step in days.steps}
    now = max(plan.placed.values(), key=lambda one: one.end, default=None)
    found: list[str] = []
    while now is not None and len(found) < len(steps):
        found.append(now.key)
        step, start = steps[now.key], now.start
        before = [
            one
            for one in plan.placed.values()
            if one.end <= start + 1 and one.key not in found and (one.key in step.after or set(one.tools) & set(now.tools))
        ]
        now = max(before, key=lambda one: one.end, default=None)
    return found


def _moved(order: Sequence[str], test_of: Mapping[str, str], critical: Sequence[str], chance: random.Random) -> list[str]:
    """Another order: a whole test, or one step, put elsewhere; often one that the end waits for, put further ahead; now and then two."""
    found = list(order)
    for _ in range(1 if chance.random() < 0.6 else 2):
        if critical and chance.random() < 0.4:
            key = chance.choice(critical)
            place = found.index(key) if key in found else 0
            if place:
                found.insert(chance.randint(max(0, place - 8), place - 1), found.pop(place))
        elif chance.random() < 0.5:
            test = test_of[chance.choice(found)]
            own = [key for key in found if test_of[key] == test]
            rest = [key for key in found if test_of[key] != test]
            place = chance.randint(0, len(rest))
            found = rest[:place] + own + rest[place:]
        else:
            key = found.pop(chance.randrange(len(found)))
            found.insert(chance.randint(0, len(found)), key)
    return found


def moved_by_hand(days: BenchDays, plan: BenchPlan, key: str, start: float) -> BenchPlan:
    """The same hours, one step put elsewhere: nothing else moves, whatever comes of it; :func:`troubles_of` says what does not hold then."""
    one = plan.placed[key]
    return days.plan_of({**plan.placed, key: replace(one, start=start, end=start + one.end - one.start)})
