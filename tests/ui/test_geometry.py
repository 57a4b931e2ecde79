"""Nothing is cut off and nothing lies outside: every stage and dialog, at three sizes and three scales."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest


@pytest.mark.parametrize("scale", [pytest.param("1", marks=pytest.mark.slow), "1.5", pytest.param("2", marks=pytest.mark.slow)])
def test_every_control_is_inside_and_whole(scale):
    environment = {**os.environ, "QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "tests.ui.geometry"]
    done = subprocess.run(command, env=environment, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=300, check=False)
    assert not done.returncode, done.stdout or done.stderr[-2000:]
