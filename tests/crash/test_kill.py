"""kill -9 at random moments: nothing that was shown a second ago is lost, the logbook is sound, the load goes off.

``UBRANT_KILLS`` sets how many moments are tried (one by default, 220 with ``--all``).
"""

from __future__ import annotations

import os
import random
import signal
import sqlite3
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest

from ubrant.bench.lines import LineError, private_connection
from ubrant.logbook.logbook import Logbook

KILLS = int(os.environ.get("UBRANT_KILLS", "1"))
MOST, SCORE, AT_ONCE = 220, 20, 4


def ask(address: str, command: str) -> str:
    with private_connection(address, 10.0) as line:
        line.sendall(command.encode() + b"\n")
        return line.makefile().readline().strip()


def load_goes_off(address: str) -> bool:
    """True once the load is off; a world that has gone took its load with it."""
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        try:
            if ask(address, "INP?") == "0":
                return True
        except (OSError, LineError):
            return True
    return False


def numbers() -> list[object]:
    """Those of every day by themselves, the others by the score: they mostly wait, so a few go on at once."""
    scores = (range(first, min(first + SCORE, MOST)) for first in range(KILLS, MOST, SCORE))
    return [pytest.param([n], id=str(n)) for n in range(KILLS)] + [
        pytest.param(score, id=f"{score[0]} to {score[-1]}", marks=pytest.mark.slow) for score in scores
    ]


@pytest.mark.parametrize("whom", ["application", "world", "both"])
@pytest.mark.parametrize("numbers", numbers())
def test_kill_9(tmp_path, whom, numbers):
    with ThreadPoolExecutor(AT_ONCE) as pool:
        for _ in pool.map(lambda number: killed(tmp_path / f"killed {number}.ubrant", whom, number), numbers):
            pass


def killed(path: Path, whom: str, number: int) -> None:
    """One run, killed at its moment and looked at."""
    chance = random.Random(f"{whom} {number}")
    own = {**os.environ, "XDG_STATE_HOME": str(path.with_suffix(".state"))}  # where what may be on is noted: each asks for its own only
    child = subprocess.Popen([sys.executable, "-m", "tests.crash.child", str(path)], stdout=subprocess.PIPE, text=True, env=own)
    _, address, world = child.stdout.readline().split()
    shown: list[tuple[float, float]] = []
    until = time.time() + chance.uniform(0.05, 2.5)
    while time.time() < until and (line := child.stdout.readline()).startswith("shown"):
        shown.append(tuple(float(x) for x in line.split()[1:]))
    killed_at = time.time()
    if whom in {"world", "both"}:
        os.kill(int(world), signal.SIGKILL)
    if whom in {"application", "both"}:
        os.kill(child.pid, signal.SIGKILL)
    rest = child.communicate(timeout=60)[0]
    if whom == "world":
        assert rest.splitlines()[-1].startswith("ended"), "the run did not end by itself"
        assert "switch it off by hand" in rest or "person" in rest
    assert load_goes_off(address)
    with closing(sqlite3.connect(path)) as book:
        assert book.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    logbook = Logbook(path)
    ((run, _),) = logbook.runs()
    assert run.state == ("done" if whom == "world" else "interrupted")
    kept = logbook.series(run.id, "battery", "V")
    newest = float(kept.time_s[-1]) if len(kept) else -1.0
    due = [moment for moment, wall in shown if wall < killed_at - 1.0]
    assert newest >= max(due, default=-1.0)
    logbook.close()
