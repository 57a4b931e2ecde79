"""Temperature in a verdict: none inside the label's window, corrected outside it, a term where nobody wrote it down."""

from __future__ import annotations

import pytest

from tests.trust.making import discharge, judged, value, word
from ubrant.core.battery.conditions import at_reference
from ubrant.core.battery.peukert import ConstantRun, fit_exponent, why_no_exponent
from ubrant.core.quantities.label import parse_label
from ubrant.core.uncertainty.value import exactly, scattered

LEAD = "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V"


def u(found):
    return found["findings"]["label_share"]["expanded_uncertainty"]


def test_inside_the_window_it_is_no_term(tmp_path):
    inside, unknown = (judged(tmp_path, discharge(ah=52.6), *more) for more in (("--temperature", "17 °C"), ()))
    assert u(inside) < 1.0 < u(unknown)
    assert value(inside, "label_share") == pytest.approx(value(unknown, "label_share"))
    assert (word(inside), word(unknown)) == ("meets", "cannot tell")
    assert "temperature" in unknown["verdict"]["settle"]


def test_outside_it_is_corrected_with_its_uncertainty(tmp_path):
    cold = judged(tmp_path, discharge(ah=50.0), "--temperature", "5 °C")
    assert value(cold, "label_share") == pytest.approx(100 * value(cold, "charge") / 50 / 0.97, rel=1e-6)
    assert u(cold) > 2.0


@pytest.mark.parametrize("celsius", ["-8 °C", "46 °C"])
def test_far_outside_it_is_not_like_for_like(tmp_path, celsius):
    assert word(judged(tmp_path, discharge(ah=54.0), "--temperature", celsius)) == "not like for like"


def test_lead_acid_is_judged_at_its_reference(tmp_path):
    rows = [(t, v - 0.6, a) for t, v, a in discharge(ah=45.0, amps=2.25, every=240.0, stop_v=11.0)]
    found = judged(tmp_path, rows, "--temperature", "10 °C", label=LEAD, cutoff="10.5 V")
    assert value(found, "label_share") == pytest.approx(100 * value(found, "charge") / 45 / (1 + 0.006 * (10 - 22.5)), rel=1e-6)
    assert "λ = 0.006" in found["findings"]["label_share"]["working"]


def test_cannot_tell_says_what_is_sure(tmp_path):
    found = judged(tmp_path, discharge(ah=51.0), "--temperature", "20 °C")
    assert word(found) == "cannot tell"
    assert "It is not spent." in found["sentence"]
    assert " to " in found["sentence"]
    assert "% of it" in found["sentence"]


def test_a_room_that_is_known_is_less_doubt_than_any_room(tmp_path):
    """Inside the window of lithium's label it is no term; half in and half out the part outside is one."""
    any_room, known, warm = (
        u(judged(tmp_path, discharge(ah=52.6), *more)) for more in ((), ("--temperature", "17 to 23 °C"), ("--temperature", "21 to 29 °C"))
    )
    at_20 = judged(tmp_path, discharge(ah=52.6), "--temperature", "20 °C")
    inside, share = u(at_20), value(at_20, "label_share")
    assert known == pytest.approx(inside)
    assert inside < warm < any_room
    assert warm**2 - inside**2 == pytest.approx((2 * share * 0.003 * 4 / 3**0.5) ** 2, rel=0.01)


def test_lead_acid_is_judged_at_the_middle_of_a_known_room(tmp_path):
    rows = [(t, v - 0.6, a) for t, v, a in discharge(ah=45.0, amps=2.25, every=240.0, stop_v=11.0)]
    found, at_11 = (judged(tmp_path, rows, "--temperature", t, label=LEAD, cutoff="10.5 V") for t in ("8 to 14 °C", "11 °C"))
    assert value(found, "label_share") == pytest.approx(value(at_11, "label_share"), rel=1e-6)
    slope = value(found, "label_share") * 0.006 / (1 + 0.006 * (11 - 22.5))  # of share ÷ (1 + λ(θ − 22.5)), in its own unit per °C
    assert u(found) ** 2 - u(at_11) ** 2 == pytest.approx((2 * slope) ** 2 * (9 - 1) / 3, rel=0.02)


@pytest.mark.parametrize("room", ["-60 to 20 °C", "17 to 90 °C"])
def test_no_room_for_people_is_refused(tmp_path, room):
    with pytest.raises(AssertionError, match="is no room"):
        judged(tmp_path, discharge(ah=52.0), "--temperature", room)


@pytest.mark.parametrize(
    ("hours", "says"),
    [((9.0, 4.6), ""), ((9.0, 3.95), ""), ((7.0, 4.9), "more the faster"), ((30.0, 4.0), "far less than any"), ((9.0, 4.51), "")],
)
def test_runs_that_were_of_no_one_battery_in_one_state_give_no_exponent(hours, says):
    """One of them from another pack, or years later: at twice the current 1.43 or 7.5 times less long is no law of Peukert's."""
    times = [h + scattered(0.005 * h, f"time of {n}") for n, h in enumerate(hours)]
    runs = [ConstantRun(exactly(amps), time) for amps, time in zip((5.0, 10.0), times, strict=True)]
    why = why_no_exponent(fit_exponent(runs))
    assert (says in why) if says else not why


def test_a_room_adds_no_doubt_to_a_battery_that_was_measured():
    """The battery had its thermometer: what the room was does not matter."""
    label = parse_label("12.8 V 50 Ah LiFePO4")
    assert at_reference(label, 20.0, 5.0, (5.0, 30.0)) == at_reference(label, 20.0, 5.0)
