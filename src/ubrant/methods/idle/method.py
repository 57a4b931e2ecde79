"""The idle draw as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from ubrant.core.account import Account
from ubrant.core.conversion.idle import idle_findings, idle_sentence, level
from ubrant.core.drawings import DASHED, DOTTED, SOLID, Curve, Plot
from ubrant.core.gate.check import Question
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, ReadingsError, Series
from ubrant.core.quantities.stand_in import StandIn, stand_in, stand_in_of
from ubrant.core.record.events import HandDid
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.settled import QUANTITIES, carrying, read_at_ends, row_of_line, table_of, without_watts
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines
from ubrant.methods.converting import LEADS, SOURCE, UNIT, Through, chain_path, disagreements, flows_of, gives_mains, upstream_ohm
from ubrant.methods.form import CRITERIA, Field, QuantityKind, YesNo
from ubrant.methods.idle.procedure import IdlePlan, idle_draw
from ubrant.methods.meter_checks import two_meter_checks
from ubrant.methods.method import TAP_LOG, LoadRating, Method, Prepared, Problem, Scene, refusals_first
from ubrant.methods.ratings import read_ratings
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask, Steps

_USUAL_IDLE = 0.01
"""Of the rated watts: about what an inverter draws with nothing on. Common practice, no source."""
_EXAMPLE = "input 12.81 V 0.18 A"
_CHAIN = (SOURCE, LEADS, UNIT)
_WANTED = (("input", "V"), ("input", "A"))
_SPARED = _WANTED[:1]
_WATTS, _WATTS_EXAMPLE = (("input", "W"),), "input 3.1 W"
"""Of what the mains feed: nothing else tells what it draws."""
NORMAL, ECONOMY = "normal", "economy"


class IdleMethod(Method):
    """Of anything that converts; what it burns with nothing attached."""

    key = "idle"
    title = "Idle draw"
    steady = ((("input", "V"),),)
    Plan = IdlePlan
    taps = ("input",)
    log = TAP_LOG

    def form(self, setup: Setup) -> tuple[Field, ...]:
        ratings = read_ratings(setup.unit, how_much=False)
        return (
            Field("input", "Input", QuantityKind("V"), f"{plain(round(min(ratings.input_v * 1.067, ratings.highest_v), 1))} V"),
            Field("seconds", "Read for", QuantityKind("s"), "5 min"),
            Field("economy", "Economy setting too", YesNo(), "yes" if setup.unit.kind == "inverter" else "no"),
            Field("battery_wh", "On a battery of", QuantityKind("Wh", may_be_empty=True), "", "640 Wh", part=CRITERIA),
        )

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        made = super().prepare(setup, typed)
        return replace(made, plan=replace(made.plan, mains=gives_mains(setup)))

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan, ratings = prepared.plan, read_ratings(prepared.setup.unit, how_much=False)
        problems = []
        if not plan.seconds > 0 or not plan.input > 0:
            problems.append(Problem(True, say("Input and time have to be more than 0.")))
        if plan.input > (ratings.window[1] if ratings.window is not None else 1.3 * ratings.input_v):
            text = say(
                "{volts} V is far over the {label} V on its label: over its window is damage.",
                volts=plain(plan.input),
                label=plain(ratings.input_v),
            )
            problems.append(Problem(True, text))
        problems += two_meter_checks(prepared.setup, (plan.input, 0.0), None)
        return refusals_first(problems)

    def foretold_lines(self, prepared: Prepared) -> ReadLines:
        ratings = read_ratings(prepared.setup.unit, how_much=False)
        if ratings.takes_mains or not ratings.watts:
            return
        volts, amps = prepared.plan.input, _USUAL_IDLE * ratings.watts / ratings.input_v
        yield 0.0, f"input {volts:.3f} V 0.0000 A"
        for _ in range(3):
            yield 60.0, f"input {volts:.3f} V {amps:.4f} A"

    def steps(self, prepared: Prepared) -> Steps:
        return idle_draw(prepared.plan)

    def length_s(self, prepared: Prepared) -> float | None:
        return float(prepared.plan.seconds * (2 if prepared.plan.economy else 1))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return "", say("about {time}", time=show_duration(self.length_s(prepared) or 0.0))

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        return Scene(self.taps, load=False, supply=True)

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, _CHAIN, None, two_ends=False)

    def by_hand(self, prepared: Prepared) -> HandScript:
        mains = (cautions.MAINS,) if prepared.plan.mains else ()
        expected = {("input", "V"): prepared.plan.input}
        by_watts = read_ratings(prepared.setup.unit, how_much=False).takes_mains
        wanted, spared, example = (_WATTS, (), _WATTS_EXAMPLE) if by_watts else (_WANTED, _SPARED, _EXAMPLE)
        ask = Ask(
            say("Take everything off its output and every other load off the source; leave it switched off, the meter in its input."), mains
        )
        rows = [
            Prompt(
                say(
                    "Nothing flows: type what the meter shows, like “{example}”. It is taken off what follows; “skip” for none.",
                    example="input 0.0 W" if by_watts else "input 12.8 V 0.02 A",
                ),
                wanted[-1:],
                example=example,
                expected=expected,
                short=say("zero"),
            ),
            Prompt(
                say("Switch it on, nothing attached, wait until it is steady, and type “{example}”.", example=example),
                wanted,
                example=example,
                expected=expected,
                short=say("switched on"),
                spared=spared,
            ),
        ]
        if prepared.plan.economy:
            text = say(
                "Put it into its sleep or economy setting, wait until it is steady, and type “{example}”, or “skip”.", example=example
            )
            rows.append(Prompt(text, wanted, example=example, expected=expected, short=say("economy"), spared=spared))
        after = say("That was all. Switch it off, and close the run; or type further readings of the last setting.")
        return HandScript((ask,), tuple(rows), Prompt(after, wanted, example=example, spared=spared))

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        fields = dict(kept.get("fields", {}))
        return self.prepare(setup, {**fields, "seconds": fields.get("minutes", "5 min")}).plan

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup, criteria = record.head.setup, record.head.criteria
        findings: dict[str, Finding] = {}
        warnings: list[str] = list(record.head.origin.said)
        traces: list[tuple[str, Series]] = []
        taken_in: Through | None = None
        trouble = ""
        plan = self.prepared(record.head).plan
        try:
            settings = _settings(record, has_economy=plan is None or plan.economy)
        except ReadingsError as error:
            return Account(trouble=str(error))
        stands_in = _stands_in(record, record.answers("skip")[1:]) if record.is_typed else None
        for setting, read in settings.items():
            if not len(read.volts):
                continue
            traces.append((setting, Series(read.time_s, read.volts * read.amps)))
            try:
                found, said = idle_findings(
                    read.volts,
                    read.amps,
                    *_accuracies(record, read, stands_in),
                    setup.meter("input").details.floor_a,
                    battery_wh=criteria.battery_wh,
                    half_v=read.half_v,
                    half_a=read.half_a,
                    time_s=read.time_s,
                    upstream_ohm=upstream_ohm(record) if gives_mains(setup) else 0.0,
                )
            except ReadingsError as error:
                trouble = trouble or str(error)
                continue
            if setting == NORMAL:
                taken_in = Through(found["idle_power"].value or 0.0, level(read.volts), math.nan if read.by_watts else level(read.amps))
            if read.by_watts:
                found["idle_power"] = replace(found["idle_power"], working=say("read in watts, steady"))
            suffix, note = ("", "") if setting == NORMAL else ("_economy", ", economy setting")
            findings |= {f"{key}{suffix}": replace(f, key=f"{key}{suffix}", name=f.name + note) for key, f in found.items()}
            warnings += [f"Economy setting: {w}" if suffix else w for w in said]
            if read.without:
                warnings += without_watts(read.without)
        if "idle_power" not in findings:
            nothing = trouble or say("Nothing was read yet with it switched on.")
            return Account(trouble=nothing, drawings=lambda: (_course(traces),))
        if taken_in is not None and (slip := _slip(setup, plan, taken_in)):
            return Account(trouble=slip, drawings=lambda: (_course(traces),))
        if taken_in is not None and _TOO_MUCH not in record.head.conditions.checked and (much := _too_much(setup, taken_in)):
            asked = (Question(say("It is so"), checked=_TOO_MUCH),)
            return Account(trouble=much, drawings=lambda: (_course(traces),), questions=asked)
        if stands_in is not None and not all(read.by_watts for read in settings.values()):
            warnings.insert(0, stands_in.sentence())
        warnings += record.zero_remarks()
        normal, economy = (findings[key].value or 0.0 if key in findings else None for key in ("idle_power", "idle_power_economy"))
        if normal is not None and economy is not None and economy >= normal > 0:
            warnings.insert(
                0, say("In its economy setting it draws no less than without: were the two rows mixed up, or did a digit slip?")
            )
        return Account(
            findings,
            ("idle_power", "idle_energy_day", "idle_power_economy"),
            (),
            None,
            _sentence(findings),
            (*warnings, *disagreements(record)),
            drawings=lambda: (_course(traces),),
            path=lambda: chain_path(setup, _CHAIN, flows_of(setup, taken_in), two_ends=False),
            shown_at=say("With nothing attached"),
        )


_SLEEPS = re.compile(r"\b(?:eco|economy|sleep|power\s*sav\w*|standby)\b", re.I)
"""Said of a line, it was read in the economy setting; without a plan nothing else tells."""
_FAR = 1.6
_MOST_IDLE, _LITTLE_W, _TOO_MUCH = 0.1, 3.0, "idle"
"""Of what it gives, and W besides, over which an idle draw is asked about; by which word that is answered. Common practice, no source."""
_NO_ZERO_SHARE = 0.7
"""How many times as high as it is fed an input may be, or as low; share of the first reading over which a zero is none."""


@dataclass(frozen=True)
class _Read:
    """Volts and amperes of one setting, with how wide they are; ``by_watts`` where the amperes are watts over volts, as on AC they have to be.

    ``without`` readings on AC had no watts, and were left out.
    """

    time_s: Array
    volts: Array
    amps: Array
    half_v: float = 0.0
    half_a: float = 0.0
    by_watts: bool = False
    without: int = 0


def _as_it_is_drawn(time_s: Array, volts: Array, amps: Array | None, watts: Array | None) -> _Read:
    """What flows for the watts; raises ReadingsError where it is AC, and no watts were read."""
    drawn = carrying(volts, amps, watts)
    by_watts = drawn is not amps
    read = np.isfinite(drawn) if by_watts and np.isfinite(drawn).any() else np.ones(len(drawn), bool)
    return _Read(time_s[read], volts[read], drawn[read], by_watts=by_watts, without=int(np.count_nonzero(~read)))


def _accuracies(record: Record, read: _Read, stands_in: StandIn | None) -> tuple[Accuracy | None, Accuracy | None]:
    """(volts, amperes) of what the watts are made of; read as watts, all of their doubt is in the amperes."""
    nothing = Accuracy(0.0, 0.0, "V", place="input")
    if not read.by_watts:
        volts = record.accuracy("input", "V") if stands_in is None else nothing
        return volts, _zeroed_by_hand(record, record.accuracy("input", "A"))
    watts = _zeroed_by_hand(record, record.accuracy("input", "W"))
    at_v = abs(float(np.median(read.volts))) or math.inf
    return nothing, None if watts is None else Accuracy(watts.gain, watts.zero / at_v, "A", place="input")


def _slip(setup: Setup, plan: IdlePlan | None, taken_in: Through) -> str:
    """Why this can be no idle draw, in a sentence; empty where it may be one, or the label does not say enough."""
    try:
        ratings = read_ratings(setup.unit, how_much=False)
    except ValueError:
        return ""
    fed_v = (plan.input if plan is not None else 0.0) or ratings.input_v
    if not 1 / _FAR < taken_in.volts / fed_v < _FAR:
        return say(
            "{volts} V at an input of {fed} V: a slip, or volts and amperes the wrong way round.",
            volts=show(taken_in.volts),
            fed=plain(fed_v),
        )
    if ratings.watts and taken_in.watts > ratings.watts:
        return say(
            "{watts} W with nothing attached are more than the {rated} W on its label: a slip of unit, or something was attached.",
            watts=show(taken_in.watts),
            rated=plain(ratings.watts),
        )
    return ""


def _too_much(setup: Setup, taken_in: Through) -> str:
    """What is asked of an idle draw that is a large share of what its label gives; empty where it is none, or the label does not say."""
    try:
        rated = read_ratings(setup.unit, how_much=False).watts
    except ValueError:
        return ""
    if not rated or taken_in.watts <= max(_MOST_IDLE * rated, _LITTLE_W):
        return ""
    return say(
        "{watts} W with nothing attached are {share} % of its {rated} W, and inverters and converters idle at 0.5 to 5 %: did a digit slip, or was something attached? If it is as it was read, say so: “It is so”.",
        watts=show(taken_in.watts),
        share=show(100 * taken_in.watts / rated, 2),
        rated=plain(rated),
    )


def _settings(record: Record, *, has_economy: bool) -> dict[str, _Read]:
    """What was read in each setting.

    Raises
    ------
    ReadingsError
        Of a log: volts or amperes of the input are missing. By hand: a line cannot be what was asked for.
    """
    if record.is_typed:
        return _typed(record, has_economy=has_economy)
    if not record.head.plan:
        return {NORMAL: _of_log(record)}
    return _sampled(record)


def _sampled(record: Record) -> dict[str, _Read]:
    """From one request to the person to the next."""
    volts, amps, watts = (record.corrected("input", quantity) for quantity in "VAW")
    marks = [(e.time_s, e.action) for e in record.of(HandDid) if e.action in {"on", "economy", "off"}]
    settings = {}
    for (start, action), (end, _) in pairwise([*marks, (math.inf, "off")]):
        if action == "off" or volts is None or (amps is None and watts is None):
            continue
        v, a, w = (None if series is None else _between(series, start, end) for series in (volts, amps, watts))
        count = min(len(series) for series in (v, a, w) if series is not None)
        assert v is not None
        drawn = _as_it_is_drawn(v.time_s[:count], v.value[:count], *(None if s is None else s.value[:count] for s in (a, w)))
        settings[NORMAL if action == "on" else ECONOMY] = drawn
    return settings


def _between(series: Series, start: float, end: float) -> Series:
    inside = (series.time_s >= start) & (series.time_s < end)
    return Series(series.time_s[inside], series.value[inside])


def _typed(record: Record, *, has_economy: bool) -> dict[str, _Read]:
    """First the zero (“skip” for none), then the normal setting, then the economy one where there is one; further lines belong to the last.

    Raises
    ------
    ReadingsError
        The first line is no zero, or something was attached.
    """
    lines = record.answers("skip")
    if not lines:
        return {}
    volt_at, amp_at = QUANTITIES.index(("input", "V")), QUANTITIES.index(("input", "A"))
    zero_a, zero_half = _zero(record, lines)
    zero_w, zero_half_w = _watts(lines[0][1]) if lines[0][1].mark != "skip" else (0.0, 0.0)
    switched_on = next((w for _, j in lines[1:] if math.isfinite(w := _watts(j)[0])), math.nan)
    if abs(zero_w) > max(_NO_ZERO_SHARE * abs(switched_on), zero_half_w):
        raise _no_zero(say("{watts} W", watts=show(zero_w)))
    stands_in = _stands_in(record, lines[1:])
    beside = [v for _, j in lines[1:] if math.isfinite(v := row_of_line(j)[0][volt_at])]  # what the volts were, watts do not ask
    rows: dict[str, list[tuple[float, ...]]] = {NORMAL: [], ECONOMY: []}
    for place, (moment, jotting) in enumerate(lines[1:]):
        if jotting.mark != "skip":
            row, half = row_of_line(jotting)
            if stands_in is not None and not math.isfinite(row[volt_at]):
                row[volt_at], half[volt_at] = stands_in.middle_v, stands_in.half_v
            if beside and not math.isfinite(row[volt_at]) and math.isfinite(_watts(jotting)[0]):
                row[volt_at] = float(np.median(beside))
            _nothing_attached(row)
            width = float(np.hypot(half[amp_at], zero_half))
            watts, half_w = _watts(jotting)
            watts, half_w = watts - (zero_w if math.isfinite(zero_w) else 0.0), math.hypot(half_w, zero_half_w)
            amps = row[amp_at] - (zero_a if math.isfinite(zero_a) else 0.0)
            rows[ECONOMY if place and has_economy and (record.head.plan or _SLEEPS.search(jotting.text)) else NORMAL].append(
                (moment, row[volt_at], amps, watts, half[volt_at], width, half_w)
            )
    settings = {}
    for name, read in rows.items():
        if read:
            time, volts, drawn_a, drawn_w, half_v, half_a, wide_w = (np.array(c) for c in zip(*read, strict=True))
            drawn = _as_it_is_drawn(time, volts, drawn_a, drawn_w)
            wide = (
                float(np.median(wide_w)) / (abs(float(np.median(drawn.volts))) or math.inf) if drawn.by_watts else float(np.median(half_a))
            )
            settings[name] = replace(drawn, half_v=0.0 if drawn.by_watts else float(np.median(half_v)), half_a=wide)
    return settings


def _watts(jotting: TypedLine) -> tuple[float, float]:
    """Watts of the input in a line, NaN without, and how wide they are."""
    return read_at_ends(jotting).get(("input", "W"), (math.nan, 0.0))


def _stands_in(record: Record, lines: Sequence[tuple[float, TypedLine]]) -> StandIn | None:
    """What stands in for the volts at the input, where nobody read any; None where they were read, or nobody knows the system's."""
    volt_at = QUANTITIES.index(("input", "V"))
    if not lines or any(math.isfinite(row_of_line(jotting)[0][volt_at]) for _, jotting in lines):
        return None
    setup = record.head.setup
    if setup.battery is not None and (found := stand_in_of(label_of(setup.battery))) is not None:
        return found
    try:
        return stand_in(read_ratings(setup.unit, how_much=False).input_v)
    except ValueError:
        return None


