"""What the methods for converters, inverters and supplies share: their meters, their path, meters that are read along, what is drawn of them."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ubrant.core.account import WaveAtLoad
from ubrant.core.conversion.slips import first_pair, loses_less
from ubrant.core.conversion.sweep import Sweep, point_efficiencies, states_of
from ubrant.core.drawings import DOTTED, PLANNED, SOLID, TAKEN, Area, Curve, Dots, Ladder, Layer, Plot, Rule, Rung, Span
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show
from ubrant.core.quantities.readings import Array, ReadingsError, Series
from ubrant.core.quantities.tolerance import Tolerance, parse_tolerance
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import SAME_PLACE, SIMULATED, Criteria, Setup
from ubrant.core.record.points import Points, SweepMeters
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.settled import PointRows, Setting, is_read_in_watts, mean_between, points_taken, row_of_line
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.second_meter import disagreement
from ubrant.core.wording import say, words
from ubrant.methods.method import MethodError, clipped
from ubrant.methods.ratings import ratings_in, read_ratings

SOURCE, MAINS, LEADS, UNIT, LOAD = "source", "mains", "leads", "unit", "load"
"""Places on a path."""
EITHER = " W     ◆ outside   × off"


def meters_of(record: Record) -> SweepMeters:
    """Accuracies at both ends."""
    setup = record.head.setup
    volts, amps = record.quoted("input", "V"), record.quoted("input", "A")
    out_v, out_a = record.quoted("output", "V"), record.quoted("output", "A")
    out_w = record.quoted("output" if "output" in setup.meters else "input", "W") if _is_read(record, "output", "W") else None
    if "output" not in setup.meters:  # one meter, moved
        volts, out_v = _moved(volts)
        amps, out_a = _moved(amps)
    if (at_v := is_read_in_watts(record)) is not None:  # what carries the watts is in doubt as they are, and shares no gain with amperes
        watts = record.quoted("input", "W")
        volts = volts or Accuracy(0.0, 0.0, "V", place="input")
        amps = None if watts is None else Accuracy(watts.gain, watts.zero / abs(at_v), "A", place="input")
    return SweepMeters(volts, amps, out_v, out_a, out_w, record.quoted("source", "V"))


def _moved(accuracy: Accuracy | None) -> tuple[Accuracy | None, Accuracy | None]:
    """The same meter at the input and at the output."""
    return (None, None) if accuracy is None else (accuracy.shared(), accuracy.moved_to("output"))


def _is_read(record: Record, tap: str, quantity: str) -> bool:
    return any(SAME_PLACE.get(t, t) == tap and q == quantity for t, q in (*record.readings, *record.typed.series))


def upstream_ohm(record: Record) -> float:
    """What lies upstream of the voltmeter at the input of an inverter, as far as it is known; 0 where the current is smooth, as the simulated bench's is.

    The current of an inverter's input pulsates with twice its frequency, and the voltage with it: their means multiplied are too much.
    """
    setup, battery = record.head.setup, record.head.setup.battery
    if record.head.origin.road == SIMULATED:
        return 0.0
    label = battery.label if battery is not None else None
    kind = label.kind_of_cell if label is not None else None
    of_battery = kind.usual_ohm(label.series, label.charge_ah) if kind and label and label.series and label.charge_ah else 0.0
    return of_battery + (setup.leads.resistance_ohm if record.head.plan else 0.0)


# the path


@dataclass(frozen=True)
class Through:
    """W, V and A that flow at a tap; NaN for what was not read."""

    watts: float
    volts: float = math.nan
    amps: float = math.nan

    def flow(self, meter: str) -> Flow:
        watts, volts, amps = (None if math.isnan(v) else v for v in (self.watts, self.volts, self.amps))
        return Flow(watts, volts, amps, meter)


def chain_path(setup: Setup, chain: Sequence[str], known: dict[str, Flow] | None, *, two_ends: bool = True) -> PowerPath:
    """What stands on the path, in watts; where to clip the meters where nothing is ``known`` yet, by the place behind each tap."""
    battery, leads = setup.battery, setup.leads
    boxes = {
        SOURCE: PathNode("battery", battery.name, battery.printed) if battery is not None else PathNode("battery", say("Supply")),
        MAINS: PathNode("battery", say("Mains")),
        LEADS: PathNode("leads", say("Leads"), leads.describe()),
        UNIT: PathNode("converter", setup.unit.name, setup.unit.printed),
        LOAD: PathNode("load", say("Load")),
    }
    output = setup.meter("output") if "output" in setup.meters else setup.meter("input")
    clips = {
        SOURCE: say("volts at its terminals") if battery else say("its own display"),
        UNIT: clipped(setup.meter("input")),
        LOAD: clipped(output) if two_ends else say("the load's own display"),
    }
    flows = []
    for after in chain[1:]:
        tap = SOURCE if after == LEADS else after
        flows.append((known or {}).get(tap, Flow(None)) if known else Flow(None, meter=clips[tap]))
    losses: list[tuple[float, str | None]] = [(0.0, None)]
    for into, out in pairwise(flows):
        lost = max(into.amount - out.amount, 0.0) if into.amount is not None and out.amount is not None else 0.0
        losses.append((lost, say("{watts} W lost", watts=show(lost, 3)) if lost > 0.005 else None))
    last = flows[-1].amount if chain[-1] == UNIT and LEADS in chain else None
    losses.append((last, say("all lost")) if last is not None else (0.0, None))
    return PowerPath(
        tuple(boxes[place] for place in chain), tuple(flows), tuple(text for _, text in losses), tuple(w for w, _ in losses), "W"
    )


def flows_at(setup: Setup, points: Points, k: int) -> dict[str, Flow]:
    """What flows at each tap at one point, by the place behind it."""
    volts, amps = float(points.input_v[k]), float(points.input_a[k])
    read = bool(np.isfinite(points.source_v[k]))
    source_v = float(points.source_v[k]) if read else volts + amps * setup.leads.resistance_ohm
    output = setup.meter("output") if "output" in setup.meters else setup.meter("input")
    return {
        SOURCE: Flow(source_v * amps, source_v, amps, "source" if read else ""),
        UNIT: Flow(float(points.input_w[k]), volts, amps, setup.meter("input").name),
        LOAD: Flow(float(points.output_w[k]), float(points.output_v[k]), float(points.output_a[k]), output.name),
    }


def flows_of(setup: Setup, into: Through | None, out: Through | None = None) -> dict[str, Flow]:
    """The same where there are no points; the source is worked out by the leads."""
    flows = {}
    output = setup.meter("output") if "output" in setup.meters else setup.meter("input")
    for place, through, meter in ((UNIT, into, setup.meter("input")), (LOAD, out, output)):
        if through is not None:
            flows[place] = through.flow(meter.name)
    at = flows.get(UNIT)
    if at is not None and at.volts is not None and at.amps is not None:
        source_v = at.volts + at.amps * setup.leads.resistance_ohm
        flows[SOURCE] = Flow(source_v * at.amps, source_v, at.amps)
    return flows


# what each typed row says


def each_efficiency(record: Record) -> dict[float, str]:
    """Efficiency of every typed row that holds both ends, with its ±, by its time; what goes in where nothing comes out."""
    lines = [(e.time_s, *row_of_line(e.jotting)) for e in record.lines if e.jotting.readings]
    if not lines:
        return {}
    times, values, half = (np.array(column) for column in zip(*lines, strict=True))
    rows = PointRows(((0.0, 0.0),) * len(lines), values, half, times, (True,) * len(lines), (None,) * len(lines))
    points = rows.points()
    if points is None:
        return {}
    found = {}
    for time_s, into, one in zip(times.tolist(), points.input_w.tolist(), point_efficiencies(points, meters_of(record)), strict=True):
        if one is not None:
            found[time_s] = one.with_uncertainty()
        elif math.isfinite(into):
            found[time_s] = say("{watts} W in", watts=show(into, 3))
    return found


_MOST_ANSWERS = 8


def efficiency_keys(findings: Mapping[str, Finding]) -> list[str]:
    """Of the efficiency at each load: the answer of whoever measures one."""
    return [key for key in findings if re.fullmatch(r"efficiency_\d+", key)][:_MOST_ANSWERS]


# meters that are read along


def disagreements(record: Record) -> tuple[str, ...]:
    """A sentence for every quantity on which two meters at one place are too far apart."""
    sentences = []
    for tap, other in record.head.setup.meters.items():
        place, _, number = tap.rpartition(" ")
        if not number.isdigit() or place not in record.head.setup.meters:
            continue
        for unit in "VA":
            mine, theirs = record.corrected(place, unit), record.corrected(tap, unit)
            if mine is not None and theirs is not None and len(mine) and len(theirs):
                pair = _paired(record, mine, theirs)
                sentences.append(
                    disagreement(*pair, unit, record.accuracy(place, unit), record.accuracy(tap, unit), f"{other.name} at the {place}")
                )
    return tuple(text for text in sentences if text)


def _paired(record: Record, mine: Series, other: Series) -> tuple[Array, Array]:
    """What both showed: settled means at every point, or else moment by moment."""
    spans = [(e.from_s, e.time_s) for e in record.of(PointTaken)]
    if spans:
        return np.array([mean_between(mine, *s) for s in spans]), np.array([mean_between(other, *s) for s in spans])
    return np.interp(other.time_s, mine.time_s, mine.value, np.nan, np.nan), other.value


# drawings


def loss_plot(sweep: Sweep | None, *, live: bool) -> Plot:
    """Losses over the load: always-on, proportional and resistive part stacked; the measured points on it, the latest ringed while it goes on."""
    title, along, up = say("What it burns"), say("load, W"), say("loss, W")
    if sweep is None or not len(sweep.points):
        return Plot(title, along, up, (0.0, 1.0), (0.0, 1.0))
    points, model = sweep.points, sweep.model
    loss = points.input_w - points.output_w
    top = float(np.max(loss[sweep.in_tolerance])) if sweep.in_tolerance.any() else 1.0
    x_span, y_span = (0.0, max(float(points.output_w.max()) * 1.04, 0.1)), (0.0, max(top * 1.15, 1e-3))
    layers: list[Layer] = []
    description = ""
    if model is not None:
        loads = np.linspace(0, x_span[1], 60)
        parts = np.array([model.parts_w(float(p)) for p in loads]).clip(0)
        lower = np.zeros(len(loads))
        for column, name in enumerate((say("always on"), say("proportional"), say("resistive"))):
            layers.append(Area(loads, lower, lower + parts[:, column], "loss", column, name))
            lower = lower + parts[:, column]
        description = f"p₀ {plain(model.fixed_w, 3)} W, a {plain(model.proportional, 3)}, b {plain(model.resistive_per_w, 3)} per W"
    good = sweep.in_tolerance
    layers.append(Dots(points.output_w[good], loss[good], (TAKEN,) * int(good.sum())))
    if live:
        layers.append(Dots(points.output_w[-1:], loss[-1:], ("",), ringed=0))
    return Plot(title, along, up, x_span, y_span, tuple(layers), description)


_SAME_INPUT = 0.03
_MOST_LINES = 4


def efficiency_over_load(sweep: Sweep | None, to_come_w: Sequence[float] = ()) -> Plot:
    """Efficiency over the load with its ±, a line for each input voltage; loads to come hollow below."""
    title, along, up = say("Efficiency at each load"), say("load, W"), say("efficiency, %")
    none = Plot(title, along, up, (0.0, max([1.0, *to_come_w])), (0.0, 100.0))
    if sweep is None or not len(sweep.points):
        return none
    load, eta, u = sweep.points.output_w, sweep.efficiency, np.nan_to_num(sweep.efficiency_u)
    loaded = np.isfinite(eta) & (load > 0.002 * float(load.max()))
    if not loaded.any():
        return none
    low = max(float(np.min((eta - u)[loaded])), 0.0)
    y_span = (max(low - 0.12 * (102 - low), 0.0), 102.0)
    layers: list[Layer] = []
    groups = _by_input(sweep.points.input_v, loaded)
    for number, chosen in enumerate(groups):
        chosen = chosen[np.argsort(load[chosen], kind="stable")]
        volts = say("{volts} V in", volts=show(float(np.median(sweep.points.input_v[chosen])), 3)) if len(groups) > 1 else ""
        layers.append(Curve(load[chosen], eta[chosen], "voltage", (SOLID, DOTTED)[number % 2], volts))
        layers += [Curve(load[[k, k]], np.array([eta[k] - u[k], eta[k] + u[k]]), "voltage") for k in chosen if u[k] > 0]
    shown = np.concatenate(groups)
    states = states_of(sweep)
    layers.append(Dots(load[shown], eta[shown], tuple(states[k] for k in shown)))
    if len(to_come_w):
        layers.append(Dots(np.array(to_come_w), np.full(len(to_come_w), y_span[0]), (PLANNED,) * len(to_come_w)))
    best = int(shown[np.argmax(eta[shown])])
    told = say("best {percent} % at {watts} W", percent=show(float(eta[best]), 3), watts=show(float(load[best]), 3))
    return Plot(title, along, up, (0.0, 1.06 * max(float(load.max()), *to_come_w, 0.1)), y_span, tuple(layers), told)


def _by_input(input_v: Array, loaded: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Indexes of loaded points by their input voltage, the highest first; of many voltages those with most loads, spread over the range."""
    left = np.flatnonzero(loaded)
    groups = []
    while len(left):
        highest = float(input_v[left].max())
        near = np.abs(input_v[left] - highest) <= _SAME_INPUT * abs(highest)
        groups.append(left[near])
        left = left[~near]
    if len(groups) <= _MOST_LINES:
        return groups
    return [groups[round(k)] for k in np.linspace(0, len(groups) - 1, _MOST_LINES)]


