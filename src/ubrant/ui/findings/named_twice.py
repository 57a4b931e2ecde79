"""The question whether a number that stands twice at one place was another place's: one answer for all rows of a kind, taken back with one undo."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.named_twice import CHECKED, Twice, moved, named_twice
from ubrant.logbook.records import Run, StoredJot
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.typed.edits import RowChange
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button, row


class NamedTwice(QWidget):
    """Hidden where nothing is to be asked."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self.question = Callout("caution")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.question)
        self._asked: tuple[Run, list[StoredJot], Twice] | None = None
        layout.addLayout(row(button(self.tr("Yes"), self._move), button(self.tr("No, it is as it stands"), self._leave)))
        self.hide()

    def show_run(self, run: Run) -> None:
        jots = [jot for jot in self._bench.logbook.jots(run.id) if jot.jotting is not None]
        asked = [one for one in named_twice(self._entries(jots), _columns(run)) if one.other is not None]
        is_open = bool(asked) and CHECKED not in run.head.conditions.checked and not self._bench.logbook.read_only
        self.setVisible(is_open)
        self._asked = (run, jots, asked[0]) if is_open else None
        self.question.say("caution", asked[0].sentence() if is_open else "")

    @staticmethod
    def _entries(jots: list[StoredJot]) -> list[TimedLine]:
        return [TimedLine(jot.time_s, jot.jotting) for jot in jots if jot.jotting is not None]

    def _move(self) -> None:
        if self._asked is None:
            return
        run, jots, twice = self._asked
        changes = [
            RowChange(jot.time_s, moved(jot.jotting, twice), jot.id)
            for k, jot in enumerate(jots)
            if k in twice.rows and jot.jotting is not None
        ]
        self._bench.edit_typed(run, changes, self.tr("whose number it was"))

    def _leave(self) -> None:
        if self._asked is not None:
            run, conditions = self._asked[0], self._asked[0].head.conditions
            self._bench.tell(
                run.under(conditions=replace(conditions, checked=(*conditions.checked, CHECKED))), self.tr("what is known of it")
            )


def _columns(run: Run) -> tuple[tuple[str, str], ...]:
    try:
        hand = method_of(run.method).hand_of(run.head)
    except UnknownMethodError:
        return ()
    return tuple(hand.columns) if hand is not None else ()
