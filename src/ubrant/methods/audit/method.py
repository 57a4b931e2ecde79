"""The audit as a method: its form, checks, rows, account."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.account import Account, Group
from ubrant.core.battery.label_doubt import held
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Bars, Drawing
from ubrant.core.equipment.unit import Unit
from ubrant.core.loads.audit import UNKNOWN, WITH, WITHOUT, Audit, Audited, Read, analyse_audit
from ubrant.core.quantities.jot import Jotting
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.stand_in import of_label
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup, label_of
from ubrant.core.record.readings import ReadingsError
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.audit.person import walks_round
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.form import Choice, Field, Names, Quantity
from ubrant.methods.method import LoadRating, Method, Prepared, Problem, clipped
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

RESTING, BASE, ALL_ON, SUN = words("resting volts"), words("base"), words("all on"), words("with the sun")
STAYS_ON = words("Gas and smoke alarms stay on: they are in the base. Write down what you switch off, to switch it on again at the end.")
STARTER = words("A starter battery is not for deep discharge: keep back what starts the engine.")
_V, _A = ("battery", "V"), ("battery", "A")
_HALF, _LITHIUM = 50.0, 80.0


@dataclass(frozen=True)
class AuditPlan:
    """``loads`` in their order; ``base_in`` the readings or not (with, without, unknown); ``usable`` percent of the battery."""

    loads: tuple[str, ...]
    base_in: str = UNKNOWN
    usable: float = _HALF


class AuditMethod(Method):
    """Of a battery's loads, typed off a clamp."""

    key = "audit"
    title = "Audit by clamp"
    goes_by_order = False
    Plan = AuditPlan
    taps = ("battery",)
    roads = (BY_HAND, SIMULATED)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True

    def form(self, setup: Setup) -> tuple[Field, ...]:
        label = label_of(setup.unit)
        lithium = label is not None and label.chemistry in {"lifepo4", "li-ion"}
        ways = Choice(((say("with the base in them"), WITH), (say("without it"), WITHOUT), (say("not known"), UNKNOWN)))
        return (
            Field("loads", "Loads", Names(), "lights, pump, fridge, fan"),
            Field("base_in", "Each is read", ways, say("with the base in them")),
            Field("usable", "May be used", Quantity("%"), f"{plain(_LITHIUM if lithium else _HALF)} %"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan, problems = prepared.plan, []
        if not plan.loads:
            problems.append(Problem(True, say("Name at least one load, like “lights, pump”.")))
        if not 0 < plan.usable <= 100:
            problems.append(Problem(True, say("What may be used lies above 0 and up to 100 %.")))
        if label_of(prepared.setup.unit) is None:
            problems.append(Problem(False, say("The battery's label is not known: amperes will be told, and no hours.")))
        return problems

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} loads", count=len(prepared.plan.loads)), say("base, one by one, all on")

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup, None)

    def by_hand(self, prepared: Prepared) -> ByHand:
        loads = prepared.plan.loads
        with_base = prepared.plan.base_in != WITHOUT
        asks = (
            Ask(
                say(
                    "All off, engine and charger too, and let it rest. One clamp round the battery's positive lead, its arrow away from the battery."
                ),
                (STAYS_ON, cautions.FUSE),
            ),
        )
        each = say("its own lead alone") if not with_base else say("the battery's lead")
        rows = [
            Row(
                say("Volts at the battery's terminals, at rest, like “12.63 V”."),
                (_V,),
                example="12.63 V",
                short=say(RESTING),
                spared=(_V,),
                afresh=True,
            ),
            Row(
                say("Zero the clamp away from the lead, put it back, and type what flows with all off, like “0.42 A”."),
                (_A,),
                example="0.42 A",
                short=say(BASE),
                afresh=True,
            ),
        ]
        rows += [
            Row(
                say("{load} on, nothing else: type what flows in {each}, like “3.1 A”, and switch it off again.", load=name, each=each),
                (_A,),
                example="3.1 A",
                short=name,
                afresh=True,
            )
            for name in loads
        ]
        rows.append(
            Row(
                say("All on together: type what flows, like “9.7 A”."), (_A,), example="9.7 A", short=say(ALL_ON), spared=(_A,), afresh=True
            )
        )
        after = Row(
            say(
                "Switch on again what was on before: {loads}. With a panel: “1.4 A with the sun”, all off. Else close the run.",
                loads=", ".join(loads),
            ),
            (_A,),
            example="1.4 A with the sun",
            afresh=True,
        )
        return ByHand(asks, tuple(rows), after, reads=(_V, _A))

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return walks_round(prepared, reader)

    def row_findings(self, record: Record) -> dict[float, str]:
        return {}

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup = record.head.setup
        prepared = self.prepared(record.head)
        plan = prepared.plan or AuditPlan(())
        lines = [(j, name) for _, j, name in self.by_hand(Prepared(setup, plan)).answering(record) if j.readings]
        label = label_of(setup.unit)
        read, said = _read(lines, plan, label.voltage_v if label is not None else None)
        stand = of_label(label) if not read.volts else None
        if stand is not None:
            read = Audit(read.base, read.loads, read.all_on, read.solar, read.base_in, stand.middle_v, stand.half_v)
            said.append(stand.sentence())
        ah = label.charge_ah if label is not None else None
        try:
            found = analyse_audit(
                read, record.accuracy("battery", "A"), record.accuracy("battery", "V"), held(label), plan.usable / 100, ah
            )
        except ReadingsError as error:
            return Account(trouble=str(error), taken=len(lines))
        findings = dict(found.findings)
        if stand is None and read.volts:
            findings["resting_voltage"] = Finding("resting_voltage", say("Resting volts"), read.volts, "V", None, say("as read, all off"))
        warnings = [*record.head.origin.said, *found.said, *said]
        if _starts_an_engine(record.head.setup.unit) and "hours_all_on" in findings:
            warnings.append(say(STARTER))
        loads = tuple(key for key in findings if key.startswith("current_"))
        return Account(
            findings,
            tuple(key for key in ("sum_of_loads", "hours_all_on", "base_current") if key in findings),
            (Group(say("One by one"), loads), Group(say("Does it add up"), ("all_on", "left_over", "sum_otherwise"))),
            None,
            _sentence(findings, found),
            tuple(warnings),
            taken=len(lines),
            planned=len(plan.loads) + 3,
            drawings=lambda: (_bars(findings, loads),),
            path=lambda: _path(setup, findings.get("sum_power")),
            shown_at=say("With all of them on"),
            short=findings["sum_of_loads"].value_text(),
        )


