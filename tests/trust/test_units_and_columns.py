"""Wrong units, swapped columns, meters on another range: named with the likeliest slip, mended with one flag."""

from __future__ import annotations

import pytest

from tests.trust.making import HEAD, discharge, judged, refused, value, word

BODY = discharge()


@pytest.mark.parametrize(
    ("factor", "head", "slip", "mend"),
    [(1 / 60, "time,V,A", "are the times minutes?", "time in min"), (1 / 3600, "time,V,A", "are the times hours?", "time in h")],
)
def test_times_in_another_unit_are_asked_about_and_mended(tmp_path, factor, head, slip, mend):
    rows = [(t * factor, v, a) for t, v, a in BODY]
    found = judged(tmp_path, rows, head=head)
    assert word(found) == "cannot tell"
    assert slip in found["sentence"]
    assert mend in found["verdict"]["settle"]
    assert value(judged(tmp_path, rows, "--columns", mend, head=head), "charge") == pytest.approx(50.0, abs=0.5)


@pytest.mark.parametrize("head", ["millis,V,A", "ms,V,A", "time (ms),V,A", "timestamp_ms,V,A"])
def test_milliseconds_that_say_so_are_read(tmp_path, head):
    assert value(judged(tmp_path, [(1000 * t, v, a) for t, v, a in BODY], head=head), "charge") == pytest.approx(50.0, abs=0.5)


def test_milliamperes_under_amperes(tmp_path):
    rows = [(t, v, 1000 * a) for t, v, a in BODY]
    found = judged(tmp_path, rows)
    assert (word(found), "are the amperes milliamperes?" in found["sentence"]) == ("cannot tell", True)
    assert value(judged(tmp_path, rows, "--columns", "current in mA"), "charge") == pytest.approx(50.0, abs=0.5)


def test_watts_under_amperes(tmp_path):
    found = judged(tmp_path, [(t, v, v * a) for t, v, a in BODY])
    assert (word(found), "are the amperes watts?" in found["sentence"]) == ("cannot tell", True)


def test_millivolts_under_volts(tmp_path):
    rows = [(t, 1000 * v, a) for t, v, a in BODY]
    assert "are the volts millivolts?" in refused(tmp_path, rows, "--cutoff", "11 V")
    assert value(judged(tmp_path, rows, "--columns", "voltage in mV"), "energy") == pytest.approx(638, abs=8)


@pytest.mark.parametrize("amps", [0.5, 3.0, 10.0, 20.0])
def test_swapped_columns(tmp_path, amps):
    rows = discharge(amps=amps, every=600.0 / amps)
    assert "seem to be swapped" in refused(tmp_path, [(t, a, v) for t, v, a in rows], "--cutoff", "11 V")


@pytest.mark.parametrize(
    ("factor", "says"), [(0.5, "close to half"), (2.0, "close to twice"), (1 / 3, "close to a third"), (3.0, "close to three times")]
)
def test_a_simple_fraction_of_the_label_is_asked_about_once(tmp_path, factor, says):
    rows = [(t, v, a * factor) for t, v, a in discharge(ah=50.96)]
    found = judged(tmp_path, rows)
    assert (word(found), says in found["sentence"]) == ("cannot tell", True)
    assert word(judged(tmp_path, rows, "--checked", "share")) != "cannot tell"


def test_some_cells_do_hold_a_tenth_of_their_label(tmp_path):
    rows = discharge(ah=51.0, amps=10.0)
    found = judged(tmp_path, rows, label="1200 Ah 12.8 V LiFePO4")
    assert (word(found), "is the label wrong" in found["sentence"]) == ("cannot tell", True)
    assert word(judged(tmp_path, rows, "--checked", "share", label="1200 Ah 12.8 V LiFePO4")) in {"spent", "not like for like"}


@pytest.mark.parametrize("factor", [0.1, 0.0999, 0.0])
def test_a_meter_left_on_another_range_for_a_while(tmp_path, factor):
    rows = [(t, v, a * factor if 7000 < t < 9000 else a) for t, v, a in BODY]
    found = judged(tmp_path, rows)
    assert word(found) == "cannot tell"
    assert "the voltage does not move" in found["sentence"]


@pytest.mark.parametrize(("from_s", "to_s"), [(3000, 9000), (0, 6000)])
def test_a_voltmeter_that_was_held(tmp_path, from_s, to_s):
    """In the middle of the run, or from its first reading on."""
    rows = [(t, 12.987 if from_s < t < to_s else v + 0.001 * (k % 7), a) for k, (t, v, a) in enumerate(BODY)]
    found = judged(tmp_path, rows)
    assert (word(found), "was its display held" in found["sentence"]) == ("cannot tell", True)


def test_watts_that_are_not_volts_times_amperes(tmp_path):
    found = judged(tmp_path, [(t, v, a, 2 * v * a) for t, v, a in BODY], head=f"{HEAD},power (W)")
    assert (word(found), "2 times volts × amperes" in found["sentence"]) == ("cannot tell", True)
    assert (
        word(judged(tmp_path, [(t, v, a, v * a) for t, v, a in BODY], head=f"{HEAD},power (W)", label="45 Ah 12.8 V LiFePO4"))
        != "cannot tell"
    )


def test_a_counter_that_says_otherwise(tmp_path):
    counted = [(t, v, a, max(t - 600, 0) / 3600 * a / 2) for t, v, a in BODY]
    found = judged(tmp_path, counted, head=f"{HEAD},charge (Ah)")
    assert (word(found), "the readings add up to" in found["sentence"]) == ("cannot tell", True)
