"""What comes back of what was put in: counters, charge with volts, watts now and then; points that cancel, cycles, what cannot be."""

from __future__ import annotations

import math

import pytest

from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

HALL = "unit: Hall station\nkind: station\nlabel: 500 Wh\nwatts: 1 % + 1 W\nwatts output: 1 % + 1 W\n"
CELL = (
    "unit: Cell\nkind: battery\nlabel: 3.7 V 3.4 Ah li-ion\nplan into: Ah\nplan out: Ah\n"
    "volts: 0.5 % + 10 mV\namps: 1 % + 5 mA\nvolts output: 0.5 % + 10 mV\namps output: 1 % + 5 mA\n"
)
DAY = (
    "@2026-10-01 08:00 input 0.0 Wh station 5 %",
    "@2026-10-01 11:00 input 566.0 Wh station full",
    "@2026-10-01 12:00 output 0.0 Wh station full",
    "@2026-10-01 17:00 output 402.0 Wh station 5 %",
)


@pytest.fixture
def told(tmp_path):
    def tell(*lines, head=HALL):
        path = tmp_path / "trip.jot"
        path.write_text(f"method: round-trip\n{head}\n" + "\n".join(lines) + "\n", "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


def test_the_same_ends_on_both_sides(told):
    """402 of 566 Wh; what the display is off by at 5 % is the same on both sides and cancels, but for its digit and for 1.5 points between up and down."""
    found = told(*DAY)
    back = found.findings["back"]
    assert back.value == pytest.approx(100 * 402 / 566)
    assert found.findings["lost"].value == pytest.approx(164)
    meters = 2 * 0.01**2 / 3
    counters = (0.05**2 / 3) * (2 / 566**2 + 2 / 402**2)
    ends = 2 * (0.5**2 + 1.5**2) / 3 / 95**2
    assert back.standard_uncertainty / back.value == pytest.approx(math.sqrt(meters + counters + ends), rel=0.02)
    assert found.sentence.startswith("71.0 ± 2.3 % of what is put in comes back")
    assert not found.warnings


def test_a_half_filling_is_laid_over_point_for_point(told):
    """Filled from 50 to 90, emptied from 90 to 40: 236 Wh for 40 points, 211 Wh for 50."""
    found = told(
        "@2026-10-01 08:00 input 0.0 Wh station 50 %",
        "@2026-10-01 11:00 input 236.0 Wh station 90 % output 0.0 Wh",
        "@2026-10-01 17:00 output 211.0 Wh station 40 %",
    )
    assert found.findings["back"].value == pytest.approx(100 * (211 / 50) / (236 / 40))
    assert found.findings["back"].expanded_uncertainty > 5, "three points at each end that does not cancel"
    assert not found.warnings


def test_ends_that_are_not_the_same_do_not_cancel(told):
    """Down to 9 % instead of 5 each display's own 3 points count, twice; what was lost is told of the points that it gave."""
    same, other = told(*DAY).findings, told(*DAY[:3], "@2026-10-01 17:00 output 385.0 Wh station 9 %").findings
    assert other["back"].standard_uncertainty / other["back"].value == pytest.approx(
        math.sqrt((same["back"].standard_uncertainty / same["back"].value) ** 2 + 2 * 3.0 / 93**2), rel=0.05
    )
    share = (385 / 91) / (566 / 95)
    assert other["lost"].value == pytest.approx(566 * (1 - share) * 91 / 95)


def test_other_stretches_are_said(told):
    found = told(*DAY[:3], "@2026-10-01 14:00 output 201.0 Wh station 55 %")
    assert any("the last tenth of a filling costs more" in w for w in found.warnings)


def test_charge_of_a_cell_cycle_by_cycle(told):
    found = told(
        "@2026-10-01 08:00 input 0.000 Ah 3.90 V battery empty",
        "@2026-10-01 11:00 input 3.312 Ah 4.10 V battery full output 0.000 Ah",
        "@2026-10-01 17:00 output 3.256 Ah 3.60 V battery empty input 0.000 Ah",
        "@2026-10-01 20:00 input 3.290 Ah 4.00 V battery full",
        "@2026-10-01 20:10 output 0.000 Ah battery full",
        "@2026-10-02 02:00 output 3.240 Ah 3.61 V battery empty",
        head=CELL,
    )
    f = found.findings
    assert (f["charge_back_1"].value, f["charge_back_2"].value) == pytest.approx((100 * 3.256 / 3.312, 100 * 3.240 / 3.290))
    assert f["charge_back"].value == pytest.approx((f["charge_back_1"].value + f["charge_back_2"].value) / 2)
    assert f["back_1"].value == pytest.approx(100 * (3.256 * 3.60) / (3.312 * 4.00))
    assert "over 2 cycles; of its charge 98" in found.sentence


def test_watts_now_and_then(told):
    """200 W for 2 h falling to 50 over the next: 400 + 125 Wh; 100 W for 4 h."""
    found = told(
        "@2026-10-01 08:00 input 200 W station empty",
        "@2026-10-01 10:00 input 200 W",
        "@2026-10-01 11:00 input 50 W station full",
        "@2026-10-01 12:00 output 100 W station full",
        "@2026-10-01 16:00 output 100 W station empty",
        head=HALL + "plan into: W\nplan out: W\n",
    )
    assert found.findings["energy_in"].value == pytest.approx(525)
    assert found.findings["back"].value == pytest.approx(100 * 400 / 525)
    assert found.findings["energy_in"].expanded_uncertainty > 2 * 0.25 * 150 / math.sqrt(3), "a step of 150 W in an hour"


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        (DAY[:1], "the counter before, and the counter after"),
        (DAY[2:], "Emptying 1: what comes back is known when it has gone the other way, too."),
        (
            tuple(line.split(" station")[0] for line in DAY),
            "How full it was at the begin and the end of filling 1, emptying 1 is not known",
        ),
        ((DAY[0].replace("5 %", "full"), DAY[1].replace("full", "5 %"), *DAY[2:]), "Are input and output swapped"),
        ((DAY[0].replace("5 %", "105 %"), *DAY[1:]), "outside 0 to 100"),
    ],
)
def test_what_nothing_can_be_said_of(told, lines, says):
    assert says in told(*lines).trouble


