"""What is drawn of a method: something is there, it says in words what it shows, and it holds in both grounds and at any size."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from tests.making import record_for
from tests.methods.samples import BY_HAND, SAMPLES
from ubrant.core.drawings import DASHED, Bars, Chains, Curve, Ladder, Plot
from ubrant.methods.registry import method_of
from ubrant.ui.widgets import theme
from ubrant.ui.widgets.axes import ticks
from ubrant.ui.widgets.drawn import DrawingsView
from ubrant.ui.widgets.label_places import room_for
from ubrant.ui.widgets.plot import PlotView


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