def output_plot(sweep: Sweep | None, tolerance: Tolerance | None) -> Plot:
    """Output voltage over the load, with the tolerance as two levels."""
    title, along, up = say("Output over load"), say("load, W     ◆ outside   × off"), say("output, V")
    points = sweep.points if sweep is not None else None
    if sweep is None or points is None or not len(points) or not float(points.output_v.max()) > 0:
        return Plot(title, along, up, (0.0, 1.0), (0.0, 1.0))
    on = points.output_v[points.output_v > 0.5 * float(points.output_v.max())]
    low, high = float(on.min()), float(on.max())
    rules: tuple[Layer, ...] = ()
    if tolerance is not None:
        low, high = min(low, tolerance.low), max(high, tolerance.high)
        rules = (Rule(tolerance.low, f"{plain(tolerance.low)} V", below=True), Rule(tolerance.high, f"{plain(tolerance.high)} V"))
    room = 0.12 * max(high - low, 0.01 * high)
    x_span: Span = (-0.03 * float(points.output_w.max()), float(points.output_w.max()) * 1.05 + 0.1)
    y_span: Span = (low - room, high + room)
    order = [k for k in np.argsort(points.output_w) if points.output_v[k] > y_span[0]]
    dots = Dots(points.output_w, np.maximum(points.output_v, y_span[0]), tuple(states_of(sweep)))
    description = say("{low} to {high} V", low=show(float(on.min())), high=show(float(on.max())))
    return Plot(title, along, up, x_span, y_span, (*rules, Curve(points.output_w[order], points.output_v[order]), dots), description)


