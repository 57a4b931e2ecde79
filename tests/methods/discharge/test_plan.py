"""The discharge as a list, as a rehearsal, and what speaks against a plan."""

from dataclasses import replace

import pytest

from tests.methods.discharge.making import small_plan
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.checks import discharge_problems
from ubrant.methods.discharge.procedure import discharge, own_cutoff, usual_plan
from ubrant.methods.method import LoadRating
from ubrant.methods.rehearsal import rehearse
from ubrant.methods.summary import summarise

METER = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA", max_v=60, max_a=20)
LOAD = LoadRating(60, 80, 1500)


def test_the_label_sets_the_test():
    """Rate and cut-off of the standards: IEC 61960-3 0.2 It for lithium, 20-hour rate to 1.75 V a cell for lead-acid."""
    lithium, lead = usual_plan(parse_label("50 Ah 12.8 V"), Leads()), usual_plan(parse_label("12 V 45 Ah lead-acid"), Leads())
    assert (lithium.current_a, lithium.cutoff.voltage_v) == (10.0, 11.0)
    assert (lead.current_a, lead.cutoff.voltage_v) == (2.25, 10.5)


def test_own_cutoff_stands_behind_the_leads():
    assert own_cutoff(11.0, 10.0, Leads(1.5, 4.0)) == pytest.approx(11.0 * 0.99 - 0.1485, abs=0.01)


def test_summary_lists_every_step_with_its_cautions():
    lines = summarise(discharge(small_plan()), [1800.0])
    assert [line.by_person for line in lines] == [True, True, False, False, False, False, False]
    assert "own cut-off at 10.70 V" in lines[3].text
    assert any("Never below 10 V" in caution for caution in lines[4].cautions)
    assert lines[4].seconds == 1800.0


def test_a_lead_acid_run_warns_of_hydrogen():
    plan = small_plan("12 V 1 Ah lead-acid", chemistry="lead-acid", series=6)
    assert any("hydrogen" in caution for caution in summarise(discharge(plan))[0].cautions)


def test_rehearsal_ends_at_the_cutoff_and_then_recovers():
    label = parse_label("0.5 Ah 12.8 V LiFePO4")
    seen = rehearse(discharge(small_plan()), Circuit(Pack(pack_from_label(label)), 0.015))
    assert seen.ended_by == "cut-off"
    assert seen.until_s[0] == pytest.approx(3600, rel=0.1)
    assert seen.readings.voltage_v[-1] > 11.0
    assert (seen.load_on_s, seen.readings.current_a[0], seen.readings.current_a[-1]) == (20.0, 0.0, 0.0)


def test_rehearsal_sees_the_protection_come_first():
    label = parse_label("0.5 Ah 12.8 V LiFePO4")
    pack = replace(pack_from_label(label), protection_v=11.5)
    assert rehearse(discharge(small_plan()), Circuit(Pack(pack), 0.015)).ended_by == "protection"


def problems(plan=None, unit=None, label="50 Ah 12.8 V LiFePO4", meter=METER, leads=None, **changes):
    leads = leads or Leads()
    plan = replace(plan or usual_plan(parse_label(label), leads), **changes)
    unit = unit or Unit("Pack", "battery", label)
    return [(p.refused, p.text) for p in discharge_problems(plan, unit, parse_label(label), meter, LOAD, leads)]


def test_a_sound_plan_has_no_problems():
    assert problems() == []


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"cutoff": Cutoff(9.5)}, "below the floor of 10 V for 4 iron phosphate cells"),
        ({"cutoff": Cutoff(0.0)}, "There is no cut-off"),
        ({"cutoff": Cutoff(14.0)}, "not under its full 13.6 V"),
        ({"current_a": 0.0}, "There is no current"),
        ({"current_a": 70.0}, "more than the load takes (60 A)"),
        ({"current_a": 25.0}, "more than Bench meter reads up to (20 A)"),
        ({"unit": Unit("Pack", "battery", "", max_current_a=5.0)}, "more than Pack may give (5 A)"),
        ({"own_cutoff_v": -0.1}, "leads would drop all"),
        ({"meter": Meter("Small", max_v=10.0)}, "and Small goes to 10 V"),
        ({"meter": Meter("Odd", "nonsense", "1 %")}, "“nonsense” is not understood"),
        ({"label": "2 Ah 12.8 V LiFePO4", "current_a": 8.0}, "wants a limit from its maker"),
    ],
)
def test_refuses_with_a_reason(changes, says):
    refused = [text for refused, text in problems(**changes) if refused]
    assert any(says in text for text in refused), refused


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"current_a": 20.0}, "not like for like"),
        ({"meter": Meter("Old one")}, "no ± and no verdict"),
        ({"label": "12 V 45 Ah"}, "nobody said"),
        ({"leads": Leads(5.0, 1.0)}, "that is much of its volts. Take"),
    ],
)
def test_says_what_to_know_without_refusing(changes, says):
    assert any(says in text for refused, text in problems(**changes) if not refused)
