"""Left standing: percents, volts at rest by the chart, a capacitor's volts; what cannot be told yet, and what volts cannot show."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.uncertainty.finding import AT_MOST
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

BLOCK = "unit: Spare block\nkind: battery\nlabel: 12 V 45 Ah lead-acid\nvolts: 0.1 % + 5 mV\n"
BANK = "unit: Bank\nkind: bank\nlabel: 10000 mAh 3.7 V\n"
STATION = "unit: Station\nkind: station\nlabel: 500 Wh 25.6 V\nplan on: inverter on, nothing attached\n"
STORE = "unit: Store\nkind: source\nlabel: 100 F 5.4 V\nvolts: 0.1 % + 5 mV\n"
MONTH = 365.25 / 12


@pytest.fixture
def told(tmp_path):
    def tell(head, *lines):
        path = tmp_path / "standing.jot"
        path.write_text(f"method: standing\n{head}\n" + "\n".join(lines) + "\n", "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


def test_percents_are_points_a_month(told):
    found = told(BANK, "@2026-10-01 10:00 bank 98 %", "@2026-11-01 10:00 bank 83 %")
    assert found.findings["lost_a_month"].value == pytest.approx(15 / 31 * MONTH)
    assert found.findings["self_power"].value == pytest.approx(0.15 * 37 / (31 * 24))
    assert found.findings["empty_after"].value == pytest.approx(100 / 15 * 31 * 86400)
    both_ends = math.hypot(*(2 * (3.0 / math.sqrt(3), 0.5 / math.sqrt(3))))  # ± 3 points of linearity and the last digit at each
    assert found.findings["lost_a_month"].standard_uncertainty == pytest.approx(both_ends / 31 * MONTH, rel=0.01)
    assert found.sentence.startswith("Loses 14.7 ± 4.9 % a month")
    assert not any("So few points" in w for w in found.warnings)
    assert any("So few points" in w for w in told(BANK, "@2026-10-01 10:00 bank 98 %", "@2026-11-01 10:00 bank 90 %").warnings)


def test_a_point_or_two_only_bound_it(told):
    found = told(BANK, "@2026-10-01 10:00 bank 98 %", "@2026-11-01 10:00 bank 97 %")
    assert found.findings["lost_a_month"].bound == AT_MOST
    assert "too soon to say more after 31 days" in found.sentence


def test_what_is_empty_within_days_is_told_in_watts(told):
    """46 points of 500 Wh in 18 h are 12.8 W."""
    found = told(STATION, "@2026-10-01 10:00 station 98 %", "@2026-10-02 04:00 station 52 %")
    assert found.findings["self_power"].value == pytest.approx(0.46 * 500 / 18)
    assert "lost_a_month" not in found.findings
    assert found.sentence.startswith("A full one is empty after 39 h 08 min: it burns 12.8 W (8.1 to 14)")
    assert "On meanwhile: inverter on, nothing attached." in found.warnings


def test_volts_at_rest_are_read_by_the_chart(told):
    found = told(BLOCK, "@2026-10-01 10:00 12.70 V", "@2026-10-29 10:00 12.50 V")
    volts, percents = zip(*reversed(CHEMISTRIES["lead-acid"].rest_chart), strict=True)
    before, after = (np.interp(v / 6, volts, percents) for v in (12.70, 12.50))
    assert found.findings["lost_a_month"].value == pytest.approx((before - after) / 28 * MONTH, rel=0.03)
    assert not found.warnings
    month = found.findings["lost_a_month"]
    assert 0.3 / math.sqrt(3) * month.value < month.standard_uncertainty < 0.5 * month.value, "its own chart may be steeper by three tenths"


def test_more_than_a_battery_loses_by_itself_is_said(told):
    found = told(BLOCK, "@2026-10-01 10:00 12.70 V", "@2026-10-15 10:00 12.00 V")
    assert any("something draws on it, or a cell is bad" in w for w in found.warnings)
    assert any("two weeks tell more" in w for w in told(BLOCK, "@2026-10-01 10:00 12.70 V", "@2026-10-04 10:00 12.60 V").warnings)


def test_a_capacitor_leaks_the_less_the_less_is_in_it(told):
    """V = V₀·e^(−t/τ): after 3 days at 4.71 of 5.40 V τ is 21.9 days, and half is left after τ·ln 2."""
    found = told(STORE, "@2026-10-01 10:00 5.40 V", "@2026-10-04 10:00 4.71 V")
    tau_s = 3 * 86400 / math.log(5.40 / 4.71)
    assert found.findings["volts_a_day"].value == pytest.approx(0.69 / 3)
    assert found.findings["half_after"].value == pytest.approx(tau_s * math.log(2))


def test_typed_through_the_window_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    lines = ("@2026-10-01 10:00 12.70 V", "@2026-10-29 10:00 12.50 V")
    prepare(window, Unit("Spare block", "battery", "12 V 45 Ah lead-acid"), "standing")
    begin(window, qtbot)
    for line in lines:
        say_line(window, qtbot, line)
    account = close(window, qtbot)
    assert account.findings["lost_a_month"].value == pytest.approx(told(BLOCK, *lines).findings["lost_a_month"].value)
    assert "a month" in window.findings.verdict.text()


def test_the_truth_is_inside(told, share):
    """A bank whose display is off by up to 3 points at each end, as it shows whole ones."""

    def draw(rng):
        points, start = rng.uniform(12, 60), rng.uniform(85, 99)
        ends = [round(value + rng.uniform(-3, 3)) for value in (start, start - points)]
        found = told(BANK, f"@2026-10-01 10:00 bank {min(ends[0], 100)} %", f"@2026-11-01 10:00 bank {ends[1]} %").findings["lost_a_month"]
        return {"lost_a_month": (found.value - points / 31 * MONTH, found)}

    trial("standing", draw, share)


GROUPS = (
    "@2026-10-01 08:00 station full AC on",
    "@2026-10-01 20:00 station 64 % 12 V on",
    "@2026-10-02 20:00 station 48 % all off",
    "@2026-10-08 20:00 station 47 %",
)
HALL = "unit: Hall station\nkind: station\nlabel: 500 Wh\n"


def test_each_outlet_group_is_told_apart(told):
    """36 points of 500 Wh in 12 h are 15 W; 16 in a day 3.3 W; one in six days is nothing that a display can tell."""
    found = told(HALL, *GROUPS)
    f = found.findings
    assert f["self_power_1"].value == pytest.approx(0.36 * 500 / 12)
    assert f["self_power_2"].value == pytest.approx(0.16 * 500 / 24)
    assert f["adds_2"].value == pytest.approx(0.16 * 500 / 24 - 0.01 * 500 / 144)
    assert f["self_power_3"].bound == AT_MOST and 0.1 < f["self_power_3"].value < 0.4
    assert f["empty_after_1"].value == pytest.approx(100 / 36 * 12 * 3600) and "empty_after_3" not in f
    assert found.sentence.startswith("AC on: 15.0 W (9.5 to 16), a full one is empty after 33 h 20 min; 12 V on: 3.3 W")
    assert "all off: at most" in found.sentence
    assert any(w.startswith("all off: so few points") for w in found.warnings)


def test_a_look_between_two_outlets_is_one_error_in_both(told):
    """The display's error where AC ends and 12 V begins takes from the one what it gives to the other: from full to empty they are 100 points."""
    found = told(
        "unit: S\nkind: station\nlabel: 500 Wh\nplan usable: 400 Wh\nplan usable_u: 0 Wh\n",
        "@2026-10-01 08:00 station full AC",
        "@2026-10-02 08:00 station 40 % USB",
        "@2026-10-05 08:00 station empty",
    )
    both = 24 * found.findings["self_power_1"].known + 72 * found.findings["self_power_2"].known
    assert both.value == pytest.approx(400)
    assert both.u == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize("off", ["all off", "off", "nothing on", "everything off", "AC off"])
