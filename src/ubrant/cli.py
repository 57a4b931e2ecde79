"""The command line, and the way into the window."""

from __future__ import annotations

import json
import os
import re
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import typer

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # sums are made in blocks that one thread does quickest, and NumPy starts sooner

from ubrant import __version__
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.wording import say, visible

if TYPE_CHECKING:
    from collections.abc import Iterable

    from ubrant.core.account import Account
    from ubrant.core.outlook.kit import Kit
    from ubrant.core.quantities.label import Label
    from ubrant.logbook.logbook import Logbook
    from ubrant.logbook.records import Run, StoredRun
    from ubrant.runs.kits.kit_parts import KitPart

app = typer.Typer(add_completion=False, no_args_is_help=False, rich_markup_mode=None, pretty_exceptions_enable=False)


@app.callback(invoke_without_command=True)
def window(
    context: typer.Context,
    logbook: Path | None = typer.Option(None, help="A logbook to open instead of the last one."),
    version: bool = typer.Option(False, "--version", help="Say which Ubrant this is."),
) -> None:
    """Ubrant: a bench log that does the sums and says how sure it is. Without a command it opens the last logbook."""
    if version:
        print(f"Ubrant {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        from ubrant.ui.window.application import open_window  # Qt is loaded for a window only

        raise typer.Exit(open_window(logbook))


@app.command()
def demo() -> None:
    """Open the demo logbook: a touring star dome's batteries, tested on the simulated bench."""
    from ubrant.ui.window.application import open_demo

    raise typer.Exit(open_demo())


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
        _refuse(f"--chemistry “{chemistry}” is not known: it is one of {', '.join(CHEMISTRIES)}.")
    stated = {"rated": rated, "cutoff": cutoff, "chemistry": chemistry, "tolerance": tolerance, "battery": battery}
    accuracies = (voltage_accuracy, current_accuracy, output_voltage_accuracy, output_current_accuracy)
    try:
        room_c = parse_room(temperature) if re.search(r"\d\s*°?\s*C?\s*(to|–|\.\.|…)", temperature) else None
        celsius = parse_quantity(temperature, "°C") if temperature and room_c is None else None
    except QuantityError as error:
        _refuse(f"--temperature: {error}")
    options = LogOptions(method, stated, accuracies, one_meter, temperature_c=celsius, room_c=room_c, full=full, checked=tuple(checked))
    try:
        stored = read_file(log, options, columns or None, run)
    except LogError as error:
        _refuse(str(error))
    except MethodError as error:
        _refuse(f"--{error.option}: {error}")
    account = account_of_stored(stored.record())
    if account.trouble:
        _refuse(f"{log.name}: {account.trouble} What can be said of a file on the command line: ubrant analyse --help.")
    warnings = _about_label(stored.run.label)
    if check:
        drawn = method_of(stored.run.method).simulate(stored.record())
        warnings += tuple(one.sentence() for one in drawn) or ("This method has no check by draws.",)
    if as_json:
        print(_escaped(json.dumps(account_to_json(account, warnings), ensure_ascii=False, indent=2)))
    else:
        _print_account(account, warnings)


@app.command("methods")
def list_methods() -> None:
    """The methods, by the keys that --method and jot text take."""
    from ubrant.methods.registry import entries

    for entry in entries():
        print(f"{entry.key:16s} {entry.title}")


def _about_label(label: Label | None) -> tuple[str, ...]:
    """What was taken for granted on a label, what it should be asked about, and what was not understood."""
    if label is None:
        return ()
    # what a port takes is read where a port is looked at
    left = re.split(r"\b(?:input|solar|output)\b", label.unread, flags=re.I)[0].strip(" ,;")
    unread = (say("Not understood on the label: “{what}”.", what=left),) if left else ()
    return (*label.guesses, *label.queries, *unread)


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

    book = _open(logbook)
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

    book = _open(logbook)
    try:
        units = [one for one in book.units() if unit.lower() in {"", one.name.lower()}]
        if not units:
            _refuse(f"There is no “{unit}” in {book.path.name}: it has {', '.join(one.name for one in book.units()) or 'nothing yet'}.")
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

    book = _open(logbook)
    chosen, name = _run_of(book, run)
    try:
        _may_leave(book, chosen, damaged_too=damaged)
        record, account = account_of(book, chosen)
        if not account.findings:
            _refuse(account.trouble or "There is nothing to report.")
        write_report(chosen, record, account, name or chosen.source, to, book.photos_of(chosen))
        book.keep_statement(run, datetime.now(UTC).isoformat(timespec="seconds"), account.findings, account.sentence)
    except ReportError as error:
        _refuse(str(error))
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

    book = _open(logbook)
    chosen, name = _run_of(book, run)
    try:
        stored = _may_leave(book, chosen, damaged_too=damaged)
        if to.suffix.lower() == ".csv":
            export_csv(stored, to)
        elif to.suffix.lower() in {".jot", ".txt"}:
            if lost := export_jots(stored, to, name):
                print(visible(lost), file=sys.stderr)
        else:
            export_package(stored, to, name)
    except ExportError as error:
        _refuse(str(error))
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
        _refuse(f"--runs “{runs}”: numbers with commas, like “3,7”.")
    if len(set(numbers)) < 2:
        _refuse("--runs: name two runs at least, like “3,7”.")
    book = _open(logbook)
    try:
        found = compared_runs(book, numbers)
    finally:
        book.close()
    known = {c.run.id for c in found}
    if missing := [n for n in numbers if n not in known]:
        _refuse(f"There is no run {missing[0]} in {logbook.name}: “ubrant runs {logbook.name}” lists them.")
    _tell(compare_json(found) if as_json else None, compare_lines(found))


@app.command("outlook")
def look_out(
    file: Path = typer.Argument(..., help="An outlook as a TOML file: [source], [[load]], [way], [[input]]."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a table."),
) -> None:
    """How long a kit runs, what goes first, where the watt-hours go."""
    from ubrant.runs.kits.kit_parts import KitError
    from ubrant.runs.kits.outlooks import cautions_of, looked_at, outlook_json, outlook_lines, sentence

    try:
        part, kit = _kit(file)
        looked = looked_at(part, kit)
    except KitError as error:
        _refuse(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    if as_json:
        print(_escaped(json.dumps(outlook_json(part, kit, looked), ensure_ascii=False, indent=2)))
        return
    for name, value in outlook_lines(part, kit, looked):
        print(visible(f"{name:34s} {value}"))
    print(visible(sentence(looked)))
    for note in (*kit.remarks, *cautions_of(kit)):
        print(visible(f"Note: {note}"))


@app.command("next")
def what_next(
    file: Path = typer.Argument(..., help="A logbook, or an outlook as a TOML file."),
    wanted: str = typer.Option(
        "", "--for", help="How long it is to last, like “8 h”: without need to decide, how sure it is counts alone."
    ),
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
            part, kit = _kit(file)
            book = _open(file.parent / part.logbook) if part.logbook else None
            units, meters = (book.units(), book.meters()) if book is not None else ([], [])
            found = [next_of_kit(part.name or file.stem, kit, looked_at(part, kit), wanted_s, units, meters)]
        else:
            book = _open(file)
            found = next_in(book, datetime.now().astimezone(), wanted_s)
        if book is not None:
            book.close()
    except (KitError, QuantityError) as error:
        _refuse(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    _tell(next_json(found) if as_json else None, [text for one in found for text in (one.name, *(f"  {line}" for line in one.lines()))])


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
                _refuse(f"{file.name}: name the logbook whose units are to be tested, like logbook = “bench.ubrant”.")
            book = _open(file.parent / part.logbook)
            days = plan_days(part, shelf_of(book), now)
        else:
            book = _open(file)
            found = current_days(book, now)
            if found is None:
                _refuse(f"{file.name} has no days at the bench: plan them in Prepare, or write them as a TOML file.")
            days = found
        book.close()
        for path, data in ((calendar, days_calendar(days, now)), (page, days_page(days).encode())):
            if path is not None:
                write_whole(path, lambda at, data=data: at.write_bytes(data))  # type: ignore[misc]
    except PlanError as error:
        _refuse(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    _tell(days_json(days) if as_json else None, lines_of_days(days))


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
        _refuse("--confidence lies from 50 up to, but not including, 100 %.")
    try:
        part, kit = _kit(file)
        name = part.job.name if part.job is not None else "charge"
        found = size_of(part, kit, parse_wanted(wanted, name), confidence / 100)
    except (KitError, QuantityError) as error:
        _refuse(f"{file.name}: {error}" if file.name not in str(error) else str(error))
    if found.needed_wh is None:
        _refuse(f"{file.name}: {found.why_not}")
    print(_escaped(json.dumps(size_json(found), ensure_ascii=False, indent=2)) if as_json else visible(size_sentence(found)))


@app.command("verdicts")
def list_verdicts(
    logbook: Path = typer.Argument(..., help="A logbook."), as_json: bool = typer.Option(False, "--json", help="As one JSON object.")
) -> None:
    """Verdicts that were measured again: how many held, which did not, which a newer version of the sums has changed."""
    from ubrant.runs.afterwards.verdicts_again import again_to_json, unit_and_method, verdicts_again

    book = _open(logbook)
    found = verdicts_again(book)
    book.close()
    if as_json:
        print(_escaped(json.dumps(again_to_json(found), ensure_ascii=False)))
        return
    for pair in found.pairs:
        words = f"{pair.before.day} {pair.before.summary.verdict} → {pair.after.day} {pair.after.summary.verdict}"
        print(visible(f"{unit_and_method(pair)}: {words}"))
    print(visible(found.sentence()))


@app.command("bring-in")
def bring_in_logbook(
    logbook: Path = typer.Argument(..., help="The logbook that is to hold it all."),
    other: Path = typer.Argument(..., help="The one whose units, meters, runs and pictures are brought in; it stays as it is."),
) -> None:
    """Bring what another logbook holds into this one; a unit of the same serial number, or of the same name and label, is the same one."""
    from ubrant.logbook.file import LogbookError
    from ubrant.runs.coming_in.merging import bring_in

    book = _open(logbook)
    try:
        print(visible(bring_in(book, other).sentence(other.name)))
    except LogbookError as error:
        _refuse(str(error))
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

    book = _open(logbook)
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
        _refuse(str(error))
    finally:
        book.close()
    if any(row.trouble for row in arrivals.rows):
        raise typer.Exit(1)


def _tell(as_object: dict[str, Any] | None, lines: Iterable[str]) -> None:
    """One JSON object, or else lines."""
    if as_object is not None:
        print(_escaped(json.dumps(as_object, ensure_ascii=False, indent=2)))
        return
    for line in lines:
        print(visible(line))


def _kit(file: Path) -> tuple[KitPart, Kit]:
    """The kit of a file, with the runs of the logbook it names."""
    from ubrant.runs.kits.kit_file import kit_of
    from ubrant.runs.kits.kit_parts import read_kit

    part = read_kit(file)
    if not part.logbook:
        return part, kit_of(part, folder=file.parent)
    from ubrant.runs.kits.measured import measured_in

    book = _open(file.parent / part.logbook)
    try:
        return part, kit_of(part, measured_in(book), file.parent)
    finally:
        book.close()


def _open(path: Path) -> Logbook:
    from ubrant.logbook.file import LogbookError
    from ubrant.logbook.logbook import Logbook

    if not path.exists():
        _refuse(f"{path} does not exist: check the name.")
    try:
        return Logbook(path)
    except LogbookError as error:
        _refuse(str(error))


def _may_leave(book: Logbook, run: Run, *, damaged_too: bool) -> StoredRun:
    """The run, once its seals were asked."""
    from ubrant.logbook.file import DamagedError

    try:
        return book.leaving(run, damaged_too=damaged_too)
    except DamagedError as error:
        _refuse(f"{error} With --damaged it is written all the same, and the file says so.")


def _run_of(book: Logbook, number: int) -> tuple[Run, str]:
    run = next(((r, n) for r, n in book.runs(limit=100_000) if r.id == number), None)
    if run is None:
        book.close()
        _refuse(f"There is no run {number} in {book.path.name}: “ubrant runs {book.path.name}” lists them.")
    return run


def _escaped(text: str) -> str:
    """JSON in which what a terminal might obey is written as an escape, which reads back to the same."""
    return text if visible(text) == text else "".join(c if visible(c) == c else json.dumps(c)[1:-1] for c in text)


def _refuse(sentence: str) -> NoReturn:
    print(visible(sentence), file=sys.stderr)
    raise typer.Exit(2)


def _print_account(account: Account, warnings: tuple[str, ...]) -> None:
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


def main() -> None:
    """The ``ubrant`` command. A logbook named on its own is opened, as a file manager asks for it."""
    if len(sys.argv) == 2 and sys.argv[1].endswith(".ubrant"):
        sys.argv[1:] = ["--logbook", sys.argv[1]]
    from ubrant.logbook.file import LogbookError

    try:
        app()
    except LogbookError as error:  # damage that only showed in the middle of something: it says so itself
        print(visible(str(error)), file=sys.stderr)
        sys.exit(2)
