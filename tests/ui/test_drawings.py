"""What is drawn of a method: something is there, it says in words what it shows, and it holds in both grounds and at any size."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from tests.making import record_for
from tests.methods.samples import BY_HAND, SAMPLES
from ubrant.core.drawings import DASHED, AgreementRow, Agreements, Bars, Chains, Curve, Ladder, Plot
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.methods.registry import method_of
from ubrant.ui.widgets import theme
from ubrant.ui.widgets.agreements_view import AgreementsView
from ubrant.ui.widgets.axes import ticks
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.label_places import room_for
from ubrant.ui.widgets.plot import PlotView
from ubrant.ui.widgets.power_path_view import PowerPathView


def colours(widget) -> int:
    """How many different colours a drawing has: two or so when nothing is on it."""
    QApplication.processEvents()
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    bits = image.constBits()
    pixels = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint32).reshape(image.height(), -1)
    return len(np.unique(pixels[::3, ::3]))


@pytest.fixture(params=["light", "dark"], scope="module")
def ground(request, dressed):
    theme.choose_ground(dressed, request.param)
    yield request.param
    theme.choose_ground(dressed, "light")


@pytest.fixture
def shown(qtbot, ground):
    def show(widget, size=(460, 330)):
        qtbot.addWidget(widget)
        widget.resize(*size)
        widget.show()
        return widget

    return show


def account_of(key):
    sample = SAMPLES[key]
    return method_of(key).account(record_for(key, sample.prepared(key, by_hand=True), lines=sample.lines))


@pytest.mark.parametrize("key", BY_HAND)
def test_what_a_method_draws_is_shown_and_said(shown, key):
    drawings = account_of(key).drawings()
    page = shown(DrawingsView(), (900, 560))
    page.show_drawings(drawings)
    assert drawings
    assert colours(page) > 20
    for drawing in drawings:
        if isinstance(drawing, Plot):
            view = page.plot(drawing.title)
            assert view.isVisible()
            assert view.accessibleDescription() == drawing.told != ""
        elif isinstance(drawing, Ladder):
            assert page.ladder.isVisible()
            assert page.ladder.accessibleDescription()
        elif isinstance(drawing, Chains):
            assert page.chains.isVisible()
            assert all(name in page.chains.accessibleDescription() for name, _ in drawing.rows)
        elif isinstance(drawing, Agreements):
            assert page.agreements.isVisible()
            assert all(row.where in page.agreements.accessibleDescription() for row in drawing.rows)
        elif isinstance(drawing, Bars):
            assert page.bars.isVisible()
            assert page.bars.accessibleDescription()
        else:
            assert page.trace.isVisible()


@pytest.mark.parametrize("size", [(420, 300), (900, 560), (1800, 900)])
def test_one_after_the_other_shows_only_what_belongs_to_it(shown, size):
    page = shown(DrawingsView(), size)
    for key in BY_HAND:
        drawings = account_of(key).drawings()
        page.show_drawings(drawings)
        QApplication.processEvents()
        titles = [d.title for d in drawings if isinstance(d, Plot)]
        assert [v.plot.title for v in page.plots if v.isVisible()] == titles
        assert page.ladder.isVisible() == any(isinstance(d, Ladder) for d in drawings)
        assert page.bars.isVisible() == any(isinstance(d, Bars) for d in drawings)


@pytest.mark.parametrize(
    ("low", "high", "expected"), [(0, 1, [0, 0.2, 0.4, 0.6, 0.8, 1.0]), (6, 14, [6, 8, 10, 12, 14]), (3, 3, [3]), (0, 0.03, [0, 0.005])]
)
def test_round_values_on_an_axis(low, high, expected):
    assert ticks(low, high)[: len(expected)] == pytest.approx(expected)


@pytest.mark.parametrize("key", BY_HAND)
def test_what_is_drawn_after_an_empty_page_fills_it(shown, key):
    """An empty page keeps its axes, and a trace has the room that no plot beside it needs."""
    page = shown(DrawingsView(), (900, 560))
    page.begin()
    page.show_drawings(account_of(key).drawings())
    QApplication.processEvents()
    assert colours(page) > 20
    if page.trace.isVisible():
        assert len(page.trace.scene().items()) > 20
        assert page.trace.height() > 500


def test_what_lies_a_million_spans_away_is_drawn_all_the_same(qtbot):
    """A dashed line over 10⁹ pixels would never be done."""
    x = np.array([0.0, 1e9, np.nan, 1.0])
    view = PlotView(Plot("Plot", "along", "up", (0.0, 1.0), (0.0, 1.0), (Curve(x, -x * 1e3, style=DASHED),)))
    qtbot.addWidget(view)
    view.resize(400, 300)
    assert not view.grab().isNull()


def test_words_lie_on_no_curve_and_on_no_other_words():
    x = np.linspace(0.0, 10.0, 50)
    curve = (x, np.full(50, 5.0))
    low, middle, high = ((2.0, 4.0, y, y + 1.0) for y in (1.0, 4.5, 8.0))
    assert room_for([middle, low, high], [curve], []) == 1
    assert room_for([middle, low, high], [curve], [(3.0, 5.0, 0.0, 2.0)]) == 2
    assert room_for([middle], [curve], []) == 0
    spike = (x, np.where(abs(x - 3) < 0.2, 1.5, 9.5))
    assert room_for([low, (6.0, 8.0, 1.0, 2.0)], [spike], []) == 1


ROWS = (
    AgreementRow("Load, amperes", "", "1.00 A", "1.02 A", "-0.02 A", 0.4),
    AgreementRow("Charger, amperes", "", "20 A", "2.0 A", "+18 A", 40.0),
)


def test_readings_beside_what_the_rest_says(ground, shown):
    """What does not agree is told by its shape and in words, not by its colour alone; a row more is a row taller."""
    view = shown(AgreementsView(), (700, 200))
    view.show_agreements(Agreements("The rest", ROWS[:1]))
    one = view.height()
    assert "agrees" in view.accessibleDescription()
    assert "does not agree" not in view.accessibleDescription()
    view.show_agreements(Agreements("The rest", ROWS))
    assert view.height() > one
    assert "Charger, amperes : 20 A, 2.0 A, +18 A, does not agree" in view.accessibleDescription()
    assert colours(view) > 6


@pytest.mark.parametrize("count", [2, 3, 4, 5])
@pytest.mark.parametrize("joined", [True, False])
def test_a_path_of_any_length_is_drawn(ground, shown, count, joined):
    """Also with a battery at its meeting point, with what is lost, and with what lies only between a least and a most."""
    nodes = tuple(PathNode("converter", f"Box {k}") for k in range(count))
    flows = (Flow(50.0, 12.5, 4.0, "m"), Flow(None, between="between 20 and 40 W"), Flow(30.0), Flow(None))[: count - 1]
    joins = (PathNode("battery", "Pack"), Flow(-20.0, 12.4, -1.6, "m")) if joined else None
    path = PowerPath(nodes, flows, (None,) * (count - 1) + ("5 W lost",), (0.0,) * (count - 1) + (5.0,), "W", joins)
    view = shown(PowerPathView(), (1000, 236))
    view.show_path(path)
    assert colours(view) > 6
    told = view.words()
    assert all(node.title in told for node in nodes)
    assert ("between 20 and 40 W" in told) is (count > 2)
    assert ("takes 20.00 W" in told) is joined
