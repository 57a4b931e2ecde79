"""A certificate of a meter, typed off the paper: when, by whom, what there was and what it showed."""

from __future__ import annotations

from datetime import date

from PyQt6.QtWidgets import QCheckBox, QPlainTextEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.certificates import MeterCheck, certified, read_found
from ubrant.core.quantities.quantity import QuantityError, plain, unit_in_words
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.text import in_a_line


class CertificateDialog(Dialog):
    """``made`` is the certificate once it was accepted."""

    def __init__(self, name: str, today: date, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.made: MeterCheck | None = None
        self._today = today
        self.setWindowTitle(in_a_line(self.tr("A certificate of {name}").format(name=name or self.tr("this meter"))))
        self.resize(520, 420)
        self.day = plain_field(self.tr("Its date"), hint="2026-05-01")
        self.by = plain_field(self.tr("Issued by, or the reference used"))
        self.number = plain_field(self.tr("Its number"))
        self.quantity = Choice(self.tr("Quantity"))
        for unit in "VAW":
            self.quantity.addItem(unit_in_words(unit), unit)
        self.points = QPlainTextEdit()
        self.points.setAccessibleName(self.tr("What there was, what it showed, ±"))
        self.adjusted = QCheckBox(self.tr("It was adjusted afterwards: from then on it is as its maker says"))
        self.note = Callout("plain")
        self.keep_button = button(self.tr("Add the certificate"), self.accept, "chief")
        layout = QVBoxLayout(self)
        for title, field in (
            (self.tr("Date"), self.day),
            (self.tr("Issued by, or the reference used"), self.by),
            (self.tr("Number"), self.number),
        ):
            layout.addWidget(label(title))
            layout.addWidget(field)
        layout.addLayout(row(label(self.tr("What was found, in")), self.quantity, stretch=1))
        layout.addWidget(label(self.tr("A line each: what there was, what it showed, and the ± of the certificate."), "quiet"))
        layout.addWidget(self.points, 1)
        layout.addWidget(self.adjusted)
        layout.addWidget(self.note)
        layout.addLayout(row(self.keep_button, button(self.tr("Leave it"), self.reject)))
        for field in (self.day, self.by, self.number):
            field.textChanged.connect(self._look)
        self.points.textChanged.connect(self._look)
        self.quantity.currentIndexChanged.connect(lambda _: self._look())
        self.adjusted.toggled.connect(lambda _: self._look())
        self._look()

    def _look(self) -> None:
        unit = str(self.quantity.currentData())
        self.points.setPlaceholderText(f"1.000 {unit} 1.004 {unit} ± 2 m{unit}\n10.000 {unit} 10.023 {unit} ± 4 m{unit}")
        self.made = None
        self.keep_button.setEnabled(False)
        if not self.points.toPlainText().strip():
            self.note.say("plain", "")
            return
        if trouble := self._day_trouble():
            self.note.say("bad", trouble)
            return
        try:
            found = read_found(self.points.toPlainText(), unit)
        except QuantityError as error:
            self.note.say("bad", str(error))
            return
        by = self.by.text().strip() or self.tr("certificate")
        made = certified(found, unit, self.day.text().strip(), by, self.number.text().strip(), adjusted=self.adjusted.isChecked())
        told = self.tr("It showed {off} % {side} at {at} {unit}.").format(
            off=plain(abs(made.percent), 3),
            side=self.tr("too much") if made.off > 0 else self.tr("too little"),
            at=plain(made.at, 4),
            unit=unit,
        )
        if not made.adjusted:
            told += self.tr(" Corrected: × {gain} {zero} {unit}; good for ± ({accuracy}) on that day.").format(
                gain=plain(made.gain, 5), zero=f"{made.zero:+.4g}", unit=unit, accuracy=made.accuracy
            )
        self.note.say("plain", told)
        self.made = made
        self.keep_button.setEnabled(True)

    def _day_trouble(self) -> str:
        text = self.day.text().strip()
        try:
            day = date.fromisoformat(text)
        except ValueError:
            return self.tr("“{day}” is no day: write it like 2026-05-01.").format(day=text) if text else self.tr("Which day is it of?")
        if day > self._today:
            return self.tr("{day} is still to come.").format(day=text)
        return ""
