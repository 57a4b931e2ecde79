"""A converter or inverter swept over input voltage and load: what it costs, where it gives up, how steady its output is.

A sweep is a set of settled points. Each figure is worked out from the points as they were read, and once more with every error a meter may have
put in: the difference is that error's part of the ±.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ubrant.core.conversion.best_measured import as_measured, best_place, best_share
from ubrant.core.conversion.loss_model import CALIFORNIAN, EUROPEAN, LossModel, fit_loss, weighted_efficiency
from ubrant.core.conversion.slips import more_out_than_in, without_lost
from ubrant.core.conversion.thresholds import SAME_LOAD, THRESHOLDS, Brackets, brackets_of, group_of, middle_of_bracket
from ubrant.core.drawings import OFF, OUTSIDE, TAKEN
from ubrant.core.quantities.jot import FALTERS
from ubrant.core.quantities.jot import OFF as OFF_FATE
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError, middle
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.points import Mask, Points, SweepMeters, digits_of, errors_in_points, rounded_up
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import as_drawn, digit_of, put_in
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Value, exactly, is_drawing, rectangular, scattered, within
from ubrant.core.wording import say, say_many, words

IDLE_SHARE = 0.01
"""Under this share of the largest output a point counts as no load."""
OFF_SHARE = 0.3
"""Under this share of the usual output voltage the output is off."""
_TOLD_FROM = 0.05
"""Of the largest output: an efficiency under it is not what anybody looks for."""
_SAME_VOLTS = 0.02
_SAME_LOAD = 0.02


@dataclass(frozen=True)
class Sweep:
    """What a sweep says.

    Attributes
    ----------
    findings : by key
    points : those that count, as read
    efficiency : (n,) percent, and its expanded uncertainty (NaN where there is no ±)
    model : the fitted losses; None where there were too few points
    in_tolerance : (n,) whether the output was within tolerance
    warnings : sentences
    """

    findings: dict[str, Finding]
    points: Points
    efficiency: Array
    efficiency_u: Array
    model: LossModel | None
    in_tolerance: Mask
    warnings: tuple[str, ...] = field(default=())


def analyse_sweep(
    points: Points,
    meters: SweepMeters | None = None,
    tolerance: Tolerance | None = None,
    rated_w: float | None = None,
    label_w: float | None = None,
) -> Sweep:
    """Findings of a sweep.

    Parameters
    ----------
    rated_w : what it is judged by
    label_w : by its label alone: no more than to tell a slip by

    Raises
    ------
    ReadingsError
        Too few points, or output above input nearly everywhere: the meters are swapped.
    """
    meters = meters or SweepMeters()
    points, warnings = _usable(points, meters, rated_w or label_w)
    if not points.has_output:
        warnings.append(
            say("The output's current was not read: nothing is said of its efficiency, only where it held and where it did not.")
        )
    running = (
        points.output_v > OFF_SHARE * float(np.median(points.output_v[points.output_v > 0]))
        if (points.output_v > 0).any()
        else np.zeros(len(points), bool)
    )
    running &= ~points.is_fate(OFF_FATE)
    within_tolerance = (
        running
        & ~points.is_fate(FALTERS)
        & (np.array([tolerance.holds(v) for v in points.output_v]) if tolerance else _near_usual(points.output_v, running))
    )
    regime = running & _near_usual(points.output_v, running)
    brackets = brackets_of(points, running, within_tolerance, tolerance)
    nearest = _nearest(points, within_tolerance, tolerance)
    shown = _told_apart(points, running)
    figures = _figures(tolerance, rated_w, running, within_tolerance, regime, brackets, nearest, points.input_w, shown)
    errors = errors_in_points(points, meters) if meters.known else []
    made = put_in(figures, points, errors, digits_of(points), known=meters.known)
    model = _model_of(points, regime)
    scatter = _fit_scatter(points, regime, model, rated_w) if meters.known else {}
    findings: dict[str, Finding] = {}
    for key, (name, unit, working, factor) in _NAMES.items():
        value = made[key]
        if value is not None and key == "loss_scatter":
            value = Value(value.value) if meters.known else value
        elif value is not None:
            value = value * factor + _left_open(key, points, within_tolerance, running, scatter, brackets)
        found = Finding.made(key, name, value, unit, working)
        if key == "half_arrives" and (found.expanded_uncertainty or 0.0) > (found.value or 0.0):  # a load is no less than none
            found = Finding(key, name, None, unit, None, say("these points do not tell it: lighter loads would"))
        findings[key] = found
    drawn = as_drawn(points, errors, digits_of(points))
    eta, eta_u = _efficiency(drawn, meters, running)
    findings |= _each_efficiency(drawn, eta, meters, shown)
    _warn(warnings, points, eta, eta_u, within_tolerance, running, tolerance, rated_w)
    fitted = model.peak()[1] if model is not None else None
    findings |= as_measured(findings, points, best_place(points, shown, fitted, findings["loss_scatter"].value), fitted)
    return Sweep(findings, points, eta, eta_u, model, within_tolerance, tuple(warnings))


_MOST_SHOWN = 16


def _told_apart(points: Points, running: Mask) -> list[int]:
    """Places of the points whose efficiency is told; where there are many, of each load near the middle input voltage."""
    eta = _efficiency(points, SweepMeters(), running)[0]
    shown = np.flatnonzero(np.isfinite(eta) & (points.output_w > IDLE_SHARE * float(points.output_w.max(initial=0.0))))
    if len(shown) > _MOST_SHOWN:
        middle = float(np.median(points.input_v[shown]))
        near = float(points.input_v[shown][np.argmin(np.abs(points.input_v[shown] - middle))])
        shown = shown[np.abs(points.input_v[shown] - near) < _SAME_VOLTS * near][:_MOST_SHOWN]
    return _each_load_once(points.output_w, shown)


def _each_efficiency(points: Points, eta: Array, meters: SweepMeters, shown: Sequence[int]) -> dict[str, Finding]:
    """Efficiency at each of these points."""
    parts_of = _efficiency_parts(points, meters, np.isfinite(eta), eta) if meters.known else None
    found = {}
    for number, k in enumerate(shown, start=1):
        key = f"efficiency_{number}"
        name = say("Efficiency at {load} W, {volts} V in", load=show(float(points.output_w[k]), 3), volts=show(float(points.input_v[k]), 3))
        working = f"{show(float(points.output_w[k]))} W ÷ {show(float(points.input_w[k]))} W"
        found[key] = Finding.made(key, name, _at_point(k, eta, parts_of), "%", working)
    return found


def _at_point(k: int, eta: Array, parts_of: dict[ErrorSource, Array] | None) -> Value:
    """The efficiency at one point."""
    if parts_of is None:
        return Value(float(eta[k]), None)
    own = ((digit_of(s.of, k) if s.kind is ErrorKind.DIGIT else s, float(column[k])) for s, column in parts_of.items())
    return Value(float(eta[k]), dict(own))


def _each_load_once(load_w: Array, chosen: NDArray[np.int64]) -> list[int]:
    """Of points at the same load and input, as down and up again give them, the first; by their load."""
    once: list[int] = []
    for k in chosen[np.argsort(load_w[chosen], kind="stable")].tolist():
        if not once or load_w[k] - load_w[once[-1]] > _SAME_LOAD * load_w[k]:
            once.append(k)
    return once


Figures = Callable[[Points], dict[str, float | None]]
_NAMES = {
    "idle_power": ("Idle draw", "W", "input power at no load, read or by the fit", 1.0),
    "loss_fixed": ("Always-on loss p₀", "W", "losses fitted over the output, weighted 1/P_in", 1.0),
    "loss_proportional": ("Proportional loss a", "", "fit of the losses over the output power", 1.0),
    "loss_resistive": ("Resistive loss b", "1/W", "fit of the losses over the output power", 1.0),
    "loss_scatter": ("Scatter about the fit", "W", "root mean square of measured − fitted loss", 1.0),
    "peak_efficiency": ("Best efficiency", "%", "P ÷ (P + p₀ + a·P + b·P²) at its best load", 100.0),
    "peak_at": ("Best at", "W", "√(p₀ ÷ b), within the loads measured", 1.0),
    "half_arrives": ("Half arrives from", "W", "smaller root of b·P² − (1 − a)·P + p₀ = 0", 1.0),
    "weighted_efficiency_european": ("European efficiency", "%", "EN 50530 weights on rated output", 100.0),
    "weighted_efficiency_californian": ("Californian efficiency", "%", "EN 50530 weights on rated output", 100.0),
    "line_regulation": ("Line regulation", "mV/V", "median slope of output over input voltage, within tolerance", 1000.0),
    "load_regulation": ("Load regulation", "mV/A", "median slope of output voltage over current, within tolerance", 1000.0),
    "dropout_voltage": (
        "Leaves tolerance at",
        "V",
        "input falling: middle between the last point within and the first outside, highest over the loads",
        1.0,
    ),
    "shutoff_voltage": ("Shuts off at", "V", "input falling: middle between the last point on and the first off", 1.0),
    "restart_voltage": ("Starts again at", "V", "input rising: middle between the last point off and the first on", 1.0),
    "lead_resistance": ("Lead resistance", "Ω", "slope of what the leads drop over the current", 1.0),
    "rated_from": ("Gives its rating from", "V", "lowest input at which the rated output was there within tolerance", 1.0),
    "headroom": ("Headroom", "V", "to the nearer limit, the worst point within tolerance at the upper half of the input range", 1.0),
}


def _figures(
    tolerance: Tolerance | None,
    rated_w: float | None,
    running: Mask,
    within: Mask,
    regime: Mask,
    brackets: Brackets,
    nearest: int | None,
    weighed_by: Array,
    shown: Sequence[int],
) -> Figures:
    """How to work everything out. Which points are within tolerance, and what each weighs, stays as it was read: an error moves values, not the choice."""

    def figures(p: Points) -> dict[str, float | None]:
        model = _model_of(p, regime, weighed_by)
        scatter = _scatter(p, regime, model)
        fitted = of_model(model, p, regime, rated_w)
        return {
            **fitted,
            "peak_efficiency": best_share(p, shown, fitted["peak_efficiency"], scatter),
            "idle_power": _idle_power(p, running, model),
            "line_regulation": _median(_slopes(p, within, line=True)),
            "load_regulation": _median(_slopes(p, within, line=False)),
            **{key: middle_of_bracket(p, brackets, key) for key in THRESHOLDS},
            "loss_scatter": scatter,
            "lead_resistance": _lead(p)[0],
            "rated_from": _rated_from(p, within, rated_w),
            "headroom": _headroom(p, nearest, tolerance),
        }

    return figures


def of_model(model: LossModel | None, points: Points, within: Mask, rated_w: float | None) -> dict[str, float | None]:
    """What follows from the fitted losses."""
    if model is None:
        return dict.fromkeys(OF_MODEL)
    european = californian = None
    if rated_w and (loaded := within & ~_idle(points)).any():
        out, into = points.output_w[loaded], points.input_w[loaded]
        european, californian = (weighted_efficiency(s, rated_w, out, into, model) for s in (EUROPEAN, CALIFORNIAN))
    at, best = model.peak()
    return {
        "loss_fixed": model.fixed_w,
        "loss_proportional": model.proportional,
        "loss_resistive": model.resistive_per_w,
        "peak_efficiency": best,
        "peak_at": at,
        "half_arrives": model.half_arrives_w(),
        "weighted_efficiency_european": european,
        "weighted_efficiency_californian": californian,
    }


OF_MODEL = (
    "loss_fixed",
    "loss_proportional",
    "loss_resistive",
    "peak_efficiency",
    "peak_at",
    "half_arrives",
    "weighted_efficiency_european",
    "weighted_efficiency_californian",
)


def _usable(points: Points, meters: SweepMeters, rated_w: float | None) -> tuple[Points, list[str]]:
    good = np.isfinite(points.input_v) & np.isfinite(points.input_a) & np.isfinite(points.output_v) & np.isfinite(points.output_w)
    warnings = []
    if not good.all():
        left = int((~good).sum())
        warnings.append(
            say_many(left, "One point without all four readings was left out.", "{n} points without all four readings were left out.")
        )
    points = points.where(good)
    if len(points) < 2:
        raise ReadingsError(
            say_many(
                len(points),
                "One point with volts and amperes at input and output: at least two are needed.",
                "{n} points with volts and amperes at input and output: at least two are needed.",
            )
        )
    if float(np.median(points.input_a)) < 0:
        points = replace(points, input_a=-points.input_a)
        warnings.append(say("The input current was logged as negative; it is taken the other way round here."))
    points = without_lost(points, rated_w, warnings)
    loaded = points.where(points.output_w > IDLE_SHARE * float(points.output_w.max()))
    uncertainty = _power_uncertainty(loaded, meters)
    above = loaded.output_w > loaded.input_w + 2 * uncertainty
    if len(loaded) and above.mean() > 0.7:
        raise ReadingsError(more_out_than_in(loaded, int(above.sum())))
    if above.any():
        warnings.append(
            say_many(
                int(above.sum()),
                "At one point more comes out than goes in, by more than the ±: a slip, or unsettled. It was left out.",
                "At {n} points more comes out than goes in, by more than the ±: a slip, or unsettled. They were left out.",
            )
        )
        all_above = points.output_w > points.input_w + 2 * _power_uncertainty(points, meters)
        points = points.where(~(all_above & (points.output_w > IDLE_SHARE * float(points.output_w.max()))))
    return points, warnings


def _power_uncertainty(points: Points, meters: SweepMeters) -> Array:
    """Standard uncertainty of input − output power; 1 % of the input where no accuracy is known."""
    if not meters.known:
        return np.asarray(0.005 * np.abs(points.input_w))
    total = np.zeros(len(points))
    one = np.ones(len(points))
    output = [(meters.output_v, points.output_v, points.output_a), (meters.output_a, points.output_a, points.output_v)]
    for accuracy, value, other in (
        (meters.input_v, points.input_v, points.input_a),
        (meters.input_a, points.input_a, points.input_v),
        *(output if meters.output_w is None else [(meters.output_w, points.output_w, one)]),
    ):
        assert accuracy is not None
        total += (rectangular(1.0) * (accuracy.gain * np.abs(value) + accuracy.zero) * np.abs(other)) ** 2
    others = {
        "input_v": points.input_a,
        "input_a": points.input_v,
        "output_v": points.output_a,
        "output_a": points.output_v,
        "output_w": one,
    }
    for name, halves in points.half.items():
        if name in others:
            total += (rectangular(1.0) * halves * np.abs(others[name])) ** 2
    return np.sqrt(total)


def _near_usual(output_v: Array, running: Mask) -> Mask:
    usual = float(np.median(output_v[running])) if running.any() else 0.0
    return np.abs(output_v - usual) < 0.1 * max(usual, 1e-9)


def _idle(points: Points) -> Mask:
    return np.asarray(points.output_w <= IDLE_SHARE * float(points.output_w.max()))


def _model_of(points: Points, within: Mask, weighed_by: Array | None = None) -> LossModel | None:
    if not within.any() or not points.has_output:
        return None
    fitted = fit_loss(points.input_w[within], points.output_w[within], None if weighed_by is None else weighed_by[within])
    return fitted[0] if fitted else None


def _idle_power(points: Points, running: Mask, model: LossModel | None) -> float | None:
    idle = _idle(points) & running
    if not points.has_output:
        return None
    if idle.any():
        return float(points.input_w[idle].mean())
    return model.fixed_w if model else None


def _slopes(points: Points, within: Mask, *, line: bool) -> Array:
    """Slopes between points that differ in input voltage (line) or load only."""
    volts, amps, out = points.input_v[within], points.output_a[within], points.output_v[within]
    held, moved = (amps, volts) if line else (volts, amps)
    if not len(held):
        return np.array([])
    scale, least = max(float(np.abs(held).max()), 1e-9), 0.02 * max(float(np.abs(moved).max()), 1e-9)
    group = group_of(held, (SAME_LOAD if line else _SAME_VOLTS) * scale)
    order = np.lexsort((moved, group))
    moved, out, group = moved[order], out[order], group[order]
    along, across = moved[1:] - moved[:-1], out[1:] - out[:-1]
    enough = (along > least) & (group[1:] == group[:-1])
    return np.asarray(across[enough] / along[enough])


def _median(values: Array) -> float | None:
    return middle(values) if len(values) else None


def _scatter(points: Points, within: Mask, model: LossModel | None) -> float | None:
    if model is None:
        return None
    output = points.output_w[within]
    residual = points.input_w[within] - output - (model.fixed_w + model.proportional * output + model.resistive_per_w * output**2)
    return math.sqrt(float(residual @ residual) / len(residual))


def _rated_from(points: Points, within: Mask, rated_w: float | None) -> float | None:
    if not rated_w:
        return None
    reached = within & (points.output_w > 0.97 * rated_w)
    return float(points.input_v[reached].min()) if reached.any() else None


def _nearest(points: Points, within: Mask, tolerance: Tolerance | None) -> int | None:
    """The point within tolerance, in the upper half of the input range, that comes nearest to a limit."""
    if tolerance is None:
        return None
    upper = np.flatnonzero(within & (points.input_v >= (points.input_v.max() + points.input_v.min()) / 2))
    if not len(upper):
        return None
    volts = points.output_v[upper]
    return int(upper[int(np.argmin(np.minimum(volts - tolerance.low, tolerance.high - volts)))])


def _headroom(points: Points, nearest: int | None, tolerance: Tolerance | None) -> float | None:
    """To the limit that this point is nearest to: which one that is stays as it was read."""
    if nearest is None or tolerance is None:
        return None
    volts = float(points.output_v[nearest])
    return volts - tolerance.low if volts < tolerance.nominal else tolerance.high - volts


def carried_w(points: Points, within: Mask) -> float:
    """The largest output within tolerance, W; 0 for none."""
    return float(points.output_w[within].max()) if within.any() else 0.0


def _lead(points: Points) -> tuple[float | None, float]:
    """(slope of the drop over the current, its standard uncertainty by scatter)."""
    there = np.isfinite(points.source_v) & (points.input_a > 0.05 * float(np.max(points.input_a)))
    if there.sum() < 3 or np.ptp(points.input_a[there]) < 0.2 * float(points.input_a[there].max()):
        return None, 0.0
    amps, drop = points.input_a[there], points.source_v[there] - points.input_v[there]
    centred = amps - amps.mean()
    square = float(np.dot(centred, centred))
    slope = float(np.dot(centred, drop)) / square
    design = np.column_stack(
        [np.ones_like(amps), amps, points.source_v[there]]
    )  # what a gain error does goes with the voltage: it is no scatter
    residual = drop - design @ np.linalg.lstsq(design, drop, rcond=None)[0]
    return slope, math.sqrt(float(np.dot(residual, residual)) / max(len(amps) - 3, 1) / square)


_SCATTER = words("scatter of the points")


def _left_open(key: str, points: Points, good: Mask, running: Mask, scatter: dict[str, float], brackets: Brackets) -> Value:
    """What the points themselves leave open: their ``scatter`` about the fit, by key, and the brackets of thresholds. A value around 0 in the finding's unit."""
    name, factor = say(_NAMES[key][0]), _NAMES[key][3]
    if key in THRESHOLDS:
        k, j = brackets[key]
        half = abs(float(points.input_v[k] - points.input_v[j])) / 2
        return within(half, words("bracket"), "V", when=name, note=say("half of it"))
    if key in {"line_regulation", "load_regulation"}:
        slopes = _slopes(points, good, line=key == "line_regulation")
        if len(slopes) < 2:
            return exactly(0.0)
        middle = float(np.median(slopes))
        spread = float(np.median(np.abs(slopes - middle))) / 0.6745
        u = factor * 1.25 * spread / math.sqrt(len(slopes))
        return scattered(u, _SCATTER, len(slopes) - 1, when=name, note=say("median of the slopes"))
    if key == "lead_resistance":
        return scattered(_lead(points)[1], _SCATTER, max(len(points) - 3, 1), when=name)
    if key == "idle_power":
        idle = _idle(points) & running
        if idle.sum() > 1:
            u = float(np.std(points.input_w[idle], ddof=1)) / math.sqrt(int(idle.sum()))
            return scattered(u, _SCATTER, int(idle.sum()) - 1, when=name)
    fitted = max(int(good.sum()) - 3, 1)
    return scattered(factor * scatter[key], _SCATTER, fitted, when=name, note=say("about the fit")) if key in scatter else exactly(0.0)


