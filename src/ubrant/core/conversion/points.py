"""Points of a sweep or of load steps as they were read, and what each error of a meter would make of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.readings import Array
from ubrant.core.uncertainty.contributions import LINEARITY, rectangular

Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class SweepMeters:
    """Accuracies at the two ends; None for unknown. ``one_meter`` moved from input to output shares its gains, not its zeros.

    ``output_w`` is that of a meter that reads watts itself, as on AC: then the output's power has its uncertainty from there.
    """

    input_v: Accuracy | None = None
    input_a: Accuracy | None = None
    output_v: Accuracy | None = None
    output_a: Accuracy | None = None
    one_meter: bool = False
    output_w: Accuracy | None = None

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
        vin, iin, vout, iout, pout, source = (
            getattr(self, name)[chosen] for name in ("input_v", "input_a", "output_v", "output_a", "output_w", "source_v")
        )
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


def errors_of(points: Points, meters: SweepMeters) -> list[tuple[str, float, Callable[[Points, float], Points]]]:
    """(name, standard uncertainty, how it moves the points) of every error."""
    assert meters.input_v and meters.input_a

    def gain(field_name: str) -> Callable[[Points, float], Points]:
        return lambda p, u: _moved(p, **{field_name: getattr(p, field_name) * (1 + u)})

    def zero(field_name: str) -> Callable[[Points, float], Points]:
        return lambda p, u: _moved(p, **{field_name: getattr(p, field_name) + u})

    def both(p: Points, u: float, one: str, other: str) -> Points:
        return _moved(_moved(p, **{one: getattr(p, one) * (1 + u)}), **{other: getattr(p, other) * (1 + u)})

    errors: list[tuple[str, float, Callable[[Points, float], Points]]] = []
    if points.pulsates_ohm:  # anything from a smooth current to one that goes with the sine squared
        errors.append(("pulsating input", rectangular(1.0), lambda p, u: replace(p, pulsates_ohm=p.pulsates_ohm * (1 + u))))
    if meters.output_w is not None:
        return errors + _errors_by_watts(points, meters, gain, zero)
    assert meters.output_v and meters.output_a
    if meters.one_meter:
        errors.append(("voltage gain of the one meter", rectangular(meters.input_v.gain), lambda p, u: both(p, u, "input_v", "output_v")))
        errors.append(("current gain of the one meter", rectangular(meters.input_a.gain), lambda p, u: both(p, u, "input_a", "output_a")))
        errors.append(("voltage linearity of the one meter", rectangular(LINEARITY * meters.input_v.gain), gain("output_v")))
        errors.append(("current linearity of the one meter", rectangular(LINEARITY * meters.input_a.gain), gain("output_a")))
    else:
        for name, place, accuracy in (
            ("input voltage gain", "input_v", meters.input_v),
            ("input current gain", "input_a", meters.input_a),
            ("output voltage gain", "output_v", meters.output_v),
            ("output current gain", "output_a", meters.output_a),
        ):
            errors.append((name, rectangular(accuracy.gain), gain(place)))
    for name, place, accuracy in (
        ("input voltage zero", "input_v", meters.input_v),
        ("input current zero", "input_a", meters.input_a),
        ("output voltage zero", "output_v", meters.output_v),
        ("output current zero", "output_a", meters.output_a),
    ):
        errors.append((name, rectangular(accuracy.zero), zero(place)))
    return errors + _source_errors(points, meters.input_v, gain, zero)


Move = Callable[[Points, float], Points]


def digits_of(points: Points) -> Iterator[tuple[float, Move]]:
    """(standard uncertainty, how it moves the points) of every reading's own width: each is wrong by itself, by up to half of its last digit."""

    def one(name: str, k: int) -> Move:
        def moved(p: Points, u: float) -> Points:
            column = getattr(p, name).copy()
            column[k] += u
            return replace(p, output_w=column) if name == "output_w" else _moved(p, **{name: column})

        return moved

    for name, halves in points.half.items():
        for k in np.flatnonzero(halves > 0).tolist():
            yield rectangular(float(halves[k])), one(name, k)


def _source_errors(
    points: Points, voltage: Accuracy, gain: Callable[[str], Move], zero: Callable[[str], Move]
) -> list[tuple[str, float, Move]]:
    if not np.isfinite(points.source_v).any():
        return []
    return [
        ("source voltage gain", rectangular(voltage.gain), gain("source_v")),
        ("source voltage zero", rectangular(voltage.zero), zero("source_v")),
    ]


def _errors_by_watts(
    points: Points, meters: SweepMeters, gain: Callable[[str], Move], zero: Callable[[str], Move]
) -> list[tuple[str, float, Move]]:
    """As :func:`errors_of`, where the meter at the output reads watts itself."""
    assert meters.input_v and meters.input_a and meters.output_w
    errors: list[tuple[str, float, Move]] = [
        ("input voltage gain", rectangular(meters.input_v.gain), gain("input_v")),
        ("input voltage zero", rectangular(meters.input_v.zero), zero("input_v")),
        ("input current gain", rectangular(meters.input_a.gain), gain("input_a")),
        ("input current zero", rectangular(meters.input_a.zero), zero("input_a")),
        ("output power gain", rectangular(meters.output_w.gain), lambda p, u: replace(p, output_w=p.output_w * (1 + u))),
        (
            "output power zero",
            rectangular(meters.output_w.zero),
            lambda p, u: replace(p, output_w=np.where(p.output_w > 0, p.output_w + u, p.output_w)),
        ),
    ]
    if meters.output_v is not None:
        errors.append(("output voltage gain", rectangular(meters.output_v.gain), lambda p, u: replace(p, output_v=p.output_v * (1 + u))))
        errors.append(("output voltage zero", rectangular(meters.output_v.zero), lambda p, u: replace(p, output_v=p.output_v + u)))
    return errors + _source_errors(points, meters.input_v, gain, zero)


def _moved(points: Points, **changes: Array) -> Points:
    """Points with one quantity changed; power goes with its volts and amperes."""
    moved: Points = replace(points, **changes)  # type: ignore[arg-type]
    scale = np.divide(
        moved.output_v * moved.output_a,
        points.output_v * points.output_a,
        out=np.ones(len(points)),
        where=np.abs(points.output_v * points.output_a) > 1e-9,
    )
    extra = np.where(
        np.abs(points.output_v * points.output_a) > 1e-9, 0.0, moved.output_v * moved.output_a - points.output_v * points.output_a
    )
    return replace(moved, output_w=points.output_w * scale + extra)
