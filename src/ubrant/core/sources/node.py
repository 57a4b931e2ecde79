"""Three branches at one node: what comes in, what the load takes, what the battery gives; whether it closes, and the largest load for ever."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.points import Mask
from ubrant.core.sources.behind_stages import (
    at_loads,
    at_one_load,
    at_points,
    behind_stages,
    between_at,
    idle_power,
    largest_for_ever,
    top_ups,
)
from ubrant.core.sources.branches import BATTERY, BRANCHES, CARRIED, IN, LOSING, NO_DRAIN_SEEN, NOT_KNOWN, ON_BATTERY, OUT, STANDS, Branches
from ubrant.core.sources.node_leads import lead_resistances
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, as_read, digit, scattered, within
from ubrant.core.wording import say, words

_CLOSES = 1.5
"""Times U: at twice the standard uncertainty one point in twenty that is sound would be called open. Common practice, no source."""
_LEAST_GAINS = 4


@dataclass(frozen=True)
class NodeFound:
    """What a node says.

    Attributes
    ----------
    findings : by key
    branches : as they count: what was not read is worked out from the others
    states : of each point
    told : what the battery does at each, in a few words
    closes : whether each point does, within its ±; None where only two branches were read
    warnings : sentences
    is_module : converters stand between the battery and what was read
    """

    findings: Mapping[str, Finding]
    branches: Branches
    states: tuple[str, ...]
    told: tuple[str, ...]
    closes: tuple[bool | None, ...]
    warnings: tuple[str, ...]
    is_module: bool = False


def analyse_node(read: Branches, rating_w: float | None = None) -> NodeFound:
    """Findings of a node, or of a module with converters between; ``rating_w`` of that by its label.

    Raises
    ------
    ReadingsError
        No point with two branches.
    """
    warnings: list[str] = []
    read = _turned(read, warnings)
    behind = behind_stages(read)
    if behind:
        return _behind(read, behind, rating_w, warnings)
    full = _filled(read, warnings)
    if not len(full):
        raise ReadingsError(
            say(
                "No point has the amperes of two branches: type them in one line, like “charger 13.9 V 2.0 A load 13.2 V 1.0 A battery 13.3 V -1.0 A”."
            )
        )
    findings: dict[str, Finding] = {}
    closes: list[bool | None] = []
    count = sum(np.isfinite(column).astype(int) for column in read.amps.values())
    for k, at in enumerate(np.flatnonzero(count >= 2).tolist()):
        found = _residual(read, at, k + 1)
        findings[found.key] = found
        u = found.expanded_uncertainty
        closes.append(None if found.value is None or u is None else abs(found.value) <= _CLOSES * u)
    if False in closes:
        warnings.append(_not_closed(findings, closes, read))
    findings |= _gains(read)
    findings |= lead_resistances(read.volts, read.amps, read.accuracy, OUT)
    states = tuple(_state(full, k) for k in range(len(full)))
    sustained = _sustained(full, np.array([closed is not False for closed in closes]))
    findings = {sustained.key: sustained, **findings} if sustained is not None else findings
    return NodeFound(findings, full, states, tuple(_told(full, k) for k in range(len(full))), tuple(closes), tuple(warnings))


def _behind(read: Branches, behind: frozenset[str], rating_w: float | None, warnings: list[str]) -> NodeFound:
    """The same with converters between: watts are balanced, and what is left over is lost in them."""
    read = read.rows(np.argsort(read.time_s, kind="stable"))
    groups = at_one_load(read)
    if not groups:
        raise ReadingsError(
            say("No row has the load’s amperes: type them, like “charger 5.10 V 0.60 A load 5.05 V 0.40 A battery 3.95 V”.")
        )
    warnings.append(
        say("The voltages are not those of one node: a converter stands between, so power is balanced. What is left over is lost in it.")
    )
    found = at_loads(read, groups, behind, rating_w)
    points = at_points(read, groups)
    findings: dict[str, Finding] = {}
    for k in range(len(points)):
        left = _residual(points, k, k + 1, by_power=True)
        if left.value is not None:
            findings[left.key] = left
    known = [idle_power(points, found), top_ups(read, groups), *between_at(points, found)]
    metered = np.isfinite(points.amps[BATTERY]).all()
    sustained = (_sustained(points, np.ones(len(points), bool)) if metered else None) or largest_for_ever(points, found)
    findings = {one.key: one for one in (sustained, *known) if one is not None} | findings
    if stood := sum(at.state == NO_DRAIN_SEEN for at in found):
        warnings.append(
            say(
                "At {n} of {count} loads the battery's volts stood: no drain seen, which proves none. An hour at that load, or its amperes, would.",
                n=stood,
                count=len(found),
            )
        )
    if unknown := sum(at.state == NOT_KNOWN for at in found):
        warnings.append(
            say(
                "At {n} of {count} loads nobody can say what its battery does: read its amperes, or its volts twice, ten minutes apart at one load.",
                n=unknown,
                count=len(found),
            )
        )
    states, told = tuple(at.state for at in found), tuple(at.told for at in found)
    return NodeFound(findings, points, states, told, (None,) * len(points), tuple(warnings), is_module=True)


def _turned(read: Branches, warnings: list[str]) -> Branches:
    """With the battery's current positive out of it: turned where that closes every point and the other way round none."""
    there = np.isfinite(read.amps[IN]) & np.isfinite(read.amps[OUT]) & np.isfinite(read.amps[BATTERY])
    flows = there & (np.abs(read.amps[BATTERY]) > 0.05 * max(_largest(read.amps[OUT]), 1e-9))
    if not flows.any():
        return read
    as_read = np.abs(read.amps[IN] + read.amps[BATTERY] - read.amps[OUT])[flows]
    turned = np.abs(read.amps[IN] - read.amps[BATTERY] - read.amps[OUT])[flows]
    if not (turned < 0.3 * as_read).all():
        return _signed(read, flows, as_read, turned, warnings)
    warnings.append(say("The battery's current was written as positive while it charges; it is taken the other way round here."))
    return replace(read, amps={**read.amps, BATTERY: -read.amps[BATTERY]})


