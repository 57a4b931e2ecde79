"""The demo's window is there at once; runs come in as they are made, and what is missing is made the next time."""

from __future__ import annotations

import itertools

import pytest
from PyQt6.QtWidgets import QApplication

from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.demo.dome import being_made, furnish, is_whole
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import summary_of
from ubrant.ui.shelf.card import UnitCard
from ubrant.ui.window.growing import GrowingDemo


def test_a_furnished_shelf_has_everything_and_no_run(tmp_path):
    path = tmp_path / "demo.ubrant"
    furnish(path)
    assert being_made(path).exists()
    assert not is_whole(path)
    book = Logbook(path)
    assert len(book.units()) > 15
    assert not book.runs()
    book.close()


@pytest.fixture
def grown(window):
    """A demo that is being made, by hand: two runs are whole."""
    needs("discharge")
    window.bench.keep_unit(Unit("Dome pack A", "battery", "50 Ah 12.8 V LiFePO4"))
    being_made(window.bench.logbook.path).touch()
    growing = GrowingDemo(window.bench, window)
    made = Logbook(growing._path)
    units = [made.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4")) for name in ("Another", "Dome pack A")]
    runs = [keep_discharge(made, unit) for unit in units]
    summary_of(made, runs[1])
    made.close()
    yield window, growing, [run.id for run in runs]
    growing.stop()


def test_each_run_is_brought_to_its_unit_once_it_is_whole(grown):
    window, growing, ids = grown
    book = window.bench.logbook
    growing._due = list(ids)
    growing._bring_one()
    growing._bring_one()
    by_unit = {run.unit_id: run for run, _ in book.runs()}
    assert set(by_unit) == {None, book.units()[0].id}
    assert book.summary(by_unit[book.units()[0].id].id) is not None
    growing._bring_one()
    assert being_made(book.path).exists()  # the process has not ended yet
    growing._is_over = True
    growing._bring_one()
    assert is_whole(book.path)
    assert window.said() == "The demo is whole."


def test_no_card_stands_over_another_while_it_grows(grown, qtbot):
    """At any moment, whatever was put beside it meanwhile and however wide the window is."""
    window, growing, ids = grown
    growing._due = list(ids)
    for width in (1280, 1500, 1024):
        for k in range(3):
            window.bench.keep_unit(Unit(f"Pack {width} {k}", "battery", "50 Ah 12.8 V LiFePO4"))
            growing._bring_one()
            window.resize(width, 800)
            QApplication.processEvents()
            shown = [card for card in window.shelf.findChildren(UnitCard) if card.isVisible()]
            assert set(shown) == set(window.shelf.cards())
            places = [card.geometry() for card in shown]
            assert not any(one.intersects(other) for one, other in itertools.combinations(places, 2))
            assert all(card.height() >= card.minimumSizeHint().height() for card in shown)


def test_what_is_there_is_not_brought_again(grown):
    window, growing, ids = grown
    growing._due = list(ids)
    growing._bring_one()
    growing._bring_one()
    again = GrowingDemo(window.bench, window)
    assert again._there == {
        ("", "discharge", r.started) if n == "" else (n, "discharge", r.started) for r, n in window.bench.logbook.runs()
    }
    again.stop()


def test_where_the_making_fails_the_rest_is_made_the_next_time(grown):
    window, growing, _ = grown
    growing._ended(1)
    assert "the rest is made when it is opened again" in window.said()
    assert being_made(window.bench.logbook.path).exists()
    assert not growing._folder.exists()
