"""A capacitor as a method: its form, checks, rows, account."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Trace
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.head import Setup
from ubrant.core.record.readings import ReadingsError, Series
from ubrant.core.record.record import Record
from ubrant.core.sources.capacitor import Discharged, against_label, analyse_capacitor, fills_in, read_label, runs_for, slip
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.capacitor.person import discharges
from ubrant.methods.form import Field, Quantity
from ubrant.methods.method import BATTERY_LOG, LoadRating, Method, Prepared, Problem, clipped, refusals_first
from ubrant.methods.points_by_hand import points_at
from ubrant.methods.read_along import on_and_on
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask, Steps

_V, _A = ("battery", "V"), ("battery", "A")
_NAMES = {"": "battery", "source": "battery", "load": "battery", "output": "battery"}
_EVERY_S = 0.5
_EXAMPLE = "5.21 V 0.98 A"
GROUPS = (Group("What it is good for", ("energy_between", "runs_for", "fills_in")),)


@dataclass(frozen=True)
class CapacitorPlan:
    """From ``high`` down to ``low`` V, ``load_w`` that it is to run and ``fill_a`` that fills it; None for all that was loaded, for nothing."""

    amps: float
    high: float | None = None
    low: float | None = None
    load_w: float | None = None
    fill_a: float | None = None


class CapacitorMethod(Method):
    """Of capacitors; typed, or from a log."""

    key = "capacitor"
    title = "Capacitor"
    Plan = CapacitorPlan
    taps = ("battery",)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True
    log = BATTERY_LOG

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("amps", "Discharged with about", Quantity("A"), "1 A"),
            Field("high", "Farads from", Quantity("V", may_be_empty=True), "", "all of it"),
            Field("low", "down to", Quantity("V", may_be_empty=True), "", "V", beside=True),
            Field("load_w", "It is to run", Quantity("W", may_be_empty=True), "", "W"),
            Field("fill_a", "It is filled with", Quantity("A", may_be_empty=True), "", "A"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan, label = prepared.plan, read_label(prepared.setup.unit.label_text)
        problems = [] if plan.amps > 0 else [Problem(True, say("What discharges it has to be over 0 A."))]
        if (plan.high is None) != (plan.low is None) or (plan.high is not None and not plan.high > plan.low >= 0):
            problems.append(Problem(True, say("Give both voltages, the higher one first, or none.")))
        if label.volts and plan.high is not None and plan.high > label.volts:
            problems.append(
                Problem(True, say("{v} V is over its rated {rated} V: that is damage.", v=plain(plan.high), rated=plain(label.volts)))
            )
        if label.volts is None:
            problems.append(Problem(False, say("Its label has no rated voltage: the whole string must never be charged over it.")))
        return refusals_first(problems)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("some ten readings"), ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup)

    def by_hand(self, prepared: Prepared) -> ByHand:
        ask = Ask(
            say("Check its polarity, charge it up to its rated voltage and no further, let it stand a minute, meter at its terminals."),
            (cautions.CAPACITORS, cautions.POLARITY),
        )
        rows = (
            Row(
                say("Nothing attached: type its volts and no amperes, like “5.40 V 0 A”."),
                (_V, _A),
                afresh=True,
                example="5.40 V 0 A",
                short=say("at rest"),
            ),
            Row(
                say("Load on, and at once type “{example}”.", example=_EXAMPLE),
                (_V, _A),
                afresh=True,
                example=_EXAMPLE,
                short=say("load on"),
            ),
        )
        after = Row(
            say("Every few seconds type “{example}” until it is as low as you want it; load off, and close the run.", example=_EXAMPLE),
            (_V, _A),
            afresh=True,
            example=_EXAMPLE,
        )
        return ByHand((ask,), rows, after, reads=(_V, _A))

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return discharges(prepared, reader)

    def steps(self, prepared: Prepared) -> Steps:
        text = say("Reading. Some seconds with nothing attached, then switch the load on; stop when it is as low as you want it.")
        return on_and_on(self.by_hand(prepared), _EVERY_S, text)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup = record.head.setup
        plan = self.prepared(record.head).plan
        table = points_at(record, (_V, _A), _NAMES)
        volts, amps = table.values[_V], table.values[_A]
        there = np.isfinite(volts) & np.isfinite(amps)
        time, volts, amps = table.time_s[there], volts[there], amps[there]
        said = list(record.head.origin.said)
        if len(amps) and float(np.median(amps)) < 0:
            amps = -amps
            said.append(say("The current was read as negative; it is taken the other way round here."))
        drawn = Trace(
            {"V": Series(time, volts), "A": Series(time, amps)},
            zero_s=float(time[0]) if len(time) else 0.0,
            span=(float(time[0]), float(time[-1])) if len(time) > 1 else None,
        )
        window = (plan.high, plan.low) if plan is not None and plan.high is not None else None
        try:
            findings = analyse_capacitor(
                Discharged(
                    time,
                    volts,
                    amps,
                    record.accuracy("battery", "V"),
                    record.accuracy("battery", "A"),
                    {"V": table.half[_V][there], "A": table.half[_A][there]},
                    window,
                    record.is_typed,
                )
            )
        except ReadingsError as error:
            return Account(trouble=str(error), drawings=lambda: (drawn,) if len(time) else ())
        farads = findings["capacitance"]
        label = read_label(setup.unit.label_text)
        if trouble := slip(farads, label):
            return Account(trouble=trouble, drawings=lambda: (drawn,))
        if (share := against_label(farads, label)) is not None:
            findings["label_share"] = share
        high = (plan.high if plan is not None else None) or float(volts.max())
        low = (plan.low if plan is not None else None) or float(volts[-1])
        if plan is not None and plan.load_w:
            findings["runs_for"] = runs_for(farads, plan.load_w, high, low)
        if plan is not None and plan.fill_a:
            findings["fills_in"] = fills_in(farads, plan.fill_a, high)
        if label.volts and float(volts.max()) > 1.02 * label.volts:
            said.append(
                say("{v} V are over its rated {rated} V: that is damage.", v=plain(float(volts.max()), 3), rated=plain(label.volts))
            )
        if "resistance" not in findings:
            said.append(say("Its voltage at rest before the load was not read: nothing is said of its resistance."))
        if farads.contributions is None:
            said.append(say("No accuracy was given for the meter: the figures have no ±."))
        return Account(
            findings,
            ("capacitance", "label_share", "resistance", "energy_between"),
            GROUPS,
            None,
            _sentence(findings),
            tuple(said),
            drawings=lambda: (drawn,),
            path=lambda: _path(setup),
            short=farads.value_text(),
        )


def _sentence(findings: dict[str, Finding]) -> str:
    text = say(
        "{farads} from {window}",
        farads=findings["capacitance"].with_uncertainty(),
        window=findings["energy_between"].name.partition(" from ")[2],
    )
    if (ohm := findings.get("resistance")) is not None:
        text += say(", {ohm} inside", ohm=ohm.amount_text())
    if (share := findings.get("label_share")) is not None:
        text += say("; {share} of its label", share=share.with_uncertainty())
    if (lasts := findings.get("runs_for")) is not None:
        text += say("; {name}: {time}", name=lasts.name[0].lower() + lasts.name[1:], time=lasts.value_text())
    return f"{text}."


def _path(setup: Setup) -> PowerPath:
    nodes = (Node("battery", setup.unit.name or say("Capacitor"), setup.unit.printed), Node("load", say("Load")))
    return PowerPath(nodes, (Flow(None, meter=clipped(setup.meter("battery"))),), (None, None), (0.0, 0.0), "W")