def _signed(read: Branches, flows: npt.NDArray[np.bool_], as_read: Array, turned: Array, warnings: list[str]) -> Branches:
    """Of a meter that shows no sign: positive throughout, and each point closes one way round; where more comes in than goes out it charges."""
    battery = read.amps[BATTERY]
    charges = turned < 0.3 * as_read
    closes = np.minimum(as_read, turned) < 0.25 * np.abs(battery[flows])
    if (battery[flows] < 0).any() or not charges.any() or not closes.all():
        return read
    more_in = read.amps[IN][flows] > read.amps[OUT][flows]
    if (charges & ~more_in).any():
        return read
    sign = np.ones(len(battery))
    sign[np.flatnonzero(flows)[charges]] = -1.0
    warnings.append(say("The battery's current was written without a sign: where more comes in than goes out it is taken as charging."))
    return replace(read, amps={**read.amps, BATTERY: sign * battery})


def _filled(read: Branches, warnings: list[str]) -> Branches:
    """Points with two branches at least, the third worked out from them where it was not read."""
    amps = {branch: column.copy() for branch, column in read.amps.items()}
    count = sum(np.isfinite(column).astype(int) for column in amps.values())
    keep = np.asarray(count >= 2)
    worked = {branch: keep & ~np.isfinite(amps[branch]) for branch in BRANCHES}
    amps[IN] = np.where(worked[IN], amps[OUT] - amps[BATTERY], amps[IN])
    amps[OUT] = np.where(worked[OUT], amps[IN] + amps[BATTERY], amps[OUT])
    amps[BATTERY] = np.where(worked[BATTERY], amps[OUT] - amps[IN], amps[BATTERY])
    warnings += [
        say(
            "The {branch}'s current was not read at {n} points: it was worked out from the others, and those cannot tell whether it closes.",
            branch=say(branch),
            n=int(there.sum()),
        )
        for branch, there in worked.items()
        if there.any()
    ]
    return replace(read, amps=amps).rows(keep)


