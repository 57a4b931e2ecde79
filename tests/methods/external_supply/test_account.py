"""An external supply by hand: its path is at its heaviest load."""

from __future__ import annotations

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
    assert path.losses[1] == "−7.40 W lost"
