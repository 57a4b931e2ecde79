"""Grid, loss curve, map and ladder: what a sweep is drawn as."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from ubrant.core.efficiency_map import efficiency_map, levels
from ubrant.core.finding import Finding
from ubrant.core.points import Points
from ubrant.core.quantity import plain
from ubrant.core.sweep import OFF, OUTSIDE, TAKEN, Sweep, states_of
from ubrant.ui.theme import SMALL, color, font
from ubrant.ui.trials.axes import Axes, ticks

Setting = tuple[float, float]
_KEY = "     ● within tolerance   ◆ outside   × off"
_GOING_UP = QPointF(8, 0)
"""Points taken with the input going up stand beside those taken going down."""


class SweepGrid(Axes):
    """Input voltage over load: points to come hollow, taken ones filled, those outside tolerance or off in a shape of their own."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Points, down and up again"), self.tr("load, A") + _KEY, self.tr("input, V"), parent)
        self._plan: Sequence[Setting] = ()
        self._taken: Sequence[Setting] = ()
        self._states: Sequence[str] = ()

    def show_points(self, plan: Sequence[Setting], taken: Sequence[Setting] = (), states: Sequence[str] = ()) -> None:
        """The plan in its order, what was taken of it and what became of that."""
        self._plan, self._taken, self._states = plan, taken, states
        both = [*plan, *taken]
        if both:
            volts, amps = [v for v, _ in both], [a for _, a in both]
            wide, high = max(max(amps) - min(amps), 0.1), max(max(volts) - min(volts), 0.5)
            self.spans = ((min(amps) - 0.05 * wide, max(amps) + 0.05 * wide), (min(volts) - 0.06 * high, max(volts) + 0.06 * high))
        counts = {state: list(states).count(state) for state in (TAKEN, OUTSIDE, OFF)}
        self.setAccessibleDescription(
            self.tr("{taken} of {plan} points; {out} outside tolerance, {off} off").format(
                taken=len(taken), plan=len(plan), out=counts[OUTSIDE], off=counts[OFF]
            )
        )
        self.update()

    def draw(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color("quiet"), 1))
        for at in self._places(self._plan):
            painter.drawEllipse(at, 3.2, 3.2)
        for k, at in enumerate(self._places(self._taken)):
            state = self._states[k] if k < len(self._states) else TAKEN
            draw_point(painter, at, state)
        if self._taken and len(self._taken) < len(self._plan):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color("current"), 2))
            painter.drawEllipse(self._places(self._taken)[-1], 8, 8)

    def _places(self, settings: Sequence[Setting]) -> list[QPointF]:
        """Where each point is drawn: beside its column where the input was going up."""
        found = []
        for k, (volts, amps) in enumerate(settings):
            rising = k > 0 and settings[k - 1][1] == amps and volts > settings[k - 1][0]
            found.append(self.place(amps, volts) + _GOING_UP if rising else self.place(amps, volts))
        return found


def draw_point(painter: QPainter, at: QPointF, state: str) -> None:
    """A dot, a diamond for outside tolerance, a cross for off."""
    if state == OFF:
        painter.setPen(QPen(color("loss"), 1.6))
        painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
        painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(color("voltage" if state == TAKEN else "caution")))
    if state == TAKEN:
        painter.drawEllipse(at, 4, 4)
    else:
        painter.drawPolygon(QPolygonF([at + QPointF(0, -5.5), at + QPointF(5.5, 0), at + QPointF(0, 5.5), at + QPointF(-5.5, 0)]))


