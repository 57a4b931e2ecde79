"""Ratings, displays judged, candidates, appliances, protection, records of a step, and what ended an inverter's run."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from ubrant.core.conversion.appliance import Mode, appliance_findings
from ubrant.core.conversion.candidates import ConverterCandidate, Job, rank, ranking_sentence
from ubrant.core.conversion.load_steps import BATTERY, INVERTER, LEADS, NOT_KNOWN, OVERLOAD, PROTECTION, BatteryBehind, Ending, what_ended
from ubrant.core.conversion.loss_model import LossModel
from ubrant.core.conversion.protection import Overload, band_at, parse_curve, trip_findings
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.conversion.transient import analyse_transient, is_dc
from ubrant.core.equipment.leads import Leads, lead_sentences
from ubrant.core.meter_checks.display_check import check_display
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.chemistry import LEAD_ACID, LIFEPO4
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.quantities.ratings import parse_ratings, rating_sentences
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.quantities.tolerance import Tolerance, parse_tolerance
from ubrant.core.record.points import SweepMeters, points_of


def test_ratings_are_held_against_what_flows():
    parts = parse_ratings("leads 20 A, fuse 30 A, cord 5 A")
    said = rating_sentences(parts, 26.0, 2.0, measured=False)
    assert any("leads will carry up to 26 A" in s for s in said)
    assert any("over 80 %" in s for s in said)
    assert any("does not protect them" in s for s in said)
    assert rating_sentences(parse_ratings("cord 5 A"), 1.0, 6.0, measured=True) == [
        "The cord carried up to 6 A and is made for 5 A: take a stronger one, or less load."
    ]
    assert rating_sentences(parse_ratings(""), 99.0, 99.0, measured=True) == []
    with pytest.raises(QuantityError, match="is no rating"):
        parse_ratings("wire 20 A")
    with pytest.raises(QuantityError, match="is in V"):
        parse_ratings("fuse 12 V")


def test_leads_against_copper():
    from ubrant.core.uncertainty.finding import Finding

    leads = Leads(1.5, 4.0)

    def measured(ohm):
        return Finding("lead_resistance", "", ohm, "Ω", (), "")

    assert any("a poor joint" in s for s in lead_sentences(measured(0.031), leads, 10.0))
    (back,) = lead_sentences(measured(0.0149), leads, 20.0)
    assert "6 mm²" in back
    assert "2.0 W" in back  # 20² × (14.85 − 9.9) mΩ = 1.98 W
    assert lead_sentences(Finding("lead_resistance", "", None, "Ω", (), ""), leads, 20.0) == []


def test_a_display_is_off_by_a_gain_and_a_zero():
    meter = parse_accuracy("0.05 % + 1 mV", "V")
    true = np.array([3.0, 6.0, 9.0, 12.0])
    shown = np.round((true - 0.05) / 1.02, 2)
    found = check_display(shown, true, meter, 0.01)
    assert found.gain == pytest.approx(1.02, abs=0.002)
    assert found.zero == pytest.approx(0.05, abs=0.02)
    corrected = found.gain * shown + found.zero
    assert np.all(np.abs(corrected - true) <= found.accuracy.limit(12.0))
    with pytest.raises(ReadingsError, match="Two pairs"):
        check_display(np.array([5.0]), np.array([5.0]), meter, 0.01)


DOUBTS = ((0.5, 6.0), (5.0, 0.6), (20.0, 0.4))
GOOD = ConverterCandidate("Good", LossModel(0.1, 0.05, 0.001, 0, 20), 0.1, 6.0, (6.0, 14.0), 20.0, DOUBTS)


def test_ranking():
    hungry = ConverterCandidate("Hungry", LossModel(2.0, 0.05, 0.001, 0, 20), 2.0, 6.0, (6.0, 14.0), 20.0, DOUBTS)
    early = ConverterCandidate("Early", LossModel(0.05, 0.01, 0.0, 0, 20), 0.05, 11.8, (11.8, 14.0), 20.0, DOUBTS)
    small = ConverterCandidate("Small", LossModel(0.05, 0.01, 0.0, 0, 5), 0.05, 6.0, (6.0, 14.0), 5.0, DOUBTS)
    job = Job(11.0, 13.6, 10.0, 6.0, 100.0, 0.4)
    rows = rank(job, [hungry, early, small, GOOD])
    assert [r.name for r in rows[:2]] == ["Good", "Hungry"]
    assert rows[0].runtime_h == pytest.approx(100 / (10 + 0.1 + 0.5 + 0.1))
    assert rows[0].cost_a_year == pytest.approx(10.7 * 6 / 24 * 8766 / 1000 * 0.4)
    assert "leaves tolerance at 11.8 V" in next(r for r in rows if r.name == "Early").refused
    assert "5" in next(r for r in rows if r.name == "Small").refused
    assert ranking_sentence(job, rows).startswith("Take Good: 9.35 h, 18 % longer than Hungry")
    assert "cannot be told apart" in ranking_sentence(job, rank(job, [GOOD, ConverterCandidate("Twin", *list(GOOD.__dict__.values())[1:])]))
    assert ranking_sentence(job, rank(job, [early])) == "None of them can do this job."
    assert "the only one" in ranking_sentence(job, rank(job, [early, GOOD]))
    always = rank(Job(11.0, 13.6, 10.0, 6.0, 100.0, 0.4, always_on=True), [hungry])[0]
    assert always.kwh_a_year > rank(job, [hungry])[0].kwh_a_year


def test_an_uncertainty_is_that_of_the_load_of_the_job():
    """At half a watt the meters' zeros are most of what is seen."""
    twin = replace(GOOD, name="Twin", model=LossModel(0.09, 0.05, 0.001, 0, 20))
    small, large = Job(11.0, 13.6, 0.5, 6.0, 100.0, 0.4), Job(11.0, 13.6, 20.0, 6.0, 100.0, 0.4)
    assert rank(small, [GOOD])[0].runtime_u == pytest.approx(rank(small, [GOOD])[0].runtime_h * 6.0 / rank(small, [GOOD])[0].efficiency)
    assert "cannot be told apart" in ranking_sentence(small, rank(small, [GOOD, twin]))
    assert rank(large, [GOOD])[0].runtime_u < 0.005 * rank(large, [GOOD])[0].runtime_h
    assert rank(large, [replace(GOOD, uncertainties=())])[0].runtime_u is None


