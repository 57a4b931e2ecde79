"""A unit's card: what the label says as an outline bar, what was measured as a filled one, with its ±."""

from __future__ import annotations

import re

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QContextMenuEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLineEdit, QWidget

from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show_with
from ubrant.logbook.records import Summary
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import NORMAL, SMALL, color, font

_TINTS = {MEETS: "good", BELOW: "loss", SPENT: "loss", CANNOT_TELL: "caution", NOT_ALIKE: "caution"}


_SKETCH = QRectF(0, 0, 66, 38)
_MOST_LINES = 3
_WITH_UNIT = re.compile(r"[\d.]+(?: ± [\d.]+)? (?:[^\W\d]{1,3}|%)(?![^\W\d])")
"""A value, its ± and its unit stay together."""


def _shortened(text: str) -> list[str]:
    """The text up to each of its clauses, the longest first."""
    ends = [match.start() for match in re.finditer(r"[;:.](?= )", text)]
    return [text[:end] for end in reversed(ends)]


class _NameField(QLineEdit):
    """A name that is written over."""

    written = pyqtSignal(str)

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(name, parent)
        self.setAccessibleName(self.tr("Name"))
        self.editingFinished.connect(self._end)
        self._left = False

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape:
            event.accept()  # it is this field's, and no shortcut's
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self._left = True
            self.deleteLater()
        else:
            super().keyPressEvent(event)

    def _end(self) -> None:
        if not self._left:
            self._left = True
            self.deleteLater()
            if self.text().strip():
                self.written.emit(self.text().strip())


