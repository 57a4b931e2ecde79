"""Is a difference inside its ±, is nothing told apart that is alike, and does nothing age that does not?"""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import kept, scores
from ubrant.core.compare.ageing import trend_of
from ubrant.core.compare.difference import Shared, difference_of
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.uncertainty.decision import COMMON_SHARE
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, under_options
from ubrant.runs.kept.accounts import account_of_stored

GAIN_V, ZERO_V, GAIN_A, ZERO_A = 0.001, 0.005, 0.005, 0.01
METER = Meter("Bench", "0.1 % + 5 mV", "0.5 % + 10 mA")
UNIT = Unit("Pack", "battery", "20 Ah 12.8 V LiFePO4")


class Wrong:
    """A meter as wrong as its accuracy lets it be."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.gain_v, self.gain_a = 1 + rng.uniform(-GAIN_V, GAIN_V), 1 + rng.uniform(-GAIN_A, GAIN_A)
        self.zero_v, self.zero_a = rng.uniform(-ZERO_V, ZERO_V), rng.uniform(-ZERO_A, ZERO_A)


def delivered(rng: np.random.Generator, ah: float, wrong: Wrong) -> tuple[float, object]:
    """(true Ah to 11 V, the program's finding) of a discharge at about 4 A; of its gain a quarter is not the same from time to time."""
    amps = 4.0 * rng.uniform(0.98, 1.02)
    late = rng.uniform(0.0, 20.0)  # the load came on anywhere between two readings
    time = np.arange(late, 1.15 * ah / amps * 3600, 20.0)
    given = amps * time / 3600
    volts = 13.2 - 0.6 * given / ah - 1.8 * np.clip((given / ah - 0.9) / 0.1, 0, None) ** 2
    end = int(np.argmax(volts < 11.0)) + 1
    share = (volts[end - 2] - 11.0) / (volts[end - 2] - volts[end - 1])
    true = float(given[end - 2] + share * (given[end - 1] - given[end - 2]))
    own = 1 + 0.25 * GAIN_A * rng.uniform(-1, 1)
    shown_v = volts[:end] * wrong.gain_v + wrong.zero_v + rng.normal(0, 0.001, end)
    shown_a = np.full(end, amps) * wrong.gain_a * own + wrong.zero_a + rng.normal(0, 0.002, end)
    log = LogFile("x.csv", np.r_[late - 40.0, late - 20.0, time[:end]] + 60, np.r_[13.4, 13.4, shown_v], np.r_[0.0, 0.0, shown_a])
    options = LogOptions(said={"cutoff": "11 V"}, meters={"battery": METER}, unit=UNIT, full=True)
    return true, account_of_stored(under_options(from_log(log), options).record()).findings["charge"]


def test_pairs_of_runs(share):
    """With shared and with separate meters: inside its ± in 92 %, z near 1; equal pairs are not told apart, those 4 u apart are; sharing narrows it."""
    cases = 300 if share == 1.0 else 24
    room = 0.0 if share == 1.0 else 0.1
    rng = np.random.default_rng(8)
    told: dict[str, list] = {}
    widths: dict[str, list[float]] = {"one meter": [], "two meters": []}
    alike = apart = 0
    for _ in range(cases):
        ah = rng.uniform(14, 20)
        for name, shared in (("one meter", Shared(meters=True, zeros=True)), ("two meters", Shared())):
            first = Wrong(rng)
            second = first if shared.meters else Wrong(rng)
            (true_a, a), (true_b, b) = delivered(rng, ah, first), delivered(rng, ah * rng.uniform(0.8, 1.2), second)
            found = difference_of(a, b, shared)
            told.setdefault(name, []).append((found.difference.value - (true_b - true_a), found.difference))
            widths[name].append(found.difference.expanded_uncertainty)
        first = Wrong(rng)
        again = [ah * (1 + COMMON_SHARE * rng.standard_normal()) for _ in range(2)]
        (_, a), (_, b) = delivered(rng, again[0], first), delivered(rng, again[1], first)
        found = difference_of(a, b, Shared(meters=True, zeros=True), COMMON_SHARE)
        alike += found.apart is False
        u = math.hypot(found.difference.standard_uncertainty, COMMON_SHARE * math.hypot(a.value, b.value))
        (_, c), (_, d) = delivered(rng, again[0], first), delivered(rng, again[1] + 4 * u, first)
        apart += difference_of(c, d, Shared(meters=True, zeros=True), COMMON_SHARE).apart is True
    for name, pairs in told.items():
        inside, z = scores(pairs)
        print(f"{name}: {100 * inside:.1f} % inside, z {z:.2f}, median U {np.median(widths[name]):.3f} Ah")
        kept("two capacities compared", name, len(pairs), inside, z, float(np.median(widths[name])), "Ah")
        assert inside >= 0.92 - room
        assert 0.85 - 2 * room <= z <= 1.15 + 2 * room
    print(f"alike {alike} and apart {apart} of {cases}")
    assert alike / cases >= 0.93 - room
    assert apart / cases >= 0.90 - room
    assert np.median(widths["one meter"]) < 0.7 * np.median(widths["two meters"])


def life(rng: np.random.Generator, slope: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(years, shares, own u) of a life measured now and then; how well it repeats is not what is taken for usual."""
    years = np.sort(rng.uniform(0, 4, int(rng.integers(5, 16))))
    years -= years[0]
    own, repeats = rng.uniform(0.002, 0.01), COMMON_SHARE * rng.uniform(0.5, 1.5)
    values = 1 + slope * years + rng.normal(0, math.hypot(own, repeats), len(years))
    return years, values, np.full(len(years), math.hypot(own, COMMON_SHARE))


def test_lives_that_do_not_age():
    """Read at every date: a false *it ages* in under 5 % of 200."""
    rng = np.random.default_rng(31)
    false = 0
    for _ in range(200):
        years, values, u = life(rng, 0.0)
        looks = (trend_of(years[:k], values[:k], u[:k], 0.8) for k in range(4, len(years) + 1))
        false += any(trend is not None and trend.ages for trend in looks)
    print(f"{false} of 200 false")
    assert false < 10


def test_the_date_of_spent_lies_in_its_interval():
    """300 lives that age: where an interval is stated it holds the date, if it goes on as it did, and if it bends after what was measured."""
    rng = np.random.default_rng(32)
    told = {1.0: [], 0.6: [], 1.7: []}
    for _ in range(300):
        slope = -rng.uniform(0.01, 0.06)
        years, values, own = life(rng, slope)
        trend = trend_of(years, values, own, 0.8)
        if trend is None or trend.between is None:
            continue
        last, left = years.max(), max(-0.2 / slope - years.max(), 0.0)
        for pace, inside in told.items():
            date = last + left / pace if left else -0.2 / slope
            inside.append(trend.between[0] <= date <= trend.between[1])
    print({pace: f"{100 * np.mean(inside):.1f} % of {len(inside)}" for pace, inside in told.items()})
    assert len(told[1.0]) > 200
    assert all(np.mean(inside) >= 0.86 for inside in told.values())


@pytest.mark.parametrize("change", ["another meter", "another accuracy"])
def test_what_is_not_one_meter_does_not_cancel(change):
    from ubrant.runs.studies.compare import Compared, shared_by

    def one(meter: Meter, number: int) -> Compared:
        stored = under_options(
            from_log(LogFile("x.csv", np.arange(5.0) * 60, np.full(5, 13.0), np.full(5, 1.0))),
            LogOptions(meters={"battery": meter}, unit=UNIT),
        )
        record = stored.record()
        return Compared(stored.run, f"run {number}", record, account_of_stored(record))

    kept = Meter("Bench", "0.1 % + 5 mV", "0.5 % + 10 mA", id=3)
    other = Meter("Bench", "0.1 % + 5 mV", "0.5 % + 10 mA", id=4) if change == "another meter" else Meter("Bench", "1 %", "1 %", id=3)
    assert shared_by(one(kept, 1), one(kept, 2)).meters
    assert not shared_by(one(kept, 1), one(other, 2)).meters
    assert not shared_by(one(METER, 1), one(METER, 2)).meters  # only sounds alike: it was never kept
