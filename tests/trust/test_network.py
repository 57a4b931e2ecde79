"""Is the truth inside what the network says, does it stay silent over clean readings, and is a slip seen? Benches apart from its laws."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.network.benches import DIGITS, SETUPS, bench, whole
from tests.trials import CASES, FEW_CASES, kept
from ubrant.core.network.graph import BATTERY, CHARGER, LOAD, OUTPUT
from ubrant.core.network.moment import How, Read, instant_of
from ubrant.core.network.whole import Whole
from ubrant.core.uncertainty.contributions import COVERAGE


def drawn(rng, moments=1):
    """A bench of any set-up, with any of its places read (volts and amperes, watts now and then), over some moments with the same meters."""
    places, mains = SETUPS[int(rng.integers(len(SETUPS)))]
    made = bench(rng, places, mains=mains)
    keys = [key for key in made.truth if rng.random() < (0.75 if key[1] != "W" or (key[0] == OUTPUT and mains) else 0.25)]
    return made, keys or list(made.truth)[:2]


def test_truth_lies_inside_what_follows(share):
    """Worked out, fitted, and what the rest says of each reading."""
    rng = np.random.default_rng(11)
    scores: dict[str, list[tuple[float, float]]] = {"worked out": [], "fitted": [], "the rest": []}
    between: list[bool] = []
    widths: list[float] = []
    for _ in range(max(round(10 * CASES * share), 10 * FEW_CASES)):
        made, keys = drawn(rng)
        found = whole(made, keys)
        for key, one in found.known(0).items():
            true = made.truth[key]
            if one.how is How.WORKED_OUT:
                scores["worked out"].append((one.value.value - true, one.value.u))
            elif one.how is How.BOUNDED:
                between.append(one.between[0] <= true <= one.between[1])
                widths.append((one.between[1] - one.between[0]) / max(abs(true), 1e-9))
        for one in found.against:
            scores["fitted"].append((one.fitted.value - made.truth[one.reading.key], one.fitted.u))
            scores["the rest"].append((one.rest.value - made.truth[one.reading.key], one.rest.u))
    for name, pairs in scores.items():
        error, u = np.array(pairs).T
        inside, z = float(np.mean(np.abs(error) <= COVERAGE * u)), math.sqrt(float(np.mean((error / u) ** 2)))
        print(f"{name}: {len(pairs)} values, {100 * inside:.1f} % inside, z {z:.2f}")
        kept("benches of any set-up", name, len(pairs), inside, z)
        assert inside >= 0.92
        assert 0.85 <= z <= 1.15
    print(f"bounded: {100 * np.mean(between):.1f} % of {len(between)} inside, median width {np.median(widths):.2f} of the value")
    kept("benches of any set-up", "bounded", len(between), float(np.mean(between)), math.nan)
    assert np.mean(between) >= 0.95


def test_clean_readings_are_hardly_asked_about(share):
    """At most 1 of 100 runs of up to six moments."""
    rng = np.random.default_rng(12)
    asked, count = [], max(round(CASES * share), 2 * FEW_CASES)
    for _ in range(count):
        made, keys = drawn(rng)
        readings = []
        for moment in range(int(rng.integers(1, 7))):
            readings += made.read(keys, moment)
        found = Whole(made.graph, tuple(readings), tuple(map(str, range(6))))
        asked += [misfit.sentence for misfit in found.misfits[:1]]
    print(f"{len(asked)} of {count} asked about")
    assert len(asked) <= 0.01 * count + 1, asked


@pytest.mark.parametrize("times", [10.0, *(pytest.param(t, marks=pytest.mark.slow) for t in (0.1, 1000.0, 0.001, 0.7)), 1.3])
def test_a_slip_that_the_rest_tells_of_is_seen(share, times):
    """One reading, where it is off by at least three times what it and the rest may differ by: seen, and the smallest set that holds it named."""
    rng = np.random.default_rng(13)
    seen, held, single = [], [], []
    while len(seen) < max(round(CASES * share), FEW_CASES):
        made, keys = drawn(rng)
        clean = whole(made, keys)
        told = [one for one in clean.against if abs(made.truth[one.reading.key]) > 0.1]
        if not told:
            continue
        one = told[int(rng.integers(len(told)))]
        key, shown = one.reading.key, one.reading.value
        if abs(shown.value * (times - 1)) < 3 * COVERAGE * ((one.rest - shown).u or 0.0):
            continue
        spoilt = Whole(made.graph, tuple(made.read(keys, slips={key: times})), ("",))
        misfits = spoilt.misfits
        seen.append(bool(misfits))
        if misfits:
            named = misfits[0].readings
            held.append(key in named)
            if len(named) == 1 and key not in named:
                single.append(named[0])
    print(
        f"× {times:g}: {100 * np.mean(seen):.1f} % of {len(seen)} seen, {100 * np.mean(held):.1f} % held by the set, {len(single)} wrongly named alone"
    )
    kept(f"one slip, × {times:g}", "seen", len(seen), float(np.mean(seen)), math.nan)
    kept(f"one slip, × {times:g}", "held by the set that is named", len(held), float(np.mean(held)), math.nan)
    assert np.mean(seen) >= 0.95
    assert np.mean(held) >= 0.90
    assert len(single) <= 0.02 * len(seen) + 1


def exact(made, keys):
    """As if every meter were right: what a fit of it says of its doubt is then of one point."""
    return instant_of(made.graph, tuple(Read(0, key, made.truth[key], DIGITS[key[1]], made.accuracy[key]) for key in keys))


def test_one_reading_more_never_makes_an_answer_less_sure(share):
    """It narrows by what the covariance foretells (JCGM 102, by the conditional variance), to 1 %."""
    rng, told, foretold = np.random.default_rng(14), 0, 0
    for _ in range(max(round(CASES * share), 2 * FEW_CASES)):
        made, keys = drawn(rng)
        further = [key for key in made.truth if key not in keys]
        if not further:
            continue
        new = further[int(rng.integers(len(further)))]
        few, more = exact(made, keys), exact(made, [*keys, new])
        by_few = few.fitted.worked_out(new)
        for key in further:
            before, after = few.fitted.worked_out(key), more.fitted.worked_out(key)
            if key == new or before is None:
                continue
            told += 1
            assert after.u <= before.u * (1 + 1e-6), (key, new, keys)
            if by_few is not None:
                surprise = next(one.value for one in more.readings if one.key == new) - by_few
                shared = sum(part * before.parts.get(source, 0.0) for source, part in surprise.parts.items())
                foretold += 1
                assert after.u == pytest.approx(math.sqrt(before.u**2 - shared**2 / surprise.u**2), rel=0.01)
    assert told > FEW_CASES / 2
    assert foretold > 0


def test_with_one_reading_more_it_says_the_same(share):
    """|difference| is within √(U of fewer² − U of more²) in 93 %."""
    rng, inside = np.random.default_rng(15), []
    for _ in range(max(round(3 * CASES * share), 6 * FEW_CASES)):
        made, keys = drawn(rng)
        further = [key for key in made.truth if key not in keys]
        if len(further) < 2:
            continue
        new = further[int(rng.integers(len(further)))]
        few, more = whole(made, keys).instants[0], whole(made, [*keys, new]).instants[0]
        for key in further:
            before, after = few.fitted.worked_out(key), more.fitted.worked_out(key)
            if key != new and before is not None and after.u < 0.999 * before.u:
                inside.append(abs(after.value - before.value) <= COVERAGE * math.sqrt(before.u**2 - after.u**2))
    kept("benches of any set-up", "one reading more says the same", len(inside), float(np.mean(inside)), math.nan)
    assert np.mean(inside) >= 0.93


def test_two_slips_at_once_are_seen(share):
    """Where they do not cancel: by noncentrality 36 or more."""
    rng, seen = np.random.default_rng(16), []
    while len(seen) < max(round(CASES * share), FEW_CASES):
        made, keys = drawn(rng)
        told = [one.reading.key for one in whole(made, keys).against if abs(made.truth[one.reading.key]) > 0.1]
        if len(told) < 2:
            continue
        pair = [told[k] for k in rng.choice(len(told), 2, replace=False)]
        slips = {key: float(rng.choice([0.1, 0.5, 0.8, 1.3, 2.0, 10.0])) for key in pair}
        clean = tuple(Read(0, key, made.truth[key] * slips.get(key, 1.0), DIGITS[key[1]], made.accuracy[key]) for key in keys)
        if instant_of(made.graph, clean).fitted.chi2 < 36:
            continue
        seen.append(bool(Whole(made.graph, tuple(made.read(keys, slips=slips)), ("",)).misfits))
    kept("two slips at once", "seen", len(seen), float(np.mean(seen)), math.nan)
    assert np.mean(seen) >= 0.90


SLIPS = {
    "a digit": (LOAD, "A", lambda shown: 10 * shown),
    "milli": (CHARGER, "A", lambda shown: 1000 * shown),
    "a direction": (BATTERY, "A", lambda shown: -shown),
    "digits turned": (LOAD, "A", lambda shown: float(f"{shown:.2f}"[::-1]) if shown >= 1 else shown * 10),
    "another range": (CHARGER, "A", lambda shown: shown / 10),
}


@pytest.mark.parametrize("kind", SLIPS)
def test_a_slip_at_row_7_of_12_is_noticed_at_that_row(kind):
    """While it is typed: nothing is said until the row, it is said with it, and it names that row alone."""
    rng = np.random.default_rng(17)
    place, quantity, slip = SLIPS[kind]
    made = bench(rng, {CHARGER, BATTERY, LOAD})
    keys = [(p, "A") for p in (CHARGER, BATTERY, LOAD)] + [(BATTERY, "V")]
    rows = []
    for k in range(12):
        shown = {one.key: one.shown for one in made.read(keys)}
        if k == 6:
            shown[place, quantity] = slip(shown[place, quantity])
        rows += [Read(k, key, value, DIGITS[key[1]], made.accuracy[key], 600.0 * k) for key, value in shown.items()]
        told = Whole(made.graph, tuple(rows), tuple(f"row {n + 1}" for n in range(k + 1))).misfits
        assert bool(told) is (k >= 6), (kind, k, [one.sentence for one in told])
        assert all(one.sentence.startswith("Row 7") for one in told[:1])
        assert all((place, quantity) in one.readings for one in told[:1])
