"""Outlooks that no one who knows such kits would believe: refused, or remarked on; what is usual goes through without a word."""

from __future__ import annotations

import pytest

from ubrant.core.outlook.answers import look
from ubrant.core.outlook.spread import parse_spread
from ubrant.core.quantities.quantity import QuantityError
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import DayPart, KitError, KitPart, LoadPart, SourcePart
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, in_the_window, kit_part_of
from ubrant.runs.kits.outlooks import goes_dark, sentence

USUAL = {SOURCE: "Pack 100 Ah 12.8 V label", WAY: "inverter 88 %, idle 7 W, max 300 W", LOAD: "fridge 40 W 8 of 20 min"}


def kit(more=(), starts="17:00", **changes):
    rows = [(kind, changes.get(kind, text)) for kind, text in USUAL.items()]
    return kit_of(kit_part_of([*rows, *more], starts))


def test_what_is_usual_is_not_asked_about():
    assert not any("?" in text for text in kit().remarks)
    assert not any("on together" in text for text in kit(more=[(LOAD, "lamp 60 W 19:00 to 23:00")]).remarks)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({LOAD: "fridge 40 kW 8 of 20 min"}, "carries 300 W"),
        ({WAY: "inverter 88 %, idle 7 W", LOAD: "fridge 40 kW 8 of 20 min"}, "are watts kilowatts"),
        ({SOURCE: "Pack 100 mAh 12.8 V label"}, "ampere-hours milliampere-hours"),
        ({WAY: "inverter 88 %, max 300 W, surge 20 W"}, "are the two swapped"),
        ({WAY: "inverter 0.88 %, idle 7 W"}, "passes 0.88 % on: nothing is so bad. Is it 88 %"),
        ({WAY: "inverter 8.8 %, idle 7 W"}, "Is it 88 %"),
        ({LOAD: "pump 60 W, start 30 W"}, "30 W at its start: are the two swapped"),
        ({LOAD: "pump 60 W, standby 80 W"}, "80 W while it is not: are the two swapped"),
        ({WAY: "inverter 88 %, idle 7 W, max 30 W"}, "fridge takes 40 W while it is on, and inverter carries 30 W"),
    ],
)
def test_what_cannot_be_is_refused(changes, says):
    with pytest.raises(KitError, match=says):
        kit(**changes)


def test_a_start_may_be_over_what_a_way_carries():
    """Twenty seconds of 400 W are a surge, and no load that lasts."""
    assert kit(**{LOAD: "pump 400 W 6 shots an hour, 20 s each"}).loads[0].drawn.value == 400


def test_the_sun_shines_by_day():
    with pytest.raises(KitError, match="hours are of the night"):
        kit(more=[(INPUT, "panel 400 W sun 20:00 to 06:00")])
    assert kit(more=[(INPUT, "panel 400 W sun 06:00 to 20:00")]).inputs


@pytest.mark.parametrize(
    ("changes", "more", "says"),
    [
        ({WAY: "inverter 88 %, idle 700 W"}, (), "burns 700 W with nothing on it"),
        ({LOAD: "saw 250 W, start 1500 W"}, (), "1500 W at its start, and inverter carries 300 W"),
        ({SOURCE: "Pack 100 Ah 12.8 V label, usable 8 %"}, (), "Only 8 % of Pack may be used: is a digit missing?"),
        ({WAY: "inverter 12 %, idle 7 W"}, (), "passes 12 % on: is that what it loses?"),
        ({SOURCE: "Pack 100 Ah 12.8 V LiFePO4 label", WAY: "w 88 %, leads 10 m 0.75 mm²"}, (), "drop 1.8 V of 12."),
        ({SOURCE: "Pack 100 Ah 12.8 V LiFePO4 label"}, [(SOURCE, "Other 100 Ah 25.6 V LiFePO4 label")], "may not stand the other"),
        ({SOURCE: "Pack 5 Ah 12.8 V label", WAY: "inverter 88 %, idle 7 W", LOAD: "kettle 400 W"}, (), "drawn on so hard"),
        ({LOAD: "fridge 250 W 8 of 20 min"}, [(LOAD, "heater 200 W")], "when they are on together it switches off"),
    ],
)
def test_what_hardly_is_is_remarked_on(changes, more, says):
    assert any(says in text for text in kit(more=more, **changes).remarks)


@pytest.mark.parametrize(("text", "may"), [("40 ± 400 W", False), ("40 ± 40 W", True), ("40 ± 3 W", True)])
def test_nothing_is_off_by_more_than_itself(text, may):
    if may:
        assert parse_spread(text, "W").value == 40
    else:
        with pytest.raises(QuantityError, match="more than it is itself"):
            parse_spread(text, "W")


def test_an_end_of_the_band_is_no_best_value():
    """By a label alone, 65 to 100 % of it, the pencil's sum is the upper end; measured it lies inside."""
    by_label = look(kit())
    assert sentence(by_label).startswith("Runs for ")
    assert "about" not in sentence(by_label)
    assert goes_dark(by_label)[1] == ""
    measured = look(kit(**{SOURCE: "Pack 1200 ± 60 Wh"}))
    assert "Runs for about" in sentence(measured)
    assert "somewhere from" in sentence(measured)


def test_no_source_gives_more_than_a_quarter_of_its_volts_squared_over_its_resistance():
    """13.4 V through 1 Ω give 45 W at the most: 60 W it does not carry, and nothing burns more than there is."""
    source = SourcePart(name="Pack", capacity="88 Ah", volts="12.8 V", chemistry="lifepo4", resistance="1 Ω")
    looked = look(kit_of(KitPart(source=[source], load=[LoadPart(name="pump", power="60 W")], day=DayPart(starts="08:00"))))
    assert sentence(looked) == "It does not run: more is asked of Pack than it carries."
    assert sum(wh for _, wh in looked.lost) <= 88 * 12.9


