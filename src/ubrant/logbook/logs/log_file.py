"""What reading a log gives, and how it is refused."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from ubrant.core.quantities.readings import Array, Series
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.wording import SentenceError


class LogError(SentenceError):
    """A log that cannot be read; one sentence with file, line, column and what to do."""


class ColumnsError(LogError):
    """Which column is what, or what becomes of a cell, cannot be told: a person can say it.

    Attributes
    ----------
    sentence : as a window says it, which offers what to do
    flag : what to write on the command line instead
    column : that it is about, from 0; None for none
    what : is amiss with a cell, in a few words
    """

    def __init__(self, sentence: str, flag: str = "", column: int | None = None, what: str = "") -> None:
        super().__init__(f"{sentence} {flag}".strip())
        self.sentence, self.flag, self.column, self.what = sentence, flag, column, what


@dataclass(frozen=True)
class LeftOut:
    """A line that gave no reading, and why."""

    line: int
    why: str


@dataclass(frozen=True)
class LogFile:
    """A log as columns.

    Attributes
    ----------
    time_s : from the log's own zero, or from the first reading where it gives dates
    voltage_v, current_a : as they stand in the log, in base units
    columns : headings used, by quantity
    started : date and time of the first reading, where the log gives them
    warnings : sentences about what was taken for granted
    others : what else was read, by (tap, quantity)
    events : (seconds, text) from a column ``event``, whose rows are no readings
    about : what a package or a jot text says besides: label, accuracies, cut-off
    left_out : lines that gave no reading
    run_name : which of several runs in one file this is; empty for the only one
    entries : lines of a jot text, where it is one
    shape : what tells logs of one make from others: their headings; without any, what seems to stand in their columns
    """

    name: str
    time_s: Array
    voltage_v: Array
    current_a: Array
    columns: dict[str, str] = field(default_factory=dict)
    started: datetime | None = None
    warnings: tuple[str, ...] = ()
    others: dict[tuple[str, str], Series] = field(default_factory=dict)
    events: tuple[tuple[float, str], ...] = ()
    about: dict[str, Any] = field(default_factory=dict)
    left_out: tuple[LeftOut, ...] = ()
    run_name: str = ""
    entries: tuple[TimedLine, ...] = ()
    shape: tuple[str, ...] = ()

    def left_out_sentence(self) -> str:
        """How many lines gave no reading, which ones and why; empty when all did."""
        return left_out_sentence(self.left_out)


def left_out_sentence(left_out: Sequence[LeftOut], one_was: str = "was left out", many_were: str = "were left out") -> str:
    """``3 lines were left out: 14, 15 (no current), 20 (over the meter's range).``"""
    if not left_out:
        return ""
    whys: dict[str, list[int]] = {}
    for one in left_out:
        whys.setdefault(one.why, []).append(one.line)
    told = "; ".join(f"{_lines(lines)} ({why})" for why, lines in whys.items())
    count = len(left_out)
    return f"{count} line{f's {many_were}' if count > 1 else f' {one_was}'}: {told}."


def _lines(lines: list[int]) -> str:
    spans: list[tuple[int, int]] = []
    for line in lines:
        if spans and line == spans[-1][1] + 1:
            spans[-1] = (spans[-1][0], line)
        else:
            spans.append((line, line))
    shown = [f"{a}" if a == b else f"{a} to {b}" for a, b in spans[:6]]
    more = len(spans) - 6
    return ("line " if len(lines) == 1 else "lines ") + ", ".join(shown) + (f" and {more} more stretches" if more > 0 else "")
