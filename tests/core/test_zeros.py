"""A zero that was read is taken off, and what it leaves stays in the ±."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import HUT
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Zeroed
from ubrant.core.record.head import RunHeader, Setup
from ubrant.core.record.record import record_of

CLAMP = Meter("Clamp", "0.5 % + 10 mV", "1 % + 40 mA")


def record(*zeros, meter=CLAMP):
    events = [Zeroed(float(k), "", {"A": z}, "input") for k, z in enumerate(zeros)]
    return record_of(
        RunHeader("idle", Setup(HUT, {"input": meter})), {("input", "A"): Series(np.array([0.0, 1.0]), np.array([0.5, 0.5]))}, events
    )


@pytest.mark.parametrize(
    ("zeros", "read", "left", "said"),
    [
        ((), 0.5, 0.04, 0),
        ((0.03,), 0.47, 0.02, 0),
        ((0.03, 0.05), 0.46, 0.02, 0),
        ((0.03, 0.03), 0.47, 0.004, 0),
        ((0.03, 0.07), 0.45, 0.04, 0),
        ((0.0, 0.48), 0.5, 0.02, 1),  # it was never switched off: that is its draw and no zero
    ],
)
def test_what_a_zero_leaves(zeros, read, left, said):
    found = record(*zeros)
    assert found.corrected("input", "A").value == pytest.approx([read, read])
    assert found.accuracy("input", "A").zero == pytest.approx(left)
    assert found.accuracy("input", "A").gain == pytest.approx(0.01)
    assert len(found.zero_remarks()) == said


def test_without_an_accuracy_the_first_counts():
    found = record(0.03, 0.4, meter=Meter("Clamp"))
    assert found.corrected("input", "A").value == pytest.approx([0.47, 0.47])
