"""A backup module: charger, cell, step-up. What its cell does at each load, by its current, by its volts, or bounded; typed, from a file, the same."""

from __future__ import annotations

import numpy as np
import pytest

from tests.command_line import said
from tests.window import begin, close, needs, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.sources.behind_stages import behind_stages
from ubrant.core.sources.branches import BATTERY, CARRIED, IN, LOSING, NO_DRAIN_SEEN, NOT_KNOWN, ON_BATTERY, OUT, Branches
from ubrant.core.sources.node import analyse_node
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, BETWEEN

KEEPER = Unit("Cell keeper", "bank", "3.7 V 2.2 Ah Li-ion")
LINES = (
    (300, "charger 5.12 V 0.060 A load 5.08 V 0 A battery 4.05 V"),
    (1020, "battery 4.05 V"),
    (1500, "charger 5.12 V 0.05 A load 5.06 V 0.130 A battery 4.03 V"),
    (2520, "battery 4.00 V"),
    (2880, "charger 5.05 V 0.40 A load 5.05 V 0.30 A battery 3.98 V"),
    (4020, "battery 4.01 V"),
    (4320, "charger 5.02 V 0.95 A load 4.99 V 0.60 A battery 4.00 V"),
    (5460, "battery 4.03 V"),
    (5760, "charger 4.98 V 1.03 A load 4.95 V 1.06 A battery 3.94 V"),
    (6120, "battery 3.90 V"),
    (6720, "battery 3.86 V"),
)
SENTENCE = "It carries 2.99 W without running down, and 5.25 W no more; losing at 0.13 A; carried at 0.3 to 0.6 A; losing at 1.06 A."
V, A = Accuracy(0.005, 0.005, "V"), Accuracy(0.01, 0.005, "A")


@pytest.fixture(autouse=True)
def needed():
    needs("balance")


def rows(*lines: tuple[float, float, float, float, float, float, float]) -> Branches:
    """(s, charger V, A, load V, A, battery V, A) each; NaN for what was not read."""
    t, cv, ca, lv, la, bv, ba = np.array(lines, float).T
    half = {f"{b} {q}": np.full(len(t), 0.005) for b in (IN, OUT, BATTERY) for q in "VA"}
    accuracy = {(b, q): V if q == "V" else A for b in (IN, OUT, BATTERY) for q in "VA"}
    return Branches({IN: cv, OUT: lv, BATTERY: bv}, {IN: ca, OUT: la, BATTERY: ba}, half, accuracy, t)


N = float("nan")


def test_from_a_file(tmp_path):
    path = tmp_path / "notes.jot"
    head = "method: balance\nunit: Cell keeper\nkind: bank\nlabel: 3.7 V 2.2 Ah Li-ion\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\n\n"
    path.write_text(head + "".join(f"+{s / 60:.0f}min {line}\n" for s, line in LINES), "utf-8")
    found = said(str(path))
    assert found["sentence"] == SENTENCE
    largest = found["findings"]["largest_sustained_load"]
    assert (largest["bound"], largest["low"], largest["high"]) == ("between", pytest.approx(2.994), pytest.approx(5.247))
    assert any(text.startswith("At 1 of 5 loads the battery's volts stood: no drain seen") for text in found["warnings"])
    assert "idle_power" not in found["findings"], "it may have given some of it"


def test_typed_in_the_window(bench_window, qtbot):
    """A row of the battery's volts alone answers no load, and is taken."""
    window = bench_window
    prepare(window, KEEPER, "balance", loads="0, 0.13, 0.3, 0.6, 1.06 A")
    begin(window, qtbot)
    before = 0.0
    for s, line in LINES:
        say_line(window, qtbot, line, after_s=s - before)
        before = s
        assert not window.run.jot_line.text(), "it was taken"
    assert window.run.aside.text() == "5 of 5 points"
    close(window, qtbot)
    assert window.findings.account.sentence == SENTENCE
    assert window.findings.account.findings["largest_sustained_load"].value_text() == "3.0 to 5.2 W"
    assert not window.findings.account.questions, "5 V are no other label's where a step-up stands between"


