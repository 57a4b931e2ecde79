"""What must hold of sweeps, maps, waves and idle draws whatever the converter: found by hypothesis."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ubrant.core.conversion.efficiency_map import efficiency_map, levels
from ubrant.core.conversion.idle import idle_findings
from ubrant.core.conversion.protection import CurvePoint, band_at, parse_curve
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.conversion.waveform import SINE, SQUARE, STEPPED, analyse_wave
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.ratings import Ratings, parse_ratings, rating_sentences
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.points import Points, SweepMeters, points_of

FEW = settings(max_examples=25, deadline=None, derandomize=True, database=None)
METERS = SweepMeters(Accuracy(0.001, 0.002, "V"), Accuracy(0.002, 0.002, "A"), Accuracy(0.001, 0.002, "V"), Accuracy(0.002, 0.002, "A"))


@st.composite
def converters(draw) -> ConverterParameters:
    rated_w = draw(st.floats(5, 200))
    out_v = draw(st.sampled_from([5.0, 12.0, 19.0]))
    shutoff = draw(st.floats(7.0, 8.5))
    return ConverterParameters(
        out_v,
        rated_w * draw(st.floats(0.004, 0.03)),
        draw(st.floats(0.02, 0.1)),
        draw(st.floats(0.02, 0.1)) / rated_w,
        output_ohm=draw(st.floats(0.001, 0.01)) * out_v**2 / rated_w,
        sags_below_v=shutoff + draw(st.floats(0.6, 1.5)),
        shutoff_v=shutoff,
        restart_v=shutoff + draw(st.floats(0.3, 1.0)),
    )


def swept(p: ConverterParameters, rated_w: float, step_v: float = 0.5) -> Points:
    """Read without any error: down and up again at five loads."""
    down = np.arange(14.0, 6.4, -step_v)
    rows = []
    for share in (0.0, 0.1, 0.3, 0.6, 1.0):
        converter = Converter(p)
        for volts in np.concatenate((down, down[::-1])):
            amps = share * rated_w / p.output_v
            out, into = converter.output(float(volts), amps)
            rows.append((volts, into, out, amps if out > 0 else 0.0, volts + 0.02 * into))
    vin, iin, vout, iout, source = np.array(rows).T
    return points_of(vin, iin, vout, iout, source_v=source)


def _meters(times: float, amps: float) -> SweepMeters:
    v, a = Accuracy(2e-4 * times, 2e-4 * times, "V"), Accuracy(3e-4 * times, 5e-5 * amps * times, "A")
    return SweepMeters(v, a, v, a)


def rated(p: ConverterParameters) -> float:
    return 0.05 / p.resistive_per_w


@FEW
@given(converters())
def test_thresholds_lie_inside_their_brackets(p):
    """Where it really shuts off and starts again lies inside the ± that the steps of the sweep leave open."""
    found = analyse_sweep(swept(p, rated(p)), METERS, Tolerance(0.95 * p.output_v, 1.05 * p.output_v), rated(p)).findings
    for key, true in (("shutoff_voltage", p.shutoff_v), ("restart_voltage", p.restart_v)):
        assert abs(found[key].value - true) <= 0.25 + 1e-9, key
        assert abs(found[key].value - true) <= found[key].expanded_uncertainty + 1e-9
    assert found["shutoff_voltage"].value < found["dropout_voltage"].value + 0.5


@FEW
@given(converters(), st.floats(0.2, 5.0))
def test_losses_are_found_without_error_and_scale_with_the_converter(p, factor):
    points = swept(p, rated(p))
    found = analyse_sweep(points, METERS).findings
    assert found["loss_fixed"].value == pytest.approx(p.fixed_w, rel=1e-6)
    assert found["loss_proportional"].value == pytest.approx(p.proportional, rel=1e-6)
    assert found["loss_resistive"].value == pytest.approx(p.resistive_per_w, rel=1e-6)
    assert found["lead_resistance"].value == pytest.approx(0.02, rel=1e-6)
    assert found["loss_scatter"].value < 1e-6
    larger = Points(
        points.input_v, points.input_a * factor, points.output_v, points.output_a * factor, points.output_w * factor, points.source_v
    )
    scaled = analyse_sweep(larger, METERS).findings
    assert scaled["loss_fixed"].value == pytest.approx(p.fixed_w * factor, rel=1e-6)
    assert scaled["peak_efficiency"].value == pytest.approx(found["peak_efficiency"].value, rel=1e-6)


@FEW
@given(converters())
def test_a_worse_meter_never_makes_a_finding_surer(p):
    points, amps = swept(p, rated(p)), rated(p) / p.output_v  # errors small against what is measured: there they add up in straight lines
    fine, coarse = (
        analyse_sweep(points, _meters(times, amps), Tolerance(0.9 * p.output_v, 1.1 * p.output_v), rated(p)).findings
        for times in (1.0, 3.0)
    )
    for key, finding in fine.items():
        if finding.value is not None and finding.expanded_uncertainty:
            assert coarse[key].expanded_uncertainty >= finding.expanded_uncertainty * 0.999, key


@FEW
@given(converters())
def test_the_map_is_near_the_truth_also_between_the_loads(p):
    """Within 2 points of what the converter really does at any load and input; between measured points never outside of what they say."""
    found = analyse_sweep(swept(p, rated(p)), METERS, Tolerance(0.9 * p.output_v, 1.1 * p.output_v))
    made = efficiency_map(found)
    assert made is not None
    there = np.isfinite(made.percent)
    efficiency = found.efficiency[found.in_tolerance & np.isfinite(found.efficiency)]
    assert made.percent[there].max() <= efficiency.max() + 1e-6
    for column in range(0, len(made.load_w), 7):
        volts = float(made.input_v[-1])
        out, into = Converter(p).output(volts, float(made.load_w[column]) / p.output_v)
        assert made.percent[-1, column] == pytest.approx(100 * out * made.load_w[column] / p.output_v / (volts * into), abs=2.0)
    assert all(made.percent[there].min() <= level <= made.percent[there].max() for level in levels(made))


@FEW
@given(st.sampled_from(["sine", "stepped", "square"]), st.floats(45, 65), st.floats(50, 400), st.floats(0, 0.3), st.integers(0, 10_000))
def test_a_wave_is_known_whatever_its_size_frequency_and_noise(shape, hertz, rms, noise_percent, seed):
    p = ConverterParameters(230.0, 0.0, 0.0, 0.0, hertz=hertz, wave=shape)
    time, volts = Converter(p).wave(rms, cycles=4.3, samples=2000)
    volts = volts + np.random.default_rng(seed).normal(0, noise_percent / 100 * rms, len(volts))
    found = analyse_wave(time, volts)
    assert found.kind == {"sine": SINE, "stepped": STEPPED, "square": SQUARE}[shape]
    assert found.findings["frequency"].value == pytest.approx(hertz, rel=0.004)
    assert found.findings["rms"].value == pytest.approx(rms, rel=0.01)
    assert found.cycles in {3, 4}


@FEW
@given(st.floats(0.01, 3.0), st.floats(1.5, 8.0), st.integers(30, 200), st.integers(0, 1000))
def test_what_comes_before_it_is_steady_does_not_count(idle_a, peak, count, seed):
    """An inrush that dies away, then a steady draw with a little noise."""
    rng = np.random.default_rng(seed)
    amps = idle_a * (1 + (peak - 1) * np.exp(-np.arange(count) / 4.0)) + rng.normal(0, 0.002 * idle_a, count)
    meter = Accuracy(0.0, 0.0, "V"), Accuracy(0.0, 0.0, "A")
    findings, _ = idle_findings(np.full(count, 12.8), amps, *meter)
    found = findings["idle_power"]
    assert abs(found.value - 12.8 * idle_a) <= max(found.expanded_uncertainty, 0.015 * 12.8 * idle_a)


@FEW
@given(
    st.dictionaries(st.sampled_from(["leads", "fuse", "breaker", "cord"]), st.integers(1, 200), max_size=4),
    st.integers(0, 300),
    st.integers(0, 300),
)
def test_ratings_read_back_and_say_what_is_passed(parts, input_a, output_a):
    made = Ratings(tuple((part, float(amps)) for part, amps in parts.items()))
    assert parse_ratings(made.show()) == made
    said = rating_sentences(made, input_a, output_a, measured=True)
    for part, amps in parts.items():
        flow = output_a if part == "cord" else input_a
        assert any(s.startswith(f"The {part} carried up to") and "made for" in s for s in said) == (flow > amps) or flow > amps * 0.8


@FEW
@given(
    st.lists(
        st.tuples(st.floats(1.05, 10), st.floats(0.01, 100), st.floats(1.1, 50)), min_size=2, max_size=5, unique_by=lambda t: round(t[0], 1)
    )
)
def test_between_the_points_of_a_curve_lies_what_is_between_them(told):
    points = tuple(sorted((CurvePoint(round(m, 1) + 0.0, low, low * ratio) for m, low, ratio in told), key=lambda p: p.multiple))
    for one, other in itertools.pairwise(points):
        middle = math.sqrt(one.multiple * other.multiple)
        band = band_at(points, middle)
        assert band is not None
        assert min(one.fastest_s, other.fastest_s) * 0.999 <= band[0] <= max(one.fastest_s, other.fastest_s) * 1.001
        assert band[0] <= band[1] * 1.001
    text = "; ".join(f"{p.multiple}: {p.fastest_s:.6f}..{p.slowest_s:.6f} s" for p in points)
    assert [p.multiple for p in parse_curve(text)] == [p.multiple for p in points]


def test_the_input_current_rises_as_the_input_falls_and_the_output_follows_its_load():
    """A converter's load is constant power. Physics."""
    p = ConverterParameters(5.0, 0.1, 0.05, 0.002, output_ohm=0.01, sags_below_v=6.0, shutoff_v=5.5, restart_v=7.0)
    converter = Converter(p)
    currents = [converter.output(v, 2.0)[1] for v in (14.0, 12.0, 10.0, 8.0)]
    assert currents == sorted(currents)
    volts, amps, into = converter.output_of_watts(12.0, 10.0)
    assert volts * amps == pytest.approx(10.0)
    assert into == pytest.approx(converter.output(12.0, amps)[1])
    assert converter.output(5.0, 1.0) == (0.0, 0.0)
    assert converter.output(6.5, 1.0) == (0.0, 0.0), "it starts again only over its restart voltage"
    assert converter.output(7.5, 1.0)[0] > 4.9


def test_an_overload_stays_off_until_the_load_is_taken_away():
    converter = Converter(ConverterParameters(230.0, 4.0, 0.05, 0.0002, limit_a=1.5, hertz=50.0))
    assert converter.output(12.8, 1.4)[0] > 0
    assert converter.output(12.8, 1.6) == (0.0, 0.0)
    assert converter.output(12.8, 1.0) == (0.0, 0.0)
    assert converter.output(12.8, 0.0)[0] > 0