def wave_plot(waves: Sequence[WaveAtLoad]) -> Plot:
    """The output's wave: at the heaviest load solid, at the lightest dotted."""
    shown = [waves[-1], waves[0]] if len(waves) > 1 else list(waves)
    most_w = max(w.load_w for w in shown)
    peak = max(float(np.max(np.abs(w.volts))) for w in shown)
    until = max(float(w.time_s[-1]) for w in shown) * 1000
    descriptions = [wave_words(w, most_w) for w in shown]
    layers = tuple(
        Curve(1000 * w.time_s, w.volts, "voltage", style, text, keyed=True)
        for w, style, text in zip(shown, (SOLID, DOTTED), descriptions, strict=False)
    )
    return Plot(say("Wave"), say("time, ms"), "V", (0.0, until), (-1.2 * peak, 1.75 * peak), layers, "; ".join(descriptions))


def wave_words(wave: WaveAtLoad, most_w: float) -> str:
    loaded = wave.load_w > 0.01 * most_w  # a meter's own zero is no load
    where = say("{load} W: ", load=show(wave.load_w, 3)) if loaded else say("no load: ")
    return f"{where}{say(wave.kind)}, THD {show(wave.findings['thd'].value or 0.0, 3)} %"


_RUNGS = (
    ("dropout_voltage", "leaves tolerance", "caution"),
    ("shutoff_voltage", "shuts off", "loss"),
    ("restart_voltage", "starts again", "good"),
    ("alarm_voltage", "alarm", "caution"),
    ("cutoff_input", "cuts out", "loss"),
    ("recovered", "the battery recovers to", "good"),
)


