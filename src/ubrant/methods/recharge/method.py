"""Recharging a device as a method: its form, checks, rows, account."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.battery.device_charge import (
    DeviceRecharge,
    may_fly,
    other_device,
    recharge_findings,
    recharge_slips,
    rules_of_thumb,
    to_buy,
)
from ubrant.core.battery.label_doubt import Holds, held_by_label, held_by_source, in_quarters
from ubrant.core.battery.percent import LINEARITY_POINTS, PercentChange, change_between
from ubrant.core.drawings import DASHED, SOLID, Curve, Drawing, Plot
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.label import Label, LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.quantities.readings import Array, ReadingsError, Series, join, no_readings
from ubrant.core.record.counters import counted
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.integrals import through_meter, totals
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself
from ubrant.methods.form import Field, QuantityKind, Words
from ubrant.methods.method import LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.read_along import on_and_on
from ubrant.methods.recharge.person import recharges
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask, Steps

_SOURCE, _DEVICE = ("source", "%"), ("device", "%")
_SOURCES = ("source", "bank", "station", "battery")
_COUNTED_AT = ("output", "source", "input")
_EVERY_S = 10.0
_RISE = 3.0
"""Points by which a device has to fall for another one to have been plugged in."""
_NEARLY_FULL = 99.0
_APART = 1.25
"""Two recharges differ by this, what both displays may be off by allowed for, before they are asked about. Common practice, no source."""
GROUPS = (
    Group("How it was measured", ("source_points", "taken_energy", "duration", "idle_energy", "efficiency_without_idle")),
    Group("Rules of thumb", ("charges_two_thirds", "charges_twice", "charges_by_labels")),
    Group("What to buy", ("label_wanted", "charges_of_another")),
)


def _other(text: str) -> None:
    if text.strip():
        parse_label(text)


@dataclass(frozen=True)
class RechargePlan:
    """What a person said besides.

    Attributes
    ----------
    wanted : charges to buy for
    usable, usable_u : Wh that the source was measured to give, and its ±; None for its label
    idle_w : W that what stands between burns by itself; None for nothing
    other : label of another device, as printed; empty for none
    """

    wanted: float
    usable: float | None = None
    usable_u: float | None = None
    idle_w: float | None = None
    other: str = ""


class RechargeMethod(TypedMethod):
    """Of banks, stations and batteries; typed."""

    key, title, Plan, unplanned = "recharge", "Recharging a device", RechargePlan, RechargePlan(3.0)
    taps, reads, like = ("source",), (_SOURCE, _DEVICE), "source 97 % device empty"
    device, device_kinds, device_holds = "Device", ("load", "battery", "bank"), True
    groups, counts_points = GROUPS, False
    answers = ("charges_from_full", "recharge_energy", "chain_efficiency", "stored_energy")
    person = recharges

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("usable", "Gives, if measured", QuantityKind("Wh", may_be_empty=True), "", "its label"),
            Field("usable_u", "±", QuantityKind("Wh", may_be_empty=True), "", "Wh", beside=True),
            Field("idle_w", "Idle draw between", QuantityKind("W", may_be_empty=True), "", "of an inverter, say", folded=True),
            Field("wanted", "Charges wanted", QuantityKind(""), "3", folded=True),
            Field("other", "Another device", Words(_other), "", "its label, like 11 Wh", folded=True),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        setup, plan = prepared.setup, prepared.plan
        if held_by_source(label_of(setup.unit), plan.usable, plan.usable_u) is None:
            yield to_know(say("The label of {name} has no Wh: then it is charges only, and no Wh.", name=setup.unit.name))
        if setup.device is None:
            yield refused(say("Put the device on the shelf first, with what the label of its battery says, like “7.6 Ah 3.85 V”."))
        elif _device(setup) is None:
            text = words("The label of {name} has no Wh: what arrives in it cannot be said. Write it like “7.6 Ah 3.85 V”.")
            yield to_know(say(text, name=setup.device.name))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("two lines at least"), ""

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = words(
            "Empty {device} first, gently: until it switches itself off, or its protection trips, and write down how. Leave everything else off {source}."
        )
        yield Ask(say(text, **_names(prepared.setup)), (cautions.LOOK_FIRST, cautions.NOT_COLD))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        text = words("Before you plug in: type what {source} shows and that {device} is empty, like “{example}”; or its percent.")
        yield self.row(say(text, **_names(prepared.setup), example=self.like), say("before"), afresh=False)

    def further(self, prepared: Prepared) -> Prompt:
        text = say(
            "Look in now and then, like “source 80 % device 40 %”. When it is full: “source 54 % device full”. The next device the same way, or close the run."
        )
        return Prompt(text, short=say("now and then"))

    def every_s(self, prepared: Prepared) -> float:
        return 1800.0

    def steps(self, prepared: Prepared) -> Steps:
        text = say(
            "Reading. Type what both displays say, like “{example}”, then plug in; and again when it is full. Then stop.", example=self.like
        )
        return on_and_on(self.by_hand(prepared), _EVERY_S, text)

    def drawn_anyway(self, seen: Seen) -> tuple[Drawing, ...]:
        return (_course(_at(seen.record, *_SOURCES)[0], _at(seen.record, "device", "load")[0], seen.setup),)

    def sums(self, seen: Seen) -> Account:
        record, setup, plan = seen.record, seen.setup, seen.plan
        source, device = _at(record, *_SOURCES), _at(record, "device", "load")
        if trouble := _trouble(source[0], device, setup):
            raise ReadingsError(trouble)
        made = _recharges(record, source, device)
        holds, in_device = held_by_source(label_of(setup.unit), plan.usable, plan.usable_u), _device(setup)
        findings, said = recharge_findings(made, holds, in_device, plan.idle_w)
        said += _remarks(made, setup, plan)
        charges = findings.get("charges_from_full")
        label, own = label_of(setup.unit), label_of(setup.device) if setup.device is not None else None
        exact = charges is not None and bool(charges.value) and not charges.bound
        if exact and charges is not None and in_device is not None and plan.other:
            other = parse_label(plan.other).energy_wh
            if other:
                findings["charges_of_another"] = other_device(charges, in_device, held_by_label(other), plan.other)
        believed = "recharge_energy" in findings or holds is None
        if believed and exact and charges is not None and label is not None and label.energy_wh and plan.wanted > 0:
            findings["label_wanted"] = to_buy(charges, label.energy_wh, plan.wanted)
            said.append(may_fly(label.energy_wh))
        findings |= {f.key: f for f in rules_of_thumb(label, own)}
        if exact and "charges_two_thirds" in findings:
            said.append(say("It was measured: trust that, and no rule of thumb."))
        return Account(
            findings,
            sentence=_sentence(findings, setup),
            warnings=tuple(said),
            drawings=lambda: self.drawn_anyway(seen),
            short=say("{n} charges", n=in_quarters(charges.value)) if charges is not None and charges.value else "",
        )

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """One recharge after the other of one device takes about as much of the source for as much of the device."""
        yield from super().doubts(account, record)
        if account.trouble:
            return
        all_of_them = _recharges(record, _at(record, *_SOURCES), _at(record, "device", "load"))
        for number, one in enumerate(all_of_them, start=1):
            suffix = "" if number == 1 else f"_{number}"
            share, whole, stored, part = (
                account.findings.get(f"{key}{suffix}") for key in ("chain_efficiency", "recharge_energy", "stored_energy", "taken_energy")
            )
            yield from (Doubt(f"{key}-{number}", text) for key, text in recharge_slips(one, share, part or whole, stored))
        made = [one for one in all_of_them if one.source is not None]
        for number, (one, other) in enumerate(itertools.pairwise(made), start=1):
            if one.source is None or other.source is None:
                continue
            (least, most), (low, high) = one.between_shares(), other.between_shares()
            if _APART * most < low or _APART * high < least:
                text = words(
                    "One recharge took {a} points of the source for {b} of the device, the next {c} for {d}: was the source charged in between, or is one of them another device's?"
                )
                told = {"a": plain(one.source.points), "b": plain(one.gained), "c": plain(other.source.points), "d": plain(other.gained)}
                yield Doubt(f"apart-{number}", say(text, **told))

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: RechargePlan) -> PowerPath:
        """Source → device, in Wh once it is known."""
        device = setup.device
        ends = PathNode("load", device.name, device.printed) if device is not None else PathNode("load", say("Device"))
        nodes = itself(setup, "battery"), PathNode("converter", say("On the way")), ends
        if not found:
            shown = Flow(None, meter=say("its percent"))
            return PowerPath(nodes, (shown, shown), (None,) * 3, (0.0,) * 3, "Wh")
        whole, part, stored = (
            f.value if (f := found.get(key)) is not None else None for key in ("recharge_energy", "taken_energy", "stored_energy")
        )
        taken = part if part is not None else whole
        lost = max(taken - stored, 0.0) if taken is not None and stored is not None else 0.0
        text = say("{wh} Wh lost", wh=show(lost, 3)) if lost else None
        return PowerPath(nodes, (Flow(taken), Flow(stored)), (None, text, None), (0.0, lost, 0.0), "Wh")


def _names(setup: Setup) -> dict[str, str]:
    return {"source": setup.unit.name, "device": setup.device.name if setup.device is not None else say("the device")}


def _at(record: Record, *taps: str) -> tuple[Series, Array]:
    """Percent at a place by any of its names, and half of its last digit, 0 where it is known."""
    for tap in taps:
        series = record.either(tap, "%")
        if len(series):
            half = record.half_width(tap, "%")
            return series, np.full(len(series), half) if isinstance(half, float) else half
    return no_readings(), np.empty(0)


def _trouble(source: Series, device: tuple[Series, Array], setup: Setup) -> str:
    """Why nothing can be said, in a sentence; empty where something can."""
    if not len(device[0]):
        return say("The device's percent is missing: type “device empty” before, and “device full” when it is.")
    if len(device[0]) < 2:
        return say("One reading of the device only: type “device full”, or its percent, when it has been charged.")
    for series, name in ((source, say("source")), (device[0], say("device"))):
        if len(series) and (float(series.value.max()) > 100 or float(series.value.min()) < 0):
            return say(
                "{v} % of the {name}: a percentage outside 0 to 100.",
                v=plain(float(series.value.max() if series.value.max() > 100 else series.value.min())),
                name=name,
            )
    rises = float(device[0].value[-1] - device[0].value[0]), float(np.max(np.diff(device[0].value)))
    falls = float(source.value[0] - source.value[-1]) if len(source) > 1 else 0.0
    if rises[1] <= 0 and len(source) > 1 and falls < 0:
        return say(
            "The source's percent rises and the device's falls: are they swapped? The source is what gives, the device what is charged."
        )
    if rises[1] <= 0:
        return say("The device's percent never rose: nothing was charged, or it is a display that never moves.")
    if len(source) > 1 and falls < 0:
        return say("The source's percent rises while it charges something: was it charged meanwhile? Then nothing can be said.")
    steps = np.diff(source.value) if len(source) > 1 else np.zeros(0)
    if len(steps) and float(steps.max()) > LINEARITY_POINTS:
        k = int(np.argmax(steps))
        return say(
            "The source's percent rises from {a} to {b} % while it charges something: was it charged meanwhile, or did a digit slip? Mend the row, or leave it out.",
            a=plain(float(source.value[k])),
            b=plain(float(source.value[k + 1])),
        )
    return ""


def _recharges(record: Record, source: tuple[Series, Array], device: tuple[Series, Array]) -> list[DeviceRecharge]:
    """A recharge is a rise of the device; where it falls back another one was plugged in.

    What the source says is of a charge where no other one lies between. Where it was read only before several and after them, they are one.
    """
    gained = _rises(*device)
    found: list[DeviceRecharge] = []
    for place, one in enumerate(gained):
        after_s = gained[place - 1].to_s if place else -math.inf
        before_s = gained[place + 1].from_s if place + 1 < len(gained) else math.inf
        taken = change_between(*_within(source, after_s, before_s), one.from_s, one.to_s)
        found.append(DeviceRecharge(taken, one, _counted(record, one.from_s, one.to_s)))
    if len(found) > 1 and all(one.source is None and one.counted is None for one in found):
        together = change_between(*source, gained[0].from_s, gained[-1].to_s)
        if together is not None:
            return [DeviceRecharge(together, gained[0], more=tuple(gained[1:]))]
    return found


def _rises(series: Series, half: Array) -> list[PercentChange]:
    """Each rise of the device, to when it was first read at its highest, or was said to be full: what was read later is of no charge."""
    starts = [0, *(k for k in range(1, len(series)) if series.value[k] < series.value[k - 1] - _RISE), len(series)]
    found = []
    for first, after in itertools.pairwise(starts):
        values = series.value[first:after]
        if after - first < 2 or values.max() <= values[0]:
            continue
        at_top = first + np.flatnonzero(values >= values.max())
        said_full = [k for k in at_top if not half[k]]
        last = int(said_full[0] if said_full else at_top[0])
        found.append(
            PercentChange(
                float(values[0]),
                float(series.value[last]),
                float(half[first]),
                float(half[last]),
                float(series.time_s[first]),
                float(series.time_s[last]),
            )
        )
    return found


def _within(series: tuple[Series, Array], from_s: float, to_s: float) -> tuple[Series, Array]:
    inside = (series[0].time_s >= from_s) & (series[0].time_s <= to_s)
    return Series(series[0].time_s[inside], series[0].value[inside]), series[1][inside]


def _counted(record: Record, from_s: float, to_s: float) -> Value | None:
    """Wh by a meter's counter meanwhile."""
    for tap in _COUNTED_AT:
        series = record.either(tap, "Wh")
        inside = (series.time_s >= from_s - 1.0) & (series.time_s <= to_s + 1.0)
        if inside.sum() > 1:
            half = record.half_width(tap, "Wh")
            digits = np.full(len(series), half) if isinstance(half, float) else half
            count = counted(Series(series.time_s[inside], series.value[inside]), digits[inside])
            return count.value(tap) + record.off_in_count("source", "Wh", count.amount)
    return _read_between(record, from_s, to_s)


