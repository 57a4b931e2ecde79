"""Logbooks that do not open as they should: one sentence, and a way on."""

from __future__ import annotations

import os
import sqlite3

import pytest

from tests.making import falling
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.file import LogbookError, salvage
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import from_log, keep


@pytest.fixture
def kept(tmp_path):
    """A logbook with a dozen runs, closed."""
    path = tmp_path / "book.ubrant"
    logbook = Logbook(path)
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    body = falling(every_s=5.0)
    for _ in range(12):
        keep(logbook, from_log(LogFile("x.csv", body.time_s, body.voltage_v, body.current_a)), unit)
    logbook.close()
    return path


def test_what_can_be_read_of_a_damaged_one_is_saved(kept, tmp_path):
    size = kept.stat().st_size
    with kept.open("r+b") as file:  # the last third is gone bad; the first pages still stand
        file.seek(size * 2 // 3)
        file.write(os.urandom(size // 3))
    saved = salvage(kept, tmp_path / "saved.ubrant")
    assert saved >= 1
    logbook = Logbook(tmp_path / "saved.ubrant")
    assert logbook.units()[0].name == "Pack"
    assert len(logbook.runs()) == saved
    logbook.close()
    with pytest.raises(LogbookError, match="is there already"):
        salvage(kept, tmp_path / "saved.ubrant")


def test_nothing_to_save_is_said(tmp_path):
    path = tmp_path / "noise.ubrant"
    path.write_bytes(os.urandom(4096))
    with pytest.raises(LogbookError, match=r"Nothing can be read of noise\.ubrant"):
        salvage(path, tmp_path / "saved.ubrant")
    assert not (tmp_path / "saved.ubrant").exists()


def test_one_that_cannot_be_written_can_be_looked_at(kept, monkeypatch):
    """As root everything can be written, so the answer of the system is stood in for."""
    monkeypatch.setattr(os, "access", lambda path, mode: mode != os.W_OK)
    logbook = Logbook(kept)
    assert logbook.read_only
    assert len(logbook.runs()) == 12
    with pytest.raises(LogbookError, match="cannot be written where it is: save a copy"):
        logbook.keep_unit(Unit("Another", "battery", "1 Ah 3.6 V"))
    logbook.close()
    with sqlite3.connect(kept) as db:
        db.execute("PRAGMA user_version=1")
    with pytest.raises(LogbookError, match="is of an older format"):
        Logbook(kept)


def test_one_whose_own_words_are_spoilt_is_damaged(kept):
    kept.write_bytes(kept.read_bytes().replace(b"indexrun_by", b"inde\x9crun_by"))
    with pytest.raises(LogbookError, match=r"^book\.ubrant is not a Ubrant logbook, or it is damaged"):
        Logbook(kept)
