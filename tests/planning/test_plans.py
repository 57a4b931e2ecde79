"""Plans of random benches: every constraint holds, a change moves nothing that has begun, and they are about as short as can be."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.planning.random_benches import HOUR, broken, random_bench
from ubrant.core.planning.check import troubles_of
from ubrant.core.planning.schedule import moved_by_hand, planned, replanned
from ubrant.core.planning.steps import BY_ITSELF, TEST, BenchDays, BenchPlan, BenchStep, Placed, Span, joined_spans, spans_left
from ubrant.core.planning.visits import ANY_TIME, if_late, lateness, moved_ends, next_visit, visits_of

MANY = [pytest.param(k, marks=() if k < 12 else pytest.mark.slow) for k in range(200)]


@pytest.mark.parametrize("seed", MANY)
def test_every_constraint_is_kept(seed):
    days = random_bench(seed)
    plan = planned(days, tries=60 if seed < 12 else 300)
    assert plan is not None
    assert broken(days, plan) == []
    assert troubles_of(days, plan) == ({k: "It ends after it is due." for k, _ in plan.late})


@pytest.mark.parametrize("seed", MANY)
def test_a_change_moves_nothing_that_has_begun(seed):
    """Half of it is over or going on; something takes three hours longer."""
    days = random_bench(seed)
    plan = planned(days, tries=20)
    assert plan is not None
    half = (plan.begins + plan.ends) / 2
    fixed = [replace(one, begun=True, ended=one.end <= half) for one in plan.placed.values() if one.start <= half]
    longer = next((k for k, one in enumerate(fixed) if not one.ended and days.step(one.key).ends == BY_ITSELF), None)
    if longer is not None:
        fixed[longer] = replace(fixed[longer], end=fixed[longer].end + 3 * HOUR)
    after = replanned(days, plan, fixed, {key: half for key in plan.placed if key not in {one.key for one in fixed}})
    assert after is not None
    assert all(after.placed[one.key] == one for one in fixed)
    told = [text for text in broken(days, after) if not any(one.key in text for one in fixed)]
    assert [text for text in told if "too long after" not in text] == []


YARDSTICK = [pytest.param(k, marks=() if k in {2, 24} else pytest.mark.slow) for k in (2, 24, *range(30, 54))]


@pytest.mark.parametrize("seed", YARDSTICK)
def test_it_is_about_as_short_as_a_solver_makes_it(seed):
    """CP-SAT of ``ortools``, with the plan as its hint; most are within 5 %, the hardest a tenth off."""
    from tests.planning.yardstick import shortest

    days = random_bench(seed)
    plan = planned(days)
    assert plan is not None
    if plan.late:
        pytest.skip("late for both")
    best, _ = shortest(days, 6.0, {key: one.start for key, one in plan.placed.items()})
    assert best is not None
    assert plan.ends - days.begins <= (1.05 if len(days.steps) <= 25 else 1.18) * best


def bench(*steps: BenchStep, here=((0.0, 100.0),), socket=math.inf) -> BenchDays:
    return BenchDays(steps, tuple(Span(a * HOUR, b * HOUR) for a, b in here), 0.0, socket)


def step(key: str, hours: float, **more) -> BenchStep:
    return BenchStep(key, more.pop("test", key), more.pop("unit", key), TEST, key, hours * HOUR, **more)


def test_one_load_serves_one_after_the_other():
    days = bench(step("a", 2, tools=(("load",),)), step("b", 3, tools=(("load",),)))
    plan = planned(days)
    assert plan is not None
    assert plan.ends == 5 * HOUR


def test_two_loads_serve_both():
    days = bench(step("a", 2, tools=(("one", "two"),)), step("b", 3, tools=(("one", "two"),)))
    plan = planned(days)
    assert plan is not None
    assert plan.ends == 3 * HOUR
    assert {one.tools for one in plan.placed.values()} == {("one",), ("two",)}


def test_the_socket_limits_what_runs_at_once():
    days = bench(step("a", 2, watts=900.0), step("b", 2, watts=900.0), socket=1500.0)
    plan = planned(days)
    assert plan is not None
    assert plan.ends == 4 * HOUR


def test_what_may_not_run_alone_waits_for_hours_that_are_long_enough():
    days = bench(step("a", 3, alone=False), here=((0, 2), (10, 14)))
    plan = planned(days)
    assert plan is not None
    assert plan.placed["a"].start == 10 * HOUR


def test_no_hours_are_long_enough():
    assert planned(bench(step("a", 5, alone=False), here=((0, 2), (10, 14)))) is None


def test_it_begins_when_somebody_is_there_and_runs_on_alone():
    days = bench(step("a", 8, begins_s=300.0), here=((1, 2), (20, 30)))
    plan = planned(days)
    assert plan is not None
    assert plan.placed["a"].start == 1 * HOUR


def test_lead_acid_is_emptied_when_it_can_be_refilled_in_time():
    """Emptied in the evening it would stand empty over night: it waits for the morning."""
    emptied = step("empties", 4, test="t", unit="u", begins_s=300.0)
    refill = step("refill", 5, test="t", unit="u", begins_s=300.0, after=("empties",), soon_s=2 * HOUR)
    days = bench(emptied, refill, here=((18, 23), (31, 47)))
    plan = planned(days)
    assert plan is not None
    assert plan.placed["empties"].start == 18 * HOUR  # ended at 22:00, and somebody is there until 23:00
    assert plan.placed["refill"].start == 22 * HOUR
    longer = replace(emptied, seconds=8 * HOUR)
    late = planned(bench(longer, refill, here=((18, 23), (31, 47))))
    assert late is not None
    assert late.placed["empties"].start == 21 * HOUR  # ends at 05:00, and somebody is there at 07:00
    assert late.placed["refill"].start <= late.placed["empties"].end + 2 * HOUR


def test_how_late_one_may_be():
    first = step("a", 2, begins_s=300.0, due=6 * HOUR)
    days = bench(first, here=((0, 40),))
    plan = planned(days)
    assert plan is not None
    visit = next_visit(visits_of(days, plan))
    assert visit is not None
    assert lateness(days, plan, visit) == 3 * HOUR
    later = if_late(days, plan, visit, HOUR)
    assert later is not None
    assert moved_ends(plan, later, ["a"]) == [("a", 2 * HOUR, 3 * HOUR)]


def test_without_a_due_time_one_may_be_as_late_as_one_likes():
    days = bench(step("a", 2, begins_s=300.0), here=((0, 400),))
    plan = planned(days)
    assert plan is not None
    assert visits_of(days, plan)[0].late_s == ANY_TIME


@pytest.mark.parametrize(("moved", "why"), [(1.0, "load is taken by a then."), (10.0, "Nobody is there to begin it."), (20.0, "")])
def test_what_is_dragged_where_it_cannot_be_says_why(moved, why):
    days = bench(step("a", 4, tools=(("load",),)), step("b", 2, tools=(("load",),), begins_s=300.0), here=((0, 4.9), (18, 40)))
    plan = planned(days)
    assert plan is not None
    found = troubles_of(days, moved_by_hand(days, plan, "b", moved * HOUR))
    assert found.get("b", "") == why


def test_the_reasons_that_a_moved_step_cannot_be():
    """Each of the others: order, the socket, a unit at two things, hours in which nobody is there."""
    steps = (
        step("a", 4, unit="u", watts=900.0),
        step("b", 2, unit="u", after=("a",)),
        step("c", 3, watts=900.0),
        step("d", 1, alone=False),
        step("e", 1, begins_s=300.0, ends="by hand", ends_s=300.0),
    )
    days = bench(*steps, here=((0, 12), (20, 40)), socket=1500.0)
    at = {"a": 0.0, "b": 4.0, "c": 4.0, "d": 8.0, "e": 9.0}
    plan = BenchPlan({s.key: Placed(s.key, at[s.key] * HOUR, at[s.key] * HOUR + s.seconds) for s in steps})
    assert troubles_of(days, plan) == {}

    def moved(key: str, hours: float) -> str:
        return troubles_of(days, moved_by_hand(days, plan, key, hours * HOUR)).get(key, "")

    assert moved("b", 3.0) == "a of u has not ended by then."
    assert moved("b", 3.999) == "a of u has not ended by then."
    assert moved("c", 2.0) == "The socket would give 1800 W, and 1500 W is what it may."
    assert moved("c", 4.1) == ""
    assert moved("d", 11.5) == "It may not run while nobody is there."
    assert moved("e", 11.5) == "Nobody is there to stop it, and it does not stop itself."
    assert moved("e", 15.0) == "Nobody is there to begin it."


def test_a_visit_is_as_late_as_the_more_pressing_of_its_deeds():
    """Two are to be refilled at one visit, one within two hours of its end, the other within ten."""
    steps = (
        step("a", 1, unit="u"),
        step("b", 1, unit="v"),
        step("ra", 1, unit="u", begins_s=300.0, after=("a",), soon_s=2 * HOUR),
        step("rb", 1, unit="v", begins_s=300.0, after=("b",), soon_s=10 * HOUR),
    )
    days = bench(*steps, here=((0, 60),))
    plan = BenchPlan({key: Placed(key, at * HOUR, (at + 1) * HOUR) for key, at in (("a", 0), ("b", 0), ("ra", 1), ("rb", 1.1))})
    visit = next(v for v in visits_of(days, plan, how_late=False) if v.deeds[0].step.key == "ra")
    assert [d.step.key for d in visit.deeds] == ["ra", "rb"]
    assert lateness(days, plan, visit) == 2 * HOUR


def test_spans_are_joined_and_taken_out():
    joined = joined_spans([Span(5, 8), Span(0, 3), Span(3, 4), Span(7, 9)])
    assert joined == (Span(0, 4), Span(5, 9))
    assert spans_left(joined, [Span(1, 2), Span(8, 20)]) == (Span(0, 1), Span(2, 4), Span(5, 8))
    assert spans_left(joined, []) == joined


def test_what_is_fixed_keeps_its_tools_from_others():
    days = bench(step("a", 4, tools=(("load",),)), step("b", 2, tools=(("load",),)))
    plan = planned(days, [Placed("a", 2 * HOUR, 6 * HOUR, ("load",), begun=True)])
    assert plan is not None
    assert plan.placed["b"].start in (0.0, 6 * HOUR)
    assert np.isclose(plan.placed["a"].start, 2 * HOUR)
