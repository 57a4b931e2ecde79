"""Places that are none: a word before readings that is no name of where something is read, but nearly one, or stands where one would."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from difflib import get_close_matches

from ubrant.core.quantities.quantity import unit_factor
from ubrant.core.wording import say

_LIKE = 0.75
"""How alike two words are that one may be a slip of the other (difflib's ratio)."""
_SHORTEST = 3
_READ_AT_A_PLACE = ("V", "A", "W", "Ah", "Wh", "VA", "Hz", "%", "Ω")
"""Not times: “rested 2 h” is a note."""
_READS = re.compile(r"([^\W\d_]{3,})\s+((?:[-+−~<]?\s*\d[\d.,]*\s*[^\W\d_%°Ω]{0,3}[%°Ω]?[^\W\d_]{0,2}\s*[,;]?\s*)+)\.?")


_LETTER_FOR_FIGURE = re.compile(r"(?<![\w.,])(\d[\d.,]*[OoIl][\d.,OoIl]*)\s*(?:[mk]?(?:V|A|W|Ah|Wh)|%)(?!\w)")


def no_number(note: str) -> str:
    """A question about a note with a reading in it that has a letter for a figure (``12.4O V``); empty where there is none."""
    found = _LETTER_FOR_FIGURE.search(note)
    if found is None:
        return ""
    return say(
        "“{what}” is no number: was a letter typed for a figure? As it stands this is a note, and nothing of it is reckoned with.",
        what=found[1],
    )


def misplaced(note: str, names: Collection[str]) -> str:
    """A question about a note that looks like readings at a place which is none; empty where it is a note.

    Parameters
    ----------
    names : what places are called, in lower case
    """
    found = _READS.match(note.strip())
    rest = note.strip()[found.end() :].lstrip(" ,;.") if found else ""
    if rest and re.split(r"[^\w]", rest.lower())[0] not in names:
        found = None  # it goes on as a sentence
    word = found[1] if found else next(iter(re.findall(r"^[^\W\d_]+(?=\s+[-+−~<]?\d)", note.strip())), "")
    if len(word) < _SHORTEST or word.lower() in names:
        return ""
    like = get_close_matches(word.lower(), [n for n in names if len(n) >= _SHORTEST], 1, _LIKE)
    if like:
        return say(
            "“{word}” is no place that Ubrant knows: was {like} meant? As it stands this is a note, and nothing of it is reckoned with.",
            word=word,
            like=like[0],
        )
    if found is None or not all(
        _is_quantity(part) for part in re.findall(r"\d\s*([^\W\d_%°Ω]{0,3}[%°Ω]?[^\W\d_]{0,2})(?=[\s,;]|$)", found[2])
    ):
        return ""
    return say("“{word}” is no place that Ubrant knows: as it stands this is a note, and nothing of it is reckoned with.", word=word)


def _is_quantity(symbol: str) -> bool:
    known = unit_factor(symbol) if symbol else None
    return known is not None and known.unit in _READ_AT_A_PLACE


def unused(tap: str, places: Iterable[str]) -> str:
    """That a test has no such place, in a sentence."""
    return say("“{tap}” is no place of this test ({places}): it is kept beside what that reads.", tap=tap, places=", ".join(places))
