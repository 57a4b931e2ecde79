"""Two hundred spoilt files (5 000 with ``--all``) through the window and the command line: no traceback, none that holds on, nothing kept without a word."""

from __future__ import annotations

import random
import resource
import time
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QProgressDialog

from tests.command_line import ubrant
from tests.faults.test_files import PATIENCE, formats, mutated, put  # noqa: F401
from ubrant.apart import Refused
from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import SentenceError
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logs.log_file import LogError
from ubrant.methods.method import MethodError
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.mapping_dialog import MappingDialog

FORESEEN = (LogError, MethodError, LogbookError, SentenceError, Refused)
KIT = '[[source]]\nname = "Pack"\nenergy = "500 Wh"\n\n[[way]]\nname = "Step-down"\nefficiency = "88 %"\n\n[[load]]\nname = "Lamp"\npower = "10 W"\nhours = "5 h"\n'
MOST_MEMORY = 500 << 20


@pytest.fixture
def unforeseen(monkeypatch):
    """What nobody foresaw, wherever it came up."""
    found: list[BaseException] = []

    def note(where: str, error: BaseException) -> None:
        if not isinstance(error, FORESEEN):
            found.append(error)

    monkeypatch.setattr("ubrant.ui.widgets.work.unexpected", note)
    monkeypatch.setattr("ubrant.diagnostics.unexpected", note)
    return found


@pytest.fixture
def answers(monkeypatch):
    """Whoever is asked looks at every field of the dialog, and takes it where it can be taken."""

    def look(dialog) -> int:
        dialog.show()
        QApplication.processEvents()
        if isinstance(dialog, ImportDialog):
            dialog.new_label.setText("50 Ah 12.8 V LiFePO4")
            dialog.arrivals.tell(dialog.current())
            if dialog.keep.isEnabled():
                dialog.take()
        dialog.close()
        return 0

    monkeypatch.setattr(ImportDialog, "exec", look)
    monkeypatch.setattr(MappingDialog, "exec", look)


def quiet(window, qtbot) -> None:
    """Until nothing is being read."""
    qtbot.waitUntil(lambda: not any(d.isEnabled() and not d.wasCanceled() for d in window.findChildren(QProgressDialog)), timeout=20_000)
    QApplication.processEvents()


@pytest.mark.parametrize("seed", [pytest.param(n, marks=() if n < 1 else pytest.mark.slow) for n in range(50)])
def test_through_the_window_and_the_command_line(window, qtbot, formats, tmp_path, unforeseen, answers, seed):  # noqa: F811
    folder, sound = formats
    chance = random.Random(f"door {seed}")
    asked = random.Random(f"order {seed}")
    for number in range(100):
        one = chance.choice(sound)
        place = put(folder, tmp_path, one.name, mutated(one.data, chance))
        where = f"seed {seed}, number {number}, {one.name}"
        began = time.process_time()
        if asked.random() < 0.5:
            window.imports.bring_in([place])
            quiet(window, qtbot)
            assert not unforeseen, f"{where}: {unforeseen!r}"
        else:
            made = ubrant("analyse", str(place), "--rated", "50 Ah 12.8 V")
            assert made.returncode in {0, 2}, f"{where}: {made.stderr}"
            assert "Traceback" not in made.stderr
            assert made.returncode == 0 or made.stderr.strip().endswith((".", "?", "”", ")")), f"{where}: {made.stderr}"
        assert time.process_time() - began < 10 * PATIENCE, where
    window.imports.bring_in([put(folder, tmp_path, sound[0].name, sound[0].data)])
    quiet(window, qtbot)
    assert window.bench.logbook.runs()  # a sound one is kept all the same
    assert not window.bench.logbook.damages()
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 < 4 * MOST_MEMORY  # of all tests before it, too


@pytest.mark.parametrize("seed", [pytest.param(n, marks=() if n < 1 else pytest.mark.slow) for n in range(20)])
def test_pictures_and_kits(window, qtbot, tmp_path, unforeseen, seed):
    chance = random.Random(f"picture {seed}")
    image = QImage(64, 48, QImage.Format.Format_RGB32)
    image.fill(0x336699)
    for kind in ("png", "jpg", "bmp"):
        image.save(str(tmp_path / f"sound.{kind}"))
    logbook = window.bench.logbook
    unit = window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V"))
    window.bench.choose_unit(unit.id)
    kit = Path(tmp_path / "kit.toml")
    for number in range(25):
        kind = chance.choice(("png", "jpg", "bmp"))
        picture = tmp_path / f"p{number}.{kind}"
        picture.write_bytes(mutated((tmp_path / f"sound.{kind}").read_bytes(), chance))
        window._dropped([picture])
        quiet(window, qtbot)
        assert not unforeseen, f"seed {seed}, number {number}: {unforeseen!r}"
        kit.write_bytes(mutated(KIT.encode(), chance))
        made = ubrant("outlook", str(kit))
        assert made.returncode in {0, 2}
        assert "Traceback" not in made.stderr
    assert all(photo.jpeg.startswith(b"\xff\xd8\xff") for photo in logbook.photos(unit.id, None))
