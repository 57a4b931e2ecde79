"""The logbook file: what is kept, how it is opened, what is refused."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from tests.logbook.make_golden import GOLDEN
from tests.making import crossing_s
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.readings import Series
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import Note
from ubrant.core.record.head import SIMULATED, Criteria, RunHeader, Setup
from ubrant.logbook.file import FORMAT, LogbookError, connect
from ubrant.logbook.logbook import PIECE, Logbook
from ubrant.logbook.records import StoredRun, new_run
from ubrant.logbook.writer import RunWriter
from ubrant.runs.kept.accounts import account_of, summary_of

STARTED = datetime(2026, 11, 1, 10, tzinfo=UTC)
HEAD = RunHeader("discharge", Setup(Unit("", "battery", "50 Ah 12.8 V")), criteria=Criteria(cutoff=Cutoff(11.0)))
RUN = new_run(HEAD, SIMULATED, STARTED)


def test_units_and_meters_come_back_as_they_were(logbook):
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V", "lifepo4", "blue tape", 25.0, {"health": 0.9}))
    meter = logbook.keep_meter(Meter("Meter", "0.1 %", "1 %", 60, 20))
    assert logbook.units() == [unit]
    assert logbook.meters() == [meter]


def test_a_removed_unit_keeps_its_runs_and_can_come_back(logbook):
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V"))
    logbook.remove_unit(unit.id)
    assert logbook.units() == []
    assert logbook.unit(unit.id) == unit
    logbook.keep_unit(unit)
    assert logbook.units() == [unit]


def test_readings_are_kept_to_the_last_bit_in_pieces(logbook):
    time = np.cumsum(np.random.default_rng(3).uniform(0.5, 1.5, PIECE + 10))
    run = logbook.keep_import(StoredRun(RUN, {("battery", "V"): Series(time, np.sin(time))}))
    back = logbook.series(run.id, "battery", "V")
    assert np.array_equal(back.time_s, time)
    assert np.array_equal(back.value, np.sin(time))
    assert len(logbook.series(run.id, "load", "V")) == 0


def test_what_is_written_while_running_can_be_read_by_others_and_is_folded_at_the_end(logbook):
    run = logbook.start_run(RUN)
    writer = RunWriter(logbook.path, run.id)
    for k in range(500):
        writer.reading("battery", "V", float(k), 12.0 + k)
        if k % 100 == 0:
            writer.event(Note(float(k), f"at {k}"))
    while len(logbook.series(run.id, "battery", "V")) < 500:
        writer.check()
    writer.finish("cut-off", "")
    kept = logbook.run(run.id)
    assert (kept.state, kept.ended_by, len(logbook.events(run.id))) == ("done", "cut-off", 5)
    pieces = connect(logbook.path, read_only=True).execute("SELECT count(*) FROM piece").fetchone()[0]
    assert pieces == 1


_KILLED = """
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.writer import RunWriter
from ubrant.core.record.events import LoadOn
from tests.logbook.test_logbook import RUN
logbook = Logbook(Path(sys.argv[1]))
run = logbook.start_run(RUN)
writer = RunWriter(logbook.path, run.id)
writer.event(LoadOn(0.0))
for k in range(1000):
    writer.reading("battery", "V", float(k), 13.0)
    writer.reading("battery", "A", float(k), 10.0)
while len(logbook.series(run.id, "battery", "A")) < 1000:
    pass
print("kept", flush=True)
sys.stdin.read()
"""


def test_a_killed_run_is_there_on_the_next_start_with_its_findings_so_far(tmp_path):
    path = tmp_path / "killed.ubrant"
    child = subprocess.Popen([sys.executable, "-c", _KILLED, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert child.stdout.readline() == "kept\n"
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    logbook = Logbook(path)
    ((run, _),) = logbook.runs()
    _, account = account_of(logbook, run)
    assert (run.state, account.ended_by) == ("interrupted", "interrupted")
    assert account.findings["charge"].value == pytest.approx(10 * 999 / 3600)
    assert summary_of(logbook, run).sentence.startswith("Cannot tell: 2.775 Ah is 5.5 % of the label, but nobody said how accurate")
    logbook.close()


def test_closed_it_is_one_file(tmp_path):
    logbook = Logbook(tmp_path / "one.ubrant")
    logbook.keep_unit(Unit("Pack", "battery", "50 Ah"))
    logbook.close()
    assert [p.name for p in tmp_path.iterdir()] == ["one.ubrant"]


def test_the_second_opener_may_only_look(logbook):
    logbook.keep_unit(Unit("Pack", "battery", "50 Ah"))
    other = Logbook(logbook.path)
    assert other.read_only
    assert [u.name for u in other.units()] == ["Pack"]
    with pytest.raises(LogbookError, match="open in another window"):
        other.keep_unit(Unit("Other", "battery", "50 Ah"))
    other.close()
    logbook.keep_unit(Unit("Still writable", "battery", "50 Ah"))


def test_every_past_format_opens_and_says_the_same(tmp_path):
    """A logbook of each format there ever was, with what it has to say."""
    goldens = sorted(GOLDEN.glob("*.ubrant"))
    assert len(goldens) == FORMAT
    for golden in goldens:
        copy = tmp_path / golden.name
        shutil.copy(golden, copy)
        logbook = Logbook(copy)
        ((run, name),) = logbook.runs()
        _, found = account_of(logbook, run)
        assert (name, logbook.units()[0].note, logbook.events(run.id)[0].event.text) == ("Pack", "kept for all time", "case warm")
        assert found.findings["charge"].value == pytest.approx(10 * crossing_s(5, 10.5, 11.0) / 3600, rel=1e-3)
        logbook.close()


def made_by(path: Path, application_id: int, version: int) -> None:
    with sqlite3.connect(path) as db:
        db.execute("CREATE TABLE thing (x)")
        db.execute(f"PRAGMA application_id={application_id}")
        db.execute(f"PRAGMA user_version={version}")


def test_refusals_are_sentences_and_touch_nothing(tmp_path):
    newer, stranger, text = tmp_path / "newer.ubrant", tmp_path / "stranger.ubrant", tmp_path / "text.ubrant"
    made_by(newer, 0x55627274, FORMAT + 1)
    made_by(stranger, 77, 0)
    text.write_text("dear diary")
    for path, says in ((newer, "newer Ubrant"), (stranger, "not a Ubrant logbook"), (text, "not a Ubrant logbook, or it is damaged")):
        before = path.read_bytes()
        with pytest.raises(LogbookError, match=says):
            Logbook(path)
        assert path.read_bytes() == before


def test_search_finds_units_labels_and_jottings(logbook):
    unit = logbook.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V"))
    first = logbook.start_run(new_run(replace(HEAD, setup=Setup(unit)), "a.csv", STARTED))
    second = logbook.start_run(new_run(HEAD, "b.csv", STARTED + timedelta(days=1)))
    logbook.note(second.id, 1.0, "smelled of rain")
    assert [run.id for run, _ in logbook.runs()] == [second.id, first.id]
    assert [run.id for run, _ in logbook.runs("dome")] == [first.id]
    assert [run.id for run, _ in logbook.runs("rain")] == [second.id]


def test_a_writer_that_cannot_write_says_so(tmp_path):
    logbook = Logbook(tmp_path / "gone.ubrant")
    run = logbook.start_run(RUN)
    logbook.delete_run(run.id)
    writer = RunWriter(logbook.path, run.id)
    writer.reading("battery", "V", 0.0, 12.0)
    writer._thread.join(10)
    with pytest.raises(LogbookError, match="could not be written"):
        writer.check()
    logbook.close()