def _zeroed_by_hand(record: Record, accuracy: Accuracy | None) -> Accuracy | None:
    """As it is left by a zero that was typed first."""
    lines = record.answers("skip") if record.is_typed else []
    return accuracy.zeroed() if accuracy is not None and lines and lines[0][1].mark != "skip" else accuracy


def _zero(record: Record, lines: list[tuple[float, TypedLine]]) -> tuple[float, float]:
    """Amperes with nothing flowing, and how wide they are; raises ReadingsError for what can be none."""
    amp_at = QUANTITIES.index(("input", "A"))
    if lines[0][1].mark == "skip":
        return 0.0, 0.0
    row, half = row_of_line(lines[0][1])
    zero_a = row[amp_at]
    read = [abs(row_of_line(jotting)[0][amp_at]) for _, jotting in lines[1:2]]
    accuracy = record.accuracy("input", "A")
    allowed = half[amp_at] + 2 * (accuracy.limit(0.0) if accuracy is not None else 0.0)
    if read and abs(zero_a) > max(_NO_ZERO_SHARE * read[0], allowed):
        raise _no_zero(say("{amps} A", amps=show(zero_a)))
    return zero_a, half[amp_at]


def _no_zero(zero: str) -> ReadingsError:
    return ReadingsError(
        say(
            "The first line, {zero}, is no zero: as much is read with it switched on. Take the zero with it switched off, or type “skip” for it.",
            zero=zero,
        )
    )


