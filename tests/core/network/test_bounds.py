"""What nothing determines lies between what the laws allow: never without the truth, and narrower with each reading."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import linprog

from tests.core.network.benches import SETUPS, bench, whole
from ubrant.core.network.bounds import bounded, over, times
from ubrant.core.network.graph import BATTERY, CHARGER, INPUT, LOAD, ONE_VOLTAGE, OUTPUT, graph_of
from ubrant.core.network.laws import IDLE_SHARE, IDLE_W, LEAST_SHARE, most_loss_w


def test_intervals_of_products_and_quotients():
    assert times((-2.0, 3.0), (4.0, 5.0)) == (-10.0, 15.0)
    assert times((0.0, math.inf), (0.0, 2.0)) == (0.0, math.inf)
    assert over((6.0, 8.0), (2.0, 4.0)) == (1.5, 4.0)
    assert over((-8.0, 6.0), (2.0, 4.0)) == (-4.0, 3.0)
    assert over((6.0, 8.0), (0.0, 4.0)) == (1.5, math.inf)
    assert over((-6.0, 8.0), (-1.0, 4.0)) == (-math.inf, math.inf)
    assert over((6.0, 8.0), (2.0, math.inf)) == (0.0, 4.0)


def test_currents_at_a_joint_as_a_linear_program_has_them():
    """scipy.optimize.linprog: the least and the greatest current into a battery between limits of the others."""
    known = {(CHARGER, "A"): (1.9, 2.1), (LOAD, "A"): (0.4, 0.7)}
    box = bounded(graph_of({CHARGER, BATTERY, LOAD}), known)
    ends = []
    for sign in (1.0, -1.0):
        found = linprog([0.0, sign, 0.0], A_eq=[[1.0, 1.0, -1.0]], b_eq=[0.0], bounds=[(1.9, 2.1), (None, None), (0.4, 0.7)])
        ends.append(sign * found.fun)
    assert box[BATTERY, "A"] == pytest.approx(tuple(ends))


def test_a_converter_between_its_most_loss_and_none():
    """85 W out: at least 85 in, and at most twice that with what one may burn by itself."""
    graph = graph_of({INPUT, OUTPUT}, {OUTPUT}, rating_w=300.0)
    assert most_loss_w(graph.stages[0]) == IDLE_SHARE * 300.0
    box = bounded(graph, {(OUTPUT, "W"): (85.0, 85.0)})
    assert box[INPUT, "W"] == pytest.approx((85.0, 85.0 / LEAST_SHARE + IDLE_SHARE * 300.0))
    into = bounded(graph_of({INPUT, OUTPUT}, {OUTPUT}), {(INPUT, "W"): (100.0, 100.0)})
    assert into[OUTPUT, "W"] == pytest.approx(((100.0 - IDLE_W) * LEAST_SHARE, 100.0))


def test_a_poor_converter_and_a_hungry_one_are_inside():
    """One of 52 % at 280 W; one that burns 7 % of its rating with nothing on it; leads that drop 9 %. Common practice, no source."""
    graph = graph_of({INPUT, OUTPUT}, {OUTPUT}, rating_w=300.0)
    assert bounded(graph, {(OUTPUT, "W"): (280.0, 280.0)})[INPUT, "W"][1] > 280.0 / 0.52
    assert bounded(graph, {(INPUT, "W"): (21.0, 21.0)})[OUTPUT, "W"][0] <= 0.0
    assert not bounded(graph, {(INPUT, "W"): (21.0, 21.0), (OUTPUT, "W"): (0.0, 0.0)}).broken
    assert bounded(graph, {(INPUT, "W"): (60.0, 60.0), (OUTPUT, "W"): (0.0, 0.0)}).broken, "60 W with nothing on it"
    assert bounded(graph_of({BATTERY, LOAD}), {(BATTERY, "V"): (12.0, 12.0)})[LOAD, "V"][0] < 12.0 * 0.91


def test_one_voltage_at_a_joint_and_volts_times_amperes():
    box = bounded(graph_of({BATTERY, LOAD}), {(BATTERY, "V"): (12.5, 12.5), (LOAD, "A"): (2.0, 2.0)})
    assert box[LOAD, "V"] == pytest.approx((12.5 * (1 - ONE_VOLTAGE), 12.5 * (1 + ONE_VOLTAGE)))
    assert box[BATTERY, "W"] == pytest.approx((25.0, 25.0))
    assert box[LOAD, "W"] == pytest.approx((25.0 * (1 - ONE_VOLTAGE), 25.0 * (1 + ONE_VOLTAGE)))


def test_alternating_watts_are_at_most_volts_times_amperes():
    box = bounded(graph_of({OUTPUT}, {OUTPUT}), {(OUTPUT, "V"): (230.0, 230.0), (OUTPUT, "A"): (0.5, 0.5)})
    assert box[OUTPUT, "W"] == pytest.approx((0.0, 115.0))
    box = bounded(graph_of({OUTPUT}, {OUTPUT}), {(OUTPUT, "V"): (230.0, 230.0), (OUTPUT, "W"): (46.0, 46.0)})
    assert box[OUTPUT, "A"] == pytest.approx((0.2, math.inf))


def test_what_cannot_be_is_named():
    box = bounded(
        graph_of({BATTERY, OUTPUT}, {OUTPUT}), {(BATTERY, "V"): (12.0, 12.6), (BATTERY, "A"): (7.9, 8.1), (OUTPUT, "W"): (840.0, 860.0)}
    )
    key, least, most = box.broken
    assert key[1] in "VAW"
    assert least > most
    assert bounded(graph_of({BATTERY}), {(BATTERY, "V"): (12.0, 12.6)}).broken is None


@pytest.mark.parametrize("number", range(len(SETUPS)))
def test_the_truth_is_inside_and_one_reading_more_never_widens(number, share):
    """Every set-up, readings added one after the other in any order: exact, at all limits of their meters."""
    places, mains = SETUPS[number]
    rng = np.random.default_rng(number)
    for _ in range(max(round(20 * share), 3)):
        made = bench(rng, places, mains=mains)
        keys = list(made.truth)
        rng.shuffle(keys)
        keys = [tuple(key) for key in keys]
        before = None
        for count in range(1, len(keys) + 1):
            box = whole(made, keys[:count]).instants[0].box
            assert box.broken is None, (sorted(places), keys[:count], box.broken)
            for key, true in made.truth.items():
                low, high = box[key]
                assert low - 1e-6 <= true <= high + 1e-6, (sorted(places), keys[:count], key)
                if before is not None:
                    assert low >= before[key][0] - 1e-6, key
                    assert high <= before[key][1] + 1e-6, key
            before = box
