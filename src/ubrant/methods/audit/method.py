"""The audit as a method: its form, checks, rows, account."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.account import Account, Group
from ubrant.core.battery.how_full import charge_at_rest, percents_of
from ubrant.core.battery.label_doubt import held_by_source
from ubrant.core.drawings import Bars
from ubrant.core.equipment.unit import Unit
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.loads.audit import UNKNOWN, WITH, WITHOUT, Audit, Audited, ClampReading, analyse_audit, from_now
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.quantities.stand_in import stand_in_of
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup, label_of
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.decision import decided
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, as_read, digit
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.audit.person import walks_round
from ubrant.methods.declared import Seen, TypedMethod
from ubrant.methods.form import ChoiceKind, Field, Names, QuantityKind
from ubrant.methods.method import LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt, RowAnswer
from ubrant.methods.steps import Ask

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


_CHARGED = 1.05
"""Times what a full one has at rest. Common practice, no source."""
_MOST_RATE = 2.5
"""Amperes over ampere-hours. Common practice, no source."""


_ONE_AUDIT_S = 12 * 3600.0
"""Loads of one audit are read within half a day: on another day other things are on. Common practice, no source."""


class AuditMethod(TypedMethod):
    """Of a battery's loads, typed off a clamp."""

    key, title, Plan, unplanned = "audit", "Audit by clamp", AuditPlan, AuditPlan(())
    steady = ((_V,),)
    goes_by_order = each_row_says = False
    taps, roads, reads = ("battery",), (BY_HAND, SIMULATED), (_V, _A)
    flows, far_end, person = "sum_power", words("Loads"), walks_round

    def form(self, setup: Setup) -> tuple[Field, ...]:
        label = label_of(setup.unit)
        lithium = label is not None and label.chemistry in {"lifepo4", "li-ion"}
        ways = ChoiceKind(((say("with the base in them"), WITH), (say("without it"), WITHOUT), (say("not known"), UNKNOWN)))
        return (
            Field("loads", "Loads", Names(), "lights, pump, fridge, fan"),
            Field("base_in", "Each is read", ways, say("with the base in them")),
            Field("usable", "May be used", QuantityKind("%"), f"{plain(_LITHIUM if lithium else _HALF)} %"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan = prepared.plan
        if not plan.loads:
            yield refused(say("Name at least one load, like “lights, pump”."))
        if not 0 < plan.usable <= 100:
            yield refused(say("What may be used lies above 0 and up to 100 %."))
        if label_of(prepared.setup.unit) is None:
            yield to_know(say("The battery's label is not known: amperes will be told, and no hours."))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} loads", count=len(prepared.plan.loads)), say("base, one by one, all on")

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "All off, engine and charger too, and let it rest. One clamp round the battery's positive lead, its arrow away from the battery."
        )
        yield Ask(text, (say(STAYS_ON), cautions.FUSE))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        volts = say("Volts at the battery's terminals, at rest, like “12.63 V”.")
        yield self.row(volts, say("resting volts"), "12.63 V", wanted=(_V,), spared=(_V,), key="rest")
        base = say("Zero the clamp away from the lead, put it back, and type what flows with all off, like “0.42 A”.")
        yield self.row(base, say("base"), "0.42 A", wanted=(_A,), key="base")
        each = say("its own lead alone") if prepared.plan.base_in == WITHOUT else say("the battery's lead")
        text = words("{load} on, nothing else: type what flows in {each}, like “3.1 A”, and switch it off again.")
        for name in prepared.plan.loads:
            yield self.row(say(text, load=name, each=each), name, "3.1 A", wanted=(_A,))
        together = say("All on together: type what flows, like “9.7 A”.")
        yield self.row(together, say("all on"), "9.7 A", wanted=(_A,), spared=(_A,), key="all on")

    def further(self, prepared: Prepared) -> Prompt:
        text = words("Switch on again what was on before: {loads}. With a panel: “1.4 A with the sun”, all off. Else close the run.")
        return self.row(say(text, loads=", ".join(prepared.plan.loads)), "", "1.4 A with the sun", wanted=(_A,))

    def takes(self, record: Record) -> Takes:
        """Twice what is asked for here is what empties a battery in a few minutes."""
        label = record.head.setup.label
        return replace(super().takes(record), most={_A: _MOST_RATE * label.charge_ah} if label is not None and label.charge_ah else {})

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A load that takes less than nothing, volts at which nothing is left."""
        yield from super().doubts(account, record)
        for key, found in account.findings.items():
            if key.startswith("current_") and decided(found, 0.0) < 0:
                text = say(
                    "{name}: less flowed with it on than with all off: was it the other way round, or did something go off meanwhile?",
                    name=found.name,
                )
                yield Doubt(f"less-{key}", text)
        times = [entry.time_s for entry in record.lines if any(r.quantity == "A" for r in entry.jotting.readings)]
        if times and max(times) - min(times) > _ONE_AUDIT_S:
            text = words("Its loads were read {time} apart: are all of one day, with the same things on?")
            yield Doubt("apart", say(text, time=show_duration(max(times) - min(times))))
        together = account.findings.get("all_on")
        if together is not None and together.value is not None and (together.expanded_uncertainty or 0.0) > abs(together.value):
            yield Doubt(
                "little",
                say(
                    "So little flows that this meter cannot tell it from nothing: take its mA range, or lead the wire through the clamp ten times."
                ),
            )
        rest, label = account.findings.get("resting_voltage"), record.head.setup.label
        kind = label.kind_of_cell if label is not None else None
        if rest is not None and rest.value and label is not None and kind is not None and label.series:
            if kind.rest_chart and rest.value > _CHARGED * kind.rest_chart[0][0] * label.series:
                text = words(
                    "{v} V are more than it has at rest: something charges it, and that is in every reading. Are charger, engine and panel off?"
                )
                yield Doubt("charged", say(text, v=show(rest.value, 4)))
            empty_v = kind.floor_v * label.series
            low_v = kind.rest_chart[-1][0] * label.series if kind.rest_chart else empty_v
            if empty_v <= rest.value < low_v:
                text = words(
                    "{v} V at rest says that it is nearly empty: the hours here are from full. Charge it first, or were its volts read with something on?"
                )
                yield Doubt("low", say(text, v=show(rest.value, 4)))
            if rest.value < empty_v:
                yield Doubt(
                    "rest",
                    say(
                        "{v} V at rest is under the {floor} V at which it is empty: nothing lasts from there, and it is harmed. Were its volts read at rest?",
                        v=show(rest.value, 4),
                        floor=plain(empty_v, 3),
                    ),
                )

    def sums(self, seen: Seen) -> Account:
        lines = [line for line in seen.lines if line.jotting.readings]
        label = label_of(seen.setup.unit)
        read, said = _read(lines, seen.plan, label.voltage_v if label is not None else None)
        stand = stand_in_of(label) if not read.volts else None
        if stand is not None:
            read = replace(read, volts=stand.middle_v, volts_half=stand.half_v)
            said.append(stand.sentence())
        ah = label.charge_ah if label is not None else None
        found = analyse_audit(read, seen.accuracy("A"), seen.accuracy("V"), held_by_source(label), seen.plan.usable / 100, ah)
        findings = dict(found.findings)
        if stand is None and read.volts:
            rest = as_read(read.volts, seen.accuracy("V")) + digit(read.volts_half, "V")
            findings["resting_voltage"] = Finding.made("resting_voltage", say("Resting volts"), rest, "V", say("as read, all off"))
            if (charge := _charge_now(rest, label)) is not None:
                findings["charge_now"] = charge
                holds = held_by_source(label)
                findings |= from_now(found.findings, charge, seen.plan.usable / 100, ah, holds.lower if holds is not None else 0.0)
                said.append(
                    say("How full it is goes by its volts at rest: so they have to be, everything off for {h} h.", h=_rest_h(label))
                )
        if _starts_an_engine(seen.setup.unit) and "hours_all_on" in findings:
            said.append(say(STARTER))
        loads = tuple(key for key in findings if key.startswith("current_"))
        bars = tuple((findings[key], None, "") for key in ("base_current", *loads) if key in findings)
        return Account(
            findings,
            tuple(key for key in ("sum_of_loads", *_lasting(findings), "base_current") if key in findings),
            (Group("One by one", loads), Group("Does it add up", ("all_on", "left_over", "sum_otherwise"))),
            sentence=_sentence(findings, found, seen.plan.usable),
            warnings=(*found.said, *said),
            taken=len(lines),
            planned=len(seen.plan.loads) + 3,
            drawings=lambda: (Bars(bars),),
            shown_at=say("With all of them on"),
            short=findings["sum_of_loads"].value_text(),
        )


def _read(lines: Sequence[RowAnswer], plan: AuditPlan, system_v: float | None) -> tuple[Audit, list[str]]:
    """Which reading is which; a line that says what it is comes before its place in the order."""
    volts = half_v = 0.0
    found: dict[str, ClampReading] = {}
    loads: dict[str, ClampReading] = {}
    said: list[str] = []
    for _, jotting, name, key, _ in lines:
        values = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        if "V" in values and (not volts or key == "rest"):
            volts, half_v = values["V"].value, values["V"].half_width
            if system_v and not 0.7 < volts / system_v < 1.4:
                said.append(say("{v} V are no volts of a {s} V system: they are left out.", v=plain(volts), s=plain(system_v)))
                volts = half_v = 0.0
        if "A" not in values:
            continue
        one = ClampReading(name or say("load {n}", n=len(loads) + 1), values["A"].value, values["A"].half_width)
        if key in {"base", "all on"}:
            found[key] = one
        elif key == "rest":  # all is off then as well
            found.setdefault("base", one)
        elif re.search(r"\b(?:sun|solar)\b", name, re.I):
            found["sun"] = one
        else:
            loads[one.name] = one
    return Audit(found.get("base"), tuple(loads.values()), found.get("all on"), found.get("sun"), plan.base_in, volts, half_v), said


def _charge_now(rest: Value, label: Label | None) -> Finding | None:
    """By its volts, as if they were at rest; None where they cannot tell."""
    kind = label.kind_of_cell if label is not None else None
    if label is None or kind is None or not label.series:
        return None
    try:
        return charge_at_rest(rest, label.series, kind)
    except ReadingsError:
        return None


def _rest_h(label: Label | None) -> str:
    kind = label.kind_of_cell if label is not None else None
    return plain(kind.rest_hours) if kind is not None else ""


def _lasting(findings: Mapping[str, Finding]) -> tuple[str, ...]:
    """From now where that is known, and from full besides."""
    return ("hours_now",) if "hours_now" in findings else () if "charge_now" in findings else ("hours_all_on",)


def _how_long(findings: Mapping[str, Finding], usable: float) -> str:
    """With all on: from what is in it now, where its volts at rest tell, and from full."""
    full, now, charge = (findings.get(key) for key in ("hours_all_on", "hours_now", "charge_now"))
    if full is None:
        return ""
    if charge is None:
        return say("; with all on it lasts {t} from full", t=full.with_uncertainty())
    low, high = percents_of(charge)
    told = {"low": f"{low:.0f}", "high": f"{high:.0f}", "full": full.with_uncertainty()}
    if now is None:
        text = words(
            "; at {low} to {high} % by its volts at rest nothing is left above the {kept} % that stay in it; from full it would last {full}"
        )
        return say(text, **told, kept=plain(100 - usable))
    return say(
        "; with all on it lasts {t} from now, {low} to {high} % full by its volts at rest, and {full} from full", t=now.value_text(), **told
    )


def _sentence(findings: dict[str, Finding], found: Audited, usable: float) -> str:
    total, base = findings["sum_of_loads"], findings.get("base_current")
    if found.closes is False:
        return say(
            "It does not add up: one by one the loads make {total}, all on it is {all_on}.",
            total=total.value_text(),
            all_on=findings["all_on"].value_text(),
        )
    text = say("All of it draws {a}", a=total.with_uncertainty())
    if base is not None:
        text += say(", {b} of that with all off", b=base.amount_text())
    text += _how_long(findings, usable)
    if found.closes is not None:
        text += say("; it adds up.") if found.closes else say("; it does not add up.")
        return text
    return text + "."


def _starts_an_engine(unit: Unit) -> bool:
    """By what it is called: a block that is not said to start one is not told to keep back for it."""
    return (
        re.search(r"starter|cranking|\bcca\b|\b(?:engine|van|car|boat|tractor)\b", f"{unit.name} {unit.label_text} {unit.note}", re.I)
        is not None
    )
