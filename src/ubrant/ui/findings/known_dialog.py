"""What is known of a run that was kept, to be mended: what it was of, what it was, its plan, what it is judged by, when its load came on, its clock."""

from __future__ import annotations

import contextlib
from dataclasses import replace

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import JotError
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.record.head import Setup
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.method import Prepared
from ubrant.methods.registry import suiting, title_of
from ubrant.runs.afterwards.known_late import (
    LOAD_OFF,
    LOAD_ON,
    can_be_moved,
    edge_moved,
    head_as_known,
    mark_moment,
    said_edges,
    shifted,
    texts_of,
)
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.sheet import clock_at
from ubrant.ui.common.method_form import MethodForm
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, mark_amiss, row, scrolled
from ubrant.ui.widgets.plain_field import plain_field

_DAY_S = 86_400.0
_TITLE = 96
"""As wide as what stands before the fields of a form."""


class KnownDialog(Dialog):
    """``made`` is the run as it is to be, ``changes`` those of its typed rows and ``because`` what became known, once it was accepted."""

    def __init__(self, logbook: Logbook, run: Run, record: Record, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("What is known of this run"))
        self._logbook, self._run, self._record = logbook, run, record
        self._jots = logbook.jots(run.id)
        self.made, self.changes, self.because = run, list[RowChange](), ""
        self._usual: Prepared | None = None
        setup = run.head.setup
        self.unit_box = Choice(self.tr("Of what"))
        self.label_field = plain_field(self.tr("Its label"), hint=self.tr("as it stands on the thing"))
        self.form = MethodForm(kept=run)
        self.on_field = plain_field(self.tr("Load came on"), hint=self.tr("not said"))
        self.off_field = plain_field(self.tr("Load went off"), hint=self.tr("not said"))
        self.clock_field = plain_field(self.tr("All of it later by"), hint=self.tr("+1 h, -12 min"))
        self.trouble, self.caution = Callout("bad"), Callout("caution")
        self.keep = button(self.tr("Judge it by this"), self._accept, "chief")
        self._offer_units(setup)
        self._build()
        self._edges = said_edges(self._jots) if can_be_moved(record) else (None, None)
        for field, moment in zip((self.on_field, self.off_field), self._edges, strict=True):
            field.setText("" if moment is None else clock_at(run, moment, days=self._goes_over_days()))
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(400)
        self._later.timeout.connect(self._show_unit)
        self.unit_box.currentIndexChanged.connect(self._unit_chosen)
        self.label_field.textEdited.connect(lambda _: self._later.start())
        self.form.changed.connect(self._look)
        for field in (self.on_field, self.off_field, self.clock_field):
            field.textChanged.connect(lambda _: self._look())
        self._show_unit()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(self.tr("What is known of this run"), "title"))
        words = label(
            self.tr("What was read stays as it was read. All of it is judged anew, and what it said until now stays to be seen."), "quiet"
        )
        words.setWordWrap(True)
        layout.addWidget(words)
        inside = QWidget()
        inside.setObjectName("ground")
        within = QVBoxLayout(inside)
        within.setContentsMargins(0, 0, 8, 0)
        within.addLayout(_lines((self.unit_box.accessibleName(), self.unit_box), (self.label_field.accessibleName(), self.label_field)))
        within.addWidget(self.form)
        times = [(self.on_field.accessibleName(), self.on_field), (self.off_field.accessibleName(), self.off_field)]
        within.addLayout(_lines(*(times if can_be_moved(self._record) else []), (self.clock_field.accessibleName(), self.clock_field)))
        within.addStretch(1)
        area = scrolled(inside)
        area.setObjectName("ground")
        layout.addWidget(area, 1)
        layout.addWidget(self.caution)
        layout.addWidget(self.trouble)
        layout.addLayout(row(QWidget(), button(self.tr("Leave it"), self.reject), self.keep, stretch=0))
        self.resize(560, 620)

    def _goes_over_days(self) -> bool:
        return any(abs(jot.time_s) > _DAY_S / 2 for jot in self._jots)

    # of what it was

    def _offer_units(self, setup: Setup) -> None:
        units = [u for u in self._logbook.units() if suiting(u)]
        own = setup.unit
        if not any(_is(u, own) for u in units):
            self.unit_box.addItem(self.tr("{name}, as it was then").format(name=own.name) if own.name else self.tr("nobody said"), own)
        for unit in units:
            self.unit_box.addItem(unit.name, unit)
        place = next((k for k in range(self.unit_box.count()) if _is(self.unit_box.itemData(k), own)), 0)
        self.unit_box.setCurrentIndex(place if self.unit_box.count() else -1)
        self.label_field.setText(self._unit().printed)

    def _unit(self) -> Unit:
        """What was chosen, with its label as it stands in the field."""
        chosen = self.unit_box.currentData()
        return chosen if isinstance(chosen, Unit) else self._run.head.setup.unit

    def _unit_chosen(self) -> None:
        self.label_field.setText(self._unit().printed)
        self._show_unit()

    def _show_unit(self) -> None:
        """The form for what was chosen, filled as the run has it."""
        self._later.stop()
        setup, unit = self._run.head.setup, self._unit().with_printed(self.label_field.text())
        self._usual = None
        self.form.offer_batteries([*self._logbook.units(), *(u for u in (setup.battery, setup.device) if u is not None and not u.id)])
        self.form.suggest(unit)
        with contextlib.suppress(ValueError):  # what is lacking is said, as it concerns what is changed
            if suiting(unit):
                self._fill()
        self._look()

    def _fill(self) -> None:
        run = self._run
        self.form.choose_method(run.head.method) if self.form.offers(run.head.method) else None
        self.form.fill_setup(run.head.setup)
        if self.form.method.key == run.head.method:
            self.form.fill(texts_of(run, self.form.method, self.form.asked))
        self._usual = self.form.prepared()

    # what was changed

    def _look(self) -> None:
        """Whether it holds together, said beneath it."""
        if not self.form.has_methods:
            self.caution.say("caution", self.tr("Choose what it was of: nothing is measured of such a thing."))
            self._say(self._make())
            return
        was = title_of(self._run.head.method)
        now = self.form.method
        other = now.key != self._run.head.method
        self.caution.say(
            "caution", self.tr("It was made as “{was}”, and is judged as “{now}” now.").format(was=was, now=say(now.title)) if other else ""
        )
        self._say(self._make())

    def _say(self, trouble: str) -> None:
        self.trouble.say("bad", trouble)
        self.keep.setEnabled(not trouble)

    def _make(self) -> str:
        """The run as it is to be; why it cannot be, in a sentence, empty where it can."""
        run, chosen = self._run, self._unit()
        if self._usual is not None and (trouble := self.form.trouble()):
            return trouble
        try:
            if self._usual is not None:
                head = head_as_known(run, self.form.method, self._usual, self.form.prepared())
            elif _is(chosen, run.head.setup.unit) and self.label_field.text().strip() == chosen.printed:
                head = run.head  # as much as can be known of it
            else:
                return self.form.lacks or self.tr("Nothing is measured of such a thing: choose another.")
            self.changes = [*self._moved(self.on_field, LOAD_ON, self._edges[0]), *self._moved(self.off_field, LOAD_OFF, self._edges[1])]
            made = replace(run, told=head, method=head.method, unit_id=head.setup.unit.id or run.unit_id)
            self.made = shifted(made, self._clock_s())
        except (JotError, QuantityError, ValueError) as error:
            return str(error)
        return ""

    def _moved(self, field: QLineEdit, mark: str, was: float | None) -> list[RowChange]:
        text = field.text().strip()
        mark_amiss(field, "")
        if text == ("" if was is None else clock_at(self._run, was, days=self._goes_over_days())):
            return []
        try:
            moment = mark_moment(text, self._run, self._jots, was or 0.0) if text else None
        except JotError as error:
            mark_amiss(field, str(error))
            raise
        return edge_moved(self._jots, mark, moment)

    def _clock_s(self) -> float:
        text = self.clock_field.text().strip().replace("−", "-")
        mark_amiss(self.clock_field, "")
        if not text:
            return 0.0
        try:
            size = parse_quantity(text.lstrip("+-").strip(), "s")
        except QuantityError as error:
            mark_amiss(self.clock_field, str(error))
            raise
        return -size if text.startswith("-") else size

    def _accept(self) -> None:
        if self._later.isActive():
            self._show_unit()
        self._look()
        if not self.keep.isEnabled():
            return
        before, after = self._run, self.made
        parts = (
            (self.tr("of what it was"), _of_what(before) != _of_what(after)),
            (self.tr("what it was"), before.method != after.method),
            (self.tr("its plan"), dict(before.head.plan) != dict(after.head.plan) and before.method == after.method),
            (self.tr("what it is judged by"), before.head.criteria != after.head.criteria),
            (self.tr("what held then"), before.head.conditions != after.head.conditions),
            (self.tr("its leads"), before.head.setup.leads != after.head.setup.leads),
            (self.tr("what stood beside it"), _beside(before) != _beside(after)),
            (self.tr("between the readings"), before.head.origin.between != after.head.origin.between),
            (self.tr("when the load was on"), bool(self.changes)),
            (self.tr("its clock"), before.started != after.started),
        )
        self.because = ", ".join(text for text, is_other in parts if is_other)
        self.accept()


def _is(unit: Unit, own: Unit) -> bool:
    return unit.name == own.name and unit.label_text == own.label_text


def _of_what(run: Run) -> tuple[object, ...]:
    unit = run.head.setup.unit
    return run.unit_id, unit.name, unit.label_text, unit.chemistry


def _beside(run: Run) -> list[str]:
    return [unit.name for unit in (run.head.setup.battery, run.head.setup.device) if unit is not None]


def _lines(*pairs: tuple[str, QWidget]) -> QGridLayout:
    grid = QGridLayout()
    grid.setColumnStretch(1, 1)
    for number, (title, widget) in enumerate(pairs):
        words = label(title)
        words.setMinimumWidth(_TITLE)
        grid.addWidget(words, number, 0)
        grid.addWidget(widget, number, 1)
    return grid
