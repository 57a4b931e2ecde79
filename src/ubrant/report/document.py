"""A run as a report: one page or two, HTML or PDF, with everything others need to check it."""

from __future__ import annotations

import base64
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta, timezone
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

from ubrant import __version__
from ubrant.core import FINDINGS_VERSION
from ubrant.core.account import Account
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.accuracy import show_accuracy
from ubrant.core.quantities.quantity import QuantityError, plain, show_duration
from ubrant.core.record.events import Note, Paused, Resumed, mark_of
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import visible
from ubrant.logbook.records import Photo, Run
from ubrant.methods.form import CONDITIONS
from ubrant.methods.registry import UnknownMethodError, entry_of, method_of
from ubrant.report.figures import figures_of, path_figure, svg_of
from ubrant.writing import write_whole

if TYPE_CHECKING:
    from matplotlib.figure import Figure


_MOST_PHOTOS = 4


class ReportError(Exception):
    """A report that cannot be written; says why and what to do."""


def write_report(run: Run, record: Record, account: Account, name: str, path: Path, photos: Sequence[Photo] = ()) -> None:
    """Write a run's report as ``.pdf`` or ``.html``, with the first pictures of it and its unit.

    Raises
    ------
    ReportError
        Another ending, a folder that cannot be written, or a missing system library.
    """
    if path.suffix.lower() not in {".pdf", ".html"}:
        raise ReportError(f"{path.name}: a report is written as .pdf or .html; give the file such a name.")
    page = html_of(run, record, account, name, photos)
    try:
        whole = page.encode() if path.suffix.lower() == ".html" else pdf_of(page)
        write_whole(path, lambda beside: beside.write_bytes(whole))
    except OSError as error:
        raise ReportError(f"{path} could not be written: {error.strerror or error}.") from None


def pdf_of(page: str) -> bytes:
    """The page as a PDF.

    Raises
    ------
    ReportError
        A system library is missing.
    """
    try:
        from weasyprint import HTML  # slow to import, and only reports need it
    except OSError as error:
        raise ReportError(
            f"A PDF needs the Pango library: install libpango-1.0-0 and libpangoft2-1.0-0, or write .html ({error})."
        ) from None
    return bytes(HTML(string=page).write_pdf() or b"")


def html_of(run: Run, record: Record, account: Account, name: str, photos: Sequence[Photo] = ()) -> str:
    """The report as one self-contained page."""
    flows = account.path()
    path = [path_figure(flows)] if flows is not None and any(f.amount is not None for f in flows.flows) else []
    heading = account.shown_at if path and account.shown_at else "What was measured"
    return _page(
        run,
        name,
        account.findings,
        heading,
        (*path, *figures_of(account.drawings())),
        verdict=account.sentence or account.trouble,
        settle=account.settle,
        warnings=list(account.warnings),
        conditions=conditions_of(run, record, account),
        events=_events(record, account),
        photos=[(base64.b64encode(photo.jpeg).decode(), photo.text) for photo in photos[:_MOST_PHOTOS]],
    )


