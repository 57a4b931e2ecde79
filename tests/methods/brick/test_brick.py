"""A supply loaded more and more: how it holds, folds back, sags or trips; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from tests.window import begin, close, prepare, typed_row
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.sources.supply_output import Loaded, analyse_supply

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.01, "A")
MAY = Tolerance(18.05, 19.95)
BRICK = Unit("Laptop brick", "charger", "230 V to 19 V, 65 W")


def supply(rows, tolerance=MAY, rated=3.42):
    volts, amps, fates = zip(*((*row, "")[:3] for row in rows), strict=True)
    return analyse_supply(Loaded(np.array(volts, float), np.array(amps, float), fates, V, A, {}), tolerance, rated)


def test_one_that_holds():
    """19.2 V − 60 mV/A, straight; its regulation has no term of a zero."""
    found, told = supply([(19.2 - 0.06 * a, a) for a in (0, 1, 2, 3, 3.5)])
    assert found["no_load_voltage"].value == pytest.approx(19.2)
    assert found["load_regulation"].value == pytest.approx(-60.0)
    assert found["load_regulation"].standard_uncertainty == pytest.approx(60 * math.hypot(0.005, 0.01) / math.sqrt(3), rel=0.02)
    assert found["holds_to"].value_text() == "at least 3.5 A"
    assert "It gives the 3.42 A on its label." in told


@pytest.mark.parametrize(
    ("beyond", "words"),
    [
        ((9.0, 2.0), "It folds back"),
        ((14.0, 3.52), "It holds its current, and its volts give way"),
        ((17.0, 4.2), "It sags: 17.0 V at 4.20 A"),
        ((0.0, 0.0), "Then it switched off"),
    ],
)
def test_what_becomes_of_it(beyond, words):
    _, told = supply([(19.2, 0), (19.1, 1.5), (19.0, 3.5), beyond])
    assert any(words in text for text in told)


def test_where_it_gives_up_lies_between_two_loads():
    found, told = supply([(19.2, 0), (19.0, 3.0), (17.5, 3.4)])
    assert found["holds_to"].value == pytest.approx(3.2)
    assert found["holds_to"].standard_uncertainty == pytest.approx(math.hypot(0.2, 0.01 * 3.2, 0.01) / math.sqrt(3))
    assert any("cannot be told: try a load between" in text for text in told)


def test_an_off_without_amperes_bounds_it():
    found, told = supply([(19.2, 0.0), (19.0, 2.0), (math.nan, math.nan, "off")])
    assert found["holds_to"].value_text() == "at least 2 A"
    assert "gave up at a heavier load" in found["holds_to"].working
    assert "Then it switched off." in told
    assert any("nothing is known beyond" in text for text in told)


def test_what_cannot_be_is_refused():
    with pytest.raises(ReadingsError, match="At least two points"):
        supply([(19.2, 0)])
    with pytest.raises(ReadingsError, match="never where it should be"):
        supply([(12.0, 0), (11.9, 1)])


def test_a_table_and_notes(tmp_path):
    path = tmp_path / "brick.csv"
    path.write_text("Voltage (V),Current (A)\n19.2,0\n19.1,1\n19,2\n18.9,3\n")
    assert said(str(path), "--method", "brick")["findings"]["load_regulation"]["value"] == pytest.approx(-100.0)
    notes = tmp_path / "brick.jot"
    notes.write_text(
        "method: brick\nunit: Brick\nkind: charger\nlabel: 230 V to 19 V, 65 W\n\n+1min 19.2 V 0 A\n+2min 19.0 V 3.0 A\n+3min 17.1 V 3.9 A falters\n"
    )
    assert "It sags: 17.1 V at 3.90 A" in " ".join(ubrant("analyse", str(notes)).stdout.split())


def test_the_truth_is_inside(share):
    """300 supplies by meters of their own; generator apart from the sums."""

    def draw(rng):
        open_v, ohm, amps = rng.uniform(4.9, 24), rng.uniform(0.01, 0.15), np.array([0.0, 0.5, 1.0, 1.5, 2.0])
        of_v = Accuracy(rng.uniform(0.001, 0.006), 0.01, "V")
        of_a = Accuracy(rng.uniform(0.002, 0.02), 0.005, "A")
        read = [
            c * (1 + rng.uniform(-1, 1) * one.gain) + rng.uniform(-1, 1) * one.zero
            for c, one in ((open_v - ohm * amps, of_v), (amps, of_a))
        ]
        found, _ = analyse_supply(Loaded(*read, [""] * 5, of_v, of_a, {}), None, None)
        return {
            "open": (found["no_load_voltage"].value - open_v, found["no_load_voltage"]),
            "slope": (found["load_regulation"].value + 1000 * ohm, found["load_regulation"]),
        }

    trial("brick", draw, share)


def test_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, BRICK, "brick", loads="0, 1, 2, 3.4, 4 A")
    begin(window, qtbot)
    for text in ("19.20 0", "19.14 1.00", "19.08 2.00", "19.00 3.40", "2.1 off"):
        typed_row(qtbot, window, text)
        window.clock.time_s += 60.0
    account = close(window, qtbot)
    assert account.findings["no_load_voltage"].value == pytest.approx(19.2)
    assert account.findings["holds_to"].value_text() == "at least 3.4 A"
    assert any("switched off" in text for text in account.warnings)
