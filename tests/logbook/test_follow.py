"""A log that is still being written, and logs that are no text."""

from __future__ import annotations

import json
from datetime import datetime, timedelta

import numpy as np
import openpyxl
import polars as pl
import pytest

from ubrant.logbook.logs.follow import FollowedLog
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log, read_logs


def test_what_is_new_is_handed_out_once(tmp_path):
    path = tmp_path / "growing.csv"
    followed = FollowedLog(path)
    with pytest.raises(LogError, match="is not there"):
        followed.more()
    path.write_text("Time (s),Voltage (V),Current (A)\n")
    assert followed.more() == []
    with path.open("a") as file:
        file.write("0,12.9,1\n1,12.8,1\n2,12.")
    first = followed.more()
    assert [(q, v, t) for _, q, v, t in first] == [("V", 12.9, 0.0), ("A", 1.0, 0.0), ("V", 12.8, 1.0), ("A", 1.0, 1.0)]
    with path.open("a") as file:
        file.write("7,1.1\n3,12.6,1.2\n")
    assert [(q, v) for _, q, v, _ in followed.more()] == [("V", 12.7), ("A", 1.1), ("V", 12.6), ("A", 1.2)]
    assert followed.more() == []


ROWS = [(0.0, 12.9, 1.5), (10.0, 12.8, 1.4), (20.0, 12.7, 1.3)]


def test_workbook_parquet_and_json_lines_say_the_same(tmp_path):
    book = openpyxl.Workbook()
    page = book.active
    page.append(["made on the bench"])
    page.append(["Time", "Voltage (V)", "Current (A)"])
    for t, v, a in ROWS:
        page.append([datetime(2026, 5, 1, 8) + timedelta(seconds=t), v, a])
    book.save(tmp_path / "log.xlsx")
    pl.DataFrame(ROWS, schema=["time / s", "voltage / V", "current / A"], orient="row").write_parquet(tmp_path / "log.parquet")
    (tmp_path / "log.jsonl").write_text("\n".join(json.dumps({"t (s)": t, "battery": {"V": v, "A": a}}) for t, v, a in ROWS))
    for name in ("log.xlsx", "log.parquet", "log.jsonl"):
        log = read_log(tmp_path / name)
        assert log.time_s == pytest.approx([0, 10, 20]), name
        assert log.voltage_v == pytest.approx([12.9, 12.8, 12.7])
        assert log.current_a == pytest.approx([1.5, 1.4, 1.3])


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("a.xlsx", b"PK\x03\x04", "not a workbook"),
        ("a.parquet", b"nothing", "not a Parquet"),
        ("a.jsonl", b'{"a": 1}\nnope', "line 2: this is no JSON"),
    ],
)
def test_broken_ones_are_refused(tmp_path, name, content, says):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(LogError, match=says):
        read_log(tmp_path / name)


def test_several_runs_in_one_file(tmp_path):
    path = tmp_path / "two.csv"
    path.write_text("Time (s),Voltage (V),Current (A)\n0,12.9,1\n1,12.8,1\n2,12.7,1\n0,12.5,2\n1,12.4,2\n")
    assert [len(log.time_s) for log in read_logs(path)] == [3, 2]
    with pytest.raises(LogError, match=r"holds 2 runs: 1 \(lines 2 to 4\), 2 \(lines 5 to 6\)\. Say which, with --run 1"):
        read_log(path)
    path.write_text("Cycle,Time (s),Voltage (V),Current (A)\n1,0,12.9,1\n1,1,12.8,1\n2,2,12.5,2\n2,3,12.4,2\n")
    assert [log.run_name for log in read_logs(path)] == ["run 1", "run 2"]
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t},12,1\n" for t in (0, 10, 20, 9000, 9010, 9020)))
    assert len(read_logs(path)) == 1
    assert len(read_logs(path, split_gaps=True)) == 2


@pytest.mark.parametrize(
    ("stamps", "says"),
    [
        (("02:59:50", "02:59:55", "02:00:00", "02:00:05"), "The clock went back by an hour"),
        (("01:59:50", "01:59:55", "03:00:00", "03:00:05"), "The clock went on by an hour"),
    ],
)
def test_a_change_to_or_from_summer_time(tmp_path, stamps, says):
    path = tmp_path / "clock.csv"
    path.write_text("Time,Voltage (V),Current (A)\n" + "".join(f"{s},12,1\n" for s in stamps))
    log = read_log(path)
    assert np.diff(log.time_s) == pytest.approx([5, 5, 5])
    assert says in " ".join(log.warnings)


def test_what_was_left_out_is_listed_by_line(tmp_path):
    path = tmp_path / "holes.csv"
    path.write_text("Time (s),Voltage (V),Current (A)\n0,12,1\n1,OL,1\n2,,1\n3,12,1\n4,12,---\n5,12,1\n6,12,1\n")
    log = read_log(path)
    assert [(o.line, o.why) for o in log.left_out] == [
        (3, "voltage: over the meter's range"),
        (4, "voltage: empty"),
        (6, "current: no number"),
    ]
    assert log.left_out_sentence().startswith("3 lines were left out: line 3 (voltage: over the meter's range); line 4")


def test_several_taps_and_counters_in_one_file(tmp_path):
    path = tmp_path / "taps.csv"
    path.write_text(
        "time / s,battery voltage / V,battery current / A,load voltage / V,load current / A,Capacity (Ah),cell 1 voltage / V,temperature (C)\n"
        "0,12.9,1,12.8,1,0,3.3,20\n10,12.8,1,12.7,1,0.003,3.2,21\n"
    )
    log = read_log(path)
    assert set(log.others) == {("load", "V"), ("load", "A"), ("battery", "Ah"), ("cell 1", "V"), ("battery", "°C")}


def test_power_stands_in_for_current(tmp_path):
    path = tmp_path / "power.csv"
    path.write_text("Time (s),Voltage (V),Power (W)\n0,12,24\n10,12,12\n")
    log = read_log(path)
    assert list(log.current_a) == [2, 1]
    assert "worked out from power" in " ".join(log.warnings)
