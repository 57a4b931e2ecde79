"""What a record says of itself."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Zeroed
from ubrant.core.record.head import RunHeader, Setup
from ubrant.core.record.record import record_of


@pytest.mark.parametrize(("zero_v", "is_none"), [(0.004, False), (-0.02, False), (4.0, False), (6.0, True), (13.0, True), (-13.0, True)])
def test_a_zero_of_nearly_half_of_what_is_read_is_none(zero_v, is_none):
    series = Series(np.arange(10.0), np.full(10, 13.0))
    record = record_of(
        RunHeader("discharge", Setup(Unit("Pack", "battery"))), {("battery", "V"): series}, (Zeroed(0.0, "", {"V": zero_v}, "battery"),)
    )
    assert bool(record.zero_trouble()) == is_none
