"""Nothing is cut off and nothing lies outside: every stage and dialog, at three sizes and three scales."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

MOST = ("Shelf", "Run", "Outlook", "Days", "Dialog")


@pytest.mark.parametrize(
    ("scale", "scenes"),
    [("1.5", MOST), *(pytest.param(scale, (), marks=pytest.mark.slow) for scale in ("1", "1.5", "2"))],
    ids=["1.5, most", "1", "1.5", "2"],
)
def test_every_control_is_inside_and_whole(scale, scenes):
    """Every scene of Prepare and Findings, a method each, is looked at with the others of its size."""
    environment = {**os.environ, "QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "tests.ui.geometry", *scenes]
    done = subprocess.run(command, env=environment, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=300, check=False)
    assert not done.returncode, done.stdout or done.stderr[-2000:]
