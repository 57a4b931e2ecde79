"""A lead, fuse, clip or switch as a resistance: volts across it at several currents; the slope, so that the voltmeter's zero cancels."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import Dots, Plot
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.head import BY_HAND, Setup
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import scattered
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.form import Field, Loads
from ubrant.methods.method import LoadRating, Method, Prepared, Problem
from ubrant.methods.points_by_hand import points_at
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

_V, _A = ("input", "V"), ("input", "A")
_WARM_W, _MOST_V, _APART = 1.0, 2.0, 0.2
"""Over so many watts a joint gets warm; no joint drops so many volts; currents differ by so much of the largest. Common practice, no source."""


@dataclass(frozen=True)
class JointPlan:
    currents: tuple[float, ...] = ()


class JointMethod(Method):
    key, title, Plan = "joint", "Drop across a joint", JointPlan
    taps, roads, has_leads, uses_load = ("input",), (BY_HAND,), False, False

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (Field("currents", "Currents", Loads(12.0), "1, 5, 10 A"),)

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        return (
            [] if len(prepared.plan.currents) > 1 else [Problem(True, say("At least two currents are needed: the slope is what counts."))]
        )

    def by_hand(self, prepared: Prepared) -> ByHand:
        text = say(
            "Let the current flow through it, and press the voltmeter's tips on both sides of the joint, not on the current's own clips."
        )
        rows = tuple(
            Row(
                say(
                    "{a} A: type what falls across it and the current, like “{example}”; write “warm” behind it where it is.",
                    a=plain(a),
                    example=_LIKE,
                ),
                (_V, _A),
                example=_LIKE,
                short=f"{plain(a)} A",
                expected={_A: a} if a > 0 else {},
                afresh=True,
            )
            for a in prepared.plan.currents
        )
        return ByHand(
            (Ask(text, (cautions.WARM,)),), rows, Row(say("That was the last. Go on, or close the run."), (_V, _A), example=_LIKE)
        )

    def account(self, record: Record, expected: Any = None) -> Account:
        table = points_at(record, (_V, _A), {"": "input"})
        read = np.isfinite(table.values[_V]) & np.isfinite(table.values[_A])
        there = read & (np.abs(np.nan_to_num(table.values[_V])) <= _MOST_V)
        said = [
            say("No joint drops {v} V: were millivolts written as volts? It was left out.", v=plain(abs(float(v))))
            for v in table.values[_V][read & ~there]
        ]
        values = {key[1]: np.abs(table.values[key][there]) for key in (_V, _A)}
        volts, amps = values["V"], values["A"]
        if len(amps) < 2 or not np.ptp(amps) > _APART * amps.max():
            lacking = say("Two currents that lie apart are needed: volts and amperes of each, like “{example}”.", example=_LIKE)
            return Account(trouble=" ".join((*said, lacking)))
        accuracies = [record.accuracy("input", q) for q in "VA"]
        errors = [e for accuracy, q in zip(accuracies, "VA", strict=True) for e in errors_in(accuracy, q)]
        half = {key[1]: table.half[key][there] for key in (_V, _A)}
        made = by_errors(_figures, values, errors, half, known=None not in accuracies)
        ohm, burns = made["ohm"], made["burns"]
        if ohm is None or burns is None or not ohm.value > 0:
            return Account(
                trouble=say("It drops less with more current: is a line mixed up, or did a tip slip off the joint? Mend it, or read again.")
            )
        most = float(amps.max())
        left = scattered(_left(amps, volts), words("scatter of the points"), max(len(amps) - 2, 1))
        findings = {
            "resistance": Finding.made(
                "resistance", say("Resistance of the joint"), ohm + left, "Ω", say("slope of volts over amperes, {n} points", n=len(amps))
            ),
            "burnt": Finding.made("burnt", say("Burns at {a} A", a=show(most, 3)), burns + left * most**2, "W", say("R × I²")),
        }
        burnt = findings["burnt"]
        if (burnt.value or 0) > _WARM_W:
            said.append(say("It gets warm: {w} in it. Tighten or clean it, or take a better one.", w=burnt.with_uncertainty()))
        said += [say("It was warm to the hand.")] if any("warm" in note for note in table.notes) else []
        sentence = say(
            "{r} across it; at {a} A it burns {w}.",
            r=findings["resistance"].with_uncertainty(),
            a=show(most, 3),
            w=burnt.with_uncertainty(),
        )
        drawn = Plot(
            say("Drop"),
            say("current, A"),
            "mV",
            (0.0, 1.05 * most),
            (0.0, 1100 * float(volts.max())),
            (Dots(amps, 1000 * volts),),
            sentence,
        )
        return Account(
            findings, ("resistance", "burnt"), sentence=sentence, warnings=(*record.head.origin.said, *said), drawings=lambda: (drawn,)
        )


_LIKE = "12.3 mV 5.02 A"


def _figures(values: Columns) -> dict[str, float | None]:
    ohm = float(np.polyfit(values["A"], values["V"], 1)[0])
    return {"ohm": ohm, "burns": ohm * float(values["A"].max()) ** 2}


def _left(amps: np.ndarray, volts: np.ndarray) -> float:
    """Standard uncertainty of the slope by what the points leave of the line; 0 for two."""
    left = volts - np.polyval(np.polyfit(amps, volts, 1), amps)
    return float(np.sqrt(left @ left / (len(amps) - 2) / np.sum((amps - amps.mean()) ** 2))) if len(amps) > 2 else 0.0
