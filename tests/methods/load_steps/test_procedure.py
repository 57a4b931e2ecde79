"""Load steps, walked without any bench."""

from __future__ import annotations

from tests.making import walked
from ubrant.core.models.circuit import POWER
from ubrant.methods import cautions
from ubrant.methods.load_steps.procedure import StepsPlan, load_steps
from ubrant.methods.steps import Ask, Hold, Point, ReadRest, SupplyOff, SwitchLoadOff


def inverter(gives_up_over=320.0):
    def answer(step):
        if isinstance(step, Point):
            return "off" if step.load > gives_up_over else f"on{step.load * 1.1 + 5:.3f} 229.00000"
        return "off120.000" if isinstance(step, Hold) else None

    return answer


def test_load_steps_from_a_battery():
    plan = StepsPlan((0.0, 100.0, 300.0), hold=150.0, own_cutoff_v=115.0)
    seen = walked(load_steps(plan), inverter())
    kinds = [type(s) for s in seen]
    assert kinds == [Ask, Ask, Point, Point, Point, Hold, SwitchLoadOff, ReadRest, Ask, SupplyOff]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "on", "off"]
    for step in seen:
        if isinstance(step, Point | Hold):
            assert step.mode == POWER
            assert step.own_cutoff_v == 115.0
        if isinstance(step, Point):
            assert step.input_v == 0.0
    assert cautions.MAINS in seen[0].cautions
    assert cautions.OWN_CUTOFF in seen[1].cautions


def test_an_overload_that_switches_it_off_ends_the_steps():
    seen = walked(load_steps(StepsPlan((0.0, 300.0, 360.0, 420.0), hold=150.0)), inverter())
    assert [s.load for s in seen if isinstance(s, Point)] == [0.0, 300.0, 360.0]
    assert not any(isinstance(s, Hold) for s in seen)
    assert any(isinstance(s, ReadRest) for s in seen)


def test_no_mains_caution_where_there_is_none():
    seen = walked(load_steps(StepsPlan((0.0, 10.0), 10.0, mains=False)))
    assert not any(cautions.MAINS in s.cautions for s in seen)
