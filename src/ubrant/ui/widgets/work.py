"""Long work beside the window: a sentence, a way to leave it, and the result by a call back in the window's own thread."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QCoreApplication, QEventLoop, QObject, QRunnable, Qt, QThreadPool, pyqtSignal
from PyQt6.QtWidgets import QProgressDialog, QWidget

from ubrant.diagnostics import unexpected

_SHOWN_AFTER_MS = 300
_LOOKS_MS = 50


class _Outcome(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)


class _Task(QRunnable):
    def __init__(self, work: Callable[[], Any], outcome: _Outcome) -> None:
        super().__init__()
        self._work, self._outcome = work, outcome

    def run(self) -> None:
        try:
            result = self._work()
        except Exception as error:
            unexpected("work in the background", error)
            self._tell("failed", error)
        else:
            self._tell("done", result)

    def _tell(self, what: str, result: Any) -> None:
        """To nobody, where the window that asked has gone meanwhile."""
        with suppress(RuntimeError):
            getattr(self._outcome, what).emit(result)


def in_background(
    parent: QWidget, sentence: str, work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None]
) -> None:
    """Do ``work`` in another thread; then ``done`` with its result or ``failed`` with its error, here. Neither, if it was left.

    ``work`` must not touch widgets. What it makes is dropped when the person leaves it.
    """
    dialog = QProgressDialog(sentence, parent.tr("Leave it"), 0, 0, parent)
    dialog.setWindowModality(Qt.WindowModality.WindowModal)
    dialog.setMinimumDuration(_SHOWN_AFTER_MS)
    dialog.setValue(0)
    outcome = _Outcome(dialog)

    def finish(then: Callable[[Any], None], result: Any) -> None:
        if sip.isdeleted(dialog):
            return  # the window has gone meanwhile
        left = dialog.wasCanceled()
        dialog.close()
        dialog.deleteLater()
        if not left:
            then(result)

    outcome.done.connect(lambda result: finish(done, result))
    outcome.failed.connect(lambda error: finish(failed, error))
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.start(_Task(work, outcome))


def quietly(parent: QWidget, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
    """Do ``work`` in another thread without a word; then ``done`` with its result, or with the error it ended with."""
    outcome = _Outcome(parent)

    def finish(result: Any) -> None:
        if not sip.isdeleted(parent):
            outcome.deleteLater()
            done(result)

    outcome.done.connect(finish)
    outcome.failed.connect(finish)
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.start(_Task(work, outcome))


def wait_a_little() -> None:
    """Until something beside the window is done, or for a moment; then let it be told, and nothing that a person does."""
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.waitForDone(_LOOKS_MS)
    QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
