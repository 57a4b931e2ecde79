"""The window opens without what only a bench, a report or a file needs: each of these is slow to import."""

from __future__ import annotations

import subprocess
import sys

SLOW = ("pydantic", "pyvisa", "scipy", "polars", "matplotlib", "weasyprint", "contourpy", "openpyxl")


def test_the_shelf_opens_without_what_is_slow_to_import():
    told = f"import sys, ubrant.ui.shell, ubrant.ui.shelf.stage; print([m for m in {SLOW!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", told], capture_output=True, text=True, check=True, timeout=60)
    assert done.stdout.strip() == "[]"
