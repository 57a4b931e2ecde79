"""Is it wearing out? By its runs in short: surely so, not to be seen, or too soon to say; never a slope that is none."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.command_line import ubrant
from tests.window import needs
from ubrant.core.compare.ageing import TOLD_SLOPE, trend_of, worth_again
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import INSTRUMENTS, SIMULATED, Origin, RunHeader, Setup
from ubrant.logbook.records import Summary, new_run
from ubrant.methods.enquiries import AGEING
from ubrant.runs.kept.ageing_told import ageing_told
from ubrant.runs.kept.answer_sheet import answer_sheet

PACK = Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")
FIRST = datetime(2022, 3, 1, tzinfo=UTC)


def measured(years, charges, expanded=0.6, *, whole=True, road=INSTRUMENTS):
    """Runs with their summaries, the newest first."""
    found = []
    for year, charge in zip(years, charges, strict=True):
        run = new_run(RunHeader("discharge", Setup(PACK), origin=Origin(road)), road, FIRST + timedelta(days=365.25 * year), state="done")
        found.append((run, Summary("", bar=(charge, expanded), energy=(charge * 12.8, 5.0, whole, 1.0))))
    return found[::-1]


def test_one_that_surely_loses():
    told = ageing_told(PACK, measured(np.arange(6) * 0.6, 50 - 2.5 * np.arange(6) * 0.6))
    points, u = map(float, re.fullmatch(r"Loses ([\d.]+) ± ([\d.]+) points a year", told).groups())
    assert points == pytest.approx(5.0, abs=0.2)
    assert 0.5 < u < 3


def test_one_that_stays():
    assert ageing_told(PACK, measured(np.arange(6.0), [50.0, 50.2, 49.9, 50.1, 50.0, 50.1])).startswith(
        "Not that one could see it: less than "
    )


def test_two_of_one_spring_are_too_soon_and_say_when():
    told = ageing_told(PACK, measured([0.0, 0.15], [50.0, 49.0]))
    assert re.fullmatch(r"Too soon to say: run it again in [A-Z][a-z]+ 20\d\d", told)
    assert "points" not in told


def test_what_is_no_capacity_counts_for_nothing():
    assert ageing_told(PACK, measured([0.0], [50.0])) == ""
    assert ageing_told(PACK, measured([0.0, 1.0, 2.0], [50.0, 40.0, 30.0], whole=False)) == ""
    assert ageing_told(PACK, measured([0.0, 1.0, 2.0], [50.0, 40.0, 30.0], expanded=None)) == ""


def test_when_it_is_worth_another_look():
    """One more on that day tells the slope to the points that were asked for."""
    rng = np.random.default_rng(7)
    for _ in range(30):
        years = np.sort(np.append(0.0, rng.uniform(0.0, 0.2, 3)))
        own = np.full(4, rng.uniform(0.5, 2.0))
        again = np.append(years, worth_again(years, own))
        trend = trend_of(again, np.full(5, 98.0), np.append(own, own[0]))
        assert 2 * trend.slope_u == pytest.approx(TOLD_SLOPE, rel=0.25)


def test_a_steady_battery_is_hardly_ever_said_to_lose(share):
    rng = np.random.default_rng(11)
    cases = max(int(2000 * share), 100)
    lost = 0
    for _ in range(cases):
        count = int(rng.integers(3, 8))
        years = np.sort(np.append(0.0, rng.uniform(0.1, 4.0, count - 1)))
        gain = 1 + 0.005 * rng.uniform(-1, 1)
        charges = 50 * gain * (1 + 0.01 * rng.standard_normal(count))
        lost += ageing_told(PACK, measured(years, charges)).startswith("Loses")
    print(f"{lost} of {cases} steady ones said to lose")
    assert lost <= 0.03 * cases


def test_its_row_stands_on_the_sheet_and_rehearsals_are_none_of_it():
    needs("discharge")
    runs = measured(np.arange(6) * 0.6, 50 - 2.5 * np.arange(6) * 0.6)
    rehearsed = measured(np.arange(6) * 0.6, 50 - 2.5 * np.arange(6) * 0.6, road=SIMULATED)
    for those, begins in ((runs, "Loses 5"), (rehearsed, "")):
        summaries = {id(run): summary for run, summary in those}
        sheet = answer_sheet(PACK, [run for run, _ in those], lambda run, kept=summaries: kept[id(run)], datetime.now(UTC))
        row = next(one for one in sheet if one.enquiry is AGEING)
        assert row.answer.startswith(begins)
        assert bool(row.answer) == bool(begins)
        assert row.ways


def test_the_command_line_prints_it(logbook):
    needs("discharge")
    logbook.keep_unit(PACK)
    logbook.close()
    assert "Is it wearing out? Not known" in ubrant("answers", str(logbook.path)).stdout
