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

import pytest

from ubrant.bench.lines import LineError, private_connection
from ubrant.logbook.logbook import Logbook

KILLS = int(os.environ.get("UBRANT_KILLS", "1"))


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


@pytest.mark.parametrize("whom", ["application", "world", "both"])
@pytest.mark.parametrize("number", [pytest.param(n, marks=() if n < KILLS else pytest.mark.slow) for n in range(max(KILLS, 220))])
def test_kill_9(tmp_path, whom, number):
    chance = random.Random(f"{whom} {number}")
    path = tmp_path / "killed.ubrant"
    child = subprocess.Popen([sys.executable, "-m", "tests.crash.child", str(path)], stdout=subprocess.PIPE, text=True)
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
    assert sqlite3.connect(path).execute("PRAGMA integrity_check").fetchone() == ("ok",)
    logbook = Logbook(path)
    ((run, _),) = logbook.runs()
    assert run.state == ("done" if whom == "world" else "interrupted")
    kept = logbook.series(run.id, "battery", "V")
    newest = float(kept.time_s[-1]) if len(kept) else -1.0
    due = [moment for moment, wall in shown if wall < killed_at - 1.0]
    assert newest >= max(due, default=-1.0)
    logbook.close()
