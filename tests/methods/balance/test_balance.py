"""What comes in, goes out and charges, at one node: closing, the largest load for ever, ranges up and down, slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.sources.branches import BATTERY, CARRIED, IN, LOSING, ON_BATTERY, OUT, Branches
from ubrant.core.sources.node import analyse_node

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.01, "A")
METERS = {(b, q): (V if q == "V" else A) for b in (IN, OUT, BATTERY) for q in "VA"}


def branches(into, load, battery, volts=(13.5, 13.3, 13.2), accuracy=METERS) -> Branches:
    columns = {IN: into, OUT: load, BATTERY: battery}
    amps = {b: np.array(c, float) for b, c in columns.items()}
    of_v = {b: np.full(len(into), v, float) for b, v in zip((IN, OUT, BATTERY), volts, strict=True)}
    return Branches(of_v, amps, {}, accuracy, 600.0 * np.arange(len(into)))


def test_a_pack_with_a_two_ampere_charger():
    """Common practice, no source: load 1 A, 1 A into the battery; 3 A, 1 A out of it; 5 A, 3 A out. Kirchhoff's current law at every point."""
    node = analyse_node(branches([2, 2, 2], [1, 3, 5], [-1, 1, 3]))
    assert [node.findings[f"residual_{k}"].value for k in (1, 2, 3)] == pytest.approx([0, 0, 0])
    assert node.closes == (True, True, True)
    assert node.states == (CARRIED, LOSING, LOSING)
    assert node.findings["largest_sustained_load"].value == pytest.approx(2 * 13.3)
    steady = node.findings["largest_sustained_load"].expanded_uncertainty
    falling = analyse_node(branches([2.4, 1.6, 1.6], [1, 3, 5], [-1.4, 1.4, 3.4])).findings["largest_sustained_load"].expanded_uncertainty
    assert falling**2 - steady**2 == pytest.approx((2 * 0.8 * 13.3 / 2 / math.sqrt(3)) ** 2, rel=0.1)


def test_the_battery_that_is_not_read_is_worked_out():
    nan = float("nan")
    node = analyse_node(branches([2, 2], [1, 3], [nan, nan]))
    assert node.branches.amps[BATTERY] == pytest.approx([-1, 1])
    assert node.closes == (None, None)
    assert "was not read at 2 points" in node.warnings[0]
    assert node.findings["residual_1"].value is None


def test_a_small_backup_module_up_and_down():
    """Common practice, no source: on its cell up to 400 mA although supplied, charging from 450 mA, losing at 1 A."""
    load = [0.13, 0.40, 0.45, 0.60, 1.00, 0.60, 0.40]
    into = [0.0, 0.0, 0.75, 0.75, 0.97, 0.75, 0.60]
    battery = [o - i for o, i in zip(load, into, strict=True)]
    node = analyse_node(branches(into, load, battery, (5.0, 5.0, 5.0)))
    assert node.states == (ON_BATTERY, ON_BATTERY, CARRIED, CARRIED, LOSING, CARRIED, CARRIED)
    assert 5 * 0.6 < node.findings["largest_sustained_load"].value < 5 * 1.0


def test_one_that_does_not_close_names_the_branch():
    """A clamp on the battery that reads a tenth too much."""
    battery = np.array([-2.0, -1.0, 1.0, 3.0])
    node = analyse_node(branches([2, 2, 2, 2], [0, 1, 3, 5], 1.1 * battery))
    assert False in node.closes
    assert "does not close" in node.warnings[-1]
    assert "The battery's amperes times 0.909 would close them all" in node.warnings[-1]
    found = node.findings["gain_battery"]
    assert found.value == pytest.approx(10.0)


def test_a_sign_the_other_way_round_is_turned_and_said():
    node = analyse_node(branches([2, 2, 2], [1, 3, 5], [1, -1, -3]))
    assert node.branches.amps[BATTERY] == pytest.approx([-1, 1, 3])
    assert "taken the other way round" in node.warnings[0]


def test_across_a_converter_power_is_balanced():
    """12 V in, 5 V out: watts, and what is left over is lost."""
    node = analyse_node(branches([1.0, 1.0], [1.8, 0.5], [0.0, 0.0], (12.0, 5.0, 12.5)))
    assert node.findings["residual_1"].unit == "W"
    assert node.findings["residual_1"].value == pytest.approx(12 - 9)
    assert "power is balanced" in node.warnings[0]


@pytest.mark.parametrize(
    ("into", "load", "battery", "text"),
    [([2, 2], [0.5, 1], [-1.5, -1], "at least 13.3 W"), ([0.5, 0.5], [1, 3], [0.5, 2.5], "at most 13.3 W")],
)
def test_bounds(into, load, battery, text):
    assert analyse_node(branches(into, load, battery)).findings["largest_sustained_load"].value_text() == text


def test_one_branch_alone_is_refused():
    nan = float("nan")
    with pytest.raises(ReadingsError, match="two branches"):
        analyse_node(branches([2.0], [nan], [nan]))


NOTES = """method: balance
unit: Pack
kind: battery
label: 20 Ah 12.8 V LiFePO4
meter charger: one
amps charger: 1 % + 10 mA
meter load: two
volts load: 0.5 % + 10 mV
amps load: 1 % + 10 mA
meter battery: three
amps battery: 1 % + 10 mA
started: 2026-11-01 10:00

+1min charger 13.9 V 2.00 A load 13.4 V 1.00 A battery 13.5 V -1.00 A
+2min charger 13.5 V 2.00 A load 12.9 V 3.00 A battery 13.1 V 1.00 A
"""


