"""A finding: value, unit, ± and the working that a person can check on paper."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ubrant.core.quantities.quantity import plain, show, show_duration, show_with
from ubrant.core.uncertainty.contributions import (
    COVERAGE,
    Contribution,
    Contributions,
    by_source,
    combined,
    coverage,
    merged,
    of_parts,
    told_of,
    whole_dof,
)
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say

_SMALL = {"1/W": "1/kW", "Ω": "mΩ"}
"""What people write a small value in, a thousandth of the unit it is kept in."""
_SMALL_UNDER = 0.1
EDGE, _NONE = 0.1, 0.005
"""So much of its band from an end a value is no best one; so little of the higher end is nothing. Common practice, no source."""
AT_LEAST, AT_MOST, BETWEEN = "at least", "at most", "between"


def _hours_between(low_s: float, high_s: float) -> str:
    """``2:18 to 3:38 h``, ``3.1 to 4.7 d``, and in minutes as they are said."""
    if high_s < 3600:
        return say("{low} to {high}", low=show_duration(low_s), high=show_duration(high_s))
    if high_s >= 48 * 3600:
        return say("{low} to {high} d", low=plain(low_s / 86400, 2), high=plain(high_s / 86400, 2))
    low, high = (divmod(round(max(s, 0.0) / 60), 60) for s in (low_s, high_s))
    return say("{low} to {high} h", low=f"{low[0]}:{low[1]:02d}", high=f"{high[0]}:{high[1]:02d}")


@dataclass(frozen=True)
class Finding:
    """One result.

    Attributes
    ----------
    key, name : for files, for people
    value : None when there is nothing to work it out from
    unit : Ah, Wh, s, V, %, C, A, W
    contributions : where the ± comes from; None when no accuracy was given, and then there is no ±
    working : one line, for the ledger
    arithmetic : the sum with its numbers put in, a line a step
    sides : by how much it may be lower, and higher, than the value for reasons that lie on one side only, such as a label's doubt; in its unit
    bound : AT_LEAST or AT_MOST where only that is known; the value is the bound, with its doubt already in it. BETWEEN where only its least
        and its greatest value are: the value stands in the middle, and the sides reach to both
    """

    key: str
    name: str
    value: float | None
    unit: str
    contributions: Contributions | None
    working: str
    arithmetic: tuple[str, ...] = ()
    bound: str = ""
    sides: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def made(
        cls,
        key: str,
        name: str,
        value: Value | None,
        unit: str,
        working: str,
        arithmetic: tuple[str, ...] = (),
        *,
        bound: str = "",
        sides: tuple[float, float] = (0.0, 0.0),
    ) -> Finding:
        """From a value that carries its parts."""
        if value is None:
            return cls(key, name, None, unit, None, working, arithmetic, bound, sides)
        parts = None if value.parts is None else of_parts(value.parts)
        return cls(key, name, value.value, unit, parts, working, arithmetic, bound, sides)

    @classmethod
    def between(cls, key: str, name: str, ends: tuple[float, float], unit: str, working: str) -> Finding:
        """Of what is only known to lie between two values."""
        low, high = ends
        return cls(key, name, (low + high) / 2, unit, (), working, (), BETWEEN, ((high - low) / 2,) * 2)

    @property
    def known(self) -> Value:
        """Its value with what it may be off by, to go on from.

        Raises
        ------
        ValueError
            There is none.
        """
        if self.value is None:
            raise ValueError(self.key)
        return Value(self.value, None if self.contributions is None else by_source(self.contributions))

    def in_unit(self, unit: str, factor: float) -> Finding:
        """The same finding in another unit; the working keeps the units it was worked out in."""
        parts = None if self.contributions is None else tuple(c.times(factor) for c in self.contributions)
        sides = (self.sides[0] * factor, self.sides[1] * factor)
        return replace(self, value=None if self.value is None else self.value * factor, unit=unit, contributions=parts, sides=sides)

    @property
    def span(self) -> tuple[float, float] | None:
        """Between what it lies, about 95 %: ± U, and what lies on one side only; None without a value or a ±."""
        u = self.expanded_uncertainty
        if self.value is None or u is None:
            return None
        return self.value - math.hypot(u, self.sides[0]), self.value + math.hypot(u, self.sides[1])

    @property
    def is_at_an_edge(self) -> bool:
        """Whether its value is next to an end of what it lies between, as it is where a label is all that is known."""
        if self.value is None or self.span is None or self.bound or not any(self.sides):
            return False
        low, high = self.span
        return min(self.value - low, high - self.value) <= EDGE * (high - low)

    def _span_text(self) -> str:
        """``94 to 150``, in the unit of the value."""
        shown = self.for_people()
        assert shown.span is not None
        low, high = shown.span
        if self.unit == "s":
            return _hours_between(low, high)
        low = low if abs(low) > _NONE * abs(high) else 0.0
        figures = 3 if high - low < 0.3 * abs(shown.value or 0.0) else 2
        return say("{low} to {high}", low=show(low, figures), high=show(high, figures))

    @property
    def standard_uncertainty(self) -> float | None:
        return None if self.contributions is None or self.value is None else combined(self.contributions)

    @property
    def expanded_uncertainty(self) -> float | None:
        """U = k·u in the finding's unit, k = 2 unless it rests on few repeats; None when no accuracy was given."""
        u = self.standard_uncertainty
        return None if u is None else coverage(self.contributions or ()) * u

    def for_people(self) -> Finding:
        """In the unit it is spoken of: 12.9 mΩ rather than 0.0129 Ω."""
        small = self.value is not None and self.unit in _SMALL and abs(self.value) < _SMALL_UNDER
        return self.in_unit(_SMALL[self.unit], 1000.0) if small else self

    def value_text(self) -> str:
        """Value with its unit: ``48.87 Ah``, ``4 h 53 min``; a dash when there is none."""
        if self.value is None:
            return "–"
        if self.bound == BETWEEN:
            return self._span_text() if self.unit == "s" else f"{self._span_text()} {self.for_people().unit}".rstrip()
        if self.bound:
            amount = show_duration(self.value) if self.unit == "s" else f"{plain(self.value, 3)} {self.unit}".rstrip()
            return say("at least {amount}", amount=amount) if self.bound == AT_LEAST else say("at most {amount}", amount=amount)
        if self.unit == "s":
            return show_duration(self.value)
        shown = self.for_people()
        assert shown.value is not None
        if shown.span is not None and any(shown.sides):
            return f"{show_with(shown.value, (shown.span[1] - shown.span[0]) / 2)[0]} {shown.unit}".rstrip()
        if shown.expanded_uncertainty == 0:  # nothing in doubt: a count, a form of a wave
            return f"{plain(shown.value)} {shown.unit}".rstrip()
        return f"{show_with(shown.value, shown.expanded_uncertainty)[0]} {shown.unit}".rstrip()

    def uncertainty_text(self) -> str:
        """``± 0.29`` in the unit of the value, ``no ±`` when no accuracy was given."""
        if self.value is None or self.bound:
            return ""
        if self.expanded_uncertainty is None:
            return "no ±"
        if any(self.sides):
            return say("({span})", span=self._span_text())
        if not self.expanded_uncertainty:
            return ""
        if self.unit == "s":
            return f"± {show_duration(self.expanded_uncertainty)}"
        shown = self.for_people()
        return f"± {show_with(shown.value or 0.0, shown.expanded_uncertainty)[1]}"

    def with_uncertainty(self) -> str:
        """``48.87 ± 0.29 Ah``, for a sentence; of what lies on one side of its value only the span: an end of a band is no best value."""
        if self.is_at_an_edge:
            return self._span_text() if self.unit == "s" else f"{self._span_text()} {self.for_people().unit}".rstrip()
        if self.value is not None and self.expanded_uncertainty is None and not self.bound:
            return say("{value} (no ±)", value=self.value_text())
        if self.value is None or not self.expanded_uncertainty or self.unit == "s" or self.bound or any(self.sides):
            return f"{self.value_text()} {self.uncertainty_text()}".strip()
        shown = self.for_people()
        value, uncertainty = show_with(shown.value or 0.0, shown.expanded_uncertainty)
        return f"{value} ± {uncertainty} {shown.unit}"

    def amount_text(self) -> str:
        """As ``with_uncertainty``, for what cannot be less than nothing: ``anywhere up to 0.85 W`` where the uncertainty is as large as the value."""
        u = self.expanded_uncertainty
        if self.value is None or u is None or u < self.value:
            return self.with_uncertainty()
        return say("anywhere up to {show} {unit}", show=show(max(self.value, 0.0) + u, 2), unit=self.unit)

    def budget(self) -> tuple[str, ...]:
        """Where the ± comes from, a line a contribution, then how they combine."""
        if self.value is None:
            return ()
        if self.contributions is None:
            return (say("No accuracy was given for the meter, so there is no ±."),)
        shown_in = self.for_people()
        parts = merged(shown_in.contributions or ())
        told = told_of(parts)
        if not parts:
            return (say("Nothing is in doubt here."),)
        u = combined(parts)
        shown = [p for p in told if abs(p.amount) >= 0.01 * u]
        lines = [f"{p.source.words()}: {_why(p, shown_in.unit)}u\u00a0=\u00a0{show(abs(p.amount), 2)}\u00a0{shown_in.unit}" for p in shown]
        if len(shown) < len(told):
            lines.append(say("{value} more, together under 1 %", value=len(told) - len(shown)))
        squares = " + ".join(f"{show(abs(p.amount), 2)}²" for p in shown)
        lines.append(f"u = √({squares}) = {show(u, 2)} {shown_in.unit}")
        k, nu = coverage(parts), whole_dof(parts)
        few = "" if k == COVERAGE else say(", t for {nu:.0f} degrees of freedom", nu=nu)
        lines.append(f"U = {plain(k, 3)} × {show(u, 2)} = {show(k * u, 2)} {shown_in.unit} (about 95 %{few})")
        return tuple(lines)


def _why(part: Contribution, unit: str) -> str:
    reason = part.source.reason(part.amount, unit)
    return f"{reason} → " if reason else ""
