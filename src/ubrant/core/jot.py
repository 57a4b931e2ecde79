"""The jot line's grammar: a note or an event, now or at a time in the past."""

from __future__ import annotations

import re
from dataclasses import dataclass

_AGO = re.compile(r"-\s*(\d+(?:[.,]\d+)?)\s*(s|sec|min|m|h)\b\s*(.*)", re.I | re.S)
_UNIT_S = {"s": 1.0, "sec": 1.0, "min": 60.0, "m": 60.0, "h": 3600.0}


@dataclass(frozen=True)
class Jotting:
    """A note and how long ago it happened, seconds."""

    text: str
    ago_s: float = 0.0


def parse_jot(line: str) -> Jotting | None:
    """Read ``case warm at terminals`` or ``-5min fan started``; None when there is nothing to note."""
    line = line.strip()
    if match := _AGO.fullmatch(line):
        text = match[3].strip()
        return Jotting(text, float(match[1].replace(",", ".")) * _UNIT_S[match[2].lower()]) if text else None
    return Jotting(line.strip('"“”')) if line else None