def test_a_threshold_within_its_uncertainty_is_no_refusal():
    near = replace(GOOD, dropout_v=11.1, dropout_u=0.3, swept_v=(10.8, 14.0))
    (row,) = rank(Job(11.0, 13.6, 10.0, 6.0, 100.0, 0.4), [near])
    assert row.refused == ""
    assert row.caveat == "leaves tolerance at 11.1 ± 0.3 V, which may be above the 11 V it gets"


def test_an_appliances_modes():
    power = parse_accuracy("1 % + 0.5 W", "W")
    modes = [
        Mode("standby", 230, 0.02, 5.6),
        Mode("on", 230, 0.5, 60.0),
        Mode("boost", 230, 0.5, 61.0),
        Mode("most", 230, 0.51, 61.0, 90.0),
    ]
    findings, warnings = appliance_findings(modes, power)
    assert findings["standby_day"].value == pytest.approx(134.4)
    assert findings["peak"].value == 90
    assert any("something limits it" in w for w in warnings)
    assert any("power factor 0.52" in w for w in warnings)
    assert any("a slip" in w for w in warnings), "5.6 W are more than 4.6 VA, which the digits of 0.02 A may explain"
    with pytest.raises(ReadingsError, match="a slip"):
        appliance_findings([Mode("on", 230, 0.1, 60.0)])
    with pytest.raises(ReadingsError, match="volts × amperes is not watts"):
        appliance_findings([Mode("on", 230, 0.5)])


def test_protection_against_a_curve():
    curve = parse_curve("2: 4..60 s; 1.35: 1 min..30 min; 1.05: over 1 h")
    assert [p.multiple for p in curve] == [1.05, 1.35, 2]
    assert band_at(curve, 1.35) == (60.0, 1800.0)
    low, high = band_at(curve, 1.6)
    assert 4 < low < 60 < high < 1800
    assert band_at(curve, 3.0) is None
    late, said, warnings = trip_findings([Overload(31, 600), Overload(60, 200, 200)], 30.0, curve)
    assert "not as its curve says" in said
    assert any("later than" in w for w in warnings)
    assert late["trip_current"].value == pytest.approx(45.5)
    _, _, early = trip_findings([Overload(40.5, 2, 2)], 30.0, curve)
    assert any("sooner than" in w for w in early)
    _, held, _ = trip_findings([Overload(137, 300)], 100.0)
    assert held.startswith("It held 137 A (1.37 ×")
    for wrong, why in (("2 4 s", "no point of a curve"), ("2: soon", "no point"), ("2: 60..4 s", "shorter time first")):
        with pytest.raises(QuantityError, match=why):
            parse_curve(wrong)
    with pytest.raises(ReadingsError):
        trip_findings([], 30.0)


