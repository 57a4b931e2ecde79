"""How a typed run ended and what its displays did on the way: no figure goes past a mark, and none stands beside a remark that contradicts it."""

from __future__ import annotations

import json

import pytest

from tests.command_line import ubrant

BANK = "method: output\nunit: Bank\nkind: bank\nlabel: 37 Wh 10 Ah 3.7 V\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\nfull: yes\n\n"
RECHARGE = "method: recharge\nunit: Bank\nkind: bank\nlabel: 37 Wh\n\n"
NODE = "method: balance\nunit: Pack\nkind: battery\nlabel: 12.8 V 20 Ah LiFePO4\n\n"
ON = "@10:00 load on output 5.08 V 1.00 A bank 100 %\n@11:00 output 5.07 V 1.00 A bank 80 %\n"


@pytest.fixture
def analysed(tmp_path):
    def analyse(text: str) -> dict:
        path = tmp_path / "notes.jot"
        path.write_text(text, "utf-8")
        done = ubrant("analyse", str(path), "--json")
        return json.loads(done.stdout) if done.stdout else {"trouble": done.stderr}

    return analyse


def test_after_a_person_took_the_load_off_nothing_more_is_counted(analysed):
    """5.07 V × 1 A × 2 h; called empty four hours later, with nothing attached."""
    said = analysed(
        BANK
        + "@10:00 load on output 5.08 V 1.00 A\n@11:00 output 5.07 V 1.00 A\n@12:00 output 5.07 V 1.00 A load off\n@16:00 output 5.10 V 0 A\n@16:10 empty\n"
    )
    assert said["findings"]["energy_out"]["value"] == pytest.approx(10.15, abs=0.02)
    assert said["sentence"].startswith("At least 10.1")
    assert any("stopped with some left" in w for w in said["warnings"])


@pytest.mark.parametrize(
    ("ending", "begins"),
    [
        ("@12:00 output 5.07 V 0.05 A bank 60 %\n@12:10 empty\n", "At least"),  # the load got small
        ("@12:00 output 5.07 V 1.0 A bank 62 %\n@12:10 output 0 V 0 A bank 61 %\n@12:11 empty\n", "At least"),  # a plug came loose
        ("@16:00 output 5.0 V 1.00 A bank 4 %\n@16:10 empty\n", "Gives"),
        ("@16:00 output 5.0 V 1.00 A bank 16 %\n@16:01 empty\n", "At least"),
        ("@16:00 output 5.0 V 1.00 A bank 14 %\n@16:01 empty\n", "Gives"),
    ],
)
def test_what_goes_off_far_from_empty_has_given_at_least_so_much(analysed, ending, begins):
    said = analysed(BANK + ON + ending)
    assert said["sentence"].startswith(begins)
    assert (begins == "Gives") != any("at least so much" in w for w in said["warnings"])


def test_a_display_that_rises_while_it_gives_is_asked_about(analysed):
    said = analysed(BANK + ON + "@12:00 output 5.07 V 1.00 A bank 95 %\n@16:00 output 5.0 V 1.00 A bank 5 %\n@16:10 empty\n")
    assert any("rises from 80 to 95 %" in w for w in said["warnings"])
    assert "energy_per_point" not in said["findings"]


@pytest.mark.parametrize(("counter", "apart"), [("6100 Ah", True), ("6.2 Ah", False), ("3.1 Ah", True)])
def test_a_counter_of_ampere_hours_is_held_against_the_readings(analysed, counter, apart):
    lines = "@10:00 load on output 5.08 V 1.00 A 0 Ah\n@12:00 output 5.07 V 1.00 A\n"
    said = analysed(f"{BANK}{lines}@16:10 output 5.0 V 1.00 A {counter} empty\n")
    assert any("Its counter says" in w for w in said["warnings"]) == apart


def test_a_source_that_rises_while_it_charges_something_says_nothing(analysed):
    said = analysed(RECHARGE + "@10:00 source 100 % device 10 %\n@11:00 source 60 % device 80 %\n@11:30 source 70 % device 100 %\n")
    assert "rises from 60 to 70 %" in said["trouble"]
    within = analysed(RECHARGE + "@10:00 source 100 % device 10 %\n@11:00 source 60 % device 80 %\n@11:30 source 62 % device 100 %\n")
    assert within["sentence"].startswith("One recharge takes")


def test_a_meter_without_a_sign_at_a_node(analysed):
    """5 A come in throughout: with 0, 2 and 4 A drawn 5, 3 and 1 A charge the battery; with 6 A it gives 1 A."""
    lines = "".join(
        f"@10:{k}0 charger 13.8 V 5.0 A load {13.6 - k / 10} V {out:.1f} A battery {13.7 - k / 10} V {shown:.1f} A\n"
        for k, (out, shown) in enumerate(((0, 5), (2, 3), (4, 1), (6, 1)))
    )
    said = analysed(NODE + lines)
    assert any("written without a sign" in w for w in said["warnings"])
    assert said["findings"]["largest_sustained_load"]["value"] == pytest.approx(5 * 13.25, rel=0.02)
    wrong = analysed(NODE + lines.replace("battery 13.5 V 1.0 A", "battery 13.5 V 3.0 A"))
    assert not any("written without a sign" in w for w in wrong["warnings"]), "a point that closes neither way is no sign"


