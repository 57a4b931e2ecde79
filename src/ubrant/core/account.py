"""What a method makes of a record. The live ledger, Findings, Shelf, report, JSON, exports and tests show this and nothing else."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from ubrant.core.battery.verdict import Verdict
from ubrant.core.drawings import Drawing, scaled_already
from ubrant.core.gate.check import Question
from ubrant.core.quantities.readings import Array
from ubrant.core.record.gaps import BridgedGap
from ubrant.core.record.power_path import PowerPath
from ubrant.core.uncertainty.finding import Finding

if TYPE_CHECKING:
    from ubrant.core.conversion.candidates import ConverterCandidate
    from ubrant.core.equipment.certificates import MeterCheck

SCHEMA = 1


@dataclass(frozen=True)
class Group:
    """Findings that belong together under a heading; by their keys."""

    title: str
    keys: tuple[str, ...]


@dataclass(frozen=True)
class Energy:
    """What an outlook can rest on: watt-hours with their expanded uncertainty, whether that is all of it, and measured over label."""

    energy_wh: float
    energy_u: float | None
    whole: bool
    share: float = 1.0


@dataclass(frozen=True, eq=False)
class WaveAtLoad:
    """A scope's record: the load it was made at, (n,) seconds and volts, its kind, warnings and figures, harmonics over the first."""

    load_w: float
    time_s: Array
    volts: Array
    kind: str
    findings: Mapping[str, Finding]
    warnings: tuple[str, ...]
    harmonics: Array


@dataclass(frozen=True)
class Ahead:
    """Where a run that is going on is heading: a sentence, how long yet, what part is left, and a sentence where it leaves what was expected."""

    sentence: str = ""
    left_s: float | None = None
    deviation: str = ""


def _nothing() -> tuple[()]:
    return ()


def _no_path() -> PowerPath | None:
    return None


@dataclass(frozen=True, eq=False)
class Account:
    """Findings, verdict and everything drawn of a record; what a method does not have is empty.

    Attributes
    ----------
    findings : by key, in the order a ledger shows them
    answers : keys of the few that are the answer
    groups : the rest under their headings; what stands in none is shown as it comes
    verdict : None where the method gives none
    sentence : one over all
    trouble : why nothing can be said, in a sentence; empty where there are findings
    lacks : that is for a reading which is lacking, and nothing speaks against those that are there
    ended_by : what ended it, as a word
    taken, planned : settled points that were taken, and how many there will be; None where it is not made of points
    more : findings beside the ledger, such as capacities to other cut-offs; worked out when they are wanted, as are
    drawings, path
    shown_at : what the path is drawn at
    short : the answer in a few words, for a shelf
    questions : what it asks a person before it says more
    span : the stretch the findings are about, in the record's own time
    correction : what was found of a meter, by the tap that it read at, on offer to be kept with it
    held_back : why there is no answer until a person has looked, in a sentence; empty where there is one
    bar : capacity in Ah with its expanded uncertainty, to be drawn against the label's
    """

    findings: Mapping[str, Finding] = field(default_factory=dict)
    answers: tuple[str, ...] = ()
    groups: tuple[Group, ...] = ()
    verdict: Verdict | None = None
    sentence: str = ""
    warnings: tuple[str, ...] = ()
    trouble: str = ""
    lacks: bool = False
    ended_by: str = ""
    gaps: tuple[BridgedGap, ...] = ()
    kind: str = ""
    taken: int | None = None
    planned: int | None = None
    more: Callable[[], tuple[Finding, ...]] = _nothing
    drawings: Callable[[], tuple[Drawing, ...]] = _nothing
    path: Callable[[], PowerPath | None] = _no_path
    shown_at: str = ""
    energy: Energy | None = None
    waves: tuple[WaveAtLoad, ...] = ()
    candidate: ConverterCandidate | None = None
    correction: tuple[str, MeterCheck] | None = None
    ahead: Ahead | None = None
    short: str = ""
    bar: tuple[float, float | None] | None = None
    questions: tuple[Question, ...] = ()
    span: tuple[float, float] | None = None
    held_back: str = ""

    @property
    def settle(self) -> str:
        """What would settle a verdict that cannot tell."""
        return self.verdict.settle if self.verdict is not None else ""


def drawn_already(account: Account) -> Account:
    """The same with its drawings and its path worked out now, and not when they are wanted."""
    drawings, path = tuple(map(scaled_already, account.drawings())), account.path()
    return replace(account, drawings=lambda: drawings, path=lambda: path)


def finding_to_json(finding: Finding) -> dict[str, Any]:
    """One finding, as files and the command line give it."""
    made = {
        "value": finding.value,
        "unit": finding.unit or "1",
        "expanded_uncertainty": finding.expanded_uncertainty,
        "working": "; ".join(finding.arithmetic) or finding.working,
    }
    if finding.bound:
        made["bound"] = finding.bound
    if any(finding.sides) and finding.span is not None:
        made["low"], made["high"] = finding.span
    return made


def account_to_json(account: Account, warnings: tuple[str, ...] = ()) -> dict[str, Any]:
    """The account as one JSON object; ``warnings`` come before its own."""
    findings: dict[str, Any] = {key: finding_to_json(finding) for key, finding in account.findings.items()}
    if account.kind:
        findings["kind"] = {
            "value": account.kind,
            "unit": "",
            "expanded_uncertainty": None,
            "working": "by its levels, crest factor and THD",
        }
    verdict = account.verdict
    return {
        "schema": SCHEMA,
        "findings": findings,
        "answers": list(account.answers),
        "verdict": {"word": verdict.word, "sentence": verdict.sentence, "settle": verdict.settle} if verdict is not None else None,
        "sentence": account.sentence,
        "ended_by": account.ended_by or "end of log",
        "gaps": [{"from_s": gap.from_s, "to_s": gap.to_s} for gap in account.gaps],
        "warnings": [*warnings, *account.warnings],
        "questions": [
            {"yes": q.yes, "flag": q.flag, "text": q.text, "mend": q.mend.text if q.mend is not None else ""} for q in account.questions
        ],
    }
