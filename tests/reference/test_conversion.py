"""Converters, inverters and waves against closed forms, standards, SciPy and facts of the trade."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import signal
from uncertainties import ufloat

from ubrant.core.conversion.appliance import Mode, SupplyMeters, SupplyStep, appliance_findings, supply_average
from ubrant.core.conversion.idle import idle_findings
from ubrant.core.conversion.load_steps import held_findings
from ubrant.core.conversion.loss_model import CALIFORNIAN, EUROPEAN, LossModel, weighted_efficiency
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.conversion.waveform import analyse_wave
from ubrant.core.equipment.leads import OHM_PER_KM, Leads, awg_area_mm2, awg_diameter_mm, copper_ohm
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Series
from ubrant.core.quantities.tolerance import MAINS_120, MAINS_230, USB, parse_tolerance
from ubrant.core.record.points import SweepMeters, points_of

TIME = np.arange(20_000) / 20_000 * 0.1
PHASE = 2 * math.pi * 50 * TIME + 0.3


def stepped(phase: np.ndarray, conducting: float = 120.0) -> np.ndarray:
    """+1, 0, −1, 0 with so many degrees at each top."""
    half = math.radians(conducting) / 2
    turn = phase % (2 * math.pi)
    return np.where(np.abs(turn - math.pi / 2) < half, 1.0, np.where(np.abs(turn - 1.5 * math.pi) < half, -1.0, 0.0))


@pytest.mark.parametrize(
    ("wave", "kind", "crest", "form", "thd"),
    [
        (np.sin(PHASE), "sine", math.sqrt(2), math.pi / math.sqrt(8), 0.0),
        (np.sign(np.sin(PHASE)), "square", 1.0, 1.0, math.sqrt(math.pi**2 / 8 - 1)),
        (stepped(PHASE), "stepped", math.sqrt(1.5), math.sqrt(1.5), math.sqrt(math.pi**2 / 9 - 1)),
        (signal.sawtooth(PHASE, 0.5), "distorted", math.sqrt(3), 2 / math.sqrt(3), math.sqrt(math.pi**4 / 96 - 1)),
    ],
    ids=["sine", "square", "stepped", "triangle"],
)
def test_ideal_waves_in_closed_form(wave, kind, crest, form, thd):
    """Crest and form factor and THD of ideal waves: Fourier series, any textbook of signals; the triangle by scipy.signal."""
    found = analyse_wave(TIME, 325 * wave)
    values = {key: finding.value for key, finding in found.findings.items()}
    assert found.kind == kind
    assert values["frequency"] == pytest.approx(50, rel=1e-4)
    assert values["crest_factor"] == pytest.approx(crest, rel=2e-3)
    assert values["form_factor"] == pytest.approx(form, rel=2e-3)
    assert values["thd"] == pytest.approx(100 * thd, abs=0.15)
    assert values["rms"] == pytest.approx(325 / crest, rel=2e-3)


@pytest.mark.parametrize(("wave", "to_40"), [(np.sign(np.sin(PHASE)), 47.0), (stepped(PHASE), 29.7)])
def test_thd_to_the_40th(wave, to_40):
    """IEC 61000-4-7: harmonics 2 to 40; closed form of the partial sums."""
    assert analyse_wave(TIME, wave).findings["thd_40"].value == pytest.approx(to_40, abs=0.1)


def test_harmonics_are_those_of_scipy():
    """Against scipy.signal.periodogram over the same whole cycles."""
    wave = 325 * (np.sin(PHASE) + 0.1 * np.sin(3 * PHASE) + 0.04 * np.sin(5 * PHASE))
    hertz, power = signal.periodogram(wave, fs=1 / (TIME[1] - TIME[0]), scaling="spectrum")
    found = analyse_wave(TIME, wave).harmonics
    for k in (1, 3, 5):
        at = int(np.argmin(np.abs(hertz - 50 * k)))
        assert found[k - 1] == pytest.approx(math.sqrt(power[at]), rel=1e-3)


def test_what_an_average_responding_meter_makes_of_a_stepped_wave():
    """0.907 of the true RMS for 120° conduction. Common practice, no source; closed form π/(2√2)·√(2/3)."""
    found = analyse_wave(TIME, 282 * stepped(PHASE))
    assert found.findings["average_reading"].value / found.findings["rms"].value == pytest.approx(0.907, abs=1e-3)
    assert "shows 9.3 % less" in " ".join(found.warnings)


def test_weighted_efficiencies_on_a_worked_table():
    """EN 50530 weights (from memory) on efficiencies at just these shares, added up by hand."""
    table = {0.05: 0.70, 0.10: 0.80, 0.20: 0.86, 0.30: 0.88, 0.50: 0.90, 0.75: 0.91, 1.00: 0.89}
    output = np.array([100 * s for s in table])
    into = np.array([100 * s / eta for s, eta in table.items()])
    model = LossModel(1.0, 0.05, 0.0, 5.0, 100.0)
    european = 0.03 * 0.70 + 0.06 * 0.80 + 0.13 * 0.86 + 0.10 * 0.88 + 0.48 * 0.90 + 0.20 * 0.89
    californian = 0.04 * 0.80 + 0.05 * 0.86 + 0.12 * 0.88 + 0.21 * 0.90 + 0.53 * 0.91 + 0.05 * 0.89
    assert weighted_efficiency(EUROPEAN, 100.0, output, into, model) == pytest.approx(european, rel=1e-9)
    assert weighted_efficiency(CALIFORNIAN, 100.0, output, into, model) == pytest.approx(californian, rel=1e-9)
    assert sum(w for _, w in EUROPEAN) == pytest.approx(1) == sum(w for _, w in CALIFORNIAN)


@pytest.mark.parametrize(("number", "mm"), [(0, 8.251), (10, 2.588), (12, 2.053), (18, 1.024), (36, 0.127)])
def test_wire_gauges(number, mm):
    """ASTM B258 (diameters from memory)."""
    assert awg_diameter_mm(number) == pytest.approx(mm, rel=1e-3)
    assert awg_area_mm2(number) == pytest.approx(math.pi / 4 * mm**2, rel=2e-3)


@pytest.mark.parametrize("area", sorted(OHM_PER_KM))
def test_flexible_conductors_are_a_little_worse_than_solid_copper(area):
    """IEC 60228 class 5 maxima against IEC 60028 copper of the nominal section (values from memory): 5 to 20 % more."""
    assert 1.03 < OHM_PER_KM[area] / (1000 * copper_ohm(1.0, area)) < 1.22


def test_copper_warms():
    """IEC 60028: +0.393 % per °C (from memory)."""
    assert copper_ohm(1, 1, 45.0) / copper_ohm(1, 1, 20.0) == pytest.approx(1.09825)


@pytest.mark.parametrize(
    ("text", "low", "high"),
    [(USB, 4.75, 5.25), (MAINS_230, 207, 253), (MAINS_120, 114, 126), ("5 V 5%", 4.75, 5.25), ("19 V ± 1 V", 18, 20)],
)
def test_tolerance_windows(text, low, high):
    """USB 2.0, EN 50160, ANSI C84.1 range A (values from memory)."""
    found = parse_tolerance(text)
    assert (found.low, found.high) == pytest.approx((low, high))


def test_idle_draw_of_the_trade():
    """0.5 A × 24 V = 12 W; 5.6 W standing by is 0.134 kWh a day. Common practice, no source."""
    found, _ = idle_findings(np.full(20, 24.0), np.full(20, 0.5), None, None)
    assert found["idle_power"].value == pytest.approx(12.0)
    found, _ = idle_findings(np.full(20, 14.0), np.full(20, 0.4), None, None)
    assert found["idle_energy_day"].value == pytest.approx(134.4)


def test_an_idle_draw_that_the_clamp_cannot_resolve():
    """0.20 A from a clamp meter that may be 0.1 A off is ± 0.12 A and settles nothing. Common practice, no source."""
    found, warnings = idle_findings(np.full(20, 12.0), np.full(20, 0.20), Accuracy(0.005, 0.01, "V"), Accuracy(0.02, 0.1, "A"))
    idle = found["idle_power"]
    assert idle.value == pytest.approx(2.4)
    assert idle.expanded_uncertainty == pytest.approx(12 * 0.115, rel=0.05)
    assert "A shunt instead of the clamp would tell" in " ".join(warnings)


def test_thin_leads_lose_half_a_volt():
    """Half a volt lost in thin test leads at 2 A is usual. Common practice, no source: 2 × 3.2 m of 0.5 mm² do it (IEC 60228)."""
    assert 2.0 * Leads(3.2, 0.5).resistance_ohm == pytest.approx(0.5, rel=0.01)


def test_a_converter_draws_more_as_its_input_falls():
    """The load is constant power. Physics."""
    model = LossModel(0.5, 0.05, 0.001, 0, 60)
    volts = np.array([14.0, 12.0, 10.0])
    amps = (30 + model.loss_w(30.0)) / volts
    assert (np.diff(amps) > 0).all()


def test_half_arrives_from_the_smaller_root():
    """b·P² − (1 − a)·P + p₀ = 0. Physics of the loss model."""
    model = LossModel(6.0, 0.05, 0.0005, 0, 300)
    load = model.half_arrives_w()
    assert model.efficiency(load) == pytest.approx(0.5)
    assert LossModel(6.0, 0.05, 0.0, 0, 300).half_arrives_w() == pytest.approx(6.0 / 0.95)


def test_one_meter_moved_cancels_its_own_gain():
    """An efficiency by one meter moved from input to output: its gains drop out of the ±. JCGM 100, 5.2 (correlated inputs)."""
    amps = np.array([0.0, 1.0, 2.0, 3.0, 4.0])
    points = points_of(np.full(5, 12.8), (5 * amps * 1.1 + 0.5) / 12.8, np.full(5, 5.0), amps)
    v, a = Accuracy(0.01, 0.0, "V", meter="one"), Accuracy(0.02, 0.0, "A", meter="one")
    two = analyse_sweep(points, SweepMeters(v, a, replace(v, meter="two"), replace(a, meter="two")))
    one = analyse_sweep(points, SweepMeters(v, a, v.moved_to("output"), a.moved_to("output")))
    left = (
        2 * one.efficiency[1:] * np.hypot(0.25 * 0.01, 0.25 * 0.02) / np.sqrt(3)
    )  # a quarter of each limit, as linearity: common practice
    assert one.efficiency_u[1:] == pytest.approx(left, rel=1e-6)
    assert two.efficiency_u[1:].min() > 1.0
    assert "its own gain error cancels" in " ".join(two.warnings)


SUPPLY_METERS = SupplyMeters(Accuracy(0.01, 0.3, "W"), Accuracy(0.002, 0.01, "V"), Accuracy(0.005, 0.01, "A"))
SUPPLY_STEPS = {q: SupplyStep(65 * q / 0.88 + 0.3, 19.0 - 0.4 * q, 65 * q / 19) for q in (0.25, 0.5, 0.75, 1.0)}


def test_average_of_an_external_supply_against_the_uncertainties_package():
    """Each meter's gain and zero is one variable of that package, shared by all four steps."""
    one = {"W": SUPPLY_METERS.power, "V": SUPPLY_METERS.voltage, "A": SUPPLY_METERS.current}
    gain = {k: ufloat(1, a.gain / math.sqrt(3)) for k, a in one.items()}
    zero = {k: ufloat(0, a.zero / math.sqrt(3)) for k, a in one.items()}
    etas = [
        100 * (s.output_v * gain["V"] + zero["V"]) * (s.output_a * gain["A"] + zero["A"]) / (s.input_w * gain["W"] + zero["W"])
        for s in SUPPLY_STEPS.values()
    ]
    average = sum(etas) / 4
    found = supply_average(SUPPLY_STEPS, SUPPLY_METERS)
    assert found.value == pytest.approx(average.nominal_value)
    assert found.standard_uncertainty == pytest.approx(average.std_dev, rel=1e-6)


