"""What a trial is drawn as: something is there, it says in words what it shows, and it holds in both grounds and at any size."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication

from ubrant.core.converter import Converter, ConverterParameters
from ubrant.core.finding import Finding
from ubrant.core.points import points_of
from ubrant.core.protection import Overload, parse_curve
from ubrant.core.readings import Series
from ubrant.core.sweep import OFF, OUTSIDE, TAKEN, analyse_sweep, states_of
from ubrant.core.tolerance import Tolerance
from ubrant.core.waveform import analyse_wave
from ubrant.logbook.records import Run
from ubrant.ui import theme
from ubrant.ui.trials.axes import ticks
from ubrant.ui.trials.drawings import Bars, CourseView, Harmonics, OutputCurve, TripView, WaveView
from ubrant.ui.trials.page import TrialPage
from ubrant.ui.trials.sweep_drawings import EfficiencyMapView, LossCurve, SweepGrid, ThresholdLadder
from ubrant.workshop.trials.trial import SeenWave, TrialView

TOLERANCE = Tolerance(4.75, 5.25)


def swept():
    p = ConverterParameters(5.0, 0.15, 0.05, 0.003, output_ohm=0.01, sags_below_v=6.4, shutoff_v=5.5, restart_v=7.0)
    rows = []
    for amps in (0.0, 0.5, 1.0, 2.0, 3.0):
        converter = Converter(p)
        for volts in (12, 11, 10, 9, 8, 7, 6, 5, 6, 7, 8, 9, 10, 11, 12):
            out, into = converter.output(volts, amps)
            rows.append((volts, into, out, amps if out > 0 else 0.0))
    vin, iin, vout, iout = np.array(rows, dtype=float).T
    return analyse_sweep(points_of(vin, iin, vout, iout), None, TOLERANCE, 15.0)


def wave(kind="stepped", load_w=65.0):
    time, volts = Converter(ConverterParameters(230.0, 0, 0, 0, hertz=50.0, wave=kind)).wave(230.0)
    return SeenWave(load_w, time, volts, analyse_wave(time, volts))


def view(method, **more):
    return TrialView(Run(None, method, "typed", "2026-11-01T10:00:00+00:00"), **more)


def colours(widget) -> int:
    """How many different colours a drawing has: two or so when nothing is on it."""
    QApplication.processEvents()
    image = widget.grab().toImage()
    seen = {QColor(image.pixel(x, y)).name() for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)}
    return len(seen)


@pytest.fixture(params=["light", "dark"])
def ground(request, dressed):
    theme.choose(dressed, request.param)
    yield request.param
    theme.choose(dressed, "light")


@pytest.fixture
def shown(qtbot, ground):
    def show(widget, size=(460, 330)):
        qtbot.addWidget(widget)
        widget.resize(*size)
        widget.show()
        return widget

    return show


def test_points_of_a_sweep_by_what_became_of_them(shown):
    found = swept()
    states = states_of(found)
    assert {TAKEN, OUTSIDE, OFF} == set(states)
    grid = shown(SweepGrid())
    empty = colours(grid)
    plan = list(zip(found.points.input_v, found.points.output_a, strict=True))
    grid.show_points(plan, plan[:20], states[:20])
    told = grid.accessibleDescription()
    assert told.startswith("20 of 75 points")
    assert f"{states[:20].count(OFF)} off" in told
    assert colours(grid) > empty


def test_the_way_up_stands_beside_the_way_down(shown):
    grid = shown(SweepGrid())
    grid.show_points([(9.0, 1.0), (8.0, 1.0), (9.0, 1.0), (9.0, 2.0)])
    down, lowest, up, other = grid._places(grid._plan)
    assert up.x() > down.x()
    assert up.y() == down.y()
    assert lowest.y() > down.y()
    assert other.x() > up.x()


def test_the_loss_curve_says_its_three_parts(shown):
    curve = shown(LossCurve())
    curve.show_sweep(None)
    nothing = colours(curve)
    curve.show_sweep(swept(), live=True)
    assert "p₀ 0.15 W, a 0.05, b 0.003 per W" in curve.accessibleDescription()
    assert colours(curve) > nothing


def test_the_map_names_its_contours(shown):
    drawing = shown(EfficiencyMapView())
    drawing.show_sweep(swept())
    assert len(drawing.contours()) >= 2
    assert all(str(int(level)) in drawing.accessibleDescription() for level in drawing.contours() if level == int(level))
    drawing.show_sweep(None)
    assert drawing.contours() == []


def test_the_ladder_shows_what_there_is_and_hides_otherwise(shown):
    ladder = shown(ThresholdLadder())
    found = swept()
    ladder.show_findings(found.findings, found.points)
    assert "leaves tolerance: 6.5" in ladder.accessibleDescription()
    assert "starts again: " in ladder.accessibleDescription()
    assert ladder.isVisible()
    ladder.show_findings({}, None)
    assert not ladder.isVisible()


def test_output_over_load_with_its_tolerance(shown):
    drawing = shown(OutputCurve())
    drawing.show_view(None)
    nothing = colours(drawing)
    drawing.show_view(view("steps", sweep=swept(), tolerance=TOLERANCE))
    assert drawing.accessibleDescription().endswith("V")
    assert colours(drawing) > nothing
    low, high = drawing.spans[1]
    assert low < 4.75
    assert high > 5.25


def test_waves_and_their_harmonics(shown):
    drawing, bars = shown(WaveView()), shown(Harmonics())
    drawing.show_waves([wave("sine", 0.0), wave("stepped", 30.0), wave("square", 65.0)])
    assert drawing.accessibleDescription() == "65.0 W: square, THD 48.3 %; no load: sine, THD 1.44 %"
    bars.show_wave(wave("square"))
    assert bars.accessibleDescription().startswith("largest: number 3, 33.3 %")
    assert colours(bars) > 3
    drawing.show_waves([])
    bars.show_wave(None)
    assert not drawing.isVisible()
    assert not bars.isVisible()


def test_a_course_over_time(shown):
    drawing = shown(CourseView())
    time = np.arange(300.0)
    drawing.show_course((("normal", Series(time, np.full(300, 4.5))), ("economy", Series(time[:1] + 300, np.array([0.5])))))
    assert drawing.accessibleDescription() == "normal: 4.500 W, economy: 0.5000 W"
    assert drawing.spans[1][0] == 0.0
    drawing.show_course((("scope", Series(time, 5 + 0.1 * np.sin(time))),), "V")
    assert drawing.spans[1][0] > 4.5


def test_trip_times_on_a_scale_of_powers(shown):
    drawing = shown(TripView())
    steps = (Overload(31.5, 600.0), Overload(45.0, 75.0, 75.0), Overload(90.0, 12.0, 12.0))
    drawing.show_view(view("trip", overloads=steps, rated_a=30.0, curve=parse_curve("1.05: over 1 h; 1.35: 60 s..30 min; 2: 4 s..60 s")))
    assert drawing.accessibleDescription() == "1.05 ×: held, 1.5 ×: 1 min 15 s, 3 ×: 12 s"
    assert {"10 s", "1 min", "10 min"} <= {text for _, text in drawing.up_marks}
    assert drawing.place(1.5, np.log10(75)).y() < drawing.place(3.0, np.log10(12)).y()


def test_bars_with_what_belongs_to_them(shown):
    drawing = shown(Bars())
    findings = [Finding("power_1", "standby", 0.5, "W", (), ""), Finding("power_2", "on", 51.0, "W", (), ""), Finding("apparent_2", "on, apparent", 90.0, "VA", None, ""),
                Finding("factor_2", "on, power factor", 0.57, "", None, "")]  # fmt: skip
    drawing.show_findings(findings)
    assert drawing.accessibleDescription() == "standby: 0.5 W, on: 51 W"
    assert colours(drawing) > 3


@pytest.mark.parametrize("size", [(420, 300), (900, 560), (1800, 900)])
def test_a_page_shows_only_what_belongs_to_its_method(shown, size):
    page = shown(TrialPage(live=False), size)
    found = swept()
    for method, more, wanted in (
        ("sweep", {"sweep": found, "points": found.points, "findings": found.findings}, {page.map, page.curve}),
        ("steps", {"sweep": found, "points": found.points, "waves": (wave(),)}, {page.output, page.curve, page.wave}),
        ("waveform", {"waves": (wave(),)}, {page.wave, page.harmonics}), ("idle", {"course": (("normal", Series(np.arange(9.0), np.ones(9))),)}, {page.course}),
        ("trip", {"overloads": (Overload(45, 9, 9),), "rated_a": 30.0}, {page.trip}), ("appliance", {}, {page.bars}),
    ):  # fmt: skip
        page.show_view(view(method, **more))
        QApplication.processEvents()
        assert {d for d in page._beside if d.isVisible()} == wanted, method
        assert page.ladder.isVisible() == (method == "sweep")
    page.begin("trip")
    assert page.trip.isVisible()


@pytest.mark.parametrize(
    ("low", "high", "expected"), [(0, 1, [0, 0.2, 0.4, 0.6, 0.8, 1.0]), (6, 14, [6, 8, 10, 12, 14]), (3, 3, [3]), (0, 0.03, [0, 0.005])]
)
def test_round_values_on_an_axis(low, high, expected):
    assert ticks(low, high)[: len(expected)] == pytest.approx(expected)
