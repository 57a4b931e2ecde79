"""What was once answered wrongly from notes by hand, each as the notes stood: read from a file, as the command line and the window read it."""

from __future__ import annotations

import pytest

from ubrant.core.account import Account
from ubrant.core.battery.verdict import NOT_ALIKE
from ubrant.methods.registry import method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored


@pytest.fixture
def told(tmp_path):
    def tell(head: str, *lines: str) -> Account:
        path = tmp_path / "notes.jot"
        path.write_text(f"{head}\nstarted: 2026-10-18 08:00\n\n" + "\n".join(lines) + "\n", "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


RECHARGE = "method: recharge\nunit: Bank\nkind: bank\nlabel: 24000 mAh 3.7 V\nto: phone: 3 Ah 3.85 V"
BANK = "method: output\nunit: Station\nkind: station\nlabel: 520 Wh\nfull: yes"
PACK = "unit: Pack\nkind: battery\nlabel: 50 Ah 12.8 V LiFePO4\nvolts: 0.5 % + 2 digits of 10 mV\namps: 1 % + 3 digits of 10 mA\nfull: yes"


def test_a_recharge_ends_when_its_device_was_full_not_at_a_later_reading(told):
    lines = "@08:00 source 100 % device 5 %", "@09:30 source 86 % device 100 %"
    alone = told(RECHARGE, *lines)
    later = told(RECHARGE, *lines, "@15:00 source 80 % device 100 %")
    assert later.findings["source_points"].value == 14.0
    assert later.findings["duration"].value == 5400.0
    assert later.sentence == alone.sentence


def test_the_end_is_where_it_was_said_to_be_full(told):
    """A display that stands at 100 % still takes some: *full* is the later and the better word."""
    found = told(RECHARGE, "@08:00 source 100 % device empty", "@09:30 source 86 % device 100 %", "@10:00 source 84 % device full")
    assert found.findings["source_points"].value == 16.0
    assert found.findings["duration"].value == 7200.0


def test_three_fillings_of_one_phone_are_three(told):
    fills = [
        f"@{h}:00 device {w}"
        for h, w in (("08", "empty"), ("09", "full"), ("10", "empty"), ("11", "full"), ("12", "empty"), ("13", "full"))
    ]
    account = told(RECHARGE, "@08:00 source 100 %", *fills, "@13:00 source 54 %")
    charges, energy = account.findings["charges_from_full"], account.findings["recharge_energy"]
    assert charges.value == pytest.approx(300 / 46)
    assert energy.value == pytest.approx(0.46 * 88.8 / 3)
    assert charges.sides[0] == charges.sides[1] == 0.0
    assert charges.expanded_uncertainty / charges.value == pytest.approx(2 * (2 * (0.5**2 + 3**2) / 3) ** 0.5 / 46, rel=1e-3)
    assert any("of 3 charges: what is said of one is their mean" in w for w in account.warnings)
    assert not any(key.endswith("_2") for key in account.findings)
    one = told(RECHARGE, "@08:00 source 100 % device empty", "@13:00 source 54 % device full").findings["recharge_energy"]
    assert energy.expanded_uncertainty / energy.value == pytest.approx(one.expanded_uncertainty / one.value)
    assert [side / energy.value for side in energy.sides] == pytest.approx([side / one.value for side in one.sides])
    assert account.findings["stored_energy"].value == pytest.approx(11.55)
    assert account.findings["duration"].value == 3600.0


def test_a_charge_takes_nothing_that_was_read_beyond_its_neighbours(told):
    """One of three was followed: the others' points are not its."""
    fills = [f"@{h}:00 device {w}" for h, w in (("08", "empty"), ("09", "full"), ("10", "empty"), ("11", "full"))]
    account = told(RECHARGE, "@08:00 source 100 %", "@09:00 source 85 %", *fills, "@18:00 source 54 %")
    assert account.findings["source_points"].value == 15.0
    assert account.findings.get("source_points_2") is None or account.findings["source_points_2"].value == 31.0


def test_amperes_beside_a_counter_say_at_what_rate(told):
    account = told(
        f"method: discharge\n{PACK}",
        "@08:10 load on 25.0 A 0.00 Ah",
        "@08:40 25.0 A 12.40 Ah",
        "@09:30 25.0 A 33.00 Ah",
        "@09:40 empty 25.0 A 37.2 Ah",
    )
    assert account.findings["c_rate"].value == pytest.approx(0.5)
    assert account.verdict.word == NOT_ALIKE


def test_what_came_in_meanwhile_is_not_what_it_holds(told):
    lines = (
        "@08:00 load on station 98 % 4.0 h left at 100 W",
        "@10:10 station 62 % 3.4 h left at 100 W",
        "@13:10 load off station 20 % 100 W",
    )
    alone = told(BANK, *lines)
    assert {"label_share", "energy_per_point"} <= set(alone.findings)
    account = told(BANK, lines[0], "@09:00 charger 90 W", *lines[1:])
    assert not {"label_share", "energy_per_point", "linearity", "hours_left_spread"} & set(account.findings)
    assert account.energy is None and account.verdict is None
    assert any("90.00 W at the charger came in meanwhile" in w for w in account.warnings)
    assert "while 90.00 W at the charger came in" in account.sentence
    before = told(BANK, "@07:00 charger 90 W", *lines)  # charged before is charged
    assert "label_share" in before.findings


@pytest.mark.parametrize("noted", ["battery protection", ""])
def test_what_was_noted_where_it_tripped_is_not_contradicted(told, noted):
    account = told(BANK, "@08:00 load on 100 W", "@09:00 101 W", f"@12:10 tripped {noted}")
    assert not any("stopped with some left" in w for w in account.warnings)
    assert any(w.startswith("It tripped") and noted in w for w in account.warnings)
    inverter = "method: steps\nunit: Inverter\nkind: inverter\nlabel: 12 V to 230 V, 300 W\nfed by: Pack: 50 Ah 12.8 V LiFePO4"
    steps = (
        "input 12.6 V 0.36 A output 231 V 0 W",
        "input 11.4 V 13.8 A output 229 V 150 W source 11.9 V",
        "input 10.9 V 29.3 A output 227 V 300 W source 11.5 V",
    )
    ended = told(
        inverter,
        *(f"@08:0{k} {line}" for k, line in enumerate(steps)),
        f"@08:04 tripped {noted}",
        "@08:05 load off",
        "@08:06 source 13.1 V",
    )
    guessed = "its own low-voltage cut-off" in ended.sentence
    assert guessed is (not noted), ended.sentence
    assert not noted or "“battery protection” was noted" in ended.sentence


def test_the_best_is_no_less_than_what_was_measured(told):
    account = told(
        "method: sweep\nunit: Converter\nkind: converter\nlabel: 12 V to 5 V, 3 A\nvolts: 0.5 % + 2 digits of 10 mV\namps: 1 % + 3 digits of 10 mA",
        *(
            f"input 12.0 V {i} A output {v} V {o} A"
            for i, v, o in ((0.02, 5.05, "0.000"), ("0.50", 5.03, "1.00"), (0.95, 5.02, "2.00"), (1.44, "5.00", "3.00"))
        ),
    )
    measured = [f.value for key, f in account.findings.items() if key.startswith("efficiency_")]
    best = account.findings["peak_efficiency"]
    assert best.value == max(measured) == pytest.approx(100 * 10.04 / 11.4)
    assert account.findings["peak_at"].value == pytest.approx(10.04)
    assert "the fit's best is 87.5" in best.working
    assert best.expanded_uncertainty >= account.findings["efficiency_2"].expanded_uncertainty, "a maximum goes where the errors take it"


def test_amperes_before_load_on_are_no_rest(told):
    account = told(
        f"method: discharge\n{PACK}",
        "@08:05 13.10 V 10.00 A",
        "@08:10 load on",
        *(f"@{h} {v} V 10.00 A" for h, v in (("09:00", "13.02"), ("10:00", "12.98"), ("11:00", "12.85"), ("11:50", "11.20"))),
        "@11:58 10.00 V 10.00 A load off",
    )
    assert account.findings["rest_before"].value is None if "rest_before" in account.findings else True
    assert any("10.00 A was read before “load on” was said" in w for w in account.warnings)
    assert account.span[0] == pytest.approx(600.0)


def test_a_doubt_wider_than_its_quantity_can_be_is_none(told, monkeypatch):
    from dataclasses import replace

    from tests.making import part
    from ubrant.methods.discharge.method import DischargeMethod

    sound = DischargeMethod.account

    def wild(self, record, expected=None):
        account = sound(self, record, expected)
        charge = replace(account.findings["charge"], contributions=(part("x", 1.7e13),))
        return replace(account, findings={**account.findings, "charge": charge})

    monkeypatch.setattr(DischargeMethod, "account", wild)
    account = told(f"method: discharge\n{PACK}", "@08:10 load on 13.1 V 10.0 A", "@09:10 12.9 V 10.0 A", "@10:10 10.9 V 10.0 A load off")
    assert account.findings["charge"].expanded_uncertainty is None
    assert account.warnings[0] == "How far off Charge delivered may be cannot be told from these readings: they have no ±."
    assert account.findings["energy"].expanded_uncertainty


def test_what_went_off_had_come_on_although_nobody_said_when(told):
    """A *load on* behind the first *load off* is of what came later: what flowed before it is not lost."""
    first = [
        "@08:05 13.10 V 10.00 A",
        *(f"@{h} {v} V 10.00 A" for h, v in (("09:00", "13.02"), ("10:00", "12.98"), ("11:00", "12.85"), ("12:50", "11.90"))),
    ]
    alone = told(f"method: discharge\n{PACK}", *first, "@12:59 load off")
    again = told(f"method: discharge\n{PACK}", *first, "@12:59 load off", "@13:30 load on", "@14:00 11.50 V 9.90 A", "@14:30 load off")
    assert again.findings["charge"].value > alone.findings["charge"].value > 40.0
    assert again.span[0] == alone.span[0]


@pytest.mark.parametrize(
    "lines",
    [
        ("@08:00 source 100 % device empty", "@09:00 device full", "@10:00 device empty", "@11:00 source 80 % device full"),
        ("@08:00 source 100 % device empty", "@09:30 device full", "@09:40 device empty", "@10:00 source 85 %", "@11:00 device full"),
    ],
    ids=["nothing of the one before", "nothing of the next one"],
)
def test_two_fillings_between_two_readings_are_one_sum(told, lines):
    account = told(RECHARGE, *lines)
    assert any("of 2 charges: what is said of one is their mean" in w for w in account.warnings)
    assert "source_points_2" not in account.findings


def test_what_was_read_before_the_one_before_had_ended_is_none_of_the_next(told):
    account = told(
        RECHARGE,
        "@08:00 source 100 % device empty",
        "@09:40 source 90 %",
        "@09:50 device full",
        "@10:00 device empty",
        "@11:30 source 75 % device full",
    )
    assert account.findings["source_points"].value == 10.0
    assert "source_points_2" not in account.findings


BRICK = "unit: Brick\nkind: converter\nlabel: 230 V to 12 V 5 A"
INTO_MAINS = "@08:00 skip", "@08:05 input 231 V 0.052 A 3.1 W", "@08:10 input 231 V 0.052 A 3.1 W"


def test_an_idle_draw_on_ac_is_its_watts_not_volts_times_amperes(told):
    """0.052 A at 231 V with 3.1 W beside them was an idle draw of 12 W."""
    found = told(f"method: idle\n{BRICK}\nwatts: 1 % + 0.2 W", *INTO_MAINS).findings["idle_power"]
    assert found.value == pytest.approx(3.1)
    assert found.expanded_uncertainty == pytest.approx(2 * ((0.031**2 + 0.2**2 + 0.05**2) / 3) ** 0.5, rel=0.02)


def test_rows_on_ac_without_watts_are_left_out_and_said_and_nothing_but_those_is_refused(told):
    head = f"method: idle\n{BRICK}"
    account = told(head, *INTO_MAINS[:2], "@08:10 input 231 V 0.052 A")
    assert account.findings["idle_power"].value == pytest.approx(3.1)
    assert any("One reading of an AC input without watts" in w for w in account.warnings)
    assert "volts × amperes are VA" in told(head, "@08:00 skip", "@08:05 input 231 V 0.052 A").trouble
    assert "no zero" in told(head, "@08:00 input 231 V 3.1 W", "@08:05 input 231 V 3.1 W").trouble
    assert "no zero" in told(head, "@08:00 input 3.1 W", "@08:05 input 3.1 W").trouble
    assert told(head, "@08:00 input 0.4 W", "@08:05 input 231 V 3.1 W").findings["idle_power"].value == pytest.approx(2.7)


def test_a_sweep_of_what_the_mains_feed_is_by_watts(told):
    """88 % were 37 %: amperes on AC, with the watts in the same line."""
    rows = [("0.2 A 14.2 W", 1.0), ("0.35 A 27.1 W", 2.0), ("0.6 A 54.3 W", 4.0), ("0.7 A 68.5 W", 5.0)]
    head = f"method: sweep\n{BRICK}"
    found = told(head, *(f"@08:{10 + k} input 231 V {into} output 12.0 V {amps} A" for k, (into, amps) in enumerate(rows))).findings
    assert found["peak_efficiency"].value == pytest.approx(100 * 24 / 27.1, abs=0.6)
    known = f"{head}\nwatts: 1 % + 0.2 W\nvolts: 0.1 % + 1 mV\namps: 0.1 % + 1 mA"
    lines = [f"@08:{10 + k} input 231.00 V {into} output 12.000 V {amps:.3f} A" for k, (into, amps) in enumerate(rows)]
    best = next(f for key, f in told(known, *lines).findings.items() if key.startswith("efficiency_") and abs(f.value - 88.56) < 0.01)
    assert best.expanded_uncertainty == pytest.approx(88.56 * 2 * ((0.01**2 + (0.2 / 27.1) ** 2) / 3) ** 0.5, rel=0.2)
    without = told(head, *(f"@08:{10 + k} input 231 V {into.split(' A')[0]} A output 12.0 V 2 A" for k, (into, _) in enumerate(rows)))
    assert "4 readings of an AC input without watts" in without.trouble
    assert not without.answers
    assert without.findings["converter_efficiency"].bound == "between", "no more is said than that"


WAYS = "method: ways\nunit: Station\nkind: station\nlabel: 520 Wh"


def test_a_percent_that_stands_still_is_no_proof_of_hours(told):
    """12 points in an hour, then two hours on the same figure: 25 h were certain to ± 10."""
    still = told(
        WAYS, *(f"@{h} load on station {p} % mains socket" for h, p in (("08:00", 90), ("09:00", 78), ("10:00", 78), ("11:00", 78)))
    )
    hours = still.findings["runtime_from_full_1"]
    low = hours.value - hours.sides[0] - (hours.expanded_uncertainty or 0.0)
    assert low < 100 / 12 < hours.value == 25.0
    assert any("stood still for 2 h" in w and "24 points more" in w for w in still.warnings)
    even = told(
        WAYS, *(f"@{h} load on station {p} % mains socket" for h, p in (("08:00", 90), ("09:00", 78), ("10:00", 66), ("11:00", 54)))
    )
    assert even.findings["runtime_from_full_1"].sides == (0.0, 0.0)
    assert not any("stood still" in w for w in even.warnings)
    short = told(
        WAYS, *(f"@{h} load on station {p} % mains socket" for h, p in (("08:00", 90), ("09:00", 78), ("09:10", 78), ("10:00", 66)))
    )
    assert short.findings["runtime_from_full_1"].sides == (0.0, 0.0)  # it should have fallen by 2: no more than it may be off


def test_volts_that_a_load_does_not_take_are_said_of_any_method(told):
    """Straight at the cells, and while sources change."""
    router = "unit: Router\nkind: load\nlabel: 12 V, 10-15 V, 12 W"
    account = told(f"method: handover\n{router}", "@08:00 output 12.1 V runs", "@08:10 output 9.4 V runs", "@08:20 output 16.2 V runs")
    assert any("16.20 V are over the 15 V that the load takes" in w for w in account.warnings)
    assert any("9.400 V are under the 10 V from which the load works" in w for w in account.warnings)
    slip = told(f"method: handover\n{router}", "@08:00 output 121 V runs")
    assert any("121.0 V are over the 15 V" in w for w in slip.warnings)
    fine = told(f"method: handover\n{router}", "@08:00 output 12.1 V runs", "@08:10 output 0.0 V off")
    assert not any("that the load takes" in w or "load works" in w for w in fine.warnings)
    straight = "method: ways\nunit: Pack\nkind: battery\nlabel: 20 Ah 12.8 V LiFePO4\nto: Router: 12 V, 10-14 V, 12 W"
    assert not any("over" in w for w in told(straight, "@08:00 source 14 V 1 A load 230 V 0.1 A 12 W mains socket").warnings)
    assert any("14.50 V are over the 14 V" in w for w in told(straight, "@08:00 source 14.6 V 1 A load 14.5 V 1.0 A straight").warnings)


@pytest.mark.parametrize("watts", ["3.1 mW", "31 W", "0.1 W"])
def test_watts_that_volts_times_amperes_do_not_allow_are_none(told, watts):
    """A power factor of 0.0003, or of 2.6: a slip of unit or of a digit."""
    assert "no more of them than VA" in told(f"method: idle\n{BRICK}", "@08:00 skip", f"@08:05 input 231 V 0.052 A {watts}").trouble


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("12.8 V 0.90 A 45 W", True),
        ("12.8 V 0.90 A 11.4 W", False),
        ("12.8 V 0.9 A 12 W", False),
        ("12.80 V 0.900 A 12.20 W", False),
        ("231 V 1.0 A 150 W", False),
        ("231 V 1.0 A 300 W", True),
        ("12.8 V 0.90 A 1.15 W", True),
    ],
)
def test_watts_beside_volts_and_amperes_that_they_are_not_are_said_of_any_method(told, line, says):
    account = told(f"method: notes\n{PACK.replace('full: yes', 'temperature: 20 °C')}", f"@08:00 {line}", "@08:10 12.8 V 0.9 A")
    assert any(q.checked.startswith(("fits", "limit")) for q in account.questions) is says


