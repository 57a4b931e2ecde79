"""Logs of two packs as three makes of loggers write them."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

PACKS = {"blue pack": 45.5, "red pack": 35.0}
"""What each gives, in Ah."""


def two_packs(folder: Path, count: int = 10) -> list[Path]:
    """One of the one pack and one of the other in turn; names, headings, units, signs and decimal marks are each make's own."""
    folder.mkdir(exist_ok=True)
    return [_log(folder, number) for number in range(count)]


def _log(folder: Path, number: int) -> Path:
    pack, charge_ah = list(PACKS.items())[number % 2]
    began = datetime(2026, 3, 1, 8, 0) + timedelta(days=number)
    last = int(charge_ah / 10 * 60) + 3
    rows = [(60 * k, 13.25 - 0.35 * k / last - max(0.0, k / last - 0.97) * 87 - 0.001 * number, 10.0) for k in range(last)]
    make = number % 3
    if make == 0:
        path = folder / f"{pack} {began:%Y-%m-%d}.csv"
        path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t},{v:.3f},{a:.2f}\n" for t, v, a in rows))
    elif make == 1:
        path = folder / f"{pack.replace(' ', '_')}_{number}.txt"
        lines = "".join(f"{t}\t{v:.3f}\t{a * 1000:.0f}\n".replace(".", ",") for t, v, a in rows)
        path.write_text("Zeit [s]\tSpannung [V]\tStrom [mA]\n" + lines)
    else:
        path = folder / f"{pack.title()} run {number}.csv"
        stamps = (f"{began + timedelta(seconds=t):%Y-%m-%d %H:%M:%S};{v:.3f};{-a:.2f}\n" for t, v, a in rows)
        path.write_text("date;U/V;I/A\n" + "".join(stamps))
    return path
