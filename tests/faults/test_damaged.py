"""Logbooks with a bit turned, a page overwritten, the end missing: said in a sentence, or as before; never another figure without a word."""

from __future__ import annotations

import contextlib
import random
import shutil
import sqlite3

import pytest
from PyQt6.QtWidgets import QFileDialog

from tests.making import HUT, falling
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import RunHeader, Setup
from ubrant.logbook.checksums import damage_of, teach
from ubrant.logbook.file import DamagedError, LogbookError, connect, salvage
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import new_run
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.kept.accounts import account_of

METER = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA")


def spoil(data: bytes, chance: random.Random) -> tuple[bytes, str]:
    """One kind of damage at a random place, and its name."""
    kind = chance.choice(("bit", "bit", "bit", "byte", "page", "cut", "zeros"))
    at = chance.randrange(len(data))
    if kind == "bit":
        return data[:at] + bytes([data[at] ^ 1 << chance.randrange(8)]) + data[at + 1 :], f"bit of byte {at}"
    if kind == "byte":
        return data[:at] + chance.randbytes(1) + data[at + 1 :], f"byte {at}"
    if kind == "cut":
        return data[:at], f"cut at {at}"
    page = at // 8192 * 8192
    fill = chance.randbytes(8192) if kind == "page" else bytes(8192)
    return (data[:page] + fill + data[page + 8192 :])[: len(data)], f"{kind} at {page}"


@pytest.fixture(scope="module")
def sound(tmp_path_factory):
    """A logbook with three runs, and what is said of each."""
    path = tmp_path_factory.mktemp("sound") / "book.ubrant"
    book = Logbook(path)
    unit = book.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    book.keep_meter(METER)
    for every_s in (20.0, 45.0, 60.0):
        body = falling(every_s=every_s)
        made = from_log(LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a))
        run = keep(book, under_options(made, LogOptions(said={"cutoff": "11 V"}, meters={"battery": METER}, unit=unit)), unit)
        book.note(run.id, 600.0, "case warm")
    said = said_of(book)
    book.close()
    return path, said


def said_of(book: Logbook) -> dict[int, tuple[object, ...]]:
    """By run: its sentence and figures; None instead of figures where it is said that it is damaged."""
    made: dict[int, tuple[object, ...]] = {}
    for run, name in book.runs():
        try:
            record, account = account_of(book, run)
        except DamagedError:
            made[run.id] = ("damaged",)
            continue
        if record.damage or account.trouble:
            assert account.verdict is None
            made[run.id] = ("damaged",)
        else:
            made[run.id] = (name, account.sentence, tuple((f.key, f.value, f.expanded_uncertainty) for f in account.findings.values()))
    return made


def cases() -> list[object]:
    return [pytest.param(seed, id=str(seed), marks=() if seed < 2 else pytest.mark.slow) for seed in range(100)]


@pytest.mark.parametrize("seed", cases())
def test_damage_is_said_or_changes_nothing(sound, tmp_path, seed):
    """Twenty a seed."""
    path, before = sound
    data, chance = path.read_bytes(), random.Random(seed)
    for number in range(20):
        spoilt, what = spoil(data, chance)
        damaged = tmp_path / f"{number}.ubrant"
        damaged.write_bytes(spoilt)
        looked_at(damaged, before, what)
        saved = tmp_path / f"{number} saved.ubrant"
        try:
            salvage(damaged, saved)
        except LogbookError:
            continue
        book = Logbook(saved)
        after = said_of(book)
        book.close()
        for run, said in after.items():
            assert said[1:] in (before[run][1:], ()), f"{what}: saved run {run} says something else"


def looked_at(damaged, before, what: str) -> None:
    try:
        book = Logbook(damaged)
    except LogbookError:
        return
    try:
        after = said_of(book)
    except DamagedError:
        return
    finally:
        book.close()
    for run, said in after.items():
        assert said in (before.get(run), ("damaged",)), f"{what}: run {run} says something else and not that it is damaged"
    if len(after) < len(before):
        assert book_says_so(damaged), f"{what}: a run is gone without a word"


