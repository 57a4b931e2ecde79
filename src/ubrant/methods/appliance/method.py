"""An appliance's modes as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

from ubrant.core.account import Account, Group
from ubrant.core.conversion.appliance import Mode, appliance_findings
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Bars, Drawing
from ubrant.core.loads.dc_modes import Reading, dc_findings
from ubrant.core.quantities.jot import FALTERS, OFF, RUNS, Jotting
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.stand_in import stand_in
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.readings import ReadingsError
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.appliance.person import reads_modes
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.converting import MAINS, UNIT, Through, chain_path, flows_of
from ubrant.methods.form import Choice, Field, Names
from ubrant.methods.meter_checks import plug_meter_checks, range_checks
from ubrant.methods.method import LoadRating, Method, Prepared, Problem
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

AC, DC = "ac", "dc"
_USUAL_MAINS_V, _LOW_V = 230.0, 60.0
_DC_EXAMPLE = "12.6 V 3.1 A"
_EXAMPLE = "230 V 0.31 A 65 W"


@dataclass(frozen=True)
class ModesPlan:
    """The modes in their order; whether it is fed with ``AC`` or ``DC``."""

    modes: tuple[str, ...]
    fed: str = AC


class ApplianceMethod(Method):
    """Of loads: V, A, W in each mode, typed off a plug-in meter, or V and A on DC."""

    key = "appliance"
    title = "Modes"
    goes_by_order = False
    Plan = ModesPlan
    taps = ("input",)
    roads = (BY_HAND, SIMULATED)
    by_eye = True
    has_leads = False

    def form(self, setup: Setup) -> tuple[Field, ...]:
        feeds = Choice(((say("mains (AC)"), AC), (say("DC"), DC)))
        return (
            Field("modes", "Modes", Names(), "standby, on, at its most"),
            Field("fed", "Fed with", feeds, say("DC") if _is_low(setup) else say("mains (AC)")),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        problems = [] if prepared.plan.modes else [Problem(True, say("Name at least one mode, like “standby, on”."))]
        if prepared.plan.fed == DC:
            return problems + range_checks(prepared.setup.meter("input"), _system_v(prepared.setup) or 0.0, 0.0)
        volts = next((float(m[1]) for m in re.finditer(r"(\d+)\s*V\b", prepared.setup.unit.label_text)), _USUAL_MAINS_V)
        return problems + plug_meter_checks(prepared.setup.meter("input"), volts)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} modes", count=len(prepared.plan.modes)), ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, (MAINS, UNIT), None, two_ends=False)

    def by_hand(self, prepared: Prepared) -> ByHand:
        if prepared.plan.fed == DC:
            return _on_dc(prepared.plan.modes)
        ask = Ask(
            say("Plug the meter in between the wall and it. Note its settings: brightness, volume, what it does."),
            (cautions.PLUG_METER, cautions.MAINS),
        )
        lacking = say("The watts are missing: on AC, volts × amperes is not watts. Type “{example}”.", example=_EXAMPLE)
        rows = tuple(
            Row(
                say(
                    "Put it into “{mode}”, wait until it has settled, and type “{example}”. Add “peak 90 W” where it starts higher.",
                    mode=mode,
                    example=_EXAMPLE,
                ),
                (("", "W"),),
                refusal=lacking,
                short=mode,
                afresh=True,
            )
            for mode in prepared.plan.modes
        )
        after = Row(
            say("That was the last mode. Type further ones the same way, or close the run."), (("", "W"),), refusal=lacking, afresh=True
        )
        return ByHand((ask,), rows, after)

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return reads_modes(prepared, reader)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup, plan = record.head.setup, self.prepared(record.head).plan
        names = plan.modes if plan is not None else ()
        if (plan.fed == DC) if plan is not None else _is_low(setup):
            return _dc_account(record, names)
        modes = _modes(record, names)
        try:
            findings, warnings = appliance_findings(
                modes, record.accuracy("input", "W"), record.accuracy("input", "V"), record.accuracy("input", "A")
            )
        except ReadingsError as error:
            return Account(trouble=str(error))
        watts = [f for key, f in findings.items() if key.startswith("power_")]
        most = max(watts, key=lambda f: f.value or 0.0)
        day = findings.get("standby_day")
        findings |= _of_nameplate(setup, most)
        left_out = len([m for m in modes if m.watts is not None]) - len(watts)
        said = (
            say("Draws {watts} ({mode}); {count} more could not be right", watts=most.with_uncertainty(), mode=most.name, count=left_out)
            if left_out
            else say("Draws {watts} at its most ({mode})", watts=most.with_uncertainty(), mode=most.name)
        )
        said += say("; {energy} a day while {mode}.", energy=day.amount_text(), mode=day.name.split(",")[0]) if day is not None else "."
        at_most = max((m for m in modes if m.watts is not None), key=lambda m: (m.name == most.name, m.watts or 0.0))
        taken_in = Through(at_most.watts or 0.0, at_most.volts or math.nan, at_most.amps or math.nan)
        return Account(
            findings,
            tuple(f.key for f in watts),
            (),
            None,
            said,
            tuple(warnings),
            planned=len(names) or None,
            taken=len(modes),
            drawings=lambda: (_bars(findings),),
            path=lambda: chain_path(setup, (MAINS, UNIT), flows_of(setup, taken_in), two_ends=False),
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


def _on_dc(modes: tuple[str, ...]) -> ByHand:
    ask = Ask(
        say(
            "Meter in its lead: volts at its input, amperes through. A device with its own battery: let it settle full, or take the battery out, and note which."
        ),
        (cautions.FUSE, cautions.UNPLUG_OFF),
    )
    rows = tuple(
        Row(
            say(
                "Put it into “{mode}”, wait until it has settled, and type “{example}”. Add “peak 90 W” where it starts higher.",
                mode=mode,
                example=_DC_EXAMPLE,
            ),
            (("input", "V"), ("input", "A")),
            marks=(RUNS, FALTERS, OFF, "skip"),
            example=_DC_EXAMPLE,
            spared=(("input", "V"),),
            or_fate=(("input", "A"),),
            short=mode,
            afresh=True,
        )
        for mode in modes
    )
    after = Row(
        say(
            "That was the last mode. The same again at other volts shows how it follows them, “10.2 V off: night mode” where it gives up; or close the run."
        ),
        (("input", "V"), ("input", "A")),
        marks=(RUNS, FALTERS, OFF, "skip"),
        spared=(("input", "V"),),
        or_fate=(("input", "A"),),
        afresh=True,
    )
    return ByHand((ask,), rows, after, reads=(("input", "V"), ("input", "A")))


def _dc_account(record: Record, names: tuple[str, ...]) -> Account:
    setup = record.head.setup
    read = []
    for name, jotting in _named(record, names):
        found = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        peak = next((r.value for r in jotting.readings if r.kind == "peak" and r.quantity == "W"), None)
        volts, amps = found.get("V"), found.get("A")
        read.append(
            Reading(
                name,
                volts.value if volts is not None else None,
                amps.value if amps is not None else None,
                volts.half_width if volts is not None else 0.0,
                amps.half_width if amps is not None else 0.0,
                peak,
                jotting.mark not in {FALTERS, OFF},
            )
        )
    system = _system_v(setup)
    try:
        findings, said = dc_findings(
            read, record.accuracy("input", "V"), record.accuracy("input", "A"), stand_in(system) if system is not None else None
        )
    except ReadingsError as error:
        return Account(trouble=str(error), taken=len(read))
    watts = [f for key, f in findings.items() if key.startswith("power_")]
    most = max(watts, key=lambda f: f.value or 0.0)
    day = findings.get("standby_day")
    text = say("Draws {watts} at its most ({mode})", watts=most.with_uncertainty(), mode=most.name)
    text += say("; {energy} a day while {mode}.", energy=day.amount_text(), mode=day.name.split(",")[0]) if day is not None else "."
    findings |= _of_nameplate(setup, most)
    flow = PowerPath(
        (Node("battery", say("Source")), Node("load", setup.unit.name, setup.unit.printed)),
        (Flow(most.value, meter=setup.meter("input").name),),
        (None, None),
        (0.0, 0.0),
        "W",
    )
    return Account(
        findings,
        tuple(f.key for f in watts),
        (Group(say("Over its volts"), tuple(k for k in findings if k.startswith(("law_", "gives_up_")))),),
        None,
        text,
        (*record.head.origin.said, *said),
        planned=len(names) or None,
        taken=len(read),
        drawings=lambda: (_bars(findings),),
        path=lambda: flow,
        shown_at=say("At its most"),
    )


def _of_nameplate(setup: Setup, most: Finding) -> dict[str, Finding]:
    """What it draws at its most of what its plate says, which is a ceiling."""
    rated = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", setup.unit.label_text)
    plate = float(rated[1].replace(",", ".")) if rated else 0.0
    if not plate or not most.value:
        return {}
    working = f"{show(most.value)} W ÷ {show(plate)} W"
    return {"of_nameplate": Finding.made("of_nameplate", say("Of its nameplate"), 100 * most.known / plate, "%", working)}


def _named(record: Record, names: tuple[str, ...]) -> Iterator[tuple[str, Jotting]]:
    """Each line that was not skipped with its mode."""
    hand = ByHand((), tuple(Row("", short=name) for name in names), Row(""))
    places = [place for place, (_, jotting) in enumerate(record.answers("skip"), start=1) if jotting.mark != "skip"]
    for place, (_, jotting, name) in zip(places, hand.answering(record), strict=True):
        yield name or say("mode {number}", number=place), jotting


def _modes(record: Record, names: tuple[str, ...]) -> list[Mode]:
    modes = []
    for name, jotting in _named(record, names):
        read = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        value = {quantity: r.value for quantity, r in read.items()}
        peak = next((r.value for r in jotting.readings if r.kind == "peak" and r.quantity == "W"), None)
        half_v, half_a, half_w = (read[q].half_width if q in read else 0.0 for q in "VAW")
        modes.append(Mode(name, value.get("V"), value.get("A"), value.get("W"), peak, (half_v, half_a, half_w)))
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
