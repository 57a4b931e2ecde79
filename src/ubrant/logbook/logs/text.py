"""A text file as lines of cells: its encoding, its separator, where its table begins, its decimal sign."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ubrant.core.quantities.quantity import unit_factor
from ubrant.logbook.logs.cells import NoNumber, read_cell, uses_decimal_comma
from ubrant.logbook.logs.headings import needed_found, read_heading
from ubrant.logbook.logs.limits import check_columns, check_file, check_lines
from ubrant.logbook.logs.log_file import LogError

SEPARATORS = (";", "\t", ",", "|", "  ", " ")
"""The last two: two or more blanks, or any."""
_HEAD = 1 << 16
_MOST_PREAMBLE = 60


@dataclass(frozen=True)
class TextTable:
    """A table of text.

    Attributes
    ----------
    name : of the file
    headings : of the columns, units merged in where they stood on a line of their own
    heading_line : counted from 1
    rows : (line counted from 1, cells)
    decimal_comma : in numbers
    separator : between cells; empty for a sheet of a workbook
    data : the whole text in UTF-8, for the fast reader; empty for a sheet
    first_line : of the readings, counted from 1
    headless : it has no headings; its columns are called after their places
    """

    name: str
    headings: tuple[str, ...]
    heading_line: int
    decimal_comma: bool
    separator: str = ""
    data: bytes = b""
    first_line: int = 2
    kept_rows: tuple[tuple[int, list[str]], ...] = ()
    headless: bool = False

    def rows(self) -> Iterator[tuple[int, list[str]]]:
        """Lines of readings; comments and empty lines are none."""
        if not self.data:
            yield from self.kept_rows
            return
        lines = text_of(self.data).splitlines()
        for number, cells in enumerate(split_all(lines[self.first_line - 1 :], self.separator), start=self.first_line):
            if cells and any(c.strip() for c in cells) and not cells[0].lstrip().startswith("#"):
                yield number, cells

    def first_rows(self, most: int = 200) -> list[list[str]]:
        """The first few lines of readings, without reading the whole file."""
        if not self.data:
            return [cells for _, cells in self.kept_rows[:most]]
        lines = text_of(self.data[:_HEAD]).splitlines()[self.first_line - 1 :][:most]
        return [c for c in split_all(lines, self.separator) if any(x.strip() for x in c) and not c[0].lstrip().startswith("#")]


def read_bytes(path: Path) -> bytes:
    """The file's bytes, as UTF-8 without a mark, with line ends that are understood.

    Raises
    ------
    LogError
        It is not there, a folder, not to be read, or no text.
    """
    name = path.name
    check_file(path)
    try:
        data = path.read_bytes()
    except IsADirectoryError:
        raise LogError(f"{name} is a folder: name the log file in it.") from None
    except FileNotFoundError:
        raise LogError(f"{path} does not exist: check the name.") from None
    except OSError as error:
        raise LogError(f"{name} cannot be read: {error.strerror or error}.") from None
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        data = data.decode("utf-16", "replace").encode()
    elif (wide := _unmarked_utf16(data)) is not None:
        data = wide
    data = data.removeprefix(b"\xef\xbb\xbf")
    if b"\0" in data[:4096]:
        raise LogError(f"{name} is not a text file: export the log as CSV.")
    if b"\r" in data[:4096] and b"\n" not in data[:4096]:
        data = data.replace(b"\r", b"\n")
    check_lines(name, data)
    return data


def _unmarked_utf16(data: bytes) -> bytes | None:
    head = data[:400]
    if len(head) < 8:
        return None
    for codec, zeros in (("utf-16-le", head[1::2]), ("utf-16-be", head[0::2])):
        if zeros.count(0) > 0.8 * len(zeros):
            return data.decode(codec, "replace").encode()
    return None


def text_of(data: bytes) -> str:
    """UTF-8, or else Latin-1."""
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        if error.start > len(data) - 4:
            return data[: error.start].decode("utf-8")  # cut in the middle of a character
        return data.decode("cp1252", "replace")


def split(line: str, separator: str) -> list[str]:
    """One line's cells."""
    if separator == "  ":
        return re.split(r"\s{2,}|\t", line.strip())
    if separator == " ":
        return line.split()
    try:
        return next(csv.reader([line], delimiter=separator), [])
    except csv.Error:  # a cell without an end
        return line.split(separator)


def split_all(lines: list[str], separator: str) -> Iterator[list[str]]:
    if separator.strip(" ") == "":
        return (split(line, separator) for line in lines)
    return (split(line, separator) if '"' in line else line.split(separator) for line in lines)


