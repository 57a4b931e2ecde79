"""Changes to what a person typed: a line added, replaced, taken out, several at once; each can be taken back and done again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from ubrant.core.quantities.jot import TypedLine
from ubrant.core.record.jot_text import line_of
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredJot

if TYPE_CHECKING:
    from ubrant.runs.typed.typed_session import Session


@dataclass(frozen=True)
class RowChange:
    """A row at its time; ``replaces`` is the number of the one that it stands for from now on, 0 for none. Without a row that one is taken out."""

    time_s: float
    jotting: TypedLine | None
    replaces: int = 0


class Edits:
    """Changes that belong together. A line keeps its number however often it is undone and done again, so that later changes know it."""

    def __init__(self, logbook: Logbook, run: Run, changes: Sequence[RowChange], session: Session | None = None) -> None:
        self._logbook, self._run, self._changes, self._session = logbook, run, tuple(changes), session
        self.ids: list[int] = []

    def do(self) -> None:
        """Make them, or make them again.

        Raises
        ------
        LogbookError
            They cannot be kept; then none is.
        """
        stamp = datetime.now(UTC).isoformat(timespec="seconds")
        again = bool(self.ids)
        with self._logbook.together():
            for place, change in enumerate(self._changes):
                if change.jotting is None:
                    self._logbook.count_jot(change.replaces, counts=False)
                    made = change.replaces
                elif again:
                    made = self.ids[place]
                    self._logbook.count_jot(made, counts=True, replaces=change.replaces)
                else:
                    row = StoredJot(change.time_s, line_of(change.jotting), stamp, data=change.jotting)
                    made = self._logbook.add_jot(self._run.id, row, change.replaces or None)
                if not again:
                    self.ids.append(made)
        self._look()

    def undo(self) -> None:
        """As it was before."""
        with self._logbook.together():
            for made, change in reversed(list(zip(self.ids, self._changes, strict=True))):
                if change.jotting is None:
                    self._logbook.count_jot(made, counts=True)
                else:
                    self._logbook.count_jot(made, counts=False, replaces=change.replaces)
        self._look()

    def _look(self) -> None:
        """A run that is going on has its lines as the logbook has them."""
        if self._session is None:
            return
        for number in {*self.ids, *(change.replaces for change in self._changes if change.replaces)}:
            row = self._logbook.jot(number)
            self._session.live.jot_is(number, None if row is None or row.jotting is None else (row.time_s, row.jotting))
        self._session.relook()
