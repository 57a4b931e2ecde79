"""What lies ahead, on the command line: outlooks, sizes, what to measure next, days at the bench."""

from __future__ import annotations

import json
from pathlib import Path

import typer

from ubrant.cli.app import app
from ubrant.cli.common import book_at, escaped_json, kit_in, print_told, refuse_with
from ubrant.core.wording import visible


@app.command("outlook")
def look_out(
    file: Path = typer.Argument(..., help="An outlook as a TOML file: [source], [[load]], [way], [[input]]."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a table."),
) -> None:
    """How long a kit runs, what goes first, where the watt-hours go."""
    from ubrant.runs.kits.kit_parts import KitError
    from ubrant.runs.kits.outlooks import cautions_of, looked_at, outlook_json, outlook_lines, sentence

    try:
        part, kit = kit_in(file)
        looked = looked_at(part, kit)
    except KitError as error:
        refuse_with(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    if as_json:
        print(escaped_json(json.dumps(outlook_json(part, kit, looked), ensure_ascii=False, indent=2)))
        return
    for name, value in outlook_lines(part, kit, looked):
        print(visible(f"{name:34s} {value}"))
    print(visible(sentence(looked)))
    for note in (*kit.remarks, *cautions_of(kit)):
        print(visible(f"Note: {note}"))


@app.command("next")
def what_next(
    file: Path = typer.Argument(..., help="A logbook, or an outlook as a TOML file."),
    wanted: str = typer.Option("", "--for", help="How long it is to last, like “8 h”; without it only how sure the answer is counts."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of lines."),
) -> None:
    """What to measure next: the test that would take most doubt for least work, or that there is no need."""
    from datetime import datetime

    from ubrant.core.quantities.quantity import QuantityError
    from ubrant.runs.kits.kit_parts import KitError
    from ubrant.runs.kits.next_tests import next_in, next_json, next_of_kit
    from ubrant.runs.kits.outlooks import looked_at, parse_wanted

    try:
        wanted_s = parse_wanted(wanted).seconds if wanted.strip() else None
        if file.suffix.lower() == ".toml":
            part, kit = kit_in(file)
            book = book_at(file.parent / part.logbook) if part.logbook else None
            units, meters = (book.units(), book.meters()) if book is not None else ([], [])
            found = [next_of_kit(part.name or file.stem, kit, looked_at(part, kit), wanted_s, units, meters)]
        else:
            book = book_at(file)
            found = next_in(book, datetime.now().astimezone(), wanted_s)
        if book is not None:
            book.close()
    except (KitError, QuantityError) as error:
        refuse_with(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    print_told(
        next_json(found) if as_json else None, [text for one in found for text in (one.name, *(f"  {line}" for line in one.lines()))]
    )


@app.command("days")
def bench_days(
    file: Path = typer.Argument(..., help="Days at the bench as a TOML file, or a logbook: its plan as it stands."),
    calendar: Path | None = typer.Option(None, help="Write the visits as a calendar (.ics)."),
    page: Path | None = typer.Option(None, help="Write the visits as a page to print (.html)."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of lines."),
) -> None:
    """Tests laid into hours, tools and visits: when to be there, what to clip where, and how late one may be."""
    from datetime import datetime

    from ubrant.core.planning.steps import PlanError
    from ubrant.runs.bench_days.asked import read_days
    from ubrant.runs.bench_days.living import current_days, plan_days, shelf_of
    from ubrant.runs.bench_days.words import days_calendar, days_json, days_page, lines_of_days
    from ubrant.writing import write_whole

    now = datetime.now().astimezone()
    try:
        if file.suffix.lower() == ".toml":
            part = read_days(file)
            if not part.logbook:
                refuse_with(f"{file.name}: name the logbook whose units are to be tested, like logbook = “bench.ubrant”.")
            book = book_at(file.parent / part.logbook)
            days = plan_days(part, shelf_of(book), now)
        else:
            book = book_at(file)
            found = current_days(book, now)
            if found is None:
                refuse_with(f"{file.name} has no days at the bench: plan them in Prepare, or write them as a TOML file.")
            days = found
        book.close()
        for path, data in ((calendar, days_calendar(days, now)), (page, days_page(days).encode())):
            if path is not None:
                write_whole(path, lambda at, data=data: at.write_bytes(data))  # type: ignore[misc]
    except PlanError as error:
        refuse_with(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    print_told(days_json(days) if as_json else None, lines_of_days(days))


@app.command("size")
def size_of_source(
    file: Path = typer.Argument(..., help="An outlook as a TOML file."),
    wanted: str = typer.Option(..., "--for", help="“8 h”, “2 days” or “3 charges”."),
    confidence: float = typer.Option(90.0, help="How sure, in percent."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a sentence."),
) -> None:
    """What the first source has to hold for so long, or for so many charges."""
    from ubrant.core.quantities.quantity import QuantityError
    from ubrant.runs.kits.kit_parts import KitError
    from ubrant.runs.kits.outlooks import parse_wanted, size_json, size_of, size_sentence

    if not 50 <= confidence < 100:
        refuse_with("--confidence lies from 50 up to, but not including, 100 %.")
    try:
        part, kit = kit_in(file)
        name = part.job.name if part.job is not None else "charge"
        found = size_of(part, kit, parse_wanted(wanted, name), confidence / 100)
    except (KitError, QuantityError) as error:
        refuse_with(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    if found.needed_wh is None:
        refuse_with(f"{file.name}: {found.why_not}")
    print(escaped_json(json.dumps(size_json(found), ensure_ascii=False, indent=2)) if as_json else visible(size_sentence(found)))
