"""What a spoilt sum would change and nothing else looks at: bounds, units, what is held back and from where on."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.making import record_for
from tests.methods.samples import SAMPLES
from ubrant.core.battery.device_charge import DeviceRecharge
from ubrant.core.battery.percent import PercentChange
from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.gate.figures import Doubt, Expected, of_figures, of_volts, room_about, unconfirmed
from ubrant.core.meter_checks.checks import drifted
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import unit_factor
from ubrant.core.quantities.readings import Series
from ubrant.core.sources.charging import Charged, analyse_charger
from ubrant.core.uncertainty.contributions import coverage_of
from ubrant.core.uncertainty.decision import GUARD, as_judged, decided, guard
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import exactly, scattered, within


@pytest.mark.parametrize(("symbol", "factor"), [("MAh", 1e-3), ("MV", 1e-3), ("MW", 1e6), ("kAh", 1e3), ("mWh", 1e-3)])
def test_a_capital_m_is_milli_where_nobody_has_mega(symbol, factor):
    assert unit_factor(symbol).value == pytest.approx(factor)


def test_a_charger_that_never_falls_gives_at_least_so_many_volts():
    """14.4 V less twice 0.02 V ÷ √3: what its meter may have shown too much."""
    read = Charged(np.array([12.0, 13.0, 14.4]), np.full(3, 5.0), Accuracy(0.0, 0.02, "V"), Accuracy(0.001, 0.0, "A"), {})
    found = analyse_charger(read)[0]["set_voltage"]
    assert (found.bound, found.value) == (AT_LEAST, pytest.approx(14.4 - 2 * 0.02 / math.sqrt(3)))


def check(day: str, off: float, u: float) -> MeterCheck:
    return MeterCheck(day, "Reference", "A", 10.0, off, u, 1.0, 0.0, "1 %")


@pytest.mark.parametrize(("off", "is_out"), [(0.102, False), (0.108, True)])
def test_a_check_is_out_beyond_its_own_doubt(off, is_out):
    """One earlier check at 0.5 % of 10 A: the next is out from 0.5 % plus its own 0.05 A of 10 A on."""
    history = [check("2026-01-01", 0.05, 0.02)]
    assert bool(drifted(history, check("2026-06-01", off, 0.055))) is is_out


def percent(points: float, from_s: float, to_s: float) -> PercentChange:
    return PercentChange(90.0, 90.0 - points, 0.5, 0.5, from_s, to_s)


def test_a_charge_that_the_source_was_not_followed_through_is_a_part():
    device = percent(-80.0, 0.0, 7200.0)
    assert DeviceRecharge(None, device).missed_s == 0.0
    followed = DeviceRecharge(percent(20.0, 0.0, 7200.0 - 419.0), device)
    assert not followed.is_part, "a twentieth of two hours, and a minute"
    assert DeviceRecharge(percent(20.0, 0.0, 7200.0 - 421.0), device).is_part


# what is held back


def figure(value: float, half: float = 0.0, bound: str = "") -> dict[str, Finding]:
    return {"wh": Finding.made("wh", "Given", exactly(value) + within(half, "limit"), "Wh", "", bound=bound)}


@pytest.mark.parametrize(
    ("value", "half", "bound", "held"),
    [
        (4.9, 0.0, "", True),
        (5.1, 0.0, "", False),
        (19.9, 0.0, "", False),
        (20.1, 0.0, "", True),
        (4.9, 0.2, "", False),  # within its ±
        (20.1, 0.2, "", False),
        (4.9, 0.0, AT_LEAST, False),
        (20.1, 0.0, AT_LEAST, True),
        (20.1, 0.0, AT_MOST, False),
        (4.9, 0.0, AT_MOST, True),
    ],
)
def test_a_share_of_a_label_is_held_back_outside(value, half, bound, held):
    """Between half and twice 10 Wh."""
    expected = (Expected("wh", 0.5, 2.0, lambda _: 10.0, "Is it so?"),)
    found = list(of_figures(figure(value, half, bound), expected, None))
    assert [doubt.key for doubt in found] == (["figure-wh"] if held else [])
    assert not held or "% of the 10 Wh on its label" in found[0].sentence


@pytest.mark.parametrize(("volts", "held"), [((10.0, 10.0, 0.1), False), ((7.4, 7.4, 10.0), True), ((12.1, 12.1, 9.0), True), ((), False)])
def test_the_middle_of_the_volts_is_that_of_the_label(volts, held):
    """From 7.5 to 12 V; what stands near zero was off."""
    made = SAMPLES["brick"].prepared("brick", by_hand=True)
    columns = {"load_V": Series(np.arange(len(volts), dtype=float), np.array(volts))} if volts else {}
    record = record_for("brick", made, **columns)
    found = list(of_volts(record, {"output": room_about(10.0, (0.75, 1.2))}, {"load": "output"}))
    assert [doubt.key for doubt in found] == (["volts-output"] if held else [])


def test_what_was_looked_at_is_not_asked_again():
    made = SAMPLES["brick"].prepared("brick", by_hand=True)
    record = record_for("brick", made)
    both = (Doubt("a", "A."), Doubt("b", "B.", "1 V"))
    assert unconfirmed(both, record) == both
    assert [d.question.yes for d in both] == ["It is so", "1 V is so"]


# when it is decided


def test_a_guard_is_wider_than_a_stated_uncertainty():
    sure = Finding.made("x", "x", 100 + scattered(1.0, "noise"), "%", "")
    assert guard(sure) == pytest.approx(GUARD)
    few = Finding.made("x", "x", 100 + scattered(1.0, "noise", 5.5), "%", "")
    assert guard(few) == pytest.approx(GUARD / 2 * coverage_of(5.5))
    assert coverage_of(5.0) > coverage_of(5.5) > coverage_of(6.0) > 2.0
    assert guard(Finding("x", "x", 1.0, "%", None, "")) is None


@pytest.mark.parametrize(("limit", "told"), [(97.7, 1), (97.9, 0), (102.1, 0), (102.3, -1)])
def test_outside_its_guard_it_is_decided(limit, told):
    assert decided(Finding.made("x", "x", 100 + scattered(1.0, "noise"), "%", ""), limit) == told


def test_a_figure_without_a_doubt_is_not_judged_by_repeats():
    bare = Finding("x", "x", 1.0, "%", None, "")
    assert as_judged(bare) is bare
    assert decided(bare, 0.0) == 0
