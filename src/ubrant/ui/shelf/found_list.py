"""What a meter was found to be: its checks and certificates, the newest first, and what they come to today."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.equipment.certificates import CERTIFICATE, MeterCheck, in_order
from ubrant.core.meter_checks.checks import control_chart
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say
from ubrant.ui.widgets.forms import button, clear, label, row
from ubrant.ui.widgets.plot import PlotView

_SHOWN = 6


class FoundList(QWidget):
    """``changed`` when one was left out."""

    changed = pyqtSignal()

    def __init__(self, checks: Sequence[MeterCheck], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.checks = tuple(checks)
        self.chart = PlotView()
        self.chart.setMinimumHeight(150)
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._lines.setSpacing(2)
        self._show()

    def add(self, check: MeterCheck) -> None:
        self.checks = in_order((*self.checks, check))
        self._show()
        self.changed.emit()

    def _leave_out(self, check: MeterCheck) -> None:
        self.checks = tuple(one for one in self.checks if one is not check)
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        self.chart.setParent(None)
        clear(self._lines)
        for check in reversed(self.checks[-_SHOWN:]):
            leave = button(self.tr("leave out"), partial(self._leave_out, check), "link")
            leave.setAccessibleName(self.tr("Leave out: {check}").format(check=check_line(check)))
            words = label(check_line(check))
            words.setWordWrap(True)
            self._lines.addLayout(row(words, leave, stretch=0))
        if len(self.checks) > _SHOWN:
            self._lines.addWidget(label(self.tr("and {count} before").format(count=len(self.checks) - _SHOWN), "quiet"))
        drawn = control_chart(self.checks, self.checks[-1].unit) if self.checks else None
        self.chart.setVisible(drawn is not None)
        if drawn is not None:
            self.chart.show_plot(drawn)
            self._lines.addWidget(self.chart)


def check_line(check: MeterCheck) -> str:
    """``2026-05-01: 2.1 ± 0.3 % too much at 10 A, by Bench meter``"""
    u = f" ± {plain(100 * check.u / abs(check.at), 2)}" if check.at else ""
    told = say(
        "{day}: {off}{u} % {side} at {at} {unit}, by {by}",
        day=check.made[:10],
        off=plain(abs(check.percent), 2),
        u=u,
        side=say("too much") if check.off > 0 else say("too little"),
        at=plain(check.at, 3),
        unit=check.unit,
        by=check.against or say("another"),
    )
    told += f" ({check.number})" if check.number else ""
    told += say(", a certificate") if check.kind == CERTIFICATE else ""
    return told + (say("; adjusted then") if check.adjusted else "")