def test_a_change_of_sources_that_failed_without_a_reading_counts(told):
    """*off* alone was a note: of three changes one was left, and it held."""
    account = told(
        "method: handover\nunit: Router\nkind: load\nlabel: 12 V, 12 W", "@08:00 runs", "@08:10 off", "@08:20 output 12.0 V runs"
    )
    assert account.sentence.startswith("2 of 3 changes held")
    assert "it went off" in account.sentence


def test_a_slip_that_its_label_tells_is_told_from_a_file_as_from_the_window(told):
    """9.28 A for 0.928 A: 111 W in and 10 W out of a converter of 15 W, with nobody having said its rating but its label."""
    account = told(
        "method: sweep\nunit: Step-down\nkind: converter\nlabel: 12 V to 5 V, 3 A\nvolts: 0.5 % + 10 mV\namps: 1 % + 5 mA",
        *(
            f"input 12.00 V {i} A output {v} V {o} A"
            for i, v, o in ((0.031, 5.08, 0), (0.262, 5.06, 0.5), (0.479, 5.04, "1.0"), (9.28, "5.00", "2.0"), (1.405, 4.96, "3.0"))
        ),
    )
    assert any("ten times too much" in w for w in account.warnings)
    assert all(f.value > 80 for key, f in account.findings.items() if key.startswith("efficiency_"))
    assert not any("79 points" in w for w in account.warnings), "what is known badly with next to nothing attached is no remark"


def test_of_notes_without_times_no_row_says_what_another_row_is(tmp_path):
    """Seven points of a panel at one moment each said the watts of the last."""
    path = tmp_path / "panel.jot"
    path.write_text(
        "method: source\nunit: Panel\nkind: source\nlabel: 20 W panel\n\n21.0 V 0 A\n20.5 V 0.8 A\n19.6 V 1.6 A\n12.5 V 3.1 A\n", "utf-8"
    )
    record = read_file(path, LogOptions()).record()
    assert len({entry.time_s for entry in record.lines}) == 1
    assert method_of("source").row_findings(record) == {}
