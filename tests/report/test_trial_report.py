"""Trials on paper and on the command line: every kind has a report that says what the window says."""

from __future__ import annotations

import io
import json

import pytest
from pypdf import PdfReader
from typer.testing import CliRunner

from ubrant.cli import app
from ubrant.core.jot import Grammar
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.exporting import export_csv
from ubrant.logbook.logbook import Logbook
from ubrant.report.document import html_of_trial, write_report
from ubrant.report.figures import save
from ubrant.report.trial_figures import trial_figure
from ubrant.workshop.jotting import take_down
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.session import start_typed_trial
from ubrant.workshop.trials.trial import Told
from ubrant.workshop.views import summary_of

METER = Meter("Bench <meter>", "0.05 % + 2 mV", "0.2 % + 2 mA", details=MeterDetails(power_accuracy="1 % + 0.3 W"))
SWEEP = [f"input {v} V {0.02 + p * 1.08 / v:.4f} A output 5.00 V {p / 5:.3f} A" for p in (0, 2, 5, 10) for v in (12.0, 9.0, 12.0)]
LINES = {
    ("Step-down", "converter", "12 V to 5 V, 2 A", "sweep"): SWEEP,
    ("Hut", "inverter", "12 V to 230 V, 300 W", "steps"): [
        "input 12.6 V 0.36 A output 231 V 0 W 50 Hz", "input 12.3 V 5.8 A output 230 V 65 W 50 Hz", "input 12.0 V 13.8 A output 229 V 150 W 50 Hz",
        "input 11.6 V 29.3 A output 227 V 300 W 50 Hz", "load off", "source 12.5 V",
    ],
    ("Hut", "inverter", "12 V to 230 V, 300 W", "idle"): ["input 12.8 V 0.00 A", "input 12.8 V 0.35 A", "input 12.8 V 0.04 A"],
    ("Breaker", "lead", "30 A breaker", "trip"): ["31 A", "held", "45 A", "tripped"],
    ("Lamp", "load", "230 V, 52 W", "appliance"): ["231 V 0.01 A 0.5 W standby", "231 V 0.39 A 51 W on"],
    ("Brick", "charger", "230 V to 19 V, 65 W", "supply"): [
        "input 73.0 W output 19.0 V 3.4 A", "input 54.0 W output 19.0 V 2.55 A", "input 36.3 W output 19.1 V 1.7 A", "input 18.6 W output 19.1 V 0.85 A",
        "input 0.21 W",
    ],
}  # fmt: skip


@pytest.fixture
def book(tmp_path):
    made = Logbook(tmp_path / "trials.ubrant")
    yield made
    made.close()


def typed(book, key):
    """A trial typed line by line; its run."""
    name, kind, text, method = key
    unit, trial = book.keep_unit(Unit(name, kind, text)), trial_of(method)
    battery = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V") if trial.on_battery else None
    usual = trial.usual(unit)
    changed = {"sweep": {"highest": "12 V", "lowest": "9 V", "step": "3 V", "loads": "0, 0.4, 1, 2 A"}, "steps": {"loads": "0, 65, 150, 300 W", "hold": ""},
               "trip": {"amps": "31, 45 A"}, "appliance": {"modes": "standby, on"}}.get(method, {})  # fmt: skip
    told = Told(unit, {**usual, **changed}, (METER, METER), Leads(), battery)
    run, session = start_typed_trial(book, trial, told, WatchedClock)
    for line in LINES[key]:
        session.clock.time_s += 120.0
        jotting = Grammar().parse(line)
        assert session.lacks(jotting) == "", line
        take_down(book, run, jotting, session.clock.time_s, session)
    session.end()
    return book.run(run.id)


@pytest.mark.parametrize("key", LINES, ids=lambda k: k[3])
def test_every_kind_has_a_page_with_all_its_findings(book, tmp_path, key):
    run = typed(book, key)
    view = trial_view(book, run)
    assert view.sentence
    page = html_of_trial(view, key[0])
    text = " ".join(page.split())
    for finding in view.findings.values():
        if finding.value is not None:
            assert finding.name in text
            assert f"{finding.value_text()}" in text, finding.key
    assert "Bench &lt;meter&gt;" in page
    assert 'src="http' not in page
    for warning in view.warnings:
        assert warning.split(":")[0].replace("'", "&#39;") in page
    if (figure := trial_figure(view)) is not None:
        save(figure, tmp_path / "figure.svg")
        assert (tmp_path / "figure.svg").stat().st_size > 5000
    assert summary_of(book, run).sentence == view.sentence
    assert summary_of(book, run) == book.summary(run.id)


def test_a_pdf_from_the_command_line_and_what_it_stated(tmp_path):
    book = Logbook(tmp_path / "own.ubrant")
    run = typed(book, next(k for k in LINES if k[3] == "steps"))
    sentence = trial_view(book, run).sentence
    book.close()
    runner = CliRunner()
    listed = runner.invoke(app, ["runs", str(book.path)])
    assert sentence in listed.output
    written = runner.invoke(app, ["report", str(book.path), str(run.id), "--to", str(tmp_path / "steps.pdf")])
    assert written.exit_code == 0, written.output
    pages = PdfReader(io.BytesIO((tmp_path / "steps.pdf").read_bytes())).pages
    squeezed = "".join("".join(page.extract_text() for page in pages).split())
    assert "".join(sentence.split()) in squeezed
    again = Logbook(book.path)
    (stated,) = again.statements(run.id)
    assert stated[2]["verdict"] == sentence
    again.close()


def test_a_sweep_that_was_typed_is_analysed_alike_from_its_export(book, tmp_path):
    run = typed(book, next(iter(LINES)))
    view = trial_view(book, run)
    path = tmp_path / "sweep.csv"
    heads = ("input voltage / V", "input current / A", "output voltage / V", "output current / A")
    points = view.points
    rows = zip(points.input_v, points.input_a, points.output_v, points.output_a, strict=True)
    path.write_text("\n".join([",".join(heads), *(",".join(f"{x:.6f}" for x in row) for row in rows)]))
    told = CliRunner().invoke(app, ["analyse", str(path), "--method", "sweep", "--tolerance", "4.75..5.25 V", "--json"])
    findings = json.loads(told.output)["findings"]
    for key in ("idle_power", "loss_fixed", "loss_proportional", "peak_efficiency"):
        assert findings[key]["value"] == pytest.approx(view.findings[key].value, rel=1e-4), key


def test_a_sampled_trial_is_exported_with_its_taps(book, tmp_path):
    from ubrant.workshop.trials.session import start_trial

    unit, trial = book.keep_unit(Unit("Step-down", "converter", "12 V to 5 V, 2 A")), trial_of("sweep")
    fields = {**trial.usual(unit), "highest": "12 V", "lowest": "11 V", "step": "1 V", "loads": "0, 1 A"}
    run, session = start_trial(book, trial, Told(unit, fields, (METER, METER)), unattended=True)
    session.start()
    session.join(30)
    export_csv(book, book.run(run.id), tmp_path / "run.csv")
    head = (tmp_path / "run.csv").read_text().splitlines()[0]
    for column in ("input voltage / V", "input current / A", "output voltage / V", "output current / A"):
        assert column in head
    write_report(trial_view(book, book.run(run.id)), "Step-down", tmp_path / "run.html")
    assert "At its best" in (tmp_path / "run.html").read_text()
