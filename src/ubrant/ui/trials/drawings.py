"""What the other trials are drawn as: output over load, waves and their harmonics, a course over time, trip times, bars."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.finding import Finding
from ubrant.core.idle import level
from ubrant.core.quantity import plain, show, show_duration
from ubrant.core.readings import Series
from ubrant.core.sweep import TAKEN, states_of
from ubrant.ui.theme import SMALL, color, font
from ubrant.ui.trials.axes import Axes
from ubrant.ui.trials.sweep_drawings import draw_point
from ubrant.workshop.trials.trial import SeenWave, TrialView

_ROUND_S = (0.01, 0.1, 1.0, 10.0, 60.0, 600.0, 3600.0, 36000.0)
_STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashLine)


class OutputCurve(Axes):
    """Output voltage over the load, with the tolerance as two lines."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Output over load"), self.tr("load, W     ◆ outside   × off"), self.tr("output, V"), parent)
        self._view: TrialView | None = None

    def show_view(self, view: TrialView | None) -> None:
        self._view = view
        points = view.sweep.points if view is not None and view.sweep is not None else None
        if view is not None and points is not None and len(points):
            on = points.output_v[points.output_v > 0.5 * float(points.output_v.max())]
            low, high = float(on.min()), float(on.max())
            if view.tolerance is not None:
                low, high = min(low, view.tolerance.low), max(high, view.tolerance.high)
            room = 0.12 * max(high - low, 0.01 * high)
            self.spans = ((-0.03 * float(points.output_w.max()), float(points.output_w.max()) * 1.05 + 0.1), (low - room, high + room))
            self.setAccessibleDescription(self.tr("{low} to {high} V").format(low=show(float(on.min())), high=show(float(on.max()))))
        self.update()

    def draw(self, painter: QPainter) -> None:
        view = self._view
        if view is None or view.sweep is None:
            return
        if view.tolerance is not None:
            (x0, x1), _ = self.spans
            for volts, below in ((view.tolerance.low, True), (view.tolerance.high, False)):
                painter.setPen(QPen(color("caution"), 1.4, Qt.PenStyle.DashLine))
                painter.drawLine(self.place(x0, volts), self.place(x1, volts))
                at = self.place(x0, volts)
                painter.setPen(color("ink"))
                painter.drawText(
                    QRectF(at.x() + 6, at.y() + (2 if below else -18), 200, 16), Qt.AlignmentFlag.AlignLeft, f"{plain(volts)} V"
                )
        points = view.sweep.points
        on = [k for k in np.argsort(points.output_w) if points.output_v[k] > self.spans[1][0]]
        painter.setPen(QPen(color("voltage"), 1.6))
        painter.drawPolyline(QPolygonF([self.place(float(points.output_w[k]), float(points.output_v[k])) for k in on]))
        for k, state in enumerate(states_of(view.sweep)):
            volts = max(float(points.output_v[k]), self.spans[1][0])
            draw_point(painter, self.place(float(points.output_w[k]), volts), state)


