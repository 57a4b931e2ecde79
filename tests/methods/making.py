"""Logs that tests need."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path


def write(folder: Path, rows: Iterable[Sequence[float | None]], head: str) -> str:
    """A log of these rows; None for an empty cell."""
    path = folder / "log.csv"
    path.write_text(head + "\n".join(",".join("" if x is None else f"{x:.6g}" for x in row) for row in rows) + "\n")
    return str(path)