def test_off_is_written_in_several_ways(told, off):
    found = told(HALL, GROUPS[0], f"@2026-10-01 20:00 station 64 % {off}", "@2026-10-08 20:00 station 60 %")
    assert found.findings["self_power_2"].name == "all off"


@pytest.mark.parametrize("on", ["AC", "AC on", "on: AC", "only AC", '"AC"'])
def test_on_is_written_in_several_ways(told, on):
    found = told(HALL, f"@2026-10-01 08:00 station full {on}", *GROUPS[1:])
    assert found.findings["self_power_1"].name == "AC on"


def test_less_than_with_all_off_is_asked_about_only_where_the_display_can_tell(told):
    """8 % a day against 10: a display that may be off by 3 at each end does not tell that apart. Against 46 it does."""
    first = "@2026-10-01 08:00 station 98 % AC on", "@2026-10-01 20:00 station 94 % all off"
    assert not told(HALL, *first, "@2026-10-03 20:00 station 74 %").held_back
    assert "are the two swapped" in told(HALL, *first, "@2026-10-02 20:00 station 48 %").held_back


def test_a_remark_is_no_outlet(told):
    """*warmer now* says nothing of what is on: it is one stretch, as without it."""
    lines = ("@2026-10-01 10:00 bank 98 %", "@2026-10-15 10:00 bank 90 % {}", "@2026-11-01 10:00 bank 78 %")
    plain = told(BANK, lines[0], lines[1].format(""), lines[2])
    assert told(BANK, lines[0], lines[1].format("warmer now"), lines[2]).sentence == plain.sentence
    assert "lost_a_month" in plain.findings


