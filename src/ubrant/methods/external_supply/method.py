"""An external supply as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from statistics import median

import numpy as np

from ubrant.core.account import Account
from ubrant.core.conversion.appliance import QUARTERS, SupplyMeters, SupplyStep, supply_average, supply_efficiency, watts_read
from ubrant.core.conversion.slips import loses_less
from ubrant.core.drawings import Bars
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.decision import seems
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.converting import LOAD, MAINS, UNIT, Through, chain_path, flows_of, losing_less
from ubrant.methods.declared import Seen, TypedMethod
from ubrant.methods.external_supply.person import reads_steps
from ubrant.methods.form import Field, QuantityKind
from ubrant.methods.meter_checks import plug_meter_checks, range_checks
from ubrant.methods.method import LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.ratings import read_ratings
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_SHARES = (*reversed(QUARTERS), 0.0)
_LEAST_AVERAGE = 55.0
"""Percent: under it a supply of more than a few watts would burn as much as it gives. Common practice, no source."""
_ANOTHER_LOAD, _USUAL_SHARE = 0.1, 0.88
_SLIP_PERCENT, _LEAST_OF_OTHERS, _FEW_STEPS = 103.0, 0.75, 2
"""How far a load may lie from what was asked for; efficiency that may be expected; a step of less than three quarters of the others. Common practice, no source."""
_IN = ("input", "W")
_CHAIN = (MAINS, UNIT, LOAD)


@dataclass(frozen=True)
class SupplyPlan:
    """``rated`` A and ``output`` V on its nameplate."""

    rated: float
    output: float


class SupplyMethod(TypedMethod):
    """Of external supplies; typed."""

    key, title, Plan = "external-supply", "External supply", SupplyPlan
    steady = ((("output", "V"),), (("input", "V"),))
    roads, uses_load, plan_from_label, like = (BY_HAND, SIMULATED), True, False, "input 72.4 W output 19.1 V 3.4 A"
    answers = ("average_efficiency", "no_load_power")

    def form(self, setup: Setup) -> tuple[Field, ...]:
        ratings = read_ratings(setup.unit)
        return (
            Field("rated", "Rated current", QuantityKind("A"), f"{plain(ratings.amps)} A"),
            Field("output", "Output", QuantityKind("V"), f"{plain(ratings.output_v)} V"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan, setup = prepared.plan, prepared.setup
        if not plan.rated > 0:
            yield refused(say("The rated current has to be more than 0 A."))
        out = setup.meter("output")
        yield from plug_meter_checks(setup.meter("input"), read_ratings(setup.unit).input_v)
        yield from range_checks(out, plan.output, plan.rated)
        if not (out.voltage_accuracy and out.current_accuracy):
            yield to_know(say("Nobody said how accurate {name} is: the findings will have no ±.", name=out.name))

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "Plug the meter in between the wall and it, the load and a meter at its output. Let it run half an hour at full load first."
        )
        yield Ask(text, (cautions.PLUG_METER,))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        text = words("Step {number} of {count}: {put}, wait until it holds still, and type “input 72.4 W output 19.1 V {amps} A”.")
        for number, share in enumerate(_SHARES, start=1):
            amps = share * prepared.plan.rated
            put = say("draw {amps} A", amps=plain(amps)) if amps else say("take the load off")
            called = say(text, number=number, count=len(_SHARES), put=put, amps=plain(amps))
            wanted = (_IN, *((("output", "V"), ("output", "A")) if amps else ()))
            yield self.row(called, put, wanted=wanted, expected=_expected(prepared.setup, amps), afresh=False, key=f"{share:g}")

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(say("That was the last step. Close the run."), wanted=(_IN,), afresh=False)

    def read_off(self, prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
        return reads_steps(prepared, reader, self.by_hand(prepared))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """What would be hotter than it can be, and what takes more with nothing attached than with a load."""
        yield from super().doubts(account, record)
        average, nothing = account.findings.get("average_efficiency"), account.findings.get("no_load_power")
        if average is not None and average.value is not None and seems(average, _LEAST_AVERAGE) < 0:
            yield Doubt(
                "average",
                say(
                    "{average} on average is less than any supply of its size: were volt-amperes read for watts, or is the output another?",
                    average=average.value_text(),
                ),
            )
        loaded = [w for w in record.either("input", "W").value.tolist() if w > 0]
        if nothing is not None and nothing.value and len(loaded) > 2 and nothing.value > sorted(loaded)[1]:
            yield Doubt("no-load", say("{nothing} with no load is more than with a load: was the load off?", nothing=nothing.value_text()))
            return
        seen = self.seen(record)
        steps, no_load, half_w, _ = _steps(seen)
        rows = [(step.input_w, step.output_w, step.off_w) for step in steps.values() if step.percent <= _SLIP_PERCENT]
        rows += [(no_load, 0.0, half_w)] if no_load is not None else []
        into, out, off = np.array(rows).T if rows else np.zeros((3, 0))
        if (pair := loses_less(into, out, off)) is not None:
            yield losing_less(into, out, *pair)

    def sums(self, seen: Seen) -> Account:
        setup = seen.setup
        steps, no_load, half_w, slips = _steps(seen)
        power = seen.accuracy("W")
        meters = SupplyMeters(power, seen.accuracy("V", "output"), seen.accuracy("A", "output"))
        findings: dict[str, Finding] = {}
        over = [
            say("At {value:.0f} % more comes out than goes in: a slip, or input and output swapped. It was left out.", value=100 * s)
            for s, step in steps.items()
            if step.percent > _SLIP_PERCENT
        ]
        steps = {share: step for share, step in steps.items() if step.percent <= _SLIP_PERCENT}
        usual = median(step.percent for step in steps.values()) if len(steps) > _FEW_STEPS else 0.0
        for share in [share for share, step in steps.items() if step.percent < _LEAST_OF_OTHERS * usual]:
            text = words("At {value:.0f} % only {percent} % arrive, and {usual} % at the other steps: a slip. It was left out.")
            slips.append(say(text, value=100 * share, percent=show(steps.pop(share).percent, 3), usual=show(usual, 3)))
        if over and not steps:
            raise ReadingsError(over[0])
        for share, step in steps.items():
            key, working = f"efficiency_{_SHARES.index(share)}", f"{show(step.output_w)} W ÷ {show(step.input_w)} W"
            findings[key] = supply_efficiency(key, say("At {value:.0f} % of its current", value=100 * share), [step], meters, working)
        if not findings and no_load is None:
            raise ReadingsError(slips[0] if slips else say("No step was typed yet."))
        average = supply_average(steps, meters)
        findings["average_efficiency"] = average
        if no_load is not None:
            drawn = watts_read(no_load, power, half_w)
            findings["no_load_power"] = Finding.made("no_load_power", say("With no load"), drawn, "W", say("as the meter reads"))
        said = (
            say("Average efficiency {share}", share=average.with_uncertainty())
            if average.value is not None
            else say("The average needs all four steps")
        )
        said += say("; {watts} with no load.", watts=findings["no_load_power"].amount_text()) if no_load is not None else "."
        heaviest = steps.get(max(steps, default=0.0))
        into = Through(heaviest.input_w) if heaviest is not None else None
        out = Through(heaviest.output_w, heaviest.output_v, heaviest.output_a) if heaviest is not None else None
        rows = tuple((f, None, "") for key, f in findings.items() if key.startswith("efficiency_") and f.value is not None)
        return Account(
            findings,
            sentence=said,
            warnings=(*slips, *over),
            taken=len(steps) + (no_load is not None),
            planned=len(_SHARES),
            drawings=lambda: (Bars(rows),),
            path=lambda: chain_path(setup, _CHAIN, flows_of(setup, into, out)),
            shown_at=say("At its heaviest load"),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: SupplyPlan | None) -> PowerPath:
        return chain_path(setup, _CHAIN, None)


def _rated(setup: Setup) -> float | None:
    """Amperes on its label; None where it does not say."""
    try:
        return read_ratings(setup.unit).amps or None
    except ValueError:
        return None


def _expected(setup: Setup, amps: float) -> dict[tuple[str, str], float]:
    """What a step may be expected to read, by the label."""
    if not amps:
        return {("output", "A"): 0.0}
    out_v = read_ratings(setup.unit).output_v
    return {("output", "A"): amps, ("output", "V"): out_v, ("input", "W"): out_v * amps / _USUAL_SHARE}


def _share_of(jotting: TypedLine, rated_a: float) -> float | None:
    """The step that these amperes are nearest to; None where they are of none."""
    amps = next((r.value for r in jotting.readings if (r.tap, r.quantity) == ("output", "A")), None)
    if amps is None:
        return None
    nearest = min(_SHARES, key=lambda share: abs(amps - share * rated_a))
    return nearest if abs(amps - nearest * rated_a) <= max(_ANOTHER_LOAD * nearest, 0.03) * rated_a else None


def _asked(seen: Seen, rated_a: float | None) -> Iterable[tuple[float, TypedLine]]:
    """Each line with the share of its rating that it is of; without a plan by its amperes, or else in the order of the steps."""
    if seen.is_planned:
        return [(float(line.key), line.jotting) for line in seen.lines if line.key]
    lines = zip(_SHARES, seen.record.answers("skip"), strict=False)
    found = [(share, jotting, _share_of(jotting, rated_a) if rated_a else None) for share, (_, jotting) in lines]
    return [(share if by_amps is None else by_amps, jotting) for share, jotting, by_amps in found]


def _steps(seen: Seen) -> tuple[dict[float, SupplyStep], float | None, float, list[str]]:
    """Steps by their share of the rated current, watts with no load and half of their last digit, slips."""
    rated_a = seen.plan.rated if seen.is_planned else _rated(seen.setup)
    steps: dict[float, SupplyStep] = {}
    slips: list[str] = []
    no_load, half_w = None, 0.0
    for share, jotting in _asked(seen, rated_a):
        read = {(r.tap, r.quantity): r for r in jotting.readings}
        taken = read.get(("input", "W"))
        if taken is None:
            continue
        if share == 0:
            no_load, half_w = taken.value, taken.half_width
        elif taken.value <= 0:
            slips.append(say("At {value:.0f} % nothing goes in: a slip. It was left out.", value=100 * share))
        else:
            out_v, out_a = read.get(("output", "V")), read.get(("output", "A"))
            asked, read_a = share * (rated_a or 0.0), out_a.value if out_a else 0.0
            if rated_a is not None and abs(read_a - asked) > _ANOTHER_LOAD * asked:
                slips.append(
                    say(
                        "At {share} % {asked} A were asked for, and {read} A stand there: it was left out.",
                        share=plain(100 * share),
                        asked=plain(asked, 3),
                        read=plain(read_a, 3),
                    )
                )
                continue
            halves = (taken.half_width, out_v.half_width if out_v else 0.0, out_a.half_width if out_a else 0.0)
            steps[share] = SupplyStep(taken.value, out_v.value if out_v else 0.0, out_a.value if out_a else 0.0, halves)
    return {share: steps[share] for share in _SHARES if share in steps}, no_load, half_w, slips
