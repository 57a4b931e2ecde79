"""The window opens without what only a bench, a report or a file needs: each of these is slow to import."""

from __future__ import annotations

import os
import subprocess
import sys

from ubrant.methods.registry import entries
from ubrant.ui.window import warm

SLOW = ("pydantic", "pyvisa", "scipy", "polars", "matplotlib", "weasyprint", "contourpy", "openpyxl")
_PAINTED = f"""
import sys
from pathlib import Path
from ubrant.logbook.logbook import Logbook
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import MainWindow
app = make_application()
window = MainWindow(Logbook(Path(sys.argv[1])))
window.show()
app.processEvents()
window.grab()
loaded = [m for m in {SLOW!r} if m in sys.modules]
methods = [m for m in sys.modules if m.startswith("ubrant.methods.") and m.count(".") > 2]
print(loaded, methods)
"""


def test_the_shelf_is_painted_without_what_is_slow_to_import_and_without_any_methods_sums(tmp_path):
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", _PAINTED, str(tmp_path / "first.ubrant")]
    done = subprocess.run(command, capture_output=True, text=True, check=True, timeout=60, env=environment)
    assert done.stdout.strip() == "[] []"


def test_what_the_stages_are_made_of_is_loaded_once_the_window_is_there():
    for piece in warm._pieces():
        piece()
    assert not [name for name in ("pyqtgraph", "scipy.special", "pydantic", "ubrant.ui.outlook.stage") if name not in sys.modules]
    assert not [entry.key for entry in entries() if "method" not in vars(entry)]


def test_it_begins_when_the_window_has_been_painted(window, qtbot, monkeypatch):
    """A piece at a time, and not after the window has gone."""
    done = []
    monkeypatch.setattr(warm, "_pieces", lambda: iter([lambda k=k: done.append(k) for k in range(3)]))
    monkeypatch.setattr(warm, "_AFTER_MS", 0)
    monkeypatch.setattr(warm, "_APART_MS", 0)
    warm.load_in_idle_moments(window)
    assert done == []
    qtbot.waitUntil(lambda: done == [0, 1, 2])
