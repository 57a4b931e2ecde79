"""Nobody outside a method's folder knows it by name, and no function is longer than can be read at once."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

import ubrant
from ubrant.core.quantities.jot import TAPS
from ubrant.methods.registry import entries

SRC = Path(ubrant.__file__).parent
FREE = {"demo", "ui/shots.py"}
"""What is made of certain methods on purpose."""
OLDER = "logbook/older.py"
"""Reads what logbooks held before there were methods."""


HOMONYMS = {
    ("runs/kit_file.py", "idle"): "a field of an outlook's file",
    ("runs/kit_rows.py", "idle"): "a word of an outlook's line",
    ("runs/past_outlooks.py", "idle"): "a field of an outlook as it was kept before",
    ("core/conversion/appliance.py", "idle"): "what people call a mode of an appliance",
}


@cache
def modules() -> list[tuple[str, ast.Module]]:
    return [(path.relative_to(SRC).as_posix(), ast.parse(path.read_text("utf-8"))) for path in sorted(SRC.rglob("*.py"))]


@cache
def strings(tree: ast.Module) -> list[tuple[int, str]]:
    """Every string of the program, without its docstrings."""
    return list(_strings(tree))


def _strings(tree: ast.Module) -> Iterator[tuple[int, str]]:
    docs = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs:
            yield node.lineno, node.value


@pytest.mark.parametrize("entry", entries(), ids=lambda e: e.key)
def test_no_key_of_a_method_stands_outside_its_folder(entry):
    folder = entry.body.partition(":")[0].rsplit(".", 1)[0].removeprefix("ubrant.").replace(".", "/")
    found = [
        f"{name}:{line}"
        for name, tree in modules()
        if not name.startswith(folder) and not any(name == f or name.startswith(f"{f}/") for f in FREE) and name != OLDER
        for line, text in strings(tree)
        if text == entry.key and (name, text) not in HOMONYMS and text not in TAPS  # a place to meter at may be called as a method is
    ]
    assert found == []


@pytest.mark.parametrize("entry", entries(), ids=lambda e: e.key)
def test_nothing_imports_a_method_but_its_own_folder(entry):
    package = entry.body.partition(":")[0].rsplit(".", 1)[0]
    folder = package.removeprefix("ubrant.").replace(".", "/")
    found = [
        name
        for name, tree in modules()
        if not name.startswith(folder)
        for node in ast.walk(tree)
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(package)
    ]
    assert found == []


def test_no_function_has_more_than_sixty_statements():
    long = [
        f"{name}: {node.name}"
        for name, tree in modules()
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and sum(isinstance(n, ast.stmt) for n in ast.walk(node)) - 1 > 60
    ]
    assert long == []
