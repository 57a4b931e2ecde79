"""Trials through the real engine on stand-ins: what they find is what the stand-ins are, and what ended them is explained."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ubrant.bench.standins.converter_world import ConverterWorld
from ubrant.core.leads import Leads
from ubrant.core.load_steps import BATTERY, INVERTER, LEADS, OVERLOAD
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.ranking import candidates_of, ranked_for
from ubrant.workshop.trials.registry import trial_of, trial_view, trials_for
from ubrant.workshop.trials.session import start_trial
from ubrant.workshop.trials.simulated import converter_of, scenario_for_trial
from ubrant.workshop.trials.trial import Told

BENCH = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=100.0)
PLUG = Meter("Plug-in meter", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250.0, max_a=16.0, details=MeterDetails(power_accuracy="1 % + 0.3 W"))
HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
BLOCK = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")
PACK = Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4")


@pytest.fixture
def book(tmp_path):
    made = Logbook(tmp_path / "trials.ubrant")
    yield made
    made.close()


def tried(book, unit, method, meters=(BENCH, PLUG), battery=None, leads=None, **fields):
    """A trial carried through by itself; what it says, and what was really there."""
    kept = book.keep_unit(unit) if not unit.id else unit
    trial = trial_of(method)
    told = Told(kept, {**trial.usual(kept), **fields}, meters, leads or Leads(), battery)
    assert not [said for refused, said in trial.problems(told) if refused]
    run, session = start_trial(book, trial, told, unattended=True)
    session.start()
    session.join(60)
    assert session.progress.trouble == ""
    commands = session.commands.text()
    last = [line for line in commands.splitlines() if "Load: INP?" in line][-1:]
    assert all(line.rstrip().endswith("0") for line in last), "the load is off"
    return trial_view(book, book.run(run.id)), told, run


def test_an_inverters_losses_and_leads_are_found(book):
    view, told, run = tried(book, HUT, "steps", battery=PACK, hold="")
    truth = scenario_for_trial(told, run.id, battery=True)
    p = truth.converter
    for key, value in (("idle_power", p.fixed_w), ("loss_proportional", p.proportional), ("loss_resistive", p.resistive_per_w), ("lead_resistance", truth.lead_ohm),
                       ("output_sag", 300 * p.output_ohm / 226)):  # fmt: skip
        finding = view.findings[key]
        assert abs(finding.value - value) <= 1.6 * finding.expanded_uncertainty, key
    assert view.ended_by == ""
    assert view.sentence.endswith("It carried every step.")
    assert [w.found.kind for w in view.waves] == ["sine"] * 8


def test_its_own_cut_off_while_the_battery_is_far_from_empty_is_explained_so(book):
    """The leads take the volts: loaded, the inverter sees its cut-off; the battery recovers to a good share."""
    view, _, _ = tried(book, HUT, "steps", battery=BLOCK, leads=Leads(4.0, 2.5), loads="0, 65, 200, 250 W", hold="250 W")
    assert view.ended_by == LEADS
    assert "The leads ended it" in view.sentence
    assert "% are left in it" in view.sentence
    assert view.findings["charge_left"].value > 25
    assert view.findings["recovered"].value - view.findings["cutoff_input"].value > 1.0
    held, given = view.findings["held_for"].value, view.findings["held_out"].value
    assert given == pytest.approx(250 * held / 3600, rel=0.02)
    assert 80 < view.findings["held_efficiency"].value < 92


def test_a_sagging_battery_trips_the_inverter_itself(book):
    """Thick leads and an early cut-off: neither leads nor an empty battery, the inverter's own threshold."""
    early = replace(HUT, name="Early", stand_in={"shutoff_v": 11.8, "sags_below_v": 10.0})
    view, _, _ = tried(book, early, "steps", battery=BLOCK, leads=Leads(0.3, 35.0), loads="0, 50, 150 W", hold="280 W")
    assert view.ended_by == INVERTER
    assert "its own low-voltage cut-off, on the loaded voltage" in view.sentence
    assert "% are left" in view.sentence
    assert view.findings["charge_left"].value > 25


def test_an_empty_battery_and_an_overload_are_told_apart(book):
    small = replace(BLOCK, label_text="12 V 7.2 Ah AGM, 20 h rate")
    view, _, _ = tried(book, HUT, "steps", battery=small, leads=Leads(0.5, 10.0), loads="0, 10, 20, 30 W", hold="25 W")
    assert view.ended_by == BATTERY
    over, _, _ = tried(book, replace(HUT, name="Over"), "steps", battery=PACK, loads="0, 100, 200, 300, 360 W", hold="")
    assert over.ended_by == OVERLOAD
    assert over.findings["overload"].value == 360
    assert "cutoff_input" not in over.findings