def _nothing_attached(row: list[float]) -> None:
    """Raises ReadingsError where something is."""
    for key in (("output", "A"), ("output", "W")):
        value = row[QUANTITIES.index(key)]
        if math.isfinite(value) and value > 0:
            raise ReadingsError(
                say("{value} {unit} at its output: that is no idle draw. Take everything off it.", value=show(value), unit=key[1])
            )


def _of_log(record: Record) -> _Read:
    """A log; one with loads in it only where it was read without one."""
    time, table = table_of(record)
    tap = next((t for t in ("input", "dc", "battery") if (t, "V") in table), "input")
    volts, amps, watts = (table.get((tap, q)) for q in "VAW")
    if volts is None or (amps is None and watts is None):
        raise ReadingsError(
            say("Volts and amperes (or watts) of the input are needed: name the columns “input voltage / V”, “input current / A”.")
        )
    out = next((table[(t, q)] for q in "WA" for t in ("output", "ac") if (t, q) in table), None)
    if out is not None:
        largest = float(np.max(np.abs(out[np.isfinite(out)]), initial=0.0))
        none = np.abs(out) <= 0.01 * largest
        if largest > 0 and none.any():
            time, volts = time[none], volts[none]
            amps, watts = (None if column is None else column[none] for column in (amps, watts))
    return _as_it_is_drawn(time, volts, amps, watts)


