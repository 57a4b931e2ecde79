"""A sweep on one page, live or kept: grid or map, loss curve, ladder."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ubrant.ui.sweep.drawings import EfficiencyMapView, LossCurve, SweepGrid, ThresholdLadder, states_of
from ubrant.workshop.sweeping import SweepView, plan_of


class SweepPage(QWidget):
    """``show_view`` draws whatever has been taken so far."""

    def __init__(self, *, live: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._live = live
        self.grid, self.map = SweepGrid(), EfficiencyMapView()
        self.curve, self.ladder = LossCurve(), ThresholdLadder()
        beside = QHBoxLayout()
        beside.setSpacing(10)
        beside.addWidget(self.grid if live else self.map, 1)
        beside.addWidget(self.curve, 1)
        (self.map if live else self.grid).setParent(None)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(beside, 1)
        column.addWidget(self.ladder)
        self.ladder.hide()

    def show_view(self, view: SweepView | None) -> None:
        if view is None:
            self.grid.show_points((), ())
            self.curve.show_sweep(None)
            self.ladder.show_sweep(None)
            return
        states = states_of(view.found) if view.found is not None else []
        taken = list(zip(view.points.input_v, view.points.output_a, strict=True)) if view.points is not None else []
        if self._live:
            self.grid.show_points(plan_of(view.run).points(), view.asked if view.asked else taken, states)
        else:
            self.map.show_sweep(view.found)
        self.curve.show_sweep(view.found, live=self._live)
        self.ladder.show_sweep(view.found)