def test_an_average_needs_all_four_steps_and_all_accuracies():
    assert supply_average({0.25: SUPPLY_STEPS[0.25]}, SUPPLY_METERS).value is None
    assert supply_average(SUPPLY_STEPS, SupplyMeters(SUPPLY_METERS.power)).expanded_uncertainty is None


def test_apparent_power_and_power_factor_against_the_uncertainties_package():
    watts, volts, amps = Accuracy(0.01, 0.3, "W"), Accuracy(0.005, 0.5, "V"), Accuracy(0.01, 0.01, "A")
    found, _ = appliance_findings([Mode("full", 231.0, 0.39, 51.5)], watts, volts, amps)

    def read(value: float, accuracy: Accuracy):
        return value * ufloat(1, accuracy.gain / math.sqrt(3)) + ufloat(0, accuracy.zero / math.sqrt(3))

    apparent = read(231.0, volts) * read(0.39, amps)
    factor = read(51.5, watts) / apparent
    for key, expected in (("apparent_1", apparent), ("factor_1", factor)):
        assert found[key].value == pytest.approx(expected.nominal_value)
        assert found[key].standard_uncertainty == pytest.approx(expected.std_dev, rel=1e-6)


def test_watt_hours_that_were_worked_out_from_volts_and_amperes_against_the_uncertainties_package():
    """A load held for two hours behind a converter whose output has no wattmeter."""
    time = np.arange(0.0, 7201.0, 10.0)
    one = {
        "iv": (12.6, Accuracy(0.001, 0.01, "V")),
        "ia": (2.2, Accuracy(0.005, 0.01, "A")),
        "ov": (5.02, Accuracy(0.001, 0.01, "V")),
        "oa": (4.9, Accuracy(0.004, 0.02, "A")),
    }
    series = {k: Series(time, np.full(len(time), value)) for k, (value, _) in one.items()}
    meters = SweepMeters(*(accuracy for _, accuracy in one.values()))
    watts = Series(time, series["ov"].value * series["oa"].value)
    found = held_findings(series["iv"], series["ia"], watts, meters, 0.0, 7200.0, series["ov"])
    true = {k: value * ufloat(1, a.gain / math.sqrt(3)) + ufloat(0, a.zero / math.sqrt(3)) for k, (value, a) in one.items()}
    expected = {"held_in": 2 * true["iv"] * true["ia"], "held_out": 2 * true["ov"] * true["oa"]}
    expected["held_efficiency"] = 100 * expected["held_out"] / expected["held_in"]
    for key, value in expected.items():
        assert found[key].value == pytest.approx(value.nominal_value, rel=1e-9)
        assert found[key].standard_uncertainty == pytest.approx(value.std_dev, rel=2e-4)
