"""What was exported reads back to the same readings and the same findings."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest

from tests.methods.discharge.making import small_plan
from ubrant.bench.engine import Order
from ubrant.core.cutoff import Cutoff
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook.exporting import ExportError, export_csv, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log as read_any
from ubrant.workshop.bringing_in import keep_log
from ubrant.workshop.running import start_discharge
from ubrant.workshop.views import view_of


@pytest.fixture(scope="module")
def tested(tmp_path_factory):
    """A logbook with one run from the simulated bench, jotted in."""
    logbook = Logbook(tmp_path_factory.mktemp("tested") / "bench.ubrant")
    unit = logbook.keep_unit(Unit("Small, “round” pack", "battery", "0.5 Ah 12.8 V LiFePO4"))
    run, session = start_discharge(logbook, unit, small_plan(), Meter("Meter", "0.1 % + 3 mV", "0.5 % + 1 mA"), Leads())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.jot("fan, started", 100.0)
    session.join()
    yield logbook, logbook.run(run.id), unit
    logbook.close()


def same_findings(one, other):
    for key, finding in one.found.findings.items():
        assert other.found.findings[key].value == pytest.approx(finding.value, rel=1e-12), key
        assert other.found.findings[key].expanded_uncertainty == pytest.approx(finding.expanded_uncertainty, rel=1e-9), key
    assert (one.found.verdict, one.found.ended_by) == (other.found.verdict, other.found.ended_by)


@pytest.mark.parametrize("form", ["csv", "package"])
def test_there_and_back(tested, tmp_path, form):
    logbook, run, unit = tested
    target = tmp_path / ("run.csv" if form == "csv" else "run")
    if form == "csv":
        export_csv(logbook, run, target)
    else:
        export_package(logbook, run, target, unit.name)
    log = read_any(target)
    cutoff = Cutoff(run.plan["cutoff_v"], run.plan["hold_s"])
    again = keep_log(logbook, log, unit, cutoff=cutoff, voltage_accuracy=run.voltage_accuracy, current_accuracy=run.current_accuracy)
    for tap in ("battery", "load"):
        for quantity in "VA":
            before, after = (logbook.series(r.id, tap, quantity) for r in (run, again))
            assert np.array_equal(before.time_s, after.time_s)
            assert np.array_equal(before.value, after.value)
    kinds = [(e.time_s, e.kind, e.text) for e in logbook.events(again.id)]
    assert [(t, k) for t, k, _ in kinds] == [(e.time_s, e.kind) for e in logbook.events(run.id)]
    assert ("jotting", "fan, started") in [(k, x) for _, k, x in kinds]
    same_findings(view_of(logbook, run), view_of(logbook, again))
    logbook.delete_run(again.id)


def test_csv_keeps_to_the_rules(tested, tmp_path):
    """RFC 4180: CRLF, quotes where a cell holds a comma; headings as quantity / unit."""
    logbook, run, _ = tested
    export_csv(logbook, run, tmp_path / "run.csv")
    lines = (tmp_path / "run.csv").read_bytes().decode().split("\r\n")
    assert lines[0] == "time / s,battery voltage / V,battery current / A,load voltage / V,load current / A,event"
    assert any(line.endswith('"fan, started"') for line in lines)
    assert lines[-1] == ""
    assert lines[-2].endswith("ended by cut-off")


def test_package_describes_its_columns(tested, tmp_path):
    logbook, run, unit = tested
    export_package(logbook, run, tmp_path / "out", unit.name)
    told = json.loads((tmp_path / "out" / "datapackage.json").read_text())
    fields = told["resources"][0]["schema"]["fields"]
    assert [f.get("unit") for f in fields] == ["s", "V", "A", "V", "A", None]
    assert told["ubrant"]["label"] == "0.5 Ah 12.8 V LiFePO4"


def test_what_cannot_be_written_or_read_is_said(tested, tmp_path):
    logbook, run, _ = tested
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "letter.txt").write_text("mine")
    with pytest.raises(ExportError, match="holds other files"):
        export_package(logbook, run, tmp_path / "full")
    with pytest.raises(ExportError, match="could not be written"):
        export_csv(logbook, run, tmp_path / "nowhere" / "run.csv")
    for text, says in (("{}", "not a Data Package"), ('{"resources": [{"path": "../x.csv"}]}', "points outside its folder")):
        (tmp_path / "datapackage.json").write_text(text)
        with pytest.raises(LogError, match=says):
            read_any(tmp_path)


def ubrant(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "ubrant", *arguments], capture_output=True, text=True, check=False)


def test_command_line_there_and_back(tested, tmp_path):
    """Export beside an open window, then analyse the package: the same charge and verdict."""
    logbook, run, _ = tested
    assert ubrant("export", str(logbook.path), str(run.id), "--to", str(tmp_path / "out")).returncode == 0
    said = json.loads(ubrant("analyse", str(tmp_path / "out"), "--json").stdout)
    found = view_of(logbook, run).found
    assert said["findings"]["charge"]["value"] == pytest.approx(found.findings["charge"].value, rel=1e-12)
    assert said["verdict"]["sentence"] == found.verdict.sentence
    assert f"{run.id}  " in ubrant("runs", str(logbook.path)).stdout


@pytest.mark.parametrize(
    ("arguments", "says"),
    [(["export", "BOOK", "99", "--to", "x.csv"], "There is no run 99"), (["report", "nothing.ubrant", "1", "--to", "x.pdf"], "does not exist"),
     (["report", "BOOK", "1", "--to", "x.doc"], "written as .pdf or .html")],
)  # fmt: skip
def test_command_line_refusals(tested, arguments, says):
    logbook, _, _ = tested
    done = ubrant(*(str(logbook.path) if a == "BOOK" else a for a in arguments))
    assert (done.returncode, says in done.stderr, "Traceback" in done.stderr) == (2, True, False)
