"""What stands across the window while something may be on: after the end of a run, or from before this start. It goes only by an answer, or by itself once it is off."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.bench.orders import Order
from ubrant.bench.switched_on import SwitchedOn, SwitchedOnLedger
from ubrant.core.quantities.quantity import show_duration
from ubrant.runs.kept.left_on import may_be_on, question
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button
from ubrant.ui.widgets.work import quietly, wait_a_little

if TYPE_CHECKING:
    from ubrant.bench.afterwards import Afterwards

_MOST = 3
_LOOKS_EVERY = 4
"""Beats between two looks into the folder."""


class MayBeOn(QWidget):
    """A callout for each thing. ``settled`` says of which run something was answered."""

    settled = pyqtSignal(int)
    told = pyqtSignal(str)

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self._ledger = bench, SwitchedOnLedger()
        self._beats = 0
        self._asked: dict[str, tuple[SwitchedOn, Callout]] = {}
        self._under_way: set[str] = set()
        self._watch: Afterwards | None = None
        self._shown: tuple[str, str] = ("", "")
        self.after = Callout("plain")
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(1)
        self._layout.addWidget(self.after)
        bench.closing.connect(self._finish)

    def begin(self) -> None:
        """At the start: what the guardian has switched off is said, and everything else is asked."""
        if self._bench.logbook.read_only:
            self.look_into_folder()
            return
        if self._ledger.entries():
            from ubrant.runs.making.still_on import tell_switched_off  # loads the bench

            for sentence in tell_switched_off(self._ledger, self._bench.logbook):
                self._say(sentence)
        self.look_into_folder()

    def look(self) -> None:
        """Twice a second."""
        self._beats += 1
        self._look_after()
        if self._beats % _LOOKS_EVERY == 0:
            self.look_into_folder()

    def look_into_folder(self) -> None:
        if not self._asked and not self._ledger.folder.exists():
            return
        found = {entry.address: entry for entry in may_be_on(self._ledger)[:_MOST]}
        for address in [a for a in self._asked if a not in found]:
            self._drop(address)
        for address, entry in found.items():
            if address not in self._asked:
                self._ask(entry)

    # after the end of a run

    def _look_after(self) -> None:
        watch = self._bench.afterwards
        if watch is not self._watch:
            self._watch, self._shown = watch, ("", "")
        if watch is None or watch.is_over:
            self.after.say("plain", "")
            if watch is not None and watch.said:
                self.told.emit(watch.said)
                watch.said = ""
            return
        progress = watch.progress
        flows = progress.phase == "may be on"
        calm = self.tr("The instruments of the run stay connected for {time}, to see that off stays off.").format(
            time=show_duration(watch.looks_for_s)
        )
        text = f"{progress.notice} {progress.text}".strip() if flows else progress.notice or calm
        if (progress.phase, text) == self._shown:
            return
        self._shown = (progress.phase, text)
        self.after.say("bad" if flows else "plain", text)
        gone = button(self.tr("Disconnected"), partial(watch.order, Order.DONE), "" if flows else "link")
        if flows:
            self.after.offer(button(self.tr("Something else draws this"), partial(watch.order, Order.BESIDES)), gone)
        else:
            self.after.offer(gone)

    # from before this start

    def _ask(self, entry: SwitchedOn) -> None:
        made = Callout("bad")
        self._layout.addWidget(made)
        self._asked[entry.address] = (entry, made)
        self._offer(entry, question(entry))

    def _offer(self, entry: SwitchedOn, text: str, *, agreed: bool = False) -> None:
        made = self._asked[entry.address][1]
        made.say("bad", "")
        made.say("bad", text)
        said = self.tr("Send off all the same") if agreed else self.tr("Switch it off")
        made.offer(
            button(said, lambda: self._switch_off(entry, agreed=agreed)),
            button(self.tr("I looked: it is off"), lambda: self._looked(entry)),
        )

    def _switch_off(self, entry: SwitchedOn, *, agreed: bool) -> None:
        from ubrant.runs.making.still_on import SwitchedOff, switch_off, tell_run

        def done(tried: object) -> None:
            self._under_way.discard(entry.address)
            if not isinstance(tried, SwitchedOff) or entry.address not in self._asked:
                return
            if not tried.is_off:
                self._offer(entry, tried.sentence, agreed=tried.asks_first)
                return
            tell_run(self._bench.logbook, entry, tried)
            self._answered(entry, tried.sentence)

        self._asked[entry.address][1].say("bad", self.tr("Switching {name} off …").format(name=entry.name))
        self._under_way.add(entry.address)
        quietly(self, lambda: switch_off(self._ledger, entry, agreed=agreed), done)

    def _finish(self) -> None:
        """The logbook is about to be closed: what is being switched off is waited for, so that its run is told. Each has a deadline of its own."""
        while self._under_way:
            wait_a_little()

    def _looked(self, entry: SwitchedOn) -> None:
        from ubrant.runs.making.still_on import person_looked, tell_run

        tried = person_looked(self._ledger, entry)
        tell_run(self._bench.logbook, entry, tried)
        self._answered(entry, tried.sentence)

    def _answered(self, entry: SwitchedOn, sentence: str) -> None:
        self._drop(entry.address)
        self.told.emit(sentence)
        self.settled.emit(entry.whose.run)

    def _drop(self, address: str) -> None:
        _, made = self._asked.pop(address)
        self._remove(made)

    def _say(self, sentence: str) -> None:
        made = Callout("good")
        self._layout.addWidget(made)
        made.say("good", sentence)
        made.offer(button(self.tr("Read"), partial(self._remove, made), "link"))

    def _remove(self, made: Callout) -> None:
        self._layout.removeWidget(made)
        made.hide()
        made.deleteLater()
