"""The one function that every sentence goes through on its way to a person, so that another language can take its place."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache, wraps
from typing import ParamSpec, TypeVar, cast

_UNSEEN = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\xad\u061c\u200b\u200e\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb]")
"""Control characters but tab and newline, those that turn the direction of writing, and those that take no room."""

_translate: Callable[[str], str] = str
_forget: list[Callable[[], None]] = []
_P = ParamSpec("_P")
_R = TypeVar("_R")


def say(text: str, *values: object, **named: object) -> str:
    """``text`` in the person's language with the values put in: ``say("Best {best} at {load}", best=…, load=…)``."""
    return _translate(text).format(*values, **named) if values or named else _translate(text)


def say_many(count: int, one: str, many: str, **named: object) -> str:
    """``one`` where there is one of them, else ``many``; ``{n}`` is how many."""
    return say(one if count == 1 else many, n=count, **named)


def words(text: str) -> str:
    """Words that are known before the language is: marked for the catalogue here, translated where they are shown."""
    return text


def speak(translate: Callable[[str], str]) -> None:
    """Have every sentence from now on go through ``translate``."""
    global _translate
    _translate = translate
    for forget in _forget:
        forget()


def remembered(function: Callable[_P, _R]) -> Callable[_P, _R]:
    """The last few hundred results of a pure function are kept; not beyond a change of language, for there may be sentences in them."""
    kept = lru_cache(512)(function)
    _forget.append(kept.cache_clear)
    return wraps(function)(cast("Callable[_P, _R]", kept))


def visible(text: str) -> str:
    """``text`` with every character that would not be seen, or would change how the others are, written out: ``‹1B›`` for escape."""
    return _UNSEEN.sub(_written_out, text)


def _written_out(match: re.Match[str]) -> str:
    return f"‹{ord(match[0]):02X}›"


class SentenceError(ValueError):
    """What is amiss, in a sentence for the person: what it quotes is cut, so that the sentence stays one, whatever was quoted."""

    def __init__(self, sentence: str = "") -> None:
        short = _QUOTED.sub("“\\1 …”", sentence)
        super().__init__(short if len(short) <= _MOST else f"{short[:_MOST]} …")


_QUOTED, _MOST = re.compile("“([^”]{60})[^”]+”"), 700
"""Characters of a quotation, and of a sentence."""
