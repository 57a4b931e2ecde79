"""A day by plug meter: mean, standby, duty, another day, slips."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from ubrant.core.loads.plug_day import Day, analyse_day
from ubrant.core.quantities.accuracy import Accuracy

PLUG = Accuracy(0.01, 0.3, "W")


def test_a_day_of_the_trade():
    """6.051 kWh in 24 h 16 min is 249 W; 5.6 W standing by is 0.134 kWh a day: common practice, no source."""
    found, _ = analyse_day(Day((0.0, 0.0, 0.5), (24 * 3600 + 16 * 60, 6051.0, 0.5), (5.6, 0.05)), PLUG, 0.0)
    assert found["mean_power"].value == pytest.approx(249, abs=0.5)
    assert found["standby_day"].value == pytest.approx(134, abs=0.5)
    assert found["mean_power"].expanded_uncertainty == pytest.approx(2 * 0.01 * 249.4 / 3**0.5, rel=0.02)


def test_duty_is_what_is_left_over_standby_of_what_it_draws_running():
    day = Day((0.0, 0.0, 0.5), (86400.0, 24 * 40.0, 0.5), (4.0, 0.05), (94.0, 0.05))
    found, _ = analyse_day(day, PLUG, 0.1)
    assert found["duty"].value == pytest.approx(40.0)
    assert found["energy_day"].standard_uncertainty > 0.1 * 960 / 3**0.5
    over, told = analyse_day(Day((0.0, 0.0, 0.5), (86400.0, 24 * 120.0, 0.5), None, (94.0, 0.05)), PLUG, 0.0)
    assert (over["duty"].bound, "starts higher" in told[0]) == ("at most", True)


def test_days_lie_inside_their_uncertainty(share):
    def draw(rng):
        mean, hours = rng.uniform(5, 300), rng.uniform(22, 30)
        gain = 1 + rng.uniform(-0.01, 0.01)
        late = rng.uniform(-60, 60, 2)
        wh = round(mean * hours * gain, 0)
        found, _ = analyse_day(Day((late[0], 0.0, 0.5), (hours * 3600 + late[1], wh, 0.5)), PLUG, 0.0)
        return {"mean": (found["mean_power"].value - mean, found["mean_power"])}

    trial("days by plug meter", draw, share)


HEAD = "method: plug-day\nunit: Fridge\nkind: load\nwatts: 1 % + 0.3 W\n\n"


@pytest.mark.parametrize(
    ("lines", "says", "refused"),
    [
        ("@10:00 skip\n@10:01 skip\n@10:10 0 Wh\n", "read 1 times", True),
        ("@10:00 skip\n@10:01 skip\n@10:10 900 Wh\n+24:00 12 Wh\n", "reset in between", True),
        ("@10:00 90 W standing by\n@10:10 0 Wh\n+24:00 0.4 kWh\n", "one of the two is not right", False),
        ("@10:10 0 Wh\n@13:10 0.12 kWh\n", "24 h tell more", False),
    ],
)
def test_slips(tmp_path, lines, says, refused):
    notes = tmp_path / "fridge.jot"
    notes.write_text(HEAD + lines)
    if refused:
        assert says in ubrant("analyse", str(notes)).stderr
    else:
        assert says in " ".join(said(str(notes))["warnings"])
