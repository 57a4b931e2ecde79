"""Drawings of an account on one page: a trace, plots beside each other, a ladder below them, bars."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ubrant.core.drawings import Agreements, Bars, Chains, Drawing, Ladder, Plot
from ubrant.core.drawings import TraceDrawing as TraceData
from ubrant.ui.widgets.agreements_view import AgreementsView
from ubrant.ui.widgets.chains_view import ChainsView
from ubrant.ui.widgets.plot import BarsView, LadderView, PlotView
from ubrant.ui.widgets.trace import Trace


class DrawingsView(QWidget):
    """``show_drawings`` draws what an account hands out, in its order; widgets are kept from one time to the next."""

    def __init__(self, *, live: bool = False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._live = live
        self._trace: Trace | None = None
        self.plots: list[PlotView] = []
        self.ladder, self.bars, self.chains, self.agreements = LadderView(), BarsView(), ChainsView(), AgreementsView()
        self._row = QWidget()
        self._beside = QHBoxLayout(self._row)
        self._beside.setContentsMargins(0, 0, 0, 0)
        self._beside.setSpacing(10)
        self._beside.addWidget(self.bars, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(self.chains)
        column.addWidget(self._row, 1)
        column.addWidget(self.ladder)
        column.addWidget(self.agreements)
        column.addStretch(0)
        for widget in (self.bars, self.ladder, self._row, self.chains, self.agreements):
            widget.hide()

    @property
    def trace(self) -> Trace:
        """Made when it is first needed: it takes longer than all the others."""
        if self._trace is None:
            self._trace = Trace()
            layout = self.layout()
            assert isinstance(layout, QVBoxLayout)
            layout.insertWidget(layout.indexOf(self.chains) + 1, self._trace, 1)
        return self._trace

    @property
    def shows_trace(self) -> bool:
        return self._trace is not None and self._trace.isVisible()

    def begin(self) -> None:
        """An empty page for a run that has just begun: what it is drawn as shows from its first drawings."""
        if self._trace is not None:
            self._trace.show_nothing()
        self.show_drawings(())

    def show_drawings(self, drawings: Sequence[Drawing]) -> None:
        plots = [d for d in drawings if isinstance(d, Plot)]
        while len(self.plots) < len(plots):
            made = PlotView()
            self._beside.insertWidget(len(self.plots), made, 1)
            self.plots.append(made)
        for k, view in enumerate(self.plots):
            view.setVisible(k < len(plots))
            if k < len(plots):
                view.show_plot(plots[k])
        trace = next((d for d in drawings if isinstance(d, TraceData)), None)
        ladder = next((d for d in drawings if isinstance(d, Ladder)), None)
        bars = next((d for d in drawings if isinstance(d, Bars)), None)
        chains = next((d for d in drawings if isinstance(d, Chains)), None)
        agreements = next((d for d in drawings if isinstance(d, Agreements)), None)
        self.agreements.setVisible(agreements is not None)
        if agreements is not None:
            self.agreements.show_agreements(agreements)
        self.chains.setVisible(chains is not None)
        if chains is not None:
            self.chains.show_chains(chains)
        if self._trace is not None or trace is not None:
            self.trace.setVisible(trace is not None)
        self.ladder.setVisible(ladder is not None)
        self.bars.setVisible(bars is not None and bool(bars.rows))
        self._row.setVisible(bool(plots) or self.bars.isVisibleTo(self._row))
        if trace is not None:
            self.trace.show_trace(trace, grow=self._live)
        if ladder is not None:
            self.ladder.show_ladder(ladder)
        if bars is not None:
            self.bars.show_bars(bars)

    def plot(self, title: str) -> PlotView:
        """The plot that is shown under this title."""
        return next(v for v in self.plots if v.isVisibleTo(self) and v.plot is not None and v.plot.title == title)
