"""What was exported reads back to the same readings and the same findings."""

from __future__ import annotations

import json

import numpy as np
import pytest

from tests.command_line import ubrant
from tests.methods.discharge.making import SMALL, begun, small_plan
from ubrant.bench.engine import Order
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.events import event_to_json
from ubrant.logbook.exporting import ExportError, export_csv, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log as read_any
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of


@pytest.fixture(scope="module")
def tested(tmp_path_factory):
    """A logbook with one run from the simulated bench, jotted in."""
    logbook = Logbook(tmp_path_factory.mktemp("tested") / "bench.ubrant")
    unit = logbook.keep_unit(Unit("Small, “round” pack", "battery", SMALL.label_text))
    run, session = begun(logbook, small_plan(), unit)
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.jot("fan, started", 100.0)
    session.join(60)
    yield logbook, logbook.run(run.id), unit
    logbook.close()


@pytest.mark.parametrize("form", ["csv", "package"])
def test_there_and_back(tested, tmp_path, form):
    logbook, run, unit = tested
    kept = logbook.kept(run)
    target = tmp_path / ("run.csv" if form == "csv" else "run")
    export_csv(kept, target) if form == "csv" else export_package(kept, target, unit.name)
    again = read_file(target, LogOptions())
    assert again.run.head == kept.run.head
    assert set(again.readings) == set(kept.readings)
    for key, before in kept.readings.items():
        assert np.array_equal(before.time_s, again.readings[key].time_s)
        assert np.array_equal(before.value, again.readings[key].value)
    assert again.events == kept.events
    assert "fan, started" in [e.text for e in again.events]


def test_csv_keeps_to_the_rules(tested, tmp_path):
    """RFC 4180: CRLF, quotes where a cell holds a comma; headings as quantity / unit."""
    logbook, run, _ = tested
    export_csv(logbook.kept(run), tmp_path / "run.csv")
    lines = (tmp_path / "run.csv").read_bytes().decode().split("\r\n")
    assert lines[0] == "time / s,battery voltage / V,battery current / A,load voltage / V,load current / A,event"
    assert '""ended_by"": ""cut-off""' in lines[1]
    assert any('""kind"": ""note"", ""text"": ""fan, started""' in line for line in lines)
    assert lines[-1] == ""


def test_package_describes_its_columns(tested, tmp_path):
    logbook, run, unit = tested
    export_package(logbook.kept(run), tmp_path / "out", unit.name)
    told = json.loads((tmp_path / "out" / "datapackage.json").read_text())
    fields = told["resources"][0]["schema"]["fields"]
    assert [f.get("unit") for f in fields] == ["s", "V", "A", "V", "A", None]
    assert told["ubrant"]["head"]["unit"]["label"] == "0.5 Ah 12.8 V LiFePO4"


def test_what_cannot_be_written_or_read_is_said(tested, tmp_path):
    logbook, run, _ = tested
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "letter.txt").write_text("mine")
    with pytest.raises(ExportError, match="holds other files"):
        export_package(logbook.kept(run), tmp_path / "full")
    with pytest.raises(ExportError, match="could not be written"):
        export_csv(logbook.kept(run), tmp_path / "nowhere" / "run.csv")
    for text, says in (("{}", "not a Data Package"), ('{"resources": [{"path": "../x.csv"}]}', "points outside its folder")):
        (tmp_path / "datapackage.json").write_text(text)
        with pytest.raises(LogError, match=says):
            read_any(tmp_path)


def test_command_line_there_and_back(tested, tmp_path):
    """Export beside an open window, then analyse the package: the same charge and verdict."""
    logbook, run, _ = tested
    assert ubrant("export", str(logbook.path), str(run.id), "--to", str(tmp_path / "out")).returncode == 0
    said = json.loads(ubrant("analyse", str(tmp_path / "out"), "--json").stdout)
    _, found = account_of(logbook, run)
    assert said["findings"]["charge"]["value"] == pytest.approx(found.findings["charge"].value, rel=1e-12)
    assert said["verdict"]["sentence"] == found.verdict.sentence
    assert f"{run.id}  " in ubrant("runs", str(logbook.path)).stdout


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["export", "BOOK", "99", "--to", "x.csv"], "There is no run 99"),
        (["report", "nothing.ubrant", "1", "--to", "x.pdf"], "does not exist"),
        (["report", "BOOK", "1", "--to", "x.doc"], "written as .pdf or .html"),
    ],
)
def test_command_line_refusals(tested, arguments, says):
    logbook, _, _ = tested
    done = ubrant(*(str(logbook.path) if a == "BOOK" else a for a in arguments))
    assert (done.returncode, says in done.stderr) == (2, True)


def test_what_a_later_version_noted_passes_through_untouched(tested, tmp_path, logbook):
    """An event of a kind that is not known here is kept, and written again, as it was."""
    book, run, _ = tested
    export_csv(book.kept(run), tmp_path / "run.csv")
    later = {"kind": "soldered", "text": "a new tab", "tabs": [1, {"of": "copper"}]}
    text = (tmp_path / "run.csv").read_text("utf-8")
    cell = json.dumps(later, ensure_ascii=False).replace('"', '""')
    (tmp_path / "run.csv").write_text(f'{text}500,,,,,"{cell}"\n')
    kept = read_file(tmp_path / "run.csv", LogOptions())
    assert later in [event_to_json(e) for e in kept.events]
    again = logbook.kept(logbook.keep_import(kept))
    export_csv(again, tmp_path / "again.csv")
    assert later in [event_to_json(e) for e in read_file(tmp_path / "again.csv", LogOptions()).events]
    assert account_of(logbook, again.run)[1].sentence == account_of(book, run)[1].sentence


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda row: row.replace(row.split(",")[1], "12,5", 1), r"line \d+ has 7 cells where the headings are 6"),
        (lambda row: row.replace(row.split(",")[1], "twelve", 1), r"“twelve” in line \d+ under “battery voltage / V” is no number"),
    ],
)
def test_what_was_changed_in_it_is_named_by_its_place(tested, tmp_path, change, said):
    logbook, run, _ = tested
    path = tmp_path / "run.csv"
    export_csv(logbook.kept(run), path)
    lines = path.read_text("utf-8").splitlines()
    number = next(k for k, line in enumerate(lines) if k > 20 and line.endswith(",") and ",," not in line)
    lines[number] = change(lines[number])
    path.write_text("\r\n".join(lines) + "\r\n", "utf-8")
    with pytest.raises(LogError, match=rf"^run\.csv is an export of Ubrant that was changed: {said}\. Export it again"):
        read_file(path, LogOptions())
