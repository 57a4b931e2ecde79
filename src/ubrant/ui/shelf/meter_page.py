"""The page of a meter: how sure it is, when it was checked, and what it could answer of what is on the shelf."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QPushButton, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.wording import say
from ubrant.runs.kept.meter_told import HowSure, Settles, checked_when, how_sure, told_of_meter
from ubrant.ui.shelf.found_list import check_line
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.text import in_a_line

_CHECKS, _NAMED = 3, 3
_NO_BREAK = "\N{NO-BREAK SPACE}"


class MeterPage(QWidget):
    """``edit_wanted`` and ``check_wanted`` with the meter; ``wanted`` with a unit's number and the method that answers its question."""

    edit_wanted = pyqtSignal(Meter)
    check_wanted = pyqtSignal(Meter)
    wanted = pyqtSignal(int, str)
    remove_wanted = pyqtSignal(Meter)
    left = pyqtSignal()

    def __init__(self, meter: Meter, settles: Sequence[Settles], now: datetime, *, used: str, may_change: bool) -> None:
        super().__init__()
        self.meter = meter
        self.settles = tuple(settles)
        self._buttons: dict[str, QPushButton] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._say(meter.name, "heading")
        self._say(told_of_meter(meter), "quiet")
        self.edit_button = button(self.tr("Edit"), lambda: self.edit_wanted.emit(meter))
        self.check_button = button(self.tr("Check it …"), lambda: self.check_wanted.emit(meter))
        remove = button(self.tr("Remove"), lambda: self.remove_wanted.emit(meter))
        for one in (self.edit_button, self.check_button, remove):
            one.setEnabled(may_change)
        self._column.addSpacing(4)
        self._column.addLayout(row(self.edit_button, self.check_button, remove))
        self._sure(how_sure(meter, now))
        self._checked(now)
        self._say(used, "quiet")
        self._settles(settles, may_change=may_change)
        self._column.addStretch(1)

    def _say(self, text: str, name: str = "") -> None:
        made = label(text, name)
        made.setWordWrap(True)
        self._column.addWidget(made)

    def _sure(self, sure: Sequence[HowSure]) -> None:
        self._column.addSpacing(10)
        self._say(self.tr("How sure it is"), "heading")
        if not sure:
            self._say(
                self.tr("Nobody said how good it is: what it reads has no ±, and decides nothing. Edit it, and choose what it is like.")
            )
        for one in sure:
            self._say(f"{one.quantity}: {one.told}")
            self._say(f"{3 * _NO_BREAK} ".join(text.replace(" ", _NO_BREAK) for text in one.examples))
            if one.least:
                self._say(one.least, "quiet")
            self._column.addSpacing(4)

    def _checked(self, now: datetime) -> None:
        self._column.addSpacing(8)
        self._say(self.tr("When it was checked"), "heading")
        self._say(checked_when(self.meter, now.date()))
        for check in reversed(self.meter.details.checks[-_CHECKS:]):
            self._say(check_line(check), "quiet")

    def _settles(self, settles: Sequence[Settles], *, may_change: bool) -> None:
        self._column.addSpacing(8)
        self._say(self.tr("What it could answer"), "heading")
        if not settles:
            self._say(self.tr("No open question of what is on the shelf can be answered by it alone."), "quiet")
        for one in settles:
            asked = label(say(one.enquiry.text))
            asked.setWordWrap(True)
            told = label(f"{_named([unit.name for unit in one.units])} · {one.way.title}: {one.way.how.effort()}", "quiet")
            told.setWordWrap(True)
            measure = button(self.tr("Measure"), partial(self._measure, one))
            measure.setAccessibleName(self.tr("Measure: {asked}").format(asked=asked.text()))
            measure.setEnabled(may_change)
            self._buttons[one.enquiry.key] = measure
            both = QVBoxLayout()
            both.setSpacing(1)
            both.addWidget(asked)
            both.addWidget(told)
            inside = row(measure)
            inside.insertLayout(0, both, 1)
            self._column.addLayout(inside)
            self._column.addSpacing(4)

    def _measure(self, one: Settles) -> None:
        """At once where it is open of one unit; else each by its name."""
        if len(one.units) == 1:
            self.wanted.emit(one.units[0].id, one.way.entry.key)
            return
        at = self._buttons[one.enquiry.key]
        self.menu_of(one).exec(at.mapToGlobal(at.rect().bottomLeft()))

    def menu_of(self, one: Settles) -> QMenu:
        menu = QMenu(self)
        for unit in one.units:
            if (action := menu.addAction(in_a_line(unit.name))) is not None:
                action.triggered.connect(partial(self.wanted.emit, unit.id, one.way.entry.key))
        return menu


def _named(names: Sequence[str]) -> str:
    shown = ", ".join(names[:_NAMED])
    return shown if len(names) <= _NAMED else say("{shown} and {n} more", shown=shown, n=len(names) - _NAMED)
