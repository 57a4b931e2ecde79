"""The command line, and the way into the window."""

from __future__ import annotations

import json
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import typer

from ubrant import __version__
from ubrant.core.accuracy import Accuracy, parse_accuracy
from ubrant.core.chemistry import CHEMISTRIES
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import Discharge
from ubrant.core.finding import Finding
from ubrant.core.label import Label, LabelError, parse_label
from ubrant.core.quantity import QuantityError, parse_quantity
from ubrant.core.readings import ReadingsError

if TYPE_CHECKING:
    from ubrant.logbook.logbook import Logbook
    from ubrant.logbook.records import Run

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
        from ubrant.ui.application import open_window  # Qt is loaded for a window only

        raise typer.Exit(open_window(logbook))


@app.command()
def demo() -> None:
    """Open the demo logbook: a touring star dome's batteries, tested on the simulated bench."""
    from ubrant.ui.application import open_demo

    raise typer.Exit(open_demo())


@app.command("analyse")
def analyse_log(
    log: Path = typer.Argument(..., help="A log with time, voltage and current, a jot text, or a Data Package."),
    rated: str = typer.Option("", help="What the label says, like “50 Ah 12.8 V”."),
    cutoff: str = typer.Option("", help="The voltage the discharge is judged to, like “11.0 V”."),
    chemistry: str = typer.Option("", help="lifepo4, li-ion, lead-acid or nimh."),
    voltage_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.1% + 3 mV”."),
    current_accuracy: str = typer.Option("", help="As the meter's manual says it, like “0.5% + 5 mA”."),
    columns: str = typer.Option("", help="Which columns to read: “time=…,voltage=…,current=…”."),
    run: int | None = typer.Option(None, help="Which run, where the log holds several."),
    method: str = typer.Option("discharge", help="discharge, sweep, idle, steps or waveform."),
    tolerance: str = typer.Option("", help="What the output may be, like “5 V 5%” or “4.75..5.25 V” (sweep, steps)."),
    output_voltage_accuracy: str = typer.Option("", help="Of the meter at the output, where it is another (sweep, steps)."),
    output_current_accuracy: str = typer.Option("", help="Of the meter at the output, where it is another (sweep, steps)."),
    battery: str = typer.Option("", help="The battery that fed it, like “50 Ah 12.8 V LiFePO4” (steps)."),
    one_meter: bool = typer.Option(False, "--one-meter", help="One meter was moved from input to output: its own gain error cancels."),
    as_json: bool = typer.Option(False, "--json", help="Print one JSON object instead of a table."),
) -> None:
    """What a log or a jot text of a discharge says of the battery."""
    from ubrant.logbook.logs.log_file import LogError
    from ubrant.logbook.logs.read import only, read_logs
    from ubrant.workshop.bringing_in import Told, brought

    if method != "discharge":
        accuracies = (voltage_accuracy, current_accuracy, output_voltage_accuracy, output_current_accuracy)
        _analyse_conversion(log, method, rated, tolerance, accuracies, columns, battery, one_meter=one_meter, as_json=as_json)
        return
    try:
        read = only(read_logs(log, columns or None), run)
    except LogError as error:
        _refuse(str(error))
    about, planned = read.about, read.about.get("plan", {})
    label_text, kind = rated or str(about.get("label") or ""), chemistry or str(about.get("chemistry") or "")
    label = _label(label_text, kind)
    volts, amps = voltage_accuracy or str(about.get("voltage_accuracy") or ""), current_accuracy or str(about.get("current_accuracy") or "")
    _accuracy(volts, "V", "--voltage-accuracy")
    _accuracy(amps, "A", "--current-accuracy")
    limit = _cutoff(cutoff or str(planned.get("cutoff_v") or ""))
    told = Told(label_text if label else "", kind or None, limit, volts, amps, planned.get("temperature_c"))
    made = brought(read, told)
    try:
        found = made.found()
    except ReadingsError as error:
        _refuse(f"{log.name}: {error}")
    warnings = [*made.run.plan["warnings"], *(label.guesses + label.queries if label else ()), *found.warnings]
    if label and label.unread:
        warnings.append(f"Not understood on the label: “{label.unread}”.")
    if as_json:
        print(json.dumps(_as_json(found, warnings), ensure_ascii=False, indent=2))
    else:
        _print_table(found, warnings)