def test_one_name_in_large_or_small_letters(told):
    found = told(
        HALL,
        *GROUPS[:1],
        "@2026-10-01 20:00 station 64 % all off",
        "@2026-10-03 20:00 station 63 % ac on",
        "@2026-10-04 04:00 station 40 %",
    )
    assert found.findings["lost_a_day_1"].value == pytest.approx((36 + 23) / 20 * 24)
    assert "lost_a_day_3" not in found.findings


def test_what_comes_on_twice_is_one(told):
    found = told(
        HALL,
        "@2026-10-01 08:00 station full AC on",
        "@2026-10-01 20:00 station 64 % all off",
        "@2026-10-03 20:00 station 63 % AC on",
        "@2026-10-04 02:00 station 45 %",
    )
    assert found.findings["lost_a_day_1"].value == pytest.approx((36 + 18) / 18 * 24)


def test_in_turn_through_the_table_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    prepare(window, Unit("Hall station", "station", "500 Wh"), "standing", on="AC; 12 V; all off")
    begin(window, qtbot)
    for line in ("@2026-10-01 08:00 station full", "@2026-10-01 20:00 station 64 %", "@2026-10-02 20:00 station 48 %", GROUPS[-1]):
        say_line(window, qtbot, line)
    assert close(window, qtbot).sentence == told(HALL, *GROUPS).sentence


def test_each_outlet_s_truth_is_inside(told, share):
    def draw(rng):
        """A store of which 400 ± 20 Wh were measured, and a display that is off by up to 3 points anywhere."""
        holds, watts = 400 + 10 * rng.standard_normal(), (rng.uniform(8, 18), rng.uniform(1.5, 4))
        left, shown = rng.uniform(92, 99), []
        for w, hours in zip(watts, (12, 36), strict=True):
            shown.append(min(round(left + rng.uniform(-3, 3)), 100))
            left -= 100 * w * hours / holds
        shown.append(max(round(left + rng.uniform(-3, 3)), 0))
        head = f"{HALL}plan usable: 400 Wh\nplan usable_u: 20 Wh\n"
        looks = ("@2026-10-01 08:00 station {} % AC on", "@2026-10-01 20:00 station {} % 12 V on", "@2026-10-03 08:00 station {} %")
        found = told(head, *(look.format(percent) for look, percent in zip(looks, shown, strict=True))).findings
        return {
            k: (found[k].value - w, found[k]) for k, w in zip(("self_power_1", "self_power_2"), watts, strict=True) if not found[k].bound
        }

    trial("standing, each outlet", draw, share)
