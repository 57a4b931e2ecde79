"""What a person sees, and can do, where nothing confirms that the load is off."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox

from tests.window import click, start
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.switched import ElectronicLoad
from ubrant.ui.window.shell import FINDINGS

LONG_MS = 60_000


@pytest.fixture
def stuck(stocked, qtbot, monkeypatch):
    """A run whose load is on, and answers something else when it is told to go off."""
    start(stocked, qtbot, speed=60.0, every="1 s")
    session = stocked.bench.session
    qtbot.waitUntil(lambda: session.progress.load_on_s is not None, timeout=LONG_MS)
    qtbot.waitUntil(lambda: stocked.run.stop_button.text() == "Stop and rest", timeout=LONG_MS)
    off = ElectronicLoad.off

    def stubborn(load: ElectronicLoad) -> None:
        raise InstrumentError("Load was told to switch off and answers “1.0” when asked whether it is on.")

    monkeypatch.setattr(ElectronicLoad, "off", stubborn)
    return stocked, lambda: monkeypatch.setattr(ElectronicLoad, "off", off)


def test_it_is_said_in_red_until_a_person_has_looked(stuck, qtbot):
    window, _ = stuck
    click(qtbot, window.run, "Stop and rest")
    qtbot.waitUntil(lambda: window.run.done_button.text() == "It is off", timeout=LONG_MS)
    assert window.run.title.text() == "It may still be on: switch it off by hand"
    assert window.run.notice_note.text().startswith("It could not be confirmed that the load is off: switch it off by hand. Load was told")
    assert window.bench.is_running
    qtbot.keyClick(window.run.done_button, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=LONG_MS)
    assert "The load is off: a person looked." in [e.text for e in window.findings.record.events]
    assert "It could not be confirmed that the load is off" in window.findings.trouble.text()


def test_it_is_confirmed_as_soon_as_it_answers(stuck, qtbot):
    window, answers_again = stuck
    click(qtbot, window.run, "Stop and rest")
    qtbot.waitUntil(lambda: window.run.done_button.text() == "It is off", timeout=LONG_MS)
    answers_again()
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=LONG_MS)
    assert "The load is off: it says so now." in [e.text for e in window.findings.record.events]


def test_the_window_does_not_close_over_it_unasked(stuck, qtbot, monkeypatch):
    window, answers_again = stuck
    asked = []

    def answered(box: QMessageBox, which: str) -> int:
        asked.append(box.text())
        next(b for b in box.buttons() if b.text() == which).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", lambda box: answered(box, "Stop and close"))
    window.close()
    qtbot.waitUntil(lambda: window.run.done_button.text() == "It is off", timeout=LONG_MS)
    monkeypatch.setattr(QMessageBox, "exec", lambda box: answered(box, "Stay and look"))
    window.close()
    assert window.isVisible()
    assert asked[-1] == "Nothing confirms that the load is off. Switch it off by hand before you close."
    answers_again()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=LONG_MS)
