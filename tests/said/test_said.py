"""Records, labels, typed lines and tests of every kind: word for word and number for number what is said of them.

A sum that is changed on purpose changes what stands in ``said.txt``: ``./dev said`` writes it anew, and the difference is what people will read from then on.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator

import pytest

from tests.said import modelled, saying
from tests.said.varied import VARIANTS, in_a_line, varied

_OF: dict[str, Callable[[str], Iterator[str]]] = {
    "records": lambda line: saying.of_record(saying.record_from(line)),
    "variants": lambda line: _variants(line),
    "tests": saying.of_test,
}
_FILES = {"variants": "records"}
_RECORDS = (saying.HERE / "records.txt").read_text("utf-8").splitlines()
_SHORT: dict[str, Callable[[str], Iterator[str]]] = {
    "labels": saying.of_label,
    "lines": saying.of_typed,
    "accuracies": saying.of_accuracy,
    "durations": saying.of_duration,
}
"""All of a kind are told together: each is a line or two."""


def _each(kind: str) -> Iterator[str]:
    for text in (saying.HERE / f"{kind}.txt").read_text("utf-8").splitlines():
        yield f"{kind}: {text}"
        yield from _SHORT[kind](text)


_WHOLE: dict[str, Callable[[], Iterator[str]]] = {
    **{f"chemistry {key}": (lambda key=key: modelled.of_chemistry(key)) for key in modelled.MODELLED},
    **{kind: (lambda kind=kind: _each(kind)) for kind in _SHORT},
    "converters": modelled.of_converters,
    "outlooks": modelled.of_outlooks,
    "ranking": lambda: modelled.of_ranking(_RECORDS),
    "study": lambda: modelled.of_study(_RECORDS),
    "live": lambda: modelled.of_live((saying.HERE / "tests.txt").read_text("utf-8").splitlines()),
    "texts": modelled.of_texts,
}
"""What needs no text to be asked about."""
ASKED = [
    (f"{kind} {number}", kind, text)
    for kind in _OF
    for number, text in enumerate((saying.HERE / f"{_FILES.get(kind, kind)}.txt").read_text("utf-8").splitlines(), 1)
] + [(name, name, "") for name in _WHOLE]
_TOLD = saying.HERE / "said.txt"
_HEADING = "== "


def _variants(line: str) -> Iterator[str]:
    record = saying.record_from(line)
    for seed in range(VARIANTS):
        try:
            yield in_a_line(varied(record, seed))
        except ValueError as error:  # a line that cannot be typed is none
            yield f"no record: {error}"


def _said(kind: str, text: str) -> list[str]:
    told = _WHOLE[kind]() if kind in _WHOLE else _OF[kind](text)
    return [line for said in told for line in said.splitlines() or [""]]


def _told() -> dict[str, list[str]]:
    """What was said before, by the number of what was asked."""
    told: dict[str, list[str]] = {}
    for line in _TOLD.read_text("utf-8").splitlines():
        if line.startswith(_HEADING):
            told[line.removeprefix(_HEADING)] = said = []
        else:
            said.append(line)
    return told


@pytest.fixture(scope="module")
def told() -> dict[str, list[str]]:
    return _told()


@pytest.mark.parametrize(("name", "kind", "text"), ASKED, ids=[name.replace(" ", "-") for name, _, _ in ASKED])
def test_it_says_what_it_said(told, name, kind, text):
    said = _said(kind, text)
    before = told[name]
    differ = [(now, then) for now, then in zip(said, before, strict=False) if not saying.is_same(now, then)]
    assert not differ, f"it says, where it said before ({len(differ)} of {len(said)} lines): {differ[:3]}"
    assert len(said) == len(before), f"lines that are new or gone: {(said[len(before) :] or before[len(said) :])[:3]}"


def write() -> None:
    """Everything anew, for ``./dev said``."""
    parts = []
    for name, kind, text in ASKED:
        parts += [_HEADING + name, *_said(kind, text)]
    _TOLD.write_text("\n".join(parts) + "\n", "utf-8")


if __name__ == "__main__":
    sys.exit(write())
