"""kill -9 while something whole is written: afterwards it is there or it is not, and what stood there before still stands."""

from __future__ import annotations

import multiprocessing
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.logbook.make_golden import GOLDEN
from tests.window import needs
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.file import FORMAT
from ubrant.logbook.logbook import Logbook
from ubrant.runs.coming_in.bringing_in import LogOptions, keep, read_file
from ubrant.writing import write_whole

_FORK = multiprocessing.get_context("fork")
MOMENTS = [pytest.param(range(k, k + 1 if k == 0 else k + 79), marks=() if k == 0 else pytest.mark.slow, id=f"from {k}") for k in (0, 1)]


def import_log(folder: Path) -> None:
    logbook = Logbook(folder / "bench.ubrant")
    stored = read_file(folder / "log.csv", LogOptions(said={"rated": "5 Ah 12.8 V LiFePO4"}))
    keep(logbook, stored, logbook.units()[0])
    logbook.close()


def migrate(folder: Path) -> None:
    Logbook(folder / "old.ubrant").close()


def copy(folder: Path) -> None:
    logbook = Logbook(folder / "bench.ubrant")
    logbook.save_copy(folder / "copy.ubrant")
    logbook.close()


def report(folder: Path) -> None:
    write_whole(folder / "report.txt", lambda path: path.write_bytes(b"all of it" * 2_000_000))


def whole_log(folder: Path) -> None:
    logbook = Logbook(folder / "bench.ubrant")
    assert not logbook.damages()
    assert [unit.name for unit in logbook.units()] == ["Pack"]
    for run, _ in logbook.runs():
        assert len(logbook.series(run.id, "battery", "V")) == 5000
    logbook.close()


def whole_old(folder: Path) -> None:
    logbook = Logbook(folder / "old.ubrant")
    assert not logbook.damages()
    ((run, name),) = logbook.runs()
    assert name == "Pack"
    assert len(logbook.series(run.id, "battery", "V")) > 10
    logbook.close()
    for beside in folder.glob("old*before*"):
        Logbook(shutil.copy(beside, folder / "opened.ubrant")).close()


def whole_copy(folder: Path) -> None:
    for name in ("bench.ubrant", "copy.ubrant"):
        if (folder / name).exists():
            logbook = Logbook(folder / name)
            assert not logbook.damages()
            assert [unit.name for unit in logbook.units()] == ["Pack"]
            logbook.close()


def whole_report(folder: Path) -> None:
    assert (folder / "report.txt").read_bytes() in (b"the one before", b"all of it" * 2_000_000)


def stocked(folder: Path) -> None:
    logbook = Logbook(folder / "bench.ubrant")
    logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    logbook.close()
    rows = "".join(f"{10 * k},{13.0 - 0.0005 * k:.4f},0.500\n" for k in range(5000))
    (folder / "log.csv").write_text("Time (s),Voltage (V),Current (A)\n" + rows)
    shutil.copy(sorted(GOLDEN.glob("*.ubrant"))[FORMAT - 2], folder / "old.ubrant")
    (folder / "report.txt").write_bytes(b"the one before")


@pytest.mark.parametrize("moments", MOMENTS)
@pytest.mark.parametrize(("job", "whole"), [(import_log, whole_log), (migrate, whole_old), (copy, whole_copy), (report, whole_report)])
def test_it_is_whole_or_not_there(tmp_path, job, whole, moments):
    needs("discharge")
    (tmp_path / "first").mkdir()
    stocked(tmp_path / "first")
    began = time.monotonic()
    job(tmp_path / "first")
    takes_s = time.monotonic() - began
    for number in moments:
        folder = tmp_path / str(number)
        folder.mkdir()
        stocked(folder)
        child = _FORK.Process(target=job, args=(folder,))
        child.start()
        child.join(random.Random(f"{job.__name__} {number}").uniform(0.0, 1.2) * takes_s)
        if child.is_alive():
            os.kill(child.pid, signal.SIGKILL)
        child.join()
        whole(folder)
        shutil.rmtree(folder)


@pytest.mark.parametrize("number", [pytest.param(n, marks=() if n == 0 else pytest.mark.slow) for n in range(20)])
def test_a_demo_that_is_killed_leaves_nothing(tmp_path, number):
    """No file at once, and no simulated bench once its patience is over (looked at with the slow ones)."""
    made = tmp_path / "demo.ubrant"
    code = f"from pathlib import Path; from ubrant.demo.dome import make_demo; make_demo(Path({str(made)!r}), lambda told: print(told, flush=True))"
    mark = f"demo {tmp_path}"
    child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, env={**os.environ, "UBRANT_MARK": mark})
    for _ in range(1 + number % 4):
        child.stdout.readline()
    child.kill()
    child.communicate()
    until = time.monotonic() + 10.0
    while list(tmp_path.iterdir()):
        assert time.monotonic() < until
    until = time.monotonic() + 60.0
    while number and still_there(mark):
        assert time.monotonic() < until


def still_there(mark: str) -> list[str]:
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if mark.encode() in (process / "environ").read_bytes():
                found.append(process.name)
        except OSError:
            continue
    return found
