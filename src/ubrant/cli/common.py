"""What the commands share: logbooks and runs by what a person names, refusals, how an account is printed."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import typer

from ubrant.core.wording import say, visible

if TYPE_CHECKING:
    from collections.abc import Iterable

    from ubrant.core.account import Account
    from ubrant.core.outlook.kit import Kit
    from ubrant.core.quantities.label import Label
    from ubrant.logbook.logbook import Logbook
    from ubrant.logbook.records import Run, StoredRun
    from ubrant.runs.kits.kit_parts import KitPart


def print_told(as_object: dict[str, Any] | None, lines: Iterable[str]) -> None:
    """One JSON object, or else lines."""
    if as_object is not None:
        print(escaped_json(json.dumps(as_object, ensure_ascii=False, indent=2)))
        return
    for line in lines:
        print(visible(line))


def kit_in(file: Path) -> tuple[KitPart, Kit]:
    """The kit of a file, with the runs of the logbook it names."""
    from ubrant.runs.kits.kit_file import kit_of
    from ubrant.runs.kits.kit_parts import read_kit

    part = read_kit(file)
    if not part.logbook:
        return part, kit_of(part, folder=file.parent)
    from ubrant.runs.kits.measured import measured_in

    book = book_at(file.parent / part.logbook)
    try:
        return part, kit_of(part, measured_in(book), file.parent)
    finally:
        book.close()


def book_at(path: Path) -> Logbook:
    from ubrant.logbook.file import LogbookError
    from ubrant.logbook.logbook import Logbook

    if not path.exists():
        refuse_with(f"{path} does not exist: check the name.")
    try:
        return Logbook(path)
    except LogbookError as error:
        refuse_with(str(error))


def leaving_run(book: Logbook, run: Run, *, damaged_too: bool) -> StoredRun:
    """The run, once its seals were asked."""
    from ubrant.logbook.file import DamagedError

    try:
        return book.leaving(run, damaged_too=damaged_too)
    except DamagedError as error:
        refuse_with(f"{error} With --damaged it is written all the same, and the file says so.")


def run_numbered(book: Logbook, number: int) -> tuple[Run, str]:
    run = next(((r, n) for r, n in book.runs(limit=100_000) if r.id == number), None)
    if run is None:
        book.close()
        refuse_with(f"There is no run {number} in {book.path.name}: “ubrant runs {book.path.name}” lists them.")
    return run


def escaped_json(text: str) -> str:
    """JSON in which what a terminal might obey is written as an escape, which reads back to the same."""
    return text if visible(text) == text else "".join(c if visible(c) == c else json.dumps(c)[1:-1] for c in text)


def refuse_with(sentence: str) -> NoReturn:
    print(visible(sentence), file=sys.stderr)
    raise typer.Exit(2)


def print_account(account: Account, warnings: tuple[str, ...]) -> None:
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    def plain(text: str) -> Text:
        """No markup of the table's own, nothing that a terminal would obey."""
        return Text(visible(text))

    console = Console(highlight=False)
    table = Table(box=None, show_header=False, padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(no_wrap=True)
    table.add_column(style="dim")
    for finding in account.findings.values():
        if finding.value is not None:
            table.add_row(*map(plain, (finding.name, finding.value_text(), finding.uncertainty_text(), finding.working)))
    console.print(table)
    console.print()
    console.print(plain(account.sentence), style="bold")
    if account.settle:
        console.print(plain(account.settle))
    if account.questions:
        console.print(plain("On the command line: " + " or ".join(f"“{q.yes}” is {q.flag}" for q in account.questions) + "."))
    for warning in (*warnings, *account.warnings):
        console.print(plain(f"Note: {warning}"))


def label_notes(label: Label | None) -> tuple[str, ...]:
    """What was taken for granted on a label, what it should be asked about, and what was not understood."""
    if label is None:
        return ()
    # what a port takes is read where a port is looked at
    left = re.split(r"\b(?:input|solar|output)\b", label.unread, flags=re.I)[0].strip(" ,;")
    unread = (say("Not understood on the label: “{what}”.", what=left),) if left else ()
    return (*label.guesses, *label.queries, *unread)
