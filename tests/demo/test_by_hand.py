"""What is typed in the demo is read off simulated things: the same each time, and what it says is near what they are."""

from __future__ import annotations

import pytest

from ubrant.demo.by_hand import type_them, typed_runs
from ubrant.demo.dome import UNITS
from ubrant.demo.kit import METERS
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries
from ubrant.runs.accounts import account_of

HERE = {e.key for e in entries()}


@pytest.fixture
def accounts(tmp_path):
    book = Logbook(tmp_path / "typed.ubrant")
    for meter in METERS:
        book.keep_meter(meter)
    type_them(book, {unit.name: book.keep_unit(unit) for unit in UNITS})
    yield {run.method: account_of(book, run)[1] for run, _ in book.runs()}
    book.close()


def test_they_are_the_same_each_time():
    one, other = ([(run.method, list(run.lines)) for run in typed_runs()] for _ in range(2))
    assert one == other


def test_they_say_what_is_so(accounts):
    """A charger held at 4 A into a pack at about 13.1 V; a station whose mains socket burns more; a panel; nothing that troubles."""
    assert {key: account.trouble for key, account in accounts.items()} == dict.fromkeys(HERE & {run.method for run in typed_runs()}, "")
    if "balance" in accounts:
        found = accounts["balance"].findings
        assert found["largest_sustained_load"].value == pytest.approx(4.0 * 13.13, rel=0.01)
        assert all(abs(f.value) <= 1.5 * f.expanded_uncertainty for key, f in found.items() if key.startswith("residual_"))
    if "ways" in accounts:
        assert accounts["ways"].findings["source_power_1"].value > accounts["ways"].findings["source_power_2"].value
    if "source" in accounts:
        assert accounts["source"].findings["open_circuit_voltage"].value == pytest.approx(20.4, abs=0.02)
    if "recharge" in accounts:
        assert 2.0 < accounts["recharge"].findings["charges_from_full"].value < 3.2
