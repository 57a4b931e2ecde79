"""Outlooks as people write them: a TOML file, or what the window keeps, to a kit."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import TypeVar

import numpy as np

from ubrant.core.battery.how_full import charge_at_rest, percents_of
from ubrant.core.battery.label_doubt import LOW_SHARE
from ubrant.core.equipment.leads import OHM_PER_KM, Leads, awg_area_mm2, copper_ohm
from ubrant.core.outlook.duty import DAY_S, Duty, parse_duty, read_clock
from ubrant.core.outlook.kit import (
    CONSTANT,
    CURRENT,
    POWER,
    RECORDED,
    RESISTANCE,
    SUN,
    DischargeCurve,
    Input,
    Kit,
    Load,
    Source,
    Way,
    curve_at_rest,
    exponent_of,
    highest_v,
    usual_ohm,
    with_volts,
)
from ubrant.core.outlook.slips import impossible, unlikely
from ubrant.core.outlook.spread import NONE, Uncertain, parse_spread, share_of
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, parse_quantity, plain
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.value import as_read
from ubrant.core.wording import say, words
from ubrant.logbook.logs.limits import check_file
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.text import text_of
from ubrant.runs.kits.kit_parts import InputPart, KitError, KitPart, LoadPart, SourcePart, WayPart

CIRCUIT_SHARE = 0.8
"""Of a circuit's amperes that a load which lasts may take. Common practice, no source."""
STRAIGHT = "straight"
_KINDS = {"power": POWER, "current": CURRENT, "resistance": RESISTANCE}
_T = TypeVar("_T")


@dataclass(frozen=True)
class LoadSeen:
    """A load as a run showed it: W while it is on, W between, and its duty where the run shows it come and go."""

    drawn: Uncertain
    standby: Uncertain = NONE
    duty: Duty | None = None


@dataclass(frozen=True)
class Measured:
    """What runs of a logbook say, by their numbers; ``newest`` is the newest that says it of a unit, by kind of piece and the unit's name; ``not_full`` says
    of a unit that its last run found it other than full."""

    source: Callable[[int], Source | None]
    way: Callable[[int], Way | None]
    load: Callable[[int, str], LoadSeen | None]
    newest: Callable[[str, str], int | None]
    left: Callable[[int], Source | None]
    label: Callable[[str], str]
    not_full: Callable[[str], str]


def nothing_measured() -> Measured:
    """Where there is no logbook at hand."""
    return Measured(lambda _: None, lambda _: None, lambda _, __: None, lambda _, __: None, lambda _: None, lambda _: "", lambda _: "")


# to a kit


def kit_of(part: KitPart, measured: Measured | None = None, folder: Path | None = None) -> Kit:
    """The kit that a file or the window describes.

    Parameters
    ----------
    measured : where ``run`` looks
    folder : from which a recorded ``log`` is looked for

    Raises
    ------
    KitError
        A value that is not understood; says which, and how to write it.
    """
    measured = measured or nothing_measured()
    if not part.source:
        raise KitError(say('There is nothing to run from: name a source with its energy, like energy = "640 Wh".'))
    ways = tuple(_way(one, k, measured) for k, one in enumerate(part.way))
    names = [w.name for w in ways]
    loads = tuple(_load(one, k, names, measured) for k, one in enumerate(part.load))
    day_w = _mean_w(loads, ways)
    sources = tuple(_source(one, k, measured, day_w) for k, one in enumerate(part.source))
    inputs = tuple(_input(one, k, folder) for k, one in enumerate(part.input))
    starts = _read("[day], starts", read_clock, part.day.starts) if part.day.starts.strip() else 0.0
    ways, loads = _joints(sources, ways, loads)
    sources, remarks = _with_volts(sources, ways, loads)
    loads = tuple(_as_watts(load, sources[0]) for load in loads)
    begun = [
        text for one, source in zip(part.source, sources, strict=True) if not one.full.strip() and (text := measured.not_full(source.name))
    ]
    asked = [text for one in part.source if one.label.strip() for text in parse_label(one.label, one.chemistry or None).queries]
    kit = Kit(sources, loads, ways, inputs, starts, part.name, (*asked, *begun, *remarks, *_plugs(sources, ways, loads)))
    if trouble := impossible(kit):
        raise KitError(trouble)
    kit = replace(kit, remarks=(*kit.remarks, *unlikely(kit)))
    if kit.varies and not part.day.starts.strip():
        kit = replace(
            kit, remarks=(*kit.remarks, say("Nobody said when it is switched on: midnight is taken. Write the time, like 17:30."))
        )
    return kit


