"""Whose a log is: told by the name of its file or of its folder, never by a guess from its readings."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import entries

_WORD = re.compile(r"[^\W_]+")
_DAY = re.compile(r"\d{4}[-_.]?\d{2}[-_.]?\d{2}([T _-]?\d{2}[-_.:h]?\d{2}([-_.:]?\d{2})?)?")
_NUMBER = re.compile(r"\d+")
_BEHIND_A_WORD = re.compile(r"(?<=[^\W\d_])\d+$")
_LOGS_ARE_CALLED = (
    "log logs test tests run runs data export file record records measurement measure discharging capacity reading readings"
    " copy new old final result results cycle cycles no nr"
)


def words_of(name: str) -> tuple[str, ...]:
    """The words of a name that tell one thing from another: without days, bare numbers and what every log is called."""
    spoken = (w.casefold() for w in _WORD.findall(_DAY.sub(" ", name)))
    says_nothing = {*_LOGS_ARE_CALLED.split(), *(entry.key for entry in entries())}
    return tuple(w for w in spoken if not _NUMBER.fullmatch(w) and _BEHIND_A_WORD.sub("", w) not in says_nothing)


def unit_named(path: Path, units: Sequence[Unit]) -> Unit | None:
    """The unit whose whole name stands in the file's name, or else in its folder's; None where none does, or two do equally well."""
    for name in (path.stem, path.parent.name):
        spoken = [w.casefold() for w in _WORD.findall(name)]
        fitting = [(len(own), unit) for unit in units if (own := _WORD.findall(unit.name.casefold())) and _holds(spoken, own)]
        best = max((length for length, _ in fitting), default=0)
        found = [unit for length, unit in fitting if length == best]
        if len(found) == 1:
            return found[0]
        if found:
            return None
    return None


def _holds(spoken: Sequence[str], own: Sequence[str]) -> bool:
    """All words of a unit's name one after the other; ``pack a`` is in ``pack a 2``, and not in ``pack b`` or ``backpack a``."""
    run_together = "".join(own)
    return run_together in spoken or any(list(spoken[k : k + len(own)]) == list(own) for k in range(len(spoken) - len(own) + 1))


def things_named(paths: Sequence[Path]) -> list[str]:
    """A name for each file, the same one for files that seem to be of one thing.

    By the words of their names; where those say nothing, or the same of all, and they lie in several folders, by their folders.
    Numbers behind a word count (``pack1``, ``pack2`` are two), unless each file would be a thing of its own by them and fewer, but several, without.
    """
    words = [words_of(path.stem) for path in paths]
    if len(set(words)) == len(paths):
        without = [tuple(_BEHIND_A_WORD.sub("", w) for w in one) for one in words]
        words = without if 1 < len(set(without)) < len(paths) else words
    if len(set(words)) == 1 and len({path.parent for path in paths}) > 1:
        words = [words_of(path.parent.name) or (path.parent.name,) for path in paths]
    return (
        [_DAY.sub(" ", paths[0].stem).strip(" _-.") or paths[0].stem]
        if len(paths) == 1
        else [_name(one, path) for one, path in zip(words, paths, strict=True)]
    )


def _name(words: Sequence[str], path: Path) -> str:
    """What the names of several have in common, or else their folder's name."""
    said = " ".join(words) or path.parent.name or path.stem
    return said[:1].upper() + said[1:]