def _fit_scatter(points: Points, within: Mask, model: LossModel | None, rated_w: float | None) -> dict[str, float]:
    """The scatter of the points about the fit, each by its own residual, carried into what was made from it; standard uncertainties by key."""
    chosen = points.where(within)
    fitted = fit_loss(chosen.input_w, chosen.output_w) if len(chosen) else None
    if model is None or fitted is None:
        return {}
    _, takes, residual = fitted
    covariance = (takes * residual**2) @ takes.T * len(chosen) / max(len(chosen) - 3, 1)
    everywhere = np.ones(len(chosen), dtype=bool)
    base = of_model(model, chosen, everywhere, rated_w)
    slopes = {key: np.zeros(3) for key, value in base.items() if value is not None}
    for k, name in enumerate(("fixed_w", "proportional", "resistive_per_w")):
        step = 0.5 * math.sqrt(max(float(covariance[k, k]), 1e-30))
        moved = of_model(replace(model, **{name: getattr(model, name) + step}), chosen, everywhere, rated_w)
        for key, column in slopes.items():
            before, after = base[key], moved[key]
            column[k] = (after - before) / step if after is not None and before is not None else 0.0
    found = {key: math.sqrt(max(float(column @ covariance @ column), 0.0)) for key, column in slopes.items()}
    return found | ({"idle_power": found["loss_fixed"]} if "loss_fixed" in found else {})