def book_says_so(path) -> bool:
    book = Logbook(path)
    try:
        return bool(book.damages())
    finally:
        book.close()


def test_every_row_is_sealed_by_whoever_writes(sound, tmp_path):
    path, _ = sound
    shutil.copy(path, tmp_path / "b.ubrant")
    book = Logbook(tmp_path / "b.ubrant")
    unit = book.units()[0]
    book.keep_unit(Unit("Other", "battery", "7 Ah", id=unit.id))
    book.keep_meter(METER)
    run, _ = book.runs()[0]
    book.note(run.id, 5.0, "again")
    book.delete_run(run.id)
    assert book.damages() == []
    book.close()


def test_a_row_that_another_program_changed_is_named(sound, tmp_path):
    path, _ = sound
    shutil.copy(path, tmp_path / "b.ubrant")
    with sqlite3.connect(tmp_path / "b.ubrant") as db:
        db.execute("UPDATE event SET time_s = 601 WHERE id = (SELECT min(id) FROM event)")
        db.execute("DELETE FROM piece WHERE channel_id = (SELECT max(id) FROM channel)")
        db.execute("UPDATE unit SET label = '5 Ah'")
    db.close()
    book = Logbook(tmp_path / "b.ubrant")
    assert {(d.run, d.table) for d in damage_of(book._db)} == {(None, "unit"), (1, "event"), (3, "")}
    record, account = account_of(book, book.run(1))
    assert record.damage.startswith("This run is damaged in the logbook (events)")
    assert (account.verdict, account.warnings[0]) == (None, record.damage)
    assert account.findings
    book.close()
    salvage(tmp_path / "b.ubrant", tmp_path / "saved.ubrant")
    book = Logbook(tmp_path / "saved.ubrant")
    assert [u.name for u in book.units()] == ["Pack (damaged)"]
    book.close()


def test_the_window_says_what_is_damaged_and_saves_the_rest(window, qtbot, sound, tmp_path, monkeypatch):
    path, before = sound
    shutil.copy(path, tmp_path / "b.ubrant")
    with sqlite3.connect(tmp_path / "b.ubrant") as db:
        db.execute("UPDATE piece SET value = zeroblob(length(value)) WHERE channel_id = 1")
    db.close()
    monkeypatch.setattr("ubrant.ui.window.shell.remember", lambda _: None)
    window.open_path(tmp_path / "b.ubrant")
    window.watch.check()
    qtbot.waitUntil(lambda: "The logbook is damaged: 1 of its runs, 0 other things." in window.said(), timeout=10_000)
    window.bench.run_opened.emit(1)
    assert window.findings.verdict.text().startswith("This run is damaged in the logbook (readings)")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "saved.ubrant"), "Ubrant logbook (*.ubrant)"))
    window.files.save_what_reads()
    qtbot.waitUntil(lambda: (tmp_path / "saved.ubrant").exists() and window.said().startswith("Saved as"), timeout=10_000)
    book = Logbook(tmp_path / "saved.ubrant")
    after = said_of(book)
    book.close()
    assert (after[1], after[2], after[3]) == (("damaged",), before[2], before[3])


def test_what_is_written_while_all_of_it_is_read_is_no_damage(logbook):
    """A run that goes on is written between one question and the next."""
    run = logbook.start_run(new_run(RunHeader("idle", Setup(HUT)), "typed"))
    with contextlib.closing(connect(logbook.path, read_only=True)) as db:
        teach(db)
        written: list[str] = []

        def write(sql: str) -> None:
            if "FROM run_seal" in sql:
                written.append(sql)
                logbook.note(run.id, float(len(written)), "meanwhile")

        db.set_trace_callback(write)
        assert damage_of(db) == []
        assert written
