"""An appliance by hand: its path is at its most."""

from __future__ import annotations

from tests.making import PLUG, PROJECTOR, prepared, record_for
from ubrant.methods.registry import method_of


def test_at_its_most():
    lines = {0.0: "230 V 0.01 A 0.5 W", 10.0: "231 V 0.4 A 51 W", 20.0: "230 V 0.3 A 40 W"}
    path = method_of("appliance").account(record_for("appliance", prepared("appliance", PROJECTOR, (PLUG,)), lines=lines)).path()
    assert [(f.amount, f.volts, f.meter) for f in path.flows] == [(51.0, 231.0, "Plug")]


def test_watts_that_its_volts_and_amperes_cannot_carry_are_left_out():
    made = prepared("appliance", PROJECTOR, (PLUG,), modes="standby, on")
    found = method_of("appliance").account(record_for("appliance", made, lines={0.0: "231 V 0.01 A 0.5 W", 10.0: "231 V 0.39 A 510 W"}))
    assert [f.value for key, f in found.findings.items() if key.startswith("power_")] == [0.5]
    assert "510.0 W are more than 90.09 VA can carry" in found.warnings[0]