def ladder(findings: dict[str, Finding], points: Points | None) -> tuple[Ladder, ...]:
    """Where the output leaves tolerance, shuts off and starts again, on one voltage axis; nothing where none of it was met."""
    rungs = tuple(Rung(findings[key], say(name), tint) for key, name, tint in _RUNGS if key in findings and findings[key].value is not None)
    if not rungs or points is None or not len(points):
        return ()
    values = [*points.input_v.tolist(), *(r.finding.value or 0.0 for r in rungs)]
    low, high = min(values), max(values)
    return (Ladder(say("Where it gives up, input V"), rungs, (low - 0.05 * (high - low), high + 0.05 * (high - low))),)


def label_w(setup: Setup) -> float | None:
    """Watts by its label; None where that does not say them."""
    try:
        return read_ratings(setup.unit).watts
    except ValueError:
        return None


def gives_mains(setup: Setup) -> bool:
    """Whether mains comes out; False where the label does not say."""
    try:
        return read_ratings(setup.unit, how_much=False).gives_mains
    except ValueError:
        return False


def output_criteria(said: Mapping[str, str]) -> Criteria:
    """Tolerance and rated watts of an output, as they were said of a log.

    Raises
    ------
    MethodError
        One cannot be read.
    """
    try:
        tolerance = parse_tolerance(said["tolerance"]) if said.get("tolerance") else None
    except QuantityError as error:
        raise MethodError("tolerance", str(error)) from None
    try:
        whole = ratings_in(said.get("rated", ""))
        rated_w = whole.watts if whole is not None else parse_quantity(said["rated"], "W") if said.get("rated") else None
    except QuantityError as error:
        raise MethodError("rated", say("{error} For a converter it is its rated output power, like “60 W”.", error=error)) from None
    return Criteria(tolerance=tolerance, rated_w=rated_w)


