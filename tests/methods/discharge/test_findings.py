"""What else a run says: ends, cells, another meter, leaving the expected curve."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import record
from ubrant.core.battery.ending import Ends
from ubrant.core.battery.resistance import find_edges
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.deviation import leaves_expected
from ubrant.methods.discharge.findings import Others, judged


def follow(ends: Ends, rows) -> str:
    watch = ends.watch()
    return next((said for row in rows if (said := watch.reached(*row))), "")


def test_ends_by_resistance_that_rises():
    """Steps from 0 to 1 A: 50 mΩ at first, 80 later."""
    rows = []
    for k in range(12):
        ohm = 0.05 if k < 8 else 0.08
        rows += [(20.0 * k, 12.0, 0.0, None), (20.0 * k + 10, 12.0 - ohm, 1.0, None)]
    assert follow(Ends(resistance_rise=1.5), rows) == "resistance"
    assert follow(Ends(resistance_rise=2.0), rows) == ""


def test_it_is_read_sooner_as_the_cut_off_comes_near():
    """Falling 0.01 V/s: with 1 V left that is 100 s, so in 25 s; never sooner than a twentieth of the interval; under it after its hold."""
    watch = Ends(cutoff=Cutoff(11.0, 3.0)).watch()
    assert watch.next_after(60.0) == 60.0
    watch.reached(0.0, 12.6, 5.0)
    watch.reached(60.0, 12.0, 5.0)
    assert watch.next_after(60.0) == pytest.approx(25.0)
    assert watch.next_after(10.0) == 10.0
    watch.reached(70.0, 11.01, 5.0)
    assert watch.next_after(60.0) == pytest.approx(3.0)
    watch.reached(71.0, 10.9, 5.0)
    assert watch.next_after(60.0) == pytest.approx(3.0)
    assert Ends().watch().next_after(60.0) == 60.0


def test_a_step_of_the_load_is_no_fall():
    watch = Ends(cutoff=Cutoff(11.0, 1.0)).watch()
    watch.reached(0.0, 12.6, 0.0)
    watch.reached(10.0, 11.6, 5.0)
    assert watch.next_after(60.0) == 60.0


def test_ends_when_it_gains_too_slowly():
    rows = [(60.0 * k, 12.0, 1.0 if k < 30 else 0.05, None) for k in range(60)]
    assert follow(Ends(slow_ah_per_h=0.1), rows) == "slow gain"
    assert follow(Ends(slow_ah_per_h=0.01), rows) == ""


def test_ends_with_the_end_current_of_a_charge():
    rows = [(10.0 * k, 14.6, -5.0 * np.exp(-k / 10), None) for k in range(100)]
    assert follow(Ends(end_a=0.5), rows) == "end current"


def test_a_momentary_dip_is_not_the_end():
    rows = [(1.0 * k, 10.9 if k in (5, 6) else 12.0, 1.0, None) for k in range(20)]
    assert follow(Ends(Cutoff(11.0, 5.0)), rows) == ""


@pytest.mark.parametrize(
    ("ends", "says"),
    [(Ends(Cutoff(11.0)), "11 V at the battery has lasted 1.0 s"), (Ends(charge_ah=20), "20 Ah are out"), (Ends(), "you stop it")],
)
def test_says_how_it_ends(ends, says):
    assert says.replace("1.0 s", "1 s") in ends.describe().replace("1.0 s", "1 s")


def test_the_weakest_cell_is_named():
    cells = {k: Series(np.array([0.0, 9000.0]), np.array([3.33, 3.31 - (0.4 if k == 3 else 0)])) for k in (1, 2, 3, 4)}
    found = judged(record(), Others(cells=cells))
    assert found.findings["weakest_cell"].value == 3
    assert found.findings["cell_spread"].value == pytest.approx(400)
    assert "Cell 3 ends this run" in " ".join(found.warnings)


def test_a_cell_under_its_floor_is_warned_about():
    cells = {k: Series(np.array([0.0]), np.array([2.4 if k == 1 else 3.0])) for k in (1, 2)}
    assert "Cell 1 was at 2.400 V, under the floor of 2.5 V" in " ".join(judged(record(), Others(cells=cells)).warnings)


def test_another_meter_that_disagrees_is_pointed_out():
    body = falling()
    other = Series(body.time_s, body.voltage_v + 0.2)
    assert "Another meter at the same place shows 0.20 V more" in " ".join(judged(record(), Others(other_v=other)).warnings)
    assert not [w for w in judged(record(), Others(other_v=Series(body.time_s, body.voltage_v + 0.005))).warnings if "Another" in w]


def test_edges_of_pulses():
    time = np.arange(0.0, 40.0)
    amps = np.where((time // 10) % 2 == 0, 0.0, 2.0)
    edges = find_edges(Readings(time, 12.0 - 0.05 * amps, amps), 0.5)
    assert [e.resistance_ohm for e in edges] == pytest.approx([0.05] * 3)


def test_leaving_the_expected_curve():
    expected = np.linspace(0, 50, 200)
    curve = 13.2 - 2.2 * (expected / 50) ** 8
    weak = np.linspace(0, 30, 100)
    follows = 13.1 - 2.2 * (weak / 50) ** 8  # a resistance guessed wrong shifts the whole curve: that is no departure
    assert leaves_expected(weak, follows, expected, curve) == ""
    falls = 13.1 - 2.2 * (weak / 33) ** 8
    assert "under it by now, and it may hold less than its label says" in leaves_expected(weak, falls, expected, curve)
