"""docs/glossary.md: each word is where the page says, and no two classes of the code have one name."""

from __future__ import annotations

import ast
import importlib
import re
from collections import Counter
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
ROWS = re.findall(r"^\| ([^|*]+) \|.*\| `([\w.]+)` \|$", (ROOT / "docs" / "glossary.md").read_text("utf-8"), re.MULTILINE)


@pytest.mark.parametrize(("word", "place"), ROWS, ids=[word for word, _ in ROWS])
def test_a_word_is_where_the_page_says(word: str, place: str):
    try:
        importlib.import_module(f"ubrant.{place}")
    except ModuleNotFoundError:
        module, _, name = place.rpartition(".")
        there = getattr(importlib.import_module(f"ubrant.{module}"), name)
        assert (there.__doc__ or "").strip(), f"{place} does not say what it is"


def test_no_two_classes_or_public_functions_have_one_name():
    names: Counter[str] = Counter()
    for path in (ROOT / "src" / "ubrant").rglob("*.py"):
        for node in ast.parse(path.read_text("utf-8")).body:
            if isinstance(node, ast.ClassDef) or (isinstance(node, ast.FunctionDef) and not node.name.startswith("_")):
                names[node.name] += not node.name.startswith("_")
    twice = {name for name, times in names.items() if times > 1}
    assert twice == {"main", "loads_it"}, "a `main` for each program; what the simulated person of a method does is that method's own"
