"""Whatever is typed or brought in is shown as it is: no markup, no mathematics, nothing a terminal would obey, nothing without an end."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from datetime import date, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QDialog, QLabel, QTableWidget, QWidget

from tests.command_line import ubrant
from tests.window import click, keep_discharge, needs
from ubrant.bench.command_log import CommandLog
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import visible
from ubrant.logbook.logs.read import read_logs, table_in
from ubrant.logbook.records import Photo
from ubrant.report.document import write_report
from ubrant.runs.coming_in.arriving import Arrival
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.due_list import Due
from ubrant.ui.common.photos import PhotoDialog
from ubrant.ui.common.where_it_stops_dialog import WhereItStopsDialog
from ubrant.ui.compare.choose_dialog import ChooseDialog
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.known_dialog import KnownDialog
from ubrant.ui.findings.mapping_dialog import MappingDialog
from ubrant.ui.findings.meters_dialog import MetersDialog
from ubrant.ui.findings.rank_dialog import RankDialog
from ubrant.ui.findings.series_dialog import SeriesDialog
from ubrant.ui.findings.taps_dialog import TapsDialog
from ubrant.ui.run.away import AwayDialog
from ubrant.ui.run.commands import CommandsDialog
from ubrant.ui.shelf.certificate_dialog import CertificateDialog
from ubrant.ui.shelf.connection_dialogs import LinesDialog, ProfileDialog
from ubrant.ui.shelf.feeds_dialog import FeedsDialog, HoursDialog
from ubrant.ui.shelf.thrown_dialog import ThrownDialog
from ubrant.ui.shelf.verdicts_dialog import VerdictsDialog
from ubrant.ui.window.due_dialog import DueDialog
from ubrant.ui.window.guide import AboutDialog, GuideDialog
from ubrant.ui.window.keys import KeysDialog
from ubrant.ui.window.settings_dialog import SettingsDialog
from ubrant.ui.window.shell import FINDINGS, OUTLOOK, PREPARE, SHELF

NASTY = "<img src=x> <b>bold</b> $\\frac{1}{2}$ \x1b[31m\u202egnp\u202c & {{7*7}} [red]x[/red]"
SHOWN = "<img src=x> <b>bold</b> $\\frac{1}{2}$ ‹1B›[31m‹202E›gnp‹202C› & {{7*7}} [red]x[/red]"


@given(st.text())
def test_what_is_visible_stays_and_nothing_else_does(text):
    shown = visible(text)
    assert not re.search("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]", shown)
    if text.isprintable() and text.isascii():
        assert shown == text
    assert visible(shown) == shown


def texts(root: QWidget) -> list[tuple[QWidget, str]]:
    """Every text that a widget of these shows."""
    found: list[tuple[QWidget, str]] = []
    for widget in root.findChildren(QWidget):
        if isinstance(widget, QLabel):
            found.append((widget, widget.text()))
        elif isinstance(widget, QAbstractButton):
            found.append((widget, widget.text().replace("&&", "&")))
        elif isinstance(widget, QComboBox) and not widget.isEditable():
            found += [(widget, widget.itemText(k)) for k in range(widget.count())]
        elif isinstance(widget, QTableWidget):
            cells = (widget.item(r, c) for r in range(widget.rowCount()) for c in range(widget.columnCount()))
            found += [(widget, cell.text()) for cell in cells if cell is not None]
        found += [(widget, tip) for tip in (widget.toolTip(),) if tip and not tip.startswith("<qt>")]
    return found


def nasty_run(window, name: str):
    needs("discharge")
    book = window.bench.logbook
    unit = book.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4"))
    book.keep_meter(Meter(name, "0.1 %", "1 %"))
    window.bench.shelf_changed.emit()
    run = keep_discharge(book, unit)
    window.bench.jot(run, window.run.jot_line.grammar().parse(f"a note {name}"[:200]), 0.0)
    return run


def assert_plain(seen: list[tuple[QWidget, str]]) -> None:
    for widget, text in seen:
        if isinstance(widget, QLabel):
            assert widget.textFormat() == Qt.TextFormat.PlainText or text == "Ubrant", f"{text[:60]!r} may be taken for markup"
        assert text == visible(text), f"{widget}: {text[:60]!r}"
        assert len(text) < 4200


@pytest.mark.parametrize("name", [NASTY, "&".join("ab" * 1250), "x\n" * 60], ids=["markup", "long", "lines"])
def test_every_widget_shows_it_as_it_is(window, name):
    run = nasty_run(window, name)
    window.bench.choose_unit(run.unit_id)
    for stage in (SHELF, PREPARE, OUTLOOK, FINDINGS):
        window.go_to(stage)
        if stage == FINDINGS:
            window.findings.open_run(run.id)
        seen = texts(window)
        assert seen
        assert_plain(seen)
    if name == NASTY:
        assert any(SHOWN in text for _, text in texts(window))


def dialogs(window, folder: Path, name: str) -> list[QDialog]:
    """Every dialog that shows data, on what is nasty."""
    book = window.bench.logbook
    meter = Meter(name, details=MeterDetails(role="meter", connection="lines", address=f"unix:{name}"[:80], profile="2 V, 3 A"))
    path = folder / f"{name.replace('/', '')[:40]}.csv"
    rows = "".join(f"{60 * k},{13 - k / 100},5\n" for k in range(30))
    path.write_text(f'time (s),V,A,"{name}"\n'.replace("\n", " ").strip() + "\n" + rows, "utf-8")
    log = read_logs(path)[0]
    commands = CommandLog()
    commands.note(name, name, name)
    run = nasty_run(window, name)
    book.throw_away(book.keep_import(book.kept(book.runs()[0][0])).id, "2026-11-29T10:00:00+00:00")
    return [
        SettingsDialog(window),
        PhotoDialog(window.bench, Photo(b"", name), window),
        ThrownDialog(window.bench, window),
        KeysDialog(window),
        GuideDialog(window),
        AboutDialog(window),
        AwayDialog(name, name, 600.0, window),
        SeriesDialog(window.bench, window.bench.logbook.runs()[0][0], window),
        VerdictsDialog(book, window),
        CertificateDialog(name, date(2026, 11, 29), window),
        LinesDialog(meter, window),
        ProfileDialog(meter, window),
        RankDialog(book, window),
        FeedsDialog(book, window),
        ChooseDialog(book, window),
        HoursDialog(book, book.units()[0], window),
        WhereItStopsDialog(book, book.units()[0], window),
        MappingDialog(path, table_in(path), name, window),
        ImportDialog(window.bench, [Arrival(path, replace(log, warnings=(name,)))], window),
        TapsDialog(window.bench, path, window),
        CommandsDialog(commands, window),
        MetersDialog({name: meter}, [meter], window),
        DueDialog(
            lambda: [Due(datetime.now().astimezone(), name, name, "k")], window.reminders, lambda: datetime.now().astimezone(), window
        ),
        KnownDialog(window.bench.logbook, run, window.bench.logbook.kept(run).record(), window),
    ]


@pytest.mark.parametrize("name", [NASTY, "&".join("ab" * 1250), "x\n" * 60], ids=["markup", "long", "lines"])
def test_every_dialog_shows_it_as_it_is(window, tmp_path, name):
    opened = dialogs(window, tmp_path, name)
    assert {type(dialog) for dialog in opened} == {
        kind for kind in every_kind(QDialog) if kind.__module__.startswith("ubrant.") and not kind.__subclasses__()
    }
    for dialog in opened:
        dialog.show()
        assert_plain(texts(dialog))
        assert dialog.windowTitle() == visible(dialog.windowTitle())
        assert "\n" not in dialog.windowTitle()
        dialog.close()


@pytest.mark.parametrize("name", [NASTY, "x\n" * 60], ids=["markup", "lines"])
def test_days_at_the_bench_show_it_as_it_is(window, name):
    window.bench.logbook.keep_meter(Meter(name, "1 %", "1 %", details=MeterDetails(role="load")))
    window.bench.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4"))
    window.bench.keep_unit(Unit(f"{name} charger", "charger", "230 V to 14.6 V, 10 A"))
    window.show_days()
    page = window.days
    page.add_test(name, "discharge")
    page.fields["begins"].setText("23:59")
    page.plan()
    assert window.days_in.keeper.days is not None, page.trouble.text()
    for place in (0, 1):
        page.show_as(place)
        QApplication.processEvents()
        window.grab()
        assert_plain(texts(window))


def every_kind(kind: type) -> set[type]:
    below = set(kind.__subclasses__())
    return below.union(*(every_kind(one) for one in below)) if below else below


def test_a_report_prints_it_as_it_is(window, tmp_path):
    run = nasty_run(window, NASTY)
    record, account = account_of(window.bench.logbook, run)
    write_report(run, record, account, NASTY, tmp_path / "report.html")
    page = (tmp_path / "report.html").read_text("utf-8")
    assert "<img src=x>" not in page
    assert "&lt;img src=x&gt; &lt;b&gt;bold&lt;/b&gt; $\\frac{1}{2}$ ‹1B›[31m‹202E›gnp" in page
    assert "{{7*7}}" in page
    assert "\x1b" not in page
    assert "\u202e" not in page


def test_the_command_line_prints_nothing_a_terminal_obeys(tmp_path):
    log = tmp_path / "\x1b[31mred.csv"
    log.write_text("time / s,voltage / V,current / A\n0,\x1b[2J,1\n", "utf-8")
    done = ubrant("analyse", str(log))
    assert done.returncode == 2
    assert "\x1b" not in done.stdout + done.stderr
    assert "‹1B›[31mred.csv" in done.stderr
    done = ubrant("runs", str(tmp_path / "\u202e.ubrant"))
    assert "‹202E›.ubrant does not exist" in done.stderr
    assert "\u202e" not in done.stderr


def test_json_escapes_what_a_terminal_obeys(tmp_path):
    path = tmp_path / "x.csv"
    path.write_text("time (s),V,A\n" + "".join(f"{60 * k},{13 - k / 100},5\n" for k in range(30)), "utf-8")
    done = ubrant("analyse", str(path), "--rated", "5 Ah \x9b31m \u202e 12.8 V", "--json")
    assert done.returncode == 0, done.stderr
    assert not set("\x9b\u202e") & set(done.stdout)
    assert json.loads(done.stdout)


def test_no_markup_of_our_own_is_shown_as_text(stocked, qtbot):
    """The sign before a caution is a sign, and no tag."""
    click(qtbot, stocked.shelf, "Prepare a test")
    shown = [label.text() for label in stocked.prepare.findChildren(QLabel) if label.isVisible()]
    assert "⚠" in shown
    assert not [text for text in shown if "<" in text and ">" in text]


def test_the_wheel_over_a_closed_drop_down_changes_nothing(stocked, qtbot):
    click(qtbot, stocked.shelf, "Prepare a test")
    box = stocked.prepare.form.bench
    before = box.currentText()
    middle = QPointF(box.rect().center())
    wheel = QWheelEvent(
        middle,
        QPointF(box.mapToGlobal(box.rect().center())),
        QPoint(0, -120),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(box, wheel)
    assert box.currentText() == before
