"""A logbook that does not open, in the window: a sentence, and a way on."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from ubrant.logbook.logbook import Logbook


def answer(qtbot, words: str, said: list[str]) -> None:
    """Press the button with these words on the next message."""

    def look() -> None:
        for box in QApplication.topLevelWidgets():
            if isinstance(box, QMessageBox) and box.isVisible():
                said.append(box.text())
                button = next(b for b in box.buttons() if b.text() == words)
                qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
                return
        QTimer.singleShot(20, look)

    QTimer.singleShot(20, look)


def test_leave_it_keeps_what_is_open(window, qtbot, tmp_path):
    (tmp_path / "noise.ubrant").write_bytes(b"nothing of the kind" * 100)
    said: list[str] = []
    before = window.bench.logbook.path
    answer(qtbot, "Leave it", said)
    window.open_path(tmp_path / "noise.ubrant")
    assert "is not a Ubrant logbook, or it is damaged" in said[0]
    assert window.bench.logbook.path == before


def test_another_one_is_opened_instead(window, qtbot, tmp_path, monkeypatch):
    (tmp_path / "noise.ubrant").write_bytes(b"nothing of the kind" * 100)
    Logbook(tmp_path / "good.ubrant").close()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "good.ubrant"), ""))
    answer(qtbot, "Open another …", [])
    window.open_path(tmp_path / "noise.ubrant")
    assert window.bench.logbook.path.name == "good.ubrant"
