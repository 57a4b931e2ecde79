"""The jot line's grammar and jot text."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.quantities.jot import Grammar, JotError, parse_jot
from ubrant.core.record.jot_text import JotTextError, TimedLine, is_jot_text, line_of, read_jot_text, write_jot_text
from ubrant.core.record.typed import columns_of_lines

EXPECTED = Grammar(expected={("battery", "V"): 12.9, ("battery", "A"): 4.1})


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("12.94 V 4.1 A", "12.94 V · 4.1 A"),
        ("12,94 V 4,1 A", "12.94 V · 4.1 A"),
        ("12940 mV, 4100mA", "12.94 V · 4.1 A"),
        ("source 12.61 V", "source 12.61 V"),
        ("src 12.61V", "source 12.61 V"),
        ("9.3 A dc 231 V ac", "dc 9.3 A · ac 231 V"),
        ("bank 38 %", "bank 38 %"),
        ("0.207 kWh", "207 Wh"),
        ("temp 41 C", "battery 41 °C"),
        ("41 °C", "41 °C"),
        ("400..500 W", "400 to 500 W"),
        ("cells 3.21 3.22 3.18", "cell 1 3.21 V · cell 2 3.22 V · cell 3 3.18 V"),
        ("~43 A", "about 43 A"),
        ("peak 610 W", "at most 610 W"),
        ("<0.1 A", "below 0.1 A"),
        ("3 of 4 lamps", "3 lamps"),
        ("full", "full"),
        ("empty", "empty"),
        ("load on 4.1 A", "4.1 A · load on"),
        ("-5min 12.5 V", "5 min ago: 12.5 V"),
        ("-1h20min 12.5 V", "80 min ago: 12.5 V"),
        ("@14:32 12.9", "at 14:32: battery 12.9 V"),
        ("+1:20 12.1 V", "80 min after the start: 12.1 V"),
        ("+90min 12.1 V", "90 min after the start: 12.1 V"),
        ("look in again in 20 min", "a reminder in 20 min"),
        ("fix 12.49 V", "instead of the last entry: 12.49 V"),
        ("12.9 V, 4.1 A; fan on", "12.9 V · 4.1 A · note “fan on”"),
        ("battery 12.9 V 4.1 A load 12.7 V", "battery 12.9 V · battery 4.1 A · load 12.7 V"),
        ("50 Hz 120 VA", "50 Hz · 120 VA"),
        ("1 234 Wh", "1234 Wh"),
        ("-4.1 A", "−4.1 A"),
    ],
)
def test_says_what_it_understood(line, says):
    assert EXPECTED.parse(line).understood() == says


@pytest.mark.parametrize(
    "line", ["case warm", '"a note"', "fan at 12 V now", "2 fans on", "24 h later", "temp of the case is ok", "-5min fan started"]
)
def test_a_note_stays_a_note(line):
    found = parse_jot(line)
    assert (found.readings, found.mark, found.understood()) == ((), "", "")
    assert found.text == line.removeprefix("-5min ").strip('"')


def test_nothing_is_nothing():
    assert parse_jot("  ") is None
    assert parse_jot("-5min") is None


@pytest.mark.parametrize(("line", "says"), [("77", "77 of what"), ("@25:10 12 V", "no time of day"), ("500..400 W", "smaller one first")])
def test_refuses_with_what_to_write(line, says):
    with pytest.raises(JotError, match=says):
        EXPECTED.parse(line)


@pytest.mark.parametrize(
    ("line", "asks"),
    [
        ("12940 V", "a factor of 1000 away. Did you mean 12"),
        ("-4.1 A", "with that sign"),
        ("4.1 V", "Is the unit right"),
        ("12.9 A", "Is the unit right"),
        ("129 V", "far from what was expected"),
        ("bank 138 %", "outside 0 to 100"),
    ],
)
def test_slips_are_queried(line, asks):
    assert asks in " ".join(EXPECTED.queries(EXPECTED.parse(line)))


@pytest.mark.parametrize("line", ["12.1 V 4.0 A", "~4 A", "peak 61 A", "0 A"])
def test_what_may_well_be_is_not_queried(line):
    assert not [q for q in EXPECTED.queries(EXPECTED.parse(line)) if "sign" in q or "1000" in q]


def test_the_last_digit_is_the_width():
    volts, amps = parse_jot("12.94 V 4.1 A").readings
    assert (volts.half_width, amps.half_width) == pytest.approx((0.005, 0.05))
    (about,) = parse_jot("400..500 W").readings
    assert (about.value, about.half_width) == (450, 50)
    (below,) = parse_jot("<0.1 A").readings
    assert (below.value, below.half_width) == (0.05, 0.05)


TEXT = """unit: Dome pack A
label: 50 Ah 12.8 V LiFePO4
started: 2026-10-17 22:10

