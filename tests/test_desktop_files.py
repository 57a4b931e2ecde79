"""Files for the desktop are valid by the desktop's own tools, where those are installed."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

DESKTOP = Path(__file__).parents[1] / "desktop"


@pytest.mark.parametrize(
    ("tool", "arguments"),
    [
        ("desktop-file-validate", ["org.ubrant.Ubrant.desktop"]),
        ("appstreamcli", ["validate", "--no-net", "org.ubrant.Ubrant.metainfo.xml"]),
    ],
)
def test_valid(tool, arguments):
    if not shutil.which(tool):
        pytest.skip(f"{tool} is not installed")
    done = subprocess.run([tool, *arguments], cwd=DESKTOP, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_the_magic_number_is_the_one_that_is_written(tmp_path):
    from ubrant.logbook.logbook import Logbook

    Logbook(tmp_path / "x.ubrant").close()
    assert (tmp_path / "x.ubrant").read_bytes()[68:72].hex() in (DESKTOP / "org.ubrant.Ubrant.mime.xml").read_text()