def test_nothing_runs_on_at_a_fifth_of_a_volt(analysed):
    said = analysed(
        "method: handover\nunit: Desk\nkind: load\nlabel: 12 V 36 W\nvolts: 0.5 % + 10 mV\nplan sources: mains, pack\n\n12.1 V runs\n0.2 V runs\n"
    )
    assert said["sentence"].startswith("1 of 2 changes held")


@pytest.mark.parametrize(("amps", "asked"), [("3.5", True), ("2.2", False)])
def test_an_idle_draw_of_more_than_a_tenth_of_what_it_gives_is_asked_about(analysed, amps, asked):
    """Of 300 W: 44.8 W, 28.2 W."""
    head = "method: idle\nunit: Inverter\nkind: inverter\nlabel: 12 V to 230 V 300 W\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\n{}\n"
    lines = f"@10:00 input 12.8 V 0.00 A\n@10:02 input 12.8 V {amps} A\n"
    assert ("15 % of its 300 W" in str(analysed(head.format("") + lines))) == asked
    assert "15 %" not in str(analysed(head.format("checked: idle\n") + lines))


def test_an_economy_setting_that_draws_no_less_is_said(analysed):
    head = "method: idle\nunit: Inverter\nkind: inverter\nlabel: 12 V to 230 V 300 W\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\n\n"
    said = analysed(head + "@10:00 input 12.8 V 0.00 A\n@10:02 input 12.8 V 0.35 A\n@10:04 input 12.8 V 0.40 A economy\n")
    assert any("no less than without" in w for w in said["warnings"])


def test_where_nothing_can_be_said_either_way_the_method_says_why(analysed):
    """Volts and amperes the wrong way round in the only line that counts: not *left out*, and then *nothing was read*."""
    head = "method: idle\nunit: Inverter\nkind: inverter\nlabel: 12 V to 230 V 300 W\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\nplan input: 12.8 V\n\n"
    said = analysed(head + "@10:00 input 12.8 V 0.00 A\n@10:02 input 0.35 V 12.8 A\n")
    assert "seem to be swapped" in said["trouble"]
    assert "left out" not in said["trouble"]


PLUG = "method: plug-day\nunit: Fridge\nkind: load\nlabel: 230 V 90 W\nwatts: 1 % + 0.3 W\nstarted: 2026-11-30 10:00\n\n@10:00 5.6 W\n@10:05 82 W\n@10:10 0 Wh\n"


@pytest.mark.parametrize(("counter", "says"), [("2.80 kWh", "starts higher"), ("3.10 kWh", "times the 82.00 W that it was read to run at")])
def test_a_day_of_far_more_than_it_runs_at_is_refused(analysed, counter, says):
    """82 W while it runs: 116 W over a day may be how it starts, 129 W is another mode or a digit."""
    assert says in str(analysed(f"{PLUG}@2026-12-01 10:15 {counter}\n"))


def test_an_audit_that_does_not_add_up_knows_its_sum_no_better_than_that(analysed):
    """0.4 A with all off, 3.1, 2.0 and 25 A one by one, 5.5 A together."""
    head = "method: audit\nunit: Van\nkind: battery\nlabel: 12 V 95 Ah lead-acid\namps: 1.5 % + 20 mA\n\n12.6 V\n0.4 A\n3.1 A lights\n2.0 A pump\n"
    bad = analysed(head + "25 A fridge\n5.5 A all on\n")["findings"]["sum_of_loads"]
    assert bad["expanded_uncertainty"] > bad["value"] - 5.5
    good = analysed(head + "2.5 A fridge\n6.8 A all on\n")["findings"]["sum_of_loads"]
    assert good["expanded_uncertainty"] < 0.5


def test_a_capacitor_whose_first_reading_under_load_was_left_out_has_no_resistance(analysed):
    head = "method: capacitor\nunit: Caps\nkind: battery\nlabel: 100 F 5.4 V\nvolts: 0.1 % + 5 mV\namps: 0.5 % + 5 mA\n\n@10:00:00 5.40 V 0 A\n"
    rest = "@10:02:10 4.15 V 1.00 A\n@10:04:10 2.95 V 1.00 A\n@10:06:10 1.75 V 1.00 A\n"
    assert "resistance" in analysed(head + "@10:00:10 5.35 V 1.00 A\n" + rest)["findings"]
    said = analysed(head + "@10:00:10 53.5 V 1.00 A\n" + rest)
    assert "resistance" not in said["findings"]
    assert said["findings"]["capacitance"]["value"] == pytest.approx(100.0, rel=0.01)