def _read_between(record: Record, from_s: float, to_s: float) -> Value | None:
    """Wh by volts and amperes that a meter at the source's output read along meanwhile."""
    volts, amps = record.corrected("source", "V"), record.corrected("source", "A")
    if volts is None or amps is None:
        return None
    readings = join(volts, amps)
    inside = (readings.time_s >= from_s - 1.0) & (readings.time_s <= to_s + 1.0)
    if inside.sum() < 2:
        return None
    sums = totals(readings.time_s[inside], readings.voltage_v[inside], readings.current_a[inside])
    return through_meter(sums, record.accuracy("source", "V"), record.accuracy("source", "A"))[1]


def _device(setup: Setup) -> Holds | None:
    return held_by_source(_label(setup))


def _label(setup: Setup) -> Label | None:
    try:
        return setup.device.label if setup.device is not None else None
    except (LabelError, QuantityError):
        return None


def _remarks(made: list[DeviceRecharge], setup: Setup, plan: RechargePlan) -> list[str]:
    said = []
    first = made[0].device
    if first.start_half and first.start > 0:
        said.append(
            say("It was not known to be empty: {percent} % is what its display showed.", percent=plain(first.start))
            if first.start < 100
            else say("The device was full already.")
        )
    if made[0].count > 1:
        said.append(
            say(
                "The source was read before the first and after the last of {n} charges: what is said of one is their mean. Read it at each end of each.",
                n=made[0].count,
            )
        )
    if made[-1].device.end < _NEARLY_FULL:
        said.append(say("It was not charged to full: the last points charge slowly, so the time to full is not reckoned from this pace."))
    if any(one.source is not None and one.source.points == 0 for one in made):
        said.append(say("The source's display never moved: it took less than a point, or the display is blind to what it drew."))
    if not plan.usable and held_by_source(label_of(setup.unit), plan.usable, plan.usable_u) is not None:
        said.append(say("{name} was not measured: 65 to 100 % of its label may come out. Charges do not hang on it.", name=setup.unit.name))
    said.append(say("Until a display's linearity was measured ± {points} points stand at each end.", points=plain(LINEARITY_POINTS)))
    return said


