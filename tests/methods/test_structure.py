"""Nobody outside a method's folder knows it by name, and no function is longer than can be read at once."""

from __future__ import annotations

import ast
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import pytest

import ubrant
from ubrant.core.quantities.jot import TAPS
from ubrant.methods.registry import MethodEntry, entries

SRC = Path(ubrant.__file__).parent
FREE = {"demo", "ui/tools/shots.py"}
"""What is made of certain methods on purpose."""
OLDER = "logbook/older.py"
"""Reads what logbooks held before there were methods."""


HOMONYMS = {
    ("runs/kits/kit_file.py", "idle"): "a field of an outlook's file",
    ("runs/kits/kit_rows.py", "idle"): "a word of an outlook's line",
    ("runs/kits/past_outlooks.py", "idle"): "a field of an outlook as it was kept before",
    ("core/conversion/appliance.py", "idle"): "what people call a mode of an appliance",
}


@dataclass
class Read:
    """What the sources hold: where each string stands, docstrings left out; (module, what it imports from); functions too long to be read at once."""

    strings: dict[str, list[tuple[str, int]]] = field(default_factory=dict)
    imports: list[tuple[str, str]] = field(default_factory=list)
    long: list[str] = field(default_factory=list)


@cache
def read() -> Read:
    """Every module once; its tree is let go of again."""
    found = Read()
    for path in sorted(SRC.rglob("*.py")):
        name, docs = path.relative_to(SRC).as_posix(), set()
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):  # from the outside in: what an expression holds comes after it
            match node:
                case ast.Expr():
                    docs.add(id(node.value))
                case ast.Constant(value=str(text)) if id(node) not in docs:
                    found.strings.setdefault(text, []).append((name, node.lineno))
                case ast.ImportFrom():
                    found.imports.append((name, node.module or ""))
                case ast.FunctionDef() | ast.AsyncFunctionDef() if statements(node) > 61:
                    found.long.append(f"{name}: {node.name}")
    return found


def statements(node: ast.stmt | ast.ExceptHandler | ast.match_case) -> int:
    """How many statements, itself and those within it."""
    count = int(isinstance(node, ast.stmt))
    for part in ("body", "orelse", "finalbody", "handlers", "cases"):
        inner = getattr(node, part, ())
        count += sum(statements(one) for one in (inner if isinstance(inner, list) else ()))
    return count


def folder_of(entry: MethodEntry) -> str:
    return entry.body.partition(":")[0].rsplit(".", 1)[0].removeprefix("ubrant.").replace(".", "/")


@pytest.mark.parametrize("entry", entries(), ids=lambda e: e.key)
def test_no_key_of_a_method_stands_outside_its_folder(entry):
    found = [
        f"{name}:{line}"
        for name, line in read().strings.get(entry.key, [])
        if not name.startswith(folder_of(entry)) and not any(name == f or name.startswith(f"{f}/") for f in FREE) and name != OLDER
        if (name, entry.key) not in HOMONYMS and entry.key not in TAPS  # a place to meter at may be called as a method is
    ]
    assert found == []


@pytest.mark.parametrize("entry", entries(), ids=lambda e: e.key)
def test_nothing_imports_a_method_but_its_own_folder(entry):
    package = entry.body.partition(":")[0].rsplit(".", 1)[0]
    assert [name for name, of in read().imports if of.startswith(package) and not name.startswith(folder_of(entry))] == []


def test_no_function_has_more_than_sixty_statements():
    assert read().long == []
