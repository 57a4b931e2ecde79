"""A bank, station or battery emptied into several devices, one after another: rows of two displays, and a counter where there is one."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.account import Group
from ubrant.core.battery.label_doubt import Holds, held_by_source
from ubrant.core.battery.shared_out import Fill, Shown, shared_out, what_does_not_fit
from ubrant.core.drawings import Bars
from ubrant.core.gate.figures import of_display
from ubrant.core.quantities.jot import EMPTY, TypedLine
from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.quantities.readings import Series
from ubrant.core.record.counters import counted
from ubrant.core.record.head import SIMULATED, label_of
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.uncertainty.finding import Finding
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, words
from ubrant.methods.emptying.person import feeds_each
from ubrant.methods.form import ChoiceKind, Words
from ubrant.methods.rows import HandScript

_SOURCE, _DEVICE, _WH = ("source", "%"), ("device", "%"), ("output", "Wh")
_SOURCES, _DEVICES, _METERED = {"source", "bank", "station", "battery", ""}, {"device", "load"}, {"output", "dc", "ac", "input"}
_COLUMNS = {"Wh": (_WH,), "Ah": (("output", "Ah"), ("output", "V"))}
_NEXT, _SOON_S, _USB_V, _USB_HALF_V = 3.0, 900.0, 5.0, 0.25
"""Points by which a device falls where another of its kind was plugged in; seconds between taking one off and plugging the next in; a USB output where nobody read
its volts (USB 2.0: 4.75 to 5.25 V). Common practice, no source."""


@dataclass(frozen=True)
class FedDevice:
    """``name``, and what the label of its battery says; empty for none."""

    name: str
    label: str = ""

    @property
    def holds(self) -> Holds | None:
        return held_by_source(parse_label(self.label)) if self.label else None


@dataclass(frozen=True)
class EmptyingPlan:
    """``devices`` as they were typed, with their labels; what a meter between counts, *Wh*, *Ah* or nothing; Wh that the source was measured to give, and its ±."""

    devices: str = ""
    counter: str = ""
    usable: float | None = None
    usable_u: float | None = None


def read_devices(text: str) -> tuple[FedDevice, ...]:
    """``tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp``: a name, and the label of its battery where it has one.

    Raises
    ------
    QuantityError
        A label says no capacity; two have one name.
    """
    parts = [part.strip() for part in re.split(r";" if ";" in text else r",(?!\d)", text) if part.strip()]
    found = []
    for part in parts:
        match = re.fullmatch(r"([^:]+?)\s*(?::\s*|\s+(?=\d+(?:[.,]\d+)?\s*(?:m?Ah|k?Wh|m?A\b|V\b)))(.*)", part)
        name, label = (match[1].strip(), match[2].strip()) if match else (part, "")
        if label:
            try:
                parse_label(label)
            except LabelError as error:
                raise QuantityError(say("{name}: {why}", name=name, why=error)) from None
        found.append(FedDevice(name, label))
    names = [one.name.lower() for one in found]
    if twice := next((name for name in names if names.count(name) > 1), ""):
        raise QuantityError(say("“{name}” stands twice: one that is charged again is typed again, and named once.", name=twice))
    return tuple(found)


class EmptyingMethod(d.TypedMethod):
    """Of banks, stations and batteries; typed."""

    key, title, Plan, unplanned, plan_from_label = "emptying", "Emptied into several things", EmptyingPlan, EmptyingPlan(), False
    taps, roads, like = ("output",), (BY_HAND, SIMULATED), "source 97 % device empty"
    reads, spared, columns = (_SOURCE, _DEVICE), (_SOURCE, _DEVICE), (_SOURCE, _DEVICE, _WH)
    counts_points, whole_lines, goes_by_order = False, False, False
    person = feeds_each

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        counters = ChoiceKind(((say("none"), ""), (say("counts Wh"), "Wh"), (say("counts Ah, shows volts"), "Ah")))
        return (
            d.Field(
                "devices", "Devices", Words(read_devices), say("first device; second device"), "tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp"
            ),
            d.Field("counter", "A meter between", counters, say("none")),
            d.Field("usable", "Gives, if measured", d.QuantityKind("Wh", may_be_empty=True), "", "its label"),
            d.Field("usable_u", "±", d.QuantityKind("Wh", may_be_empty=True), "", "Wh", beside=True),
        )

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        setup, plan = prepared.setup, prepared.plan
        devices = read_devices(plan.devices)
        if not devices:
            yield d.refused(say("Name what it is emptied into, like “tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp”."))
        if held_by_source(label_of(setup.unit), plan.usable, plan.usable_u) is None:
            yield d.to_know(say("The label of {name} has no Wh: then only a counter says Wh.", name=setup.unit.name))
        if without := [one.name for one in devices if not one.label]:
            text = words("No label of {names}: what it took can be said, and not how much of it arrived.")
            yield d.to_know(say(text, names=", ".join(without)))

    def facts(self, prepared: d.Prepared, expected: object) -> tuple[str, str]:
        return say("{count} devices", count=len(read_devices(prepared.plan.devices))), say("as often as you like")

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = words("Charge {name} until its charger stops. Take everything off it; note how full each device is before it is plugged in.")
        yield d.Ask(say(text, name=prepared.setup.unit.name or say("the source")), (d.cautions.LOOK_FIRST, d.cautions.NOT_COLD))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        before = words(
            "{name}, before you plug it in: what the source and the device show, like “{example}”, and the counter where there is one."
        )
        after = words("{name}, when it is full or you take it off: the same again, like “source 62 % device full”.")
        for number, one in enumerate(read_devices(prepared.plan.devices)):
            for text in (before, after):
                row = self.row(say(text, name=one.name, example=self.like), one.name)
                yield replace(row, key=str(number), marks=("skip", EMPTY))

    def further(self, prepared: d.Prepared) -> d.Prompt:
        text = words(
            "Once more, or another: the same two lines with its name behind them, like “source 40 % device 12 % tablet”. When the source gives up: “empty”. Then close the run."
        )
        return replace(self.row(say(text), say("and on")), marks=("skip", EMPTY))

    def by_hand(self, prepared: d.Prepared) -> HandScript:
        """With a column for what a meter between counts, where there is one."""
        return replace(super().by_hand(prepared), reads=(*self.reads, *_COLUMNS.get(prepared.plan.counter, ())))

    def every_s(self, prepared: d.Prepared) -> float:
        return 3600.0

    def sums(self, seen: d.Seen) -> d.Account:
        devices = {one.name.lower(): one for one in read_devices(seen.plan.devices)}
        lines = _lines(seen, devices)
        if text := _swapped(lines):
            raise d.ReadingsError(text)
        fills, said = _fills(seen, devices)
        if not fills:
            text = words(
                "No device was read before and after yet: type both displays of each, like “{example}”, then “source 62 % device full”."
            )
            raise d.LackingError(" ".join([*said, say(text, example=self.like)]))
        holds = held_by_source(label_of(seen.setup.unit), seen.plan.usable, seen.plan.usable_u)
        if trouble := _trouble(fills):
            raise d.ReadingsError(trouble)
        end = _end(seen)
        found, more = shared_out(fills, holds, end)
        if not found:
            raise d.ReadingsError(say("Neither the source's percent nor a counter was read at both ends of a device: nothing can be said."))
        names = list(dict.fromkeys(f.name for f in fills))
        took = tuple(key for k in range(1, len(names) + 1) if (key := f"took_{k}") in found)
        charges = tuple(key for k in range(1, len(names) + 1) for key in (f"charges_{k}", f"from_full_{k}", f"arrived_{k}") if key in found)
        return d.Account(
            found,
            tuple(key for key in ("given", *took, "arrives", "left") if key in found),
            (
                Group(say("Shares"), tuple(key for k in range(1, len(names) + 1) if (key := f"share_{k}") in found)),
                Group(say("Charges, and what arrived"), charges),
                Group(say("Against the label"), tuple(key for key in ("label_share", "given_charge") if key in found)),
            ),
            sentence=_sentence(found, names, end),
            warnings=(*said, *more, *_of_label(holds, seen, found)),
            drawings=lambda: (Bars(tuple((found[key], None, "") for key in took)),) if took else (),
            path=lambda: self.path(seen.setup, found, seen.plan),
            short=_short(found, names),
        )

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """A counter beside the points, what arrived beside what was given, one charge beside the next of the same."""
        yield from super().doubts(account, record)
        if account.trouble:
            return
        seen = self.seen(record)
        devices = {one.name.lower(): one for one in read_devices(seen.plan.devices)}
        holds = held_by_source(label_of(seen.setup.unit), seen.plan.usable, seen.plan.usable_u)
        yield from (d.Doubt(key, text) for key, text in what_does_not_fit(_fills(seen, devices)[0], holds))
        shown = [s for line in _lines(seen, devices) if (s := line.shown(_SOURCES)) is not None]
        yield from of_display([(s.time_s, s.percent, s.half) for s in shown])

    def volts_on_label(self, setup: d.Setup) -> Mapping[str, tuple[float, float, float]]:
        return {}

    def path(self, setup: d.Setup, found: Mapping[str, Finding], plan: EmptyingPlan) -> PowerPath:
        """Source → all of them, in Wh once it is known."""
        names = ", ".join(one.name for one in read_devices(plan.devices)) or say("Devices")
        given = found.get("given")
        flow = Flow(given.value) if given is not None else Flow(None, meter=say("its percent"))
        return PowerPath((d.itself(setup, "battery"), PathNode("load", names)), (flow,), (None, None), (0.0, 0.0), "Wh")


@dataclass(frozen=True)
class _Line:
    """What one line says of whom."""

    name: str
    time_s: float
    jotting: TypedLine

    def shown(self, taps: set[str]) -> Shown | None:
        one = next((r for r in self.jotting.readings if r.quantity == "%" and r.tap in taps), None)
        return None if one is None else Shown(one.value, one.half_width, self.time_s)


def _lines(seen: d.Seen, devices: Mapping[str, FedDevice]) -> list[_Line]:
    """Each with its device: whose name it has, else whose turn it is, else the one before."""
    found: list[_Line] = []
    for answer in seen.lines:
        note = answer.name.partition(",")[0].strip()
        known = devices[note.lower()].name if note.lower() in devices else note
        name = known or (found[-1].name if found else say("device"))
        found.append(_Line(name, answer.time_s, answer.jotting))
    return found


def _swapped(lines: Sequence[_Line]) -> str:
    """That the source rises while the device falls, in a sentence; empty where it does not."""
    for one, after in itertools.pairwise(lines):
        source, device = ([s for line in (one, after) if (s := line.shown(taps)) is not None] for taps in (_SOURCES, _DEVICES))
        if one.name == after.name and len(source) == len(device) == 2:
            rises, falls = source[1].percent - source[0].percent, device[0].percent - device[1].percent
            if rises > _NEXT and falls > _NEXT:
                text = words(
                    "{name}: the source's percent rises and the device's falls. Are they swapped? The source is what gives, the device what is charged."
                )
                return say(text, name=one.name)
    return ""


def _fills(seen: d.Seen, devices: Mapping[str, FedDevice]) -> tuple[list[Fill], list[str]]:
    """Lines of one device one after another, to where it falls back: the next of its kind."""
    groups: list[list[_Line]] = []
    said: list[str] = []
    for line in _lines(seen, devices):
        last = groups[-1] if groups else []
        if not line.jotting.readings:
            if last:
                last.append(line)
            continue
        shown = line.shown(_DEVICES)
        before = next((s for one in reversed(last) if (s := one.shown(_DEVICES)) is not None), None)
        again = shown is not None and before is not None and shown.percent < before.percent - _NEXT
        if not last or last[0].name != line.name or again:
            groups.append([])
        groups[-1].append(line)
    found = []
    for place, group in enumerate(groups):
        if sum(bool(line.jotting.readings) for line in group) < 2:
            if seen.record.state == "running" and group is groups[-1]:
                continue  # it is being fed
            said.append(say("{name} was read once only: type both displays again when it comes off.", name=group[0].name))
            continue
        earlier = groups[place - 1][-1] if place else None
        found.append(_fill(seen, group, earlier, devices.get(group[0].name.lower()), said))
    return found, said


def _fill(seen: d.Seen, group: list[_Line], earlier: _Line | None, device: FedDevice | None, said: list[str]) -> Fill:
    """From its first line to where its device was first at its highest, or was said to be full; without its percent to the last line."""
    shown = [(k, s) for k, line in enumerate(group) if (s := line.shown(_DEVICES)) is not None]
    last = len(group) - 1
    both = None
    if len(shown) > 1:
        top = max(s.percent for _, s in shown)
        at_top = [(k, s) for k, s in shown if s.percent >= top]
        at, end = next(((k, s) for k, s in at_top if not s.half), at_top[0])
        if end.percent > shown[0][1].percent:
            last, both = at, (shown[0][1], end)
        else:
            text = words(
                "{name}: its percent never rose. It was full already, or its display stands still: what it took is all that is known."
            )
            said.append(say(text, name=group[0].name))
    used = group[: last + 1]
    first = used[0].shown(_SOURCES)
    if first is None and earlier is not None and used[0].time_s - earlier.time_s < _SOON_S:
        first = earlier.shown(_SOURCES)  # what it showed when the one before came off
    ends = [s for line in used[1:] if (s := line.shown(_SOURCES)) is not None]
    gone = next((Shown(0.0, 0.0, line.time_s) for line in used[1:] if line.jotting.mark == EMPTY), None)
    after = gone or (ends[-1] if ends and ends[-1].time_s >= used[-1].time_s - 1.0 else None)
    name = group[0].name
    counts = {unit: _counter(seen, used, earlier, unit, name, said) for unit in ("Wh", "Ah")}
    counted, charge = counts["Wh"], counts["Ah"]
    if counted is None and charge is not None:
        counted = charge * _volts(seen, used)
    return Fill(
        name,
        (first, after) if first is not None and after is not None else None,
        both,
        counted,
        charge,
        device.holds if device is not None else None,
    )


def _counter(seen: d.Seen, used: Sequence[_Line], earlier: _Line | None, unit: str, name: str, said: list[str]) -> d.Value | None:
    """What a meter counted for it: between its lines, or since the one before came off."""
    lines = [earlier, *used] if earlier is not None else list(used)
    read = [(line, r) for line in lines for r in line.jotting.readings if r.quantity == unit and r.tap in _METERED]
    own = [one for one in read if one[0] is not earlier]
    if not own:
        return None
    if any(line is used[0] for line, _ in own):
        read = own  # it was read as this one was plugged in: what it showed before is of no interest
    if len(read) < 2:
        text = words("{name}: the counter was read once only, so nobody knows where it began. Type it before, too.")
        said.append(say(text, name=name))
        return None
    series = Series(np.array([line.time_s for line, _ in read]), np.array([r.value for _, r in read]))
    count = counted(series, np.array([r.half_width for _, r in read]))
    if text := count.sentence(unit):
        said.append(f"{name}: {text}")
    return count.value(name) + seen.record.off_in_count("output", unit, count.amount)


def _volts(seen: d.Seen, used: Sequence[_Line]) -> d.Value:
    """At which charge was counted: as they were read meanwhile, else those of a USB output."""
    read = [r for line in used for r in line.jotting.readings if r.quantity == "V" and r.tap in _METERED]
    if not read:
        return _USB_V + d.within(_USB_HALF_V, words("volts that nobody read"), "V", note=say("a USB output"))
    values = np.array([r.value for r in read])
    middle = float(values.mean())
    spread = d.within(float(np.ptp(values)) / 2, words("volts that moved meanwhile"), "V")
    return d.as_read(middle, seen.accuracy("V"), "output") + d.digit(read[0].half_width, "V") + spread


def _end(seen: d.Seen) -> Shown | None:
    """What the source showed last; nothing is left where it gave up by itself."""
    lines = _lines(seen, {})
    if any(line.jotting.mark == EMPTY for line in lines[-2:]):
        return Shown(0.0, 0.0, lines[-1].time_s)
    return next((s for line in reversed(lines) if (s := line.shown(_SOURCES)) is not None), None)


def _trouble(fills: Sequence[Fill]) -> str:
    """Why nothing can be said, in a sentence; empty where something can."""
    for one in fills:
        for pair, whose in ((one.source, say("source")), (one.device, one.name)):
            if pair is not None and any(not 0 <= s.percent <= 100 for s in pair):
                worst = next(s.percent for s in pair if not 0 <= s.percent <= 100)
                return say("{v} % of the {name}: a percentage outside 0 to 100.", v=plain(worst), name=whose)
        if one.source is not None and one.source[1].percent > one.source[0].percent + _NEXT:
            text = words(
                "{name}: the source rises from {a} to {b} % while it feeds it. Was it charged meanwhile, or are the two displays swapped?"
            )
            return say(text, name=one.name, a=plain(one.source[0].percent), b=plain(one.source[1].percent))
    return ""


def _of_label(holds: Holds | None, seen: d.Seen, found: Mapping[str, Finding]) -> Iterable[str]:
    given = found.get("given")
    if holds is not None and holds.is_label and given is not None and any(given.sides):
        yield say(
            "{name} was not measured: 65 to 100 % of its label may come out. Shares and charges do not hang on it.",
            name=seen.setup.unit.name,
        )
    if "given_charge" in found:
        yield say("mAh at the output are not the mAh of the cells on a label: compare Wh.")


def _sentence(found: Mapping[str, Finding], names: Sequence[str], end: Shown | None) -> str:
    parts = []
    if (given := found.get("given")) is not None:
        share = found.get("label_share")
        text = words("gave {wh}, {share} of its label") if share is not None else words("gave {wh}")
        parts.append(say(text, wh=given.with_uncertainty(), share=share.with_uncertainty() if share is not None else ""))
    parts += [text for number, name in enumerate(names, start=1) if (text := _of_device(found, number, name))]
    if (arrives := found.get("arrives")) is not None:
        parts.append(say("{share} of it arrived", share=arrives.with_uncertainty()))
    if end is not None:
        parts.append(say("{percent} % left", percent=plain(end.percent)) if end.percent > 0 else say("nothing left"))
    text = "; ".join(parts)
    return f"{text[:1].upper()}{text[1:]}."


def _of_device(found: Mapping[str, Finding], number: int, name: str) -> str:
    took, charges, share = (found.get(f"{key}_{number}") for key in ("took", "charges", "share"))
    if took is not None and share is None and charges is not None:
        return _charged(name, charges)
    if took is not None and share is not None and any(took.sides):  # Wh by a label: the shares are surer
        return say("{name} {share} of it", name=name, share=share.with_uncertainty())
    if took is not None and share is not None:
        return say("{name} {wh} ({share} %)", name=name, wh=took.with_uncertainty(), share=plain(round(share.value or 0.0)))
    return _charged(name, charges) if charges is not None else ""


def _charged(name: str, charges: Finding) -> str:
    text = charges.with_uncertainty()
    return say("{name}: one charge", name=name) if text == "1" else say("{name}: {n} charges", name=name, n=text)


def _short(found: Mapping[str, Finding], names: Sequence[str]) -> str:
    """For a card: *tablet 44 %, phone 33 %, lamp 23 %*."""
    shares = [(name, found.get(f"share_{k}")) for k, name in enumerate(names, start=1)]
    told = [f"{name} {plain(round(one.value or 0.0))} %" for name, one in shares if one is not None]
    return ", ".join(told) if len(told) > 1 else ""
