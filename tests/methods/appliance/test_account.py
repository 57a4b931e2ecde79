"""An appliance by hand: its path is at its most."""

from __future__ import annotations

from tests.making import PLUG, PROJECTOR, prepared, record_for
from ubrant.methods.registry import method_of


def test_at_its_most():
    lines = {0.0: "230 V 0.01 A 0.5 W", 10.0: "231 V 0.4 A 51 W", 20.0: "230 V 0.3 A 40 W"}
    path = method_of("appliance").account(record_for("appliance", prepared("appliance", PROJECTOR, (PLUG,)), lines=lines)).path()
    assert [(f.amount, f.volts, f.meter) for f in path.flows] == [(51.0, 231.0, "Plug")]
