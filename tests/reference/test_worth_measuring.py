"""What would tell most, against an oracle of its own: closed sums in plain NumPy, nested draws, no walk and no model of core's.

Value of information after Raiffa & Schlaifer, *Applied Statistical Decision Theory*, 1961, and Howard, "Information Value Theory", 1966; here by brute force.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import pytest

from ubrant.core.outlook.answers import look
from ubrant.core.outlook.doubts import TestInThought, doubts_of, learning_of, ranked_tests
from ubrant.core.outlook.duty import Duty
from ubrant.core.outlook.kit import Kit, Load, Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.worth.narrowing import TestReading, choice_changes, narrowed

ORACLE, TRUTHS = 6000, 24


@dataclass(frozen=True)
class Case:
    """One made-up outlook: by name, (middle, half-width or u, whether it is a rectangle) and with how much of it a test says each."""

    parts: dict[str, tuple[float, float, bool]]
    reaches: dict[str, float]
    wanted_h: float

    def draw(self, rng: np.random.Generator, count: int, known: dict[str, tuple[float, float]] | None = None) -> dict[str, np.ndarray]:
        found = {}
        for name, (middle, wide, flat) in self.parts.items():
            if known and name in known:
                value, u = known[name]
                found[name] = value + u * rng.standard_normal(count)
            else:
                found[name] = rng.uniform(middle - wide, middle + wide, count) if flat else middle + wide * rng.standard_normal(count)
        return found


def hours(v: dict[str, np.ndarray]) -> np.ndarray:
    """Wh over W, as one would on paper."""
    drawn = v["fridge"] * np.clip(v["duty"], 0, 1) + v["lamp"]
    return np.maximum(v["wh"], 0) / (drawn * (1 + v["loss"]) + v["idle"])


def made(rng: np.random.Generator) -> Case:
    def some(low: float, high: float, least: float, most: float) -> tuple[float, float, bool]:
        middle = rng.uniform(low, high)
        flat = bool(rng.random() < 0.5)
        return middle, middle * rng.uniform(least, most) * (1.0 if flat else 0.5), flat

    parts = {
        "wh": some(200, 2000, 0.01, 0.22),
        "fridge": some(30, 90, 0.01, 0.2),
        "duty": some(0.25, 0.7, 0.02, 0.35),
        "lamp": some(2, 30, 0.01, 0.4),
        "loss": some(0.06, 0.3, 0.05, 0.5),
        "idle": some(2, 14, 0.03, 0.5),
    }
    reaches = {name: float(rng.uniform(0.005, 0.05)) for name in parts}
    likely = float(np.mean(hours({k: np.array([m]) for k, (m, _, _) in parts.items()})))
    return Case(parts, reaches, likely * float(rng.uniform(0.5, 1.5)))


def uncertain(part: tuple[float, float, bool]) -> Uncertain:
    middle, wide, flat = part
    return Uncertain(middle, 0.0, middle - wide, middle + wide) if flat else Uncertain(middle, wide)


def kit_of_case(case: Case) -> Kit:
    p = {k: uncertain(v) for k, v in case.parts.items()}
    zero = Uncertain(0.0)
    way = Way("inverter", loss=(p["idle"], p["loss"], zero))
    fridge = Load("fridge", p["fridge"], Duty((), p["duty"]), way="inverter")
    return Kit((Source("pack", p["wh"]),), (fridge, Load("lamp", p["lamp"], way="inverter")), (way,))


PLACES = {"wh": "capacity", "fridge": "load", "duty": "share", "lamp": "load", "loss": "proportional", "idle": "fixed"}


def half(values: np.ndarray) -> float:
    low, high = np.percentile(values, (5, 95))
    return float(high - low) / 2


def oracle_widths(case: Case, rng: np.random.Generator) -> tuple[float, dict[str, np.ndarray], float]:
    """Half-width as it stands; after each test, truth by truth; and the chance that it lasts as long as is wanted."""
    before = hours(case.draw(rng, 40_000))
    after = {}
    for name, (middle, _, _) in case.parts.items():
        u = case.reaches[name] / 2 * middle
        truths = case.draw(rng, TRUTHS)[name]
        results = truths + u * rng.standard_normal(TRUTHS)
        after[name] = np.array([half(hours(case.draw(rng, ORACLE, {name: (float(r), u)}))) for r in results])
    return half(before), after, float(np.mean(before >= case.wanted_h))


@dataclass
class Tally:
    """Over many cases."""

    best: int = 0
    cases: int = 0
    ratios: list[float] | None = None
    needless: int = 0
    needless_right: int = 0
    sure: int = 0
    sure_said: int = 0
    regret: float = 0.0


def tally(count: int, seed: int) -> Tally:
    rng = np.random.default_rng(seed)
    found = Tally(ratios=[])
    assert found.ratios is not None
    for _ in range(count):
        case = made(rng)
        kit = kit_of_case(case)
        learning = learning_of(kit, look(kit), case.wanted_h * 3600)
        assert learning is not None
        by_place = {(d.field, d.name): d for d in doubts_of(kit)}
        names = {"wh": "pack", "fridge": "fridge", "duty": "fridge", "lamp": "lamp", "loss": "inverter", "idle": "inverter"}
        tests = [TestInThought(n, (by_place[PLACES[n], names[n]],), (case.reaches[n],)) for n in case.parts]
        ranked = ranked_tests(learning, tests)
        before, after, enough = oracle_widths(case, rng)
        means = {name: float(np.mean(widths)) for name, widths in after.items()}
        least = min(means.values())
        first, gain = ranked[0]
        found.cases += 1
        found.best += means[first.key] <= 1.1 * least
        found.regret += (means[first.key] - least) / before / count
        came = float(rng.choice(after[first.key]))
        found.ratios.append(came / (gain.after / 3600))
        change = min(enough, 1.0) if enough < 0.9 else 1 - enough
        if learning.is_settled:
            found.needless += 1
            found.needless_right += change < 0.07
        if change < 0.01:
            found.sure += 1
            found.sure_said += learning.is_settled
    return found


@pytest.mark.parametrize("count", [30, pytest.param(300, marks=pytest.mark.slow)])
def test_what_is_named_first_narrows_most_and_what_is_promised_comes(count):
    found = tally(count, seed=31)
    assert found.ratios is not None
    assert found.best >= 0.9 * found.cases
    assert 0.9 <= float(np.median(found.ratios)) <= 1.1
    within = np.mean([(0.6 <= r <= 1.6) for r in found.ratios])
    assert within >= 0.9
    assert found.needless_right >= 0.95 * found.needless
    assert found.sure_said >= 0.8 * found.sure
    assert found.needless > 0
    assert found.sure > 0
    assert found.regret < 0.01


def test_two_normals_make_the_textbook_posterior():
    """A sum of two independent normals, one of which is measured: what is left is √(σ₂² + u²). JCGM 100, 5.1.2."""
    rng = np.random.default_rng(0)
    a, b = 3 * rng.standard_normal(4000), 1.5 * rng.standard_normal(4000)
    found = narrowed(20 + a + b, TestReading(a, 0.4), wanted=20.0, confidence=0.5)
    k = 1.645
    assert found.before == pytest.approx(k * math.hypot(3, 1.5), rel=0.04)
    assert found.after == pytest.approx(k * math.hypot(0.4, 1.5), rel=0.05)
    assert found.changes == pytest.approx(0.5, abs=0.1)
    low = narrowed(
        20 + a + b, TestReading(a, 0.4), wanted=15.0, confidence=0.5
    )  # a result 5 below the middle, of a spread of 3, would turn it
    assert low.changes == pytest.approx(0.5 * math.erfc(5 / 3.03 / math.sqrt(2)), abs=0.07)


def test_what_it_would_read_no_better_than_is_known_tells_nothing():
    rng = np.random.default_rng(1)
    a = rng.standard_normal(1000)
    found = narrowed(a, TestReading(a, 1.5), wanted=0.0)
    assert found.after == found.before
    assert found.changes == 0.0


@pytest.mark.parametrize("gap", [0.2, 1.0, 3.0])
def test_chance_that_another_is_chosen_is_the_textbooks(gap):
    """Two options, A ahead by ``gap``; A's value, of spread σ, is measured to u: the mean after moves with σ² over √(σ² + u²) (Howard 1966)."""
    rng = np.random.default_rng(2)
    a, b = gap + rng.standard_normal(6000), 0.7 * rng.standard_normal(6000)
    u = 0.1
    found = choice_changes([a, b], [TestReading(a, u), None])
    moved = math.sqrt(1 + u**2)
    expected = 0.5 * math.erfc(gap / moved / math.sqrt(2))
    assert found == pytest.approx(expected, abs=0.07)
