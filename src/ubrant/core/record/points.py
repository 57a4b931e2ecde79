"""Points of a sweep or of load steps as they were read, and what each error of a meter would make of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.perturbed import Rounded, digit_of
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource, errors_of_meter
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say, words

Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class SweepMeters:
    """Accuracies at the two ends, which know whose they are; None for unknown.

    ``output_w`` is that of a meter that reads watts itself, as on AC: then the output's power has its uncertainty from there.
    ``source_v`` is at the battery's terminals; without one the input's voltmeter was moved there.
    """

    input_v: Accuracy | None = None
    input_a: Accuracy | None = None
    output_v: Accuracy | None = None
    output_a: Accuracy | None = None
    output_w: Accuracy | None = None
    source_v: Accuracy | None = None

    @property
    def known(self) -> bool:
        power = self.output_w is not None or (self.output_v is not None and self.output_a is not None)
        return power and self.input_v is not None and self.input_a is not None


@dataclass(frozen=True)
class Points:
    """Settled points in the order they were taken, (n,) each. ``output_w`` is V·A where it was not read; ``source_v`` is NaN where it was not.

    ``has_output``: current or power of the output was read; without either both are 0 here, and nothing is known of the efficiency.
    ``pulsates_ohm``: what lies upstream of the voltmeter of an inverter's input, whose current pulsates.
    ``fates``: what a person said became of the load at each, empty for nothing said.
    ``half``: by the name of a quantity, (n,) how wide each reading is to both sides, of those that a person took down.
    """

    input_v: Array
    input_a: Array
    output_v: Array
    output_a: Array
    output_w: Array
    source_v: Array
    half: Mapping[str, Array] = field(default_factory=dict)
    has_output: bool = True
    pulsates_ohm: float = 0.0
    fates: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.input_v)

    @property
    def input_w(self) -> Array:
        """V̄·Ī, less R·var(i) where the current pulsates: half of the R·Ī²/2 of a current that goes with the sine squared. Physics."""
        return np.asarray(self.input_v * self.input_a - self.pulsates_ohm * self.input_a**2 / 4)

    def where(self, chosen: Mask) -> Points:
        half = {name: column[chosen] for name, column in self.half.items()}
        vin, iin, vout = self.input_v[chosen], self.input_a[chosen], self.output_v[chosen]
        iout, pout, source = self.output_a[chosen], self.output_w[chosen], self.source_v[chosen]
        fates = tuple(fate for fate, there in zip(self.fates, chosen, strict=True) if there) if self.fates else ()
        return Points(vin, iin, vout, iout, pout, source, half, self.has_output, self.pulsates_ohm, fates)

    def is_fate(self, *fates: str) -> Mask:
        """(n,) whether a person said so of the load."""
        return np.array([fate in fates for fate in self.fates] or [False] * len(self), dtype=bool)


def points_of(
    input_v: Array,
    input_a: Array,
    output_v: Array,
    output_a: Array | None = None,
    output_w: Array | None = None,
    source_v: Array | None = None,
) -> Points:
    """Points from what was read; what is missing is worked out from what is there. Without current or power of the output thresholds are left."""
    if output_a is None and output_w is None:
        none = np.zeros(len(output_v))
        source = source_v if source_v is not None else np.full(len(input_v), math.nan)
        return Points(input_v, input_a, output_v, none, none, source, has_output=False)
    missing = np.full(len(output_v), math.nan)
    watts, amps = (missing if column is None else column for column in (output_w, output_a))
    output_w = np.where(np.isfinite(watts), watts, output_v * amps)
    output_a = np.where(np.isfinite(amps), amps, np.divide(output_w, output_v, out=np.zeros(len(output_v)), where=output_v > 0))
    return Points(input_v, input_a, output_v, output_a, output_w, source_v if source_v is not None else np.full(len(input_v), math.nan))


Move = Callable[[Points, float], Points]
_PULSATING = ErrorSource(
    ErrorKind.LIMIT, words("pulsating input"), half=1.0, note=words("anything from a smooth current to one that goes with the sine squared")
)


def errors_in_points(points: Points, meters: SweepMeters) -> list[tuple[ErrorSource, Move]]:
    """Every error of the meters, and what it makes of the points where it is there times so many standard uncertainties."""
    assert meters.input_v and meters.input_a
    by_watts = meters.output_w is not None
    read = [("input_v", meters.input_v), ("input_a", meters.input_a), ("output_v", meters.output_v)]
    read.append(("output_w", meters.output_w) if by_watts else ("output_a", meters.output_a))
    if np.isfinite(points.source_v).any():
        read.append(("source_v", meters.source_v or meters.input_v.moved_to("source")))
    columns: dict[ErrorSource, list[str]] = {}
    for column, accuracy in read:
        for source in errors_of_meter(accuracy, column.partition("_")[0]) if accuracy is not None else ():
            if source.half:
                columns.setdefault(source, []).append(column)
    errors: list[tuple[ErrorSource, Move]] = []
    if points.pulsates_ohm:
        errors.append((_PULSATING, lambda p, share: replace(p, pulsates_ohm=p.pulsates_ohm * (1 + share * rectangular(_PULSATING.half)))))
    return errors + [(source, _put_in(source, tuple(moved), by_watts)) for source, moved in columns.items()]


def _put_in(source: ErrorSource, columns: tuple[str, ...], by_watts: bool) -> Move:
    def moved(points: Points, share: float) -> Points:
        by = share * rectangular(source.half)
        for name in columns:
            shown = getattr(points, name)
            other = shown + by if source.kind is ErrorKind.ZERO else shown * (1 + by)
            if name == "output_w":
                points = replace(points, output_w=np.where(shown > 0, other, shown))
            elif by_watts and name == "output_v":
                points = replace(points, output_v=other)
            else:
                points = _moved(points, **{name: other})
        return points

    return moved


def digits_of(points: Points) -> Rounded[Points]:
    """What each reading was rounded by as it was written down: each is wrong by itself, by up to half of its last digit."""
    wide = {name: np.flatnonzero(halves > 0) for name, halves in points.half.items()}

    def moved(p: Points, shares: Array) -> Points:
        at = 0
        for name, rows in wide.items():
            column = getattr(p, name).copy()
            column[rows] += shares[at : at + len(rows)] * rectangular(1.0) * points.half[name][rows]
            p = replace(p, output_w=column) if name == "output_w" else _moved(p, **{name: column})
            at += len(rows)
        return p

    return Rounded(tuple(digit_of(say(name.replace("_", " ")), k) for name, rows in wide.items() for k in rows.tolist()), moved)


def rounded_up(points: Points, name: str) -> Points:
    """Every reading of one column up by the standard uncertainty of its own width."""
    column = getattr(points, name) + rectangular(1.0) * points.half[name]
    return replace(points, output_w=column) if name == "output_w" else _moved(points, **{name: column})


_OF_OUTPUT = {"output_v", "output_a"}


def _moved(points: Points, **changes: Array) -> Points:
    """Points with one quantity changed; power goes with its volts and amperes."""
    moved: Points = replace(points, **changes)  # type: ignore[arg-type]
    if not _OF_OUTPUT & changes.keys():
        return moved
    before, after = points.output_v * points.output_a, moved.output_v * moved.output_a
    flows = np.abs(before) > 1e-9
    scale = np.divide(after, before, out=np.ones(len(points)), where=flows)
    return replace(moved, output_w=points.output_w * scale + np.where(flows, 0.0, after - before))
