"""Readings that stand alone, and gaps: what rests on them decides nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import record
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.alone import standing_alone
from ubrant.methods.discharge.sums import analyse

BODY = falling(hours=5.4, end_v=10.9, every_s=300.0)


def slipped(place: int, amps: float | None = None, volts: float | None = None) -> Readings:
    current, voltage = BODY.current_a.copy(), BODY.voltage_v.copy()
    current[place] = amps if amps is not None else current[place]
    voltage[place] = volts if volts is not None else voltage[place]
    return Readings(BODY.time_s, voltage, current)


@pytest.mark.parametrize(
    ("amps", "volts", "found"),
    [
        (100.0, None, [("A", 100.0)]),
        (1.0, None, [("A", 1.0)]),
        (None, 130.0, [("V", 130.0)]),
        (None, 1.3, [("V", 1.3)]),
        (25.0, None, []),
        (None, None, []),
    ],
)
def test_a_slipped_digit_stands_alone(amps, volts, found):
    alone = standing_alone(slipped(20, amps, volts))
    assert [(one.quantity, one.value) for one in alone] == found
    for one in alone:
        assert one.time_s == BODY.time_s[20]
        assert one.charge_ah == pytest.approx((one.value - 10.0) * 300 / 3600 if one.quantity == "A" else 0.0)


def test_what_is_read_fast_may_be_a_pulse():
    time = np.arange(100.0)
    amps = np.where(time == 50, 100.0, 10.0)
    assert standing_alone(Readings(time, np.full(100, 13.0), amps)) == ()


def test_a_load_that_changes_stands_not_alone():
    time = 60.0 * np.arange(40)
    for amps in (np.where(time > 1200, 40.0, 10.0), np.where((time > 1200) & (time < 1500), 40.0, 10.0)):
        assert standing_alone(Readings(time, np.full(40, 13.0), amps)) == ()


def test_a_figure_that_hangs_on_one_reading_is_no_verdict():
    assert analyse(record(BODY)).verdict.word == "meets"
    found = analyse(record(slipped(20, 100.0)))
    assert found.verdict.word == "cannot tell"
    assert "hangs on readings that stand alone" in found.verdict.sentence
    assert found.verdict.settle == "Look whether a digit slipped there."
    assert any(
        "The reading of 100.0 A, 1 h 40 min after load on, stands alone between readings of about 10.00 A" in w for w in found.warnings
    )


def test_a_digit_too_few_makes_no_battery_weak():
    """30 Ah of 50 would be spent; with one reading a tenth of its neighbours it hangs on that."""
    weak = falling(hours=3.0, end_v=10.9, every_s=1800.0)
    assert analyse(record(weak)).verdict.word == "spent"
    current = weak.current_a.copy()
    current[3] = 1.0
    assert analyse(record(Readings(weak.time_s, weak.voltage_v, current))).verdict.word in {"cannot tell", "not like for like"}


def with_break(body: Readings, seconds: float) -> Readings:
    return Readings(body.time_s + np.where(body.time_s > 9000, seconds, 0.0), body.voltage_v, body.current_a)


def test_a_label_is_not_met_in_a_gap():
    """Two hours in which nothing was read, the same current on both sides: nobody knows that it was on."""
    weak = falling(hours=4.5, end_v=10.9, every_s=300.0)
    assert analyse(record(weak)).verdict.word == "below"
    found = analyse(record(with_break(weak, 7200.0)))
    assert found.verdict.word == "cannot tell"
    assert "lies in gaps, in which nobody knows whether the load was on" in found.verdict.sentence
    kept = analyse(record(with_break(BODY, 7200.0), checked=("share",)))  # met by what was read
    assert (kept.verdict.word, len(kept.gaps)) == ("meets", 1)


def test_a_weak_battery_stays_weak_with_a_gap():
    weak = falling(hours=3.0, end_v=10.9, every_s=60.0)
    here = np.abs(weak.time_s - 5000.0) > 400
    found = analyse(replace(record(weak), readings=Readings(weak.time_s[here], weak.voltage_v[here], weak.current_a[here])))
    assert (found.verdict.word, len(found.gaps)) == ("spent", 1)
