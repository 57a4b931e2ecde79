"""An external supply by hand: its path is at its heaviest load."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import BRICK, METER, PLUG, prepared, record_for
from ubrant.methods.registry import method_of


def test_at_its_heaviest():
    lines = {0.0: "input 72 W output 19 V 3.4 A", 10.0: "input 54 W output 19 V 2.5 A"}
    path = (
        method_of("external-supply")
        .account(record_for("external-supply", prepared("external-supply", BRICK, (PLUG, METER)), lines=lines))
        .path()
    )
    assert [round(f.amount, 1) for f in path.flows] == [72.0, 64.6]
    assert path.losses[1] == "7.40 W lost"


def test_loads_in_another_order_are_of_the_steps_that_ask_for_them():
    made = prepared("external-supply", BRICK, (PLUG, METER))
    lines = (
        "input 18.6 W output 19.1 V 0.85 A",
        "input 36.3 W output 19.1 V 1.7 A",
        "input 54.0 W output 19.0 V 2.55 A",
        "input 73 W output 19.0 V 3.4 A",
    )
    found = method_of("external-supply").account(
        record_for("external-supply", made, lines={60.0 * k: line for k, line in enumerate((*lines, "input 0.2 W"))})
    )
    assert found.findings["average_efficiency"].value == pytest.approx(
        np.mean([19.1 * 0.85 / 18.6, 19.1 * 1.7 / 36.3, 19.0 * 2.55 / 54, 19 * 3.4 / 73]) * 100
    )
    assert found.findings["efficiency_0"].value == pytest.approx(100 * 19 * 3.4 / 73), "a step has its key, whenever it was made"
    assert not found.warnings
