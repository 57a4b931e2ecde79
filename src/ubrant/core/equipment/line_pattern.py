"""Lines that a board prints: which part of a line is what."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field

from ubrant.core.quantities.quantity import unit_factor
from ubrant.core.wording import say

_MARKED = re.compile(r"\s*[,;\t|]\s*")
_NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+)(?:[eE][+-]?[0-9]+)?")
_QUANTITIES = {"V", "A", "W", "Ah", "Wh", "%", "°C", "Hz"}


class PatternError(ValueError):
    """A pattern that cannot be used; says what to write."""


@dataclass
class LinePattern:
    """Takes lines apart. Three ways to say how:

    ``2 V, 3 mA`` by position, counted from 1, with the unit; ``header`` to go by a line of headings such as ``ms,V,mA`` or to find
    ``V=12.9 A=4.1`` in the line itself; or a regular expression with groups named after quantities, ``U:(?P<V>\\S+)``.
    """

    text: str = "header"
    _columns: list[tuple[int, str, float]] = field(default_factory=list, init=False)
    _expression: re.Pattern[str] | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        text = self.text.strip() or "header"
        if "(?P<" in text:
            try:
                self._expression = re.compile(text)
            except re.error as error:
                raise PatternError(say("“{what}” is no regular expression ({error}).", what=text, error=error)) from None
            strange = set(self._expression.groupindex) - {"V", "A", "W", "Ah", "Wh", "mV", "mA", "C"}
            if strange:
                raise PatternError(say("“{pop}” is not a quantity: name the groups V, mV, A, mA, W, Ah, Wh or C.", pop=strange.pop()))
        elif text.lower() != "header":
            for part in re.split(r"\s*,\s*", text):
                match = re.fullmatch(r"(\d+)\s*[:=]?\s*(\S+)", part)
                known = _unit(match[2]) if match else None
                if match is None or known is None or int(match[1]) < 1:
                    raise PatternError(
                        say("“{part}” is not understood: write the column and its unit, like “2 V, 3 mA”, or “header”.", part=part)
                    )
                self._columns.append((int(match[1]) - 1, *known))

    def read(self, line: str) -> dict[str, float] | None:
        """Values by quantity; None for a line that holds none (headings, half a line, nonsense)."""
        line = line.strip()
        if self._expression is not None:
            match = self._expression.search(line)
            return self._of_groups(match) if match else None
        parts = _MARKED.split(line) if _MARKED.search(line.strip()) else line.split()
        if not self._columns:
            named = self._named(line)
            if named:
                return named
            columns = [
                (k, *known) for k, part in enumerate(parts) if (known := _unit(re.sub(r".*[(\[/]\s*|[)\]].*", "", part))) is not None
            ]
            if len(columns) >= 1 and not any(_NUMBER.fullmatch(p) for p in parts):
                self._columns = columns
            return None
        values: dict[str, float] = {}
        for index, quantity, factor in self._columns:
            if index >= len(parts) or (value := _number(parts[index])) is None:
                return None
            values[quantity] = value * factor
        return values or None

    def _of_groups(self, match: re.Match[str]) -> dict[str, float] | None:
        values = {}
        for name, text in match.groupdict().items():
            known, value = _unit("°C" if name == "C" else name), _number(text or "")
            if known is None or value is None:
                return None
            values[known[0]] = value * known[1]
        return values or None

    @staticmethod
    def _named(line: str) -> dict[str, float]:
        """``V=12.9``, ``A: 4.1``, ``12.9 V 4.1 A``."""
        values = {}
        pattern = rf"([A-Za-zµ%°]+)\s*[=:]\s*({_NUMBER.pattern})|({_NUMBER.pattern})\s*([A-Za-zµ%°]+)"
        for match in re.finditer(pattern, line):
            known, value = _unit(match[1] or match[4]), _number(match[2] or match[3])
            if known is not None and value is not None:
                values[known[0]] = value * known[1]
        return values


def _unit(symbol: str) -> tuple[str, float] | None:
    known = unit_factor(symbol)
    return (known.unit, known.value) if known is not None and known.unit in _QUANTITIES else None


def _number(text: str) -> float | None:
    match = _NUMBER.fullmatch(text.strip())
    value = float(match[0].replace(",", ".")) if match else math.nan
    return value if math.isfinite(value) else None
