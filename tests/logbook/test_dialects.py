"""3 000 logs as programs write them, some broken at random: each gives the right numbers or is refused with its place."""

from __future__ import annotations

import os
import random
import re
import secrets
import time
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_logs

PARTS, EACH = 6, 500
AT_RANDOM = "UBRANT_FUZZ" in os.environ
"""Other files each time; without it the same ones, so that a change is what makes a test fail."""
PREAMBLE = ("Bench logger 2\nSerial: 0042; mode CC\n\n", "# exported by the bench\n# do not edit\n", "Recorded data\n\n", "")
NO_READING = ("", "---", "OL", "NaN", "n/a")


@dataclass(frozen=True)
class Written:
    """A log as bytes, and what is really in it."""

    data: bytes
    time_s: tuple[float, ...]
    volts: tuple[float, ...]
    amps: tuple[float, ...]
    left_out: int
    what: str


def thousands(text: str, mark: str, decimal: str) -> str:
    whole, _, fraction = text.partition(".")
    sign = "-" if whole.startswith("-") else ""
    whole = f"{int(whole.lstrip('-')):,}".replace(",", mark)
    return sign + whole + (decimal + fraction if fraction else "")


@st.composite
def logs(draw) -> Written:
    """Time, volts and amperes in one of the dialects that people have."""
    separator = draw(st.sampled_from([",", ";", "\t", "|"]))
    decimal = draw(st.sampled_from([".", ","])) if separator != "," else "."
    milli = draw(st.booleans())
    mark = draw(st.sampled_from(["", "", "'", " ", "." if decimal == "," else "'"])) if milli else ""
    style = draw(st.sampled_from(["s", "ms", "min", "h:mm:ss", "clock", "iso", "iso zone", "d.m.y", "two columns"]))
    where_units = draw(st.sampled_from(["heading", "bracket", "line", "cell", "slash"]))
    count = draw(st.integers(3, 14))
    every_s = draw(st.sampled_from([1, 5, 10, 60]))
    start = datetime(2026, 3, 28, draw(st.sampled_from([9, 23])), 59, 30)
    values = random.Random(draw(st.integers(0, 2**32)))  # one draw for all of them: what is of interest is the dialect
    amps = [values.randint(-3000, 30000) for _ in range(count)]
    millivolts = [values.randint(9000, 14600) for _ in range(count)]
    scale = 1 if milli else 1000
    digits = 3 if not milli else 1 if mark == "." else 0  # 9.000 alone could be nine or nine thousand: that is asked of nobody

    def number(value: float, places: int, unit: str) -> str:
        text = f"{value:.{places}f}"
        text = thousands(text, mark, decimal) if mark else text.replace(".", decimal)
        return f"{text} {unit}" if where_units == "cell" else text

    u_v, u_a = ("mV", "mA") if milli else ("V", "A")
    u_t = {"s": "s", "ms": "ms", "min": "min"}.get(style, "")
    names = ["Date", "Time"] if style == "two columns" else [draw(st.sampled_from(["Time", "Elapsed", "Zeit"]))]
    names += [draw(st.sampled_from(["Voltage", "U", "Spannung"])), draw(st.sampled_from(["Current", "I", "Strom"]))]
    units = [""] * (len(names) - 2) + [u_v, u_a]
    units[len(names) - 3] = u_t
    forms = {"heading": "{} ({})", "bracket": "{} [{}]", "slash": "{} / {}"}
    in_heading = where_units in forms
    headings = [forms[where_units].format(n, u) if in_heading and u else n for n, u in zip(names, units, strict=True)]
    if not in_heading and u_t and where_units == "cell":
        headings[0] = f"{headings[0]} ({u_t})"
    if names[-2] == "U" and where_units == "cell":
        headings[-2] = "Voltage"
    extra = draw(st.booleans())
    rows = []
    for k in range(count):
        moment = start + timedelta(seconds=k * every_s)
        elapsed = k * every_s
        cell = {
            "s": [f"{elapsed}"], "ms": [f"{elapsed * 1000}"], "min": [f"{elapsed / 60:.6f}".replace(".", decimal)],
            "h:mm:ss": [f"{elapsed // 3600}:{elapsed // 60 % 60:02d}:{elapsed % 60:02d}"], "clock": [f"{moment:%H:%M:%S}"],
            "iso": [f"{moment:%Y-%m-%d %H:%M:%S}"], "iso zone": [f"{moment:%Y-%m-%dT%H:%M:%S}+01:00"], "d.m.y": [f"{moment:%d.%m.%Y %H:%M:%S}"],
            "two columns": [f"{moment:%Y-%m-%d}", f"{moment:%H:%M:%S}"],
        }[style]  # fmt: skip
        rows.append([*cell, number(millivolts[k] / scale, digits, u_v), number(amps[k] / scale, digits, u_a)])
    kept = list(range(count))
    left_out = 0
    for k in draw(st.lists(st.integers(0, count - 1), max_size=(count - 2) // 2, unique=True)):
        rows[k][draw(st.sampled_from([-1, -2]))] = draw(st.sampled_from(NO_READING))
        kept.remove(k)
        left_out += 1
    if extra:
        headings.append("Mode")
        units.append("")
        rows = [[*row, "CC"] for row in rows]
    quoted = draw(st.booleans())

    def line(cells: list[str]) -> str:
        return separator.join(f'"{c}"' if quoted and c else c for c in cells)

    lines = [line(headings)]
    if where_units == "line":
        lines.append(line(units))
    body = [line(row) for row in rows]
    if draw(st.booleans()):  # the headings once more, in the middle
        body.insert(draw(st.integers(1, len(body))), lines[0])
    text = draw(st.sampled_from(PREAMBLE)) + "\n".join(lines + body) + draw(st.sampled_from(["\n", "", "\n\n"]))
    text = text.replace("\n", draw(st.sampled_from(["\n", "\r\n"])))
    encoding = draw(st.sampled_from(["utf-8", "utf-8-sig", "latin-1", "utf-16"]))
    zero = kept[0] * every_s if style not in {"s", "ms", "min", "h:mm:ss", "clock"} else 0
    clock_zero = start.hour * 3600 + start.minute * 60 + start.second if style == "clock" else 0
    return Written(
        text.encode(encoding), tuple(clock_zero + k * every_s - zero for k in kept), tuple(millivolts[k] / 1000 for k in kept),
        tuple(amps[k] / 1000 for k in kept), left_out, f"{style}, units in {where_units}, {separator!r} {decimal!r} {mark!r} {encoding}",
    )  # fmt: skip


def names_its_place(error: LogError, name: str) -> bool:
    return (
        name in str(error)
        and bool(re.search(r"line \d|is empty|not a text file|holds \d+ reading|could all be", str(error)))
        and str(error)[-1] in ".”"
    )


@pytest.mark.parametrize("part", range(PARTS))
def test_every_dialect_gives_the_right_numbers(tmp_path_factory, part):
    folder = tmp_path_factory.mktemp("dialects")

    @seed(secrets.randbits(32) if AT_RANDOM else part)
    @settings(max_examples=EACH, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(logs(), st.data())
    def check(written: Written, data: st.DataObject) -> None:
        path = folder / "log.csv"
        broken = data.draw(st.sampled_from([False, False, False, True]))
        content = written.data
        if broken:
            place = data.draw(st.integers(0, max(len(content) - 1, 0)))
            content = data.draw(
                st.sampled_from(
                    [
                        content[:place],
                        content[:place] + b"x\xfe9" + content[place:],
                        content[place:],
                        content[:place] + content[place + 3 :],
                    ]
                )
            )
        path.write_bytes(content)
        began = time.perf_counter()
        try:
            found = read_logs(path)
        except LogError as error:
            assert broken, f"{written.what}: {error}\n{content[:400]!r}"
            assert names_its_place(error, "log.csv"), str(error)
            return
        finally:
            assert time.perf_counter() - began < 2
        if broken:
            for log in found:
                assert len(log.time_s) == len(log.voltage_v) == len(log.current_a)
                assert np.isfinite(log.voltage_v).all()
            return
        (log,) = found
        assert log.time_s == pytest.approx(np.array(written.time_s), abs=1e-3), f"{written.what}\n{content[:400]!r}"
        assert log.voltage_v == pytest.approx(np.array(written.volts), rel=1e-9), f"{written.what}\n{content[:400]!r}"
        assert log.current_a == pytest.approx(np.array(written.amps), rel=1e-9, abs=1e-12)
        assert len(log.left_out) == written.left_out

    check()
