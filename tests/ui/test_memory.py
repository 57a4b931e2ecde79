"""A window that is used for long does not grow."""

from __future__ import annotations

import random
from pathlib import Path

import pytest
from PyQt6.QtCore import QEventLoop, QTimer

from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.ui.window.shell import FINDINGS, OUTLOOK, PREPARE, SHELF

ACTIONS, EARLY, MOST_MB = 4000, 1000, 10.0


def megabytes() -> float:
    return int(Path("/proc/self/statm").read_text("ascii").split()[1]) * 4096 / 1e6


@pytest.mark.slow
def test_thousands_of_actions(window):
    """In the event loop itself: only there what is dropped is really taken apart."""
    needs("discharge")
    book, chance = window.bench.logbook, random.Random(1)
    units = [book.keep_unit(Unit(f"Pack {n}", "battery", "50 Ah 12.8 V LiFePO4")) for n in range(6)]
    runs = [keep_discharge(book, unit).id for unit in units]
    actions = (
        lambda: window.bench.choose_unit(chance.choice(units).id),
        lambda: window.bench.run_opened.emit(chance.choice(runs)),
        lambda: window.go_to(chance.choice((SHELF, PREPARE, FINDINGS, OUTLOOK))),
        lambda: window.bench.shelf_changed.emit(),
        lambda: window.prepare.look(),
    )
    loop, left, sizes = QEventLoop(), iter(range(ACTIONS)), {}

    def act() -> None:
        number = next(left, None)
        if number is None:
            loop.quit()
            return
        chance.choice(actions)()
        if number + 1 in (EARLY, ACTIONS):
            sizes[number + 1] = megabytes()
        QTimer.singleShot(0, act)

    QTimer.singleShot(0, act)
    loop.exec()
    assert sizes[ACTIONS] - sizes[EARLY] < MOST_MB, sizes
