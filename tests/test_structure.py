"""What holds for all of the source at once."""

from __future__ import annotations

import ast
import re
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "ubrant"
IN_THE_WINDOW = ("core", "methods", "runs", "ui", "bench", "report")


def said(path: Path) -> list[str]:
    """What is handed to ``say`` and ``tr`` there."""
    calls = [node for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.Call)]
    named = [c for c in calls if (c.func.id if isinstance(c.func, ast.Name) else getattr(c.func, "attr", "")) in {"say", "tr"}]
    return [c.args[0].value for c in named if c.args and isinstance(c.args[0], ast.Constant) and isinstance(c.args[0].value, str)]


def test_no_sentence_of_the_window_has_a_files_or_the_command_lines_syntax():
    found = {
        f"{path.relative_to(SOURCE)}: {text}"
        for room in IN_THE_WINDOW
        for path in (SOURCE / room).rglob("*.py")
        for text in said(path)
        if re.search(r"(?<![-\w])--[a-z]|\[\[", text)
    }
    assert found == set()