@22:10 13.34 V
@22:12 load on 13.1 V 10.0 A
@23:50 12.9 V 10.0 A fan on
@00:30 12,5 V
fix 12.6 V 9.98 A
-5min "case warm"
@02:11 10.98 V 10.0 A empty
"""


def test_jot_text_runs_on_over_midnight_and_takes_corrections():
    found = read_jot_text(TEXT)
    assert [e.time_s for e in found.entries] == [0, 120, 6000, 8100, 8400, 14460]
    typed = columns_of_lines(found.entries)
    assert list(typed.at("battery", "V").value) == [13.34, 13.1, 12.9, 12.6, 10.98]
    assert typed.marks == ((120.0, "load on"), (14460.0, "empty"))


def test_jot_text_there_and_back():
    one = read_jot_text(TEXT)
    other = read_jot_text(write_jot_text(one.head, one.started, one.entries))
    assert other.head == one.head | {"started": "2026-10-17 22:10:00"}
    for a, b in zip(one.entries, other.entries, strict=True):
        assert (a.time_s, set(a.jotting.readings), a.jotting.mark, a.jotting.text) == (
            b.time_s,
            set(b.jotting.readings),
            b.jotting.mark,
            b.jotting.text,
        )


@given(st.text(max_size=60))
def test_any_line_is_taken_or_refused_in_a_sentence(line):
    try:
        found = EXPECTED.parse(line)
    except (JotError, ValueError) as error:
        assert str(error)
        return
    if found is not None and found.readings:
        again = Grammar().parse(line_of(found))
        assert [r.quantity for r in again.readings] == [r.quantity for r in found.readings]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("# nothing\n", "holds no reading"),
        ("@10:00 12 V\n@10:61 12 V\n", "line 2: .*no time of day"),
        ("fix 12 V\n", "line 1: there is no entry before"),
        ("started: soon\n", "line 1: “soon” is no date"),
    ],
)
def test_jot_text_is_refused_by_line(text, says):
    with pytest.raises(JotTextError, match=says):
        read_jot_text(text, "notes.txt")


def test_tells_jot_text_from_a_log():
    assert is_jot_text(TEXT)
    assert is_jot_text("@10:00 12.9 V 4 A\n@10:20 12.8 V 4 A\n")
    assert not is_jot_text("Time (s),Voltage (V),Current (A)\n0,12,1\n1,12,1\n")
    assert isinstance(read_jot_text("@10:00 12.9 V").entries[0], TimedLine)


@pytest.mark.parametrize(
    ("line", "asked"),
    [
        ("output 5.O7 V 1.00 A", "5.O7"),
        ("12.4O V", "12.4O"),
        ("1O A", "1O"),
        ("load on 5.07 V 1l A", "1l"),
        ("2 fans on", ""),
        ("a roll of 10 fuses", ""),
        ("4 Ohm on it", ""),
        ("5.07 V 1.00 A warm", ""),
    ],
)
def test_a_letter_for_a_figure_is_asked_about(line, asked):
    """With what is expected near, too: 5.O7 is no 5. A file says so by its line."""
    grammar = Grammar(expected={("output", "V"): 5.07, ("output", "A"): 1.0})
    found = grammar.parse(line)
    assert (not asked) == (not [q for q in grammar.queries(found) if "was a letter typed for a figure" in q])
    assert not asked or grammar.queries(found)[0].startswith(f"“{asked}” is no number")
    assert 5.0 not in [r.value for r in found.readings]
    if asked:
        assert read_jot_text(f"@10:00 {line}\n").warnings[0].startswith(f"Line 1: “{asked}” is no number")