class UnitCard(QWidget):
    """One unit. Click or Enter chooses it, a double click prepares a test."""

    chosen = pyqtSignal(int)
    added = pyqtSignal(int)
    """Chosen together with those that are, or no more."""
    opened = pyqtSignal(int)
    named = pyqtSignal(int, str)
    asked_for = pyqtSignal(int, QPoint)

    def __init__(
        self, unit: Unit, label: Label | None, summary: Summary | None, parent: QWidget | None = None, *, waits: bool = False
    ) -> None:
        super().__init__(parent)
        self.unit, self._label, self._summary, self._waits = unit, label, summary, waits
        self.is_chosen = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.has_bar = label is not None and bool(label.charge_ah)
        self.setFixedHeight(124 if self.has_bar else 112)
        self.setMinimumWidth(250)
        self.setAccessibleName(f"{unit.name}. {self.claim()}. {self.measured()}")

    def sizeHint(self) -> QSize:
        return QSize(270, self.height())

    def claim(self) -> str:
        """What the label says, in a line."""
        return self._label.summary() if self._label else self.unit.printed

    def measured(self) -> str:
        """What was measured, in a few words."""
        if self._summary is None:
            return self.tr("being worked out …") if self._waits else "" if self._label is None else self.tr("not tested yet")
        if self._label is None or self._summary.bar is None or self.unit.kind in {"bank", "station"}:  # what is told of those is Wh
            best = next(iter(self._summary.answers.values()), "")
            return best.partition("; ")[0] or self._summary.short or self._summary.sentence
        value, uncertainty = show_with(*self._summary.bar)
        return f"{value} ± {uncertainty} Ah" if uncertainty else f"{value} Ah, no ±"

    def verdict(self) -> str:
        return self._summary.verdict if self._summary else ""

    def set_chosen(self, chosen: bool) -> None:
        self.is_chosen = chosen
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        more = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        (self.added if more else self.chosen).emit(self.unit.id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.asked_for.emit(self.unit.id, event.globalPos())

    def rename(self) -> None:
        """Write over the name where it stands; Enter keeps it, Escape leaves it."""
        field = _NameField(self.unit.name, self)
        field.setGeometry(8, 6, self.width() - 16, 32)
        field.written.connect(lambda text: self.named.emit(self.unit.id, text))
        field.show()
        field.setFocus()
        field.selectAll()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit(self.unit.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.unit.id)
        elif event is not None and event.key() == Qt.Key.Key_F2:
            self.rename()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        edge = QPen(color("ink"), 2) if self.is_chosen else QPen(color("line"), 1)
        painter.setPen(QPen(color("voltage"), 2) if self.hasFocus() and not self.is_chosen else edge)
        painter.setBrush(QBrush(color("card")))
        painter.drawRoundedRect(box, 3, 3)
        wide = box.width() - 28
        sketch = self._summary.sketch if self._summary is not None and not self.has_bar else ()
        beside = wide - (_SKETCH.width() + 10 if sketch else 0)
        if sketch:
            self._draw_sketch(painter, sketch, _SKETCH.translated(14 + wide - _SKETCH.width(), 12))
        self._line(painter, 12, self.unit.name, font(NORMAL + 0.5, bold=True), "ink", beside)
        measured = self._label is None and self._summary is not None
        kind = f"{self.unit.kind} · {self._short_claim()}" if self._label is not None else self.unit.kind
        kind = f"{self.unit.kind} · {self.unit.printed}" if measured else kind
        self._line(painter, 34, kind, font(SMALL), "quiet", beside)
        if self._label is None or not self.has_bar or not self._label.charge_ah:
            for number, line in enumerate(self._lines(self.measured() or self.unit.printed, wide)):
                self._line(painter, 55 + 17 * number, line, font(SMALL + 0.5), "ink", wide)
            return
        self._bar(painter, QRectF(14, 60, wide, 20), self._label.charge_ah)
        tint = _TINTS.get(self.verdict(), "quiet")
        self._line(painter, 90, self.measured(), font(NORMAL), "ink" if self._summary else "quiet", wide)
        if self.verdict():
            painter.setFont(font(SMALL + 0.5, bold=True))
            painter.setPen(color(tint))
            painter.drawText(QRectF(14, 90, wide, 20), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.verdict())

    def _short_claim(self) -> str:
        assert self._label is not None
        kind = self._label.kind_of_cell
        figures = [
            f"{plain(self._label.charge_ah, 3)} Ah" if self._label.charge_ah else "",
            f"{plain(self._label.voltage_v, 3)} V" if self._label.voltage_v else "",
        ]
        return " · ".join([f for f in figures if f] + ([kind.name] if kind else []))

    @staticmethod
    def _lines(text: str, wide: float) -> list[str]:
        """Broken between words; what three lines do not hold ends with the last clause that is whole."""
        metrics = QFontMetricsF(font(SMALL + 0.5))
        for part in (text, *_shortened(text)):
            lines: list[str] = []
            for clause in in_a_line(part).split("; "):
                lines.append("")
                for word in _WITH_UNIT.sub(lambda m: m[0].replace(" ", "\u00a0"), clause).split(" "):
                    longer = f"{lines[-1]} {word}".strip()
                    if lines[-1] and metrics.horizontalAdvance(longer) > wide:
                        lines.append(word)
                    else:
                        lines[-1] = longer
            if len(lines) <= _MOST_LINES:
                break
        return lines[:_MOST_LINES]

    @staticmethod
    def _draw_sketch(painter: QPainter, sketch: tuple[tuple[float, float], ...], area: QRectF) -> None:
        """The curve in small: no axes, only its shape over a ground line."""
        painter.setPen(QPen(color("line"), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.setPen(QPen(color("voltage"), 1.6))
        painter.drawPolyline(
            QPolygonF([QPointF(area.left() + x * area.width(), area.bottom() - 3 - y * (area.height() - 6)) for x, y in sketch])
        )

    def _line(self, painter: QPainter, top: float, text: str, typeface, tint: str, wide: float) -> None:  # type: ignore[no-untyped-def]
        painter.setFont(typeface)
        painter.setPen(color(tint))
        shown = painter.fontMetrics().elidedText(in_a_line(text), Qt.TextElideMode.ElideRight, int(wide))
        painter.drawText(QRectF(14, top, wide, 20), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)

    def _bar(self, painter: QPainter, area: QRectF, rated_ah: float) -> None:
        """The label's capacity as an outline over five sixths of the width; measured as a filled bar, its ± as a bracket."""
        per_ah = area.width() / (1.2 * rated_ah)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        summary = self._summary
        if summary is not None and summary.bar is not None:
            charge_ah, charge_u = summary.bar
            filled = min(charge_ah * per_ah, area.width())
            painter.fillRect(QRectF(area.left(), area.top() + 4, filled, area.height() - 8), color("voltage", 190))
            if charge_u:
                low, high = (min(max(0.0, charge_ah + s * charge_u) * per_ah, area.width()) for s in (-1, 1))
                painter.setPen(QPen(color("ink"), 1.4))
                middle = area.center().y()
                painter.drawLine(int(area.left() + low), int(middle), int(area.left() + high), int(middle))
                for end in (low, high):
                    painter.drawLine(int(area.left() + end), int(middle - 4), int(area.left() + end), int(middle + 4))
        painter.setPen(QPen(color("ink"), 1.3))
        painter.drawRect(QRectF(area.left(), area.top(), rated_ah * per_ah, area.height()))
