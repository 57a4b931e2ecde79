"""A disk that is full at each kind of write: one sentence, nothing half of it left, and what was kept before still stands."""

from __future__ import annotations

import shutil

import pytest

from tests.command_line import ubrant
from tests.logbook.make_golden import GOLDEN
from tests.window import keep_discharge, needs
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.exporting import ExportError, export_csv, export_package
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.report.document import ReportError, write_report
from ubrant.runs.coming_in.bringing_in import LogOptions, keep, read_file
from ubrant.runs.kept.accounts import account_of

PACK = Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")


@pytest.fixture
def full(small_disk):
    """A logbook on a small disk, and nothing else free."""
    logbook = Logbook(small_disk / "bench.ubrant")
    logbook.keep_unit(PACK)
    logbook.close()
    return small_disk


def fill(folder) -> None:
    try:
        with (folder / "filler").open("wb", buffering=0) as file:
            while True:
                file.write(b"x" * 4096)
    except OSError:
        pass


def import_log(book, folder, log):
    keep(book, read_file(log, LogOptions(said={"rated": "50 Ah 12.8 V LiFePO4"})), book.units()[0])


def a_line(book, folder, log):
    for _ in range(2000):
        book.keep_meter(Meter("m" * 3000))


WRITES = {
    "import": import_log,
    "copy": lambda book, folder, log: book.save_copy(folder / "copy.ubrant"),
    "meters": a_line,
    "new": lambda book, folder, log: Logbook(folder / "new.ubrant"),
    "migration": lambda book, folder, log: Logbook(folder / "old.ubrant"),
}


@pytest.mark.parametrize("kind", WRITES)
def test_into_a_logbook(full, tmp_path, kind):
    needs("discharge")
    shutil.copy(GOLDEN / "format1.ubrant", full / "old.ubrant")
    old = (full / "old.ubrant").read_bytes()
    log = tmp_path / "log.csv"
    log.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{k},{13 - k / 20000},0.5\n" for k in range(20_000)))
    book = Logbook(full / "bench.ubrant")
    fill(full)
    there = {path.name for path in full.iterdir()} - {"bench.ubrant-wal", "bench.ubrant-shm"}
    with pytest.raises(LogbookError) as raised:
        WRITES[kind](book, full, log)
    assert "full" in str(raised.value) or "could not be written" in str(raised.value), raised.value
    assert len(str(raised.value)) < 250
    (full / "filler").unlink()
    assert [unit.name for unit in book.units()] == ["Pack"]
    assert book.runs() == []
    assert book.damages() == []
    book.keep_unit(Unit("Another", "battery", "5 Ah 12.8 V LiFePO4"))
    book.close()
    left = {path.name for path in full.iterdir()} - {"bench.ubrant-wal", "bench.ubrant-shm"}
    assert left <= there - {"filler"}, "something half is left"
    assert (full / "old.ubrant").read_bytes() == old


def test_files(full, tmp_path):
    logbook = Logbook(tmp_path / "bench.ubrant")
    run = keep_discharge(logbook, logbook.keep_unit(PACK))
    record, account = account_of(logbook, run)
    stored = logbook.kept(run)
    fill(full)
    with pytest.raises(ExportError, match="could not be written"):
        export_csv(stored, full / "run.csv")
    with pytest.raises(ExportError, match="could not be written"):
        export_package(stored, full / "package")
    with pytest.raises(ReportError, match="could not be written"):
        write_report(run, record, account, "Pack", full / "report.html")
    logbook.close()
    done = ubrant("report", str(logbook.path), str(run.id), "--to", str(full / "report.html"))
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert {path.name for path in full.iterdir() if path.is_file()} == {"bench.ubrant", "filler"}