@pytest.mark.parametrize(
    ("lines", "states"),
    [
        ([(0, 5.1, 0.6, 5.0, 0.4, 3.9, -0.1), (900, 5.1, 0.6, 5.0, 0.8, 3.8, 0.4)], (CARRIED, LOSING)),
        ([(0, 5.1, 0.0, 5.0, 0.4, 3.9, 0.6), (900, 5.1, 0.6, 5.0, 0.8, 3.8, 0.0)], (ON_BATTERY, CARRIED)),
        ([(0, 5.1, 0.6, 5.0, 0.4, 3.9, N), (900, 5.1, 0.6, 5.0, 0.8, 3.8, N)], (NOT_KNOWN, LOSING)),
        ([(0, 5.1, 0.0, 5.0, 0.4, N, N), (900, 5.1, 0.1, 5.0, 0.4, 3.8, N)], (LOSING,)),
        ([(0, 5.1, 0.6, 5.0, 0.4, 3.90, N), (120, N, N, N, N, 3.88, N), (900, 5.1, 0.6, 5.0, 0.5, 3.8, N)], (NOT_KNOWN, NOT_KNOWN)),
        ([(0, 5.1, 0.6, 5.0, 0.4, 3.9, N), (60, 5.1, 0.6, 5.0, 0.5, 3.86, N), (700, N, N, N, N, 3.80, N)], (NOT_KNOWN, NOT_KNOWN)),
    ],
)
def test_states(lines, states):
    """By amperes, by *more comes out than goes in*; not by volts soon after the load was another, or read too soon one after the other."""
    assert analyse_node(rows(*lines)).states == states


def test_by_what_goes_in_alone():
    """3.06 W in and 0.5 W out: half of it at least reaches the cell's side, and half of what leaves that comes out."""
    assert analyse_node(rows((0, 5.1, 0.6, 5.0, 0.1, 3.9, N), (900, 5.1, 0.6, 5.0, 0.1, N, N))).states == (CARRIED,)
    found = analyse_node(rows((0, 5.1, 0.6, 5.0, 0.1, 3.9, N), (900, 5.1, 0.6, 5.0, 0.4, 3.9, N))).findings["battery_1"]
    low, high = found.span
    assert low < -2.0
    assert high < 0.5
    found = analyse_node(
        rows((0, 5.1, 0.6, 5.0, 0.4, 3.90, N), (900, N, N, N, N, 3.95, N), (1500, 5.1, 0.6, 5.0, 0.45, 3.9, N), (2500, N, N, N, N, 3.80, N))
    )
    assert found.findings["battery_1"].span[1] == 0.0, "its volts rise: it is charged"
    assert found.findings["battery_2"].span[0] == 0.0, "its volts fall: it gives"


@pytest.mark.parametrize(
    ("before_a", "volts", "minutes", "state"),
    [
        (0.3, (3.95, 3.932), 10, NOT_KNOWN),
        (0.3, (3.95, 3.90), 10, LOSING),
        (0.3, (3.95, 3.97), 10, CARRIED),
        (0.6, (3.95, 3.97), 10, NOT_KNOWN),
        (0.6, (3.95, 3.97), 70, CARRIED),
        (0.6, (3.95, 3.93), 10, LOSING),
    ],
)
def test_what_its_volts_do_by_themselves_after_another_load(before_a, volts, minutes, state):
    """Falling a little after a heavier load and rising after a lighter one say nothing of its current."""
    first = 60.0 * minutes
    made = rows((0, 5.1, 0.6, 5.0, before_a, 3.9, N), (first, 5.1, 0.6, 5.0, 0.42, volts[0], N), (first + 900, N, N, N, N, volts[1], N))
    assert analyse_node(made).states[1] == state


def test_more_in_than_out_and_falling_volts_is_not_believed():
    found = analyse_node(rows((0, 5.1, 0.9, 5.0, 0.1, 3.90, N), (900, N, N, N, N, 3.80, N), (1500, 5.1, 0.6, 5.0, 0.4, 3.8, 0.0)))
    assert found.states[0] == NOT_KNOWN
    assert "and yet its volts fall" in found.told[0]


def test_a_move_within_a_display_of_millivolts_is_none():
    made = rows((0, 5.1, 0.5, 5.0, 0.4, 3.900, N), (900, N, N, N, N, 3.896, N))
    made.half["battery V"][:] = 0.0005
    assert analyse_node(made).states == (NO_DRAIN_SEEN,)
    made.volts["battery"][1] = 3.890
    assert analyse_node(made).states == (LOSING,)


def test_what_comes_out_beside_volts_that_rise_is_not_believed():
    found = analyse_node(rows((0, 5.1, 0.2, 5.0, 0.8, 3.80, N), (900, N, N, N, N, 3.90, N), (1500, 5.1, 0.6, 5.0, 0.4, 3.8, 0.0)))
    assert found.states[0] == NOT_KNOWN
    assert "and yet its volts rise" in found.told[0]