def test_a_converter_on_the_battery_itself(book):
    unit = Unit("Laptop step-up", "converter", "12 V to 19 V, 90 W")
    view, told, run = tried(book, unit, "steps", (BENCH, BENCH), battery=BLOCK, hold="")
    p = scenario_for_trial(told, run.id, battery=True).converter
    for key, value in (("idle_power", p.fixed_w), ("loss_proportional", p.proportional)):
        assert abs(view.findings[key].value - value) <= 1.6 * view.findings[key].expanded_uncertainty, key
    assert view.waves == ()


def test_idle_draw_in_both_settings(book):
    view, _, _ = tried(book, HUT, "idle", (BENCH, BENCH), minutes="2 min")
    p = converter_of(HUT)
    for key, value in (("idle_power", p.fixed_w), ("idle_power_economy", p.economy_w)):
        assert abs(view.findings[key].value - value) <= view.findings[key].expanded_uncertainty
    assert view.findings["idle_energy_day"].value == pytest.approx(24 * view.findings["idle_power"].value)
    assert [name for name, _ in view.course] == ["normal", "economy"]


def test_a_clamp_cannot_resolve_a_small_idle_draw(book):
    clamp = Meter("Clamp", "0.8 % + 20 mV", "2 % + 100 mA", max_v=600, max_a=400)
    view, told, _ = tried(book, Unit("Tiny", "converter", "12 V to 5 V, 3 A"), "idle", (clamp, clamp), minutes="1 min")
    assert any("shunt" in said for _, said in trial_of("idle").problems(told))
    assert any("settles nothing" in said for said in view.warnings)


def test_a_breaker_against_its_curve(book):
    view, _, _ = tried(book, Unit("Breaker", "lead", "30 A breaker"), "trip", (BENCH, BENCH), amps="31.5, 45, 90 A", longest="4 min")
    assert view.findings["opens_1"].name.endswith("held")
    slow, quick = view.findings["opens_2"].value, view.findings["opens_3"].value
    assert slow == pytest.approx(68, abs=5)  # 60 s × ln(2.25 ÷ (2.25 − 1.25²)) from cold, 71.3 s; a little warm from the step before
    assert quick < slow
    assert 31.5 < view.findings["trip_current"].value < 45
    early = Unit("Weak", "lead", "30 A breaker", stand_in={"opens_at": 0.9})
    weak, _, _ = tried(book, early, "trip", (BENCH, BENCH), amps="29 A", longest="4 min", curve="")
    assert any("under its rating" in said for said in weak.warnings)


def test_candidates_for_one_job(book):
    tried(book, HUT, "steps", battery=PACK, hold="", loads="0, 20, 65, 150, 300 W")
    tried(book, Unit("Hall", "inverter", "12 V to 230 V sine, 1000 W"), "steps", battery=PACK, hold="", loads="0, 20, 65, 150, 300 W")
    assert {c.name for c in candidates_of(book, 230.0)} == {"Hut", "Hall"}
    from ubrant.core.candidates import Job

    rows, said = ranked_for(book, Job(12.0, 13.6, 65.0, 6.0, 500.0, 0.3), 230.0)
    assert rows[0].name == "Hut"
    assert said.startswith("Take Hut:")
    assert ranked_for(book, Job(12.0, 13.6, 65.0, 6.0, 500.0, 0.3), 5.0)[1].startswith("Nothing")


def test_what_suits_what():
    def methods(kind, text):
        return [t.method for t in trials_for(Unit("x", kind, text))]

    assert methods("converter", "12 V to 5 V, 3 A") == ["sweep", "steps", "idle"]
    assert methods("inverter", "12 V to 230 V, 300 W") == ["steps", "idle"]
    assert methods("charger", "230 V to 19 V, 65 W") == ["supply"]
    assert methods("lead", "30 A breaker") == ["trip"]
    assert methods("load", "230 V, 52 W") == ["appliance"]
    assert methods("battery", "12.8 V 50 Ah LiFePO4") == []
    assert methods("charger", "60 W panel, 12 V class") == []


def test_the_stand_ins_are_the_same_every_time(book):
    told = Told(HUT, {}, (BENCH, PLUG), Leads(), PACK)
    one, other = (ConverterWorld(scenario_for_trial(told, 3, battery=True)) for _ in range(2))
    for world, cuts in ((one, (30.0,)), (other, (0.4, 11.0, 30.0))):
        world.hands("on")
        world.mode, world.set_a = "power", 100.0
        world.switch(True)
        for moment in cuts:
            world.advance_to(moment)
    assert (one.input_v, one.output_v, one.source_v) == (other.input_v, other.output_v, other.source_v)
