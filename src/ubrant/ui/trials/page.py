"""A trial on one page, live or kept: the drawings of its method."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ubrant.core.sweep import states_of
from ubrant.ui.trials.drawings import Bars, CourseView, Harmonics, OutputCurve, TripView, WaveView
from ubrant.ui.trials.sweep_drawings import EfficiencyMapView, LossCurve, SweepGrid, ThresholdLadder
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.trial import TrialView, told_of


class TrialPage(QWidget):
    """``show_view`` draws whatever has been taken so far."""

    def __init__(self, *, live: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._live = live
        self.grid, self.map, self.curve, self.output = SweepGrid(), EfficiencyMapView(), LossCurve(), OutputCurve()
        self.wave, self.harmonics, self.course, self.trip, self.bars = WaveView(), Harmonics(), CourseView(), TripView(), Bars()
        self.ladder = ThresholdLadder()
        self._beside = (self.grid, self.map, self.output, self.curve, self.course, self.wave, self.harmonics, self.trip, self.bars)
        beside = QHBoxLayout()
        beside.setSpacing(10)
        for drawing in self._beside:
            beside.addWidget(drawing, 1)
            drawing.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(beside, 1)
        column.addWidget(self.ladder)
        self.ladder.hide()

    def begin(self, method: str) -> None:
        """An empty page for a trial that has just begun."""
        self._only(*self._of(method, None))
        self.grid.show_points((), ())
        self.curve.show_sweep(None)
        self.output.show_view(None)
        self.course.show_course(())
        self.trip.show_view(None)
        self.bars.show_findings(())
        self.ladder.show_findings({}, None)

    def show_view(self, view: TrialView) -> None:
        method = view.run.method
        self._only(*self._of(method, view))
        self.curve.show_sweep(view.sweep, live=self._live)
        self.ladder.show_findings(view.findings, view.points)
        if method == "sweep" and self._live:
            states = states_of(view.sweep) if view.sweep is not None else []
            trial = trial_of(method)
            assert trial is not None
            self.grid.show_points(trial.settings(told_of(view.run)), view.asked, states)
        elif method == "sweep":
            self.map.show_sweep(view.sweep)
        elif method == "steps":
            self.output.show_view(view)
            self.wave.show_waves(view.waves)
        elif method == "waveform" and view.waves:
            self.wave.show_waves(view.waves)
            self.harmonics.show_wave(view.waves[0])
        elif method in {"idle", "waveform"}:
            self.course.show_course(view.course, "V" if method == "waveform" else "W")
        elif method == "trip":
            self.trip.show_view(view)
        else:
            self.bars.show_findings(view.findings.values())

    def _of(self, method: str, view: TrialView | None) -> tuple[QWidget, ...]:
        """The drawings of a method."""
        match method:
            case "sweep":
                return (self.grid if self._live else self.map, self.curve)
            case "steps":
                return (self.output, self.curve, self.wave) if view is not None and view.waves else (self.output, self.curve)
            case "waveform":
                return (self.wave, self.harmonics) if view is not None and view.waves else (self.course,)
            case "idle":
                return (self.course,)
            case "trip":
                return (self.trip,)
            case _:
                return (self.bars,)

    def _only(self, *shown: QWidget) -> None:
        for drawing in self._beside:
            drawing.setVisible(drawing in shown)
