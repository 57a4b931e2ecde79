"""What the stages share: the open logbook, what is chosen, the run that is going on. Says by signals what changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from ubrant.bench.clocks import RealClock
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.protocols import Clock
from ubrant.core.quantities.jot import JotError, TypedLine
from ubrant.core.record.head import Conditions
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Photo, Run, StoredDays, StoredOutlook
from ubrant.runs.afterwards.known_late import KnownLate
from ubrant.runs.coming_in.merging import BroughtIn, bring_in, take_out
from ubrant.runs.kept.room import keep_room, put_back
from ubrant.runs.typed.edits import Edits, RowChange
from ubrant.runs.typed.jotting import Taken, take_down
from ubrant.ui.widgets.text import in_a_menu

if TYPE_CHECKING:
    from ubrant.bench.afterwards import Afterwards
    from ubrant.methods.rehearsal import Rehearsal
    from ubrant.runs.coming_in.arriving import Arrivals
    from ubrant.runs.typed.typed_session import Session


class Workbench(QObject):
    """Handed to every stage."""

    shelf_changed = pyqtSignal()
    """Units, meters or runs are others than before."""
    days_changed = pyqtSignal()
    """Another plan of days at the bench, or none any more."""
    unit_chosen = pyqtSignal(int)
    test_wanted = pyqtSignal(int)
    measure_wanted = pyqtSignal(int, str)
    """A test of a unit, by its key."""
    outlook_wanted = pyqtSignal(int)
    compare_wanted = pyqtSignal(int)
    check_wanted = pyqtSignal(int)
    """Check this meter against another."""
    """Prepare a test of this unit."""
    again_wanted = pyqtSignal(int)
    """Prepare the same as in this run."""
    run_started = pyqtSignal()
    run_ended = pyqtSignal(int)
    run_opened = pyqtSignal(int)
    """Show the findings of this run."""
    closing = pyqtSignal()
    """The logbook is about to be closed: nobody may ask it anything any more."""
    said = pyqtSignal(str)
    """What went wrong, in a sentence, from anywhere."""
    told = pyqtSignal(str)
    """What went well, in a sentence."""
    saved = pyqtSignal(str, str)
    """A file was written: a sentence, and its path, to be opened or shown in its folder."""
    remind = pyqtSignal(float)
    """Remind the person to look in after so many seconds."""

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.logbook = logbook
        self.undo = QUndoStack(self)
        self.unit_id = 0
        self.session: Session | None = None
        self.run: Run | None = None
        self.expected: Rehearsal | None = None
        self.clock: Callable[[], Clock] = RealClock
        """Makes the clock that a typed run goes by."""

    @property
    def is_running(self) -> bool:
        return self.session is not None and self.session.progress.phase != "ended"

    def choose_unit(self, unit_id: int) -> None:
        self.unit_id = unit_id
        self.unit_chosen.emit(unit_id)

    # changes to what is kept: each can be undone

    def keep_unit(self, unit: Unit) -> Unit:
        """Add or edit a unit; returns it with its id."""
        before = self.logbook.unit(unit.id) if unit.id else None
        kept = [unit]

        def do() -> None:
            kept[0] = self.logbook.keep_unit(kept[0])
            self._changed(kept[0].id)

        def undo() -> None:
            if before is None:
                self.logbook.remove_unit(kept[0].id)
            else:
                self.logbook.keep_unit(before)
            self._changed(before.id if before else 0)

        self._push(f"{'edit' if unit.id else 'add'} {unit.name}", do, undo)
        return kept[0]

    def remove_unit(self, unit: Unit) -> None:
        """Take a unit off the shelf; its runs stay."""

        def do() -> None:
            self.logbook.remove_unit(unit.id)
            self._changed(0)

        def undo() -> None:
            self.logbook.keep_unit(unit)
            self._changed(unit.id)

        self._push(f"remove {unit.name}", do, undo)

    def remove_units(self, units: Sequence[Unit]) -> None:
        """Take several off the shelf at once."""
        if len(units) == 1:
            self.remove_unit(units[0])
            return

        def do() -> None:
            with self.logbook.together():
                for unit in units:
                    self.logbook.remove_unit(unit.id)
            self._changed(0)

        def undo() -> None:
            with self.logbook.together():
                for unit in units:
                    self.logbook.keep_unit(unit)
            self._changed(units[0].id)

        self._push(f"remove {len(units)} units", do, undo)

    def throw_away(self, runs: Sequence[Run]) -> None:
        """From now on runs are shown no more and count for nothing; they can be put back at any time."""
        self._push(
            f"throw {len(runs)} runs away" if len(runs) > 1 else "throw a run away",
            lambda: self._are_thrown(runs, away=True),
            lambda: self._are_thrown(runs, away=False),
        )
        if runs:
            self.told.emit(self.tr("Thrown away. Ctrl+Z or Edit → Thrown away has it back."))

    def put_back(self, runs: Sequence[Run]) -> None:
        """What was thrown away is there again."""
        self._push(
            f"put {len(runs)} runs back" if len(runs) > 1 else "put a run back",
            lambda: self._are_thrown(runs, away=False),
            lambda: self._are_thrown(runs, away=True),
        )

    def _are_thrown(self, runs: Sequence[Run], *, away: bool) -> None:
        at = datetime.now(UTC).isoformat(timespec="seconds")
        with self.logbook.together():
            for run in runs:
                if away:
                    self.logbook.throw_away(run.id, at)
                else:
                    self.logbook.put_back(run.id)
        self.shelf_changed.emit()

    def delete_for_good(self, runs: Sequence[Run]) -> None:
        """Take runs out of the logbook; what was done before cannot be undone any more, since it may speak of them."""
        try:
            with self.logbook.together():
                for run in runs:
                    self.logbook.delete_run(run.id)
        except LogbookError as error:
            self.said.emit(str(error))
            return
        self.undo.clear()
        self.shelf_changed.emit()

    def bring_in(self, path: Path) -> None:
        """What another logbook holds, into this one: all of it with one undo."""
        came: list[BroughtIn] = []

        def do() -> None:
            came[:] = [bring_in(self.logbook, path)]
            self.shelf_changed.emit()
            self.told.emit(came[0].sentence(path.name))

        def undo() -> None:
            take_out(self.logbook, came[0])
            self.shelf_changed.emit()

        self._push(f"bring in {path.name}", do, undo)

    def keep_photos(self, photos: Sequence[Photo]) -> None:
        """Add pictures of a unit or a run."""
        kept: list[Photo] = []

        def do() -> None:
            with self.logbook.together():
                kept[:] = [self.logbook.keep_photo(photo) for photo in photos]
            self.shelf_changed.emit()

        def undo() -> None:
            for photo in kept:
                self.logbook.remove_photo(photo.id)
            self.shelf_changed.emit()

        self._push("add a picture", do, undo)

    def remove_photo(self, photo: Photo) -> None:
        kept = [photo]

        def undo() -> None:
            kept[0] = self.logbook.keep_photo(photo)
            self.shelf_changed.emit()

        def do() -> None:
            self.logbook.remove_photo(kept[0].id)
            self.shelf_changed.emit()

        self._push("remove a picture", do, undo)

    def keep_meter(self, meter: Meter) -> None:
        """Add or edit a meter."""
        before = next((m for m in self.logbook.meters() if m.id == meter.id), None)
        kept = [meter]

        def do() -> None:
            kept[0] = self.logbook.keep_meter(meter)
            self.shelf_changed.emit()

        def undo() -> None:
            if before is None:
                self.logbook.remove_meter(kept[0].id)
            else:
                self.logbook.keep_meter(before)
            self.shelf_changed.emit()

        self._push(f"{'edit' if before else 'add'} {meter.name}", do, undo)

    def remove_meter(self, meter: Meter) -> None:
        """Take a meter off the shelf; what it read stays."""

        def keep(it: Meter) -> None:
            self.logbook.keep_meter(it)
            self.shelf_changed.emit()

        gone = replace(meter, details=replace(meter.details, away=True))
        self._push(f"remove {meter.name}", lambda: keep(gone), lambda: keep(meter))

    def keep_import(self, keep: Callable[[], Run]) -> Run | None:
        """Keep a log from elsewhere, by a function that does; None when it could not be kept."""
        stored: list[Run] = []

        def do() -> None:
            stored[:] = [keep()]
            self.shelf_changed.emit()
            self.run_opened.emit(stored[0].id)

        def undo() -> None:
            self.logbook.delete_run(stored[0].id)
            self.shelf_changed.emit()

        self._push("import a log", do, undo)
        return stored[0] if stored else None

    def keep_arrivals(self, arrivals: Arrivals) -> None:
        """Logs from elsewhere, with the units that are new by them: one undo. A single one is shown, of several it is said what came."""

        def do() -> None:
            arrivals.keep(self.logbook)
            self.shelf_changed.emit()
            if len(arrivals.kept) == 1:
                self.run_opened.emit(arrivals.kept[0].id)
            else:
                self.told.emit(arrivals.sentence())

        def undo() -> None:
            arrivals.take_out(self.logbook)
            self.shelf_changed.emit()

        self._push("import logs" if len(arrivals.wanted()) > 1 else "import a log", do, undo)

    def tell(self, run: Run, because: str, changes: Sequence[RowChange] = ()) -> None:
        """What is known of a kept run from now on: ``run`` as it is to be, and what of its typed rows is another; one undo.

        What it said until now stays to be seen, with what it was that became known.
        """
        told, edits = KnownLate(self.logbook, run, because), Edits(self.logbook, run, changes)

        def do() -> None:
            with self.logbook.together():
                told.do()
                edits.do()
            self._others_changed(run)

        def undo() -> None:
            with self.logbook.together():
                edits.undo()
                told.undo()
            self._others_changed(run)

        self._push(because, do, undo)

    def keep_room(self, run: Run, room_c: tuple[float, float] | None) -> None:
        """Between what the room is, for every run whose temperature nobody wrote down; ``run`` is shown."""
        before: dict[int, Conditions] = {}

        def do() -> None:
            before.update(keep_room(self.logbook, room_c))
            self._others_changed(run)

        def undo() -> None:
            put_back(self.logbook, before)
            self._others_changed(run)

        self._push("what the room is", do, undo)

    def _others_changed(self, run: Run) -> None:
        self.shelf_changed.emit()
        self.run_opened.emit(run.id)

    def jot(self, run: Run, jotting: TypedLine, now_s: float) -> str:
        """Take a line down, about the run that is going on or one that was kept; returns why it was not, empty when it was."""
        session = self.session if self.run is not None and self.run.id == run.id and self.is_running else None
        kept: list[Taken] = []
        trouble: list[str] = []

        def do() -> None:
            try:
                if kept and kept[0].can_do_again:
                    kept[0].do_again()
                else:
                    kept[:] = [take_down(self.logbook, run, jotting, now_s, session)]
            except JotError as error:
                trouble.append(str(error))
                raise LogbookError(str(error)) from None
            if session is None:
                self.run_opened.emit(run.id)

        def undo() -> None:
            if kept:
                kept[0].take_back()
            if session is None:
                self.run_opened.emit(run.id)

        if jotting.look_in_s is not None:
            self.remind.emit(jotting.look_in_s)
            return ""
        self._push(f"note “{jotting.line or jotting.text}”", do, undo)
        return trouble[0] if trouble else ""

    def edit_typed(self, run: Run, changes: Sequence[RowChange], text: str) -> None:
        """Change what was typed, of the run that is going on or one that was kept: all of it with one undo."""
        session = self.session if self.run is not None and self.run.id == run.id and self.is_running else None
        edits = Edits(self.logbook, run, changes, session)

        def done(step: Callable[[], None]) -> None:
            step()
            if session is None:
                self.shelf_changed.emit()
                self.run_opened.emit(run.id)

        self._push(text, lambda: done(edits.do), lambda: done(edits.undo))

    def close_interrupted(self, run: Run) -> None:
        """Leave an interrupted run as it is, with what it has."""
        from ubrant.runs.making.going_on import close_interrupted  # loads the bench

        def do() -> None:
            close_interrupted(self.logbook, self.logbook.run(run.id))
            self.shelf_changed.emit()
            self.run_opened.emit(run.id)

        def undo() -> None:
            self.logbook.update_run(run)
            self.shelf_changed.emit()
            self.run_opened.emit(run.id)

        self._push("close the run", do, undo)

    def keep_outlook(self, outlook: StoredOutlook) -> None:
        """Keep a prediction."""
        kept = [0]

        def do() -> None:
            kept[0] = self.logbook.keep_outlook(outlook)
            self.shelf_changed.emit()

        def undo() -> None:
            self.logbook.remove_outlook(kept[0])
            self.shelf_changed.emit()

        self._push("keep the outlook", do, undo)

    def keep_days(self, days: StoredDays, text: str = "plan the days") -> None:
        """Keep a plan of days at the bench, in place of what it was."""
        before = next((one for one in self.logbook.bench_days() if one.id == days.id), None)
        kept = [days]

        def do() -> None:
            kept[0] = self.logbook.keep_bench_days(kept[0])
            self.days_changed.emit()

        def undo() -> None:
            if before is None:
                self.logbook.remove_bench_days(kept[0].id)
                kept[0] = replace(kept[0], id=0)
            else:
                self.logbook.keep_bench_days(before)
            self.days_changed.emit()

        self._push(text, do, undo)

    def _push(self, text: str, do: Callable[[], None], undo: Callable[[], None]) -> None:
        self.undo.push(_Change(self, text, do, undo))

    def _changed(self, unit_id: int) -> None:
        self.shelf_changed.emit()
        self.choose_unit(unit_id)

    # the run that is going on

    def begin(self, run: Run, session: Session, expected: Rehearsal | None) -> None:
        if self.session is not None:
            self.session.let_go()  # the lines are this run's now
        self.run, self.session, self.expected = run, session, expected
        session.start()
        self.run_started.emit()

    @property
    def afterwards(self) -> Afterwards | None:
        """Whoever looks at the instruments of the run that has ended; None where nobody does, or any more."""
        return getattr(self.session, "after", None)

    def finish(self) -> None:
        """The session has ended: its run is on the shelf now."""
        if self.run is not None:
            run_id = self.run.id
            self.shelf_changed.emit()
            self.run_ended.emit(run_id)

    def close(self) -> None:
        """Load off, run kept, logbook closed."""
        self.closing.emit()
        if self.session is not None:
            self.session.end()
        self.logbook.close()


class _Change(QUndoCommand):
    """Something done to the logbook, and how it is taken back. What cannot be written is said, and forgotten."""

    def __init__(self, bench: Workbench, text: str, do: Callable[[], None], undo: Callable[[], None]) -> None:
        super().__init__(in_a_menu(text))
        self._bench, self._do, self._take_back = bench, do, undo

    def redo(self) -> None:
        self._try(self._do)

    def undo(self) -> None:
        self._try(self._take_back)

    def _try(self, step: Callable[[], None]) -> None:
        try:
            step()
        except LogbookError as error:
            self.setObsolete(True)
            self._bench.said.emit(str(error))