def _with_volts(sources: tuple[Source, ...], ways: tuple[Way, ...], loads: tuple[Load, ...]) -> tuple[tuple[Source, ...], tuple[str, ...]]:
    """Sources with their volts where a piece asks for them; what cannot be looked at without is said."""
    asking = [w.name for w in ways if w.cutoff_v > 0 or w.lead_ohm > 0 or math.isfinite(w.fuse_a)] + [
        x.name for x in loads if x.gives_up_v > 0 or x.kind == RESISTANCE
    ]
    if not asking:
        return sources, ()
    found = tuple(with_volts(s) for s in sources)
    if all(s is not None for s in found):
        return tuple(s for s in found if s is not None), ()
    lacking = ", ".join(s.name for s, f in zip(sources, found, strict=True) if f is None)
    remark = say(
        "The volts of {source} are not known, so cut-offs, leads and what follows the volts of {names} are left out: give its label, like “100 Ah 12.8 V LiFePO4 label”.",
        source=lacking,
        names=", ".join(asking),
    )
    return sources, (remark,)


def _as_watts(load: Load, source: Source) -> Load:
    """Amperes as watts wherever no curve says the volts: by the load's own volts behind a way, by the system's straight from the source."""
    if load.kind != CURRENT or (not load.way and source.curve is not None):
        return load if load.kind != RESISTANCE or (not load.way and source.curve is not None) else replace(load, kind=POWER)
    volts = load.at_v or ((source.mean_v if source.curve is not None else source.nominal_v) if not load.way else 0.0)
    if not volts:
        raise KitError(say("{name}: amperes need their volts: write watts, or “at 12 V” behind it.", name=load.name))
    return replace(load, drawn=load.drawn.times(volts), kind=POWER)


def job_of(part: KitPart, kit: Kit) -> tuple[str, Uncertain, Way | None] | None:
    """(its name, Wh, what it goes through) of the job; None where there is none."""
    if part.job is None or not part.job.energy.strip():
        return None
    wh = _read("[job], energy", lambda t: parse_spread(t, "Wh"), part.job.energy)
    way = next((w for w in kit.ways if w.name == part.job.way), kit.ways[0] if kit.ways and not part.job.way else None)
    return part.job.name, wh, way


def _read(where: str, read: Callable[[str], _T], text: str) -> _T:
    try:
        return read(text)
    except (QuantityError, LabelError) as error:
        raise KitError(f"{where}: {error}") from None


def _spread(where: str, text: str, unit: str, usual: float = 0.0) -> Uncertain:
    return _read(where, lambda t: parse_spread(t, unit), text) if text.strip() else Uncertain(usual)


def _value(where: str, text: str, unit: str, usual: float = 0.0) -> float:
    return _spread(where, text, unit, usual).value


def _place(kind: str, name: str) -> Callable[[str], str]:
    return lambda key: f"[[{kind}]] {name}, {key}"


def _mean_w(loads: tuple[Load, ...], ways: tuple[Way, ...]) -> float:
    return sum(load.drawn.value * load.duty.day_share for load in loads if load.kind != CURRENT) + sum(w.idle.value for w in ways)


def _source(one: SourcePart, k: int, measured: Measured, mean_w: float) -> Source:
    name = one.name or (say("source") if k == 0 else say("source {n}", n=k + 1))
    where = _place("source", name)
    one = _from_shelf(one, "source", measured)
    if one.left_after is not None:
        found = measured.left(one.left_after)
        if found is None:
            raise KitError(
                say(
                    "{where}: nobody can say what is left after run {n}: it gave nothing, or its battery holds nobody knows what.",
                    where=where("left_after"),
                    n=one.left_after,
                )
            )
        source = replace(found, name=one.name or found.name)
    elif one.run is not None:
        found = measured.source(one.run)
        if found is None:
            raise KitError(say("{where}: run {n} has no energy to go by, or is not in the logbook.", where=where("run"), n=one.run))
        source = replace(found, name=one.name or found.name)
    elif one.capacity.strip():
        source = _battery(one, name)
    elif one.energy.strip():
        source = Source(name, _energy(where("energy"), one.energy), why=say("{what}, as it was given", what=one.energy.strip()))
        if one.volts.strip():
            source = _named_volts(source, one)
    elif one.label.strip():
        source = _label(one, name)
    else:
        raise KitError(say('{where}: give its energy, like energy = "640 Wh".', where=where("energy")))
    usable = _read(where("usable"), share_of, one.usable).value if one.usable.strip() else 1.0
    stored = _read(where("stored"), share_of, one.stored).value if one.stored.strip() else source.stored
    full = _full(where("full"), one, source, measured) if one.full.strip() else source.full
    taper = _read(where("taper_from"), share_of, one.taper_from).value if one.taper_from.strip() else 1.0
    return replace(
        source,
        usable=usable,
        kept_wh=_reserve(where("reserve"), one.reserve, mean_w),
        full=full,
        stored=stored,
        taper_from=taper,
        max_w=_most(where("max"), one.max, source.mean_v if source.curve is not None else _volts_of(one, where)),
        swap_s=_value(where("swap"), one.swap, "s"),
        plug=one.plug.strip(),
    )


