"""Logs from elsewhere, in the dialects people have."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log


def read(tmp_path, text, columns=None, encoding="utf-8", name="log.csv"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode(encoding))
    return read_log(path, columns)


@pytest.mark.parametrize(
    "text",
    [
        "Time(s),Voltage (V),current/mA\n0,12.8,1500\n10,12.7,1500\n",
        "t [s];U [mV];I [A]\n0;12800;1,5\n10;12700;1,5\n",
        "elapsed_s\tvoltage_v\tcurrent_a\n0\t12.8\t1.5\n10\t12.7\t1.5\n",
        "timestamp,Battery Voltage (V),Current A\n2026-05-04T10:00:00,12.8,1.5\n2026-05-04T10:00:10,12.7,1.5\n",
        "Date;V;A\n2026-05-04 10:00:00,0;12,8;1,5\n2026-05-04 10:00:10,0;12,7;1,5\n",
        "time,u,i\n2026-05-04T10:00:00Z,12.8,1.5\n2026-05-04T10:00:10Z,12.7,1.5\n",
        "time,u,i\n2026-05-04T10:00:00+02:00,12.8,1.5\n2026-05-04T10:00:10+02:00,12.7,1.5\n",
        "Elapsed,Volts,Amps\n0:00:00,12.8,1.5\n0:00:10,12.7,1.5\n",
        "# made on the bench\n\nTime (min),Power (W),Voltage (V),Set current (A),Current (A)\n0,19,12.8,2,1.5\n0.16666666667,19,12.7,2,1.5\n",
        '"Time, s","Voltage, V","Current, A"\n"0","12.8","1.5"\n"10","12.7","1.5"\n',
        "Zeit (s);Spannung (V);Strom (A)\r\n0;12,8;1,5\r\n10;12,7;1,5\r\n",
        "Time(ms),Voltage(V),Current(A)\n0,12.8,1.5\n10000,12.7,1.5\n\n",
        "time,voltage,current\n1700000000,12.8,1.5\n1700000010,12.7,1.5\n",
    ],
)
def test_usual_dialects_say_the_same(tmp_path, text):
    log = read(tmp_path, text)
    assert log.time_s == pytest.approx([0, 10], abs=1e-6)
    assert log.voltage_v == pytest.approx([12.8, 12.7])
    assert log.current_a == pytest.approx([1.5, 1.5])


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "latin-1"])
def test_encodings(tmp_path, encoding):
    log = read(tmp_path, "Zeit (s);Spannung (V);Strom (A);Wärme\n0;12,8;1;ä\n10;12,7;1;ö\n", encoding=encoding)
    assert log.voltage_v == pytest.approx([12.8, 12.7])


def test_dates_give_the_start(tmp_path):
    log = read(tmp_path, "time,u,i\n2026-05-04T10:00:00+02:00,12.8,1\n2026-05-04T10:00:10+02:00,12.7,1\n")
    assert log.started.isoformat().startswith("2026-05-04T08:00:00")


def test_what_was_taken_for_granted_is_said(tmp_path):
    warnings = " ".join(read(tmp_path, "time,voltage,current\n0,12.8,1\n1,12.7,1\n1,12.6,1\n").warnings)
    assert "“voltage” has no unit: taken as V" in warnings
    assert "1 reading has the time of the next one" in warnings


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "log.csv is empty"),
        ("Time (s),Voltage (V),Current (A)\n0,12.8,1\n", "holds 1 reading: there is nothing to add up"),
        ("Time (s),Voltage (V),Current (A)\n0,12.8,1\n1,abc,1\n", r"log.csv, line 3, column 2 \(Voltage \(V\)\): “abc” is not a number"),
        ("Time (s),Voltage (V),Current (A)\n0,12.8,1\n\n1,,1\n", r"holds 1 reading: .*voltage: empty in line 4"),
        ("Time (s),Voltage (V),Current (A)\n0,12.8,1\n2,12,1\n1,12,1\n", "line 4, column 1 .* time goes back"),
        ("Time (s),Voltage (V),Current (A)\n0,12.8,nan\n", r"holds 0 readings: .*current: no number in line 2"),
        ("Time (s),Voltage (V),Current (A)\n0,,1\n1,,1\n2,,1\n3,,1\n4,12,1\n5,12,1\n", "line 2: more lines are no readings"),
        ("Time (s),Voltage (V),Current (A)\n0,12,8,1,0\n", "line 2: 5 cells under 3 headings"),
        ("Time (s),Voltage (V)\n0,12.8\n", "line 1: no column for current"),
        ("0,12.8,1\n1,12.7,1\n", "there are no column headings"),
        ("Time (s),Voltage (A),Current (A)\n0,12.8,1\n", r"column 2 \(Voltage \(A\)\): a voltage in A cannot be"),
        ("Time (s),Voltage (foo),Current (A)\n0,12.8,1\n", "“foo” is not a unit of voltage"),
        ("Time (s),V1 (V),V2 (V),I (A)\n0,1,2,3\n", "could all be the voltage"),
        ("Time (s),Voltage,Current\n0,12800,1\n1,12700,1\n", r"values up to 12800 and no unit"),
        (b"PK\x03\x04\0\0\0\0", "is not a text file"),
    ],
)
def test_refusals_name_the_place(tmp_path, text, says):
    with pytest.raises(LogError, match=says):
        read(tmp_path, text)


def test_a_missing_file_and_a_folder(tmp_path):
    with pytest.raises(LogError, match="does not exist"):
        read_log(tmp_path / "nothing.csv")
    with pytest.raises(LogError, match="is a folder"):
        read_log(tmp_path)


def test_columns_can_be_named(tmp_path):
    text = "a,b,c (mV),d\n1,2,3000,4\n2,2,3000,4\n"
    for columns in ("time=a,voltage=c,current=d", "time=1, voltage=3, current=4", "time=a,voltage=c (mV),current=d"):
        log = read(tmp_path, text, columns)
        assert (log.voltage_v[0], log.current_a[0]) == (3.0, 4.0)
    with pytest.raises(LogError, match="no column “z”"):
        read(tmp_path, text, "time=z")
    with pytest.raises(LogError, match="is not understood"):
        read(tmp_path, text, "speed=a")


numbers = st.lists(st.floats(-1e4, 1e4).map(lambda x: round(x, 3)), min_size=2, max_size=12)


@settings(max_examples=60, deadline=None)
@given(numbers, st.sampled_from([",", ";", "\t"]), st.booleans())
def test_fast_and_slow_reading_agree(tmp_path_factory, values, separator, comma):
    """The same numbers, plain for the fast reader and with a blank in the last line that only the slow one takes."""
    decimal = "," if comma and separator != "," else "."
    rows = [separator.join((str(k), f"{v:.3f}".replace(".", decimal), "1")) for k, v in enumerate(values)]
    head = separator.join(("Time (s)", "Voltage (V)", "Current (A)")) + "\n"
    folder = tmp_path_factory.mktemp("logs")
    plain = read(folder, head + "\n".join(rows) + "\n")
    odd = read(folder, head + "\n".join([*rows[:-1], rows[-1] + " "]) + "\n\n")
    assert np.allclose(plain.voltage_v, values)
    assert np.allclose(odd.voltage_v, values)
