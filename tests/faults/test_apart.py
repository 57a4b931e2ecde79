"""What reads risky files does it in a process of its own: whatever becomes of that, the program gets a sentence, and the next file is read."""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
from pathlib import Path

import polars as pl
import pytest

from ubrant.apart import APART, Apart, Limits, Refused
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.sheets import read_parquet, read_workbook

ANSWERS = "import sys,os,time,json\nfor line in sys.stdin:\n    "
SOON = Limits(1.0, 5, 1 << 30)


def like(body: str) -> Apart:
    return Apart((sys.executable, "-c", ANSWERS + body))


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ("os.kill(os.getpid(), 11)", "ended what was reading it"),
        ("sys.exit(0)", "ended what was reading it"),
        ("time.sleep(60)", "takes longer than 1 s to read"),
        ("x = bytearray(300 << 20)\n    time.sleep(60)", "takes more than 0.1 GB to read"),
        ("print('no json', flush=True)", "ended what was reading it"),
        ("print('[]', flush=True)", "ended what was reading it"),
        ('print(json.dumps({"ok": True, "lengths": ["x"]}), flush=True)', "ended what was reading it"),
        ('print(json.dumps({"ok": True, "lengths": [-1]}), flush=True)', "ended what was reading it"),
        ('print(json.dumps({"ok": True, "lengths": [1 << 40]}), flush=True)', "holds more than is read at once"),
        ('print(json.dumps({"ok": True, "lengths": [3]}) + chr(10) + "{{{", flush=True)', "ended what was reading it"),
        ('print(json.dumps({"ok": False, "lengths": [4]}) + chr(10) + chr(34) + "no" + chr(34), flush=True)', "no"),
        (
            'print(json.dumps({"ok": True, "lengths": [1 << 28]}), flush=True)\n    while True: print("x", flush=True); time.sleep(0.01)',
            "takes longer than 1 s to read",
        ),
        ("print('x' * (1 << 18), flush=True)\n    time.sleep(60)", "ended what was reading it"),
    ],
    ids=[
        "crash",
        "goes",
        "hangs",
        "grows",
        "no json",
        "list",
        "words",
        "negative",
        "huge",
        "broken",
        "refused",
        "never stops",
        "endless head",
    ],
)
def test_whatever_becomes_of_it_there_is_a_sentence(tmp_path, body, says):
    apart = like(body)
    limits = Limits(10.0, 5, 100 << 20) if "bytearray" in body else SOON
    with pytest.raises(Refused, match=says):
        apart.ask("workbook", tmp_path / "a.xlsx", limits)
    apart.end()


def test_the_next_file_is_read_by_a_new_one(tmp_path):
    pl.DataFrame({"Time (s)": [0, 1], "Voltage (V)": [12.0, 11.9], "Current (A)": [1.0, 1.0]}).write_parquet(tmp_path / "good.parquet")
    read_parquet(tmp_path / "good.parquet")
    child = APART._child
    assert child is not None
    assert read_parquet(tmp_path / "good.parquet").kept_rows[0] == (2, ["0", "12.0", "1.0"])
    assert APART._child is child  # it stays warm
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    assert read_parquet(tmp_path / "good.parquet").headings == ("Time (s)", "Voltage (V)", "Current (A)")
    assert APART._child is not child


def test_it_is_renewed_after_some_files(tmp_path, monkeypatch):
    monkeypatch.setattr("ubrant.apart._MOST_FILES", 2)
    apart = like('sys.stdout.write(json.dumps({"ok": True, "lengths": [4]}) + chr(10) + "1234"); sys.stdout.flush()')
    seen = []
    for _ in range(3):
        apart.ask("workbook", tmp_path / "a")
        seen.append(apart._child)
    assert seen[0] is not None and seen[1] is None and seen[2] is not None
    apart.end()


def test_several_at_once_are_read_one_after_the_other(tmp_path):
    paths = []
    for k in range(4):
        paths.append(tmp_path / f"{k}.parquet")
        pl.DataFrame({"Time (s)": [0, 1], "Voltage (V)": [12.0 + k, 11.9], "Current (A)": [1.0, 1.0]}).write_parquet(paths[-1])
    read: dict[Path, str] = {}
    threads = [threading.Thread(target=lambda p=p: read.update({p: read_parquet(p).kept_rows[0][1][1]})) for p in paths]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [read[p] for p in paths] == ["12.0", "13.0", "14.0", "15.0"]


def test_what_is_refused_there_is_refused_here(tmp_path):
    (tmp_path / "no.parquet").write_bytes(b"PAR1 and no more")
    with pytest.raises(LogError, match=r"no\.parquet is not a Parquet file that can be read: write it anew"):
        read_parquet(tmp_path / "no.parquet")
    (tmp_path / "no.xlsx").write_bytes(b"PK no more")
    with pytest.raises(LogError, match=r"no\.xlsx is not a workbook that can be read"):
        read_workbook(tmp_path / "no.xlsx")


def test_it_does_nothing_but_what_it_is_there_for(tmp_path):
    """A request for anything else ends it; nothing of it is carried out."""
    apart = Apart()
    with pytest.raises(Refused):
        apart.ask("os:remove", tmp_path / "a")
    assert json.dumps(sorted(__import__("ubrant.apart", fromlist=["DOES"]).DOES)) == '["parquet", "picture", "workbook"]'
