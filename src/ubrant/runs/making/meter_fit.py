"""Is your meter good enough for this? The test is read off in thought, by the meters that are chosen, and the ± that comes of it says so."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ubrant.core.account import Account
from ubrant.core.quantities.jot import Grammar, JotError
from ubrant.core.quantities.quantity import QuantityError, show
from ubrant.core.record.head import BY_HAND, Origin, Setup
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import record_of
from ubrant.core.uncertainty.contributions import merged
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.wording import SentenceError, say, words
from ubrant.methods.method import Method, Prepared
from ubrant.runs.kept.accounts import whole_account

YES, ROUGHLY, HARDLY = "yes", "roughly", "hardly"
_ROUGHLY_TOLD, _HARDLY_TOLD = words("Your meters tell it roughly: {told}."), words("Your meters hardly tell it: {told}.")
_FINE, _ROUGH = 0.03, 0.12
"""Of the answer: what a maker takes for measured, and beyond which two things that differ look alike. Common practice, no source."""
_MOST_LINES = 400
_QUANTITIES = {"V": words("volts"), "A": words("amperes"), "W": words("watts")}
_OF_A_METER = {ErrorKind.ZERO: words("the zero of {meter}'s {quantity}"), ErrorKind.GAIN: words("the gain of {meter}'s {quantity}")}
_BY_READING = frozenset({ErrorKind.DIGIT, ErrorKind.BETWEEN, ErrorKind.MOMENT})
"""Errors that another display, or another look, makes less."""


@dataclass(frozen=True)
class MeterFit:
    """``word`` is YES, ROUGHLY or HARDLY."""

    word: str
    sentence: str


def meter_fit(method: Method, prepared: Prepared) -> MeterFit | None:
    """How sure the answers would be; None where that cannot be told beforehand, or no accuracy is known of which it could come."""
    account = foretold_account(method, prepared) if not method.finds_errors_of else None  # of meters themselves nothing is asked of them
    if account is None or account.trouble:
        return None
    found = [f for key in account.answers if (f := account.findings.get(key)) is not None and _says_how_sure(f)]
    by_meter = [f for f in found if any(part.source.is_of_meter for part in f.contributions or ())]
    if not found or (not by_meter and _word(found[0]) == YES):
        return None  # nothing is known, or a clock alone tells it
    first, *others = by_meter or found
    word, source = _word(first), _mostly(first)
    surer = min(others, key=_share, default=first)
    if word != YES and source is not None and not source.is_of_meter and source.kind not in _BY_READING:
        return MeterFit(word, say("{told}, whatever the meters are: most of it comes from {what}.", told=_told(first), what=source.words()))
    if word == HARDLY and _word(surer) == YES:
        told = say("Your meters are good enough for {best}, and hardly for {worst}.", best=_told(surer), worst=_told(first))
        return MeterFit(ROUGHLY, f"{told} {_because(source, prepared.setup)}".strip())
    if word == YES:
        return MeterFit(word, say("Your meters are good enough: {told}.", told=_told(first)))
    if _share(first) >= 1:
        told = say("Your meters cannot tell it: {name} would be less than they may be off.", name=first.name)
    else:
        told = say(_ROUGHLY_TOLD if word == ROUGHLY else _HARDLY_TOLD, told=_told(first))
    return MeterFit(word, f"{told} {_because(source, prepared.setup)}".strip())


def _word(finding: Finding) -> str:
    share = _share(finding)
    return YES if share <= _FINE else ROUGHLY if share <= _ROUGH else HARDLY


def _share(finding: Finding) -> float:
    return (finding.expanded_uncertainty or 0.0) / abs(finding.value or 1.0)


def _told(finding: Finding) -> str:
    return say("{name} about ± {percent} %", name=finding.name, percent=show(100 * _share(finding), 2))


def foretold_account(method: Method, prepared: Prepared) -> Account | None:
    """What the test would say of a thing that is as its label says; None where nothing foretells what would be read."""
    try:
        lines = _parsed(method.foretold_lines(prepared))
    except (ValueError, JotError, QuantityError, NotImplementedError, KeyError):
        return None
    if not lines:
        return None
    full = replace(prepared, conditions=replace(prepared.conditions, full=True))
    record = record_of(method.head(full, Origin(BY_HAND)), {}, (), lines, "done", "person")
    try:
        return whole_account(method, record)
    except SentenceError:
        return None


def _parsed(lines: Iterable[tuple[float, str]]) -> list[TimedLine]:
    parsed, moment = [], 0.0
    for later, text in lines:
        moment += later
        found = Grammar().parse(text)
        if found is not None:
            parsed.append(TimedLine(moment, found))
        if len(parsed) > _MOST_LINES:
            break
    return parsed


def _says_how_sure(finding: Finding) -> bool:
    return bool(finding.value) and bool(finding.expanded_uncertainty) and not finding.bound


def _mostly(finding: Finding) -> ErrorSource | None:
    """The one error that most of its ± is; None where several are."""
    parts = sorted(merged(finding.contributions or ()), key=lambda part: -abs(part.amount))
    total = sum(part.amount**2 for part in parts)
    return parts[0].source if parts and parts[0].amount ** 2 >= total / 3 else None


def _because(source: ErrorSource | None, setup: Setup) -> str:
    """Which error most of it is, and what makes that less."""
    if source is None:
        return ""
    name = next((meter.name for meter in setup.meters.values() if source.is_of_meter and meter.uid == source.of and meter.name), "")
    if name and source.kind in _OF_A_METER:
        what = say(_OF_A_METER[source.kind], meter=name, quantity=say(_QUANTITIES.get(source.quantity, source.quantity)))
    else:
        what = source.words()
    return f"{say('Most of it is {what}.', what=what)} {_what_helps(source)}".strip()


def _what_helps(source: ErrorSource) -> str:
    if source.kind == ErrorKind.ZERO and source.quantity == "A":
        return say(
            "If it is a clamp: zero it just before, or lead the wire through it five times and divide by five. Else a shunt, or a smaller range."
        )
    if source.kind in {ErrorKind.ZERO, ErrorKind.DIGIT}:
        return say("A smaller range, or a display with one digit more, makes it less.")
    if source.kind == ErrorKind.GAIN:
        return say("A check of it against a better one makes it less.")
    if source.kind == ErrorKind.BETWEEN:
        return say("Reading it more often makes it less.")
    return ""
