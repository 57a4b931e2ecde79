"""Enter a unit from its label, or edit one. The label is read while it is typed, and questioned where it is odd."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.unit import KINDS, WITH_CAPACITY, Unit, kind_by_label
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import RESTS_AT, LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.ui.shelf.facts_form import FactsForm
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Beneath, Choice, QuantityField, button, label, mark_amiss, row


class UnitForm(QWidget):
    """Emits ``kept`` with the unit as it was entered."""

    kept = pyqtSignal(Unit)
    left = pyqtSignal()

    def __init__(self, unit: Unit | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._unit = unit or Unit("", "battery")
        self.name = QLineEdit(self._unit.name)
        self.name.setPlaceholderText(self.tr("Dome pack A"))
        self.name.setAccessibleName(self.tr("Name"))
        self.kind = Choice(self.tr("Kind"))
        self.kind.addItems(KINDS)
        self.kind.setCurrentText(self._unit.kind)
        self.label_text = QLineEdit(self._unit.printed)
        self.label_text.setPlaceholderText("50 Ah 12.8 V LiFePO4")
        self.label_text.setAccessibleName(self.tr("Label"))
        self.chemistry = Choice(self.tr("Chemistry"))
        self.chemistry.addItem(self.tr("as the label says"), None)
        for kind in CHEMISTRIES.values():
            self.chemistry.addItem(kind.name, kind.key)
        self.chemistry.setCurrentIndex(max(0, self.chemistry.findData(self._unit.chemistry)))
        self.chart = QLineEdit(self._unit.label_text.partition(RESTS_AT)[2])
        self.chart.setPlaceholderText(self.tr("the usual one, or 12.73 V 100 %, 12.50 V …"))
        self.chart.setAccessibleName(self.tr("Its own chart of resting volts"))
        self.max_current = QuantityField("A", self.tr("Largest current"), may_be_empty=True)
        if self._unit.max_current_a:
            self.max_current.setText(f"{plain(self._unit.max_current_a)} A")
        self.max_current.setPlaceholderText(self.tr("if its maker names one"))
        self.note = QPlainTextEdit(self._unit.note)
        self.note.setMaximumHeight(60)
        self.note.setTabChangesFocus(True)
        self.note.setAccessibleName(self.tr("Note"))
        self.more = FactsForm(self._unit.facts)
        self._read = label("", "quiet")
        self._queries = Callout("caution")
        self._keep = button(self.tr("Keep it"), self._emit, "chief")
        self._build()
        for signal in (
            self.name.textChanged,
            self.label_text.textChanged,
            self.chart.textChanged,
            self.kind.currentTextChanged,
            self.chemistry.currentIndexChanged,
            self.max_current.changed,
            self.more.changed,
        ):
            signal.connect(self._look)
        self._kind_is_chosen = bool(self._unit.id)
        self.kind.activated.connect(lambda _: self._choose_kind())
        self.label_text.textEdited.connect(self._guess_kind)
        self.label_text.returnPressed.connect(self._emit)
        self.name.returnPressed.connect(self.label_text.setFocus)
        self._look()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        heading = self.tr("Edit {name}").format(name=self._unit.name) if self._unit.id else self.tr("Add a unit")
        layout.addWidget(label(heading, "heading"))
        rows: tuple[tuple[str, QWidget], ...] = (
            (self.tr("Name"), self.name),
            (self.tr("Kind"), self.kind),
            (self.tr("What its label says, as it is printed"), self.label_text),
            ("", self._read),
            ("", self._queries),
            (self.tr("Kind of cell"), self.chemistry),
            (self.tr("Volts at rest and what is left then"), self.chart),
            (self.tr("Largest current"), self.max_current),
            (self.tr("Note"), self.note),
            ("", self.more),
        )
        for title, field in rows:
            if title:
                layout.addSpacing(5)
                layout.addWidget(label(title))
            layout.addWidget(field)
            if field in (self.label_text, self.max_current):
                assert isinstance(field, QLineEdit)
                layout.addWidget(Beneath(field))
        layout.addSpacing(8)
        layout.addLayout(row(self._keep, button(self.tr("Leave it"), self.left.emit)))
        layout.addStretch(1)

    def _choose_kind(self) -> None:
        self._kind_is_chosen = True

    def _guess_kind(self, text: str) -> None:
        """As the label says it, until a person has chosen."""
        if not self._kind_is_chosen:
            self.kind.setCurrentText(kind_by_label(text))

    def read_as(self) -> str:
        """What was understood of the label, as shown."""
        return self._read.text()

    def queries(self) -> str:
        return self._queries.text()

    def _look(self) -> None:
        """Read what is there so far and say what it means."""
        text = self._whole_label()
        trouble, read, queries = "", "", ""
        if self.kind.currentText() in WITH_CAPACITY:
            try:
                label = parse_label(text, self.chemistry.currentData())
            except (LabelError, QuantityError) as error:
                trouble = str(error) if text else ""
            else:
                read = self.tr("Read as {summary}.").format(summary=label.summary()) + "".join(f" {g}" for g in label.guesses)
                if label.unread:
                    read += self.tr(" Not understood: “{words}”.").format(words=label.unread)
                queries = "\n".join(label.queries)
        self._read.setText(read)
        self._queries.say("caution", queries)
        mark_amiss(self.label_text, trouble)
        needs_label = self.kind.currentText() in WITH_CAPACITY
        self._keep.setEnabled(
            bool(self.name.text().strip())
            and not (trouble or self.max_current.trouble or self.more.trouble)
            and bool(text or not needs_label)
        )

    def _whole_label(self) -> str:
        """What is printed, and the person's own chart behind it."""
        printed, chart = self.label_text.text().strip(), self.chart.text().strip()
        return f"{printed}{RESTS_AT}{chart}" if chart and self.kind.currentText() in WITH_CAPACITY else printed

    def _emit(self) -> None:
        if not self._keep.isEnabled():
            return
        self.kept.emit(
            replace(
                self._unit,
                name=self.name.text().strip(),
                kind=self.kind.currentText(),
                label_text=self._whole_label(),
                chemistry=self.chemistry.currentData(),
                max_current_a=self.max_current.value(),
                note=self.note.toPlainText().strip(),
                facts=self.more.facts(),
            )
        )
