"""Records as people have them. The cells here share nothing with the program's own models."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from tests.command_line import said, ubrant

FULL_OCV = ([0.0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.7, 0.9, 0.97, 1.0], [10.0, 11.2, 11.9, 12.4, 12.8, 13.0, 13.15, 13.25, 13.32, 13.5])
LABEL = "50 Ah 12.8 V LiFePO4"
METER = ("--voltage-accuracy", "0.1 % + 2 mV", "--current-accuracy", "0.5 % + 5 mA")
HEAD = "time (s),voltage (V),current (A)"
Rows = list[tuple[float, ...]]


def volts(soc: float, amps: float = 0.0, ohm: float = 0.02) -> float:
    """Of a 12.8 V iron phosphate pack."""
    return float(np.interp(soc, *FULL_OCV)) - ohm * amps


def discharge(
    ah: float = 51.0,
    amps: float = 10.0,
    start: float = 1.0,
    stop_v: float = 10.8,
    rest_s: float = 600.0,
    hours: float = 30.0,
    every: float = 60.0,
) -> Rows:
    """(s, V, A) of a rest and a discharge."""
    rows: Rows = [(every * k, volts(start), 0.0) for k in range(int(rest_s / every))]
    begin, soc, k = rest_s, start, 0
    while k * every < hours * 3600:
        v = volts(soc, amps)
        rows.append((begin + k * every, v, amps))
        if v < stop_v:
            break
        soc, k = soc - amps * every / 3600 / ah, k + 1
    return rows


def charge(from_s: float, minutes: int = 300, amps: float = 10.0) -> Rows:
    """(s, V, A) of a charge that tapers."""
    return [
        (from_s + 60.0 * (k + 1), 12.6 + 1.9 * k / minutes, -amps * min(1.0, 5 * (1 - (k + 1) / minutes) + 0.03)) for k in range(minutes)
    ]


def later(rows: Rows, seconds: float) -> Rows:
    return [(r[0] + seconds, *r[1:]) for r in rows]


def write(folder: Path, rows: Any, head: str = HEAD, name: str = "log.csv") -> str:
    path = folder / name
    path.write_text(head + "\n" + "".join(",".join(x if isinstance(x, str) else f"{x:.7g}" for x in row) + "\n" for row in rows), "utf-8")
    return str(path)


def judged(folder: Path, rows: Any, *more: str, head: str = HEAD, label: str = LABEL, cutoff: str = "11.0 V") -> dict[str, Any]:
    """What the command line says of a log."""
    named = ("--rated", label) * bool(label) + ("--cutoff", cutoff) * bool(cutoff)
    return said(write(folder, rows, head), *named, *METER, *more)


def refused(folder: Path, rows: Any, *more: str, head: str = HEAD, label: str = LABEL) -> str:
    """The sentence with which a log is refused."""
    done = ubrant("analyse", write(folder, rows, head), *(("--rated", label) if label else ()), *METER, *more)
    assert done.returncode == 2, done.stdout
    assert len(done.stderr.strip().splitlines()) == 1
    return done.stderr


def notes(folder: Path, *lines: str, label: str = LABEL, method: str = "discharge", **more: str) -> str:
    """A jot text."""
    head = {"method": method, "started": "2026-03-02 09:00", "label": label, "volts": "0.1 % + 2 mV", "amps": "0.5 % + 5 mA", **more}
    path = folder / "notes.jot"
    path.write_text("".join(f"{k.replace('_', ' ')}: {v}\n" for k, v in head.items() if v) + "\n" + "\n".join(lines) + "\n", "utf-8")
    return str(path)


def value(found: dict[str, Any], key: str) -> float:
    return float(found["findings"][key]["value"])


def word(found: dict[str, Any]) -> str:
    return str(found["verdict"]["word"])
