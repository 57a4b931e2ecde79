"""Whether a test is about a method, or about all there are: its file's folder apart, by what it says of itself."""

from __future__ import annotations

import functools
import inspect
import re
import types
from pathlib import Path

import pytest

_OVER_ALL = r"\bentries\(|\bSAMPLES\b(?!\[)|\bKINDS\b"
"""What stands in a test that goes over all methods there are."""
_MAY_BE_ANY = rf"{_OVER_ALL}|suiting\(|method_of\("
"""What stands in a file that may go over all, or take any of them."""


def may_name(text: str, *of_method: str) -> bool:
    """Whether a file of tests may notice that a method is another: it names it, or goes over all."""
    return re.search("|".join([_MAY_BE_ANY, *(rf"\b{re.escape(name)}\b" for name in of_method)]), text) is not None


def names(item: pytest.Item, key: str) -> bool:
    """Whether a test, a case of it or a fixture that it takes names a method, or says that it needs it."""
    if any(key in mark.args for mark in item.iter_markers("needs")) or is_case_of(item, key):
        return True
    named = re.compile(rf"([\"']){re.escape(key)}\1|method: {re.escape(key)}\b")
    return any(_says(one, named.pattern, key) for one in _taken(item))


def is_case_of(item: pytest.Item, *keys: str) -> bool:
    """Whether it is one case of a test, that of one of these methods."""
    case = item.name.partition("[")[2]
    return any(re.search(rf"(?<![^\W_]){re.escape(key)}(?![^\W_])", case) for key in keys)


def goes_over_all(item: pytest.Item) -> bool:
    """Whether a test, or a fixture that it takes, looks at all methods there are; one in a method's folder is about that."""
    return item.path.parent.parent.name != "methods" and any(_says(one, _OVER_ALL) for one in _taken(item))


def _taken(item: pytest.Item) -> list[object]:
    """Its function, and those of the fixtures that it takes."""
    info = getattr(item, "_fixtureinfo", None)
    fixtures = [each[-1].func for each in info.name2fixturedefs.values() if each] if info is not None else []
    return [one for one in (getattr(item, "function", None), *fixtures) if one is not None]


@functools.cache
def _says(function: object, pattern: str, key: str = "") -> bool:
    """Whether a pattern stands in a function of the tests, in one that it calls, or in a list or text of the module that it takes."""
    sought = re.compile(pattern)
    left, seen = [inspect.unwrap(function)], set()  # type: ignore[arg-type]
    while left:
        one = left.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        if isinstance(one, str):
            if sought.search(one) or one == key:
                return True
        elif isinstance(one, types.FunctionType) and one.__module__.startswith("tests"):
            if sought.search(_source(one)):
                return True
            named = [name for name in _names_in(one.__code__) if name in one.__globals__]
            if any(sought.search(_made(name, one.__code__.co_filename)) for name in named):
                return True
            left += [one.__globals__[name] for name in named]
    return False


@functools.cache
def _made(name: str, file: str) -> str:
    """The line that makes a list, a text or a table of a module."""
    found = re.search(rf"^{re.escape(name)}\b.*=.*$", Path(file).read_text("utf-8"), re.M)
    return found[0] if found is not None else ""


def _names_in(code: types.CodeType) -> set[str]:
    """With those of what is defined inside."""
    inner = (const for const in code.co_consts if isinstance(const, types.CodeType))
    return set(code.co_names).union(*(_names_in(one) for one in inner))


@functools.cache
def _source(function: object) -> str:
    try:
        return inspect.getsource(function)  # type: ignore[arg-type]
    except (OSError, TypeError):
        return ""
