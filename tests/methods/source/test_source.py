"""Volts against amperes: open circuit, resistance, largest power; straight and bent ones; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq, minimize_scalar

from tests.command_line import said, ubrant
from tests.trials import meters, shown, trial
from tests.window import begin, close, prepare, typed_row
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.sources.curve import analyse_curve, cells_for
from ubrant.core.sources.decay import decays
from ubrant.core.uncertainty.finding import Finding

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.005, "A")


def table(folder, rows, head="Voltage (V),Current (A)") -> str:
    path = folder / "source.csv"
    path.write_text(head + "\n" + "".join(f"{v},{a}\n" for v, a in rows))
    return str(path)


def line(ocv: float, ohm: float, amps) -> tuple[np.ndarray, np.ndarray]:
    amps = np.asarray(amps, float)
    return ocv - ohm * amps, amps


def test_a_straight_source_in_closed_form():
    """Maximum power transfer: OCV² ÷ 4R at OCV ÷ 2R."""
    found = analyse_curve(*line(6.0, 3.0, [0, 0.2, 0.5, 0.9, 1.1, 1.5]), V, A).findings
    assert found["open_circuit_voltage"].value == pytest.approx(6.0)
    assert found["internal_resistance"].value == pytest.approx(3.0)
    assert found["maximum_power"].value == pytest.approx(3.0)
    assert found["maximum_power_current"].value == pytest.approx(1.0)
    assert found["maximum_power_voltage"].value == pytest.approx(3.0)
    assert "matched_power" not in found
    gain = math.hypot(0.005, 0.01) / math.sqrt(3)
    assert found["internal_resistance"].standard_uncertainty == pytest.approx(3.0 * gain, rel=0.03)


def test_a_largest_power_beyond_what_was_measured_is_a_bound():
    found = analyse_curve(*line(6.0, 3.0, [0, 0.1, 0.2, 0.4]), V, A)
    power = found.findings["maximum_power"]
    assert power.value_text().startswith("at least 1.8")
    assert power.value < 0.4 * (6.0 - 1.2)
    assert found.findings["matched_power"].value == pytest.approx(3.0)
    assert any("beyond what was measured" in text for text in found.warnings)


def panel(amps: float, short_a: float = 3.2, ocv: float = 21.0, knee_v: float = 1.4) -> float:
    """Volts of a panel by the one-diode law, without series resistance."""
    return ocv + knee_v * math.log(max(1 - amps / short_a * (1 - math.exp(-ocv / knee_v)), 1e-9))


def test_a_bent_source_gives_the_largest_product_and_no_law():
    """Against scipy's optimizer on the one-diode law."""
    amps = np.array([0, 0.8, 1.6, 2.2, 2.6, 2.8, 2.9, 3.0, 3.1])
    found = analyse_curve(np.array([panel(a) for a in amps]), amps, V, A)
    best = minimize_scalar(lambda a: -a * panel(a), bounds=(0, 3.19), method="bounded")
    assert found.is_bent
    assert found.findings["maximum_power"].value == pytest.approx(-best.fun, rel=0.005)
    assert found.findings["maximum_power_current"].value == pytest.approx(best.x, rel=0.02)
    assert "matched_power" not in found.findings
    assert found.findings["internal_resistance"].value is None, "a knee has no one resistance"


def test_a_panel_walked_in_few_points_is_no_surer_than_they_are():
    """One-diode panels drawn at random (no model of the product), five to sixteen points anywhere: the true largest power lies inside the ±."""
    rng, inside, wide = np.random.default_rng(3), [], []
    for count in (5, 6, 8, 12, 16) * 30:
        short, open_v = rng.uniform(1, 9), rng.uniform(18, 42)
        knee, series = open_v / rng.uniform(22, 34), rng.uniform(0, 0.06) * open_v / short
        dark = short / np.expm1(open_v / knee)

        def flows(v, short=short, knee=knee, series=series, dark=dark):
            return brentq(lambda a: short - dark * np.expm1((v + a * series) / knee) - a, -short, 2 * short)

        volts = np.append(open_v, np.sort(rng.uniform(0.1, 0.98, count - 1))[::-1] * open_v)
        amps = np.array([max(flows(v), 0.0) for v in volts])
        best = max(v * flows(v) for v in np.linspace(0.4, 0.99, 150) * open_v)
        off_v, off_a = 1 + rng.uniform(-0.005, 0.005), 1 + rng.uniform(-0.01, 0.01)
        power = analyse_curve(volts * off_v, amps * off_a, Accuracy(0.005, 0, "V"), Accuracy(0.01, 0, "A")).findings["maximum_power"]
        if not power.bound:
            inside.append(abs(power.value - best) <= power.expanded_uncertainty)
            wide.append(power.expanded_uncertainty / power.value)
    assert len(inside) > 130
    assert np.mean(inside) >= 0.95
    assert np.median(wide) < 0.15


