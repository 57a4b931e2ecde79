"""What a simulated person reads off in the demo: the same each time, and what it says is near what the things are."""

from __future__ import annotations

import pytest

from ubrant.demo.by_hand import READ, read_them
from ubrant.demo.dome import UNITS
from ubrant.demo.kit import METERS
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries
from ubrant.runs.kept.accounts import account_of

HERE = {e.key for e in entries()}


def read(path):
    book = Logbook(path)
    for meter in METERS:
        book.keep_meter(meter)
    read_them(book, {unit.name: book.keep_unit(unit) for unit in UNITS})
    made = {(name, run.method, run.started): (account_of(book, run)[1], book.jots(run.id)) for run, name in book.runs()}
    book.close()
    return made


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    return read(tmp_path_factory.mktemp("read") / "one.ubrant")


def findings(made, unit, method):
    if method not in HERE:
        pytest.skip(f"{method} is not here")
    return [
        account.findings
        for (name, key, _), (account, _) in sorted(made.items(), key=lambda item: item[0][2])
        if (name, key) == (unit, method)
    ]


def test_they_are_the_same_each_time(made, tmp_path):
    again = read(tmp_path / "two.ubrant")
    assert {key: [j.line for j in jots] for key, (_, jots) in again.items()} == {
        key: [j.line for j in jots] for key, (_, jots) in made.items()
    }


def test_none_of_them_is_in_trouble(made):
    assert len(made) == len([one for one in READ if one.method in HERE])
    assert {key: account.trouble for key, (account, _) in made.items() if account.trouble} == {}


def test_a_node_says_what_its_charger_gives(made):
    """A charger held at 4 A into a pack at about 13.1 V; everything closes."""
    found = findings(made, "Dome pack A", "balance")[0]
    assert found["largest_sustained_load"].value == pytest.approx(4.0 * 13.13, rel=0.015)
    assert all(abs(f.value) <= 1.5 * f.expanded_uncertainty for key, f in found.items() if key.startswith("residual_"))


def test_the_backup_module_shows_its_three_ranges(made):
    found = findings(made, "Backup module", "balance")[0]
    assert found["largest_sustained_load"].value == pytest.approx(0.5 * 4.06, rel=0.03), "its charger gives 0.5 A"
    said = next(account for (name, _, _), (account, _) in made.items() if name == "Backup module").sentence
    assert all(word in said for word in ("on battery although supplied", "carried", "losing"))


def test_the_ways_of_the_station(made):
    strong, weak = findings(made, "Hall station", "ways")
    assert strong["source_power_1"].value > strong["source_power_2"].value
    assert weak["runtime_from_full_2"].value > 2 * weak["runtime_from_full_1"].value, "what an inverter burns counts most for a weak load"


def test_the_others(made):
    """What stands in the demo's list of things: a bank at 94 %, 100 F, 14.5 V, 19 V that gives up at 3.6 A."""
    assert findings(made, "Roof panel", "source")[0]["open_circuit_voltage"].value == pytest.approx(20.4, abs=0.03)
    assert 2.0 < findings(made, "Ticket bank", "recharge")[0]["charges_from_full"].value < 3.2
    slow, fast = (found["label_share"].value for found in findings(made, "Ticket bank", "output"))
    assert 70 < slow < fast < 92, "what it burns by itself counts for more over the longer run"
    farads = findings(made, "Exit-light capacitors", "capacitor")[0]["capacitance"]
    assert 85 < farads.value < 100
    assert findings(made, "Pack charger", "charger")[0]["set_voltage"].value == pytest.approx(14.5, abs=0.05)
    assert 3.4 < findings(made, "Laptop's brick", "brick")[0]["holds_to"].value < 3.6
