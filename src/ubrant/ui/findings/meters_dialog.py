"""The meters of a run that was kept: which one was where, and how good it is. Known late is known in time: all that was found is judged anew by it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.usual_meters import USUAL, UsualMeter, as_usual, still_assumed
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.wording import say
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, mark_amiss, row
from ubrant.ui.widgets.plain_field import plain_field

_UNITS = ("V", "A", "W")
_HINTS = {"V": "0.5 % + 2 digits of 10 mV", "A": "1.5 % + 3 digits of 10 mA", "W": "1 % + 0.5 W"}


class _OneTap:
    """The row of one tap: what it was, what it is to be, and the three accuracies."""

    def __init__(self, tap: str, meter: Meter, shelf: Sequence[Meter]) -> None:
        self.tap, self.meter = tap, meter
        self.choice = Choice(say("Meter at the {tap}", tap=tap))
        self.choice.addItem(meter.name or say("not named"), meter)
        for other in shelf:
            if not other.is_same(meter):
                self.choice.addItem(other.name, other)
        for usual in USUAL:
            self.choice.addItem(say("as good as {kind} (assumed)", kind=say(usual.kind)), usual)
        self.fields = {unit: plain_field(say("± of its {unit} at the {tap}", unit=unit, tap=tap), hint=_HINTS[unit]) for unit in _UNITS}
        self._show(meter)
        self.choice.activated.connect(lambda _: self._chosen())

    def _chosen(self) -> None:
        """A meter of the shelf with its accuracies, or the usual ones where none was given."""
        wanted = self.choice.currentData()
        self.meter = as_usual(_without(self.meter), wanted) if isinstance(wanted, UsualMeter) else wanted
        self._show(self.meter)

    def _show(self, meter: Meter) -> None:
        for unit, text in _quoted(meter).items():
            self.fields[unit].setText(text)

    def trouble(self) -> str:
        """What is amiss with a field, in a sentence; each is marked."""
        first = ""
        for unit, field in self.fields.items():
            why = ""
            try:
                if field.text().strip():
                    parse_accuracy(field.text(), unit)
            except QuantityError as error:
                why = str(error)
            mark_amiss(field, why)
            first = first or why
        return first

    def made(self) -> Meter:
        """The meter as it is to be; once a person wrote all of its accuracies it is assumed no more."""
        texts = {unit: field.text().strip() for unit, field in self.fields.items()}
        assumed = self.meter.details.assumed
        if texts != _quoted(self.meter):
            assumed = still_assumed(assumed, texts["V"], texts["A"], texts["W"])
        details = replace(self.meter.details, power_accuracy=texts["W"], assumed=assumed)
        return replace(self.meter, voltage_accuracy=texts["V"], current_accuracy=texts["A"], details=details)


class MetersDialog(Dialog):
    """``meters`` are what was chosen, once it was accepted."""

    def __init__(self, meters: Mapping[str, Meter], shelf: Sequence[Meter], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Meters of this run"))
        self.setMinimumWidth(680)
        self.taps = [_OneTap(tap, meter, shelf) for tap, meter in meters.items()]
        self.trouble = Callout("bad")
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(8)
        titles = {"V": self.tr("± of its volts"), "A": self.tr("± of its amperes"), "W": self.tr("± of its watts")}
        for number, one in enumerate(self.taps):
            line = 3 * number
            grid.addWidget(label(self.tr("At the {tap}").format(tap=one.tap), "heading"), line, 0)
            grid.addWidget(one.choice, line, 1, 1, 2)
            for column, unit in enumerate(_UNITS):
                grid.addWidget(label(titles[unit], "quiet"), line + 1, column)
                grid.addWidget(one.fields[unit], line + 2, column)
                grid.setColumnStretch(column, 1)
                one.fields[unit].textChanged.connect(lambda _: self._look())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(label(self.tr("Meters of this run"), "title"))
        words = label(
            self.tr(
                "As the manual words it. Not at hand? Choose what it is like: the figures are usual ones, and every answer says that they are assumed."
            ),
            "quiet",
        )
        words.setWordWrap(True)
        layout.addWidget(words)
        layout.addLayout(grid)
        layout.addWidget(self.trouble)
        self.keep = button(self.tr("Judge it by these"), self._accept, "chief")
        layout.addLayout(row(QWidget(), button(self.tr("Leave it"), self.reject), self.keep, stretch=0))

    def meters(self) -> dict[str, Meter]:
        return {one.tap: one.made() for one in self.taps}

    def field(self, tap: str, unit: str) -> QLineEdit:
        return next(one.fields[unit] for one in self.taps if one.tap == tap)

    def _look(self) -> bool:
        trouble = next((t for one in self.taps if (t := one.trouble())), "")
        self.trouble.say("bad", trouble)
        self.keep.setEnabled(not trouble)
        return not trouble

    def _accept(self) -> None:
        if self._look():
            self.accept()


def _quoted(meter: Meter) -> dict[str, str]:
    return {"V": meter.voltage_accuracy, "A": meter.current_accuracy, "W": meter.details.power_accuracy}


def _without(meter: Meter) -> Meter:
    """With no accuracies, to be given others."""
    return replace(meter, voltage_accuracy="", current_accuracy="", details=replace(meter.details, power_accuracy="", assumed=""))
