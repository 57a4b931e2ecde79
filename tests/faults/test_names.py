"""File names of any bytes, folders that are none, and places where nothing can be written."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from tests.command_line import ubrant
from tests.window import needs
from ubrant.bench.lines import private_connection
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.standins.scenario import Scenario
from ubrant.core.models.cell import pack_from_label
from ubrant.core.quantities.label import parse_label
from ubrant.logbook.logbook import Logbook

LOG = "Time (s),Voltage (V),Current (A)\n" + "".join(f"{60 * k},{13 - k / 100},5\n" for k in range(60))
NAMES = [b"caf\xe9 \xff.csv", b"a\nb.csv", b"-x.csv", b"'q\".csv", b"\xe2\x80\xaegnp.csv", b"n" * 250 + b".csv", b"%s{x}.csv", b" .csv"]


@pytest.mark.parametrize("name", NAMES, ids=range(len(NAMES)))
def test_a_log_of_any_name_is_read_and_named_visibly(tmp_path, name):
    needs("discharge")
    path = tmp_path / os.fsdecode(name)
    path.write_text(LOG, "ascii")
    done = subprocess.run(
        [sys.executable, "-m", "ubrant", "analyse", str(path), "--rated", "5 Ah 12.8 V LiFePO4"], capture_output=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert b"Traceback" not in done.stderr
    assert b"4.917 Ah" in done.stdout


@pytest.mark.parametrize("name", [os.fsdecode(b"caf\xff.ubrant"), "a\nb.ubrant", "%41.ubrant", "x?mode=memory.ubrant", "#.ubrant"])
def test_a_logbook_of_any_name_stays_under_it(tmp_path, name):
    book = Logbook(tmp_path / name)
    book.save_copy(tmp_path / f"copy {name}")
    assert book.damages() == []
    book.close()
    assert {path.name for path in tmp_path.iterdir()} == {name, f"copy {name}"}
    done = ubrant("runs", str(tmp_path / name))
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("what", ["missing", "a file", "unwritable"])
def test_a_runtime_folder_that_is_none(tmp_path, monkeypatch, what):
    place = tmp_path / "runtime"
    if what == "a file":
        place.write_text("no folder")
    elif what == "unwritable":
        place.mkdir(mode=0o500)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(place))
    book = Logbook(tmp_path / "book.ubrant")
    assert not book.read_only
    assert Logbook(tmp_path / "book.ubrant").read_only
    book.close()


def test_a_simulated_bench_serves_its_own_user_only():
    world = WorldProcess(Scenario(pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4"))))
    assert all(address.startswith("unix:") for address in world.addresses.values())
    with private_connection(world.addresses["meter"], 5.0) as ours:
        ours.sendall(b"*IDN?\n")
        assert ours.recv(200).startswith(b"Ubrant")
    if os.getuid() == 0:
        code = (
            "import os, socket, sys; os.setuid(65534); s = socket.socket(socket.AF_UNIX); "
            "s.connect('\\0' + sys.argv[1]); s.sendall(b'*IDN?\\n'); print(repr(s.recv(200)))"
        )
        tried = subprocess.run(
            [sys.executable, "-c", code, world.addresses["meter"].removeprefix("unix:")], capture_output=True, text=True, check=False
        )
        assert tried.stdout.strip() in {"b''", ""}, tried.stdout
    world.close()
