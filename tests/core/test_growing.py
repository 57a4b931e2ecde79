"""A record that grows row by row is, at every row, the one that is made of all rows at once."""

from __future__ import annotations

import random
from dataclasses import replace

import numpy as np
import pytest

from ubrant.bench.live import LiveReadings
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import LEFT_OUT, Grammar, TypedLine
from ubrant.core.record.growing import Growing
from ubrant.core.record.head import RunHeader, Setup
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, record_of

LINES = [
    "13.20 V 0 A",
    "load on 13.1 V 5.00 A",
    "0 A",
    "12.95 V 5.02 A",
    "12.9 V 5 A input 65.2 W",
    "peak 9 A",
    "load off",
    "full",
    "a remark",
    "12.900 V 0.000 A",
    "battery 12.85 V 4.9987 A",
    "battery 3.0 A 2.0 A",
    "-0.5 A",
]


def same(one: Record, other: Record) -> bool:
    assert (one.lines, one.state, one.ended_by, one.typed.marks, one.typed.notes, one.typed.further) == (
        other.lines,
        other.state,
        other.ended_by,
        other.typed.marks,
        other.typed.notes,
        other.typed.further,
    )
    assert list(one.typed.series) == list(other.typed.series)
    for key, series in one.typed.series.items():
        for mine, theirs in (
            (series.time_s, other.typed.series[key].time_s),
            (series.value, other.typed.series[key].value),
            (one.typed.half[key], other.typed.half[key]),
        ):
            np.testing.assert_array_equal(mine, theirs)
    return True


def jotting(text: str) -> TypedLine:
    found = Grammar().parse(text)
    assert found is not None
    return found


@pytest.mark.parametrize("seed", range(20))
def test_every_row_gives_the_whole(seed: int) -> None:
    chance = random.Random(seed)
    setup = Setup(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    if seed % 3 == 2:  # a meter that is off
        setup = replace(setup, meters={"battery": Meter("a meter", details=MeterDetails(zero_a=0.02, gain_v=1.01))})
    head, growing = RunHeader("discharge", setup), Growing()
    rows: list[tuple[float, TypedLine]] = []
    for k in range(60):
        moment = float(k if chance.random() > 0.1 else max(0, k - 1 - chance.randrange(3)))
        what = chance.random()
        if rows and what < 0.05:
            rows.pop(chance.randrange(len(rows)))
        elif rows and what < 0.1:
            place = chance.randrange(len(rows))
            rows[place] = (rows[place][0], replace(rows[place][1], mark=LEFT_OUT))
        else:
            rows.append((moment, jotting(chance.choice(LINES))))
        rows = sorted(rows, key=lambda row: row[0])
        state = "done" if k == 59 else "running"
        assert same(
            growing.record(head, {}, (), list(rows), state, ""), record_of(head, {}, (), [TimedLine(*row) for row in rows], state, "")
        )


def test_a_finer_reading_makes_the_zeros_before_it_finer() -> None:
    head, growing = RunHeader("discharge", Setup(Unit("Pack", "battery", "50 Ah 12.8 V"))), Growing()
    rows = [(0.0, jotting("13.2 V 0 A")), (1.0, jotting("13.1 V 5.0 A"))]
    assert growing.record(head, {}, (), list(rows), "running", "").typed.half["battery", "A"][0] == pytest.approx(0.05)
    rows.append((2.0, jotting("13.0 V 5.000 A")))
    assert growing.record(head, {}, (), list(rows), "running", "").typed.half["battery", "A"][0] == pytest.approx(0.0005)


def test_the_latest_typed_values_follow_every_row_however_it_comes():
    live = LiveReadings()
    live.jot_is(1, (0.0, jotting("13.2 V 0 A peak 9 A")))
    assert live.latest_typed() == {("battery", "V"): 13.2, ("battery", "A"): 0.0}
    live.jot_is(2, (10.0, jotting("13.0 V 5 A")))
    assert live.latest_typed()["battery", "V"] == 13.0
    live.jot_is(3, (5.0, jotting("13.1 V input 65 W")))  # noted late: an earlier moment
    assert live.latest_typed() == {("battery", "V"): 13.0, ("battery", "A"): 5.0, ("input", "W"): 65.0}
    live.jot_is(2, None)
    assert live.latest_typed()["battery", "V"] == 13.1
    live.jots_are({7: (0.0, jotting("12.0 V"))})
    assert live.latest_typed() == {("battery", "V"): 12.0}


def test_the_rows_follow_however_one_comes():
    """What was handed out before stays as it was."""
    live, one, two, late = LiveReadings(), jotting("13.2 V 0 A"), jotting("13.0 V 5 A"), jotting("13.1 V")
    live.jot_is(1, (0.0, one))
    first = live.jots()
    live.jot_is(2, (10.0, two))
    assert (list(first), list(live.jots())) == ([(0.0, one)], [(0.0, one), (10.0, two)])
    live.jot_is(3, (5.0, late))
    assert list(live.jots()) == [(0.0, one), (5.0, late), (10.0, two)]
    live.jot_is(2, (10.0, late))
    assert list(live.jots()) == [(0.0, one), (5.0, late), (10.0, late)]
    live.jot_is(1, None)
    assert list(live.jots()) == [(5.0, late), (10.0, late)]