def _residual(read: Branches, at: int, number: int, *, by_power: bool = False) -> Finding:
    """What comes in and out of the battery at a row, less what the load takes; Kirchhoff's current law wants nothing left."""
    unit = "W" if by_power else "A"
    name = say("Lost in it at point {n}", n=number) if by_power else say("Left over at point {n}", n=number)
    key = f"residual_{number}"
    row = {b: (float(read.volts[b][at]), float(read.amps[b][at])) for b in BRANCHES}
    if any(math.isnan(a) or (by_power and math.isnan(v)) for v, a in row.values()):
        return Finding(key, name, None, unit, None, say("only two branches were read"))

    def as_shown(branch: str, quantity: str) -> Value:
        widths = read.half.get(f"{branch} {quantity}")
        half = float(widths[at]) if widths is not None and widths[at] > 0 else 0.0
        shown = row[branch]["VA".index(quantity)]
        return as_read(shown, read.accuracy.get((branch, quantity)), branch) + digit(half, quantity, when=f"{branch} {number}")

    terms = {b: as_shown(b, "V") * as_shown(b, "A") if by_power else as_shown(b, "A") for b in BRANCHES}
    working = f"{show(terms[IN].value)} + {show(terms[BATTERY].value)} − {show(terms[OUT].value)} {unit}"
    return Finding.made(key, name, terms[IN] + terms[BATTERY] - terms[OUT], unit, working)


def _not_closed(findings: Mapping[str, Finding], closes: list[bool | None], read: Branches) -> str:
    count = closes.count(False)
    first = closes.index(False)
    found = findings[f"residual_{first + 1}"]
    text = say(
        "At {n} points it does not close: {left} are left at the first, by more than the ±. Something else draws or feeds there, or a meter is wrong.",
        n=count,
        left=found.with_uncertainty(),
    )
    culprit = _culprit(read)
    return f"{text} {culprit}".strip()


def _culprit(read: Branches) -> str:
    """The branch whose gain alone would close every point, where one does far better than the others."""
    rows = np.column_stack([read.amps[b] for b in BRANCHES])
    rows = rows[np.isfinite(rows).all(axis=1)]
    if len(rows) < 2:
        return ""
    signs = np.array([1.0, -1.0, 1.0])  # in, load, battery
    left = rows @ signs
    found = []
    for k, branch in enumerate(BRANCHES):
        column = signs[k] * rows[:, k]
        square = float(column @ column)
        if square <= 0:
            continue
        share = -float(column @ left) / square
        rest = left + share * column
        found.append((float(np.sqrt(np.mean(rest**2))), branch, share))
    found.sort()
    before = float(np.sqrt(np.mean(left**2)))
    if len(found) < 2 or found[0][0] > 0.3 * before or found[0][0] > 0.5 * found[1][0]:
        return ""
    return say(
        "The {branch}'s amperes times {factor} would close them all: look at that meter first.",
        branch=say(found[0][1]),
        factor=show(1 + found[0][2], 3),
    )


def _gains(read: Branches) -> dict[str, Finding]:
    """Gains of two meters against the load's, from four points on in which two currents were varied by themselves."""
    whole = np.isfinite(np.column_stack([read.amps[b] for b in BRANCHES])).all(axis=1)
    values = {f"{b} A": read.amps[b][whole] for b in BRANCHES}
    design, load = _design(values)
    if len(load) < _LEAST_GAINS:
        return {}
    size = np.linalg.svd(design / max(float(np.abs(design).max()), 1e-12), compute_uv=False)
    if size[-1] < 0.2 * size[0]:
        return {}
    accuracies = {b: read.accuracy.get((b, "A")) for b in BRANCHES}
    zeros = (e for b, limits in accuracies.items() for e in errors_in(limits, f"{b} A", place=b) if e.source.kind is ErrorKind.ZERO)
    half = {key: column[whole] for key, column in read.half.items() if key in values}
    solved = by_errors(_ratios, values, zeros, half)
    left = load - design @ np.linalg.lstsq(design, load, rcond=None)[0]
    covariance = np.linalg.inv(design.T @ design) * float(left @ left) / (len(load) - 2)
    found = {}
    for k, branch in enumerate((IN, BATTERY)):
        key = f"gain_{branch}"
        name = say("{branch} reads against the load", branch=say(branch).capitalize())
        spread = scattered(float(np.sqrt(covariance[k, k])), words("scatter of the points"), float(len(load) - 2), when=say(branch))
        ratio = solved[branch]
        value = None if ratio is None else 100 / (ratio + spread) - 100
        working = say("I_load = a·I_in + b·I_battery, least squares over {n} points", n=len(load))
        found[key] = Finding.made(key, name, value, "%", working)
    return found


def _design(values: Columns) -> tuple[Array, Array]:
    return np.column_stack([values[f"{IN} A"], values[f"{BATTERY} A"]]), values[f"{OUT} A"]


