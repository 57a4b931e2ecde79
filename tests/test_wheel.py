"""The wheel, as somebody else would get it: built, installed into an empty environment, started."""

from __future__ import annotations

import os
import subprocess
import sys
import venv
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
_START = """
import sys
from pathlib import Path
import ubrant
assert "site-packages" in ubrant.__file__, ubrant.__file__
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import MainWindow
app = make_application()
window = MainWindow(Logbook(Path(sys.argv[1])))
window.show()
app.processEvents()
assert window.isVisible()
for entry in entries():
    entry.method
print(len(entries()), "methods", app.font().family())
"""


def run(*command: str | Path, cwd: Path) -> str:
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"} | {"QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([str(c) for c in command], cwd=cwd, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]
    return done.stdout


@pytest.mark.slow
def test_built_installed_and_started(tmp_path):
    run(sys.executable, "-m", "pip", "wheel", "--no-deps", "--wheel-dir", tmp_path / "dist", ROOT, cwd=tmp_path)
    (wheel,) = (tmp_path / "dist").glob("ubrant-*.whl")
    venv.create(tmp_path / "empty", with_pip=True)
    python = tmp_path / "empty" / "bin" / "python"
    run(python, "-m", "pip", "install", "--quiet", wheel, cwd=tmp_path)
    assert run(tmp_path / "empty" / "bin" / "ubrant", "--version", cwd=tmp_path).startswith("Ubrant ")
    assert "discharge" in run(tmp_path / "empty" / "bin" / "ubrant", "methods", cwd=tmp_path)
    told = run(python, "-c", _START, tmp_path / "first.ubrant", cwd=tmp_path)
    assert "methods B612" in told
