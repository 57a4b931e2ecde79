"""Outlooks as TOML files and as lines: what is read, what is asked, what is never misread; on the command line."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from tests.command_line import ubrant
from tests.making import METER, by_hand, prepared
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import look
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError, KitPart, LoadPart, SourcePart, parse_kit
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, kit_part_of, read_load, rows_of, to_toml
from ubrant.runs.kits.measured import measured_in

SMALL = """
[source]
energy = "640 Wh"
usable = "80 %"
[[load]]
name = "blower"
power = "58 W"
duty = "40 %"
[way]
efficiency = "88 %"
idle = "7 W"
[[input]]
power = "0 W"
"""
HOURS = 512 / (58 * 0.4 / 0.88 + 7)


@pytest.fixture
def written(tmp_path):
    def write(text: str) -> str:
        path = tmp_path / "kit.toml"
        path.write_text(text)
        return str(path)

    return write


def found(*arguments: str) -> dict:
    done = ubrant(*arguments, "--json")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)["findings"]


def test_the_smallest_file_is_the_pencil_sum(written):
    path = written(SMALL)
    out = found("outlook", path)
    assert out["runtime"]["value"] == pytest.approx(HOURS, rel=1e-12)
    assert out["runtime"]["low"] == out["runtime"]["high"] == out["runtime"]["value"]
    assert (out["runtime"]["unit"], out["runtime"]["indefinite"]) == ("h", False)
    assert out["energy_delivered"]["value"] + out["energy_lost"]["value"] == pytest.approx(512)
    assert out["energy_delivered"]["by_load"]["blower"] == pytest.approx(58 * 0.4 * HOURS)
    assert (out["first_to_fail"]["value"], out["first_to_fail"]["kind"]) == ("source", "empty")
    assert found("size", path, "--for", "8 h")["size_needed"]["value"] == pytest.approx(640 * 8 / HOURS, rel=1e-9)
    assert "15 h 21 min" in ubrant("outlook", path).stdout
    assert found("outlook", written('[source]\nenergy = "100 Ah 12.8 V"\n[[load]]\npower = "64 W"'))["runtime"]["value"] == pytest.approx(
        20
    )


def test_without_end_is_null(written):
    runtime = found("outlook", written(SMALL.replace('"0 W"', '"40 W"')))["runtime"]
    assert (runtime["value"], runtime["indefinite"]) == (None, True)


def test_a_label_is_doubted_on_its_own_two_sides(written):
    label = '[source]\nlabel = "100 Ah 12.8 V"\n{more}\n[[load]]\npower = "64 W"'
    runtime = found("outlook", written(label.format(more="")))["runtime"]
    assert runtime["value"] == runtime["high"] == pytest.approx(20)
    assert runtime["low"] == pytest.approx(20 * (0.65 + 0.05 * 0.35), rel=0.01)
    tools = found("outlook", written(label.format(more='label_low = "90 %"\nlabel_high = "105 %"')))["runtime"]
    assert (tools["low"], tools["high"]) == (pytest.approx(20 * 0.9075, rel=0.01), pytest.approx(20 * 1.0425, rel=0.01))


def test_charges_and_the_size_for_some(written):
    path = written(SMALL + '[job]\nname = "charge"\nenergy = "45 Wh"\n')
    assert found("outlook", path)["charges"]["value"] == pytest.approx(512 * 0.88 / 45)
    assert found("size", path, "--for", "3 charges")["size_needed"]["value"] == pytest.approx(3 * 45 / 0.88 / 0.8)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (('"58 W"', "58"), "58 has no unit"),
        (('"58 W"', '"58"'), "“58” has no unit"),
        (('"58 W"', '"58 V"'), "[[load]] blower, power: “58 V” is in V"),
        (('"640 Wh"', '"640 Ah"'), "need their volts"),
        (('"640 Wh"', '"640"'), "has no unit"),
        (('"80 %"', '"180 %"'), "between 0 and 100 %"),
        (('"80 %"', '"0 %"'), "keep less back"),
        (('"88 %"', '"0 %"'), "above 0 and up to 100 %"),
        (('"40 %"', '"often"'), "is no duty"),
        (("duty", "dutty"), "“dutty” is not known here: there are name, power"),
        (("[way]", "[wave]"), "“wave” is not known here"),
        (('"58 W"', '"-58 W"'), "cannot be negative"),
        (('"58 W"', '"0 W"\nstandby = "0 W"'), None),
        (("energy =", "energy"), "kit.toml"),
        (('power = "58 W"', 'current = "5 A"'), "amperes need their volts"),
        (('name = "blower"', 'name = "blower"\nway = "roof"'), "goes through “roof”"),
    ],
)
def test_what_is_not_understood_is_said_in_one_sentence(written, change, says):
    done = ubrant("outlook", written(SMALL.replace(*change)))
    if says is None:
        assert done.returncode == 0  # its idle draw is all there is
        return
    assert done.returncode == 2
    assert says in done.stderr
    assert done.stderr.strip().count("\n") == 0


@pytest.mark.parametrize(
    ("wanted", "says"), [("8", "8 of what?"), ("0 h", "more than none"), ("3 charges", "what one charge takes"), ("soon", "soon")]
)
def test_a_size_is_never_misread(written, wanted, says):
    done = ubrant("size", written(SMALL), "--for", wanted)
    assert (done.returncode, says in done.stderr) == (2, True)
    assert "no such file" in ubrant("outlook", "nowhere.toml").stderr
    assert "50 up to" in ubrant("size", written(SMALL), "--for", "8 h", "--confidence", "20").stderr


FULL = [
    (SOURCE, "Pack A 640 Wh, usable 80 %, 30 Wh kept back"),
    (SOURCE, "Spare 100 Ah 12.8 V label, swap 4 min"),
    (WAY, "inverter 88 %, idle 7 W, max 300 W, surge 600 W, switched"),
    (WAY, "step-down 92 %, idle 0.4 W"),
    (LOAD, "blower 58 W 40 %, start 104 W, through inverter"),
    (LOAD, "projector 48 W 19:30 to 20:10, 20:30 to 22:00, standby 6 W, through inverter, guessed"),
    (LOAD, "lamp 0,5 A, at 12 V, straight"),
    (LOAD, "fridge 38 W 8 of 20 min, through step-down"),
    (INPUT, "panel 60 W sun 06:00 to 20:00, limit 15 A 120 V"),
]


def test_lines_files_and_kits_are_the_same_thing():
    part = kit_part_of(FULL, "17:30", "An evening")
    assert parse_kit(to_toml(part)) == part
    assert kit_part_of(rows_of(part), "17:30", "An evening") == part
    kit = kit_of(part)
    assert (kit.starts_s, kit.sources[0].kept_wh, kit.sources[1].swap_s) == (17.5 * 3600, 30.0, 240.0)
    assert kit.loads[2].drawn.value == pytest.approx(6.0)
    assert [load.way for load in kit.loads] == ["inverter", "inverter", "", "step-down"]
    assert kit.inputs[0].limit_w == pytest.approx(0.8 * 15 * 120)
    assert (kit.ways[0].switched, kit.ways[0].surge_w, kit.loads[1].guessed) == (True, 600.0, True)
    assert look(kit, 0).runtime_s is not None


@pytest.mark.parametrize(
    ("text", "name", "power", "duty"),
    [
        ("fridge 38 W 40 %", "fridge", "38 W", "40 %"),
        ("38 W 40 % of the time", "", "38 W", "40 % of the time"),
        ("Lamp 2 5 W", "Lamp 2", "5 W", ""),
        ("heater 1.2 kW 19:30 to 22:00", "heater", "1.2 kW", "19:30 to 22:00"),
        ("fan 3,5 W", "fan", "3,5 W", ""),
        ("Projector, 18:00 to 19:00", "Projector", "", "18:00 to 19:00"),
    ],
)
def test_a_load_as_one_line(text, name, power, duty):
    part = read_load(text)
    assert (part.name, part.power, part.duty) == (name, power, duty)


def test_a_line_that_is_not_understood_says_which():
    with pytest.raises(KitError, match="“pump 60 W, sideways”: “sideways” is no duty"):
        kit_part_of([(SOURCE, "Pack 640 Wh"), (LOAD, "pump 60 W, sideways")])
    with pytest.raises(KitError, match=r"“640 Wh, sideways”.*there are usable"):
        kit_part_of([(SOURCE, "640 Wh, sideways")])
    with pytest.raises(KitError, match="say what it draws"):
        kit_of(kit_part_of([(SOURCE, "Pack 640 Wh"), (LOAD, "pump lots")]))
    with pytest.raises(KitError, match="give its energy"):
        kit_of(kit_part_of([(SOURCE, "Pack"), (LOAD, "pump 5 W")]))


def test_volts_that_are_not_known_are_said_and_not_made_up():
    rows = [(SOURCE, "Pack 640 Wh"), (WAY, "inverter 90 %, cut-off 10.5 V"), (LOAD, "pump 60 W")]
    assert "The volts of Pack are not known" in kit_of(kit_part_of(rows)).remarks[0]
    known = kit_of(kit_part_of([(SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"), *rows[1:]]))
    assert known.remarks == ()
    assert known.sources[0].energy_wh == pytest.approx(640)
    assert known.sources[0].curve is not None


def test_a_recorded_day_and_bad_ones(tmp_path):
    day = tmp_path / "day.csv"
    day.write_text("time, W\n08:00, 0\n12:00, 50\n16:00, 0\n")
    text = SMALL.replace('power = "0 W"', 'log = "day.csv"')
    kit = kit_of(parse_kit(text), folder=tmp_path)
    assert kit.inputs[0].watts.value == 50
    for body, says in (("08:00, 0\nnoon, 5\n", "line 2"), ("08:00, 1\n07:00, 2\n", "no two times that rise")):
        day.write_text(body)
        with pytest.raises(KitError, match=says):
            kit_of(parse_kit(text), folder=tmp_path)
    with pytest.raises(KitError, match="cannot be read"):
        kit_of(parse_kit(text), folder=tmp_path / "elsewhere")


def test_leads_by_length_and_section_or_ohms():
    rows = [(SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"), (LOAD, "pump 60 W")]
    for text, ohm in (("1.5 m 4 mm²", 2 * 1.5 * 4.95e-3), ("12 mΩ", 0.012)):
        assert kit_of(kit_part_of([*rows, (WAY, f"inverter 90 %, leads {text}")])).ways[0].lead_ohm == pytest.approx(ohm)
    with pytest.raises(KitError, match="no usual section"):
        kit_of(kit_part_of([*rows, (WAY, "inverter 90 %, leads 1.5 m 3 mm²")]))


@pytest.mark.parametrize("example", (Path(__file__).parents[2] / "docs" / "outlook.md").read_text("utf-8").split("```toml\n")[1:])
def test_the_examples_of_the_documentation_are_read(written, example):
    found_there = found("outlook", written(example.partition("```")[0]))
    assert found_there["runtime"]["value"] > 1
    assert found_there["runtime"]["low"] <= found_there["runtime"]["value"] <= found_there["runtime"]["high"]


def test_a_day_without_a_beginning_is_asked_about(written):
    text = SMALL.replace('"40 %"', '"19:30 to 22:00"')
    assert "Nobody said when it is switched on" in ubrant("outlook", written(text)).stdout
    assert "Nobody said when" not in ubrant("outlook", written(text + '[day]\nstarts = "17:30"\n')).stdout
    assert "Nobody said when" not in ubrant("outlook", written(SMALL)).stdout


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("fridge 38 W 40", "is no duty"),
        ("fridge 38 W 7pm to 10pm", "is no duty"),
        ("fridge 38 W, start 100", "“100” has no unit"),
        ("fridge 38 W, standby 2 V", "is in V"),
        ("fridge 38 W, gives up at 10 W", "is in W"),
        ("fridge 38 W, follows the wind", "power, current, resistance"),
    ],
)
def test_a_careless_line_is_asked_about(line, says):
    with pytest.raises(KitError, match=says):
        kit_of(kit_part_of([(SOURCE, "Pack 640 Wh"), (LOAD, line)]))


@pytest.mark.parametrize(
    ("kind", "line", "says"),
    [
        (SOURCE, "bank 24000 mAh", "need their volts"),
        (SOURCE, "bank 640 W", "give its energy"),
        (SOURCE, "Pack 640 Wh, usable 80", "no unit"),
        (SOURCE, "Pack 640 Wh, swap 4", "no unit"),
        (WAY, "inverter 88", "say what it takes"),
        (WAY, "inverter 88 %, idle 7", "no unit"),
        (INPUT, "panel 60 W sun", "needs its hours"),
        (INPUT, "panel 60", "say what comes in"),
    ],
)
def test_a_careless_piece_is_asked_about(kind, line, says):
    rows = [(SOURCE, "Pack 640 Wh"), (LOAD, "fridge 38 W")] if kind != SOURCE else [(LOAD, "fridge 38 W")]
    try:
        kit = kit_of(kit_part_of([(kind, line), *rows]))
    except KitError as error:
        assert re.search(says, str(error)), error
    else:
        assert kind in {WAY, INPUT}, kit
        pytest.fail(f"taken without a word: {kit.ways or kit.inputs}")


def test_every_joint_is_held_against_its_window():
    """Four iron-phosphate cells go up to 14.64 V when they are charged: over 14 V is refused, inside 10.5 to 15 V it goes off at 10.5 V."""
    rows = [(SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"), (LOAD, "radio 30 W, straight")]
    with pytest.raises(KitError, match=r"goes up to 14.6 V, over the 14 V of radio: over the window is damage"):
        kit_of(kit_part_of([rows[0], (LOAD, "radio 30 W, straight, window 11-14 V")]))
    with pytest.raises(KitError, match=r"over the 14.5 V of step-up"):
        kit_of(kit_part_of([*rows, (WAY, "step-up 90 %, window 10-14.5 V")]))
    kit = kit_of(kit_part_of([rows[0], (LOAD, "radio 30 W, straight, window 10.5-15 V"), (WAY, "step-up 90 %, window 11 to 16 V")]))
    assert (kit.loads[0].gives_up_v, kit.ways[0].cutoff_v) == (10.5, 11.0)
    with pytest.raises(KitError, match="is no window"):
        kit_of(kit_part_of([*rows, (WAY, "step-up 90 %, window 15-10 V")]))


def test_plugs_that_do_not_meet_are_said():
    rows = [
        (SOURCE, "Pack 640 Wh, plug ring 5.5 × 2.1 mm centre positive"),
        (LOAD, "radio 30 W, straight, plug ring 5.5 × 2.5 mm centre positive"),
    ]
    assert "an adapter, and its polarity checked" in kit_of(kit_part_of(rows)).remarks[0]
    assert kit_of(kit_part_of([rows[0], (LOAD, "radio 30 W, straight, plug Ring 5.5 × 2.1 mm centre positive")])).remarks == ()


def begun(full: str):
    return (
        kit_of(
            KitPart(source=[SourcePart(name="Block", label="12 V 45 Ah lead-acid", full=full)], load=[LoadPart(name="lamp", power="20 W")])
        )
        .sources[0]
        .full
    )


def test_a_source_begins_with_what_its_volts_at_rest_say():
    """12.24 V is 60 % by the usual chart, ± 10 points of the chart and what a hand meter may be off by, 0.5 % + 10 mV over 0.13 V a tenth (common practice)."""
    found = begun("12.24 V")
    assert found.value == pytest.approx(0.60, abs=0.03)
    assert 0.35 < found.low < 0.52
    assert 0.68 < found.high < 0.85
    assert begun("at 12.24 V at rest") == found
    assert begun("50..70 %").low == pytest.approx(0.5)
    assert begun("60 %").is_sure
    assert begun("").value == 1.0


@pytest.mark.parametrize(
    ("label", "full", "says"),
    [
        ("100 Wh", "12.2 V", "volts at rest tell only of a battery whose label says its kind"),
        ("12 V 45 Ah lead-acid", "13.9 V", "it is being charged, or was just now"),
        ("8 × 1.2 V 2500 mAh NiMH", "10 V", "count ampere-hours"),
        ("12 V 45 Ah lead-acid", "much", "is not a value in %"),
    ],
)
def test_volts_that_tell_nothing_of_it_are_refused(label, full, says):
    with pytest.raises(KitError, match=says):
        kit_of(KitPart(source=[SourcePart(name="x", label=label, full=full)], load=[LoadPart(name="lamp", power="20 W")]))


def test_a_doubt_of_how_full_it_is_is_in_the_band():
    def look_at(full: str):
        return look(
            kit_of(KitPart(source=[SourcePart(name="Block", energy="500 Wh", full=full)], load=[LoadPart(name="lamp", power="20 W")]))
        )

    sure, wide = look_at("60 %"), look_at("50..70 %")
    assert sure.runtime_s == wide.runtime_s == pytest.approx(3600 * 300 / 20)
    assert sure.low_s == sure.high_s
    assert wide.low_s == pytest.approx(3600 * 255 / 20, rel=0.02), "5 in 100 lie under 51 %"
    assert wide.high_s == pytest.approx(3600 * 345 / 20, rel=0.02)


def test_a_unit_that_was_last_seen_other_than_full_is_said_to_begin_full(logbook):
    van = Unit("Van", "battery", "12 V 82 Ah lead-acid")
    by_hand(logbook, "fullness", prepared("fullness", van, (METER,), rested_s="5 h"), {60.0: "12.24 V 0 A"})
    part = KitPart(source=[SourcePart(name="Van")], load=[LoadPart(name="lamp", power="20 W")])
    kit = kit_of(part, measured_in(logbook))
    assert any("Van was " in text and "here it begins full. Write “full " in text for text in kit.remarks)
    said = KitPart(source=[SourcePart(name="Van", full="60 %")], load=part.load)
    assert not any("begins full" in text for text in kit_of(said, measured_in(logbook)).remarks)


@pytest.mark.parametrize(
    ("leads", "ohm"), [("1.5 m AWG 12", 0.01563), ("1.5 m #12", 0.01563), ("1.5 m, AWG 4", 0.002445), ("1.5 m 4 mm²", 0.01485)]
)
def test_leads_by_section_or_by_gauge(leads, ohm):
    """AWG 12 has 5.211 mΩ a metre at 20 °C, AWG 4 0.815 (ASTM B258 with IEC 60028; from memory); there and back."""
    text = SMALL.replace('idle = "7 W"', f'idle = "7 W"\nleads = "{leads}"')
    assert kit_of(parse_kit(text)).ways[0].lead_ohm == pytest.approx(ohm, rel=2e-3)