def test_notes_from_a_file(tmp_path):
    path = tmp_path / "node.jot"
    path.write_text(NOTES, "utf-8")
    found = said(str(path))["findings"]
    assert found["residual_1"]["value"] == pytest.approx(0.0)
    assert found["residual_2"]["unit"] == "A"
    assert found["largest_sustained_load"]["value"] == pytest.approx((13.4 + 38.7) / 2)
    path.write_text(NOTES.replace("battery 13.5 V -1.00 A", "battery 13.5 V -1.60 A"), "utf-8")
    assert "it does not close" in " ".join(ubrant("analyse", str(path)).stdout.split())


def test_a_table(tmp_path):
    path = tmp_path / "node.csv"
    path.write_text("charger current (A),load voltage (V),load current (A),battery current (A)\n2,13.4,1,-1\n2,12.9,3,1\n2,12.7,5,3\n")
    found = said(str(path), "--method", "balance")["findings"]
    assert found["largest_sustained_load"]["value"] == pytest.approx((13.4 + 38.7) / 2)


def test_the_truth_is_inside(share):
    """300 nodes, three meters each wrong by themselves: nothing is left over; where the battery begins to give is inside."""

    def draw(rng):
        charger, ocv, ohm = rng.uniform(0.5, 10), rng.uniform(11, 14), rng.uniform(0.005, 0.05)
        load = charger * np.array([0.3, 0.6, 0.9, 1.15, 1.5])
        battery = load - charger
        volts = ocv - ohm * battery
        accuracy = {key: Accuracy(rng.uniform(0.002, 0.02), 0.003 * charger if key[1] == "A" else 0.01, key[1]) for key in METERS}

        def off(key, column):
            one = accuracy[key]
            return column * (1 + rng.uniform(-1, 1) * one.gain) + rng.uniform(-1, 1) * one.zero

        read = Branches(
            {b: off((b, "V"), volts) for b in (IN, OUT, BATTERY)},
            {IN: off((IN, "A"), np.full(5, charger)), OUT: off((OUT, "A"), load), BATTERY: off((BATTERY, "A"), battery)},
            {},
            accuracy,
            600.0 * np.arange(5),
        )
        found = analyse_node(read).findings
        pairs = {"residual": (found["residual_2"].value, found["residual_2"])}
        largest = found.get("largest_sustained_load")
        if largest is not None and not largest.bound:
            pairs["load"] = (largest.value - charger * ocv, largest)
        return pairs

    trial("node", draw, share)


def test_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Pack", "battery", "20 Ah 12.8 V LiFePO4"), "balance", loads="0, 1, 3 A")
    begin(window, qtbot)
    for text in (
        "charger 2.00 A load 13.6 V 0 A battery -2.00 A",
        "charger 2.00 A load 13.4 V 1.00 A battery -1.00 A",
        "load 12.9 V 3.00 A battery 1.00 A",
    ):
        say_line(window, qtbot, text)
    model = window.run.table.model
    assert [model.data(model.index(k, model.place_of("says"))) for k in range(3)] == ["charges 2.00 A", "charges 1.00 A", "gives 1.00 A"]
    account = close(window, qtbot)
    assert account.findings["largest_sustained_load"].value == pytest.approx((13.4 + 38.7) / 2)
    assert "carried at 0 to 1 A; losing at 3 A" in account.sentence
    assert any("charger's current was not read at 1 points" in text for text in account.warnings)


def with_leads(rng, ohms: dict[str, float], n: int = 9, gv=0.0, zv=0.0, ga=0.0, za=0.0) -> Branches:
    """Points whose currents vary by themselves, with these leads between the node and where each voltage is read."""
    into, load = rng.uniform(0, 5, n), rng.uniform(0, 6, n)
    amps = {IN: into, OUT: load, BATTERY: load - into}
    node = 13.2 - 0.03 * amps[BATTERY]
    volts = {b: node + (-a if b == OUT else a) * ohms[b] for b, a in amps.items()}
    wrong = {b: (v * (1 + rng.uniform(-gv, gv)) + rng.uniform(-zv, zv)).round(3) for b, v in volts.items()}
    read = {b: a * (1 + rng.uniform(-ga, ga)) + rng.uniform(-za, za) for b, a in amps.items()}
    limits = {(b, q): Accuracy(gv, zv, "V") if q == "V" else Accuracy(ga, za, "A") for b in amps for q in "VA"}
    return Branches(wrong, read, {}, limits, 600.0 * np.arange(n))


def test_leads_are_told_apart_where_two_currents_vary_and_not_where_one_does():
    ohms = {IN: 0.050, OUT: 0.080, BATTERY: 0.020}
    found = analyse_node(with_leads(np.random.default_rng(2), ohms)).findings
    for branch, ohm in ohms.items():
        assert found[f"lead_{branch}"].value == pytest.approx(ohm, abs=2e-4)
    one = branches([2, 2, 2, 2, 2], [0, 1, 2, 3, 4], [-2, -1, 0, 1, 2])
    assert "lead_battery" not in analyse_node(one).findings
    short = analyse_node(with_leads(np.random.default_rng(2), {IN: 0.05, OUT: 0.08, BATTERY: 0.0}, zv=0.02, gv=0.005)).findings
    assert short["lead_battery"].bound == "at most"


def test_leads_at_a_node_lie_inside_their_uncertainty(share):
    def draw(rng):
        ohms = {IN: rng.uniform(0.02, 0.1), OUT: rng.uniform(0.02, 0.1), BATTERY: rng.uniform(0.01, 0.05)}
        found = analyse_node(with_leads(rng, ohms, int(rng.integers(6, 13)), 0.003, 0.01, 0.01, 0.01)).findings
        return {b: (found[f"lead_{b}"].value - ohm, found[f"lead_{b}"]) for b, ohm in ohms.items() if not found[f"lead_{b}"].bound}

    trial("leads at a node", draw, share)