def test_a_filling_by_itself(told):
    """5 to 100 in 3 h; at 10:20 it stood at 91: 90 lay 1/26 of the 50 min before that, so that the last tenth took 41.9 min. From empty 3 h · 100/95."""
    rows = ("@2026-10-01 09:30 input 350.0 Wh station 65 %", "@2026-10-01 10:20 input 490.0 Wh station 91 %")
    found = told(DAY[0], *rows, DAY[1])
    f = found.findings
    assert f["filled_in"].value == 3 * 3600
    assert f["filled_in"].standard_uncertainty == pytest.approx(30 * math.sqrt(2 / 3), rel=0.01), "two moments to the minute"
    assert f["last_tenth"].value == pytest.approx(60 * (40 + 50 / 26))
    assert f["whole_in"].value == pytest.approx(3 * 3600 * 100 / 95)
    assert (
        found.sentence == "Filled from 5 % to full in 3 h, taking 566.0 ± 6.5 Wh; its last tenth took 42 min; from empty about 3 h 09 min."
    )
    assert "What comes back is known when it has gone the other way, too." in found.warnings
    assert told(*DAY).findings["filled_in"].value == 3 * 3600, "it is told of a round trip as well"
    assert "last_tenth" not in told(DAY[0], DAY[1]).findings, "nobody looked at 90"
    assert "whole_in" not in told(DAY[0].replace("5 %", "70 %"), DAY[1]).findings, "thirty points say nothing of a hundred"
    assert "last_tenth" not in told(DAY[0], *rows, DAY[1].replace("full", "97 %")).findings, "it was not full"