_LESS, _MORE = 0.9, 1.2
"""Less watts in by a tenth at a fifth more out, at the same volts. Common practice, no source."""


_ONE_LOAD, _OTHER_INPUT, _SOME_LOAD, _HARDLY, _DROPS = 0.03, 1.3, 0.15, 0.2, 0.55
"""Within 3 % it is the same load, which does not take a third more another time; from 15 % of its rating on a fifth comes out at least; its efficiency does
not fall to nearly half at a heavier load. Common practice, no source."""
_ONE_INPUT, _SAGS, _OFF = 0.15, 0.85, 0.2
"""A battery sags by so much and it is one input still; an output that sags by so much sags no less under more; one that stands under a fifth is off. Common
practice, no source."""


def losing_less(input_w: Array, output_w: Array, heavier: int, lighter: int) -> Doubt:
    """Of two loads, by their places, of which the heavier loses less."""
    text = words(
        "At {more} W out it loses {less} W, and at {out} W {lost}: what a converter loses does not fall as its load rises. Which of the two is a slip?"
    )
    more, out = float(output_w[heavier]), float(output_w[lighter])
    less, lost = float(input_w[heavier]) - more, float(input_w[lighter]) - out
    return Doubt("loses-less", say(text, more=show(more, 3), less=show(less, 2), out=show(out, 3), lost=show(lost, 2)))


