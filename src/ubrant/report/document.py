"""A run as a report: one page or two, HTML or PDF, with everything others need to check it."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta, timezone
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

from ubrant import __version__
from ubrant.core import FINDINGS_VERSION
from ubrant.core.accuracy import show_accuracy
from ubrant.core.finding import Finding
from ubrant.core.leads import Leads
from ubrant.core.quantity import plain, show_duration
from ubrant.logbook.records import Run
from ubrant.report.figures import path_figure, svg_of, trace_figure
from ubrant.report.trial_figures import trial_figure
from ubrant.workshop.paths import found_path, held_path, kept_path
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.trial import LEADS, TrialView, told_of
from ubrant.workshop.views import RunView

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_EVENTS = {"jotting", "paused", "resumed"}


class ReportError(Exception):
    """A report that cannot be written; says why and what to do."""


def write_report(view: RunView | TrialView, name: str, path: Path) -> None:
    """Write a run's report as ``.pdf`` or ``.html``.

    Raises
    ------
    ReportError
        Another ending, a folder that cannot be written, or a missing system library.
    """
    if path.suffix.lower() not in {".pdf", ".html"}:
        raise ReportError(f"{path.name}: a report is written as .pdf or .html; give the file such a name.")
    page = html_of(view, name) if isinstance(view, RunView) else html_of_trial(view, name)
    try:
        path.write_bytes(page.encode() if path.suffix.lower() == ".html" else _pdf_of(page))
    except OSError as error:
        raise ReportError(f"{path} could not be written: {error.strerror or error}.") from None


def _pdf_of(page: str) -> bytes:
    try:
        from weasyprint import HTML  # slow to import, and only reports need it
    except OSError as error:
        raise ReportError(
            f"A PDF needs the Pango library: install libpango-1.0-0 and libpangoft2-1.0-0, or write .html ({error})."
        ) from None
    return bytes(HTML(string=page).write_pdf() or b"")


def html_of(view: RunView, name: str) -> str:
    """The report as one self-contained page."""
    found, run = view.found, view.run
    figures = (path_figure(kept_path(view, name)), trace_figure(view))
    return _page(
        run, name, found.findings, "From battery to load", figures, verdict=found.verdict.sentence, settle=found.verdict.settle,
        warnings=[*run.plan.get("warnings", ()), *found.warnings], conditions=_conditions(view), events=_events(view),
    )  # fmt: skip


def html_of_trial(view: TrialView, name: str) -> str:
    """The report of a trial as one self-contained page."""
    run, told = view.run, told_of(view.run)
    trial = trial_of(run.method)
    held = held_path(told, view)
    found = held or found_path(told, view)
    path = [path_figure(found)] if found is not None else []
    drawn = trial_figure(view)
    titles = dict(trial.fields) if trial is not None else {}
    accuracies = "  ".join(a for a in (run.voltage_accuracy, run.current_accuracy, str(run.plan.get("input_power_accuracy", ""))) if a)
    rows = [("Method", trial.title if trial is not None else run.method), ("Meter", f"{run.meter}: {accuracies or 'accuracy not known'}")]
    if run.plan.get("output_meter") and run.plan["output_meter"] != run.meter:
        keys = ("output_voltage_accuracy", "output_current_accuracy", "output_power_accuracy")
        known = "  ".join(run.plan[k] for k in keys if run.plan.get(k))
        rows.append(("At the output", f"{run.plan['output_meter']}: {known or 'accuracy not known'}"))
    rows += [(titles.get(key, key), text) for key, text in told.fields.items() if text]
    if told.battery is not None:
        rows.append(("On the battery", f"{told.battery.name}, {told.battery.label_text}"))
    if trial is not None and LEADS in trial.chain and trial.is_started:
        rows.append(("Leads", told.leads.describe()))
    if run.trouble:
        rows.append(("Trouble", run.trouble))
    return _page(
        run, name, view.findings, "While the load was held" if held is not None else trial.shown_at if path and trial is not None else "What was measured", (*path, *([drawn] if drawn is not None else [])),
        verdict=view.sentence or view.trouble, settle="", warnings=list(view.warnings), conditions=rows, events=[],
    )  # fmt: skip


def _page(run: Run, name: str, findings: Mapping[str, Finding], heading: str, figures: Sequence[Figure], **told: object) -> str:
    from jinja2 import Environment, PackageLoader, select_autoescape
    from markupsafe import Markup

    environment = Environment(loader=PackageLoader("ubrant.report", "."), autoescape=select_autoescape(["html"]))
    shown = [f for f in findings.values() if f.value is not None]
    started = _local(run.started, run.utc_offset_min)
    return environment.get_template("template.html").render(
        title=f"{name}: {run.method} on {started:%-d %B %Y}", heading=heading,
        subtitle=f"Label: {run.label_text or 'none given'} · {run.source} · started {started:%H:%M}",
        footer=f"Ubrant {__version__}, findings version {FINDINGS_VERSION}, run {run.id}",
        findings=shown, halves=(shown[: len(shown) // 2 - 1], shown[len(shown) // 2 - 1 :]) if len(shown) > 3 else (shown,),
        figures=[Markup(svg_of(figure)) for figure in figures], regular=_font("B612-Regular.otf"), bold=_font("B612-Bold.otf"), **told,
    )  # fmt: skip


def _local(stamp: str, offset_min: int) -> datetime:
    return datetime.fromisoformat(stamp).astimezone(timezone(timedelta(minutes=offset_min)))


def _conditions(view: RunView) -> list[tuple[str, str]]:
    run, record, plan = view.run, view.record, view.run.plan
    accuracy = "  ".join(show_accuracy(a) for a in (record.voltage_accuracy, record.current_accuracy) if a) or "accuracy not known"
    rows = [
        ("Method", f"{run.method}, metered at the {record.tap}"),
        ("Ended by", view.found.ended_by),
        ("Meter", f"{run.meter or 'not named'}: {accuracy}"),
    ]
    if record.cutoff:
        rows.append(("Cut-off", f"{plain(record.cutoff.voltage_v)} V for {show_duration(record.cutoff.hold_s)}"))
    if "current_a" in plan:
        rows.append(("Current", f"{plain(plan['current_a'])} A constant; the load's own cut-off {plain(plan['own_cutoff_v'])} V"))
        rows.append(("Readings", f"every {show_duration(plan['every_s'])}"))
        rows.append(("Leads", Leads(plan["lead_length_m"], plan["lead_area_mm2"]).describe()))
    rows.append(
        ("Battery's temperature", "not known" if record.temperature_c is None else f"{plain(record.temperature_c)} °C at the start")
    )
    gaps = view.found.gaps
    rows.append(
        ("Gaps", ", ".join(f"{show_duration(g.length_s)} at {show_duration(g.from_s - view.found.load_on_s)}" for g in gaps) or "none")
    )
    if run.trouble:
        rows.append(("Trouble", run.trouble))
    return rows


def _events(view: RunView) -> list[tuple[str, str]]:
    start = view.found.load_on_s
    return [(_when(e.time_s - start), e.text) for e in view.events if e.kind in _EVENTS]


def _when(seconds: float) -> str:
    return f"{show_duration(seconds)} in" if seconds >= 0 else f"{show_duration(-seconds)} before load on"


def _font(name: str) -> str:
    return base64.b64encode(resources.files("ubrant.ui").joinpath(f"fonts/{name}").read_bytes()).decode()