def test_just_beside_it_is_not_remarked_on():
    """64 Wh at 288 W last 800 s, over twelve minutes; a way with a window takes both volts, and a load behind it sees neither."""
    gentle = kit(**{SOURCE: "Pack 5 Ah 12.8 V label", WAY: "inverter 88 %", LOAD: "kettle 288 W"})
    assert not any("drawn on so hard" in text for text in gentle.remarks)
    two = kit(
        more=[(SOURCE, "Other 100 Ah 25.6 V LiFePO4 label")],
        **{SOURCE: "Pack 100 Ah 12.8 V LiFePO4 label", WAY: "step-down 88 %, window 10-32 V", LOAD: "pump 60 W"},
    )
    assert not any("may not stand the other" in text for text in two.remarks)


def test_a_small_store_may_well_be_empty_at_once():
    look(kit(**{SOURCE: "Bank 0.01 Ah 5 V label", WAY: "step-down 88 %", LOAD: "lamp 3 W"}))  # a minute


def test_volts_before_ampere_hours_are_no_name():
    """As people write it: 12 V 70 Ah."""
    made = kit(**{SOURCE: "Van 12 V 70 Ah lead-acid label"})
    assert (made.sources[0].name, made.sources[0].energy_wh) == ("Van", pytest.approx(840))


def test_a_day_of_watt_hours_is_watts_on_average():
    for text in ("fridge 0.9 kWh a day", "fridge 0,9 kWh per day", "fridge 900 Wh a day"):
        assert kit(**{LOAD: text}).loads[0].drawn.value == pytest.approx(37.5)
        assert kit(**{LOAD: text}).loads[0].name == "fridge"
    spread = kit(**{LOAD: "fridge 0.8..1.0 kWh a day"}).loads[0].drawn
    assert (spread.low, spread.high) == (pytest.approx(33.33, abs=0.01), pytest.approx(41.67, abs=0.01))


@pytest.mark.parametrize("text", ["heater 5 Ω", "pc 300 VA", "pump 1 hp"])
def test_what_is_no_watts_says_what_to_write(text):
    with pytest.raises(KitError, match=f"is not what it draws: write watts, like “{text.split()[0]} 58 W”"):
        kit(**{LOAD: text})


def test_in_the_window_no_table_and_no_key_of_a_file_is_said():
    with pytest.raises(KitError) as error:
        kit(**{SOURCE: "Pack 640 Wh, usable 80 Wh"})
    assert in_the_window(error.value) == "Pack, usable: “80 Wh” is in Wh, and a value in % belongs here."
    with pytest.raises(KitError) as error:
        kit(**{LOAD: "fridge"})
    assert in_the_window(error.value) == "fridge, power: say what it draws, like “58 W”."


@pytest.mark.parametrize("text", ["3 x lamp 5 W", "lamp 3 × 5 W", "lamp 3 x 5.0 W"])
def test_so_many_of_one_are_so_many_times_its_watts(text):
    """Three lamps were taken for one."""
    assert kit(**{LOAD: text}).loads[0].drawn.value == 15
    assert kit(**{LOAD: "lamp 2 5 W"}).loads[0].drawn.value == 5, "a lamp that is called 2"
    assert kit(**{LOAD: "2 x lamp 5 ± 0.5 W"}).loads[0].drawn.u == pytest.approx(2 * kit(**{LOAD: "lamp 5 ± 0.5 W"}).loads[0].drawn.u)


def test_a_panel_gives_nothing_by_night():
    """60 W for ever carried a lamp for ever."""
    for text in ("panel 60 W", "roof panel 60 W 00:00 to 24:00", "solar 60 W"):
        with pytest.raises(KitError, match="by day and by night as it is written"):
            kit(more=[(INPUT, text)])
    assert any("a panel rises and falls" in text for text in kit(more=[(INPUT, "panel 60 W 08:00 to 18:00")]).remarks)
    assert not any("rises and falls" in text for text in kit(more=[(INPUT, "panel 60 W sun 08:00 to 18:00")]).remarks)
    assert not any("rises and falls" in text for text in kit(more=[(INPUT, "charger 60 W 08:00 to 18:00")]).remarks)


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ([(SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"), (LOAD, "fridge 230 V 90 W, straight")], "fridge takes 230 V, and Pack has 12.8 V"),
        ([(SOURCE, "Pack 50 Ah 25.6 V LiFePO4 label"), (LOAD, "fridge 4 A, at 12 V, straight")], "fridge takes 12 V, and Pack has 25.6 V"),
        ([(SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"), (WAY, "inverter 88 %, cut-off 1.05 V"), (LOAD, "lamp 20 W")], "goes off at 1.05 V"),
        ([(SOURCE, "Pack 20 Ah 12.8 V label"), (LOAD, "lamp 20 W"), (INPUT, "charger 2000 W")], "few batteries may be charged so fast"),
        ([(SOURCE, "Bank 20000 Ah 3.7 V label"), (LOAD, "lamp 3 W")], "was 20000 mAh meant"),
    ],
)
def test_what_does_not_go_together_is_remarked_on(rows, says):
    assert any(says in text for text in kit_of(kit_part_of(rows, "17:00")).remarks)


def test_what_goes_together_is_not():
    rows = [
        (SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label"),
        (WAY, "inverter 88 %, cut-off 10.5 V"),
        (LOAD, "lamp 12 V 20 W, straight"),
        (INPUT, "charger 150 W"),
    ]
    assert kit_of(kit_part_of(rows, "17:00")).remarks == ()