class WaveView(Axes):
    """The output's wave: at the heaviest load solid, at the lightest dotted."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Wave"), self.tr("time, ms"), self.tr("V"), parent)
        self._waves: list[SeenWave] = []

    def show_waves(self, waves: Sequence[SeenWave]) -> None:
        self._waves = [waves[-1], waves[0]] if len(waves) > 1 else list(waves)
        if self._waves:
            peak = max(float(np.max(np.abs(w.volts))) for w in self._waves)
            until = max(float(w.time_s[-1]) for w in self._waves) * 1000
            self.spans = ((0.0, until), (-1.2 * peak, 1.75 * peak))
            self.setAccessibleDescription("; ".join(self._words(w) for w in self._waves))
        self.setVisible(bool(self._waves))
        self.update()

    def _words(self, wave: SeenWave) -> str:
        thd = wave.found.findings["thd"].value or 0.0
        loaded = wave.load_w > 0.01 * max(w.load_w for w in self._waves)  # a meter's own zero is no load
        where = self.tr("{load} W: ").format(load=show(wave.load_w, 3)) if loaded else self.tr("no load: ")
        return f"{where}{self.tr(wave.found.kind)}, THD {show(thd, 3)} %"

    def draw(self, painter: QPainter) -> None:
        for wave, style in zip(self._waves, _STYLES, strict=False):
            painter.setPen(QPen(color("voltage"), 1.6, style))
            painter.drawPolyline(QPolygonF([self.place(1000 * float(t), float(v)) for t, v in zip(wave.time_s, wave.volts, strict=True)]))
        for line, wave in enumerate(self._waves):
            words = ("—  " if line == 0 else "····  ") + self._words(wave)
            room = painter.fontMetrics().horizontalAdvance(words) + 6
            box = QRectF(self.place(0, 0).x() + 4, 32 + 20 * line, room, 18)
            painter.fillRect(box, color("paper"))
            painter.setPen(color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)


class Harmonics(Axes):
    """Each harmonic as a share of the first."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Harmonics"), self.tr("number"), self.tr("% of the first"), parent)
        self._shares = np.array([])

    def show_wave(self, wave: SeenWave | None) -> None:
        self._shares = 100 * wave.found.harmonics[1:] / wave.found.harmonics[0] if wave is not None else np.array([])
        if len(self._shares):
            self.spans = ((1.0, 41.0), (0.0, max(float(self._shares.max()) * 1.15, 1.0)))
            largest = int(np.argmax(self._shares)) + 2
            told = self.tr("largest: number {n}, {share} %").format(n=largest, share=plain(float(self._shares.max()), 3))
            self.setAccessibleDescription(told)
        self.setVisible(bool(len(self._shares)))
        self.update()

    def draw(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(color("power")))
        width = max((self.place(2, 0).x() - self.place(1, 0).x()) * 0.6, 2.0)
        for number, share in enumerate(self._shares, start=2):
            top, base = self.place(number, float(share)), self.place(number, 0.0)
            painter.drawRect(QRectF(top.x() - width / 2, top.y(), width, base.y() - top.y()))


class CourseView(Axes):
    """Named quantities over time, one line style each; their later half's mean as a level."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Power taken in"), self.tr("time, s"), self.tr("W"), parent)
        self._lines: Sequence[tuple[str, Series]] = ()

    def show_course(self, lines: Sequence[tuple[str, Series]], unit: str = "W") -> None:
        self._lines = [(name, s) for name, s in lines if len(s)]
        self._title, self._up = (self.tr("Power taken in"), "W") if unit == "W" else (self.tr("Record"), unit)
        if self._lines:
            start, end = min(float(s.time_s[0]) for _, s in self._lines), max(float(s.time_s[-1]) for _, s in self._lines)
            high, low = max(float(s.value.max()) for _, s in self._lines), min(float(s.value.min()) for _, s in self._lines)
            base = 0.0 if unit == "W" else low - 0.1 * (high - low)
            self.spans = ((start, max(end, start + 1e-6)), (base, high + 0.15 * max(high - base, 1e-6)))
            self.setAccessibleDescription(", ".join(f"{name}: {show(level(s.value))} {unit}" for name, s in self._lines))
        self.update()

    def draw(self, painter: QPainter) -> None:
        for (name, series), style in zip(self._lines, _STYLES, strict=False):
            painter.setPen(QPen(color("power"), 1.6, style))
            thin = max(len(series) // 2000, 1)
            places = [self.place(float(t), float(v)) for t, v in zip(series.time_s[::thin], series.value[::thin], strict=True)]
            if len(places) == 1:
                painter.setBrush(QBrush(color("power")))
                painter.drawEllipse(places[0], 4, 4)
                painter.setBrush(Qt.BrushStyle.NoBrush)
            else:
                painter.drawPolyline(QPolygonF(places))
            stands = level(series.value)
            at = self.place(float(series.time_s[-1]), stands)
            words = f"{name}: {show(stands)} {self._up}" if self._up == "W" else name
            room = painter.fontMetrics().horizontalAdvance(words) + 8
            box = QRectF(at.x() - room, at.y() - 24, room, 18)
            painter.fillRect(box, color("paper"))
            painter.setPen(color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


class TripView(Axes):
    """Time to open over the multiple of the rating, both against the band of its maker's curve; time goes up in powers of ten."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(
            self.tr("Time to open"), self.tr("× its rating     ● opened   ▲ held as long as it was watched"), self.tr("time"), parent
        )
        self._view: TrialView | None = None

    def show_view(self, view: TrialView | None) -> None:
        self._view = view
        if view is not None and (view.overloads or view.curve):
            times = [math.log10(max(s.opened_s or s.held_s, 0.01)) for s in view.overloads]
            times += [math.log10(t) for p in view.curve for t in (p.fastest_s, p.slowest_s) if 0 < t < math.inf]
            multiples = [s.amps / view.rated_a for s in view.overloads] + [p.multiple for p in view.curve]
            low, high = min(times) - 0.3, max(times) + 0.4
            self.up_marks = [(math.log10(s), show_duration(s)) for s in _ROUND_S if low <= math.log10(s) <= high]
            self.spans = ((0.9 * min(multiples), 1.08 * max(multiples)), (low, high))
            said = [
                f"{plain(s.amps / view.rated_a, 3)} ×: {show_duration(s.opened_s) if s.opened_s is not None else self.tr('held')}"
                for s in view.overloads
            ]
            self.setAccessibleDescription(", ".join(said))
        self.update()

    def draw(self, painter: QPainter) -> None:
        view = self._view
        if view is None:
            return
        _, (low, high) = self.spans
        if len(view.curve) > 1:
            slow = [self.place(p.multiple, min(math.log10(p.slowest_s), high) if p.slowest_s < math.inf else high) for p in view.curve]
            fast = [self.place(p.multiple, max(math.log10(max(p.fastest_s, 1e-9)), low)) for p in view.curve]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(color("good"), Qt.BrushStyle.BDiagPattern))
            painter.drawPolygon(QPolygonF([*slow, *reversed(fast)]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color("good"), 1.4, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(slow))
            painter.drawPolyline(QPolygonF(fast))
        for step in view.overloads:
            at = self.place(step.amps / view.rated_a, math.log10(max(step.opened_s or step.held_s, 0.01)))
            if step.opened_s is not None:
                draw_point(painter, at, TAKEN)
            else:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QBrush(color("caution")))
                painter.drawPolygon(QPolygonF([at + QPointF(0, -6), at + QPointF(5.5, 4), at + QPointF(-5.5, 4)]))


