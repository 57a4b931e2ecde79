"""Lines that boards print."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.equipment.line_pattern import LinePattern, PatternError


@pytest.mark.parametrize(
    ("pattern", "line", "values"),
    [
        ("2 V, 3 mA", "1234,12.91,4100", {"V": 12.91, "A": 4.1}),
        ("1 V 2 A".replace(" 2", ", 2"), "12.9  4.1", {"V": 12.9, "A": 4.1}),
        ("header", "V=12.9 A=4.1", {"V": 12.9, "A": 4.1}),
        ("header", "12.9 V; 4100 mA", {"V": 12.9, "A": 4.1}),
        ("header", "U: 3, V: 12.9", {"V": 12.9}),
        (r"bus (?P<V>\S+).*cur (?P<mA>\S+)", "bus 12.9 xx cur 410", {"V": 12.9, "A": 0.41}),
        ("2 V, 3 mA", "1234,12.9", None),
        ("2 V", "ms,V,mA", None),
        (r"(?P<V>\d+)", "nothing", None),
    ],
)
def test_reads(pattern, line, values):
    found = LinePattern(pattern).read(line)
    assert found == (pytest.approx(values) if values else None)


def test_goes_by_a_line_of_headings():
    pattern = LinePattern("header")
    assert pattern.read("ms,bus (V),current (mA)") is None
    assert pattern.read("1000,12.9,4100") == pytest.approx({"V": 12.9, "A": 4.1})
    assert pattern.read("10") is None  # half a line


@pytest.mark.parametrize("text", ["2 parsec", "V", "0 V", "(?P<V>[", r"(?P<speed>\d)"])
def test_refuses_what_it_cannot_use(text):
    with pytest.raises(PatternError):
        LinePattern(text)


@given(st.text(max_size=80))
def test_nonsense_is_no_reading_and_no_error(line):
    for pattern in ("header", "1 V, 2 A", r"(?P<V>\S+)"):
        LinePattern(pattern).read(line)
