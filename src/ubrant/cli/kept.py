"""What a logbook keeps, on the command line: runs, answers, reports, exports, comparisons, verdicts; and what may still be on."""

from __future__ import annotations

import json
import sys
from datetime import UTC, datetime
from pathlib import Path

import typer

from ubrant.cli.app import app
from ubrant.cli.common import book_at, escaped_json, leaving_run, print_told, refuse_with, run_numbered
from ubrant.core.wording import visible


@app.command("off")
def switch_off_what_is_left(
    looked: str = typer.Option("", help="An address: you have looked, and what is there is off."),
    agreed: bool = typer.Option(False, "--agreed", help="Send off also to what does not say who it is."),
) -> None:
    """Switch off what may still be on from before, and say what came of it."""
    from ubrant.bench.switched_on import SwitchedOnLedger
    from ubrant.runs.kept.left_on import may_be_on, question
    from ubrant.runs.making.still_on import person_looked, switch_off

    ledger, left = SwitchedOnLedger(), 0
    found = may_be_on(ledger)
    if not found:
        print("Nothing is known that may still be on.")
    for entry in found:
        print(visible(question(entry)))
        has_looked = bool(looked) and looked == entry.address
        tried = person_looked(ledger, entry) if has_looked else switch_off(ledger, entry, agreed=agreed)
        more = " Call it again with --agreed." if tried.asks_first else ""
        print(f"  {visible(tried.sentence)}{more}")
        left += not tried.is_off
    if left:
        raise typer.Exit(1)


@app.command("runs")
def list_runs(logbook: Path = typer.Argument(..., help="A logbook.")) -> None:
    """The runs of a logbook with their numbers."""
    from ubrant.runs.kept.accounts import summary_of
    from ubrant.runs.kept.naming import name_of

    book = book_at(logbook)
    for run, name in reversed(book.runs(limit=100_000)):
        summary = summary_of(book, run)
        line = f"{name_of(run, name)}: {summary.sentence if summary else run.state}"
        print(f"{run.id:5d}  {run.started[:16].replace('T', ' ')}  {visible(line)}")
    book.close()


@app.command("answers")
def list_answers(
    logbook: Path = typer.Argument(..., help="A logbook."), unit: str = typer.Argument("", help="Whose sheet; all of them without it.")
) -> None:
    """What people want to know of each thing on the shelf: its answer as it stands, or what it takes to know."""
    from datetime import datetime

    from ubrant.runs.kept.accounts import summary_of
    from ubrant.runs.kept.answer_sheet import row_told, sheet_of_unit

    book = book_at(logbook)
    try:
        units = [one for one in book.units() if unit.lower() in {"", one.name.lower()}]
        if not units:
            refuse_with(f"There is no “{unit}” in {book.path.name}: it has {', '.join(one.name for one in book.units()) or 'nothing yet'}.")
        for one in units:
            print(visible(one.name))
            for row in sheet_of_unit(book, one, lambda run: summary_of(book, run), datetime.now().astimezone()):
                print(visible(f"  {row_told(row, book.meters())}"))
    finally:
        book.close()


@app.command("report")
def write_a_report(
    logbook: Path = typer.Argument(..., help="A logbook."),
    run: int = typer.Argument(..., help="The run's number; “ubrant runs LOGBOOK” lists them."),
    to: Path = typer.Option(..., help="FILE.pdf or FILE.html"),
    damaged: bool = typer.Option(False, "--damaged", help="Also of a run that is damaged in the logbook; the report says so."),
) -> None:
    """A run's report, to print or send."""
    from ubrant.report.document import ReportError, write_report
    from ubrant.runs.kept.accounts import account_of

    book = book_at(logbook)
    chosen, name = run_numbered(book, run)
    try:
        leaving_run(book, chosen, damaged_too=damaged)
        record, account = account_of(book, chosen)
        if not account.findings:
            refuse_with(account.trouble or "There is nothing to report.")
        write_report(chosen, record, account, name or chosen.source, to, book.photos_of(chosen))
        book.keep_statement(run, datetime.now(UTC).isoformat(timespec="seconds"), account.findings, account.sentence)
    except ReportError as error:
        refuse_with(str(error))
    finally:
        book.close()


@app.command("export")
def export_a_run(
    logbook: Path = typer.Argument(..., help="A logbook."),
    run: int = typer.Argument(..., help="The run's number; “ubrant runs LOGBOOK” lists them."),
    to: Path = typer.Option(..., help="FILE.csv, FILE.jot for typed readings, or a FOLDER for a Data Package"),
    damaged: bool = typer.Option(
        False, "--damaged", help="Also a run that is damaged in the logbook, as far as it can be read; the file says so."
    ),
) -> None:
    """A run's readings as CSV, or with everything known about it as a Data Package."""
    from ubrant.logbook.exporting import ExportError, export_csv, export_package
    from ubrant.runs.typed.jot_heads import export_jots

    book = book_at(logbook)
    chosen, name = run_numbered(book, run)
    try:
        stored = leaving_run(book, chosen, damaged_too=damaged)
        if to.suffix.lower() == ".csv":
            export_csv(stored, to)
        elif to.suffix.lower() in {".jot", ".txt"}:
            if lost := export_jots(stored, to, name):
                print(visible(lost), file=sys.stderr)
        else:
            export_package(stored, to, name)
    except ExportError as error:
        refuse_with(str(error))
    finally:
        book.close()


@app.command("compare")
def compare_runs(
    logbook: Path = typer.Argument(..., help="A logbook."),
    runs: str = typer.Option(
        ..., help="Their numbers, the first against each of the others, like “3,7”; “ubrant runs LOGBOOK” lists them."
    ),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a table."),
) -> None:
    """Runs held against each other: what differs, and the difference with its own ±."""
    from ubrant.runs.studies.compare import compare_json, compare_lines, compared_runs

    try:
        numbers = [int(part) for part in runs.split(",") if part.strip()]
    except ValueError:
        refuse_with(f"--runs “{runs}”: numbers with commas, like “3,7”.")
    if len(set(numbers)) < 2:
        refuse_with("--runs: name two runs at least, like “3,7”.")
    book = book_at(logbook)
    try:
        found = compared_runs(book, numbers)
    finally:
        book.close()
    known = {c.run.id for c in found}
    if missing := [n for n in numbers if n not in known]:
        refuse_with(f"There is no run {missing[0]} in {logbook.name}: “ubrant runs {logbook.name}” lists them.")
    print_told(compare_json(found) if as_json else None, compare_lines(found))


@app.command("verdicts")
def list_verdicts(
    logbook: Path = typer.Argument(..., help="A logbook."), as_json: bool = typer.Option(False, "--json", help="As one JSON object.")
) -> None:
    """Verdicts that were measured again: how many held, which did not, which a newer version of the sums has changed."""
    from ubrant.runs.afterwards.verdicts_again import again_to_json, unit_and_method, verdicts_again

    book = book_at(logbook)
    found = verdicts_again(book)
    book.close()
    if as_json:
        print(escaped_json(json.dumps(again_to_json(found), ensure_ascii=False)))
        return
    for pair in found.pairs:
        words = f"{pair.before.day} {pair.before.summary.verdict} → {pair.after.day} {pair.after.summary.verdict}"
        print(visible(f"{unit_and_method(pair)}: {words}"))
    print(visible(found.sentence()))