def point_efficiencies(points: Points, meters: SweepMeters) -> list[Finding | None]:
    """Efficiency of each point by itself, with its ±; None where there is no output to speak of."""
    loaded = points.has_output & (points.output_w > 0) & (points.input_w > 0)
    eta, _ = _efficiency(points, meters, loaded)
    parts = _efficiency_parts(points, meters, loaded, eta) if meters.known else None
    return [
        Finding.made("efficiency", say("Efficiency"), _at_point(k, eta, parts), "%", "") if loaded[k] else None for k in range(len(points))
    ]


def _efficiency(points: Points, meters: SweepMeters, running: Mask) -> tuple[Array, Array]:
    """(percent, expanded uncertainty) at each point; NaN where the output is off or nothing is drawn."""
    on = running & (points.input_w > 0) & points.has_output
    eta = np.where(on, 100 * points.output_w / np.where(on, points.input_w, 1.0), math.nan)
    if not meters.known:
        return eta, np.full(len(points), math.nan)
    total = sum((column**2 for column in _efficiency_parts(points, meters, on, eta).values()), np.zeros(len(points)))
    return eta, np.where(on, 2 * np.sqrt(total), math.nan)


def _efficiency_parts(points: Points, meters: SweepMeters, on: Mask, eta: Array) -> dict[ErrorSource, Array]:
    """What each error does to the efficiency at each point, in percent: (n,) by its source; a column's digits stand under its name, each row's its own."""
    parts: dict[ErrorSource, Array] = {}
    if is_drawing():
        return parts
    for source, shift in errors_in_points(points, meters):
        moved = shift(points, 1.0)
        parts[source] = np.where(on, 100 * moved.output_w / np.where(on, moved.input_w, 1.0) - eta, 0.0)
    for name in points.half:
        moved = rounded_up(points, name)
        column = ErrorSource(ErrorKind.DIGIT, say(name.replace("_", " ")))
        parts[column] = np.where(on, 100 * moved.output_w / np.where(on, moved.input_w, 1.0) - eta, 0.0)
    return parts


