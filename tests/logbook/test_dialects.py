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

PARTS, EACH = 60, 50
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


def written(rng: random.Random) -> Written:
    """Time, volts and amperes in one of the dialects that people have."""
    separator = rng.choice([",", ";", "\t", "|"])
    decimal = rng.choice([".", ","]) if separator != "," else "."
    milli = rng.random() < 0.5
    mark = rng.choice(["", "", "'", " ", "." if decimal == "," else "'"]) if milli else ""
    style = rng.choice(["s", "ms", "min", "h:mm:ss", "clock", "iso", "iso zone", "d.m.y", "two columns"])
    where_units = rng.choice(["heading", "bracket", "line", "cell", "slash"])
    count = rng.randint(3, 14)
    every_s = rng.choice([1, 5, 10, 60])
    start = datetime(2026, 3, 28, rng.choice([9, 23]), 59, 30)
    amps = [rng.randint(-3000, 30000) for _ in range(count)]
    millivolts = [rng.randint(9000, 14600) for _ in range(count)]
    scale = 1 if milli else 1000
    digits = 3 if not milli else 1 if mark == "." else 0  # 9.000 alone could be nine or nine thousand: that is asked of nobody

    def number(value: float, places: int, unit: str) -> str:
        text = f"{value:.{places}f}"
        text = thousands(text, mark, decimal) if mark else text.replace(".", decimal)
        return f"{text} {unit}" if where_units == "cell" else text

    u_v, u_a = ("mV", "mA") if milli else ("V", "A")
    u_t = {"s": "s", "ms": "ms", "min": "min"}.get(style, "")
    names = ["Date", "Time"] if style == "two columns" else [rng.choice(["Time", "Elapsed", "Zeit"])]
    names += [rng.choice(["Voltage", "U", "Spannung"]), rng.choice(["Current", "I", "Strom"])]
    units = [""] * (len(names) - 2) + [u_v, u_a]
    units[len(names) - 3] = u_t
    forms = {"heading": "{} ({})", "bracket": "{} [{}]", "slash": "{} / {}"}
    in_heading = where_units in forms
    headings = [forms[where_units].format(n, u) if in_heading and u else n for n, u in zip(names, units, strict=True)]
    if not in_heading and u_t and where_units == "cell":
        headings[0] = f"{headings[0]} ({u_t})"
    if names[-2] == "U" and where_units == "cell":
        headings[-2] = "Voltage"
    extra = rng.random() < 0.5
    rows = []
    for k in range(count):
        moment = start + timedelta(seconds=k * every_s)
        elapsed = k * every_s
        cell = {
            "s": [f"{elapsed}"],
            "ms": [f"{elapsed * 1000}"],
            "min": [f"{elapsed / 60:.6f}".replace(".", decimal)],
            "h:mm:ss": [f"{elapsed // 3600}:{elapsed // 60 % 60:02d}:{elapsed % 60:02d}"],
            "clock": [f"{moment:%H:%M:%S}"],
            "iso": [f"{moment:%Y-%m-%d %H:%M:%S}"],
            "iso zone": [f"{moment:%Y-%m-%dT%H:%M:%S}+01:00"],
            "d.m.y": [f"{moment:%d.%m.%Y %H:%M:%S}"],
            "two columns": [f"{moment:%Y-%m-%d}", f"{moment:%H:%M:%S}"],
        }[style]
        rows.append([*cell, number(millivolts[k] / scale, digits, u_v), number(amps[k] / scale, digits, u_a)])
    kept = list(range(count))
    left_out = 0
    for k in rng.sample(range(count), rng.randint(0, (count - 2) // 2)):
        rows[k][rng.choice([-1, -2])] = rng.choice(NO_READING)
        kept.remove(k)
        left_out += 1
    if extra:
        headings.append("Mode")
        units.append("")
        rows = [[*row, "CC"] for row in rows]
    quoted = rng.random() < 0.5

    def line(cells: list[str]) -> str:
        return separator.join(f'"{c}"' if quoted and c else c for c in cells)

    lines = [line(headings)]
    if where_units == "line":
        lines.append(line(units))
    body = [line(row) for row in rows]
    if rng.random() < 0.5:  # the headings once more, in the middle
        body.insert(rng.randint(1, len(body)), lines[0])
    text = rng.choice(PREAMBLE) + "\n".join(lines + body) + rng.choice(["\n", "", "\n\n"])
    text = text.replace("\n", rng.choice(["\n", "\r\n"]))
    encoding = rng.choice(["utf-8", "utf-8-sig", "latin-1", "utf-16"])
    zero = kept[0] * every_s if style not in {"s", "ms", "min", "h:mm:ss", "clock"} else 0
    clock_zero = start.hour * 3600 + start.minute * 60 + start.second if style == "clock" else 0
    return Written(
        text.encode(encoding),
        tuple(clock_zero + k * every_s - zero for k in kept),
        tuple(millivolts[k] / 1000 for k in kept),
        tuple(amps[k] / 1000 for k in kept),
        left_out,
        f"{style}, units in {where_units}, {separator!r} {decimal!r} {mark!r} {encoding}",
    )


def names_its_place(error: LogError, name: str) -> bool:
    return (
        name in str(error)
        and bool(re.search(r"line \d|is empty|not a text file|holds \d+ reading|could all be", str(error)))
        and str(error)[-1] in ".”"
    )


@pytest.mark.parametrize("part", [k if k < 1 else pytest.param(k, marks=pytest.mark.slow) for k in range(PARTS)])
def test_every_dialect_gives_the_right_numbers(tmp_path_factory, part):
    folder = tmp_path_factory.mktemp("dialects")

    @seed(secrets.randbits(32) if AT_RANDOM else part)
    @settings(max_examples=EACH, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(st.integers(0, 2**64))  # one draw a log: a draw for every choice costs more than reading it
    def check(number: int) -> None:
        rng = random.Random(number)
        made = written(rng)
        path = folder / "log.csv"
        broken = rng.random() < 0.25
        content = made.data
        if broken:
            place = rng.randint(0, max(len(content) - 1, 0))
            content = rng.choice(
                [content[:place], content[:place] + b"x\xfe9" + content[place:], content[place:], content[:place] + content[place + 3 :]]
            )
        path.write_bytes(content)
        began = time.perf_counter()
        try:
            found = read_logs(path)
        except LogError as error:
            assert broken, f"{made.what}: {error}\n{content[:400]!r}"
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
        assert log.time_s == pytest.approx(np.array(made.time_s), abs=1e-3), f"{made.what}\n{content[:400]!r}"
        assert log.voltage_v == pytest.approx(np.array(made.volts), rel=1e-9), f"{made.what}\n{content[:400]!r}"
        assert log.current_a == pytest.approx(np.array(made.amps), rel=1e-9, abs=1e-12)
        assert len(log.left_out) == made.left_out

    check()