def _analyse_conversion(
    log: Path, method: str, rated: str, tolerance: str, accuracies: tuple[str, str, str, str], columns: str, battery: str, *, one_meter: bool, as_json: bool,
) -> None:  # fmt: skip
    """What a log of a converter or inverter, or a scope's record, says."""
    from ubrant.core.points import SweepMeters
    from ubrant.core.tolerance import parse_tolerance
    from ubrant.logbook.logs.log_file import LogError
    from ubrant.workshop.conversion import METHODS, idle_log, steps_log, sweep_log, wave_log

    if method not in METHODS:
        _refuse(f"--method “{method}” is not known: it is one of {', '.join(METHODS)}.")
    units = ("V", "A", "V", "A")
    options = ("--voltage-accuracy", "--current-accuracy", "--output-voltage-accuracy", "--output-current-accuracy")
    texts = (accuracies[0], accuracies[1], accuracies[2] or accuracies[0], accuracies[3] or accuracies[1])
    read = [_accuracy(text, unit, option) for text, unit, option in zip(texts, units, options, strict=True)]
    try:
        allowed = parse_tolerance(tolerance) if tolerance else None
    except QuantityError as error:
        _refuse(f"--tolerance: {error}")
    try:
        rated_w = parse_quantity(rated, "W") if rated and method in {"sweep", "steps"} else None
    except QuantityError as error:
        _refuse(f"--rated: {error} For a converter it is its rated output power, like “60 W”.")
    meters = SweepMeters(read[0], read[1], read[2], read[3], one_meter)
    try:
        if method == "waveform":
            found = wave_log(log, columns or None, read[0])
        elif method == "idle":
            found = idle_log(log, meters)
        elif method == "steps":
            found = steps_log(log, meters, allowed, rated_w, _label(battery, "", "--battery"))
        else:
            found = sweep_log(log, meters, allowed, rated_w)
    except LogError as error:
        _refuse(str(error))
    except ReadingsError as error:
        _refuse(f"{log.name}: {error}")
    if not as_json:
        _print_findings(found.findings, found.sentence, "", list(found.warnings))
        return
    findings: dict[str, Any] = {key: _finding_as_json(finding, finding.unit or "1") for key, finding in found.findings.items()}
    if found.kind:
        findings["kind"] = {"value": found.kind, "unit": "", "expanded_uncertainty": None, "working": "by its levels, crest factor and THD"}
    told = {
        "schema": 1, "findings": findings, "verdict": {"word": "cannot tell", "sentence": found.sentence, "settle": ""}, "ended_by": found.ended_by or "end of log",
        "gaps": [], "warnings": list(found.warnings),
    }  # fmt: skip
    print(json.dumps(told, ensure_ascii=False, indent=2))


@app.command("runs")
def list_runs(logbook: Path = typer.Argument(..., help="A logbook.")) -> None:
    """The runs of a logbook with their numbers."""
    from ubrant.workshop.views import summary_of

    book = _open(logbook)
    for run, name in reversed(book.runs(limit=100_000)):
        summary = summary_of(book, run)
        print(f"{run.id:5d}  {run.started[:16].replace('T', ' ')}  {name or run.source}: {summary.sentence if summary else run.state}")
    book.close()


@app.command("report")
def write_a_report(
    logbook: Path = typer.Argument(..., help="A logbook."),
    run: int = typer.Argument(..., help="The run's number; “ubrant runs LOGBOOK” lists them."),
    to: Path = typer.Option(..., help="FILE.pdf or FILE.html"),
) -> None:
    """A run's report, to print or send."""
    from ubrant.report.document import ReportError, write_report
    from ubrant.workshop.trials.registry import trial_of, trial_view
    from ubrant.workshop.views import view_of

    book = _open(logbook)
    chosen, name = _run_of(book, run)
    try:
        if trial_of(chosen.method) is not None:
            trial = trial_view(book, chosen)
            write_report(trial, name or chosen.source, to)
            book.keep_statement(run, datetime.now(UTC).isoformat(timespec="seconds"), trial.findings, trial.sentence)
            return
        view = view_of(book, chosen)
        write_report(view, name or chosen.source, to)
        book.keep_statement(run, datetime.now(UTC).isoformat(timespec="seconds"), view.found.findings, view.found.verdict.sentence)
    except (ReportError, ReadingsError) as error:
        _refuse(str(error))
    finally:
        book.close()