class Bars(QWidget):
    """One bar a finding, with its value and ±; what belongs to it in another unit as an outline."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: list[tuple[Finding, float | None]] = []
        self.setMinimumSize(240, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("Bars"))

    def show_findings(self, findings: Iterable[Finding]) -> None:
        found = {f.key: f for f in findings}
        pairs = ((key, f) for key, f in found.items() if key.rpartition("_")[0] in {"power", "efficiency"} and f.value is not None)
        self._rows = []
        for key, finding in pairs:
            apparent = found.get(f"apparent_{key.rpartition('_')[2]}") if key.startswith("power_") else None
            self._rows.append((finding, apparent.value if apparent is not None else None))
        self.setAccessibleDescription(", ".join(f"{f.name}: {f.with_doubt()}" for f, _ in self._rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.setFont(font(SMALL + 1))
        if not self._rows:
            return
        longest = max(max(f.value or 0.0, other or 0.0) for f, other in self._rows) or 1.0
        names = max(painter.fontMetrics().horizontalAdvance(f.name) for f, _ in self._rows) + 20
        room = max(self.width() - names - 210, 60)
        for line, (finding, other) in enumerate(self._rows):
            y = 24 + 58 * line
            painter.setPen(color("ink"))
            painter.drawText(QRectF(10, y, names - 14, 32), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, finding.name)
            width = room * (finding.value or 0.0) / longest
            painter.fillRect(QRectF(names, y, width, 32), color("power"))
            end = width
            if other is not None:
                painter.setPen(QPen(color("power"), 1.2, Qt.PenStyle.DashLine))
                painter.drawRect(QRectF(names, y, room * other / longest, 32))
                end = max(width, room * other / longest)
            painter.setPen(color("ink"))
            words = finding.with_doubt() + (f" · {show(other, 3)} VA" if other is not None else "")
            painter.drawText(QRectF(names + end + 8, y, 260, 32), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
