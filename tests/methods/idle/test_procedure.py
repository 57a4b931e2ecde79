"""An idle draw, walked without any bench."""

from __future__ import annotations

import pytest

from tests.making import walked
from ubrant.methods import cautions
from ubrant.methods.idle.procedure import IdlePlan, idle_draw
from ubrant.methods.steps import Ask, ReadRest, SupplyOff, SwitchOn, Zero


@pytest.mark.parametrize("economy", [True, False])
def test_idle_draw(economy):
    seen = walked(idle_draw(IdlePlan(12.8, 180.0, economy=economy, mains=True)))
    kinds = [type(s) for s in seen]
    reading = [Ask, ReadRest]
    assert kinds == [Ask, Zero, SwitchOn, *reading, *(reading if economy else []), Ask, ReadRest, Zero, SupplyOff]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "on", *(["economy"] if economy else []), "off"]
    assert next(s for s in seen if isinstance(s, Zero)).quantities == "A"
    assert [s.seconds for s in seen if isinstance(s, ReadRest)] == [180.0] * (1 + economy) + [10.0]
    assert cautions.MAINS in seen[0].cautions
    by_battery = walked(idle_draw(IdlePlan(0.0)))
    assert not any(isinstance(s, SwitchOn) for s in by_battery)
