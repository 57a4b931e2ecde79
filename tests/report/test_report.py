"""The report says what the findings say."""

from __future__ import annotations

import io

import pytest
from pypdf import PdfReader

from tests.making import by_hand
from tests.methods.samples import BY_HAND, SAMPLES
from ubrant.core.drawings import TraceDrawing
from ubrant.logbook.logbook import Logbook
from ubrant.report.document import ReportError, html_of, write_report
from ubrant.report.figures import figures_of, path_figure, save
from ubrant.runs.kept.accounts import account_of, summary_of


@pytest.fixture(params=[pytest.param(key, marks=() if key == "discharge" else pytest.mark.slow) for key in BY_HAND])
def told(logbook, request):
    """A run of every method, typed, with a note."""
    sample = SAMPLES[request.param]
    run, _ = by_hand(logbook, request.param, sample.prepared(request.param, by_hand=True), sample.lines)
    logbook.note(run.id, 3600.0, "case <warm>")
    return logbook.run(run.id), *account_of(logbook, logbook.run(run.id))


def squeezed(text: str) -> str:
    return "".join(text.split())


def test_pdf_text_holds_every_finding_with_its_uncertainty_and_working(told, tmp_path):
    run, record, account = told
    write_report(run, record, account, "Dome pack <A>", tmp_path / "report.pdf")
    pages = PdfReader(io.BytesIO((tmp_path / "report.pdf").read_bytes())).pages
    assert len(pages) <= 3
    text = squeezed("".join(page.extract_text() for page in pages))
    for finding in account.findings.values():
        if finding.value is not None and not isinstance(finding.value, str):
            assert squeezed(f"{finding.value_text()}{finding.uncertainty_text()}") in text, finding.name
            assert squeezed(finding.working) in text, finding.name
    for said in (
        account.sentence,
        "Dome pack <A>",
        run.label_text,
        record.meter(next(iter(record.head.setup.meters))).name,
        "case <warm>",
        "Ubrant 0.",
    ):
        assert squeezed(said).lower() in text.lower(), said


def test_html_is_one_page_that_needs_nothing_else(told, tmp_path, logbook):
    run, record, account = told
    write_report(run, record, account, "Pack", tmp_path / "report.html")
    page = (tmp_path / "report.html").read_text()
    assert page.count("<svg") >= 1
    assert 'src="http' not in page
    assert "&lt;A&gt;" in html_of(run, record, account, "Dome pack <A>")
    for warning in account.warnings:
        assert warning.split(":")[0].replace("'", "&#39;") in page
    summary = summary_of(logbook, run)
    assert summary.sentence == account.sentence
    assert summary == logbook.summary(run.id)


def test_another_ending_and_another_place_are_refused(told, tmp_path):
    run, record, account = told
    with pytest.raises(ReportError, match=r"written as \.pdf or \.html"):
        write_report(run, record, account, "Pack", tmp_path / "report.doc")
    with pytest.raises(ReportError, match="could not be written"):
        write_report(run, record, account, "Pack", tmp_path / "nowhere" / "report.html")


def test_figures_as_files(told, tmp_path):
    _, _, account = told
    figures = [*figures_of(account.drawings()), *([path_figure(account.path())] if account.path() else [])]
    for number, figure in enumerate(figures):
        for ending, starts in (("svg", b"<?xml"), ("png", b"\x89PNG"), ("pdf", b"%PDF")):
            path = tmp_path / f"{number}.{ending}"
            save(figure, path)
            assert path.read_bytes().startswith(starts)
    if figures:
        return
    assert not any(isinstance(d, TraceDrawing) for d in account.drawings())


def test_whatever_a_method_draws_can_be_drawn_in_a_report(tmp_path):
    """Of every method, in one go: a tint or a quantity that the figures do not know is a report that nobody gets."""
    for key in BY_HAND:
        book = Logbook(tmp_path / f"{key}.ubrant")
        run, _ = by_hand(book, key, SAMPLES[key].prepared(key, by_hand=True), SAMPLES[key].lines)
        drawings = account_of(book, book.run(run.id))[1].drawings()
        assert figures_of(drawings) or not drawings, key
        book.close()
