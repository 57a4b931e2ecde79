"""What a run says of a whole store, where it did not begin full: a share of its label, watts by a clock, hours from now."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.making import METER, by_hand, prepared
from ubrant.core.equipment.unit import Unit

STATION = "unit: Hall station\nkind: station\nlabel: 500 Wh 25.6 V\n"


@pytest.fixture
def told(tmp_path):
    def tell(text: str) -> dict:
        path = tmp_path / "notes.jot"
        path.write_text(text, "utf-8")
        return said(str(path))

    return tell


def clocked(start: str, *lines: str, more: str = "") -> str:
    return f"method: endurance\n{STATION}{more}plan settings: as in the show\n\n@17:00 load on {start}\n" + "\n".join(lines) + "\n"


def test_half_of_a_store_in_six_hours_is_half_of_its_watts(told):
    """500 Wh × 50 points ÷ 6.25 h = 40 W; it said 80."""
    found = told(clocked("station 50 %", "@19:10 still on", "@23:15 empty"))["findings"]["inferred_power"]
    assert found["value"] == pytest.approx(500 * 0.5 / 6.25)
    assert found["high"] < 45


def test_a_run_that_was_stopped_says_watts_by_its_points(told):
    """80 − 30 points of 500 Wh in 5 h."""
    found = told(clocked("station 80 %", "@22:00 station 30 %", "@22:00 load off"))["findings"]["inferred_power"]
    assert found["value"] == pytest.approx(50.0)
    assert "bound" not in found or not found["bound"]
    full = told(clocked("station 100 %", "@23:15 empty"))["findings"]["inferred_power"]
    assert full["value"] == pytest.approx(80.0)


def test_of_one_that_was_not_full_watts_by_the_clock_are_the_most(told):
    out = told(clocked("", "@23:15 empty", more="full: no\n"))
    assert out["findings"]["inferred_power"]["bound"] == "at most"
    assert any("It was not full: what it drew is at most this" in w for w in out["warnings"])


def emptied(head: str, start: str) -> str:
    return f"method: output\n{STATION}watts: 1 % + 1 W\n{head}\n@10:00 load on station {start} output 100 W\n@11:00 station 42 % output 100 W\n@13:10 empty\n"


def test_a_bank_that_nobody_said_was_full_holds_at_least_that_share_of_its_label(told):
    """It was called 63 % of its label, beside the remark that it may hold more."""
    out = told(emptied("", "60 %"))
    assert out["findings"]["label_share"]["bound"] == "at least"
    assert out["findings"]["label_share"]["value"] < 100 * 316.7 / 500
    assert "Gave 316.7" in out["sentence"]
    assert "until it was empty; at least 62.2 % of its label" in out["sentence"]
    full = told(emptied("full: yes\n", "100 %"))
    assert not full["findings"]["label_share"].get("bound")
    assert full["sentence"].startswith("Gives 316.7")


MODES = "method: appliance\nunit: Torch\nkind: load\nlabel: {label}\nvolts: 0.5 % + 10 mV\namps: 1 % + 0.1 mA\n{plan}plan fed: dc\n\n"


@pytest.mark.parametrize("plan", ["plan modes: off, low\n", ""])
def test_a_mode_called_off_is_one_and_no_giving_up(told, plan):
    """What it takes when it is off was taken for the volts at which it gave up, and its milliamperes for nothing."""
    found = told(MODES.format(label="3.7 V, 3 W", plan=plan) + "@09:00 3.9 V 0.011 A off\n@09:04 3.9 V 0.60 A low\n")["findings"]
    assert found["power_1"]["value"] == pytest.approx(3.9 * 0.011)
    assert found["standby_day"]["value"] == pytest.approx(24 * 3.9 * 0.011)
    assert not any(key.startswith("gives_up") for key in found)
    gone = told(MODES.format(label="12 V, 12 W", plan="plan modes: busy\n") + "@09:00 12.6 V 0.842 A busy\n@09:04 8.20 V off: busy\n")[
        "findings"
    ]
    assert any(key.startswith("gives_up") for key in gone)


def test_how_soon_what_it_takes_when_off_empties_its_own_battery(told):
    """9.62 Wh on its label, of which 65 to 100 % come out, ÷ 42.9 mW: 9.3 days at most."""
    text = (
        MODES.format(label="3.7 V 2600 mAh li-ion", plan="plan modes: off, low\n") + "@09:00 3.9 V 0.011 A off\n@09:04 3.9 V 0.60 A low\n"
    )
    out = told(text)
    assert out["findings"]["flat_after"]["value"] == pytest.approx(3600 * 9.62 / 0.0429)
    assert out["findings"]["flat_after"]["low"] < 0.7 * out["findings"]["flat_after"]["value"]
    assert "while off it is flat after" in out["sentence"]
    fed = told(text.replace("3.9 V", "19.0 V"))  # read at the lead of its brick, and not at its battery
    assert "flat_after" not in fed["findings"]


def test_half_of_a_store_in_six_hours_is_twice_as_long_from_full(told):
    """6.25 h on 50 points of its display are 12.5 h on 100; the sheet of answers said that it runs for six."""
    out = told(clocked("station 50 %", "@19:10 still on", "@23:15 empty"))
    assert out["findings"]["from_full"]["value"] == pytest.approx(2 * 6.25 * 3600)
    assert out["sentence"].startswith("It ran for 6 h 15 min from what was in it, 12 h 30 min")
    assert "from_full" not in told(clocked("station 100 %", "@23:15 empty"))["findings"]


def answers_of(book, unit: str) -> str:
    book.close()
    return ubrant("answers", str(book.path), unit).stdout


def test_the_sheet_of_answers_says_so(logbook):
    station = Unit("Hall station", "station", "500 Wh 25.6 V")
    by_hand(logbook, "endurance", prepared("endurance", station, (METER,), settings="x"), {0.0: "load on station 50 %", 22_500.0: "empty"})
    assert "About 12 h 30 min ± 1 h from full; ran 6 h 15 min" in " ".join(answers_of(logbook, "Hall station").split()).replace(
        "± 53 min", "± 1 h"
    )


def test_a_run_that_was_stopped_holds_at_least_so_much_on_the_sheet(logbook):
    """It read “cannot tell yet: holds 19.8 of 50 Ah”."""
    pack = Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")
    plan = prepared("discharge", pack, (METER,), load="10 A", cutoff="11 V", temperature_c="20 °C")
    by_hand(logbook, "discharge", plan, {0.0: "13.4 V", 60.0: "load on 13.2 V 10 A", 7260.0: "load off 13.0 V 10 A"})
    assert "Cannot tell yet: holds at least 20.0 ± 1.2 Ah of 50 Ah" in answers_of(logbook, "Pack")


def test_half_a_recharge_is_half_of_what_one_takes(told):
    """20 points of 88.8 Wh for 50 points of the device: 35.5 Wh for a whole one, and 2½ of them are the bank; it said 17.8 Wh each."""
    text = "unit bank: 24000 mAh 3.7 V\nunit tablet: 7.6 Ah 3.85 V\nmethod recharge: bank -> tablet\n\n@09:40 bank 60 %\n@09:40 tablet 40 %\n@11:25 bank 40 %\n@11:25 tablet 90 %\n"
    found = told(text)["findings"]
    assert found["recharge_energy"]["value"] == pytest.approx(0.2 * 88.8 * 2)
    assert found["charges_from_full"]["value"] * found["recharge_energy"]["value"] == pytest.approx(88.8)
    assert found["taken_energy"]["value"] == pytest.approx(0.2 * 88.8)