_P = TypeVar("_P", SourcePart, WayPart, LoadPart)


def _from_shelf(one: _P, kind: str, measured: Measured) -> _P:
    """A piece that is named and nothing else: its newest run that says it, or its label."""
    if not one.name or one.run is not None or (isinstance(one, SourcePart) and one.left_after is not None):
        return one
    if isinstance(one, SourcePart) and (one.energy.strip() or one.label.strip() or one.capacity.strip()):
        return one
    found = measured.newest(kind, one.name)
    if found is not None:
        return one.model_copy(update={"run": found})
    label = measured.label(one.name) if isinstance(one, SourcePart) else ""
    return one.model_copy(update={"label": label}) if label else one


def _energy(where: str, text: str) -> Uncertain:
    """``640 Wh``, ``640 ± 12 Wh``, or ``100 Ah 12.8 V``."""
    if re.search(r"\bm?Ah\b", text, re.I):
        label = _read(where, lambda t: parse_label(t, None), text)
        if not label.energy_wh:
            raise KitError(say("{where}: ampere-hours need their volts, like “100 Ah 12.8 V”.", where=where))
        return Uncertain(label.energy_wh)
    return _read(where, lambda t: parse_spread(t, "Wh"), text)


def _label(one: SourcePart, name: str) -> Source:
    """What is printed: the middle is the pencil's, and what comes out lies from 65 % of it to all of it unless said otherwise."""
    where = _place("source", name)
    label = _read(where("label"), lambda t: parse_label(t, one.chemistry or None), one.label)
    if not label.energy_wh:
        raise KitError(say("{where}: its Wh are not on it: add the volts, like “100 Ah 12.8 V”.", where=where("label")))
    low = _read(where("label_low"), share_of, one.label_low).value if one.label_low.strip() else LOW_SHARE
    high = _read(where("label_high"), lambda t: parse_spread(t, "%"), one.label_high).value / 100 if one.label_high.strip() else 1.0
    energy = label.energy_wh
    why = say("label: {wh} Wh, {low} to {high} % of it", wh=plain(energy), low=plain(100 * low), high=plain(100 * high))
    amount = Uncertain(energy, 0.0, low * energy, max(high, low) * energy)
    kind, series = label.chemistry or "", label.series or 0
    return Source(name, amount, nominal_v=label.voltage_v or 0.0, chemistry=kind, series=series, why=why)


def _named_volts(source: Source, one: SourcePart) -> Source:
    """With the volts that were given beside its Wh, and the cells they make."""
    where = _place("source", source.name)
    volts = _value(where("volts"), one.volts, "V")
    ah = source.capacity.value / max(volts, 1e-9)
    label = _read(where("volts"), lambda t: parse_label(t, one.chemistry or None), f"{ah:.6g} Ah {volts:.6g} V")
    return replace(source, nominal_v=volts, chemistry=label.chemistry or "", series=label.series or 0)


