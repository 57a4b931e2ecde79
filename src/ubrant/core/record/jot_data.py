"""A typed row as data: what was read where, how wide, what was marked and noted. The line that was typed stands beside it and is never read back."""

from __future__ import annotations

import json
import math
from typing import Any

from ubrant.core.quantities.jot import TypedLine, TypedReading

VERSION = 1


class JotDataError(ValueError):
    """It is no row of this kind."""


def data_of(jotting: TypedLine) -> dict[str, Any]:
    """Readings as (tap, quantity, value, half-width, kind), mark and note, and whether its time was written to the minute; numbers to the last bit."""
    made: dict[str, Any] = {"v": VERSION, "readings": [[r.tap, r.quantity, r.value, r.half_width, r.kind] for r in jotting.readings]}
    return made | {key: text for key, text in (("mark", jotting.mark), ("text", jotting.text), ("minute", jotting.to_minute)) if text}


def jotting_of(data: Any, line: str = "") -> TypedLine:
    """The row again; ``line`` is how it was typed.

    Raises
    ------
    JotDataError
        It is none, or of a newer kind.
    """
    try:
        if data["v"] != VERSION:
            raise JotDataError(f"a typed row of kind {data['v']!r}")
        readings = tuple(_reading(*one) for one in data["readings"])
        minute = data.get("minute") is True
        return TypedLine(str(data.get("text", "")), readings=readings, mark=str(data.get("mark", "")), line=line, to_minute=minute)
    except (TypeError, KeyError, AttributeError) as error:
        raise JotDataError(f"no typed row ({error})") from None


def _reading(tap: str, quantity: str, value: float, half_width: float, kind: str) -> TypedReading:
    if not (isinstance(tap, str) and isinstance(quantity, str) and isinstance(kind, str)):
        raise JotDataError("a reading without a place or a quantity")
    if isinstance(value, bool) or not (math.isfinite(value) and math.isfinite(half_width) and half_width >= 0):
        raise JotDataError(f"{value} ± {half_width} is no reading")
    return TypedReading(tap, quantity, float(value), float(half_width), kind)


def to_text(jotting: TypedLine) -> str:
    return json.dumps(data_of(jotting), ensure_ascii=False, separators=(",", ":"))


def from_text(text: str, line: str = "") -> TypedLine:
    """As :func:`jotting_of`, from JSON."""
    try:
        return jotting_of(json.loads(text), line)
    except ValueError as error:
        raise JotDataError(str(error)) from None
