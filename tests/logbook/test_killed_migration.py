"""A migration that is killed, and tried again: one copy of what was, and nothing else beside it."""

from __future__ import annotations

import os
import shutil
import sqlite3

import pytest

from tests.logbook.make_golden import GOLDEN
from ubrant.logbook import file
from ubrant.logbook.file import FORMAT
from ubrant.logbook.logbook import Logbook
from ubrant.writing import write_whole


class Killed(BaseException):
    """As good as kill -9: nothing is tidied up behind it."""


@pytest.mark.parametrize("at", range(1, FORMAT + 1))
def test_it_is_tried_again_with_one_copy(tmp_path, monkeypatch, at):
    path = tmp_path / "old.ubrant"
    shutil.copy(sorted(GOLDEN.glob("*.ubrant"))[0], path)
    honest, left = file._run, [at]

    def run(connection: sqlite3.Connection, script: str) -> None:
        left[0] -= 1
        if not left[0]:
            os._exit(9)
        honest(connection, script)

    child = os.fork()
    if not child:
        file._run = run
        Logbook(path)
        os._exit(0)
    os.waitpid(child, 0)
    Logbook(path).close()
    names = sorted(p.name for p in tmp_path.iterdir())
    assert names == ["old.format1.ubrant", "old.ubrant"]
    again = sqlite3.connect(path)
    assert again.execute("PRAGMA user_version").fetchone() == (FORMAT,)
    again.close()


def test_what_somebody_killed_left_unfinished_goes(tmp_path):
    gone = os.fork()
    if not gone:
        os._exit(0)
    os.waitpid(gone, 0)
    for name in (f".book.{gone}.ubrant", f".book.{gone}.ubrant-wal", f".book.{os.getppid()}.ubrant", ".book.mine.ubrant"):
        (tmp_path / name).touch()
    write_whole(tmp_path / "book.ubrant", lambda beside: beside.write_text("all"))
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted([f".book.{os.getppid()}.ubrant", ".book.mine.ubrant", "book.ubrant"])