@app.command("export")
def export_a_run(
    logbook: Path = typer.Argument(..., help="A logbook."),
    run: int = typer.Argument(..., help="The run's number; “ubrant runs LOGBOOK” lists them."),
    to: Path = typer.Option(..., help="FILE.csv, FILE.jot for typed readings, or a FOLDER for a Data Package"),
) -> None:
    """A run's readings as CSV, or with everything known about it as a Data Package."""
    from ubrant.logbook.exporting import ExportError, export_csv, export_jots, export_package

    book = _open(logbook)
    chosen, name = _run_of(book, run)
    try:
        if to.suffix.lower() == ".csv":
            export_csv(book, chosen, to)
        elif to.suffix.lower() in {".jot", ".txt"}:
            export_jots(book, chosen, to, name)
        else:
            export_package(book, chosen, to, name)
    except ExportError as error:
        _refuse(str(error))
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


def _run_of(book: Logbook, number: int) -> tuple[Run, str]:
    found = next(((r, n) for r, n in book.runs(limit=100_000) if r.id == number), None)
    if found is None:
        book.close()
        _refuse(f"There is no run {number} in {book.path.name}: “ubrant runs {book.path.name}” lists them.")
    return found


def _refuse(sentence: str) -> NoReturn:
    print(sentence, file=sys.stderr)
    raise typer.Exit(2)


def _label(text: str, chemistry: str, option: str = "--rated") -> Label | None:
    if chemistry and chemistry not in CHEMISTRIES:
        _refuse(f"--chemistry “{chemistry}” is not known: it is one of {', '.join(CHEMISTRIES)}.")
    if not text:
        return None
    try:
        return parse_label(text, chemistry or None)
    except (LabelError, QuantityError) as error:
        _refuse(f"{option}: {error}")


def _accuracy(text: str, unit: str, option: str) -> Accuracy | None:
    if not text:
        return None
    try:
        return parse_accuracy(text, unit)
    except QuantityError as error:
        _refuse(f"{option}: {error}")


def _cutoff(text: str) -> Cutoff | None:
    if not text:
        return None
    try:
        volts = parse_quantity(text, "V")
    except QuantityError as error:
        _refuse(f"--cutoff: {error}")
    if not volts > 0:
        _refuse(f"--cutoff: a cut-off of {text} would never be reached: give it in volts above 0.")
    return Cutoff(volts)


def _finding_as_json(finding: Finding, unit: str) -> dict[str, Any]:
    return {
        "value": finding.value,
        "unit": unit,
        "expanded_uncertainty": finding.expanded_uncertainty,
        "working": "; ".join(finding.arithmetic) or finding.working,
    }


def _as_json(found: Discharge, warnings: list[str]) -> dict[str, Any]:
    return {
        "schema": 1,
        "findings": {key: _finding_as_json(finding, finding.unit) for key, finding in found.findings.items()},
        "verdict": {"word": found.verdict.word, "sentence": found.verdict.sentence, "settle": found.verdict.settle},
        "ended_by": found.ended_by,
        "gaps": [{"from_s": gap.from_s, "to_s": gap.to_s} for gap in found.gaps],
        "warnings": warnings,
    }


def _print_table(found: Discharge, warnings: list[str]) -> None:
    _print_findings(found.findings, found.verdict.sentence, found.verdict.settle, warnings)


def _print_findings(findings: dict[str, Finding], sentence: str, settle: str, warnings: list[str]) -> None:
    from rich.console import Console
    from rich.table import Table

    console = Console(highlight=False)
    table = Table(box=None, show_header=False, padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(no_wrap=True)
    table.add_column(style="dim")
    for finding in findings.values():
        if finding.value is not None:
            table.add_row(finding.name, finding.value_text(), finding.doubt_text(), finding.working)
    console.print(table)
    console.print()
    console.print(sentence, style="bold", markup=False)
    if settle:
        console.print(settle, markup=False)
    for warning in warnings:
        console.print(f"Note: {warning}", markup=False)


def main() -> None:
    """The ``ubrant`` command. A logbook named on its own is opened, as a file manager asks for it."""
    if len(sys.argv) == 2 and sys.argv[1].endswith(".ubrant"):
        sys.argv[1:] = ["--logbook", sys.argv[1]]
    app()