def _battery(one: SourcePart, name: str) -> Source:
    """Ampere-hours that were measured, on the resting chart of its kind."""
    where = _place("source", name)
    ah = _spread(where("capacity"), one.capacity, "Ah")
    volts = _value(where("volts"), one.volts, "V")
    if not volts > 0:
        raise KitError(say('{where}: ampere-hours need their volts, like volts = "12.8 V".', where=where("volts")))
    if one.chemistry and one.chemistry not in CHEMISTRIES:
        raise KitError(
            say(
                "{where}: “{what}” is not known: it is one of {known}.",
                where=where("chemistry"),
                what=one.chemistry,
                known=", ".join(CHEMISTRIES),
            )
        )
    label = _read(where("volts"), lambda t: parse_label(t, one.chemistry or None), f"{ah.value:.6g} Ah {volts:.6g} V")
    kind, series = label.chemistry, label.series
    measured_at = _value(where("measured_at"), one.measured_at, "A") or None
    if kind is None or not series:
        return Source(name, ah.times(volts), why=say("{what} at {v} V", what=one.capacity, v=plain(volts)))
    ohm = _spread(where("resistance"), one.resistance, "Ω") if one.resistance.strip() else usual_ohm(kind, series, ah.value)
    cutoff = _value(where("cutoff"), one.cutoff, "V")
    curve = curve_at_rest(kind, series, ohm, cutoff) or DischargeCurve(np.array([0.0, 1.0]), np.array([volts, volts]), 0.0, ohm, cutoff)
    exponent = exponent_of(kind, beside_sag=cutoff > 0) if measured_at else Uncertain(1.0)
    return Source(name, ah, curve, exponent=exponent, rate=measured_at, why=say("{what}, measured", what=ah.text("Ah")))


_HAND_METER = Accuracy(0.005, 0.01, "V")
"""A hand meter of nobody's accuracy. Common practice, no source."""


def _full(where: str, one: SourcePart, source: Source, measured: Measured) -> Uncertain:
    """Which share it starts with: as it was said, or by its volts at rest and the chart of its kind."""
    match = re.fullmatch(rf"\s*(?:at\s+)?({NUMBER})\s*V(?:\s+at\s+rest)?\s*", one.full, re.I)
    if match is None:
        return _read(where, share_of, one.full)
    printed = one.label or measured.label(source.name)
    label = _read(where, parse_label, printed) if printed else None
    kind = label.kind_of_cell if label is not None else CHEMISTRIES.get(source.chemistry)
    series = label.series if label is not None else source.series
    if kind is None or not series:
        text = words("{where}: volts at rest tell only of a battery whose label says its kind and its volts. Write a share, like “60 %”.")
        raise KitError(say(text, where=where))
    try:
        rest = as_read(parse_number(match[1]), _HAND_METER)
        charge = charge_at_rest(rest, series, kind)
    except ReadingsError as error:
        raise KitError(f"{where}: {error}") from None
    low, high = percents_of(charge)
    return Uncertain((low + high) / 200, 0.0, low / 100, high / 100)


def _volts_of(one: SourcePart, where: Callable[[str], str]) -> float:
    return _value(where("volts"), one.volts, "V") if one.volts.strip() else 0.0


def _most(where: str, text: str, volts: float) -> float:
    """``300 W`` or ``25 A`` as watts; inf where nothing is said."""
    if not text.strip():
        return math.inf
    if re.search(r"\bm?A\s*$", text):
        if not volts:
            raise KitError(say("{where}: amperes need volts: give watts, like “300 W”.", where=where))
        return _read(where, lambda t: parse_quantity(t, "A"), text) * volts
    return _read(where, lambda t: parse_spread(t, "W"), text).value


def _reserve(where: str, text: str, mean_w: float) -> float:
    """``80 Wh``, or ``30 min`` of everything: as Wh."""
    if not text.strip():
        return 0.0
    if re.search(r"(Wh|wh)\s*$", text):
        return _value(where, text, "Wh")
    return _value(where, text, "s") / 3600 * mean_w


def _way(one: WayPart, k: int, measured: Measured) -> Way:
    name = one.name or (say("way") if k == 0 else say("way {n}", n=k + 1))
    where = _place("way", name)
    one = _from_shelf(one, "way", measured) if not one.efficiency.strip() and not one.idle.strip() else one
    way = Way(name)
    if one.run is None and not any(t.strip() for t in (one.efficiency, one.idle, one.cutoff, one.max, one.leads, one.fuse)):
        raise KitError(
            say("{where}: say what it takes, like “88 %, idle 7 W”, or name one of the shelf that was swept.", where=where("efficiency"))
        )
    if one.run is not None:
        found = measured.way(one.run)
        if found is None:
            raise KitError(say("{where}: run {n} has no losses to go by, or is not in the logbook.", where=where("run"), n=one.run))
        way = replace(found, name=one.name or found.name)
    if one.efficiency.strip():
        way = replace(way, efficiency=_read(where("efficiency"), share_of, one.efficiency), loss=None)
    if one.idle.strip():
        way = replace(way, idle=_spread(where("idle"), one.idle, "W"))
    most = _most(where("max"), one.max, 0.0) if one.max.strip() else way.max_w
    surge = _most(where("surge"), one.surge, 0.0) if one.surge.strip() else way.surge_w
    return replace(
        way,
        cutoff_v=_value(where("cutoff"), one.cutoff, "V", way.cutoff_v),
        max_w=most,
        surge_w=surge,
        lead_ohm=_leads(where("leads"), one.leads),
        switched=one.switched,
        fuse_a=_value(where("fuse"), one.fuse, "A") if one.fuse.strip() else math.inf,
        window=_window(where("window"), one.window) if one.window.strip() else way.window,
        plug=one.plug.strip(),
    )


