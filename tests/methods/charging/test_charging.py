"""A charger's profile: set current and voltage, what comes before, where it ends; right for its battery or not; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from tests.window import begin, close, prepare, typed_row
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.sources.charging import Charged, analyse_charger

V, A = Accuracy(0.002, 0.01, "V"), Accuracy(0.01, 0.01, "A")
PACK = parse_label("12.8 V 20 Ah LiFePO4")


def profile(set_a=5.0, set_v=14.6, end_a=0.5, pre_a=0.0, *, after=True):
    """Constant current while the voltage rises, then an exponential fall at the set voltage, then nothing."""
    cc = np.linspace(11.5, set_v - 0.05, 30)
    taper = set_a * np.exp(-np.linspace(0, math.log(set_a / end_a), 25))[1:]
    volts = np.concatenate((cc, np.full(24, set_v), [set_v - 0.2] * after))
    amps = np.concatenate((np.full(30, set_a), taper, [0.0] * after))
    if pre_a:
        volts, amps = np.concatenate(([9.0, 9.6, 10.4], volts)), np.concatenate((np.full(3, pre_a), amps))
    return volts, amps


def analysed(volts, amps, battery=None, **more):
    return analyse_charger(Charged(np.asarray(volts, float), np.asarray(amps, float), V, A, {}, **more), battery)


def test_a_whole_profile():
    """About 10 % of the charging current at its end, 14.6 V for four cells of iron phosphate: common practice, no source."""
    found, told = analysed(*profile(pre_a=0.5), PACK)
    assert found["set_current"].value == pytest.approx(5.0)
    assert found["set_voltage"].value == pytest.approx(14.6)
    assert found["end_current"].value == pytest.approx(0.5)
    assert found["end_share"].value == pytest.approx(10.0)
    assert found["pre_charge"].value == pytest.approx(0.5)
    assert found["set_voltage"].standard_uncertainty == pytest.approx(math.hypot(0.002 * 14.6, 0.01) / math.sqrt(3))
    zeros = 0.01 * (100 / 5 - 10 / 5)  # one ammeter: its gain cancels in the share
    assert found["end_share"].standard_uncertainty == pytest.approx(zeros / math.sqrt(3))
    assert "right for 4 cells of iron phosphate" in told[-1]


@pytest.mark.parametrize(
    ("set_v", "battery", "words"),
    [
        (14.6, "11.1 V 5 Ah li-ion", "too much for lithium-ion"),
        (12.6, "12.8 V 20 Ah LiFePO4", "it leaves iron phosphate part empty"),
        (12.6, "11.1 V 5 Ah li-ion", "right for 3 cells of lithium-ion"),
        (14.4, "12 V 45 Ah lead-acid", "right for 6 cells of lead-acid"),
    ],
)
def test_right_for_its_battery_or_not(set_v, battery, words):
    assert words in " ".join(analysed(*profile(set_v=set_v), parse_label(battery))[1])


def test_where_it_ends_lies_between_the_last_reading_and_none():
    """It fell from 1.4 to 1.0 A and was nothing at the next: it may have fallen on by as much, to 0.6 A."""
    volts, amps = [13.0, 13.5, 14.0, 14.5, 14.53, 14.54, 14.56, 14.58], [5.0, 5.0, 5.0, 5.0, 3.5, 1.4, 1.0, 0.0]
    end = analysed(volts, amps, walked=True)[0]["end_current"]
    u = end.expanded_uncertainty
    assert end.span == pytest.approx((1.0 - math.hypot(u, 0.4), 1.0 + u))


def test_a_set_voltage_that_slopes_is_as_wide_as_its_slope():
    """14.50 to 14.58 V while the current falls: ± 0.04 V, rectangular, besides the meter's error."""
    volts, amps = [13.0, 13.5, 14.0, 14.3, 14.50, 14.54, 14.58, 14.6], [5.0, 5.0, 5.0, 5.0, 4.0, 2.5, 1.0, 0.0]
    found = analysed(volts, amps, walked=True)[0]["set_voltage"]
    meter = math.hypot(0.002 * found.value, 0.01)
    assert found.standard_uncertainty == pytest.approx(math.hypot(meter, 0.04) / math.sqrt(3), rel=0.02)


