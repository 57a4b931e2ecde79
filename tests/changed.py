"""Which tests can feel what was changed: ``./dev test --changed``. What nobody can tell the reach of selects all."""

from __future__ import annotations

import functools
import re
import subprocess
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.naming import may_name, names
from ubrant.methods.registry import entries

_DOTTED = re.compile(r"\b(?:ubrant|tests)(?:\.\w+)+")
_FROM = re.compile(r"^\s*from ((?:ubrant|tests)[\w.]*) import (\([^)]*\)|[^(\n]+)", re.M)
ROOT = Path(__file__).parent.parent
_OF_ALL = {"pyproject.toml", "dev", "tests/conftest.py", "tests/changed.py", "tests/naming.py"}
"""What every test stands on."""
_OF_NONE = (".md", ".png", ".gitignore", ".toml.example")
"""Papers: but for those that a test or a module names."""


def changed_files() -> list[str]:
    """Against the last commit, and what is new, by their paths from the root."""
    told = [
        subprocess.run(["git", *command], cwd=ROOT, capture_output=True, text=True, check=True).stdout.splitlines()
        for command in (("diff", "--name-only", "HEAD"), ("ls-files", "--others", "--exclude-standard"))
    ]
    return sorted({path for paths in told for path in paths})


@dataclass(frozen=True)
class Reach:
    """Files that take in what was changed, and the keys of the methods whose files are among them (by key their folder)."""

    files: frozenset[str]
    methods: Mapping[str, str]

    def has_file(self, path: Path) -> bool:
        """Whether anything in a file of tests may turn out otherwise."""
        name = str(path.relative_to(ROOT))
        if name in self.files or any(name.startswith(f"tests/methods/{folder}/") for folder in self.methods.values()):
            return True
        return bool(self.methods) and may_name(path.read_text("utf-8"), *self.methods, *self.methods.values())

    def has(self, item: pytest.Item) -> bool:
        """Whether a test of such a file may."""
        name = str(item.path.relative_to(ROOT))
        if name in self.files or any(name.startswith(f"tests/methods/{folder}/") for folder in self.methods.values()):
            return True
        return any(names(item, key) for key in self.methods)


def reach(changed: Iterable[str]) -> Reach | None:
    """None where nobody can tell: then all are run."""
    modules, papers = set(), []
    for path in changed:
        if path in _OF_ALL:
            return None
        if path.endswith(".py") and path.startswith(("src/ubrant/", "tests/")):
            modules.add(path)
        elif not path.startswith(("benchmarks/", "packaging/", ".ci/")):
            papers.append(path)
    for path in papers:
        naming = {one for one, text in _texts().items() if Path(path).name in text or f"{Path(path).parent.name}/" in text}
        if not naming and not path.endswith(_OF_NONE):
            return None
        modules |= naming
    files = dependents(modules)
    folders = {entry.body.split(".")[2]: entry.key for entry in entries()}
    touched = {match[1] for path in files if (match := re.match(r"src/ubrant/methods/(\w+)/", path)) is not None}
    return Reach(frozenset(files), {folders[folder]: folder for folder in touched if folder in folders})


def dependents(modules: Iterable[str]) -> set[str]:
    """They, and every file that takes one of them in, wherever in it; what a registry finds by itself is no such thing."""
    taken_by: dict[str, set[str]] = {}
    for path in _texts():
        for one in _takes(path):
            taken_by.setdefault(one, set()).add(path)
    found, left = set(), list(modules)
    while left:
        path = left.pop()
        if path not in found:
            found.add(path)
            left += taken_by.get(path, ())
    return found


@functools.cache
def _texts() -> dict[str, str]:
    files = [*(ROOT / "src/ubrant").rglob("*.py"), *(ROOT / "tests").rglob("*.py")]
    return {str(path.relative_to(ROOT)): path.read_text("utf-8") for path in files}


def _takes(path: str) -> set[str]:
    """The files that a file imports; ``ubrant.x.y`` named as text, as a script for another process does, counts too."""
    text = _texts()[path]
    named = set(_DOTTED.findall(text))
    for package, what in _FROM.findall(text):
        named |= {f"{package}.{name.split()[0]}" for name in what.strip("()").split(",") if name.strip()}
    return {file for one in named if (file := _file_of(one)) is not None}


@functools.cache
def _file_of(module: str) -> str | None:
    place = module.replace(".", "/")
    roots = (f"src/{place}.py", f"src/{place}/__init__.py") if module.startswith("ubrant") else (f"{place}.py", f"{place}/__init__.py")
    return next((path for path in roots if path in _texts()), None)