def _page(run: Run, name: str, findings: Mapping[str, Finding], heading: str, figures: Sequence[Figure], **told: object) -> str:
    from jinja2 import Environment, PackageLoader, select_autoescape
    from markupsafe import Markup

    environment = Environment(loader=PackageLoader("ubrant.report", "."), autoescape=select_autoescape(["html"]), finalize=_plain)
    shown = [f for f in findings.values() if f.value is not None]
    started = started_at(run)
    return environment.get_template("template.html").render(
        title=f"{name}: {_title_of(run).lower()} on {started:%-d %B %Y}",
        heading=heading,
        subtitle=f"Label: {run.label_text or 'none given'} · {run.source} · started {started:%H:%M}",
        footer=f"Ubrant {__version__}, findings version {FINDINGS_VERSION}, run {run.id}",
        findings=shown,
        halves=(shown[: len(shown) // 2 - 1], shown[len(shown) // 2 - 1 :]) if len(shown) > 3 else (shown,),
        figures=[Markup(svg_of(figure)) for figure in figures],
        regular=_font("B612-Regular.otf"),
        bold=_font("B612-Bold.otf"),
        **told,
    )


def _plain(value: object) -> object:
    """Data as it is printed; what is markup on purpose (figures, type) stays it."""
    return visible(value) if type(value) is str else value


def started_at(run: Run) -> datetime:
    """When it began, by the clock of the place."""
    return datetime.fromisoformat(run.started).astimezone(timezone(timedelta(minutes=run.utc_offset_min)))


def conditions_of(run: Run, record: Record, account: Account) -> list[tuple[str, str]]:
    """What it was made with and under."""
    head, setup = run.head, run.head.setup
    rows = [("Method", _title_of(run))]
    if account.ended_by:
        rows.append(("Ended by", account.ended_by))
    for tap, meter in setup.meters.items():
        title = "Meter" if len(setup.meters) == 1 else f"Meter at the {tap}"
        known = "  ".join(_accuracies(meter))
        rows.append((title, f"{meter.name or 'not named'}: {known or 'accuracy not known'}"))
    rows += _plan_rows(run)
    cutoff = head.criteria.cutoff
    if cutoff is not None:
        rows.append(("Cut-off", f"{plain(cutoff.voltage_v)} V for {show_duration(cutoff.hold_s)}"))
    if setup.battery is not None:
        rows.append(("On the battery", f"{setup.battery.name}, {setup.battery.printed}"))
    if head.plan and setup.leads.length_m:
        rows.append(("Leads", setup.leads.describe()))
    if cutoff is not None or head.conditions.temperature_c is not None:
        celsius = head.conditions.temperature_c
        rows.append(("Battery's temperature", "not known" if celsius is None else f"{plain(celsius)} °C at the start"))
        start = account.span[0] if account.span else 0.0
        rows.append(
            ("Gaps", ", ".join(f"{show_duration(g.length_s)} at {show_duration(g.from_s - start)}" for g in account.gaps) or "none")
        )
    if run.trouble:
        rows.append(("Trouble", run.trouble))
    return rows


def _title_of(run: Run) -> str:
    try:
        return entry_of(run.method).title
    except UnknownMethodError:
        return run.method


def _accuracies(meter: Meter) -> Iterator[str]:
    """On the day of the run, with what each was corrected by."""
    for unit, text in zip("VAW", (meter.voltage_accuracy, meter.current_accuracy, meter.details.power_accuracy), strict=True):
        try:
            accuracy = meter.accuracy(unit)
        except QuantityError:
            yield text
            continue
        if accuracy is not None:
            by = meter.details.corrects(unit)
            yield show_accuracy(accuracy) + (f", corrected by {by.against}, {by.made[:10]}" if by is not None else "")


def _plan_rows(run: Run) -> list[tuple[str, str]]:
    """The fields of the form as they were chosen, where they are other than nothing."""
    try:
        method = method_of(run.method)
        prepared = method.prepared(run.head)
        if prepared.plan is None:
            return []
        typed = method.typed(prepared)
        fields = method.form(prepared.setup)
    except ValueError:
        return []
    shown = (f for f in fields if f.part != CONDITIONS and typed[f.key] and not (f.folded and typed[f.key] == f.usual))
    return [(field.title, typed[field.key]) for field in shown]


def _events(record: Record, account: Account) -> list[tuple[str, str]]:
    """What was noted, and when the load was off meanwhile."""
    start = account.span[0] if account.span else 0.0
    return [(_when(e.time_s - start), e.text or mark_of(e)) for e in record.events if isinstance(e, Note | Paused | Resumed)]


def _when(seconds: float) -> str:
    return f"{show_duration(seconds)} in" if seconds >= 0 else f"{show_duration(-seconds)} before load on"


def _font(name: str) -> str:
    return base64.b64encode(resources.files("ubrant.ui").joinpath(f"fonts/{name}").read_bytes()).decode()