class LossCurve(Axes):
    """Losses over the load: always-on, proportional and resistive part stacked; the measured points on it, the latest ringed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("What it burns"), self.tr("load, W"), self.tr("loss, W"), parent)
        self._found: Sweep | None = None
        self._live = False

    def show_sweep(self, found: Sweep | None, *, live: bool = False) -> None:
        self._found, self._live = found, live
        if found is not None and len(found.points):
            loss = (found.points.input_w - found.points.output_w)[found.in_tolerance]
            top = float(np.max(loss)) if len(loss) else 1.0
            self.spans = ((0.0, max(float(found.points.output_w.max()) * 1.04, 0.1)), (0.0, max(top * 1.15, 1e-3)))
            if found.model is not None:
                m = found.model
                self.setAccessibleDescription(
                    f"p₀ {plain(m.fixed_w, 3)} W, a {plain(m.proportional, 3)}, b {plain(m.resistive_per_w, 3)} per W"
                )
        self.update()

    def draw(self, painter: QPainter) -> None:
        found = self._found
        if found is None:
            return
        model = found.model
        if model is not None:
            loads = np.linspace(0, self.spans[0][1], 60)
            parts = np.array([model.parts_w(float(p)) for p in loads]).clip(0)
            lower = np.zeros(len(loads))
            for column, (name, style) in enumerate(
                ((self.tr("always on"), Qt.BrushStyle.Dense4Pattern), (self.tr("proportional"), Qt.BrushStyle.BDiagPattern),
                 (self.tr("resistive"), Qt.BrushStyle.FDiagPattern))
            ):  # fmt: skip
                upper = lower + parts[:, column]
                outline = [self.place(float(x), float(y)) for x, y in zip(loads, upper, strict=True)]
                back = [self.place(float(x), float(y)) for x, y in zip(loads[::-1], lower[::-1], strict=True)]
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QBrush(color("loss"), style))
                painter.drawPolygon(QPolygonF([*outline, *back]))
                painter.setPen(QPen(color("loss"), 1))
                painter.drawPolyline(QPolygonF(outline))
                middle = float(lower[-1] + upper[-1]) / 2
                if upper[-1] - lower[-1] > 0.06 * self.spans[1][1]:
                    at = self.place(float(loads[-1]), middle)
                    room = painter.fontMetrics().horizontalAdvance(name) + 8
                    box = QRectF(at.x() - room - 6, at.y() - 9, room, 18)
                    painter.fillRect(box, color("paper"))
                    painter.setPen(color("ink"))
                    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
                lower = upper
        loss = found.points.input_w - found.points.output_w
        for k in np.flatnonzero(found.in_tolerance):
            draw_point(painter, self.place(float(found.points.output_w[k]), float(loss[k])), TAKEN)
        if self._live and len(loss):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color("current"), 2))
            painter.drawEllipse(self.place(float(found.points.output_w[-1]), float(loss[-1])), 8, 8)


class EfficiencyMapView(Axes):
    """Efficiency over load and input voltage as contours, with the measured points on it."""

    by_root = True

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Efficiency, %"), self.tr("load, W     ● within tolerance   ◆ outside"), self.tr("input, V"), parent)
        self._found: Sweep | None = None
        self._lines: list[tuple[float, list[np.ndarray]]] = []

    def show_sweep(self, found: Sweep | None) -> None:
        self._found, self._lines = found, []
        made = efficiency_map(found) if found is not None else None
        if found is not None and len(found.points):
            load, volts = found.points.output_w, found.points.input_v
            high = max(float(np.ptp(volts)), 0.5)
            self.spans = (
                (0.0, 1.06 * max(float(load.max()), 0.1)),
                (float(volts.min()) - 0.06 * high, float(volts.max()) + 0.06 * high),
            )
        if made is not None:
            from contourpy import contour_generator  # needed only for a map

            generator = contour_generator(made.load_w, made.input_v, np.ma.masked_invalid(made.percent))
            self._lines = [(level, [np.asarray(line) for line in generator.lines(level)]) for level in levels(made)]
            self.setAccessibleDescription(self.tr("contours at {levels} %").format(levels=", ".join(plain(x, 3) for x, _ in self._lines)))
        self.update()

    def contours(self) -> list[float]:
        """The percentages that have a contour."""
        return [level for level, lines in self._lines if lines]

    def draw(self, painter: QPainter) -> None:
        if self._found is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color("power"), 1.4))
        contours = [(level, [self.place(float(x), float(y)) for x, y in line]) for level, lines in self._lines for line in lines]
        for _, places in contours:
            painter.drawPolyline(QPolygonF(places))
        for k, state in enumerate(states_of(self._found)):
            if state != OFF:
                draw_point(painter, self.place(float(self._found.points.output_w[k]), float(self._found.points.input_v[k])), state)
        self._name(painter, contours)

    @staticmethod
    def _name(painter: QPainter, contours: list[tuple[float, list[QPointF]]]) -> None:
        """Each contour's percentage on it, where no other one stands."""
        painter.setFont(font(SMALL))
        painter.setPen(color("power"))
        taken: list[QRectF] = []
        for level, places in reversed(contours):
            if len(places) <= 8:
                continue
            boxes = (QRectF(at.x() - 13, at.y() - 8, 26, 16) for at in (places[len(places) * k // 8] for k in (4, 2, 6, 3, 5, 1, 7)))
            box = next((b for b in boxes if not any(b.adjusted(-2, -1, 2, 1).intersects(t) for t in taken)), None)
            if box is not None:
                taken.append(box)
                painter.fillRect(box, color("paper"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, plain(level, 3))


_RUNGS = (
    ("dropout_voltage", "leaves tolerance", "caution"), ("shutoff_voltage", "shuts off", "loss"), ("restart_voltage", "starts again", "good"),
    ("alarm_voltage", "alarm", "caution"), ("cutoff_input", "cuts out", "loss"), ("recovered", "the battery recovers to", "good"),
)  # fmt: skip


class ThresholdLadder(QWidget):
    """Where the output leaves tolerance, shuts off and starts again (an inverter alarms, cuts out, and its battery recovers), on one voltage axis,
    each with its ±."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._findings: dict[str, Finding] = {}
        self._span = (0.0, 1.0)
        self.setMinimumHeight(120)
        self.setMaximumHeight(140)
        self.setAccessibleName(self.tr("Where it gives up"))

    def show_findings(self, findings: Mapping[str, Finding], points: Points | None) -> None:
        self._findings = {k: findings[k] for k, _, _ in _RUNGS if k in findings and findings[k].value is not None}
        if points is not None and len(points):
            values = [*points.input_v.tolist(), *(f.value or 0.0 for f in self._findings.values())]
            low, high = min(values), max(values)
            self._span = (low - 0.05 * (high - low), high + 0.05 * (high - low))
        said = [f"{name}: {self._findings[key].with_doubt()}" for key, name, _ in _RUNGS if key in self._findings]
        self.setAccessibleDescription(", ".join(said))
        self.setVisible(bool(said))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.setPen(color("ink"))
        painter.setFont(font(SMALL + 1, bold=True))
        painter.drawText(QRectF(10, 4, 300, 20), Qt.AlignmentFlag.AlignLeft, self.tr("Where it gives up, input V"))
        painter.setFont(font(SMALL))
        left, right, base = 58.0, self.width() - 30.0, self.height() - 26.0
        painter.setPen(QPen(color("ink"), 1.4))
        painter.drawLine(QPointF(left, base), QPointF(right, base))

        def x_of(volts: float) -> float:
            return left + (volts - self._span[0]) / max(self._span[1] - self._span[0], 1e-9) * (right - left)

        for value in ticks(*self._span):
            painter.setPen(color("ink"))
            painter.drawLine(QPointF(x_of(value), base), QPointF(x_of(value), base + 4))
            painter.drawText(QRectF(x_of(value) - 30, base + 5, 60, 16), Qt.AlignmentFlag.AlignCenter, plain(value, 4))
        shown = [(key, name, tint) for key, name, tint in _RUNGS if key in self._findings]
        for line, (key, _, tint) in enumerate(shown):
            finding = self._findings[key]
            assert finding.value is not None
            x, y, doubt = x_of(finding.value), 34.0 + 20 * line, finding.expanded_uncertainty or 0.0
            painter.setPen(QPen(color(tint), 2))
            painter.drawLine(QPointF(x, y), QPointF(x, base))
            painter.drawLine(QPointF(x_of(finding.value - doubt), y), QPointF(x_of(finding.value + doubt), y))
        for line, (key, name, _) in enumerate(shown):  # over the lines, so that none goes through the words
            finding = self._findings[key]
            assert finding.value is not None
            y, doubt = 34.0 + 20 * line, finding.expanded_uncertainty or 0.0
            words = f"{self.tr(name)} {finding.with_doubt()}"
            room = painter.fontMetrics().horizontalAdvance(words) + 8
            at = x_of(finding.value + doubt) + 6
            at = at if at + room < self.width() else x_of(finding.value - doubt) - room - 2
            box = QRectF(at, y - 9, room, 18)
            painter.fillRect(box, color("paper"))
            painter.setPen(color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