def test_the_other_way_round_is_taken_so_and_said():
    volts, amps = line(6.0, 3.0, [0, 0.5, 1.0, 1.5])
    found = analyse_curve(volts, -amps, V, A)
    assert found.findings["internal_resistance"].value == pytest.approx(3.0)
    assert "read as negative" in found.warnings[0]


@pytest.mark.parametrize(
    ("volts", "amps", "words"),
    [
        ([6, 5.8], [0, 0.1], "2 points at about one current"),
        ([6, 6, 6], [0.5, 0.5, 0.5], "about one current"),
        ([6, 6.5, 7], [0, 0.5, 1], "rises with the current"),
    ],
)
def test_what_cannot_be_is_refused(volts, amps, words):
    with pytest.raises(ReadingsError, match=words):
        analyse_curve(np.array(volts, float), np.array(amps, float), V, A)


def test_swapped_columns_of_one_size_cannot_be_noticed(tmp_path):
    done = ubrant("analyse", table(tmp_path, zip(*reversed(line(6.0, 3.0, [0.1, 0.5, 1.0, 1.5])), strict=True)), "--method", "source")
    assert done.returncode == 0
    assert "Internal resistance" in done.stdout  # 1 ÷ 3 Ω: nothing tells volts from amperes where both are of one size


def test_a_table_without_times(tmp_path):
    found = said(table(tmp_path, zip(*line(6.0, 3.0, [0, 0.2, 0.5, 0.9, 1.1, 1.5]), strict=True)), "--method", "source")["findings"]
    assert found["maximum_power"]["value"] == pytest.approx(3.0)
    assert found["maximum_power_current"]["value"] == pytest.approx(1.0)
    assert found["open_circuit_voltage"]["unit"] == "V"
    assert found["internal_resistance"]["expanded_uncertainty"] is None


@pytest.mark.parametrize(("watts", "volts", "wanted"), [(6.0, 5.0, (2, 1)), (14.0, 3.0, (1, 5)), (3.0, 3.0, (1, 1))])
def test_how_many_for_a_load(watts, volts, wanted):
    assert cells_for(watts, volts, Finding("p", "", 3.0, "W", None, ""), Finding("v", "", 3.0, "V", None, "")) == wanted


def test_straight_ones_the_truth_is_inside(share):
    """300 sources with meters of their own; generator apart from the sums."""

    def draw(rng):
        ocv, ohm = rng.uniform(1.2, 25), rng.uniform(0.05, 5)
        amps = ocv / ohm * np.array([0.0, 0.08, 0.2, 0.35, 0.45, 0.55, 0.7])
        volts = ocv - ohm * amps
        of_v, of_a = meters(rng)
        of_a = Accuracy(of_a.gain, of_a.zero * 0.1, "A")
        found = analyse_curve(shown(rng, volts, of_v, 0.002 * ocv), shown(rng, amps, of_a, 0.0), of_v, of_a).findings
        truth = {"open_circuit_voltage": ocv, "internal_resistance": ohm}
        return {key: (found[key].value - true, found[key]) for key, true in truth.items()}

    trial("source", draw, share)


def test_bent_ones_the_truth_is_inside(share):
    def draw(rng):
        short, ocv, knee = rng.uniform(0.3, 8), rng.uniform(5, 40), rng.uniform(0.04, 0.1)
        amps = short * np.array([0.0, 0.3, 0.6, 0.75, 0.83, 0.88, 0.92, 0.95, 0.98])
        volts = np.array([panel(a, short, ocv, knee * ocv) for a in amps])
        best = -minimize_scalar(lambda a: -a * panel(a, short, ocv, knee * ocv), bounds=(0, 0.999 * short), method="bounded").fun
        of_v, of_a = meters(rng)
        of_a = Accuracy(of_a.gain, of_a.zero * 0.1, "A")
        found = analyse_curve(shown(rng, volts, of_v, 0.0), shown(rng, amps, of_a, 0.0), of_v, of_a).findings
        return {"maximum_power": (found["maximum_power"].value - best, found["maximum_power"])}

    trial("panel", draw, share, low=0.8)  # what may lie between the points is a limit, and outweighs the meters


