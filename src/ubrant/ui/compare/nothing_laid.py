"""Compare before two runs lie side by side: what it is for, a picture of one, and pairs that are worth it."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from ubrant.runs.studies.worth_comparing import WorthComparing
from ubrant.ui.widgets.forms import button, clear, label
from ubrant.ui.widgets.theme import NORMAL, SMALL, color, font

_DOTS = 60
_LONGER, _SHORTER, _DROP = 0.93, 0.80, 0.55
"""Of the picture's width: where each curve ends; of its height: what they fall by until then."""


class Sketch(QWidget):
    """Two curves and what lies between their ends, drawn by hand: of nothing that was measured."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(360, 170)
        self.setMaximumHeight(300)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("An example: two discharges, one longer by 2.1 ± 0.3 Ah"))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(28, 24, -20, -58)
        painter.fillRect(self.rect(), color("paper"))
        painter.setPen(QPen(color("ink"), 1))
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        painter.drawLine(room.bottomLeft(), room.topLeft())
        for ends, tint, style in ((_LONGER, "voltage", Qt.PenStyle.SolidLine), (_SHORTER, "current", Qt.PenStyle.DashLine)):
            painter.setPen(QPen(color(tint), 2.4, style))
            painter.drawPolyline(QPolygonF([self._point(room, ends, k / _DOTS) for k in range(_DOTS + 1)]))
        self._draw_difference(painter, room)
        painter.setFont(font(SMALL))
        painter.setPen(color("quiet"))
        painter.drawText(
            QRectF(self.rect()).adjusted(10, 4, -10, -4), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, self.tr("an example")
        )

    @staticmethod
    def _point(room: QRectF, ends: float, along: float) -> QPointF:
        """Flat for long, then over the edge."""
        fallen = 0.12 * along + (_DROP + 0.25) * math.pow(along, 14)
        return QPointF(room.left() + room.width() * ends * along, room.top() + room.height() * (0.08 + fallen))

    def _draw_difference(self, painter: QPainter, room: QRectF) -> None:
        one, other = self._point(room, _SHORTER, 1.0), self._point(room, _LONGER, 1.0)
        y = room.bottom() + 12
        painter.setPen(QPen(color("quiet"), 1, Qt.PenStyle.DotLine))
        for end in (one, other):
            painter.drawLine(end, QPointF(end.x(), y))
        painter.setPen(QPen(color("ink"), 1.4))
        painter.drawLine(QPointF(one.x(), y), QPointF(other.x(), y))
        painter.setFont(font(NORMAL, bold=True))
        words = QRectF(other.x() - 260, y + 4, 260, 26)
        painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.tr("2.1 ± 0.3 Ah more: it is real"))


class NothingLaid(QWidget):
    """``laid`` is called with the pair of runs that was picked."""

    def __init__(self, laid: Callable[[tuple[int, int]], None]) -> None:
        super().__init__()
        self._laid = laid
        self._pairs = QVBoxLayout()
        self._pairs.setSpacing(6)
        self._worth = label(self.tr("Worth a look"), "heading")
        what = label(
            self.tr(
                "Which of two is better, is one older than it was, did the mend help? Lay two runs of one test side by side:"
                " Ubrant says how far they are apart, how sure that is (what their meters share cancels), and what else was not alike."
            )
        )
        what.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(what)
        layout.addWidget(Sketch(), 6)
        layout.addWidget(self._worth)
        layout.addLayout(self._pairs)
        layout.addStretch(1)

    def offer(self, pairs: list[WorthComparing]) -> None:
        """Pairs to be picked; without any, how there come to be some."""
        clear(self._pairs)
        for pair in pairs:
            self._pairs.addWidget(button(pair.sentence, partial(self._laid, pair.runs), "fold"))
        if not pairs:
            self._pairs.addWidget(
                label(
                    self.tr(
                        "Nothing here was tested twice yet, and no two of a kind. “Same again …” (Ctrl+R) in Findings makes a second run."
                    ),
                    "quiet",
                )
            )
