"""The logbook's file while it is open: taken away, replaced, opened twice, under another name; and who may read it."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import SIMULATED, RunHeader, Setup
from ubrant.logbook.file import LogbookError
from ubrant.logbook.lock import OpenLock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import new_run

HOLD = "import sys; from pathlib import Path; from ubrant.logbook.logbook import Logbook; b = Logbook(Path(sys.argv[1])); print('open', flush=True); sys.stdin.read(); b.close()"


@pytest.fixture
def elsewhere(tmp_path):
    """Another process that has the logbook open, with a runtime folder of its own."""
    path = tmp_path / "book.ubrant"
    environment = {**os.environ, "XDG_RUNTIME_DIR": str(tmp_path / "no such folder")}
    child = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment
    )
    assert child.stdout.readline() == "open\n"
    yield path
    child.communicate()


@pytest.mark.parametrize("name", ["book.ubrant", "hard link.ubrant", "soft link.ubrant"])
def test_whoever_opens_it_meets_the_lock(elsewhere, tmp_path, name):
    if name.startswith("hard"):
        os.link(elsewhere, tmp_path / name)
    elif name.startswith("soft"):
        (tmp_path / name).symlink_to(elsewhere)
    book = Logbook(tmp_path / name)
    assert (book.read_only, book.why_read_only) == (True, "open in another window")
    with pytest.raises(LogbookError, match="is open in another window"):
        book.keep_unit(Unit("Pack", "battery", "5 Ah"))
    book.close()


def test_looking_twice_here_keeps_the_lock(tmp_path):
    """Closing a second descriptor of the file would drop the locks that the first one's connections hold."""
    first = Logbook(tmp_path / "book.ubrant")
    for _ in range(3):
        second = Logbook(tmp_path / "book.ubrant")
        assert second.read_only
        second.close()
    assert not first.read_only
    held = subprocess.run(
        [sys.executable, "-c", HOLD.replace("print('open'", "print(b.read_only"), str(first.path)],
        input="",
        capture_output=True,
        text=True,
        check=True,
    )
    assert held.stdout == "True\n"
    first.keep_unit(Unit("Pack", "battery", "5 Ah"))
    first.close()
    assert not OpenLock._ours


def test_only_its_owner_may_read_it(tmp_path):
    old = os.umask(0o022)
    try:
        book = Logbook(tmp_path / "book.ubrant")
        book.save_copy(tmp_path / "copy.ubrant")
        book.close()
    finally:
        os.umask(old)
    assert {oct(p.stat().st_mode & 0o777) for p in tmp_path.iterdir()} == {"0o600"}


@pytest.mark.parametrize("how", ["removed", "replaced", "renamed"])
def test_a_file_that_goes_while_it_is_open_is_noticed_and_rescued(window, qtbot, how):
    needs("discharge")
    path = window.bench.logbook.path
    unit = window.bench.logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    if how == "renamed":
        path.rename(path.with_name("moved away.ubrant"))
    else:
        path.unlink()
    if how == "replaced":
        path.write_text("something else", "utf-8")
    qtbot.waitUntil(lambda: "was removed or replaced while it was open" in window.said(), timeout=1500)
    with pytest.raises(LogbookError, match="was removed or replaced while it was open"):
        window.bench.logbook.start_run(new_run(RunHeader("discharge", Setup(unit)), SIMULATED))
    keep_discharge(window.bench.logbook, unit)
    window.bench.shelf_changed.emit()
    assert path.exists() == (how == "replaced"), "a new file was made under the name of one that has gone"
    window.close()
    rescued = Logbook(path.with_name("bench rescued.ubrant"))
    assert [r.unit_id for r, _ in rescued.runs()] == [unit.id]
    assert rescued.damages() == []
    rescued.close()
    if how == "replaced":
        assert path.read_text("utf-8") == "something else"
