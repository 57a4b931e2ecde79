"""However the program ends that it survives: the load goes off and the run is kept."""

from __future__ import annotations

import os
import signal
import subprocess
import sys

import pytest

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import SIMULATED, RunHeader, Setup
from ubrant.diagnostics import log_path
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import new_run
from ubrant.logbook.writer import RunWriter
from ubrant.runs.kept.accounts import account_of

RUN = new_run(RunHeader("discharge", Setup(Unit("Pack", "battery", "50 Ah 12.8 V"))), SIMULATED)


def driven(path, what: str) -> subprocess.Popen[str]:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "tests.crash.driver", str(path), what]
    child = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment)
    assert child.stdout.readline() == "load on\n", child.communicate(timeout=20)[1]
    return child


@pytest.mark.parametrize("what", ["slot", "thread"])
def test_an_exception_is_said_and_the_run_goes_on(tmp_path, what):
    child = driven(tmp_path / "bench.ubrant", what)
    out, _ = child.communicate(timeout=60)
    assert out.startswith("going on load on\n")
    assert "ended load_off True Something went wrong in Ubrant (RuntimeError: a slip in a slot). The run goes on" in out
    assert "Traceback" not in out
    assert "Copy diagnostics" in out
    kept = log_path().read_text("utf-8")
    assert "Traceback" in kept
    assert "RuntimeError: a slip in a slot" in kept


def test_end_of_the_desktop_session(tmp_path):
    out, _ = driven(tmp_path / "bench.ubrant", "session").communicate(timeout=60)
    assert out.startswith("ended load_off")


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_a_signal_ends_the_run_and_the_program(tmp_path, number):
    path = tmp_path / "bench.ubrant"
    child = driven(path, "wait")
    os.kill(child.pid, number)
    child.communicate(timeout=60)
    assert child.returncode == 0
    assert [p.name for p in tmp_path.iterdir()] == ["bench.ubrant"]
    logbook = Logbook(path)
    ((run, _),) = logbook.runs()
    assert (run.state, run.ended_by) == ("done", "program")
    assert [e.event.kind for e in logbook.events(run.id)] == ["load_on", "load_off"]
    logbook.close()


def test_a_signal_to_an_idle_window_leaves_one_file(tmp_path):
    path = tmp_path / "bench.ubrant"
    child = driven(path, "idle")
    os.kill(child.pid, signal.SIGTERM)
    child.communicate(timeout=60)
    assert child.returncode == 0
    assert [p.name for p in tmp_path.iterdir()] == ["bench.ubrant"]


def test_a_full_disk_is_said_and_what_was_kept_is_safe(small_disk):
    logbook = Logbook(small_disk / "bench.ubrant")
    run = logbook.start_run(RUN)
    writer = RunWriter(logbook.path, run.id)
    kept = 0
    with pytest.raises(LogbookError, match="The disk is full"):
        for k in range(400_000):
            writer.reading("battery", "V", float(k), 12.0)
            while k % 5000 == 4999 and kept <= k:  # until they are on the disk
                writer.check()
                kept = max(kept, len(logbook.series(run.id, "battery", "V")))
        writer.finish("cut-off", "")
    assert kept > 0
    assert len(logbook.series(run.id, "battery", "V")) >= kept
    with pytest.raises(LogbookError):
        for _ in range(5000):
            logbook.keep_unit(Unit("x" * 5000, "battery", "50 Ah"))
    logbook.close()
    again = Logbook(small_disk / "bench.ubrant") if os.statvfs(small_disk).f_bavail > 20 else None
    if again:
        assert len(again.series(run.id, "battery", "V")) >= kept
        again.close()


def test_a_folder_that_cannot_be_written(tmp_path):
    folder = tmp_path / "fixed"
    folder.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "ro", "tmpfs", str(folder)], capture_output=True, check=False).returncode:
        pytest.skip("no read-only disk can be mounted here")
    try:
        with pytest.raises(LogbookError, match=r"cannot be written|cannot be opened"):
            Logbook(folder / "new.ubrant")
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=False)


def test_a_run_without_readings_says_so(logbook):
    logbook.keep_meter(Meter("Meter"))
    run = logbook.start_run(RUN)
    assert "Nothing flows yet" in account_of(logbook, run)[1].trouble
