"""An appliance's modes as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ubrant.core.account import Account, Group
from ubrant.core.battery.label_doubt import doubtful, held_by_source
from ubrant.core.conversion.appliance import STANDBY, Mode, appliance_findings
from ubrant.core.drawings import Bars, Drawing
from ubrant.core.gate.figures import Doubt
from ubrant.core.loads.dc_modes import Reading, dc_findings
from ubrant.core.quantities.jot import FALTERS, OFF, RUNS, TypedLine, plainly
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.stand_in import stand_in
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.decision import seems
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.appliance.person import reads_modes
from ubrant.methods.converting import MAINS, UNIT, Through, chain_path, flows_of
from ubrant.methods.declared import Seen, TypedMethod, itself
from ubrant.methods.form import ChoiceKind, Field, Names
from ubrant.methods.meter_checks import plug_meter_checks, range_checks
from ubrant.methods.method import LoadRating, Prepared, Problem, refused
from ubrant.methods.ratings import watts_of_label
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask

if TYPE_CHECKING:
    from ubrant.core.network.whole import Misfit

AC, DC = "ac", "dc"
_USUAL_MAINS_V, _LOW_V = 230.0, 60.0
_OVER = 2.0
"""Times its label: less is the margin of a label, and of the mains. Common practice, no source."""
_V, _A = ("input", "V"), ("input", "A")
_DC_EXAMPLE = "12.6 V 3.1 A"
_EXAMPLE = "230 V 0.31 A 65 W"


@dataclass(frozen=True)
class ModesPlan:
    """The modes in their order; whether it is fed with ``AC`` or ``DC``."""

    modes: tuple[str, ...]
    fed: str = AC


class ApplianceMethod(TypedMethod):
    """Of loads: V, A, W in each mode, typed off a plug-in meter, or V and A on DC."""

    key, title, Plan = "appliance", "Modes", ModesPlan
    goes_by_order, uses_load, plan_from_label = False, True, False
    taps, roads = ("input",), (BY_HAND, SIMULATED)
    person = reads_modes

    def form(self, setup: Setup) -> tuple[Field, ...]:
        feeds = ChoiceKind(((say("mains (AC)"), AC), (say("DC"), DC)))
        return (
            Field("modes", "Modes", Names(), "standby, on, at its most"),
            Field("fed", "Fed with", feeds, say("DC") if _is_low(setup) else say("mains (AC)")),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        if not prepared.plan.modes:
            yield refused(say("Name at least one mode, like “standby, on”."))
        meter = prepared.setup.meter("input")
        if prepared.plan.fed == DC:
            yield from range_checks(meter, _system_v(prepared.setup) or 0.0, 0.0)
        else:
            volts = next((float(m[1]) for m in re.finditer(r"(\d+)\s*V\b", prepared.setup.unit.label_text)), _USUAL_MAINS_V)
            yield from plug_meter_checks(meter, volts)

    def misfits(self, record: Record) -> tuple[Misfit, ...]:
        """But for watts over volts × amperes: such a row is left out by its sums, and the others stand."""
        return tuple(misfit for misfit in super().misfits(record) if not misfit.is_of_limit)

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """Standing by takes the least, and nothing takes twice what its label says."""
        yield from super().doubts(account, record)
        label = watts_of_label(record.head.setup.unit)
        for key, found in account.findings.items():
            if label and key.startswith("power_") and seems(found, _OVER * label) > 0:
                text = words("{name}: {watts} is far over the {label} W on its label: did a digit slip, or is it another one?")
                yield Doubt(f"label-{key}", say(text, name=found.name, watts=found.value_text(), label=plain(label)))
        yield from _carries_little(account.findings, label)
        yield from _twice(record, self.seen(record))
        watts = {f.name: f for key, f in account.findings.items() if key.startswith("power_") and f.value}
        standby = next((f for name, f in watts.items() if name.lower().startswith(STANDBY)), None)
        others = [f.value or 0.0 for f in watts.values() if f is not standby]
        if (
            standby is not None
            and others
            and abs((standby.value or 0.0) / max(max(others), 1e-9) - 1) < _SAME
            and (standby.value or 0.0) > _BY_W
        ):
            text = words("Standing by it takes {standby}, as much as when it is on: was it switched?")
            yield Doubt("standby", say(text, standby=standby.value_text()))
        elif standby is not None and others and seems(standby, max(others)) > 0:
            yield Doubt(
                "standby",
                say(
                    "Standing by it takes {standby}, more than in any other mode: was it the other way round?", standby=standby.value_text()
                ),
            )

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} modes", count=len(prepared.plan.modes)), ""

    def by_hand(self, prepared: Prepared) -> HandScript:
        return _on_dc(prepared.plan.modes) if prepared.plan.fed == DC else _on_mains(prepared.plan.modes)

    def sums(self, seen: Seen) -> Account:
        setup, names = seen.setup, seen.plan.modes if seen.is_planned else ()
        if (seen.plan.fed == DC) if seen.is_planned else _is_low(setup):
            return _dc_account(seen, names)
        modes = _modes(seen.record, names)
        findings, warnings = appliance_findings(modes, seen.accuracy("W"), seen.accuracy("V"), seen.accuracy("A"))
        watts = [f for key, f in findings.items() if key.startswith("power_")]
        most = max(watts, key=lambda f: f.value or 0.0)
        left_out = len([m for m in modes if m.watts is not None]) - len(watts)
        said = (
            say("Draws {watts} ({mode}); {count} more could not be right", watts=most.with_uncertainty(), mode=most.name, count=left_out)
            if left_out
            else say("Draws {watts} at its most ({mode})", watts=most.with_uncertainty(), mode=most.name)
        )
        at_most = max((m for m in modes if m.watts is not None), key=lambda m: (m.name == most.name, m.watts or 0.0))
        taken_in = Through(at_most.watts or 0.0, at_most.volts or math.nan, at_most.amps or math.nan)
        made = _account(setup, findings, most, said, warnings, names, len(modes))
        return replace(made, path=lambda: chain_path(setup, (MAINS, UNIT), flows_of(setup, taken_in), two_ends=False))

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: ModesPlan | None) -> PowerPath:
        if (plan.fed == DC) if plan is not None else _is_low(setup):
            watts = [f for key, f in found.items() if key.startswith("power_")]
            most = max(watts, key=lambda f: f.value or 0.0, default=None)
            flow = Flow(most.value if most is not None else None, meter=setup.meter("input").name)
            return PowerPath((PathNode("battery", say("Source")), itself(setup)), (flow,), (None, None), (0.0, 0.0), "W")
        return chain_path(setup, (MAINS, UNIT), None, two_ends=False)


def _account(
    setup: Setup,
    findings: dict[str, Finding],
    most: Finding,
    text: str,
    said: Sequence[str],
    names: Sequence[str],
    taken: int,
    groups: tuple[Group, ...] = (),
) -> Account:
    """What is said of modes, however they are fed."""
    watts = tuple(key for key in findings if key.startswith("power_"))
    day = findings.get("standby_day")
    quiet = next((findings[key].name for key in watts if findings[key].name.lower().startswith(STANDBY)), "")
    text += say("; {energy} a day while {mode}.", energy=day.amount_text(), mode=quiet) if day is not None else "."
    findings |= _of_nameplate(setup, most)
    return Account(
        findings,
        watts,
        groups,
        sentence=text,
        warnings=tuple(said),
        planned=len(names) or None,
        taken=taken,
        drawings=lambda: (_bars(findings),),
        shown_at=say("At its most"),
    )


def _volts_of(setup: Setup) -> list[float]:
    return [float(m[1].replace(",", ".")) for m in re.finditer(r"(\d+(?:[.,]\d+)?)\s*V\b", setup.unit.label_text)]


def _is_low(setup: Setup) -> bool:
    """Whether it is one for low volts: by its label, and by the meter where the label says both."""
    volts = _volts_of(setup)
    if not volts or min(volts) > _LOW_V:
        return False
    return max(volts) <= _LOW_V or not setup.meter("input").details.power_accuracy


def _system_v(setup: Setup) -> float | None:
    return next((v for v in _volts_of(setup) if v <= _LOW_V), None)


def _on_mains(modes: Sequence[str]) -> HandScript:
    ask = Ask(
        say("Plug the meter in between the wall and it. Note its settings: brightness, volume, what it does."),
        (cautions.PLUG_METER, cautions.MAINS),
    )
    lacking = say("The watts are missing: on AC, volts × amperes is not watts. Type “{example}”.", example=_EXAMPLE)
    first = Prompt("", (("", "W"),), refusal=lacking, afresh=True)
    last = say("That was the last mode. Type further ones the same way, or close the run.")
    return HandScript((ask,), _each_of(modes, first, _EXAMPLE), replace(first, text=last))


def _on_dc(modes: Sequence[str]) -> HandScript:
    text = say(
        "Meter in its lead: volts at its input, amperes through. A device with its own battery: let it settle full, or take the battery out, and note which."
    )
    first = Prompt("", (_V, _A), (RUNS, FALTERS, OFF, "skip"), _DC_EXAMPLE, spared=(_V,), or_fate=(_A,), afresh=True)
    last = say(
        "That was the last mode. The same again at other volts shows how it follows them, “10.2 V off: night mode” where it gives up; or close the run."
    )
    ask = Ask(text, (cautions.FUSE, cautions.UNPLUG_OFF))
    return HandScript((ask,), _each_of(modes, first, _DC_EXAMPLE), replace(first, text=last), reads=(_V, _A))


def _each_of(modes: Sequence[str], row: Prompt, like: str) -> tuple[Prompt, ...]:
    text = words("Put it into “{mode}”, wait until it has settled, and type “{example}”. Add “peak 90 W” where it starts higher.")
    return tuple(replace(row, text=say(text, mode=mode, example=like), short=mode) for mode in modes)


def _dc_account(seen: Seen, names: Sequence[str]) -> Account:
    setup, read = seen.setup, []
    top_v = max((r.value for line in seen.lines for r in line.jotting.readings if r.quantity == "V" and r.kind != "peak"), default=0.0)
    for name, jotting in _named(seen.record, names):
        found = {r.quantity: (r.value, r.half_width) for r in jotting.readings if r.kind != "peak"}
        works = plainly(jotting.mark) not in {FALTERS, OFF}
        if jotting.mark == OFF and not jotting.text and "A" in found and found.get("V", (top_v, 0.0))[0] > _FED * top_v:
            name, works = OFF, True  # switched off at the volts it runs at, and still read: a mode, and no giving up
        (volts, half_v), (amps, half_a) = (found.get(q, (None, 0.0)) for q in "VA")
        read.append(Reading(name, volts, amps, half_v, half_a, _peak(jotting), works))
    system = _system_v(setup)
    findings, said = dc_findings(read, seen.accuracy("V"), seen.accuracy("A"), stand_in(system) if system is not None else None)
    most = max((f for key, f in findings.items() if key.startswith("power_")), key=lambda f: f.value or 0.0)
    text = say("Draws {watts} at its most ({mode})", watts=most.with_uncertainty(), mode=most.name)
    if (quiet := _quietest(findings)) is not None and (flat := _flat_after(setup, quiet, read)) is not None:
        findings[flat.key] = flat
        text += say("; while {mode} it is flat after {t}", mode=quiet.name, t=flat.with_uncertainty())
    over = Group("Over its volts", tuple(k for k in findings if k.startswith(("law_", "gives_up_"))))
    return _account(setup, findings, most, text, said, names, len(read), (over,))


def _quietest(findings: Mapping[str, Finding]) -> Finding | None:
    """Of the modes in which it only waits that which draws least; None without one."""
    quiet = [f for key, f in findings.items() if key.startswith("power_") and f.name.lower().startswith(STANDBY) and f.value]
    return min(quiet, key=lambda f: f.value or 0.0, default=None)


def _flat_after(setup: Setup, one: Finding, read: Sequence[Reading]) -> Finding | None:
    """How soon what it draws when it waits empties its own battery, where its label says that and its volts were read there; None else."""
    label, holds = setup.label, held_by_source(setup.label)
    if label is None or holds is None:
        return None
    volts = next((r.volts for r in read if r.name == one.name and r.volts), None)
    if volts is None or not label.is_like(volts) or (one.value or 0.0) <= (one.expanded_uncertainty or 0.0):
        return None
    working = say("{why} ÷ {w} W", why=holds.why, w=show(one.value or 0.0, 3))
    name = say("Flat after, {mode}", mode=one.name)
    return doubtful("flat_after", name, 3600 * holds.energy / one.known, "s", working, lower=(holds.lower,))


def _peak(jotting: TypedLine) -> float | None:
    return next((r.value for r in jotting.readings if r.kind == "peak" and r.quantity == "W"), None)


def _of_nameplate(setup: Setup, most: Finding) -> dict[str, Finding]:
    """What it draws at its most of what its plate says, which is a ceiling."""
    rated = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", setup.unit.label_text)
    plate = float(rated[1].replace(",", ".")) if rated else 0.0
    if not plate or not most.value:
        return {}
    working = f"{show(most.value)} W ÷ {show(plate)} W"
    return {"of_nameplate": Finding.made("of_nameplate", say("Of its nameplate"), 100 * most.known / plate, "%", working)}


def _named(record: Record, names: Sequence[str]) -> Iterator[tuple[str, TypedLine]]:
    """Each line that was not skipped with its mode."""
    hand = HandScript((), tuple(Prompt("", short=name) for name in names), Prompt(""))
    places = [place for place, (_, jotting) in enumerate(record.answers("skip"), start=1) if jotting.mark != "skip"]
    for place, (_, jotting, name, *_) in zip(places, hand.answering(record), strict=True):
        yield name or say("mode {number}", number=place), jotting


_FED = 0.9
"""Of the highest volts that were read: there it is fed as ever. Common practice, no source."""
_TIMES, _BY_W, _SAME = 3.0, 5.0, 0.03
"""What takes so many times as much, and so many watts more, in a mode of one name is another mode, or a slip. Common practice, no source."""


def _twice(record: Record, seen: Seen) -> Iterable[Doubt]:
    """Modes that were read twice and are far apart."""
    first: dict[str, float] = {}
    for name, jotting in _named(record, seen.plan.modes if seen.is_planned else ()):
        watts = next((r.value for r in jotting.readings if r.quantity == "W" and r.kind != "peak"), None)
        before = first.setdefault(name.lower(), watts) if watts is not None else None
        if watts is None or before is None:
            continue
        low, high = sorted((watts, before))
        if high > _TIMES * low and high - low > _BY_W:
            text = words(
                "{mode}: {one} W, and {other} W when it was read again: did a digit slip, or are they two modes? Give each its name."
            )
            yield Doubt(f"twice-{name.lower()}", say(text, mode=name, one=plain(before), other=plain(watts)))


_VA_TIMES, _LITTLE, _LEAST_VA = 5.0, 0.2, 20.0
"""No appliance takes so many times its label in volt-amperes at so small a power factor; under so many the digits of its amperes may. Common practice, no source."""


def _carries_little(findings: Mapping[str, Finding], label_w: float | None) -> Iterable[Doubt]:
    """A mode whose volt-amperes are far over its watts and its label."""
    for key, apparent in findings.items():
        watts = findings.get(key.replace("apparent_", "power_"))
        if not key.startswith("apparent_") or watts is None or not watts.value or not apparent.value or not label_w:
            continue
        if apparent.value > max(_VA_TIMES * label_w, _LEAST_VA) and watts.value < _LITTLE * apparent.value:
            text = words("{mode}: {va} beside {watts}, and its label says {label} W: did a digit of its amperes slip?")
            told = {"mode": watts.name, "va": apparent.value_text(), "watts": watts.value_text()}
            yield Doubt(f"carries-{key.rpartition('_')[2]}", say(text, **told, label=plain(label_w)))


def _modes(record: Record, names: Sequence[str]) -> list[Mode]:
    modes = []
    for name, jotting in _named(record, names):
        read = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        value = {quantity: r.value for quantity, r in read.items()}
        half_v, half_a, half_w = (read[q].half_width if q in read else 0.0 for q in "VAW")
        modes.append(Mode(name, value.get("V"), value.get("A"), value.get("W"), _peak(jotting), (half_v, half_a, half_w)))
    return modes


def _bars(findings: dict[str, Finding]) -> Drawing:
    """Watts of each mode, with the volt-amperes as an outline."""
    rows = []
    for key, finding in findings.items():
        if key.startswith("power_") and finding.value is not None:
            apparent = findings.get(f"apparent_{key.rpartition('_')[2]}")
            other = apparent.value if apparent is not None else None
            rows.append((finding, other, f"{show(other, 3)} VA" if other is not None else ""))
    return Bars(tuple(rows))