def _course(lines: list[tuple[str, Series]]) -> Plot:
    """Watts over time, one line style a setting; the mean of the later half as a level."""
    title, along = say("Power taken in"), say("time, s")
    shown = [(name, s) for name, s in lines if np.isfinite(s.value).any()]
    if not shown:
        return Plot(title, along, "W", (0.0, 1.0), (0.0, 1.0))
    start, end = min(float(s.time_s[0]) for _, s in shown), max(float(s.time_s[-1]) for _, s in shown)
    high = max(float(np.nanmax(s.value)) for _, s in shown)
    layers = tuple(
        Curve(s.time_s, s.value, "power", style, f"{say(name)}: {show(level(s.value))} W")
        for (name, s), style in zip(shown, (SOLID, DOTTED, DASHED), strict=False)
    )
    description = ", ".join(f"{say(name)}: {show(level(s.value))} W" for name, s in shown)
    return Plot(
        title,
        along,
        "W",
        (start - 1.0, end + 1.0) if end - start < 1.0 else (start, end),
        (0.0, high + 0.15 * max(high, 1e-6)),
        layers,
        description,
    )


def _sentence(findings: dict[str, Finding]) -> str:
    said = idle_sentence(findings)
    economy = findings.get("idle_power_economy")
    if economy is not None:
        said += say(". In its economy setting {draw}", draw=economy.amount_text())
    return said + "."
