"""Load steps through the real engine on stand-ins: what they find is what the stand-ins are, and what ended them is explained."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.making import BENCH, BLOCK, HUT, PACK, PLUG, carried_out, on_shelf, prepared, record_for
from ubrant.bench.standins.converter_world import ConverterWorld
from ubrant.core.conversion.candidates import Job
from ubrant.core.conversion.load_steps import BATTERY, INVERTER, LEADS, OVERLOAD
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import method_of
from ubrant.runs.making.benches import SIMULATED_LOAD
from ubrant.runs.making.simulated import converter_scenario
from ubrant.runs.studies.ranking import candidates_of, ranked_for


def tried(book, unit=HUT, battery=PACK, meters=(BENCH, PLUG), leads=None, **typed):
    """Load steps carried through; what they say, and what was really there."""
    made = on_shelf(book, prepared("steps", unit, meters, battery, leads, **typed))
    assert not [p.text for p in method_of("steps").problems(made, SIMULATED_LOAD) if p.refused]
    record, account, run = carried_out(book, "steps", made)
    return account, converter_scenario(method_of("steps").scene(made), made.setup, run.id), record


def test_an_inverters_losses_and_leads_are_found(logbook):
    account, truth, _ = tried(logbook, hold="")
    p = truth.converter
    known = {
        "idle_power": p.fixed_w,
        "loss_proportional": p.proportional,
        "loss_resistive": p.resistive_per_w,
        "lead_resistance": truth.lead_ohm,
    }
    for key, value in {**known, "output_sag": 300 * p.output_ohm / 226}.items():
        finding = account.findings[key]
        assert abs(finding.value - value) <= 1.6 * finding.expanded_uncertainty, key
    assert account.ended_by == ""
    assert account.sentence.endswith("It carried every step.")
    assert [w.kind for w in account.waves] == ["sine"] * 8


def test_its_own_cut_off_while_the_battery_is_far_from_empty_is_explained_so(logbook):
    """The leads take the volts: loaded, the inverter sees its cut-off; the battery recovers to a good share."""
    account, _, _ = tried(logbook, battery=BLOCK, leads=Leads(4.0, 2.5), loads="0, 65, 200, 250 W", hold="250 W")
    assert account.ended_by == LEADS
    assert "The leads ended it" in account.sentence
    assert "% are left in it" in account.sentence
    assert account.findings["charge_left"].value > 25
    assert account.findings["recovered"].value - account.findings["cutoff_input"].value > 1.0
    held, given = account.findings["held_for"].value, account.findings["held_out"].value
    assert given == pytest.approx(250 * held / 3600, rel=0.02)
    assert 80 < account.findings["held_efficiency"].value < 92


def test_a_sagging_battery_trips_the_inverter_itself(logbook):
    """Thick leads and an early cut-off: neither leads nor an empty battery, the inverter's own threshold."""
    early = replace(HUT, name="Early", stand_in={"shutoff_v": 11.8, "sags_below_v": 10.0})
    account, _, _ = tried(logbook, early, BLOCK, leads=Leads(0.3, 35.0), loads="0, 50, 150 W", hold="280 W")
    assert account.ended_by == INVERTER
    assert "its own low-voltage cut-off, on the loaded voltage" in account.sentence
    assert "% are left" in account.sentence
    assert account.findings["charge_left"].value > 25


def test_an_empty_battery_and_an_overload_are_told_apart(logbook):
    small = replace(BLOCK, label_text="12 V 7.2 Ah AGM, 20 h rate")
    account, _, _ = tried(logbook, battery=small, leads=Leads(0.5, 10.0), loads="0, 10, 20, 30 W", hold="25 W")
    assert account.ended_by == BATTERY
    over, _, _ = tried(logbook, replace(HUT, name="Over"), loads="0, 100, 200, 300, 360 W", hold="")
    assert over.ended_by == OVERLOAD
    assert over.findings["overload"].value == 360
    assert "cutoff_input" not in over.findings
    loads = [w.load_w for w in over.waves]
    assert loads == sorted(loads)
    assert len([w for w in loads if w < 10]) == 1, "a wave at a step that switched it off is not one without load"


def test_a_converter_on_the_battery_itself(logbook):
    unit = Unit("Laptop step-up", "converter", "12 V to 19 V, 90 W")
    account, truth, _ = tried(logbook, unit, BLOCK, (BENCH, BENCH), hold="")
    p = truth.converter
    for key, value in (("idle_power", p.fixed_w), ("loss_proportional", p.proportional)):
        assert abs(account.findings[key].value - value) <= 1.6 * account.findings[key].expanded_uncertainty, key
    assert account.waves == ()


def test_candidates_for_one_job(logbook):
    tried(logbook, hold="", loads="0, 20, 65, 150, 300 W")
    tried(logbook, Unit("Hall", "inverter", "12 V to 230 V sine, 1000 W"), hold="", loads="0, 20, 65, 150, 300 W")
    measured = candidates_of(logbook)
    assert {c.name for gives, c in measured if gives > 200} == {"Hut", "Hall"}
    rows, said = ranked_for(measured, Job(12.0, 13.6, 65.0, 6.0, 500.0, 0.3), 230.0)
    assert rows[0].name == "Hut"
    assert said.startswith("Take Hut:")
    assert ranked_for(measured, Job(12.0, 13.6, 65.0, 6.0, 500.0, 0.3), 5.0)[1].startswith("Nothing")


def test_the_stand_ins_are_the_same_every_time():
    made = prepared("steps", HUT, (BENCH, PLUG), PACK)
    scene = method_of("steps").scene(made)
    one, other = (ConverterWorld(converter_scenario(scene, made.setup, 3)) for _ in range(2))
    for world, cuts in ((one, (30.0,)), (other, (0.4, 11.0, 30.0))):
        world.operator("on")
        world.mode, world.set_a = "power", 100.0
        world.switch(True)
        for moment in cuts:
            world.advance_to(moment)
    assert (one.input_v, one.output_v, one.source_v) == (other.input_v, other.output_v, other.source_v)


def test_half_of_the_steps_are_not_every_step(logbook):
    lines = {60.0: "input 12.6 V 0.36 A output 231 V 0 W 50 Hz", 120.0: "input 12.3 V 5.8 A output 230 V 65 W 50 Hz"}
    made = prepared("steps", HUT, (BENCH, PLUG), PACK, loads="0, 65, 150, 300 W", hold="")
    account = method_of("steps").account(record_for("steps", made, lines=lines))
    assert account.sentence.endswith("It carried the 2 of 4 steps that were taken.")
