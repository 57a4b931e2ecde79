"""Heat and drop in a pair of leads, by I²·R with the resistances of IEC 60228 (class 5, from memory), and what is said of it before a test."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.making import METER, prepared
from ubrant.core.equipment.leads import Leads, heat_in, warmer_by
from ubrant.core.equipment.unit import Unit
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import method_of

PACK = Unit("Pack", "battery", "12.8 V 100 Ah LiFePO4")


def test_what_a_current_does_in_copper():
    """1.5 m of 4 mm², there and back: 3 m × 4.95 mΩ/m = 14.85 mΩ; 100 A drop 1.485 V and burn 148.5 W."""
    found = heat_in(Leads(1.5, 4.0), 100.0, 12.8)
    assert "drop 1.5 V and turn 149 W into heat: for hours their insulation does not stand that" in found.sentence
    assert found.melts
    assert found.sentence.endswith("Take 25 mm².")


@pytest.mark.parametrize(("area", "amps"), [(1.5, 18.0), (2.5, 25.0), (4.0, 33.0), (10.0, 60.0), (35.0, 150.0)])
def test_what_a_wire_carries_in_free_air(area, amps):
    """A single insulated copper wire in air is about 40 °C over the room at its usual rating. Common practice, no source: ± a fifth of the amperes."""
    assert warmer_by(0.8 * amps, area) < 40 < warmer_by(1.2 * amps, area)


def test_what_is_hot_and_what_is_only_much_of_its_volts():
    """10 A in 1.5 mm² drop 0.4 V in 1.5 m, and over 5 m 1.3 V of 12."""
    assert heat_in(Leads(1.5, 1.5), 10.0, 12.0) is None
    long = heat_in(Leads(5.0, 1.5), 10.0, 12.0)
    assert "that is much of its volts" in long.sentence
    assert not long.melts
    warm = heat_in(Leads(0.3, 2.5), 32.0, 48.0)
    assert "they get hot, some 70 °C over the room. Take 4 mm²." in warm.sentence
    assert not warm.melts
    assert heat_in(Leads(0.0, 2.5), 300.0, 12.0) is None


def problems(key: str, leads: Leads, **fields):
    made = prepared(key, *fields.pop("things"), **fields)
    return method_of(key).problems(replace(made, setup=replace(made.setup, leads=leads)), LoadRating())


def test_hours_at_what_melts_them_are_refused():
    found = problems("discharge", Leads(1.5, 1.5), things=(PACK, (METER,)), load="50 A", cutoff="11 V")
    assert any(p.refused and "their insulation does not stand that. Take 10 mm²." in p.text for p in found)
    assert not any(
        "leads (" in p.text for p in problems("discharge", Leads(1.5, 16.0), things=(PACK, (METER,)), load="50 A", cutoff="11 V")
    )


BIG = Unit("Big", "inverter", "12 V to 230 V sine, 2000 W")


def test_what_gives_up_first_is_said_before_the_load_is_stepped():
    """A fuse of 100 A: 100 A × 0.85 × 0.9 × 12 V = 918 W, under the 2000 W of the inverter; a battery of 60 A comes before both."""
    weak = replace(PACK, max_current_a=60.0)
    texts = [
        p.text for p in problems("steps", Leads(1.5, 4.0), things=(BIG, (METER, METER), weak), loads="0, 500, 1500 W", ratings="fuse 100 A")
    ]
    first = next(text for text in texts if text.startswith("What gives up first"))
    assert first.startswith(
        "What gives up first as the load rises: the most Pack may give at about 551 W, fuse at about 918 W, the rating of Big at about 2000 W."
    )
    assert "At about 163 A in the lead, fuse opens after 0.2 s to 40 s, as is usual for a blade fuse by ISO 8820-3." in first
    assert any("leads (2 × 1.5 m · 4 mm²) drop 2.4 V and turn 396 W into heat" in text for text in texts), (
        "1 500 W at 12 V on 4 mm² is said"
    )
    quiet = problems("steps", Leads(0.5, 35.0), things=(BIG, (METER, METER), PACK), loads="0, 100, 200 W")
    assert not any("gives up first" in p.text or "leads (" in p.text for p in quiet)