def _sentence(findings: dict[str, Finding], setup: Setup) -> str:
    parts = []
    energy, charges, share = (findings.get(key) for key in ("recharge_energy", "charges_from_full", "chain_efficiency"))
    if energy is not None and energy.value:
        parts.append(say("One recharge takes {wh} of {name}", wh=energy.with_uncertainty(), name=setup.unit.name))
    if charges is not None and charges.value:
        exact = charges.with_uncertainty().strip()
        quarters = in_quarters(charges.value)
        parts.append(
            say("{exact} charges from full", exact=exact)
            if charges.bound
            else say("{quarters} charges from full ({exact})", quarters=quarters, exact=exact)
        )
    if share is not None and share.value:
        parts.append(say("{share} of it arrives", share=share.with_uncertainty()))
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}." if text else say("The source was not read: only how long it took is known.")


def _course(source: Series, device: Series, setup: Setup) -> Plot:
    """Percent of both over hours."""
    names = (setup.unit.name or say("source"), setup.device.name if setup.device is not None else say("device"))
    end = max([float(s.time_s[-1]) for s in (source, device) if len(s)], default=3600.0) / 3600
    layers = tuple(
        Curve(s.time_s / 3600, s.value, tint, style, name)
        for s, tint, style, name in ((source, "voltage", SOLID, names[0]), (device, "current", DASHED, names[1]))
        if len(s)
    )
    told = "; ".join(
        say("{name} from {a} to {b} %", name=name, a=plain(float(s.value[0])), b=plain(float(s.value[-1])))
        for s, name in zip((source, device), names, strict=True)
        if len(s)
    )
    return Plot(say("Percent shown"), say("time, h"), "%", (0.0, max(end, 0.1)), (0.0, 104.0), layers, told)