def test_leads_make_no_converter_and_a_cell_near_five_volts_does():
    assert not behind_stages(rows((0, 14.4, 2, 13.9, 0, 14.0, -2), (600, 14.0, 6, 11.8, 5, 13.5, -1)))
    assert behind_stages(rows((0, 5.1, 0.6, 5.0, 0.4, 4.15, N))) == {IN, OUT}
    assert behind_stages(rows((0, 19.5, 2, 12.6, 1, 12.7, -2), (600, 19.4, 2, 12.3, 5, 12.6, -1))) == {IN}
    assert behind_stages(rows((0, 19.5, 2, 12.6, 1, N, -2))) == {IN, OUT}
    assert not behind_stages(rows((0, 13.5, 2, 12.6, 1, N, -2)))


def test_top_ups_are_turns_of_the_cell_at_one_load():
    saw = [4.10, 4.08, 4.06, 4.10, 4.14, 4.10, 4.06, 4.12, 4.14, 4.09, 4.06, 4.11]
    made = [(300.0 * k, 5.1, 0.2, 5.0, 0.1, volts, N) for k, volts in enumerate(saw)]
    found = analyse_node(rows(*made)).findings["top_ups"]
    assert found.value == pytest.approx(3 / (11 * 300 / 3600))
    steady = [(300.0 * k, 5.1, 0.2, 5.0, 0.1, 4.10, N) for k in range(12)]
    assert analyse_node(rows(*steady)).findings["top_ups"].value == 0.0
    assert "top_ups" not in analyse_node(rows(*made[:5])).findings


class Module:
    """Charger, cell and step-up that lose what they lose: no more than a share of what goes through and a little besides. Apart from the product's models."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.charger, self.step_up = rng.uniform(0.78, 0.95, 2)
        self.idle_w, self.most_w = rng.uniform(0.02, 0.2), rng.uniform(2.5, 6.0)
        self.charge_w = rng.uniform(0.5, 3.0)
        self.ohm, self.slow_ohm, self.tau_s = rng.uniform(0.03, 0.1), rng.uniform(0.01, 0.04), rng.uniform(60, 240)
        self.charge_ah, self.ah, self.slow_v = rng.uniform(1.5, 4.0), 0.0, 0.0

    def battery_w(self, out_w: float) -> float:
        """Out of the cell; into it is less than nothing."""
        return out_w / self.step_up + self.idle_w - self.given_w(out_w)

    def given_w(self, out_w: float) -> float:
        return min(self.most_w * self.charger, out_w / self.step_up + self.idle_w + self.charge_w)

    @property
    def limit_w(self) -> float:
        return (self.most_w * self.charger - self.idle_w) * self.step_up

    def after(self, seconds: float, out_w: float) -> float:
        """Its cell's volts."""
        amps = self.battery_w(out_w) / 3.9
        self.slow_v = self.slow_ohm * amps + (self.slow_v - self.slow_ohm * amps) * np.exp(-seconds / self.tau_s)
        self.ah += amps * seconds / 3600
        return 3.95 - 0.9 * self.ah / self.charge_ah - self.ohm * amps - self.slow_v


def test_what_is_said_of_drawn_modules_is_so():
    rng, told, right, held = np.random.default_rng(7), 0, 0, []
    for _ in range(60):
        module, lines, t = Module(rng), [], 0.0
        loads = module.limit_w * np.array([0.2, 0.5, 0.8, 0.9, 1.1, 1.25])
        for out_w in loads:
            volts = [module.after(330, out_w), module.after(750, out_w)]
            into = module.given_w(out_w) / module.charger / 5.1
            lines += [
                (t + 330, 5.1, round(into, 2), 5.0, round(out_w / 5.0, 2), round(volts[0], 2), N),
                (t + 1080, N, N, N, N, round(volts[1], 2), N),
            ]
            t += 1080
        found = analyse_node(rows(*lines))
        assert len(found.states) == len(loads)
        for state, out_w in zip(found.states, loads, strict=True):
            flows = module.battery_w(float(out_w))
            if state not in {NOT_KNOWN, NO_DRAIN_SEEN} and abs(flows) > 0.15:
                told += 1
                right += bool(flows > 0) is (state in {LOSING, ON_BATTERY})
        largest = found.findings.get("largest_sustained_load")
        if largest is not None:
            low = largest.span[0] if largest.bound == BETWEEN else largest.value if largest.bound == AT_LEAST else 0.0
            high = largest.span[1] if largest.bound == BETWEEN else largest.value if largest.bound == AT_MOST else np.inf
            held.append(low - 0.06 <= module.limit_w <= high + 0.06)
    assert told > 120
    assert right / told > 0.97
    assert len(held) > 40
    assert sum(held) / len(held) > 0.95
