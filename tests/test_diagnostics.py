"""What went wrong is kept with its traceback, and can be sent along."""

from __future__ import annotations

import logging
from pathlib import Path

import pytest
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QApplication

from ubrant import __version__, diagnostics


@pytest.fixture
def kept():
    diagnostics.keep_log()
    yield diagnostics.log_path()
    for handler in list(diagnostics.LOG.handlers):
        diagnostics.LOG.removeHandler(handler)
        handler.close()


def slip() -> None:
    raise ValueError("a slip")


def test_an_unexpected_error_is_kept_with_its_traceback(kept):
    try:
        slip()
    except ValueError as error:
        diagnostics.unexpected("a test", error)
    text = kept.read_text("utf-8")
    assert "a test: ValueError: a slip" in text
    assert "in slip" in text


def test_it_does_not_grow_without_end(kept):
    for _ in range(30):
        diagnostics.LOG.info("x" * 50_000)
    assert kept.stat().st_size <= 500_000
    assert len(list(kept.parent.glob("ubrant.log*"))) <= 4


def test_a_folder_that_cannot_be_written_is_no_reason_not_to_start(monkeypatch, tmp_path):
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    diagnostics.keep_log()
    assert not any(isinstance(h, logging.handlers.RotatingFileHandler) for h in diagnostics.LOG.handlers)


def test_copied_from_the_window(window, kept):
    diagnostics.LOG.info("in %s", Path.home() / "logs")
    action = next(a for a in window.findChildren(QAction) if "diagnostics" in a.text())
    action.trigger()
    text = QApplication.clipboard().text()
    assert f"Ubrant {__version__}" in text
    assert "numpy " in text
    assert "in ~/logs" in text
    assert "on the clipboard" in window.said()