def _read(lines: list[tuple[Jotting, str]], plan: AuditPlan, system_v: float | None) -> tuple[Audit, list[str]]:
    """Which reading is which; a line that says what it is comes before its place in the order."""
    volts = half_v = 0.0
    base = all_on = solar = None
    loads: dict[str, Read] = {}
    said: list[str] = []
    for jotting, name in lines:
        values = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        if "V" in values and (not volts or name.lower() == say(RESTING)):
            volts, half_v = values["V"].value, values["V"].half_width
            if system_v and not 0.7 < volts / system_v < 1.4:
                said.append(say("{v} V are no volts of a {s} V system: they are left out.", v=plain(volts), s=plain(system_v)))
                volts = half_v = 0.0
        if "A" not in values:
            continue
        one = Read(name or say("load {n}", n=len(loads) + 1), values["A"].value, values["A"].half_width)
        low = name.lower()
        if low == say(BASE):
            base = one
        elif low == say(ALL_ON):
            all_on = one
        elif re.search(r"\b(?:sun|solar)\b", low):
            solar = one
        else:
            loads[one.name] = one
    return Audit(base, tuple(loads.values()), all_on, solar, plan.base_in, volts, half_v), said


def _sentence(findings: dict[str, Finding], found: Audited) -> str:
    total, base = findings["sum_of_loads"], findings.get("base_current")
    text = say("All of it draws {a}", a=total.with_uncertainty())
    if base is not None:
        text += say(", {b} of that with all off", b=base.amount_text())
    if "hours_all_on" in findings:
        text += say("; with all on it lasts {t}", t=findings["hours_all_on"].with_uncertainty())
    if found.closes is not None:
        text += say("; it adds up.") if found.closes else say("; it does not add up.")
        return text
    return text + "."


def _bars(findings: dict[str, Finding], loads: tuple[str, ...]) -> Drawing:
    return Bars(tuple((findings[key], None, "") for key in ("base_current", *loads) if key in findings))


def _path(setup: Setup, power: Finding | None) -> PowerPath:
    nodes = (Node("battery", setup.unit.name, setup.unit.printed), Node("load", say("Loads")))
    meter = setup.meter("battery")
    flow = Flow(None, meter=clipped(meter)) if power is None else Flow(power.value, meter=meter.name)
    return PowerPath(nodes, (flow,), (None, None), (0.0, 0.0), "W")


def _starts_an_engine(unit: Unit) -> bool:
    """By what it is called: a block that is not said to start one is not told to keep back for it."""
    return (
        re.search(r"starter|cranking|\bcca\b|\b(?:engine|van|car|boat|tractor)\b", f"{unit.name} {unit.label_text} {unit.note}", re.I)
        is not None
    )
