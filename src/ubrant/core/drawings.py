"""Drawings as data: what a method shows besides figures. Window and report draw them without knowing the method."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from ubrant.core.quantities.readings import Array, Series
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.pyramid import Pyramid
from ubrant.core.uncertainty.finding import Finding

TAKEN, OUTSIDE, OFF, HELD, PLANNED = "taken", "outside tolerance", "off", "held", "planned"
"""States of a dot: each has a shape of its own."""
SOLID, DOTTED, DASHED = "solid", "dotted", "dashed"
Span = tuple[float, float]


@dataclass(frozen=True, eq=False)
class TraceDrawing:
    """Volts, amperes and watts stacked on one time axis.

    Attributes
    ----------
    measured, expected : by quantity
    zero_s : the moment that counts as 0
    span : from when to when it is shown; None for as it is
    limit_v : the voltage at which it stops
    marks : (seconds, words); gaps : (from, to)
    scaled : what was measured, at many scales already, where that was worked out beside the window
    """

    measured: Mapping[str, Series] = field(default_factory=dict)
    expected: Mapping[str, Series] = field(default_factory=dict)
    zero_s: float = 0.0
    span: Span | None = None
    limit_v: float | None = None
    marks: tuple[tuple[float, str], ...] = ()
    gaps: tuple[Span, ...] = ()
    scaled: Mapping[str, Pyramid] = field(default_factory=dict)


def scaled_already(drawing: Drawing) -> Drawing:
    """A trace with all that was measured at many scales; anything else as it is."""
    return (
        replace(drawing, scaled={key: Pyramid(series) for key, series in drawing.measured.items()})
        if isinstance(drawing, TraceDrawing)
        else drawing
    )


@dataclass(frozen=True, eq=False)
class Curve:
    """A line through points; ``label`` stands at its end, or as a line of a key where ``keyed``."""

    x: Array
    y: Array
    tint: str = "voltage"
    style: str = SOLID
    label: str = ""
    keyed: bool = False


@dataclass(frozen=True, eq=False)
class Area:
    """What lies between two lines, hatched: 0, 1 or 2 says how."""

    x: Array
    low: Array
    high: Array
    tint: str = "loss"
    hatch: int = 0
    label: str = ""


@dataclass(frozen=True, eq=False)
class Dots:
    """Single points with their states; ``rising`` ones stand a little beside, ``ringed`` is one to look at."""

    x: Array
    y: Array
    states: tuple[str, ...] = ()
    rising: tuple[bool, ...] = ()
    ringed: int | None = None


@dataclass(frozen=True)
class Rule:
    """A level across, with its words above or ``below`` it."""

    y: float
    label: str
    below: bool = False
    tint: str = "caution"


@dataclass(frozen=True, eq=False)
class Sticks:
    """Upright bars from 0."""

    x: Array
    y: Array
    tint: str = "power"


@dataclass(frozen=True, eq=False)
class Contours:
    """Lines of one level each, with its words on it."""

    levels: tuple[tuple[str, tuple[Array, ...]], ...]
    tint: str = "power"


Layer = Curve | Area | Dots | Rule | Sticks | Contours


@dataclass(frozen=True, eq=False)
class Plot:
    """A pair of axes with layers on it.

    Attributes
    ----------
    up_marks : (value, words) where round numbers would not do
    by_root : the axis along goes by the square root, so that small values have room
    by_power : the values upward are powers of ten, (value is the exponent)
    told : the drawing in words, for who cannot see it
    """

    title: str
    along: str
    up: str
    x_span: Span
    y_span: Span
    layers: tuple[Layer, ...] = ()
    told: str = ""
    up_marks: tuple[tuple[float, str], ...] = ()
    by_root: bool = False


@dataclass(frozen=True)
class Rung:
    finding: Finding
    name: str
    tint: str = "caution"


@dataclass(frozen=True)
class Ladder:
    """Findings of one quantity on one axis, each with its ±."""

    title: str
    rungs: tuple[Rung, ...]
    span: Span


@dataclass(frozen=True)
class Bars:
    """One bar a finding; ``beside`` is what belongs to it, as an outline, with its words."""

    rows: tuple[tuple[Finding, float | None, str], ...]


@dataclass(frozen=True)
class Chains:
    """Power paths one below the other on one scale, each under its name."""

    rows: tuple[tuple[str, PowerPath], ...]


@dataclass(frozen=True)
class AgreementRow:
    """One reading beside what the rest says it should be, in words; ``apart`` is their difference over the most that it may be."""

    where: str
    when: str
    read: str
    rest: str
    off_by: str
    apart: float

    @property
    def agrees(self) -> bool:
        return abs(self.apart) <= 1.0


@dataclass(frozen=True)
class Agreements:
    """Readings, and whether each goes with the rest: a row each on its own scale."""

    title: str
    rows: tuple[AgreementRow, ...]


Drawing = TraceDrawing | Plot | Ladder | Bars | Chains | Agreements
