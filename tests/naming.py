"""Whether a test is about a method: its file's folder apart, by what it says of itself."""

from __future__ import annotations

import functools
import inspect
import re
import types

import pytest

_OF_ALL = r"entries\(|SAMPLES|every_kind|suiting\(|KINDS|method_of\("
"""What stands in a file that goes over all methods there are."""


def may_name(text: str, *of_method: str) -> bool:
    """Whether a file of tests may notice that a method is another: it names it, or goes over all."""
    return re.search("|".join([_OF_ALL, *(rf"\b{re.escape(name)}\b" for name in of_method)]), text) is not None


def names(item: pytest.Item, key: str) -> bool:
    """Whether a test, a case of it or a fixture that it takes names a method, or says that it needs it."""
    if any(key in mark.args for mark in item.iter_markers("needs")):
        return True
    if re.search(rf"(?<![^\W_]){re.escape(key)}(?![^\W_])", item.name.partition("[")[2]):
        return True
    info = getattr(item, "_fixtureinfo", None)
    taken = [each[-1].func for each in info.name2fixturedefs.values() if each] if info is not None else []
    return any(_says(one, key) for one in (getattr(item, "function", None), *taken) if one is not None)


@functools.cache
def _says(function: object, key: str) -> bool:
    """Whether a function of the tests names a method, or one that it calls, or a text that it takes."""
    named = re.compile(rf"([\"']){re.escape(key)}\1|method: {re.escape(key)}\b")
    left, seen = [inspect.unwrap(function)], set()  # type: ignore[arg-type]
    while left:
        one = left.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        if isinstance(one, str):
            if f"method: {key}" in one or one == key:
                return True
        elif isinstance(one, types.FunctionType) and one.__module__.startswith("tests"):
            if named.search(_source(one)):
                return True
            left += [one.__globals__[name] for name in _names_in(one.__code__) if name in one.__globals__]
    return False


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