def _window(where: str, text: str) -> tuple[float, float]:
    """``10.5-15 V``, ``10.5 to 15 V``."""
    match = re.fullmatch(r"\s*([\d.,]+)\s*V?\s*(?:-|–|to|\.\.)\s*([\d.,]+)\s*V\s*", text)
    low, high = (float(part.replace(",", ".")) for part in match.groups()) if match else (0.0, 0.0)
    if not 0 < low < high:
        raise KitError(say("{where}: “{what}” is no window: write it like “10.5-15 V”.", where=where, what=text.strip()))
    return low, high


def _joints(sources: tuple[Source, ...], ways: tuple[Way, ...], loads: tuple[Load, ...]) -> tuple[tuple[Way, ...], tuple[Load, ...]]:
    """Every joint of the chain: the highest volts of each source inside what hangs on it, or it is refused; the lowest as where that goes off."""
    hanging: list[Way | Load] = [*ways, *(load for load in loads if not load.way)]
    for one in hanging:
        if one.window is None:
            continue
        for source in sources:
            most = highest_v(source)
            if most is not None and most > one.window[1]:
                raise KitError(
                    say(
                        "{source} goes up to {v} V, over the {high} V of {name}: over the window is damage.",
                        source=source.name,
                        v=plain(most, 3),
                        high=plain(one.window[1]),
                        name=one.name,
                    )
                )
    made = tuple(replace(w, cutoff_v=max(w.cutoff_v, w.window[0])) if w.window is not None else w for w in ways)
    those = tuple(replace(x, gives_up_v=max(x.gives_up_v, x.window[0])) if x.window is not None and not x.way else x for x in loads)
    return made, those


def _plugs(sources: tuple[Source, ...], ways: tuple[Way, ...], loads: tuple[Load, ...]) -> tuple[str, ...]:
    """Joints whose two plugs were written down and are not the same."""
    hanging: list[Way | Load] = [*ways, *(load for load in loads if not load.way)]
    return tuple(
        say(
            "{source} has “{a}” and {name} takes “{b}”: an adapter, and its polarity checked with a meter.",
            source=s.name,
            a=s.plug,
            name=one.name,
            b=one.plug,
        )
        for one in hanging
        for s in sources
        if s.plug and one.plug and s.plug.lower() != one.plug.lower()
    )


def _leads(where: str, text: str) -> float:
    """``1.5 m 4 mm²``, ``1.5 m AWG 12``, ``1.5 m #12`` or ``12 mΩ`` of the loop."""
    if not text.strip():
        return 0.0
    if match := re.fullmatch(r"\s*(?:2\s*[×x]\s*)?([\d.,]+)\s*m\b[\s,·]*(?:AWG\s*|#\s*)(\d{1,2})\s*", text, re.I):
        return copper_ohm(2 * parse_number(match[1]), awg_area_mm2(int(match[2])))
    if match := re.fullmatch(r"\s*(?:2\s*[×x]\s*)?([\d.,]+)\s*m\b[\s,·]*([\d.,]+)\s*mm[²2]?\s*", text):
        length, area = (float(part.replace(",", ".")) for part in match.groups())
        if area not in OHM_PER_KM:
            raise KitError(
                say(
                    "{where}: {area} mm² is no usual section: {known}.",
                    where=where,
                    area=plain(area),
                    known=", ".join(map(plain, OHM_PER_KM)),
                )
            )
        return Leads(length, area).resistance_ohm
    return _read(where, lambda t: parse_quantity(t, "Ω"), text)