def test_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Odd cells", "source", ""), "source", points="4", load_w="6 W", load_v="5 V")
    begin(window, qtbot)
    for text in ("6.00 0", "5.40 0.20", "4.50 0.50", "3.00 1.00", "1.50 1.50"):
        typed_row(qtbot, window, text)
        window.clock.time_s += 60.0
    account = close(window, qtbot)
    assert account.findings["maximum_power"].value == pytest.approx(3.0)
    assert account.findings["in_series"].value == 2
    assert account.findings["side_by_side"].value == 1
    assert "3.000 ± 0.027 W" in account.sentence
    assert any("measure the stack" in text for text in account.warnings)


DAYS = """unit: pile
label: 3 V
method: source
meter: Bench meter
volts: 0.1 % + 1 digit of 10 mV
amps: 0.5 % + 1 digit of 0.1 mA

+0:00 2.800 V 0.0000 A
2.600 V 0.0100 A
1.900 V 0.0450 A
1.400 V 0.0700 A
1.000 V 0.0900 A
+24:00 2.800 V 0.0000 A
2.600 V 0.0080 A
1.900 V 0.0360 A
1.400 V 0.0560 A
1.000 V 0.0720 A
+48:00 2.800 V 0.0000 A
2.600 V 0.0064 A
1.900 V 0.0288 A
1.400 V 0.0448 A
1.000 V 0.0576 A
"""


def test_one_that_decays_over_days_says_how_fast(tmp_path):
    """Currents fall to 0.8 a day at each voltage, so the power does: ln(1 ÷ 0.8) a day, half of it after ln 2 ÷ that."""
    notes = tmp_path / "pile.jot"
    notes.write_text(DAYS)
    found = said(str(notes))["findings"]
    assert found["decay_a_day"]["value"] == pytest.approx(100 * math.log(1 / 0.8), rel=0.01)
    assert found["half_life"]["value"] == pytest.approx(math.log(2) / math.log(1 / 0.8) * 86400, rel=0.01)
    assert found["maximum_power"]["value"] == pytest.approx(0.0448 * 1.4, rel=0.02)  # of the last round
    assert "several days" in " ".join(said(str(notes))["warnings"])
    notes.write_text(DAYS.partition("+24:00")[0])
    assert "decay_a_day" not in said(str(notes))["findings"]


def test_one_that_does_not_visibly_decay_only_has_a_bound():
    time = np.repeat([0.0, 86400.0], 5) + np.tile(np.arange(5.0), 2)
    volts = np.tile([2.8, 2.6, 1.9, 1.4, 1.0], 2)
    amps = np.tile([0.0, 0.01, 0.045, 0.07, 0.09], 2)
    found = decays(time, volts, amps, V, A, {"V": np.full(10, 0.005), "A": np.full(10, 0.0005)})
    assert abs(found["decay_a_day"].value) < found["decay_a_day"].expanded_uncertainty
    assert found["half_life"].bound == "at least"


def test_the_voltmeter_that_loads_a_weak_source_is_counted():
    """10 kΩ across a source of 1 kΩ: its open voltage is read a tenth too low, and what flows through the meter counts."""
    amps = np.array([0.0, 0.001, 0.002, 0.003])
    volts = (3.0 - 1000.0 * amps) / (1 + 1000.0 / 10e3)
    found = analyse_curve(volts, amps + volts / 10e3, V, A).findings
    assert found["internal_resistance"].value == pytest.approx(1000.0)


def test_minutes_of_use_for_an_hour_of_charging(tmp_path):
    notes = tmp_path / "panel.jot"
    notes.write_text(DAYS.partition("+24:00")[0].replace("method: source", "method: source\nplan load_w: 0.5 W\nplan load_v: 3 V"))
    found = said(str(notes))["findings"]
    assert found["minutes_an_hour"]["value"] == pytest.approx(60 * 0.07 * 1.4 / 0.5, rel=0.03)


def test_a_panel_near_its_short_circuit_has_many_volts_at_one_current(tmp_path):
    notes = tmp_path / "panel.jot"
    points = ["21.0 V 0 A", "19.0 V 2.20 A", "17.8 V 3.10 A", "14.0 V 3.38 A", "9.0 V 3.39 A", "5.0 V 3.40 A"]
    head = DAYS.partition("+0:00")[0].replace("0.1 mA", "10 mA")
    notes.write_text("\n".join([head + "+0:00 " + points[0], *points[1:]]) + "\n")
    assert "amperes read each time" not in str(said(str(notes)))
    one = [f"{volts.split(' V')[0]} V 3.40 A" for volts in points[2:]]
    notes.write_text("\n".join([head + "+0:00 " + points[0], *one]) + "\n")
    assert "amperes read each time" in str(said(str(notes)))
