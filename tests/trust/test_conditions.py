"""Temperature in a verdict: none inside the label's window, corrected outside it, a term where nobody wrote it down."""

from __future__ import annotations

import pytest

from tests.trust.making import discharge, judged, value, word

LEAD = "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V"


def u(found):
    return found["findings"]["label_share"]["expanded_uncertainty"]


def test_inside_the_window_it_is_no_term(tmp_path):
    inside, unknown = (judged(tmp_path, discharge(ah=52.0), *more) for more in (("--temperature", "17 °C"), ()))
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
