"""The gate's table: each check fails where it should, and only there; and the documents hold the same table."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import record
from ubrant.core.battery.conditions import at_reference, reference_c
from ubrant.core.battery.fullness import against, by_charge, by_rest, fell_plausibly, is_rest, last_alive, went_dark
from ubrant.core.battery.parts import discharges_in
from ubrant.core.gate.battery_facts import BatteryFacts
from ubrant.core.gate.check import AT_LEAST, DECIDES_NOTHING, REFUSES, objections
from ubrant.core.gate.discharge_checks import BATTERY_CHECKS
from ubrant.core.gate.readings import READING_CHECKS
from ubrant.core.gate.steady import BURSTS, CYCLES, RAMP, STEADY, STEP, course_of
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings, ReadingsError, Series
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.sums import analyse

LABEL = parse_label("50 Ah 12.8 V LiFePO4")
BODY = falling()
SOUND = BatteryFacts(BODY, 0, len(BODY) - 1, LABEL, 48.7, 97.4, 0.6, 0.2, 12.0, begins_loaded=False, full="said")


def failed(**changes):
    return [o.key for o in objections(BATTERY_CHECKS, replace(SOUND, **changes))]


def test_the_documents_hold_the_table():
    told = (Path(__file__).parents[2] / "docs" / "sums.md").read_text("utf-8")
    for check in BATTERY_CHECKS:
        assert f"| {check.key} | {check.about} | {check.effect}{', asks' if check.asks else ''} | {check.reason} |" in told


def test_the_papers_have_what_each_reading_is_held_against():
    told = (Path(__file__).parents[2] / "docs" / "sums.md").read_text("utf-8")
    assert all(f"| {check.key} | {check.reason} |" in told for check in READING_CHECKS)


def test_a_sound_record_passes():
    assert failed() == []
    assert {c.effect for c in BATTERY_CHECKS} == {REFUSES, DECIDES_NOTHING, AT_LEAST}


@pytest.mark.parametrize(
    ("changes", "key"),
    [
        ({"c_rate": 31.0}, "rate"),
        ({"c_rate": 29.0}, ""),
        ({"share": 115.7}, "share"),
        ({"share": 115.5}, ""),
        ({"share": 4.3}, "share"),
        ({"share": 4.5}, ""),
        ({"share": 4.3, "emptied": False}, ""),
        ({"share": 51.9}, "share"),
        ({"share": 52.1}, ""),
        ({"share": 48.1}, "share"),
        ({"share": 33.3}, "share"),
        ({"share": 34.8}, ""),
        ({"share": 51.0, "emptied": False}, ""),
        ({"share": 204.0, "emptied": False}, "share"),
        ({"charged_ah": 0.98}, "charged between"),
        ({"charged_ah": 0.96}, ""),
        ({"full": "", "begins_loaded": True}, "begins loaded"),
        ({"full": ""}, "full"),
        ({"full": "", "counts_from_0": True, "begins_loaded": True}, "full"),
        ({"not_full": "it was not"}, "full after all"),
        ({"fell_plausibly": False}, "off too early"),
        ({"unread": "late"}, "unread"),
        ({"behind": "ac"}, "behind"),
        ({"disagreements": ("A says. More.",)}, "disagree"),
        ({"label": parse_label("50 Ah 12.8 V 900 Wh LiFePO4")}, "label"),
        ({"power": Series(BODY.time_s, 1.12 * BODY.voltage_v * BODY.current_a)}, "power"),
        ({"power": Series(BODY.time_s, 1.08 * BODY.voltage_v * BODY.current_a)}, ""),
    ],
)
def test_each_check_has_its_limit(changes, key):
    assert key in failed(**changes) or (not key and not failed(**changes)), failed(**changes)


def test_looked_at_is_passed_over_where_it_asks():
    facts = replace(SOUND, share=200.0, full="")
    assert [o.key for o in objections(BATTERY_CHECKS, facts, {"share", "full"})] == ["full"]


@pytest.mark.parametrize(("rest_v", "is_full"), [(13.38, True), (13.37, False), (13.3, False), (13.0, False), (12.9, False), (None, False)])
def test_full_by_rest(rest_v, is_full):
    assert bool(by_rest(BODY, 0.0, rest_v, LABEL)) is is_full


@pytest.mark.parametrize(("charge_a", "rest_v", "is_full"), [(0.0, 13.5, True), (5.0, 13.5, False), (0.05, 13.5, True), (0.0, 14.2, False)])
def test_surface_charge_is_no_proof(charge_a, rest_v, is_full):
    readings = Readings(np.arange(600.0), np.full(600, rest_v), np.concatenate((np.full(300, -charge_a), np.zeros(300))))
    assert bool(by_rest(readings, 600.0, rest_v, LABEL)) is is_full


@pytest.mark.parametrize(("end_a", "is_full"), [(1.0, True), (4.9, True), (5.1, False), (9.0, False)])
def test_full_by_a_charge_to_its_end(end_a, is_full):
    amps = np.concatenate((np.full(50, -20.0), np.linspace(-20.0, -end_a, 50), [10.0, 10.0]))
    readings = Readings(np.arange(102.0), np.full(102, 13.5), amps)
    assert bool(by_charge(readings, 100.0, LABEL)) is is_full


@pytest.mark.parametrize(("first_v", "says"), [(13.3, False), (13.15, False), (13.0, True)])
def test_said_to_be_full_and_begun_lower(first_v, says):
    readings = Readings(BODY.time_s, np.full(len(BODY), first_v), BODY.current_a)
    assert bool(against(readings, 0, None, LABEL, begins_loaded=True)) is says
    assert not against(readings, 0, None, LABEL, begins_loaded=False)
    assert against(readings, 0, 12.5, LABEL, begins_loaded=False)


def test_rest_and_dark():
    time = np.arange(0.0, 1200.0, 60.0)
    amps = np.where(time < 600, -5.0, 0.0)
    readings = Readings(time, np.full(20, 13.5), amps)
    assert not is_rest(readings, 14, 0.5)  # 4 minutes after the charge
    assert is_rest(readings, 15, 0.5)
    volts = np.array([13.0, 12.5, 11.5, 0.1, 0.1])
    dark = Readings(np.arange(5.0), volts, np.array([10.0, 10.0, 10.0, 0.0, 0.0]))
    assert went_dark(dark, 2)
    assert not went_dark(Readings(np.arange(5.0), np.array([13, 12.5, 11.5, 12.9, 13.0]), dark.current_a), 2)
    assert last_alive(dark, 0, 4) == 2
    assert fell_plausibly(dark, 0, 2, LABEL)
    assert not fell_plausibly(Readings(np.arange(3.0), np.full(3, 12.9), np.full(3, 10.0)), 0, 2, LABEL)


def test_discharges_with_charges_between():
    amps = np.concatenate((np.full(50, 10.0), np.full(60, -10.0), np.full(40, 10.0), np.full(5, -0.1), np.full(20, 10.0)))
    volts = np.where(amps > 0, 12.8, 13.8)
    time = 60.0 * np.arange(len(amps))
    assert discharges_in(time, volts, amps) == [(0, 49), (50, len(amps) - 1)]
    assert discharges_in(time, volts, -amps) == [(0, 49), (50, len(amps) - 1)]
    assert discharges_in(time, np.full(len(amps), 12.8), np.abs(amps)) == [(0, len(amps) - 1)]


@pytest.mark.parametrize(
    ("make", "kind"),
    [
        (lambda t: 1.0 + 0 * t, STEADY),
        (lambda t: 1.0 + 0.1 * t / t[-1], STEADY),
        (lambda t: 1.0 + 0.3 * t / t[-1], RAMP),
        (lambda t: np.where(t < 60, 1.0, 2.0), STEP),
        (lambda t: np.where(t % 20 < 5, 4.0, 1.0), CYCLES),
        (lambda t: np.where((t > 10) & (t < 20) | (t > 70) & (t < 75), 4.0, 1.0), BURSTS),
    ],
)
def test_what_a_course_is_like(make, kind):
    time = np.arange(0.0, 120.0)
    found = course_of(time, make(time) + np.random.default_rng(1).normal(0, 0.01, 120))
    assert found.kind == kind
    if kind == CYCLES:
        assert found.period_s == pytest.approx(20)
        assert found.on_share == pytest.approx(0.25)
        assert (found.first % 20, (found.last - found.first + 1) % 20, found.periods) == (0, 0, 4)


@pytest.mark.parametrize(
    ("text", "reference"),
    [
        ("12 V 7.2 Ah AGM", (25.0, 0.0)),
        ("12 V 100 Ah stationary lead-acid", (20.0, 0.0)),
        ("12 V 70 Ah starter lead-acid", (25.0, 0.0)),
        ("12 V 45 Ah lead-acid", (22.5, 2.5)),
    ],
)
def test_reference_temperature_of_lead_acid(text, reference):
    """IEC 61056-1, EN 50342-1, IEEE 450 and IEC 60896: values from memory."""
    assert reference_c(parse_label(text)) == reference


def test_at_reference():
    lead = parse_label("12 V 100 Ah stationary lead-acid")
    assert at_reference(lead, 10.0, 5.0).factor.value == pytest.approx(1 - 0.06)
    assert at_reference(lead, 10.0, 2.9).factor.value == pytest.approx(1 - 0.1)
    assert at_reference(LABEL, 15.0, 5.0).factor.parts == {}
    assert at_reference(LABEL, 25.0, 5.0).factor.value == 1.0
    assert at_reference(LABEL, 5.0, 5.0).factor.value == pytest.approx(1 - 0.03)
    assert at_reference(LABEL, 35.0, 5.0).factor.value == pytest.approx(1 + 0.03)
    assert at_reference(LABEL, None, 5.0).factor.u == pytest.approx(0.003 * 6 / 3**0.5)
    assert at_reference(lead, None, 5.0).factor.u == pytest.approx(0.006 * 7 / 3**0.5)


def test_charges_inside_are_put_in_and_not_taken_off():
    body = falling()
    amps = body.current_a.copy()
    amps[400:420] = -25.0
    found = analyse(record(Readings(body.time_s, body.voltage_v, amps)))
    put_in = next(o for o in found.about.objections if o.key == "charged between")
    assert "1.39 Ah were put in" in put_in.sentence or "1.38" in put_in.sentence, put_in.sentence
    assert found.verdict.word == "cannot tell"
    whole = analyse(record()).findings["charge"].value
    assert found.findings["charge"].value == pytest.approx(whole - 10.0 * 200 / 3600, abs=0.05)
    with pytest.raises(ReadingsError, match="seem to be swapped"):
        analyse(record(Readings(body.time_s, body.current_a, body.voltage_v)))


@pytest.mark.parametrize(("rise", "fails"), [(0.0, False), (0.2, False), (0.35, True), (0.8, True)])
def test_higher_after_a_break_than_before_it(rise, fails):
    """At the same current, and a twentieth of the charge later: it was charged meanwhile."""
    time = np.concatenate((60.0 * np.arange(40), 10_000 + 60.0 * np.arange(40)))
    volts = np.concatenate((np.linspace(13.0, 12.5, 40), np.linspace(12.5 + rise, 12.4 + rise, 40)))
    readings = Readings(time, volts, np.full(80, 10.0))
    assert ("charged meanwhile" in failed(readings=readings, first=0, last=79, charge_ah=13.0)) is fails


def edges_of(period_s):
    """What the edges of two hundred pulses add, read every 10 s."""
    time = np.arange(0.0, 200 * period_s, 10.0)
    amps = np.where(time % period_s < 0.6 * period_s, 10.0, 0.0)
    found = analyse(record(Readings(time, 13.0 - 5e-5 * time, amps), load_on_s=0.0, cutoff=Cutoff(9.0)))
    return next(c.amount for c in found.findings["charge"].contributions if c.source.of == "edges of pulses")


def test_edges_at_one_place_between_two_readings_do_not_average():
    locked, moving = edges_of(200.0), edges_of(203.3)
    one = 10.0 * 5.0 / 3600 / 3**0.5
    assert locked == pytest.approx(200 * 2**0.5 * one, rel=0.05)
    assert moving < 0.1 * locked
