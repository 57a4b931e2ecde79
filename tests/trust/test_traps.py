"""traps.txt: slips, breaks, swapped rows, kinds mixed up, in every method; by a file on the command line, and typed by hand into a logbook."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from tests.command_line import ubrant
from tests.making import by_hand
from ubrant.core.account import Account
from ubrant.core.record.events import Note
from ubrant.logbook.logs.log_file import LogError
from ubrant.methods.registry import entries, method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of, account_of_stored

TEXT = (Path(__file__).parent / "traps.txt").read_text("utf-8")
_LEAST = 8
_ELSEWHERE = {"notes", "waveform"}
"""Notes say nothing of what they are of; a wave comes from a scope's file."""


@dataclass
class Trap:
    """What was noted in one run, what has to be said of it, and what must not be its answer; ``only`` a file can hold it so."""

    method: str
    name: str
    head: dict[str, str]
    lines: list[str] = field(default_factory=list)
    says: str = ""
    never: str = ""
    only: str = ""

    @property
    def text(self) -> str:
        return "\n".join([*(f"{key}: {value}" for key, value in self.head.items()), "", *self.lines, ""])

    def is_held(self, said: str, answer: str) -> bool:
        return (not self.says or re.search(self.says, said) is not None) and not (self.never and re.search(self.never, answer))


def _traps() -> Iterator[Trap]:
    heads: dict[str, dict[str, str]] = {}
    for block in TEXT.split("\n\n"):
        title, *rest = block.strip().split("\n")
        if title.startswith("== "):
            heads[title[3:]] = dict(line.split(": ", 1) for line in rest)
        elif title.startswith("## "):
            method, name = title[3:].split(" · ", 1)
            trap = Trap(method, name, dict(heads[method]))
            for line in rest:
                word, _, more = line.partition(" ")
                if word == "head":
                    key, value = more.split(": ", 1)
                    trap.head[key] = value
                elif word in {"says", "never", "only"}:
                    setattr(trap, word, more)
                else:
                    trap.lines.append(line)
            yield trap


TRAPS = list(_traps())


def everything(account: Account) -> tuple[str, str]:
    """(all that is said, the answer)."""
    verdict = account.verdict.sentence if account.verdict is not None else ""
    questions = (question.text for question in account.questions)
    return "\n".join((*account.warnings, *questions, account.trouble, account.sentence, verdict)), account.sentence or verdict


def from_file(trap: Trap, folder: Path) -> tuple[str, str]:
    """As the command line brings it in."""
    path = folder / "notes.jot"
    path.write_text(trap.text, "utf-8")
    try:
        return everything(account_of_stored(read_file(path, LogOptions()).record()))
    except LogError as error:
        return str(error), ""


def typed_in(trap: Trap, folder: Path, logbook) -> tuple[str, str]:
    """Typed one line after the other into a run made by hand, at their times."""
    path = folder / "notes.jot"
    path.write_text(trap.text, "utf-8")
    stored = read_file(path, LogOptions())
    method = method_of(trap.method)
    prepared = method.prepared(stored.run.head)
    if prepared.plan is None:
        fields = {"cutoff": trap.head.get("cutoff", ""), "temperature_c": trap.head.get("temperature", "")}
        prepared = method.prepare(stored.run.head.setup, {key: text for key, text in fields.items() if text})
    lines = {event.time_s: event.text for event in stored.events if isinstance(event, Note)}
    lines |= {jot.time_s: re.sub(r"^[@+]\S+\s*", "", jot.line) for jot in stored.jots}
    lines = dict(sorted(lines.items()))
    run, _ = by_hand(logbook, trap.method, prepared, lines)
    return everything(account_of(logbook, logbook.run(run.id))[1])


@pytest.mark.parametrize("trap", TRAPS, ids=lambda trap: f"{trap.method} · {trap.name}")
def test_a_trap_from_a_file(trap, tmp_path):
    said, answer = from_file(trap, tmp_path)
    assert trap.is_held(said, answer), said


@pytest.mark.parametrize("trap", [t for t in TRAPS if not t.only], ids=lambda trap: f"{trap.method} · {trap.name}")
def test_a_trap_typed_by_hand(trap, tmp_path, logbook):
    try:
        said, answer = typed_in(trap, tmp_path, logbook)
    except LogError as error:
        said, answer = str(error), ""
    assert trap.is_held(said, answer), said


@pytest.mark.parametrize("key", [entry.key for entry in entries() if entry.key not in _ELSEWHERE])
def test_every_method_has_its_traps(key):
    assert len({trap.name for trap in TRAPS if trap.method == key}) >= _LEAST


def test_the_command_line_says_the_same(tmp_path):
    """One of them as a person calls it: what is asked stands in what is printed, with the flag that answers it."""
    trap = next(t for t in TRAPS if t.name.startswith("charger left on"))
    path = tmp_path / "notes.jot"
    path.write_text(trap.text, "utf-8")
    done = ubrant("analyse", str(path))
    assert "charged meanwhile" in done.stdout.replace("\n", " ")
    assert "--checked rises" in done.stdout.replace("\n", " ")
