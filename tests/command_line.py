"""The command line in this process, as a person or a script calls it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from typer.testing import CliRunner

from ubrant.cli import app


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def ubrant(*arguments: str) -> Done:
    result = CliRunner().invoke(app, list(arguments))
    if result.exception is not None and not isinstance(result.exception, SystemExit):
        raise result.exception
    return Done(result.exit_code, result.stdout, result.stderr)


def said(*arguments: str) -> dict[str, Any]:
    done = ubrant("analyse", *arguments, "--json")
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found
