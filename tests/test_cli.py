"""The command line as it is started, and what it says of any method."""

from __future__ import annotations

import subprocess
import sys

from tests.command_line import ubrant
from ubrant.methods.registry import entries


def started(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "ubrant", *arguments], capture_output=True, text=True, check=False)


def test_says_its_version():
    assert started("--version").stdout.startswith("Ubrant ")


def test_what_is_not_there_is_one_sentence_and_exit_2():
    done = started("analyse", "nothing.csv", "--json")
    assert (done.returncode, done.stdout, len(done.stderr.strip().splitlines())) == (2, "", 1)
    assert "nothing.csv does not exist" in done.stderr


def test_methods_are_listed():
    told = ubrant("methods").stdout
    assert all(f"{entry.key} " in told and entry.title in told for entry in entries())


def test_a_method_that_is_not_there(tmp_path):
    (tmp_path / "x.csv").write_text("Time (s),Voltage (V),Current (A)\n0,12,1\n1,12,1\n")
    done = ubrant("analyse", str(tmp_path / "x.csv"), "--method", "dance")
    assert (done.returncode, done.stdout) == (2, "")
    assert "“dance” is no method" in done.stderr
