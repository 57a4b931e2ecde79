"""An idle draw on stand-ins, by hand and from a log."""

from __future__ import annotations

import pytest

from tests.making import BENCH, HUT, carried_out, prepared, record_for
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import method_of
from ubrant.runs.making.meter_fit import HARDLY, meter_fit
from ubrant.runs.making.simulated import converter_of


def test_in_both_settings(logbook):
    _, account, _ = carried_out(logbook, "idle", prepared("idle", HUT, (BENCH,), seconds="2 min"))
    p = converter_of(HUT)
    for key, value in (("idle_power", p.fixed_w), ("idle_power_economy", p.economy_w)):
        assert abs(account.findings[key].value - value) <= account.findings[key].expanded_uncertainty
    assert account.findings["idle_energy_day"].value == pytest.approx(24 * account.findings["idle_power"].value)


def test_a_clamp_cannot_resolve_a_small_draw(logbook):
    clamp = Meter("Clamp", "0.8 % + 20 mV", "2 % + 100 mA", max_v=600, max_a=400)
    made = prepared("idle", Unit("Tiny", "converter", "12 V to 5 V, 3 A"), (clamp,), seconds="1 min")
    _, account, _ = carried_out(logbook, "idle", made)
    told = meter_fit(method_of("idle"), made)
    assert told.word == HARDLY
    assert "Else a shunt" in told.sentence
    assert any("settles nothing" in said for said in account.warnings)


def test_all_of_it_is_lost():
    made = prepared("idle", HUT)
    record = record_for("idle", made, lines={0.0: "input 12.8 V 0.00 A", 10.0: "input 12.80 V 0.50 A"})
    path = method_of("idle").account(record).path()
    assert path.flows[-1].amount == pytest.approx(6.4, rel=3e-4)
    assert path.flows[0].meter == ""
    assert path.losses[-1] == "all lost"
