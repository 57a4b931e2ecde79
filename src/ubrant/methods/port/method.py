"""An input port as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.drawings import DASHED, Bars, Curve, Dots, Drawing, Plot
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.sources.port import Port, PortLabel, PortSource, analyse_port, foretold, read_candidates, read_port, was_tried
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.declared import Seen, TypedMethod, itself, one_flow
from ubrant.methods.form import Field, QuantityKind, Words
from ubrant.methods.method import TAP_LOG, LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.port.person import plugs_in
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_V, _A = ("input", "V"), ("input", "A")
_BESIDE, _TAKES_W, _TIMES = (0.9, 1.1), 0.5, 3.0
"""Between so many times its lowest and highest volts a source is read; from so many watts on a port takes something."""
_NEXT_TO_NOTHING = 0.03
"""Of its watts: what takes less is full, or has not begun. Common practice, no source."""


@dataclass(frozen=True)
class PortPlan:
    """``candidates`` as they were typed, with their spans of volts; the port's own limits where its label does not say them."""

    candidates: str
    low: float | None = None
    high: float | None = None
    amps: float | None = None
    watts: float | None = None


class PortMethod(TypedMethod):
    """Of input ports; typed, or from a table."""

    key, title, Plan, unplanned = "port", "Input port", PortPlan, PortPlan("")
    goes_by_order = False
    taps, log, reads, like = ("input",), TAP_LOG, (_V, _A), 'input 13.2 V 8.1 A "pack"'
    named: ClassVar = {"": "input", "source": "input", "battery": "input", "dc": "input", "charger": "input"}

    def form(self, setup: Setup) -> tuple[Field, ...]:
        label = read_port(setup.unit.label_text)
        low, high = (f"{plain(v)} V" for v in label.window) if label.window is not None else ("", "")
        return (
            Field("low", "Window from", QuantityKind("V", may_be_empty=True), low, "V"),
            Field("high", "to", QuantityKind("V", may_be_empty=True), high, "V", beside=True),
            Field("amps", "At most", QuantityKind("A", may_be_empty=True), f"{plain(label.amps)} A" if label.amps else "", "A"),
            Field("watts", "and", QuantityKind("W", may_be_empty=True), f"{plain(label.watts)} W" if label.watts else "", "W", beside=True),
            Field("candidates", "Sources", Words(read_candidates), "", "pack 10.8-14.6 V; panel 16-24 V"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        label = _label(prepared.setup, prepared.plan)
        if label.window is None:
            yield refused(say("Write the window of the port in volts, as its label says it: over it is damage."))
            return
        for one in read_candidates(prepared.plan.candidates):
            if one.high_v > label.window[1]:
                text = say(
                    "{name} goes up to {v} V, over the {high} V of the port: over the window is damage.",
                    name=one.name,
                    v=plain(one.high_v),
                    high=plain(label.window[1]),
                )
                yield refused(text)
            elif one.high_v < label.window[0]:
                yield to_know(say("{name} never reaches {low} V: it needs a step-up.", name=one.name, low=plain(label.window[0])))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        count = len(read_candidates(prepared.plan.candidates))
        return say("{n} sources", n=count) if count else say("two voltages at least"), ""

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "Before you plug in: the highest volts of each source inside the window, centre positive or not, the limits set on source and port written down. Try whether outputs stay on while it is fed."
        )
        yield Ask(text, (cautions.WINDOW, cautions.POLARITY, cautions.UNPLUG_OFF, cautions.PANELS))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        text = words(
            "{name}: plug in, wait until it no longer ramps (minutes), and type volts and amperes at the input, like “{example}”. Note what its outputs carry."
        )
        candidates = read_candidates(prepared.plan.candidates)
        for name in [] if candidates else [say("a source"), say("a source of other volts")]:
            yield self.row(say(text, name=name, example=self.like), name)
        for one in candidates:
            middle = {_V: (one.low_v + one.high_v) / 2}
            yield self.row(say(text, name=one.name, example=self.like), one.name, expected=middle)

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(say("Another source, or another voltage, the same way; or close the run."))

    def read_off(self, prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
        return plugs_in(prepared, reader, _label(prepared.setup, prepared.plan))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A source by its name, read at volts that it does not have; volts that the port must not see."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        window = _label(seen.setup, seen.plan).window
        took: dict[str, tuple[float, float]] = {}
        for note, volts, amps in zip(seen.table.notes, seen.column("V").tolist(), seen.column("A").tolist(), strict=True):
            before = took.setdefault(note.lower(), (volts, amps)) if note else (volts, amps)
            if before[0] and abs(volts / before[0] - 1) < 1 - _BESIDE[0] and min(before[1], amps) * _TIMES < max(before[1], amps):
                text = words("{name} at the same volts gave {one} A and {other} A: was it still ramping, or did a digit slip?")
                yield Doubt(f"twice-{note.lower()}", say(text, name=note, one=plain(before[1]), other=plain(amps)))
        watts = _label(seen.setup, seen.plan).watts
        took_w = max((found.value or 0.0 for key, found in account.findings.items() if key.startswith("port_power_")), default=0.0)
        if watts and 0 < took_w < _NEXT_TO_NOTHING * watts:
            text = words(
                "It took {took} W of the {watts} W on its label: was it full, or still ramping? Empty it a little, and wait until it stands still."
            )
            yield Doubt("nothing", say(text, took=show(took_w, 2), watts=plain(watts)))
        most = _label(seen.setup, seen.plan).amps
        for k, amps in enumerate(seen.column("A").tolist() if most else ()):
            if amps > _BESIDE[1] * (most or math.inf):
                text = words("{a} A are over the {most} A on its label: did a digit slip, or is it another port's label?")
                yield Doubt(f"amps-{k}", say(text, a=plain(amps), most=plain(most or 0.0)))
        for k, (note, volts) in enumerate(zip(seen.table.notes, seen.column("V").tolist(), strict=True)):
            one = next((c for c in read_candidates(seen.plan.candidates) if c.name.lower() == note.lower()), None)
            if one is not None and volts and not _BESIDE[0] * one.low_v <= volts <= _BESIDE[1] * one.high_v:
                text = words("{name} has {low} to {high} V, and {v} V were read with it: was it another one, or are two rows swapped?")
                yield Doubt(f"source-{k}", say(text, name=one.name, low=plain(one.low_v), high=plain(one.high_v), v=plain(volts)))
            elif window is not None and volts > _BESIDE[1] * window[1]:
                text = words("{v} V are over the {high} V of the port: that is damage. Were its volts read?")
                yield Doubt(f"over-{k}", say(text, v=plain(volts), high=plain(window[1])))

    def sums(self, seen: Seen) -> Account:
        label = _label(seen.setup, seen.plan)
        candidates = read_candidates(seen.plan.candidates)
        names = [note or (candidates[k].name if k < len(candidates) else "") for k, note in enumerate(seen.table.notes)]
        volts, amps = seen.column("V"), seen.column("A")
        port = analyse_port(volts, amps, names, seen.accuracy("V"), seen.accuracy("A"), seen.half("V", "A"), label)
        findings = dict(port.findings)
        energy = label_of(seen.setup.unit)
        for k, one in enumerate(candidates, start=1):
            findings |= _candidate(k, one, label, port, energy.energy_wh if energy is not None else None)
        given = Group("What each source would give", tuple(k for k in findings if k.startswith(("candidate_", "fills_"))))
        return Account(
            findings,
            ("current_limit", "power_limit", *(k for k in findings if k.startswith("port_power_")))[:6],
            (Group("Its law", ("current_limit", "power_limit", "crossover")), given),
            sentence=_sentence(port, candidates, label),
            warnings=tuple(port.warnings),
            planned=len(candidates) or None,
            drawings=lambda: (_drawn(volts, amps, port, label), *_matrix(candidates, label, port)),
            short=say("up to {w}", w=_best(findings).value_text()),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: PortPlan) -> PowerPath:
        return one_flow(setup, "input", (PathNode("battery", say("Source")), itself(setup)), _best(found).value if found else None)


def _best(found: Mapping[str, Finding]) -> Finding:
    return max((f for f in found.values() if f.key.startswith("port_power_")), key=lambda f: f.value or 0.0)


def _label(setup: Setup, plan: PortPlan) -> PortLabel:
    window = (plan.low, plan.high) if plan.low is not None and plan.high is not None else None
    printed = read_port(setup.unit.label_text)
    return PortLabel(window or printed.window, plan.amps or printed.amps, plan.watts or printed.watts)


def _candidate(k: int, one: PortSource, label: PortLabel, port: Port, holds_wh: float | None) -> dict[str, Finding]:
    word, watts = foretold(one, label, port)
    key = f"candidate_{k}"
    span = say("{a} to {b} V", a=plain(one.low_v), b=plain(one.high_v))
    if watts is None:
        return {key: Finding(key, one.name, None, "W", None, f"{span}: {word}")}
    found = {
        key: Finding(
            key,
            one.name,
            watts[0],
            "W",
            None,
            say("{span}: {word}, {a} to {b} W", span=span, word=word, a=show(watts[0], 3), b=show(watts[1], 3))
            if not was_tried(one, port)
            else say("{span}: {word}, {a} W as it was read", span=span, word=word, a=show(watts[0], 3)),
        )
    }
    mean = (watts[0] + watts[1]) / 2
    if holds_wh and watts[0] > 0:
        name = say("{name} fills it in", name=one.name)
        found[f"fills_{k}"] = Finding(
            f"fills_{k}",
            name,
            3600 * holds_wh / mean,
            "s",
            None,
            say("{wh} Wh on its label ÷ {w} W, without losses and taper", wh=show(holds_wh, 3), w=show(mean, 3)),
        )
    return found


def _sentence(port: Port, candidates: tuple[PortSource, ...], label: PortLabel) -> str:
    parts = []
    amps, watts = port.findings.get("current_limit"), port.findings.get("power_limit")
    if amps is not None:
        parts.append(say("takes {a} at most", a=amps.with_uncertainty()))
    if watts is not None:
        parts.append(say("takes {w} at most", w=watts.with_uncertainty()))
    if not parts:
        parts.append(say("took {w} at best", w=_best(port.findings).with_uncertainty()))
    for one in candidates:
        word, took = foretold(one, label, port)[0], port.took.get(one.name.lower())
        if took is None:
            parts.append(say("{name}: {word}, by its volts; it was not tried", name=one.name, word=word))
        else:
            parts.append(f"{one.name}: {word}" if took > _TAKES_W else say("{name}: nothing was taken of it", name=one.name))
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}."


def _matrix(candidates: tuple[PortSource, ...], label: PortLabel, port: Port) -> tuple[Drawing, ...]:
    """What each source would give: at its lowest volts filled, up to its highest as an outline, and whether it works at all."""
    rows = []
    for k, one in enumerate(candidates, start=1):
        word, watts = foretold(one, label, port)
        low, high = watts if watts is not None else (0.0, None)
        rows.append(
            (
                Finding(f"candidate_{k}", one.name, low, "W", (), ""),
                high,
                say("to {w} W: {word}", w=show(high, 3), word=word) if high else word,
            )
        )
    return (Bars(tuple(rows)),) if rows else ()


def _drawn(volts: Array, amps: Array, port: Port, label: PortLabel) -> Drawing:
    """Watts over volts, with the law."""
    good = np.isfinite(volts) & np.isfinite(amps)
    volts, watts = volts[good], volts[good] * amps[good]
    low, high = label.window if label.window is not None else (0.8 * float(volts.min()), 1.2 * float(volts.max()))
    line = np.linspace(low, high, 60)
    layers: list[Curve | Dots] = [Dots(volts, watts)]
    if port.amps is not None or port.watts is not None:
        law = np.minimum(line * (port.amps if port.amps is not None else np.inf), port.watts if port.watts is not None else np.inf)
        layers.insert(0, Curve(line, law, "power", DASHED, say("its law")))
    left, right = min(0.95 * low, 0.95 * float(volts.min())), max(1.03 * high, 1.03 * float(volts.max()))
    top = max([float(watts.max()), *(float(c.y.max()) for c in layers if isinstance(c, Curve))])
    told = say("{n} points, up to {w} W", n=len(volts), w=show(float(watts.max()), 3))
    return Plot(
        say("What it takes, over the volts"), say("input, V"), say("W"), (left, right), (0.0, 1.12 * max(top, 1.0)), tuple(layers), told
    )
