"""What the stages share: the open logbook, what is chosen, the run that is going on. Says by signals what changed."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from ubrant.bench.rehearsal import Rehearsal
from ubrant.bench.session import RunSession
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run


class Workbench(QObject):
    """Handed to every stage."""

    shelf_changed = pyqtSignal()
    """Units, meters or runs are others than before."""
    unit_chosen = pyqtSignal(int)
    test_wanted = pyqtSignal(int)
    """Prepare a test of this unit."""
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

    def __init__(self, logbook: Logbook) -> None:
        super().__init__()
        self.logbook = logbook
        self.undo = QUndoStack(self)
        self.unit_id = 0
        self.session: RunSession | None = None
        self.run: Run | None = None
        self.expected: Rehearsal | None = None

    @property
    def is_running(self) -> bool:
        return self.session is not None and self.session.progress.phase != "ended"

    def choose_unit(self, unit_id: int) -> None:
        self.unit_id = unit_id
        self.unit_chosen.emit(unit_id)

    def keep_unit(self, unit: Unit) -> Unit:
        """Add or edit a unit, so that it can be undone; returns it with its id."""
        command = _KeepUnit(self, unit)
        self.undo.push(command)
        return command.unit

    def remove_unit(self, unit: Unit) -> None:
        self.undo.push(_RemoveUnit(self, unit))

    def begin(self, run: Run, session: RunSession, expected: Rehearsal | None) -> None:
        self.run, self.session, self.expected = run, session, expected
        session.start()
        self.run_started.emit()

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


class _KeepUnit(QUndoCommand):
    def __init__(self, bench: Workbench, unit: Unit) -> None:
        super().__init__(f"{'edit' if unit.id else 'add'} {unit.name}")
        self._bench, self.unit = bench, unit
        self._before = bench.logbook.unit(unit.id) if unit.id else None

    def redo(self) -> None:
        self.unit = self._bench.logbook.keep_unit(self.unit)
        self._bench.shelf_changed.emit()
        self._bench.choose_unit(self.unit.id)

    def undo(self) -> None:
        if self._before is None:
            self._bench.logbook.remove_unit(self.unit.id)
            self._bench.choose_unit(0)
        else:
            self._bench.logbook.keep_unit(self._before)
        self._bench.shelf_changed.emit()


class _RemoveUnit(QUndoCommand):
    def __init__(self, bench: Workbench, unit: Unit) -> None:
        super().__init__(f"remove {unit.name}")
        self._bench, self._unit = bench, unit

    def redo(self) -> None:
        self._bench.logbook.remove_unit(self._unit.id)
        self._bench.choose_unit(0)
        self._bench.shelf_changed.emit()

    def undo(self) -> None:
        self._bench.logbook.keep_unit(self._unit)
        self._bench.shelf_changed.emit()
        self._bench.choose_unit(self._unit.id)