def test_without_a_battery_it_is_said_what_it_would_be_right_for():
    assert "14.6 V would be right for 4 × iron phosphate or 6 × lead-acid" in " ".join(analysed(*profile())[1])


def test_what_was_not_reached_is_a_bound():
    volts, amps = profile()
    found, told = analysed(volts[:30], amps[:30])
    assert found["set_voltage"].bound == "at least"
    assert any("constant-voltage part was not seen" in text for text in told)
    assert found["end_current"].bound == "at most"
    volts, amps = profile(after=False)
    assert analysed(volts, amps)[0]["end_current"].value_text() == "at most 0.5 A"
    assert "end_current" not in analysed(volts, amps, walked=True)[0]


def test_a_timer_is_no_end_current():
    volts, amps = profile()
    cut = np.concatenate((amps[:35], [0.0]))
    assert any("by a timer, by protection" in text for text in analysed(volts[:36], cut)[1])


def test_the_other_way_round_and_none_at_all():
    volts, amps = profile()
    found, told = analysed(volts, -amps)
    assert found["set_current"].value == pytest.approx(5.0)
    assert "the other way round" in told[0]
    with pytest.raises(ReadingsError, match="want to see a battery's volts"):
        analysed([12.0, 12.5, 13.0], [0.0, 0.0, 0.0])


def test_a_log_and_notes(tmp_path):
    path = tmp_path / "charge.csv"
    rows = zip(np.arange(55) * 60.0, *profile(), strict=True)
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t},{v:.3f},{a:.3f}\n" for t, v, a in rows))
    found = said(str(path), "--method", "charger", "--voltage-accuracy", "0.2 %", "--current-accuracy", "1 %")["findings"]
    assert found["set_current"]["value"] == pytest.approx(5.0)
    assert found["end_share"]["value"] == pytest.approx(10.0, abs=0.1)
    notes = tmp_path / "charge.jot"
    notes.write_text(
        "unit charger: 14.6 V 5 A\nunit pack: 12.8 V 20 Ah LiFePO4\nmethod charger: charger -> pack\n\n+1min 13 V 5 A\n+2min 14.4 V 5 A\n+3min 14.6 V 2 A\n+4min 14.6 V 0.4 A\n"
    )
    assert "right for 4 cells" in " ".join(ubrant("analyse", str(notes)).stdout.split())


def test_the_truth_is_inside(share):
    """300 chargers by meters of their own; generator apart from the sums."""

    def draw(rng):
        set_a, set_v, end = rng.uniform(0.5, 20), rng.uniform(12.4, 15), rng.uniform(0.03, 0.2)
        of_v = Accuracy(rng.uniform(0.001, 0.006), rng.uniform(0.001, 0.02), "V")
        of_a = Accuracy(rng.uniform(0.002, 0.02), rng.uniform(0.0005, 0.002) * set_a, "A")
        read = []
        for column, one in zip(profile(set_a, set_v, end * set_a), (of_v, of_a), strict=True):
            read.append(column * (1 + rng.uniform(-1, 1) * one.gain) + rng.uniform(-1, 1) * one.zero * (column > 0))
        found, _ = analyse_charger(Charged(*read, of_v, of_a, {}))
        truth = {"set_current": set_a, "set_voltage": set_v, "end_share": 100 * end}
        return {key: (found[key].value - true, found[key]) for key, true in truth.items()}

    trial("charger", draw, share)


def test_walked_through_the_window(bench_window, qtbot):
    """A load in constant voltage walked from empty to full, not in order."""
    window = bench_window
    window.bench.keep_unit(Unit("Pack A", "battery", "12.8 V 20 Ah LiFePO4"))
    prepare(window, Unit("Pack charger", "charger", "230 V to 14.6 V, 5 A"), "charger", low="11 V", high="14.7 V")
    begin(window, qtbot)
    for text in ("11.0 0.50", "11.5 0.50", "12.5 5.01", "13.5 5.02", "14.60 1.10", "14.3 5.00", "14.59 2.6"):
        typed_row(qtbot, window, text)
        window.clock.time_s += 60.0
    account = close(window, qtbot)
    assert account.findings["set_current"].value == pytest.approx(5.01)
    assert account.findings["set_voltage"].value == pytest.approx(14.595)
    assert account.findings["pre_charge"].value == pytest.approx(0.5)
    assert account.sentence.startswith("5.01")
