"""A unit's card: what the label says as an outline bar, what was measured as a filled one, with its ±."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show_with
from ubrant.logbook.records import Summary
from ubrant.ui.theme import NORMAL, SMALL, color, font
from ubrant.ui.widgets.text import in_a_line

_TINTS = {MEETS: "good", BELOW: "loss", SPENT: "loss", CANNOT_TELL: "caution", NOT_ALIKE: "caution"}


class UnitCard(QWidget):
    """One unit. Click or Enter chooses it, a double click prepares a test."""

    chosen = pyqtSignal(int)
    opened = pyqtSignal(int)

    def __init__(
        self, unit: Unit, label: Label | None, summary: Summary | None, parent: QWidget | None = None, *, waits: bool = False
    ) -> None:
        super().__init__(parent)
        self.unit, self._label, self._summary, self._waits = unit, label, summary, waits
        self.is_chosen = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.has_bar = label is not None and bool(label.charge_ah)
        self.setFixedHeight(124 if self.has_bar else 98)
        self.setMinimumWidth(250)
        self.setAccessibleName(f"{unit.name}. {self.claim()}. {self.measured()}")

    def sizeHint(self) -> QSize:
        return QSize(270, self.height())

    def claim(self) -> str:
        """What the label says, in a line."""
        return self._label.summary() if self._label else self.unit.printed

    def measured(self) -> str:
        """What was measured, in a line."""
        if self._label is None:
            return self._summary.sentence if self._summary is not None else ""
        if self._summary is None or self._summary.bar is None:
            return (
                self._summary.sentence
                if self._summary is not None
                else self.tr("being worked out …")
                if self._waits
                else self.tr("not tested yet")
            )
        value, uncertainty = show_with(*self._summary.bar)
        return f"{value} ± {uncertainty} Ah" if uncertainty else f"{value} Ah, no ±"

    def verdict(self) -> str:
        return self._summary.verdict if self._summary else ""

    def set_chosen(self, chosen: bool) -> None:
        self.is_chosen = chosen
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit(self.unit.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit(self.unit.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.unit.id)
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
        self._line(painter, 12, self.unit.name, font(NORMAL + 0.5, bold=True), "ink", wide)
        measured = self._label is None and self._summary is not None
        kind = f"{self.unit.kind} · {self._short_claim()}" if self._label is not None else self.unit.kind
        kind = f"{self.unit.kind} · {self.unit.printed}" if measured else kind
        self._line(painter, 34, kind, font(SMALL), "quiet", wide)
        if self._label is None or not self.has_bar or not self._label.charge_ah:
            for number, line in enumerate(self._two_lines(self.measured() if measured else self.unit.printed, wide)):
                self._line(painter, 56 + 17 * number, line, font(SMALL + 0.5), "ink", wide)
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
    def _two_lines(text: str, wide: float) -> list[str]:
        """Broken once, between words; what is still too long is elided where it is drawn."""
        metrics, words = QFontMetricsF(font(SMALL + 0.5)), text.split(" ")
        fits = next((k for k in range(len(words), 0, -1) if metrics.horizontalAdvance(" ".join(words[:k])) <= wide), 1)
        return [line for line in (" ".join(words[:fits]), " ".join(words[fits:])) if line]

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
