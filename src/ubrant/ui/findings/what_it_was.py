"""*What was it?* of a run that was begun with readings alone: its unit, the method that fits, the meter."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.logbook.records import Run
from ubrant.methods.method import MethodError
from ubrant.methods.registry import MethodEntry
from ubrant.runs.afterwards.what_it_was import fitting, named
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, label


class WhatItWas(QWidget):
    """Asked afterwards; nothing is typed twice, and it can be taken back."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        self._run: Run | None = None
        self._record: Record | None = None
        self._fits: list[MethodEntry] = []
        self.unit, self.method, self.meter = Choice(self.tr("Of what")), Choice(self.tr("What it was")), Choice(self.tr("Read off"))
        self.trouble = Callout("bad")
        self.keep = button(self.tr("It was that"), self._keep, "chief")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label(self.tr("What was it?"), "heading"))
        for box in (self.unit, self.method, self.meter):
            layout.addWidget(box)
        layout.addWidget(self.trouble)
        layout.addWidget(self.keep)
        self.unit.currentIndexChanged.connect(lambda _: self._offer_methods())

    def show_run(self, run: Run, record: Record) -> None:
        self._run, self._record = run, record
        self.trouble.say("bad", "")
        for box, things in ((self.unit, self._bench.logbook.units()), (self.meter, self._bench.logbook.meters())):
            box.blockSignals(True)
            box.clear()
            for thing in things:
                box.addItem(thing.name, thing.id)
            box.blockSignals(False)
        self.unit.setCurrentIndex(max(0, self.unit.findData(self._bench.unit_id)) if self.unit.count() else -1)
        self._offer_methods()
        if not self.unit.count():
            self.trouble.say("caution", self.tr("Put it on the shelf first: its label says what it can be judged by."))

    def _offer_methods(self) -> None:
        unit_id = self.unit.currentData()
        unit = self._bench.logbook.unit(unit_id) if unit_id else None
        self._fits = fitting(self._record, unit) if unit is not None and self._record is not None else []
        self.method.clear()
        for entry in self._fits:
            self.method.addItem(say(entry.title), entry.key)
        self.keep.setEnabled(bool(self._fits))
        none = self.tr("Nothing that was read there is of such a thing: choose another, or mend the places in the table.")
        self.trouble.say("caution", none if unit is not None and not self._fits else "")

    def _keep(self) -> None:
        if self._run is None or not self._fits:
            return
        logbook = self._bench.logbook
        meter = next((m for m in logbook.meters() if m.id == self.meter.currentData()), None)
        entry = self._fits[max(0, self.method.currentIndex())]
        try:
            head, unit_id = named(logbook, self._run, logbook.unit(self.unit.currentData()), entry, meter)
        except MethodError as error:
            self.trouble.say("bad", str(error))
            return
        self._bench.tell(replace(self._run, told=head, method=head.method, unit_id=unit_id), self.tr("what it was"))
