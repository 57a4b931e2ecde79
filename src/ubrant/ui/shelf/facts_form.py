"""What else is known of a unit: serial number, price, size, connectors, tags; folded away until it is wanted."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.unit import UnitFacts, parse_peak, parse_price, parse_tags, parse_volume
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.ui.widgets.forms import Beneath, button, label, mark_amiss


class FactsForm(QWidget):
    """A few fields beneath a link that opens them."""

    changed = pyqtSignal()

    def __init__(self, facts: UnitFacts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.trouble = ""
        litres = f"{plain(facts.volume_l)} l" if facts.volume_l is not None else ""
        self.serial = self._field(self.tr("Serial number"), facts.serial, self.tr("as it stands on it"))
        self.tags = self._field(self.tr("Tags"), ", ".join(facts.tags), self.tr("blower, spring show"))
        self.price = self._field(self.tr("Price"), facts.price, "39.90 €")
        self.volume = self._field(self.tr("Size"), litres, self.tr("2.4 l, or 20 × 12 × 10 cm"))
        self.connectors = self._field(self.tr("Connectors"), facts.connectors, self.tr("ring terminals, barrel 5.5 × 2.1"))
        self.peak = self._field(self.tr("Gives for a moment"), facts.peak, self.tr("600 W for 3 s"))
        self.apart = self._field(self.tr("What may not be used together"), facts.apart, self.tr("12 V output while charging"))
        self.fold = button(self.tr("Serial number, tags, price, size …"), self._open, "link")
        self.fold.setAutoDefault(False)
        self._inside = QWidget()
        column = QVBoxLayout(self._inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for field in (self.serial, self.tags, self.price, self.volume, self.connectors, self.peak, self.apart):
            column.addWidget(label(field.accessibleName()))
            column.addWidget(field)
            if field in (self.price, self.volume, self.peak):
                column.addWidget(Beneath(field))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.fold)
        layout.addWidget(self._inside)
        self._inside.setVisible(facts != UnitFacts())
        self.fold.setVisible(facts == UnitFacts())

    def facts(self) -> UnitFacts:
        """What stands there; only to be asked while there is no trouble."""
        return UnitFacts(
            " ".join(self.serial.text().split()),
            parse_price(self.price.text()),
            parse_volume(self.volume.text()),
            " ".join(self.connectors.text().split()),
            parse_tags(self.tags.text()),
            self.peak.text().strip(),
            " ".join(self.apart.text().split()),
        )

    def _field(self, name: str, text: str, hint: str) -> QLineEdit:
        field = QLineEdit(text)
        field.setAccessibleName(name)
        field.setPlaceholderText(hint)
        field.textChanged.connect(self._look)
        return field

    def _open(self) -> None:
        self._inside.show()
        self.fold.hide()
        self.serial.setFocus()

    def _look(self) -> None:
        self.trouble = ""
        for field, read in ((self.price, parse_price), (self.volume, parse_volume), (self.peak, parse_peak)):
            said = ""
            try:
                read(field.text())
            except QuantityError as error:
                said = str(error)
            mark_amiss(field, said)
            self.trouble = self.trouble or said
        self.changed.emit()