def test_a_record_of_a_load_step():
    time = np.linspace(0, 0.01, 2000)
    volts = 5 - 0.5 * np.where(time > 0.004, np.exp(-(time - 0.004) / 0.001), 0)
    assert is_dc(volts)
    found = analyse_transient(time, volts, Tolerance(4.75, 5.25))
    assert found.dips
    assert found.findings["dip"].value == pytest.approx(4.5, abs=0.01)
    assert found.findings["recovery"].value == pytest.approx(0.001 * math.log(5), rel=0.05)  # until it is within 2 %
    assert "may restart" in found.warnings[0]
    ripple = analyse_transient(time, 5 + 0.1 * np.sin(2 * np.pi * 5000 * time))
    assert not ripple.dips
    assert ripple.findings["ripple"].value == pytest.approx(0.2, rel=0.02)
    assert "unsteady" in ripple.warnings[0]
    with pytest.raises(ReadingsError, match="too few"):
        analyse_transient(time[:9], volts[:9])


LEAD = BatteryBehind(12.0, LEAD_ACID, 6)


@pytest.mark.parametrize(
    ("ending", "source", "word", "says"),
    [
        (Ending(200, 10.5, 10.6, 20, 11.6, 0.1, 0.1), LEAD, PROTECTION, "its own protection has opened"),
        (Ending(360, 12.4, 12.5, 30, 12.6, 12.9, 12.9), LEAD, OVERLOAD, "360 W are more than its 300 W"),
        (Ending(200, 10.5, 10.6, 20, 10.8, 11.5, 11.55), LEAD, BATTERY, "The battery is empty"),
        (Ending(200, 10.5, 10.6, 20, 11.9, 12.2, 12.45), LEAD, LEADS, "the leads took 1.4 V"),
        (Ending(200, 10.5, 10.6, 20, 10.7, 12.2, 12.45), LEAD, INVERTER, "are the battery's own sag"),
        (Ending(200, 10.5, 10.6, 20), None, INVERTER, "Nobody read the battery"),
        (Ending(200, 11.3, 11.4, 20, 11.4, 13.1, 13.15), BatteryBehind(12.0, LIFEPO4, 4), INVERTER, "voltage cannot tell how much is left"),
        (Ending(200, 12.4, 12.4, 20, 12.5, 13.1, 13.15), BatteryBehind(12.0, LIFEPO4, 4), NOT_KNOWN, "that is no low voltage"),
    ],
)
def test_what_ended_it(ending, source, word, says):
    found, sentence = what_ended(ending, source, 300.0, 12.0)
    assert found == word
    assert says in sentence


def test_watts_that_were_read_have_their_own_uncertainty():
    """A meter that reads watts: the efficiency's ± is its watts', not its volts times its amperes'."""
    load = np.array([0.0, 20, 50, 100, 150, 200])
    into = load + 4 + 0.05 * load + 0.0003 * load**2
    points = points_of(np.full(6, 12.5), into / 12.5, np.full(6, 230.0), load / 230 / 0.6, load)
    meters = SweepMeters(
        parse_accuracy("0.01 % + 0.1 mV", "V"),
        parse_accuracy("0.01 % + 0.1 mA", "A"),
        parse_accuracy("5 %", "V"),
        None,
        output_w=parse_accuracy("1 %", "W"),
    )
    found = analyse_sweep(points, meters, parse_tolerance("230 V 10%"), 200.0)
    assert found.findings["loss_proportional"].value == pytest.approx(0.05)
    assert found.efficiency_u[-1] == pytest.approx(found.efficiency[-1] * 0.01 * 2 / math.sqrt(3), rel=0.05)
    assert found.findings["rated_from"].value == pytest.approx(12.5)
    assert found.findings["headroom"].value == pytest.approx(23.0)