def _ratios(values: Columns) -> dict[str, float | None]:
    """What each of the two would have to be multiplied by to make the load's; their own gains are what is looked for."""
    solved, *_ = np.linalg.lstsq(*_design(values), rcond=None)
    return {b: float(a) or None for b, a in zip((IN, BATTERY), solved, strict=True)}


def _state(full: Branches, k: int) -> str:
    into, battery, load = (float(full.amps[b][k]) for b in (IN, BATTERY, OUT))
    small = STANDS * max(abs(into), abs(battery), abs(load), 1e-9)
    if battery <= small:
        return CARRIED
    return ON_BATTERY if abs(into) <= small else LOSING


def _sustained(full: Branches, closes: Mask) -> Finding | None:
    """The largest load at which the battery is not drained: where its current goes through nothing as the load grows.

    A point that does not close says nothing of it.
    """
    key, name = "largest_sustained_load", say("The most it carries without running down")
    volts = full.volts[OUT]
    volts = np.where(np.isfinite(volts), volts, np.nan_to_num(full.volts[BATTERY], nan=math.nan))
    watts = volts * full.amps[OUT]
    good = closes & np.isfinite(watts) & np.isfinite(full.amps[BATTERY]) & (full.amps[IN] > STANDS * _largest(full.amps[IN]))
    if good.sum() < 2 or not (full.amps[IN] > 0).any():
        return None
    order = np.flatnonzero(good)[np.argsort(watts[good], kind="stable")]
    drained = full.amps[BATTERY][order] > 0
    if not drained.any() or not drained[-1]:
        most = float(watts[order[-1]])
        return Finding(key, name, most, "W", (), say("at all of {n} loads the battery was charged or stood", n=len(order)), bound=AT_LEAST)
    if drained.all():
        least = float(watts[order[0]])
        return Finding(key, name, least, "W", (), say("at all of {n} loads the battery gave", n=len(order)), bound=AT_MOST)
    j = int(np.flatnonzero(~drained)[-1]) + 1  # a module that runs on its battery at light loads may carry heavier ones
    below, above = int(order[j - 1]), int(order[j])
    values = {
        f"{b} {q}": np.array([(full.volts if q == "V" else full.amps)[b][i] for i in (below, above)]) for b in (OUT, BATTERY) for q in "VA"
    }
    values[f"{OUT} V"] = np.array([volts[below], volts[above]])
    errors = tuple(
        e
        for b, q in ((OUT, "A"), (OUT, "V"), (BATTERY, "A"))
        if (accuracy := full.accuracy.get((b, q))) is not None
        for e in errors_in(accuracy, f"{b} {q}", place=b)
    )
    half = {key_: column[[below, above]] for key_, column in full.half.items() if key_ in values}
    known = all(full.accuracy.get((b, q)) is not None for b, q in ((OUT, "A"), (OUT, "V"), (BATTERY, "A")))
    at = by_errors(_crossing, values, errors, half, known=known)["at"]
    assert at is not None
    low, high = (float(watts[i]) for i in (below, above))
    moved = abs(float(full.amps[IN][above] - full.amps[IN][below])) * float(volts[above])
    why = say("half of what comes in changes between the two loads")
    at += within(min(moved, high - low) / 2, words("between the two loads"), "W", note=why)
    working = say("the battery's current goes through nothing between {low} and {high} W", low=show(low, 3), high=show(high, 3))
    return Finding.made(key, name, at, "W", working)


def _largest(values: Array) -> float:
    """By size; 0 where nothing was read."""
    return float(np.max(np.abs(values[np.isfinite(values)]), initial=0.0))


def _crossing(values: Columns) -> dict[str, float | None]:
    watts = values[f"{OUT} V"] * values[f"{OUT} A"]
    amps = values[f"{BATTERY} A"]
    rise = float(amps[1] - amps[0])
    return {"at": float(watts[0] - amps[0] * (watts[1] - watts[0]) / rise) if rise else float(watts[0])}


def _told(full: Branches, k: int) -> str:
    """What the battery does at a point, in a few words."""
    amps = float(full.amps[BATTERY][k])
    if abs(amps) <= STANDS * max(abs(float(full.amps[OUT][k])), abs(float(full.amps[IN][k])), 1e-9):
        return say("battery stands")
    return say("gives {a} A", a=show(amps, 3)) if amps > 0 else say("charges {a} A", a=show(-amps, 3))