def less_for_more(record: Record, settings: Sequence[Setting]) -> Iterable[Doubt]:
    """Points of which one takes less for more: a converter's input rises with its output (its loss never falls so fast)."""
    try:
        points = points_taken(record, settings).points()
    except ReadingsError:
        return
    if points is None or not points.has_output or len(points) < 2:
        return
    into, out, volts = points.input_w, points.output_w, points.input_v
    known = np.flatnonzero((into > 0) & np.isfinite(out) & (volts > 0))
    if not len(known):
        return
    rise = 0.02 * float(np.nanmax(out))
    into, out, volts, held = into[known], out[known], volts[known], points.output_v[known]
    heavier = out[None, :] > _MORE * out[:, None] + rise  # (lighter, heavier), as what stands below
    moved = np.abs(volts[None, :] / volts[:, None] - 1)
    if (pair := first_pair((moved < _SAME_INPUT) & heavier & (into[None, :] < _LESS * into[:, None]))) is not None:
        more, less = pair
        text = words(
            "At {more} W out it takes {less} W, and at {out} W {into}: one of them had not settled, or two rows are mixed up. Which is right?"
        )
        told = {"more": out[more], "less": into[more], "out": out[less], "into": into[less]}
        yield Doubt("less-for-more", say(text, **{name: show(float(watts), 3) for name, watts in told.items()}))
        return
    alike = (out[None, :] > rise) & (np.abs(out[None, :] - out[:, None]) < _ONE_LOAD * out[:, None]) & (moved < _SAME_INPUT)
    if (pair := first_pair(alike & (into[None, :] > _OTHER_INPUT * into[:, None]))) is not None:
        more, less = pair
        text = words(
            "At the same {out} W out it takes {less} W once and {more} W another time: did the output's meter stand still, or a slip?"
        )
        yield Doubt("same-load", say(text, out=show(float(out[less]), 3), less=show(float(into[less]), 3), more=show(float(into[more]), 3)))
        return
    share = out / into
    if (
        pair := first_pair(heavier & (moved < _ONE_INPUT) & (share[None, :] < _DROPS * share[:, None]) & (share[:, None] > 0.5))
    ) is not None:
        more, less = pair
        text = words(
            "At {more} W out {low} % arrive, and {high} % at {out}: no converter falls so far. Did one of its meters stand still, or is it a slip?"
        )
        told = {"more": out[more], "low": 100 * share[more], "high": 100 * share[less], "out": out[less]}
        yield Doubt("drops", say(text, **{name: show(float(figure), 3) for name, figure in told.items()}))
        return
    rated = record.head.criteria.rated_w or label_w(record.head.setup)
    loaded = (out > 0) & (into > _SOME_LOAD * rated) if rated else np.zeros(len(out), bool)
    if loaded.any() and (best := float((out[loaded] / into[loaded]).max())) < _HARDLY:
        text = words("Of {into} W no more than {percent} % come out: are the watts of its output kilowatts, or its amperes milliamperes?")
        yield Doubt("hardly", say(text, into=show(float(into[loaded].max()), 3), percent=show(100 * best, 2)))
        return
    sags = (held[:, None] > _OFF * held[None, :]) & (held[:, None] < _SAGS * held[None, :])
    if (pair := first_pair(heavier & sags & (moved < _ONE_INPUT))) is not None:
        more, less = pair
        text = words(
            "At {out} W its output stands at {low} V, and at {more} W at {held}: it does not sag at less and hold at more. Which is a slip?"
        )
        told = {"out": out[less], "low": held[less], "more": out[more], "held": held[more]}
        yield Doubt("sags-less", say(text, **{name: show(float(figure), 3) for name, figure in told.items()}))
        return
    level = np.flatnonzero(np.abs(volts / volts[0] - 1) < _ONE_INPUT)
    half = {name: points.half.get(name, np.zeros(len(points))) for name in ("input_v", "input_a", "output_v", "output_a", "output_w")}
    off = half["input_v"] * points.input_a + half["input_a"] * points.input_v + half["output_w"]
    off = (off + half["output_v"] * points.output_a + half["output_a"] * points.output_v)[known]
    if (pair := loses_less(into[level], out[level], off[level])) is not None:
        yield losing_less(into[level], out[level], *pair)
