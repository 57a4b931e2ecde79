"""Each method can be taken away: what is left is linted, typed and tested as before."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from ubrant.methods.registry import entries

ROOT = Path(__file__).parent.parent
LEFT = ["tests/methods", "tests/ui", "tests/report", "tests/test_cli.py"]


def run(copy: Path, *command: str, without: str = "") -> None:
    """Imports of the copy come before those of the project it is a copy of."""
    environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "QT_QPA_PLATFORM": "offscreen", "UBRANT_WITHOUT": without}
    done = subprocess.run([sys.executable, *command], cwd=copy, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-6000:] + done.stderr[-2000:]


@pytest.mark.slow
@pytest.mark.parametrize("entry", entries(), ids=lambda e: e.key)
def test_its_folder_and_its_tests_can_go(entry, tmp_path):
    package = entry.body.split(".")[2]
    copy = tmp_path / "copy"
    shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".git", ".venv", ".ruff_cache", ".hypothesis", "docs"))
    shutil.rmtree(copy / "src" / "ubrant" / "methods" / package)
    shutil.rmtree(copy / "tests" / "methods" / package)
    run(copy, "-m", "ruff", "check", "src", *LEFT)
    run(copy, "-m", "mypy")
    run(copy, "-c", "import sys; from importlinter.cli import lint_imports_command; sys.argv = ['lint-imports']; lint_imports_command()")
    run(copy, "-m", "pytest", "-n0", *LEFT, without=entry.key)