def read_sheet(name: str, data: bytes, wanted: str | None = None) -> TextTable:
    """Find out how a text file is written and where its table begins.

    ``wanted`` are the columns a person named: then the headings need not say what they are.

    Raises
    ------
    LogError
        There is nothing in it.
    """
    lines = text_of(data[:_HEAD]).splitlines()[:400]
    usable = [k for k, line in enumerate(lines) if line.strip()]
    if not usable:
        raise LogError(f"{name} is empty: there is no heading and no reading in it.")
    check_columns(name, 1 + max(lines[k].count(s) for k in usable for s in ";\t,|"))
    place = None if wanted else _best(lines, usable)
    if place is None:
        start = next((k for k in usable if not lines[k].lstrip().startswith("#")), usable[0])
        after = [lines[k] for k in usable if k > start and not lines[k].lstrip().startswith("#")][:29]
        place = start, _separator(lines[start], after)
    start, separator = place
    headings = [h.strip().strip('"').lstrip("#").strip() for h in split(lines[start], separator)]
    if headless := bool(headings) and all(re.fullmatch(r"[-+\d.,:eETZ/ ]*", h) for h in headings) and any(headings):
        body = [lines[k] for k in usable if k >= start and not lines[k].lstrip().startswith("#")][:200]
        cells = [c for row in split_all(body, separator) for c in row]
        named = tuple(f"column {k}" for k, _ in enumerate(headings, start=1))
        return TextTable(name, named, start + 1, uses_decimal_comma(cells, separator), separator, data, start + 1, headless=headless)
    first = start + 1
    units = next((k for k in usable if k > start), None)
    if units is not None and (found := _units_line(split(lines[units], separator))) is not None:
        headings = [f"{h} ({u})" if u and "(" not in h and "[" not in h else h for h, u in _padded(headings, found)]
        first = units + 1
    body = [lines[k] for k in usable if k >= first and not lines[k].lstrip().startswith("#")][:200]
    cells = [c for row in split_all(body, separator) for c in row]
    return TextTable(name, tuple(headings), start + 1, uses_decimal_comma(cells, separator), separator, data, first + 1)


def _best(lines: list[str], usable: list[int]) -> tuple[int, str] | None:
    """The line and separator whose headings name time, voltage and current, with lines of as many cells under them."""
    candidates: list[tuple[int, float, int, int, str]] = []
    for rank, separator in enumerate(SEPARATORS):
        for k in usable[:_MOST_PREAMBLE]:
            cells = split(lines[k].lstrip().lstrip("#"), separator)
            if len(cells) < 2 or sum(1 for c in cells if _is_number(c)) > len(cells) / 2:
                continue
            following = [lines[j] for j in usable if j > k and not lines[j].lstrip().startswith("#")][:20]
            units = _units_line(split(following[0], separator)) if following else None
            headings = [f"{h} ({u})" if u else h for h, u in _padded(cells, units or [])]
            score = needed_found([read_heading(h.strip().strip('"'), j) for j, h in enumerate(headings)])
            if score < 2:
                continue
            rows = following[1:] if units else following
            fit = sum(1 for row in rows if len(split(row, separator)) == len(cells)) / max(len(rows), 1)
            candidates.append((score, round(fit, 1), -rank, k, separator))
        if any(f[0] >= 3 and f[1] > 0.9 and f[4] == separator for f in candidates):
            break
    if not candidates:
        return None
    best = max(candidates, key=lambda f: (f[0], f[1], f[2], -f[3]))
    return (best[3], best[4]) if best[1] > 0 or len(usable) <= best[3] + 1 else None


def _padded(headings: list[str], units: list[str]) -> list[tuple[str, str]]:
    return [(h, units[k] if k < len(units) else "") for k, h in enumerate(headings)]


def _units_line(cells: list[str]) -> list[str] | None:
    """The units of a line that holds nothing but units; None when it holds anything else."""
    stripped = [c.strip().strip('"').strip("()[]").strip() for c in cells]
    named = [c for c in stripped if c]
    known = [c for c in named if unit_factor(c) is not None]
    if len(known) < 2 or any(_is_number(c) for c in named) or len(known) < 0.6 * len(named):
        return None
    return [c if unit_factor(c) is not None else "" for c in stripped]


def _is_number(cell: str) -> bool:
    cell = cell.strip().strip('"')
    if not re.match(r"[+\-−]?[\d.,]", cell):
        return False
    try:
        read_cell(cell, decimal_comma="," in cell and "." not in cell)
    except NoNumber:
        return bool(re.match(r"\d+[:/.-]\d", cell))
    return True


def _separator(heading: str, rows: list[str]) -> str:
    """The one that cuts heading and rows into the same number of cells, most cells first."""

    def fit(separator: str) -> tuple[bool, int]:
        wide = len(split(heading, separator))
        return all(len(split(row, separator)) == wide for row in rows) and wide > 1, wide

    return max((";", "\t", ",", "|"), key=fit)
