"""The kinds of file that hold a table: a kind more is a reader and a row here."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from ubrant.logbook.logs.sheets import read_json_lines, read_parquet, read_workbook
from ubrant.logbook.logs.text import TextTable, read_bytes, read_sheet, text_of

_HEAD = 4096
"""Bytes by which a text without a known name is told."""


@dataclass(frozen=True)
class Format:
    """One kind of file.

    Attributes
    ----------
    suffixes : of its name
    of_file : reads it by its path, where it is no text
    of_text : reads what is in it: its name, its bytes, and the columns that somebody asked for
    begins : how its text begins, whatever it is called; empty where that tells nothing

    Both raise LogError with one sentence.
    """

    suffixes: tuple[str, ...]
    of_file: Callable[[Path], TextTable] | None = None
    of_text: Callable[[str, bytes, str | None], TextTable] = read_sheet
    begins: str = ""


TEXT = Format((".csv", ".tsv", ".txt", ".log"))
"""Columns of text in whatever dialect; what is nothing else is taken for it."""
FORMATS = (
    Format((".xlsx", ".xlsm"), of_file=read_workbook),
    Format((".parquet",), of_file=read_parquet),
    Format((".jsonl", ".ndjson"), of_text=lambda name, data, _: read_json_lines(name, data), begins="{"),
    TEXT,
)


def format_of(name: str, head: str = "") -> Format:
    """By its name, else by how its text begins."""
    suffix = Path(name).suffix.lower()
    named = next((one for one in FORMATS if suffix in one.suffixes and one is not TEXT), None)
    return named or next((one for one in FORMATS if one.begins and head.lstrip().startswith(one.begins)), TEXT)


def sheet_in(path: Path, columns: str | None = None) -> TextTable:
    """A file as a table.

    Raises
    ------
    LogError
        It cannot be read; the sentence says where.
    """
    kind = format_of(path.name)
    if kind.of_file is not None:
        return kind.of_file(path)
    data = read_bytes(path)
    return format_of(path.name, head_of(data)).of_text(path.name, data, columns)


def head_of(data: bytes) -> str:
    """As much of a text as tells what it is."""
    return text_of(data[:_HEAD])


def patterns(more: Iterable[str] = ()) -> str:
    """``*.csv *.tsv …`` of all kinds, for a dialog that chooses files."""
    return " ".join(f"*{suffix}" for suffix in (*(s for one in (TEXT, *FORMATS[:-1]) for s in one.suffixes), *more))
