"""What colleagues would not believe of a sum, asked at its edge: what is just usual goes through, what is just not is asked about."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from ubrant.core.battery.device_charge import DeviceRecharge, recharge_slips
from ubrant.core.battery.percent import PercentChange
from ubrant.core.conversion.slips import loses_less
from ubrant.core.conversion.sweep import best_sentence
from ubrant.core.record.jot_text import read_jot_text
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, within
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored


def finding(value, half=0.0, unit="%", bound=""):
    made = Finding.made("x", "X", Value(value, {}) + within(half, "x"), unit, "")
    return made if not bound else Finding("x", "X", value, unit, None, "", bound=bound)


def test_a_loss_may_fall_by_what_digits_and_gains_do():
    """0.60 W at 10 W out and 0.30 W at 15 W: 0.30 W less, where gains of 3 % of 9.7 W, 15 % of 0.60 W and the digits may make 0.38 W and more."""
    out, into = np.array([10.0, 15.0]), np.array([10.60, 15.30])
    assert loses_less(into, out, np.array([0.05, 0.05])) is None
    assert loses_less(into, out, np.array([0.0, 0.0])) is None
    assert loses_less(into - np.array([0.0, 0.2]), out, np.array([0.0, 0.0])) == (1, 0)
    assert loses_less(into - np.array([0.0, 0.2]), out, np.array([0.1, 0.1])) is None, "digits of both"


@pytest.mark.parametrize(("stored", "asked"), [(7.0, False), (9.0, False), (30.0, True)])
def test_a_bound_on_what_was_taken_is_held_against_the_least_that_arrived(stored, asked):
    """At most 8 Wh were taken; a label of 9 Wh may hold 5.9, one of 30 Wh holds 19.5 at the least."""
    one = DeviceRecharge(None, PercentChange(0, 100, 0, 0, 0.0, 3600.0))
    found = [key for key, _ in recharge_slips(one, None, finding(8.0, unit="Wh", bound=AT_MOST), finding(stored, unit="Wh"))]
    assert ("stood" in found) is asked


@pytest.mark.parametrize(
    ("best", "half", "says"),
    [(92.0, 3.0, "best 92"), (92.0, 30.0, "its best efficiency cannot be told: "), (100.4, 3.0, "cannot be told from 100 %")],
)
def test_the_best_efficiency_is_said_as_far_as_it_can_be_told(best, half, says):
    swept = SimpleNamespace(findings={"peak_efficiency": finding(best, half), "peak_at": finding(20.0, unit="W")})
    assert best_sentence(swept).startswith(says) or says in best_sentence(swept)


def test_lines_before_the_first_day_that_is_named_are_of_the_day_before_it():
    read = read_jot_text("unit: B\n\n@10:00 5.08 V\n@14:00 5.07 V\n@10-18 09:00 5.08 V\n@10-18 14:00 5.05 V\n", "notes")
    assert [entry.time_s / 3600 for entry in read.entries] == [0.0, 4.0, 23.0, 28.0]
    same = read_jot_text("unit: B\n\n@10:00 5.08 V\n@10-18 14:00 5.05 V\n", "notes")
    assert [entry.time_s / 3600 for entry in same.entries] == [0.0, 4.0]


HEADS = {
    "charger": "method: charger\nunit: Ch\nkind: charger\nlabel: 230 V to 14.6 V, 5 A\nplan into: a battery\nto: Pack A: 12.8 V 20 Ah LiFePO4\n"
    "volts: 0.5 % + 10 mV\namps: 1 % + 10 mA\n\n",
    "appliance": "method: appliance\nunit: Set\nkind: load\nlabel: 230 V, 60 W\nwatts: 1 % + 0.3 W\nplan modes: standby, on\n\n",
}


@pytest.mark.parametrize(
    ("method", "lines"),
    [
        (
            "charger",
            ("+1min 13.40 V 5.00 A", "+30min 13.42 V 5.00 A", "+60min 13.45 V 5.00 A", "+90min 14.6 V 3.0 A", "+120min 14.6 V 1.0 A"),
        ),
        ("appliance", ("@10:00 231 V 8.0 W standby", "@10:02 231 V 51 W on")),
    ],
)
def test_what_is_usual_is_not_asked_about(tmp_path, method, lines):
    path = tmp_path / "usual.jot"
    path.write_text(HEADS[method] + "\n".join(lines) + "\n", "utf-8")
    account = account_of_stored(read_file(path, LogOptions()).record())
    assert account.sentence
    assert not account.questions
