"""Files on the command line: one analysed, many brought in."""

from __future__ import annotations

import json
import re
from pathlib import Path

import typer

from ubrant.cli.app import app
from ubrant.cli.common import book_at, escaped_json, label_notes, print_account, refuse_with
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.wording import visible


@app.command("analyse")
def analyse_log(
    log: Path = typer.Argument(..., help="A log with time, voltage and current, a jot text, or a Data Package."),
    rated: str = typer.Option("", help="What the label says, like “50 Ah 12.8 V”, or of a converter its rated output, like “60 W”."),
    cutoff: str = typer.Option("", help="The voltage the discharge is judged to, like “11.0 V”."),
    chemistry: str = typer.Option("", help="lifepo4, li-ion, lead-acid or nimh."),
    voltage_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.1% + 3 mV”."),
    current_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.5% + 5 mA”."),
    columns: str = typer.Option(
        "", help="Which columns to read: “time=…,voltage=…,current=…”, or with taps “input voltage=…,output current=…”."
    ),
    run: int | None = typer.Option(None, help="Which run, where the log holds several."),
    method: str = typer.Option(
        "", help="What was tested, by the method's key; “ubrant methods” lists them. A file that says it needs none."
    ),
    tolerance: str = typer.Option("", help="What the output may be, like “5 V 5%” or “4.75..5.25 V”."),
    output_voltage_accuracy: str = typer.Option("", help="Of the meter at the output, where it is another."),
    output_current_accuracy: str = typer.Option("", help="Of the meter at the output, where it is another."),
    battery: str = typer.Option("", help="The battery that fed it, like “50 Ah 12.8 V LiFePO4”."),
    temperature: str = typer.Option("", help="Of the battery at the start, like “21 °C”; or between what the room was: “17 to 23 °C”."),
    full: bool | None = typer.Option(None, "--full/--not-full", help="It was charged fully before, or it was not."),
    checked: list[str] = typer.Option(
        [], help="A check that you have looked at, by its word: it is as it was read. What asks for it says the word."
    ),
    one_meter: bool = typer.Option(False, "--one-meter", help="One meter was moved from input to output: its own gain error cancels."),
    check: bool = typer.Option(False, "--check", help="The ± once more, by 100 000 draws of every error (JCGM 101)."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a table."),
) -> None:
    """What a log, a jot text or an export says."""
    from ubrant.core.account import account_to_json
    from ubrant.core.quantities.quantity import QuantityError, parse_quantity
    from ubrant.core.record.head import parse_room
    from ubrant.logbook.logs.log_file import LogError
    from ubrant.methods.method import MethodError
    from ubrant.methods.registry import method_of
    from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
    from ubrant.runs.kept.accounts import account_of_stored

    if chemistry and chemistry not in CHEMISTRIES:
        refuse_with(f"--chemistry “{chemistry}” is not known: it is one of {', '.join(CHEMISTRIES)}.")
    stated = {"rated": rated, "cutoff": cutoff, "chemistry": chemistry, "tolerance": tolerance, "battery": battery}
    accuracies = (voltage_accuracy, current_accuracy, output_voltage_accuracy, output_current_accuracy)
    try:
        room_c = parse_room(temperature) if re.search(r"\d\s*°?\s*C?\s*(to|–|\.\.|…)", temperature) else None
        celsius = parse_quantity(temperature, "°C") if temperature and room_c is None else None
    except QuantityError as error:
        refuse_with(f"--temperature: {error}")
    options = LogOptions(method, stated, accuracies, one_meter, temperature_c=celsius, room_c=room_c, full=full, checked=tuple(checked))
    try:
        stored = read_file(log, options, columns or None, run)
    except LogError as error:
        refuse_with(str(error))
    except MethodError as error:
        refuse_with(f"--{error.option}: {error}")
    account = account_of_stored(stored.record())
    if account.trouble:
        refuse_with(f"{log.name}: {account.trouble} What can be said of a file on the command line: ubrant analyse --help.")
    warnings = label_notes(stored.run.label)
    if check:
        drawn = method_of(stored.run.method).simulate(stored.record())
        warnings += tuple(one.sentence() for one in drawn) or ("This method has no check by draws.",)
    if as_json:
        print(escaped_json(json.dumps(account_to_json(account, warnings), ensure_ascii=False, indent=2)))
    else:
        print_account(account, warnings)


@app.command("methods")
def list_methods() -> None:
    """The methods, by the keys that --method and jot text take."""
    from ubrant.methods.registry import entries

    for entry in entries():
        print(f"{entry.key:16s} {entry.title}")


@app.command("bring-in")
def bring_in_logbook(
    logbook: Path = typer.Argument(..., help="The logbook that is to hold it all."),
    other: Path = typer.Argument(..., help="The one whose units, meters, runs and pictures are brought in; it stays as it is."),
) -> None:
    """Bring what another logbook holds into this one; a unit of the same serial number, or of the same name and label, is the same one."""
    from ubrant.logbook.file import LogbookError
    from ubrant.runs.coming_in.merging import bring_in

    book = book_at(logbook)
    try:
        print(visible(bring_in(book, other).sentence(other.name)))
    except LogbookError as error:
        refuse_with(str(error))
    finally:
        book.close()


@app.command("import")
def import_logs(
    logbook: Path = typer.Argument(..., help="The logbook that is to hold them."),
    files: list[Path] = typer.Argument(..., help="Logs, exports, jot texts, or folders of them: as many as you like."),
    unit: str = typer.Option("", help="Whose they are, by its name; “none” for none. Without it each file's name or folder says it."),
    label: str = typer.Option("", help="What the labels of units say that are not on the shelf yet."),
    meter: str = typer.Option("", help="The meter on the shelf that they were read with, by its name."),
    voltage_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.1% + 3 mV”."),
    current_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.5% + 5 mA”."),
    cutoff: str = typer.Option("", help="The voltage they are judged to, like “11.0 V”; without it the usual one of the label."),
    temperature: str = typer.Option("", help="Of the battery at the start, like “21 °C”."),
    full: bool | None = typer.Option(None, "--full/--not-full", help="It was charged fully before, or it was not."),
    columns: str = typer.Option("", help="Which columns to read: “time=1,voltage=3,current=2”."),
    look: bool = typer.Option(False, "--look", help="Only say whose each would be and what it would say: nothing is kept."),
) -> None:
    """Bring logs into a logbook, all of them or none: whose each is, what it says and what is lacking."""
    from ubrant.core.quantities.quantity import QuantityError, parse_quantity
    from ubrant.logbook.file import LogbookError
    from ubrant.runs.coming_in.arriving import Arrivals, FileReader, KeptBefore, NotAnsweredError, files_of

    book = book_at(logbook)
    rows = FileReader(files_of(files), lambda _: columns or None, insists=bool(columns)).read()
    arrivals = Arrivals(rows, book.units(), book.meters(), here=KeptBefore(book))
    try:
        said: dict[str, object] = {"full": full} if full is not None else {}
        if cutoff:
            said["cutoff_v"] = parse_quantity(cutoff, "V")
        if temperature:
            said["temperature_c"] = parse_quantity(temperature, "°C")
        arrivals.say_of_all(unit, label, meter, (voltage_accuracy, current_accuracy), said)
        for row in arrivals.rows:
            row.told = arrivals.tell(row)
            lacks = f" (lacks: {arrivals.lacks(row)})" if arrivals.lacks(row) else ""
            owner = arrivals.unit_of(row)
            whose = f"{owner.name}: " if owner is not None else ""
            print(visible(f"{row.trouble} {row.flag}".strip() or f"{row.name}: {whose}{row.told.sentence or 'not worked out yet.'}{lacks}"))
        if not look:
            arrivals.check_answered()
            arrivals.keep(book)
            print(visible(arrivals.sentence()))
    except (NotAnsweredError, QuantityError, LogbookError) as error:
        refuse_with(str(error))
    finally:
        book.close()
    if any(row.trouble for row in arrivals.rows):
        raise typer.Exit(1)
