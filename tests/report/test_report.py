"""The report says what the findings say."""

from __future__ import annotations

import io

import pytest
from pypdf import PdfReader

from tests.making import falling
from ubrant.core.cutoff import Cutoff
from ubrant.core.unit import Unit
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import StoredEvent
from ubrant.report.document import ReportError, html_of, write_report
from ubrant.report.figures import path_figure, save, trace_figure
from ubrant.workshop.bringing_in import keep_log
from ubrant.workshop.paths import kept_path
from ubrant.workshop.views import view_of


@pytest.fixture
def view(logbook):
    unit = logbook.keep_unit(Unit("Dome pack <A>", "battery", "50 Ah 12.8 V LiFePO4"))
    body = falling()
    log = LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a)
    run = keep_log(
        logbook, log, unit, cutoff=Cutoff(11.0), voltage_accuracy="0.1 % + 3 mV", current_accuracy="0.5 % + 5 mA", meter="Bench meter"
    )
    logbook.add_event(run.id, StoredEvent(3600.0, "jotting", "case warm"))
    return view_of(logbook, run)


def squeezed(text: str) -> str:
    return "".join(text.split())


def test_pdf_text_holds_every_finding_with_its_doubt_and_working(view, tmp_path):
    write_report(view, "Dome pack <A>", tmp_path / "report.pdf")
    pages = PdfReader(io.BytesIO((tmp_path / "report.pdf").read_bytes())).pages
    assert len(pages) <= 2
    text = squeezed("".join(page.extract_text() for page in pages))
    for finding in view.found.findings.values():
        if finding.value is not None:
            assert squeezed(f"{finding.value_text()}{finding.doubt_text()}") in text, finding.name
            assert squeezed(finding.working) in text, finding.name
    for said in (view.found.verdict.sentence, "Dome pack <A>", "50 Ah 12.8 V LiFePO4", "Bench meter", "case warm", "Ubrant 0.", "ended by"):
        assert squeezed(said) in text or squeezed(said).lower() in text.lower(), said


def test_html_is_one_page_that_needs_nothing_else(view, tmp_path):
    write_report(view, "Pack", tmp_path / "report.html")
    page = (tmp_path / "report.html").read_text()
    assert view.found.verdict.sentence in page
    assert page.count("<svg") == 2
    assert 'src="http' not in page
    assert "&lt;A&gt;" in html_of(view, "Dome pack <A>")


def test_another_ending_and_another_place_are_refused(view, tmp_path):
    with pytest.raises(ReportError, match=r"written as \.pdf or \.html"):
        write_report(view, "Pack", tmp_path / "report.doc")
    with pytest.raises(ReportError, match="could not be written"):
        write_report(view, "Pack", tmp_path / "nowhere" / "report.html")


@pytest.mark.parametrize(
    ("name", "starts"), [("trace.svg", b"<?xml"), ("trace.png", b"\x89PNG"), ("path.svg", b"<?xml"), ("path.pdf", b"%PDF")]
)
def test_figures_as_files(view, tmp_path, name, starts):
    figure = trace_figure(view) if name.startswith("trace") else path_figure(kept_path(view, "Pack"))
    save(figure, tmp_path / name)
    assert (tmp_path / name).read_bytes().startswith(starts)