def _warn(
    warnings: list[str],
    points: Points,
    eta: Array,
    eta_u: Array,
    within: Mask,
    running: Mask,
    tolerance: Tolerance | None,
    rated_w: float | None = None,
) -> None:
    over = int(np.sum(eta > 100))
    if over:
        warnings.append(
            say_many(
                over,
                "One point is over 100 %, within the ±: the meters cannot tell it from 100 %.",
                "{n} points are over 100 %, within the ±: the meters cannot tell it from 100 %.",
            )
        )
    if rated_w and carried_w(points, within) < 0.97 * rated_w and float(points.output_w.max(initial=0.0)) > 0:
        warnings.append(
            say(
                "Its rated {rated_w} W were never reached within tolerance: {plain} W at most.",
                rated_w=plain(rated_w, 3),
                plain=plain(carried_w(points, within), 3),
            )
        )
    if tolerance is not None and not within.any():
        warnings.append(say("The output was never within {show}: is the tolerance the right one?", show=tolerance.show()))
    if (~running).any():
        count = int((~running).sum())
        warnings.append(
            say_many(
                count,
                "At one point the output was off: it is not in the losses.",
                "At {n} points the output was off: they are not in the losses.",
            )
        )
    loaded = np.isfinite(eta_u) & (points.output_w > _TOLD_FROM * float(points.output_w.max(initial=0.0)))
    worst = float(np.max(eta_u[loaded])) if loaded.any() else 0.0
    if worst > 2.0:
        warnings.append(
            say(
                "The efficiency is known to ± {worst} points at worst: with one good meter moved from input to output, re-zeroed, its own gain error cancels.",
                worst=plain(worst, 2),
            )
        )


_TOLD_TO = 10.0
"""Points: an efficiency that may be off by more is none that one could act on."""


def best_sentence(found: Sweep) -> str:
    """Its best efficiency in words, as long as it can be told at all; empty where there is none."""
    best = found.findings["peak_efficiency"]
    if best.value is None:
        return ""
    if best.value > 100:
        return say("its best efficiency cannot be told from 100 %: {best}", best=best.with_uncertainty())
    if (best.expanded_uncertainty or 0.0) > _TOLD_TO:
        return say("its best efficiency cannot be told: {best}", best=best.with_uncertainty())
    return say("best {best} at {load}", best=best.with_uncertainty(), load=found.findings["peak_at"].value_text())


def states_of(found: Sweep) -> list[str]:
    """What became of each point: taken, outside tolerance, off."""
    usual = float(np.median(found.points.output_v[found.points.output_v > 0])) if (found.points.output_v > 0).any() else 0.0
    return [
        OFF if volts <= OFF_SHARE * usual else TAKEN if within else OUTSIDE
        for volts, within in zip(found.points.output_v, found.in_tolerance, strict=True)
    ]
