"""What a trial will do, before anything is switched on: its points on a grid, or its loads as bars."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.ui.trials.sweep_drawings import SweepGrid


class TrialPreview(QWidget):
    """``show_plan`` draws the points of a sweep; other methods have their steps below."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.grid = SweepGrid()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.grid)

    def show_plan(self, method: str, points: Sequence[tuple[float, float]]) -> None:
        self.grid.show_points(points if method == "sweep" else ())
        self.setVisible(method == "sweep")
