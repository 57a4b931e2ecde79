"""Whatever leaves a logbook is what was written into it, or it is said that it is damaged: by every way out, of sixty damaged logbooks (2 000 with ``--all``)."""

from __future__ import annotations

import random
import sqlite3

import pytest
from PyQt6.QtWidgets import QFileDialog

from tests.command_line import ubrant
from tests.faults.test_damaged import METER, sound, spoil  # noqa: F401
from tests.making import falling
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.checksums import teach
from ubrant.logbook.exporting import export_csv, export_package
from ubrant.logbook.file import LogbookError, connect
from ubrant.logbook.logbook import Logbook
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.coming_in.merging import bring_in
from ubrant.runs.kept.accounts import account_of_stored


def left_by(book: Logbook, folder) -> dict[int, bytes]:
    """By run what its export holds, of those that may leave."""
    made = {}
    for run, _ in book.runs():
        try:
            stored = book.leaving(run)
        except LogbookError:
            continue
        path = folder / f"{run.id}.csv"
        export_csv(stored, path)
        made[run.id] = path.read_bytes()
    return made


@pytest.fixture(scope="module")
def before(sound, tmp_path_factory):  # noqa: F811
    book = Logbook(sound[0])
    made = left_by(book, tmp_path_factory.mktemp("before"))
    book.close()
    return made


@pytest.mark.parametrize("seed", [pytest.param(n, marks=() if n < 1 else pytest.mark.slow) for n in range(100)])
def test_what_leaves_is_what_was_written(sound, before, tmp_path, seed):  # noqa: F811
    """Twenty a seed; the file is closed without a word of its own, however damaged it is."""
    data, chance = sound[0].read_bytes(), random.Random(f"out {seed}")
    for number in range(20):
        spoilt, what = spoil(data, chance)
        damaged = tmp_path / f"{number}.ubrant"
        damaged.write_bytes(spoilt)
        try:
            book = Logbook(damaged)
        except LogbookError:
            continue
        try:
            left = left_by(book, tmp_path)
        except LogbookError:
            left = {}
        finally:
            book.close()
        for run, found in left.items():
            assert found == before.get(run), f"{what}: run {run} left as something else"
        other = Logbook(tmp_path / f"{number} into.ubrant")
        try:
            came = bring_in(other, damaged)
        except LogbookError:
            other.close()
            continue
        assert len(left_by(other, tmp_path)) == len(came.runs)
        other.close()


@pytest.fixture
def damaged(tmp_path):
    """A logbook of two runs, the second with a reading that is another than was written."""
    from ubrant.logbook.logs.log_file import LogFile
    from ubrant.runs.coming_in.bringing_in import from_log, keep, under_options

    path = tmp_path / "book.ubrant"
    book = Logbook(path)
    unit = book.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    for every_s in (30.0, 60.0):
        body = falling(every_s=every_s)
        made = from_log(LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a))
        keep(book, under_options(made, LogOptions(said={"cutoff": "11 V"}, meters={"battery": METER}, unit=unit)), unit)
    book.close()
    raw = sqlite3.connect(path)
    raw.execute("UPDATE piece SET value = zeroblob(length(value)) WHERE channel_id = (SELECT max(id) FROM channel)")
    raw.commit()
    raw.close()
    return path


def test_the_command_line_refuses_and_writes_it_when_asked_for(damaged, tmp_path):
    for to in ("out.csv", "out.jot", "out"):
        made = ubrant("export", str(damaged), "2", "--to", str(tmp_path / to))
        assert made.returncode == 2
        assert "Run 2 is damaged in book.ubrant: nothing was written" in made.stderr
        assert "--damaged" in made.stderr
        assert "Traceback" not in made.stderr
        assert not (tmp_path / to).exists()
    assert ubrant("report", str(damaged), "2", "--to", str(tmp_path / "out.html")).returncode == 2
    assert ubrant("export", str(damaged), "1", "--to", str(tmp_path / "sound.csv")).returncode == 0
    made = ubrant("export", str(damaged), "2", "--to", str(tmp_path / "asked.csv"), "--damaged")
    assert made.returncode == 0
    again = read_file(tmp_path / "asked.csv", LogOptions())
    assert "This run is damaged in the logbook" in again.run.trouble
    assert ubrant("export", str(damaged), "2", "--to", str(tmp_path / "asked"), "--damaged").returncode == 0
    assert "This run is damaged" in (tmp_path / "asked" / "datapackage.json").read_text("utf-8")
    assert account_of_stored(again.record()) is not None


def test_the_window_asks(damaged, window, monkeypatch, tmp_path):
    window.open_path(damaged)
    window.findings.open_run(2)
    asked: list[str] = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "never.csv"), "CSV (*.csv)"))
    window.files.wants_damaged = lambda damage: bool(asked.append(damage))
    for take in (window.files.export, window.files.report, window.files.copy_card, window.files.copy_ledger, window.files.figures):
        take()
    assert len(asked) == 5
    assert all("damaged in the logbook" in one for one in asked)
    assert not (tmp_path / "never.csv").exists()


def test_a_damaged_unit_is_known_for_it_where_it_is_brought_in(damaged, tmp_path):
    raw = sqlite3.connect(damaged)
    raw.execute("UPDATE unit SET label = '500 Ah 12.8 V LiFePO4'")
    raw.commit()
    raw.close()
    other = Logbook(tmp_path / "other.ubrant")
    bring_in(other, damaged)
    assert [unit.name for unit in other.units()] == ["Pack (damaged)"]
    assert not other.damages()
    other.close()


def test_a_package_of_a_sound_run_says_nothing_of_damage(damaged, tmp_path):
    book = Logbook(damaged)
    export_package(book.leaving(book.run(1)), tmp_path / "p")
    book.close()
    assert "damage" not in (tmp_path / "p" / "datapackage.json").read_text("utf-8")
    db = connect(damaged)
    teach(db)
    db.close()
