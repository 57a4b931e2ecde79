"""The one function that every sentence goes through on its way to a person, so that another language can take its place."""

from __future__ import annotations

from collections.abc import Callable

_translate: Callable[[str], str] = str


def say(text: str, *values: object, **named: object) -> str:
    """``text`` in the person's language with the values put in: ``say("Best {best} at {load}", best=…, load=…)``."""
    return _translate(text).format(*values, **named) if values or named else _translate(text)


def words(text: str) -> str:
    """Words that are known before the language is: marked for the catalogue here, translated where they are shown."""
    return text


def speak(translate: Callable[[str], str]) -> None:
    """Have every sentence from now on go through ``translate``."""
    global _translate
    _translate = translate
