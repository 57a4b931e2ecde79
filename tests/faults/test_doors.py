"""What comes from outside and was once a traceback, or held everything up: one sentence now, at every door."""

from __future__ import annotations

import os
import threading

import pytest
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QImage

from tests.command_line import ubrant
from ubrant.runs.kits.kit_parts import KitError, read_kit
from ubrant.ui.common.photos import PhotoError, photo_of

KIT = '[[source]]\nname="Pack"\nenergy="500 Wh"\n[[load]]\nname="Lamp"\npower="10 W"\n[[input]]\nname="panel"\nlog="l.csv"\n'
RATED = ("--rated", "50 Ah 12.8 V", "--cutoff", "11 V")


def refused(made, *words: str) -> None:
    assert made.returncode == 2
    assert "Traceback" not in made.stderr
    for word in words:
        assert word in made.stderr


@pytest.mark.parametrize("year", ["0001", "9999", "1850"])
def test_stamps_of_a_year_that_cannot_be(tmp_path, year):
    path = tmp_path / "x.csv"
    path.write_text("time,voltage V,current A\n" + "".join(f"{year}-12-31T22:{k:02d}:00,12.9,5\n" for k in range(30)))
    refused(ubrant("analyse", str(path), *RATED), "x.csv: ", f"{year}-12-31 is no day that can be")


@pytest.mark.parametrize(
    ("head", "says"),
    [
        ("amps: 0.5", "“0.5” is not understood in an accuracy in A"),
        ("volts: 1 % of", "“1 % of” is not understood"),
        ("details: id x", "details: “id x” is not understood"),
        ("details: floor_a 1_0", "“floor_a 1_0” is not understood"),
    ],
)
def test_the_head_of_a_jot_text(tmp_path, head, says):
    path = tmp_path / "x.jot"
    path.write_text(f"method: discharge\nunit: Pack\nlabel: 50 Ah 12.8 V\n{head}\n@10:00 12.9 V 5 A\n@11:00 12.8 V 5 A\n")
    refused(ubrant("analyse", str(path)), "x.jot, ", says)


@pytest.mark.parametrize(
    ("log", "says"),
    [
        (b"time,W\n\xff\xfe\x00\x01\n", "line 2: a time of day and watts belong here"),
        ("Zeit,Leistung\n00:00,5°\n01:00,7\n02:00,8\n".encode("latin-1"), "line 2: a time of day and watts belong here"),
        (b"\x00" * 1000, "has no two times that rise"),
        (b"time,W\n00:00,1_0\n01:00,10\n", "line 2"),
    ],
)
def test_the_log_of_a_kit(tmp_path, log, says):
    (tmp_path / "kit.toml").write_text(KIT)
    (tmp_path / "l.csv").write_bytes(log)
    refused(ubrant("outlook", str(tmp_path / "kit.toml")), says)


def test_a_pipe_is_no_file_and_nobody_waits_for_it(tmp_path):
    """As a kit, as the log of one, as a picture."""
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "kit.toml").write_text(KIT.replace("l.csv", "pipe"))
    outcome: list[str] = []

    def tried() -> None:
        for do in (lambda: read_kit(tmp_path / "pipe"), lambda: photo_of(tmp_path / "pipe")):
            try:
                do()
            except (KitError, PhotoError) as error:
                outcome.append(str(error))
        outcome.append(ubrant("outlook", str(tmp_path / "kit.toml")).stderr)

    worker = threading.Thread(target=tried, daemon=True)
    worker.start()
    worker.join(20.0)
    assert len(outcome) == 3, "somebody still waits"
    assert all("pipe" in one for one in outcome)


def test_pictures_that_are_none(tmp_path, qapp):
    image = QImage(400, 300, QImage.Format.Format_RGB32)
    image.fill(0x336699)
    for kind in ("jpg", "png"):
        whole = tmp_path / f"whole.{kind}"
        assert image.save(str(whole))
        assert photo_of(whole).jpeg
        (tmp_path / f"half.{kind}").write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
        with pytest.raises(PhotoError, match="is not whole: its end is missing"):
            photo_of(tmp_path / f"half.{kind}")
    (tmp_path / "x.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><image href="{tmp_path}/whole.png"/></svg>'
    )
    (tmp_path / "x.png").write_bytes(b"%PDF-1.4\n1 0 obj\n<<>>\nendobj\n")
    for name in ("x.svg", "x.png"):
        with pytest.raises(PhotoError, match="is no picture that can be read here"):
            photo_of(tmp_path / name)


def test_look_in_again_in_a_month(window):
    """A timer counts no further than 24 days at once; it goes on from there."""
    window.reminders.remind(40 * 86_400.0)
    timer = window.reminders.timers[-1]
    assert isinstance(timer, QTimer)
    assert timer.isActive()
    assert timer.interval() == 2**31 - 1
    timer.timeout.emit()
    assert timer.isActive()
    assert timer.interval() == 40 * 86_400_000 - (2**31 - 1)
    timer.timeout.emit()
    assert window.said() == "Look in again: that is what you asked for."


@pytest.mark.parametrize(
    ("sql", "kind"),
    [
        ("ALTER TABLE unit RENAME TO u; CREATE VIEW unit AS SELECT * FROM u", "view"),
        ("CREATE TRIGGER t AFTER INSERT ON run BEGIN DELETE FROM unit; END", "trigger"),
        ("CREATE VIRTUAL TABLE v USING fts5(x)", "virtual table"),
    ],
)
def test_a_logbook_with_more_than_tables_in_it_is_not_opened(tmp_path, window, sql, kind):
    import sqlite3

    from ubrant.core.equipment.unit import Unit
    from ubrant.logbook.file import LogbookError
    from ubrant.logbook.logbook import Logbook
    from ubrant.runs.coming_in.merging import bring_in

    path = tmp_path / "other.ubrant"
    book = Logbook(path)
    book.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V"))
    book.close()
    with sqlite3.connect(path) as raw:
        raw.executescript(sql)
    before = path.read_bytes()
    with pytest.raises(LogbookError, match=f"has a {kind} in it"):
        Logbook(path)
    with pytest.raises(LogbookError, match=f"has a {kind} in it"):
        bring_in(window.bench.logbook, path)
    refused(ubrant("runs", str(path)), "which Ubrant never wrote: it is not opened")
    assert path.read_bytes() == before
    assert window.bench.logbook.units() == []