def _load(one: LoadPart, k: int, ways: list[str], measured: Measured) -> Load:
    name = one.name or (say("load") if k == 0 else say("load {n}", n=k + 1))
    where = _place("load", name)
    one = _from_shelf(one, "load", measured) if not one.power.strip() and not one.current.strip() else one
    standby = _spread(where("standby"), one.standby, "W")
    why, seen = "", None
    if one.run is not None:
        found = measured.load(one.run, one.mode)
        if found is None:
            raise KitError(say("{where}: run {n} has no mode “{mode}”.", where=where("run"), n=one.run, mode=one.mode))
        drawn, kind = found.drawn, POWER
        standby = standby if one.standby.strip() else found.standby
        seen = found.duty
        why = say("measured")
    elif one.power.strip():
        drawn, kind = _spread(where("power"), one.power, "W"), POWER
    elif one.current.strip():
        drawn, kind = _spread(where("current"), one.current, "A"), CURRENT
    else:
        raise KitError(say('{where}: say what it draws, like power = "58 W".', where=where("power")))
    if one.follows.strip():
        if one.follows not in _KINDS:
            raise KitError(say("{where}: it is one of power, current, resistance.", where=where("follows")))
        kind = _KINDS[one.follows] if one.power.strip() or one.run is not None else CURRENT
    duty = _read(where("duty"), parse_duty, one.duty) if one.duty.strip() else seen or Duty()
    way = one.way or (ways[0] if len(ways) == 1 else "")
    return Load(
        name,
        drawn,
        duty,
        kind,
        _value(where("at"), one.at, "V"),
        standby,
        _value(where("start"), one.start, "W"),
        _value(where("gives_up"), one.gives_up, "V"),
        "" if way == STRAIGHT else way,
        one.guessed,
        _window(where("window"), one.window) if one.window.strip() else None,
        one.plug.strip(),
        why,
    )


def _input(one: InputPart, k: int, folder: Path | None) -> Input:
    name = one.name or (say("input") if k == 0 else say("input {n}", n=k + 1))
    where = _place("input", name)
    duty = _read(where("when"), parse_duty, one.when) if one.when.strip() else Duty()
    if one.shape not in {CONSTANT, SUN}:
        raise KitError(say("{where}: it is “constant” or “sun”.", where=where("shape")))
    if one.shape == SUN and not duty.windows:
        raise KitError(say('{where}: the sun needs its hours, like when = "06:00 to 20:00".', where=where("when")))
    if not one.log.strip() and not one.power.strip():
        raise KitError(say("{where}: say what comes in, like “60 W”.", where=where("power")))
    limit = _circuit(where("limit"), one.limit)
    starts_at = _read(where("starts_at"), share_of, one.starts_at).value if one.starts_at.strip() else None
    until = _read(where("until"), share_of, one.until).value if one.until.strip() else Input.until
    if one.log.strip():
        time, watts = _recorded(where("log"), (folder or Path()) / one.log)
        return Input(name, Uncertain(float(watts.max())), duty, RECORDED, limit, (time, watts), starts_at, until)
    return Input(name, _spread(where("power"), one.power, "W"), duty, one.shape, limit, None, starts_at, until)


def _circuit(where: str, text: str) -> float:
    """``15 A 120 V``: 80 % of it, for what lasts; or ``200 W``."""
    if not text.strip():
        return math.inf
    if match := re.fullmatch(r"\s*([\d.,]+)\s*A[\s,×x]*([\d.,]+)\s*V\s*", text):
        amps, volts = (float(part.replace(",", ".")) for part in match.groups())
        return CIRCUIT_SHARE * amps * volts
    return _read(where, lambda t: parse_spread(t, "W"), text).value


def _recorded(where: str, path: Path) -> tuple[Array, Array]:
    """Seconds of the day and W of a CSV of two columns: a time of day, watts."""
    try:
        check_file(path)
        rows = [line.split(",") for line in text_of(path.read_bytes()).splitlines() if line.strip()]
    except OSError:
        raise KitError(say("{where}: {path} cannot be read.", where=where, path=path)) from None
    except LogError as error:
        raise KitError(say("{where}: {error}", where=where, error=str(error))) from None
    found = []
    for number, row in enumerate(rows, start=1):
        try:
            found.append((read_clock(row[0]), parse_number(row[1])))
        except (QuantityError, ValueError, IndexError):
            if number > 1:
                raise KitError(
                    say(
                        "{where}: {path}, line {n}: a time of day and watts belong here, like “09:30, 42”.",
                        where=where,
                        path=path.name,
                        n=number,
                    )
                ) from None
    if len(found) < 2 or any(a[0] >= b[0] for a, b in pairwise(found)):
        raise KitError(say("{where}: {path} has no two times that rise.", where=where, path=path.name))
    time, watts = np.array(found, float).T
    return np.clip(time, 0, DAY_S), np.maximum(watts, 0.0)
