"""An empty shelf: what have you got, and what do you want to know? From a label to a test on one page."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.unit import KINDS, WITH_CAPACITY, Unit, kind_by_label
from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.wording import say
from ubrant.runs.kept.answer_sheet import answer_sheet
from ubrant.ui.shelf.answers import AnswersView
from ubrant.ui.widgets.forms import Beneath, Choice, button, label, mark_amiss, row

_WIDEST = 760
_EXAMPLES = {
    "battery": "12 V 45 Ah lead-acid",
    "bank": "20 000 mAh / 74 Wh",
    "station": "512 Wh; 230 V 300 W",
    "converter": "12 V to 5 V, 3 A",
    "inverter": "12 V to 230 V, 300 W",
    "charger": "100-240 V to 14.6 V, 10 A",
    "load": "12 V, 45 W",
    "source": "60 W panel, 18 V",
    "lead": "15 A fuse",
}
"""A label of each kind."""


class FirstStart(QWidget):
    """``begun`` says the unit and the method by which its question is to be answered."""

    begun = pyqtSignal(Unit, str)
    tried, imported, demo = pyqtSignal(), pyqtSignal(), pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMaximumWidth(_WIDEST)
        self.label_text, self.name = QLineEdit(), QLineEdit()
        self.label_text.setAccessibleName(self.tr("Label"))
        self.name.setAccessibleName(self.tr("Name"))
        self.kind = Choice(self.tr("Kind"))
        for kind in KINDS:
            self.kind.addItem(say(kind), kind)
        self.read = label("", "quiet")
        self.answers = AnswersView()
        self.try_it = button(self.tr("Try it: test a simulated pack"), self.tried.emit)
        self._kind_is_chosen = False
        self._build()
        self.kind.activated.connect(lambda _: self._choose_kind())
        self.label_text.textEdited.connect(self._guess_kind)
        self.label_text.textChanged.connect(lambda _: self.look())
        self.label_text.returnPressed.connect(self._to_questions)
        self.name.textChanged.connect(lambda _: self.look())
        self.answers.wanted.connect(self._begin)

    def _build(self) -> None:
        self.label_text.setMinimumWidth(300)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addWidget(label(self.tr("1  What have you got?"), "heading"))
        layout.addLayout(row(self.label_text, self.kind, self.name, stretch=0))
        layout.addWidget(Beneath(self.label_text))
        layout.addWidget(self.read)
        layout.addSpacing(4)
        layout.addWidget(label(self.tr("2  What do you want to know?"), "heading"))
        layout.addWidget(self.answers)
        layout.addSpacing(4)
        layout.addWidget(label(self.tr("3  Ubrant asks for the readings it takes, in their order"), "heading"))
        layout.addWidget(
            label(
                self.tr(
                    "With whatever meters you have, typed off their displays. Say how accurate they are (below), and every answer has its ±."
                ),
                "quiet",
            )
        )
        layout.addSpacing(10)
        links = (
            self.try_it,
            button(self.tr("Import logs …"), self.imported.emit),
            button(self.tr("Look at the demo logbook"), self.demo.emit),
        )
        layout.addLayout(row(*links, QWidget(), stretch=len(links)))

    def unit(self) -> Unit:
        """As it stands there; called by its kind where nobody named it."""
        kind = str(self.kind.currentData())
        return Unit(self.name.text().strip() or self._usual_name(), kind, self.label_text.text().strip())

    def _usual_name(self) -> str:
        return say(str(self.kind.currentData())).capitalize()

    def _choose_kind(self) -> None:
        self._kind_is_chosen = True
        self.look()

    def _guess_kind(self, text: str) -> None:
        """As the label says it, until a person has chosen."""
        if not self._kind_is_chosen:
            self.kind.setCurrentIndex(self.kind.findData(kind_by_label(text)))

    def look(self) -> None:
        """What its label is read as, and what people ask of such a thing."""
        unit, trouble, read = (
            self.unit(),
            "",
            self.tr("A battery, a bank, an inverter, a converter, a charger, an appliance: anything with a label."),
        )
        self.label_text.setPlaceholderText(self.tr("what is printed on it: {example}").format(example=_EXAMPLES[unit.kind]))
        self.name.setPlaceholderText(self.tr("call it “{name}”").format(name=self._usual_name()))
        if unit.label_text and unit.kind in WITH_CAPACITY:
            try:
                found = parse_label(unit.label_text)
            except (LabelError, QuantityError) as error:
                trouble = str(error)
            else:
                read = self.tr("Read as {summary}.").format(summary=found.summary()) + "".join(
                    f" {g}" for g in (*found.guesses, *found.queries)
                )
        elif unit.label_text:
            read = self.tr("Taken for: {kind}. Choose another kind where that is wrong.").format(kind=say(unit.kind))
        mark_amiss(self.label_text, trouble)
        self.read.setText(read)
        may = bool(unit.label_text) and not trouble
        such = unit if may else replace(unit, label_text=_EXAMPLES[unit.kind])  # what is asked of such a thing, until its label says more
        rows = [one for one in answer_sheet(such, (), lambda _: None, datetime.now(UTC)) if one.ways]
        self.answers.show_rows(-1 - KINDS.index(unit.kind), rows, None, (), may_measure=may)

    def _to_questions(self) -> None:
        """On to what can be asked, by Enter."""
        entries = self.answers.entries()
        if entries and entries[0].button.isEnabled():
            entries[0].button.setFocus(Qt.FocusReason.TabFocusReason)

    def _begin(self, method: str) -> None:
        unit = self.unit()
        for field in (self.label_text, self.name):
            field.clear()
        self._kind_is_chosen = False
        self.begun.emit(unit, method)
