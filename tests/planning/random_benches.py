"""Random benches: two to twelve tests, one to three loads and chargers, nights, errands, deadlines. Nothing here asks core how a plan is made."""

from __future__ import annotations

import random
from itertools import pairwise

from ubrant.core.planning.steps import (
    BY_HAND,
    FILL,
    REFILL,
    REST,
    TEST,
    WHEN_SEEN,
    BenchDays,
    BenchPlan,
    BenchStep,
    Span,
    joined_spans,
    spans_left,
)

GRID, DAY, HOUR, MIN = 300.0, 86_400.0, 3600.0, 60.0


def grid(seconds: float) -> float:
    return round(seconds / GRID) * GRID


def random_bench(seed: int) -> BenchDays:
    """All on a grid of five minutes, so that the yardstick sees the same."""
    rng = random.Random(seed)
    loads = [f"load {k}" for k in range(rng.randint(1, 3))]
    chargers = [f"charger {k}" for k in range(rng.randint(1, 3))]
    begins = 18 * HOUR if rng.random() < 0.5 else 8 * HOUR
    steps: list[BenchStep] = []
    for number in range(rng.randint(2, 12)):
        test, unit = f"t{number}", f"unit {number}"
        kind = rng.choice(["battery", "battery", "battery", "lead-acid", "plug day", "short"])
        due = begins + rng.uniform(2, 6) * DAY if rng.random() < 0.15 else float("inf")
        if kind == "plug day":
            steps.append(
                BenchStep(
                    f"{test} day",
                    test,
                    unit,
                    TEST,
                    "a day",
                    DAY,
                    tools=(("plug meter",),),
                    begins_s=GRID,
                    ends_s=GRID,
                    ends=WHEN_SEEN,
                    due=due,
                )
            )
        elif kind == "short":
            long = grid(rng.uniform(0.25, 2) * HOUR)
            steps.append(
                BenchStep(f"{test} short", test, unit, TEST, "short", long, tools=((*loads,),), begins_s=GRID, alone=False, due=due)
            )
        else:
            fits = tuple(sorted(rng.sample(chargers, rng.randint(1, len(chargers)))))
            fill, rest = grid(rng.uniform(1, 7) * HOUR), grid((4.0 if kind == "lead-acid" else 1.0) * HOUR)
            empties = grid(rng.uniform(1, 9) * HOUR)
            soon = 10 * HOUR if kind == "lead-acid" else float("inf")
            by_hand = rng.random() < 0.2
            ends = {"ends": BY_HAND, "alone": False, "ends_s": GRID} if by_hand else {}
            watts = rng.choice([60.0, 120.0, 250.0])
            steps += [
                BenchStep(f"{test} fill", test, unit, FILL, "fill", fill, tools=(fits,), watts=watts, begins_s=GRID),
                BenchStep(f"{test} rest", test, unit, REST, "rests", rest, after=(f"{test} fill",)),
                BenchStep(
                    f"{test} test",
                    test,
                    unit,
                    TEST,
                    "empties",
                    min(empties, 5 * HOUR) if by_hand else empties,
                    tools=((*loads,),),
                    begins_s=GRID,
                    after=(f"{test} rest",),
                    due=due,
                    **ends,
                ),
                BenchStep(
                    f"{test} refill",
                    test,
                    unit,
                    REFILL,
                    "refill",
                    fill,
                    tools=(fits,),
                    watts=watts,
                    begins_s=GRID,
                    after=(f"{test} test",),
                    soon_s=soon,
                ),
            ]
    days = 16
    awake = [Span(d * DAY + 7 * HOUR, d * DAY + 23 * HOUR) for d in range(-1, days)]
    out = [
        Span(d * DAY + (a := grid(rng.uniform(8, 18) * HOUR)), d * DAY + a + grid(rng.uniform(1, 4) * HOUR))
        for d in range(days)
        if rng.random() < 0.5
    ]
    here = tuple(Span(max(s.start, begins), s.end) for s in spans_left(joined_spans(awake), out) if s.end > begins)
    return BenchDays(tuple(steps), here, begins, rng.choice([float("inf"), 400.0, 300.0]))


def broken(days: BenchDays, plan: BenchPlan) -> list[str]:
    """Every constraint that a plan breaks, looked at once more and in another way: minute by minute."""
    said: list[str] = []
    placed = plan.placed
    steps = {s.key: s for s in days.steps}
    if set(placed) != set(steps):
        said.append("not all are in it")
    uses: dict[str, list[tuple[float, float, str]]] = {}
    for key, one in placed.items():
        step = steps[key]
        if step.ends == WHEN_SEEN:
            if one.end - one.start < step.seconds - 1:
                said.append(f"{key}: too short")
        elif abs(one.end - one.start - step.seconds) > 1:
            said.append(f"{key}: not its length")
        if one.start < days.begins - 1:
            said.append(f"{key}: before it all begins")
        uses.setdefault(step.unit, []).append((one.start, one.end, key))
        if len(one.tools) != len(step.tools) or any(tool not in group for tool, group in zip(one.tools, step.tools, strict=False)):
            said.append(f"{key}: not its tools")
        for tool in one.tools:
            uses.setdefault(tool, []).append((one.start, one.end, key))
        visits = [(one.start, one.start + step.begins_s)] if step.begins_s else []
        if step.ends != "by itself":
            visits.append((one.end - step.ends_s, one.end))
        for visit in visits:
            uses.setdefault("the person", []).append((*visit, key))
            if not any(s.start - 1 <= visit[0] and visit[1] <= s.end + 1 for s in days.here):
                said.append(f"{key}: nobody is there")
        if not step.alone and not any(s.start - 1 <= one.start and one.end <= s.end + 1 for s in days.here):
            said.append(f"{key}: left alone")
        for before in step.after:
            if one.start < placed[before].end - 1:
                said.append(f"{key}: before {before} has ended")
            if one.start > placed[before].end + step.soon_s + 1:
                said.append(f"{key}: too long after {before}")
    for what, spans in uses.items():
        spans.sort()
        said += [f"{what}: two at once: {a[2]}, {b[2]}" for a, b in pairwise(spans) if b[0] < a[1] - 1]
    for at in {one.start for one in placed.values()}:
        drawn = sum(steps[k].watts for k, one in placed.items() if one.start <= at < one.end)
        if drawn > days.socket_w + 1:
            said.append(f"the socket at {at}: {drawn} W")
    return said
