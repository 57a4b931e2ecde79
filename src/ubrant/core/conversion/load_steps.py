"""Load steps on an inverter: what they cost, how its output sags, where it alarms and cuts out, and what ended it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.state_of_charge import charge_by, from_resting_voltage
from ubrant.core.conversion.sweep import OF_MODEL, Sweep, analyse_sweep, best_sentence
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.integrals import energy_wh
from ubrant.core.record.points import Points, SweepMeters
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, as_read, digit, scattered, within, wrong_by
from ubrant.core.wording import say, words

BATTERY, PROTECTION, LEADS, INVERTER, OVERLOAD, PERSON, NOT_KNOWN = (
    "battery",
    "protection",
    "leads",
    "inverter",
    "overload",
    "person",
    "not known",
)
_COLLAPSED = 0.4
_LOADED = 0.02
_EMPTY_POINTS = 25.0
_OVER = 1.02


@dataclass(frozen=True)
class Ending:
    """The moment the output went off, and after. NaN for what was not read.

    Attributes
    ----------
    load_w : at the output when it went off
    input_v, before_v : at the inverter's terminals, loaded: the last reading with the output on, and the one before it
    input_a : then
    source_v : at the battery's terminals, loaded
    source_after_v : there, the load gone (0 where the battery's protection has opened)
    recovered_v : there, rested
    noted : what a person wrote beside “tripped”: no other reason is guessed against it
    """

    load_w: float
    input_v: float
    before_v: float
    input_a: float
    source_v: float = math.nan
    source_after_v: float = math.nan
    recovered_v: float = math.nan
    noted: str = ""


def ending_of(input_v: Array, input_a: Array, output_v: Array, output_w: Array, source_v: Array | None) -> Ending | None:
    """The moment the output went off under load and stayed off, out of readings in their order, (n,) each; None where it did not.

    Without the battery's own voltage what stands at the input afterwards is taken for it: nothing flows then, so that the leads drop nothing.
    """
    known = np.isfinite(input_v) & np.isfinite(output_v)
    if not known.any():
        return None
    volts, amps, out, watts = (np.asarray(a)[known] for a in (input_v, input_a, output_v, output_w))
    source = None if source_v is None else np.asarray(source_v)[known]
    on = out > _COLLAPSED * float(out.max())
    loaded = watts > _LOADED * float(np.nanmax(watts))
    went = np.flatnonzero(on[:-1] & loaded[:-1] & ~on[1:])  # with nothing attached it was switched off
    if not len(went):
        return None
    last = int(went[0])  # the first stays the first, however often it is tried again
    rest = volts if source is None or not np.isfinite(source[last + 1 :]).any() else source
    after = rest[last + 1 :][np.isfinite(rest[last + 1 :])]
    return Ending(
        float(watts[last]),
        float(volts[last]),
        float(volts[max(last - 1, 0)]),
        float(amps[last]),
        float(source[last]) if source is not None else math.nan,
        float(after[0]),
        float(after[-1]),
    )


@dataclass(frozen=True)
class BatteryBehind:
    """The battery behind it, as its label says; ``nominal_v`` alone where nothing else is known."""

    nominal_v: float
    chemistry: Chemistry | None = None
    series: int | None = None


@dataclass(frozen=True)
class Steps:
    """What load steps say. ``ended_by`` is one of the words above, or empty where it never went off."""

    sweep: Sweep
    findings: dict[str, Finding]
    ended_by: str
    sentence: str
    warnings: tuple[str, ...]


def analyse_steps(
    points: Points,
    meters: SweepMeters,
    tolerance: Tolerance | None,
    rated_w: float | None,
    hertz: Array | None = None,
    ending: Ending | None = None,
    source: BatteryBehind | None = None,
    alarm_v: float | None = None,
    frequency: Tolerance | None = None,
    planned: int | None = None,
) -> Steps:
    """Findings of load steps.

    Parameters
    ----------
    points : settled, in the order taken; the source's voltage at the battery's terminals where it was read
    hertz : (n,) of the output; NaN or None where not read
    alarm_v : input voltage at which its alarm began, as noted
    planned : how many steps there were to be; None for unknown

    Raises
    ------
    ReadingsError
        Too few points, or input and output swapped.
    """
    swept = analyse_sweep(points, meters, tolerance, rated_w)
    keep = ("idle_power", *OF_MODEL, "lead_resistance")
    findings = {key: swept.findings[key] for key in keep}
    warnings = list(swept.warnings)
    used, within = swept.points, swept.in_tolerance
    on = used.output_v > _COLLAPSED * float(np.median(used.output_v[used.output_v > 0])) if (used.output_v > 0).any() else within
    if on.any():
        findings |= _of_output(used, on, within, meters.output_v)
    running = hertz[np.isfinite(hertz) & (hertz > 1.0)] if hertz is not None else np.array([])
    if len(running):
        findings["frequency"] = _frequency(running)
        if frequency is not None and not all(frequency.holds(float(f)) for f in running):
            warnings.append(say("The frequency leaves {low} to {high} Hz.", low=plain(frequency.low), high=plain(frequency.high)))
    least_out_w = None
    if tolerance is not None and on.any() and not within[on].all():
        out = used.where(on & ~within)
        k = int(np.argmin(out.output_w))
        least_out_w = float(out.output_w[k])
        warnings.append(
            say(
                "The output leaves {show} at {show_2} W: {show_3} V.",
                show=tolerance.show(),
                show_2=show(float(out.output_w[k]), 3),
                show_3=show(float(out.output_v[k])),
            )
        )
    if alarm_v is not None:
        findings["alarm_voltage"] = Finding.made(
            "alarm_voltage", "Alarm from", as_read(alarm_v, meters.input_v, "input"), "V", say("at its own terminals, loaded")
        )
    ended_by, sentence = "", _no_end(swept, len(points), planned, least_out_w)
    if ending is not None:
        ended_by, sentence = what_ended(ending, source, rated_w, float(np.median(used.input_v)))
        left = _left(ending, source)
        if ended_by == OVERLOAD:
            findings["overload"] = Finding(
                "overload", say("Switches off at"), ending.load_w, "W", None, say("its own protection, the battery not being the reason")
            )
        else:
            findings |= _of_ending(ending, meters.input_v)
        if left is not None:
            findings["charge_left"] = left
    return Steps(swept, findings, ended_by, sentence, tuple(warnings))


def _of_output(points: Points, on: np.ndarray, within: np.ndarray, voltage: Accuracy | None) -> dict[str, Finding]:
    running = points.where(on)
    lightest, heaviest = int(np.argmin(running.output_w)), int(np.argmax(running.output_w))
    light, heavy = float(running.output_v[lightest]), float(running.output_v[heaviest])
    scatter = _about_a_line(running.output_a, running.output_v)

    def shown(k: int) -> Value:
        half = float(running.half["output_v"][k]) if "output_v" in running.half else 0.0
        return as_read(float(running.output_v[k]), voltage, "output") + digit(half, "V", when=str(k + 1))

    apart = scattered(math.sqrt(2) * scatter, words("scatter of the points"), note=say("about a straight line over the current"))
    sags = shown(lightest) - shown(heaviest) + apart
    carried = float(points.output_w[on & within].max()) if (on & within).any() else None
    return {
        "output_unloaded": Finding.made(
            "output_unloaded", "Output unloaded", shown(lightest), "V", f"at {show(float(running.output_w[lightest]), 3)} W"
        ),
        "output_loaded": Finding.made(
            "output_loaded", say("Output at the heaviest load"), shown(heaviest), "V", f"at {show(float(running.output_w[heaviest]), 3)} W"
        ),
        "output_sag": Finding.made(
            "output_sag", "Sags by", sags, "V", say("{light} − {heavy} V; the meter's zero cancels", light=show(light), heavy=show(heavy))
        ),
        "carries": Finding(
            "carries", say("Carries within tolerance"), carried, "W", None, say("the heaviest load with its output within tolerance")
        ),
    }


def _about_a_line(along: Array, up: Array) -> float:
    """Standard deviation about the straight line through the points; 0 for fewer than three."""
    if len(along) < 3 or not np.ptp(along) > 0:
        return 0.0
    design = np.column_stack([np.ones_like(along), along])
    residual = up - design @ np.linalg.lstsq(design, up, rcond=None)[0]
    return math.sqrt(float(residual @ residual) / (len(along) - 2))


def _frequency(hertz: Array) -> Finding:
    span = say("{show} to {show_2} Hz over the loads", show=show(float(hertz.min())), show_2=show(float(hertz.max())))
    return Finding("frequency", "Frequency", float(np.mean(hertz)), "Hz", None, span)


def _of_ending(ending: Ending, voltage: Accuracy | None) -> dict[str, Finding]:
    fell = abs(ending.before_v - ending.input_v)
    at = as_read(ending.input_v, voltage, "input") + within(fell, words("between two readings"), "V", kind=ErrorKind.BETWEEN)
    findings = {
        "cutoff_input": Finding.made(
            "cutoff_input",
            say("Cut out at"),
            at,
            "V",
            say(
                "at its own terminals, loaded: {input_a} A in, {load_w} W out",
                input_a=show(ending.input_a, 3),
                load_w=show(ending.load_w, 3),
            ),
        )
    }
    if math.isfinite(ending.recovered_v):
        findings["recovered"] = Finding.made(
            "recovered",
            say("The battery recovers to"),
            as_read(ending.recovered_v, voltage, "input"),
            "V",
            say("at its terminals, load off"),
        )
    return findings


def carried_by_what(rest_v: float, source: BatteryBehind | None) -> str:
    """What the battery that carried every step says at rest after it, where little is left in it; empty where it is not that."""
    if source is None or source.chemistry is None or not source.series or not math.isfinite(rest_v):
        return ""
    rest = from_resting_voltage(rest_v, source.series, source.chemistry)
    if rest.percent is None or rest.percent > _EMPTY_POINTS:
        return ""
    return say(
        "After it the battery stood at {rest} V, load off: about {left:.0f} % are left in it. It would not carry this for long.",
        rest=show(rest_v, 4),
        left=rest.percent,
    )


def _left(ending: Ending, source: BatteryBehind | None) -> Finding | None:
    if source is None or source.chemistry is None or not source.series or not math.isfinite(ending.recovered_v) or ending.recovered_v <= 0:
        return None
    rest = from_resting_voltage(ending.recovered_v, source.series, source.chemistry)
    if rest.percent is None:
        return Finding("charge_left", say("Left in the battery"), None, "%", None, rest.sentence)
    left = charge_by(Value(ending.recovered_v), source.series, source.chemistry)
    if left is None:
        return Finding("charge_left", say("Left in the battery"), rest.percent, "%", None, rest.sentence)
    return Finding.made("charge_left", say("Left in the battery"), left, "%", say("by its voltage soon after: a floor, it still recovers"))


_SYSTEM_V = 12.0
_LOW = 0.99


def _is_low(input_v: float, nominal_v: float) -> bool:
    """Whether an input voltage is one at which an inverter gives up because it is low. Common practice, no source: 11.9 V of a 12 V system."""
    system = max(round(nominal_v / _SYSTEM_V), 1) * _SYSTEM_V if nominal_v > 0.75 * _SYSTEM_V else nominal_v
    return input_v <= _LOW * system


def what_ended(ending: Ending, source: BatteryBehind | None, rated_w: float | None, usual_v: float) -> tuple[str, str]:
    """(word, sentence): which of battery, its protection, leads, the inverter's own limits ended it."""
    nominal = source.nominal_v if source is not None else usual_v
    at = say(
        "The output went off at {input_v} V at the inverter's terminals, with {input_a} A flowing",
        input_v=show(ending.input_v, 4),
        input_a=show(ending.input_a, 3),
    )
    after, loaded, rested = ending.source_after_v, ending.source_v, ending.recovered_v
    if math.isfinite(after) and after < _COLLAPSED * nominal:
        return (
            PROTECTION,
            say(
                "{at}, and the battery gives no voltage any more: its own protection has opened. Take the load off before it is reset.",
                at=at,
            ),
        )
    drop = loaded - ending.input_v if math.isfinite(loaded) else math.nan
    rest = rested if math.isfinite(rested) else after
    sag = rest - loaded if math.isfinite(rest) and math.isfinite(loaded) else math.nan
    left = _left(ending, source)
    if rated_w and ending.load_w > _OVER * rated_w and ending.input_v > 0.9 * nominal:
        return (
            OVERLOAD,
            say(
                "{at}: {load_w} W are more than its {rated_w} W. It was its own protection against overload; the battery is not the reason.",
                at=at,
                load_w=show(ending.load_w, 3),
                rated_w=show(rated_w, 3),
            ),
        )
    tail = ""
    if math.isfinite(rest):
        tail = say(" With the load off the battery stands at {rest} V", rest=show(rest, 4))
        tail += say(": about {value:.0f} % are left in it.", value=left.value) if left is not None and left.value is not None else "."
        if left is not None and left.value is None:
            tail = tail.rstrip(".") + say(", where voltage cannot tell how much is left: it is not empty.")
    if left is not None and left.value is not None and left.value <= _EMPTY_POINTS:
        return BATTERY, say("{at}.{tail} The battery is empty.", at=at, tail=tail)
    if not math.isfinite(rest):
        return (
            INVERTER,
            say("{at}. Nobody read the battery afterwards: whether it is empty cannot be told. Read its voltage with the load off.", at=at),
        )
    if math.isfinite(drop) and drop > max(sag, 0.0) and drop > 0.02 * nominal:
        return LEADS, (
            say(
                "{at}; at the battery there were {loaded} V: the leads took {drop} V of it.{tail} The leads ended it: shorter or thicker ones keep it running longer.",
                at=at,
                loaded=show(loaded, 4),
                drop=show(drop, 2),
                tail=tail,
            )
        )
    if not _is_low(ending.input_v, nominal):
        return (
            NOT_KNOWN,
            say(
                "{at}: that is no low voltage. Whether it was too warm, overloaded for a moment, or something came off, these readings do not tell.{tail}",
                at=at,
                tail=tail,
            ),
        )
    split = ""
    if math.isfinite(sag) and math.isfinite(drop):
        split = say(
            " Of the fall, {show} V are the battery's own sag and {show_2} V the leads.",
            show=show(max(sag, 0.0), 2),
            show_2=show(max(drop, 0.0), 2),
        )
    if ending.noted:
        return NOT_KNOWN, say("{at}: “{noted}” was noted.{split}{tail}", at=at, noted=ending.noted, split=split, tail=tail)
    return (
        INVERTER,
        say(
            "{at}: its own low-voltage cut-off, on the loaded voltage.{split}{tail} Less load, or a battery that sags less, goes further.",
            at=at,
            split=split,
            tail=tail,
        ),
    )


def _no_end(swept: Sweep, taken: int, planned: int | None, least_out_w: float | None) -> str:
    """Where the output never went off; ``least_out_w`` is the least load at which it left its tolerance."""
    idle = swept.findings["idle_power"]
    sentences = [say("Idle draw {draw}", draw=idle.with_uncertainty())] if idle.value is not None else []
    sentences += [said] if (said := best_sentence(swept)) else []
    lacks = planned is not None and taken < planned
    if least_out_w is not None and lacks:
        carried = say(
            "It carried the {taken} of {planned} steps that were taken, but left its tolerance at {watts} W.",
            taken=taken,
            planned=planned,
            watts=show(least_out_w, 3),
        )
    elif least_out_w is not None:
        carried = say("It carried every step, but left its tolerance at {watts} W.", watts=show(least_out_w, 3))
    elif lacks:
        carried = say("It carried the {taken} of {planned} steps that were taken.", taken=taken, planned=planned)
    else:
        carried = say("It carried every step.")
    if not sentences:
        return carried
    text = "; ".join(sentences)
    return f"{text[0].upper()}{text[1:]}. {carried}"


def held_findings(
    volts: Series, amps: Series, output: Series, meters: SweepMeters, from_s: float, to_s: float, output_v: Series | None = None
) -> dict[str, Finding]:
    """How long it ran under a load that was held, what went in and what came out meanwhile.

    Parameters
    ----------
    volts, amps : at its input
    output : W at its output, of a meter that reads them, or else volts times amperes
    output_v : V at its output, for the ± of watts that were worked out
    """
    inside = (volts.time_s >= from_s) & (volts.time_s <= to_s)
    given_at = (output.time_s >= from_s) & (output.time_s <= to_s)
    if inside.sum() < 3 or given_at.sum() < 3:
        return {}
    time, input_v = volts.time_s[inside], volts.value[inside]
    input_a = np.interp(time, amps.time_s, amps.value)
    taken = energy_wh(time, input_v, input_a)
    given = energy_wh(output.time_s[given_at], output.value[given_at], np.ones(int(given_at.sum())))
    hours = (to_s - from_s) / 3600
    went_in = taken + wrong_by(meters.input_v, taken, float(np.mean(input_a)) * hours, "input")
    went_in += wrong_by(meters.input_a, taken, float(np.mean(input_v)) * hours, "input")
    if meters.output_w is not None:
        came_out = given + wrong_by(meters.output_w, given, hours, "output")
    elif output_v is not None:
        out_v = float(np.mean(output_v.value[(output_v.time_s >= from_s) & (output_v.time_s <= to_s)]))
        came_out = given + wrong_by(meters.output_v, given, given / out_v, "output")
        came_out += wrong_by(meters.output_a, given, out_v * hours, "output")
    else:
        came_out = Value(given, None)
    return {
        "held_for": Finding(
            "held_for",
            say("Ran under the load held"),
            to_s - from_s,
            "s",
            (),
            say("from load on until the output went off, or it was ended"),
        ),
        "held_in": Finding.made("held_in", say("Taken in meanwhile"), went_in, "Wh", say("∫ V·I dt at its input")),
        "held_out": Finding.made("held_out", say("Given out meanwhile"), came_out, "Wh", say("∫ P dt at its output")),
        "held_efficiency": Finding.made(
            "held_efficiency", say("Efficiency over it"), 100 * came_out / went_in, "%", f"{show(given)} Wh ÷ {show(taken)} Wh"
        ),
    }