def test_a_look_the_next_day_is_none_of_the_filling(told):
    """What it lost overnight, full, is neither in its points nor in its hours."""
    found = told(*DAY[:2], "@2026-10-02 09:00 station 97 %")
    assert found.findings["filled_in"].value == 3 * 3600
    assert found.sentence.startswith("Filled from 5 % to full in 3 h")


def test_a_coarse_counter_is_not_called_rare_watts(told):
    lines = (line.replace("566.0 Wh", "0.2 kWh").replace("402.0 Wh", "0.1 kWh").replace("0.0 Wh", "0.0 kWh") for line in DAY)
    assert not any("so rarely" in w for w in told(*lines).warnings)


def test_its_form_and_what_it_asks_for():
    method = method_of("round-trip")
    unit = Unit("Bank", "bank", "10000 mAh 3.7 V")
    from tests.making import prepared

    made = prepared("round-trip", unit, into="counts Ah, shows volts", out="shows watts", cycles="2")
    hand = method.by_hand(made)
    assert [row.short for row in hand.rows] == ["fill: begin", "fill: end", "empty: begin", "empty: end"] * 2
    assert set(hand.columns) == {("input", "Ah"), ("input", "V"), ("output", "W"), ("bank", "%")}
    assert any("read often" in p.text for p in method.problems(made, LoadRating()))
    assert method.problems(prepared("round-trip", unit, cycles="0"), LoadRating())[0].refused


def test_typed_through_the_window_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    prepare(window, Unit("Hall station", "station", "500 Wh"), "round-trip")
    begin(window, qtbot)
    say_line(window, qtbot, DAY[0])
    say_line(window, qtbot, "@2026-10-01 10:20 station 91 %")
    for line in DAY[1:]:
        say_line(window, qtbot, line)
    wanted = [window.run.table.model.data(window.run.table.model.index(row, 1)) for row in range(5)]
    assert wanted == ["fill: begin", "", "fill: end", "empty: begin", "empty: end"], "a look on the way answers none of them"
    account = close(window, qtbot)
    assert account.findings["back"].value == pytest.approx(told(*DAY).findings["back"].value)
    assert "comes back" in window.findings.verdict.text()


def test_full_of_a_battery_is_kept_from_cell_to_line():
    """*full* in the percent cell of a battery comes back from the line that is kept of it."""
    from ubrant.core.quantities.jot import TypedLine, TypedReading, parse_jot, state_of
    from ubrant.core.record.jot_text import line_of

    typed = TypedLine("", readings=(TypedReading("input", "Ah", 3.0, 0.05), state_of("battery", full=True)))
    assert parse_jot(line_of(typed)).readings == typed.readings
    more = parse_jot("input 3.3 Ah battery full output 0.000 Ah")
    assert [(r.tap, r.quantity) for r in more.readings] == [("input", "Ah"), ("battery", "%"), ("output", "Ah")]
    assert (parse_jot("battery empty").mark, parse_jot("battery empty").readings) == ("empty", ())


def test_the_truth_is_inside(told, share):
    """Meters drawn inside their accuracy, a display that is off by up to 3 points where it stands, and by 1.5 more on the way back."""

    def draw(rng):
        back, low = rng.uniform(0.6, 0.9), rng.uniform(3, 40)
        high = low + rng.uniform(40, 55)
        into, true = 5.8, rng.uniform(-1, 1, 2) * 3
        gains = 1 + 0.01 * rng.uniform(-1, 1, 2)

        def shown(percent, off):
            return round(percent + off + rng.uniform(-1.5, 1.5))

        lines = (
            f"@2026-10-01 08:00 input 0.0 Wh station {shown(low, true[0])} %",
            f"@2026-10-01 11:00 input {into * (high - low) * gains[0]:.1f} Wh station {shown(high, true[1])} % output 0.0 Wh",
            f"@2026-10-01 17:00 output {back * into * (high - low) * gains[1]:.1f} Wh station {shown(low, true[0])} %",
        )
        found = told(*lines).findings["back"]
        return {"back": (found.value - 100 * back, found)}

    trial("round trip", draw, share, low=0.7)
