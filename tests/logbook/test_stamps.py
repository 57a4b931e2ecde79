"""Times as people and boards write them: counts from 1970 in any part of a second, dates in either order, clocks that are changed."""

from __future__ import annotations

import pytest

from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log

START = 1_760_000_000


def log(tmp_path, times, heading="time"):
    path = tmp_path / "log.csv"
    path.write_text(f"{heading},V,A\n" + "".join(f"{t},{13 - k / 100:.2f},5.0\n" for k, t in enumerate(times)), "utf-8")
    return read_log(path)


@pytest.mark.parametrize("heading", ["time", "time ({})"])
@pytest.mark.parametrize(("unit", "parts"), [("s", 1), ("ms", 10**3), ("us", 10**6), ("ns", 10**9)])
def test_counts_from_1970(tmp_path, heading, unit, parts):
    made = log(tmp_path, [(START + 60 * k) * parts for k in range(20)], heading.format(unit))
    assert made.started.isoformat() == "2025-10-09T08:53:20+00:00"
    assert (made.time_s[0], made.time_s[-1]) == (0.0, pytest.approx(1140.0, abs=1e-3))
    assert bool(made.warnings) == (parts > 1 and heading == "time")


@pytest.mark.parametrize(
    ("heading", "step", "seconds"),
    [
        ("millis", 60_000, 60.0),
        ("ms", 500, 0.5),
        ("micros", 10**6, 1.0),
        ("milliseconds", 1000, 1.0),
        ("minutes", 1, 60.0),
        ("hours", 0.25, 900.0),
    ],
)
def test_a_heading_that_is_a_unit(tmp_path, heading, step, seconds):
    made = log(tmp_path, [step * k for k in range(20)], heading)
    assert made.time_s[-1] == pytest.approx(19 * seconds)
    assert made.warnings == ()


@pytest.mark.parametrize("step", [500, 1000, 5000, 60_000, 3_600_000])
def test_a_count_without_a_unit_that_may_be_milliseconds_is_asked_about(tmp_path, step):
    with pytest.raises(LogError, match=r"Are these milliseconds\? Write the unit into the heading, like “time \(ms\)”"):
        log(tmp_path, [step * k for k in range(20)])


@pytest.mark.parametrize("step", [1, 10, 60, 300, 600, 900, 1800, 3600])
def test_steps_that_people_set_are_seconds(tmp_path, step):
    made = log(tmp_path, [step * k for k in range(20)])
    assert made.time_s[-1] == 19 * step
    assert made.warnings == ("“time” has no unit: taken as seconds.",)


@pytest.mark.parametrize(
    ("times", "says"),
    [
        ([f"{k}e-300" for k in range(20)], "no meter reads so fast"),
        ([f"1e{300 + k}" for k in range(8)], "is no date that can be"),
        ([f"13/0{k}/2026 08:00" for k in range(1, 4)] + [f"0{k}/13/2026 08:00" for k in range(4, 6)], "in some dates the day comes first"),
        (["01/02/2026 08:00", "03/04/2026 08:00", "05/06/2026 08:00"], "whether day or month comes first cannot be told"),
    ],
)
def test_times_that_cannot_be_or_be_told_are_refused(tmp_path, times, says):
    with pytest.raises(LogError, match=says):
        log(tmp_path, times, "time (s)" if "e" in times[0] else "stamp")


@pytest.mark.parametrize(
    ("dates", "first", "says"),
    [
        ([f"{d}/10/2026" for d in (11, 12, 13, 14)], "2026-10-11", ""),
        ([f"10/{d}/2026" for d in (11, 12, 13, 14)], "2026-10-11", ""),
        (["03/04/2026"] * 4, "2026-04-03", "3/4/2026 can be read in two ways"),
        ([f"{d:02}/04/2026" for d in (3, 4, 5, 6)], "2026-04-03", "the day was taken to come first"),
        ([f"04/{d:02}/2026" for d in (3, 4, 5, 6)], "2026-04-03", "the month was taken to come first"),
        ([f"0{d}/0{d}/2026" for d in (3,)] * 4, "2026-03-03", ""),
    ],
)
def test_the_whole_column_decides_which_comes_first(tmp_path, dates, first, says):
    made = log(tmp_path, [f"{d} 08:{k:02}:00" for k, d in enumerate(dates)], "stamp")
    assert str(made.started)[:10] == first
    assert any(says in w for w in made.warnings) if says else made.warnings == ()


def stamps(day: str, hours, minutes=(0, 10, 20, 30, 40, 50)):
    return [f"{day} {h:02}:{m:02}:00" for h in hours for m in minutes]


@pytest.mark.parametrize(
    ("times", "span_h", "says"),
    [
        (stamps("2026-10-25", (0, 1, 2, 2, 3, 4)), 5 + 50 / 60, "went back by an hour"),
        (stamps("2026-10-24", (22, 23)) + stamps("2026-10-25", (0, 1, 2, 2, 3)), 6 + 50 / 60, "went back by an hour"),
        (stamps("2026-03-29", (0, 1, 3, 4)), 3 + 50 / 60, "went on by an hour"),
        (stamps("2026-03-28", (21, 22, 23)) + stamps("2026-03-29", (0, 1, 3, 4)), 6 + 50 / 60, "went on by an hour"),
        (stamps("2026-03-28", (5, 6, 8, 9)), 4 + 50 / 60, ""),
        (stamps("2026-06-10", (0, 1, 3, 4)), 4 + 50 / 60, ""),
        (stamps("2026-03-29", (10, 11, 13, 14)), 4 + 50 / 60, ""),
    ],
    ids=[
        "autumn",
        "autumn from the evening on",
        "spring",
        "spring from the evening on",
        "a gap in the morning",
        "a gap in June",
        "a break at noon",
    ],
)
def test_an_hour_that_is_there_twice_or_not_at_all(tmp_path, times, span_h, says):
    made = log(tmp_path, times, "stamp")
    assert made.time_s[-1] == pytest.approx(3600 * span_h)
    assert any(says in w for w in made.warnings) if says else made.warnings == ()


@pytest.mark.parametrize("year", ["0001", "9999"])
def test_the_ends_of_the_calendar(tmp_path, year):
    made = log(tmp_path, [f"{year}-06-01 08:{k:02}:00" for k in range(20)], "stamp")
    assert made.time_s[-1] == 1140.0
