"""What was learnt after a run of what it rests on: a check of its meter, another label on the shelf. What the run would say by it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ubrant.core.account import Account
from ubrant.core.equipment.certificates import CERTIFICATE, MeterCheck, first_after
from ubrant.core.equipment.meter import LATER, Meter
from ubrant.core.quantities.quantity import QuantityError, unit_in_words
from ubrant.core.record.head import Setup
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.runs.kept.accounts import account_with_others
from ubrant.runs.kept.found_of_meters import is_rehearsal


@dataclass(frozen=True)
class LearntSince:
    """``setup`` of the run as it is known now, what changes by it, in a sentence, ``because`` of what, and what ``taking`` it is called."""

    setup: Setup
    sentence: str
    because: str
    taking: str


def learnt_since(logbook: Logbook, run: Run, account: Account) -> LearntSince | None:
    """What its unit's label says by now, or what a newer check of a meter found, where a run would say otherwise by it."""
    return relabelled_since(logbook, run, account) or checked_since(logbook, run, account)


def relabelled_since(logbook: Logbook, run: Run, account: Account) -> LearntSince | None:
    """What the label that stands on the shelf now would change in what a run says; None where it is the same, or nothing would."""
    own, now = run.head.setup.unit, next((unit for unit in logbook.units() if unit.id == run.unit_id), None)
    if now is None or not (now.id == own.id or now.name == own.name):  # a run may be about something else beside it
        return None
    if not now.label_text or (now.label_text, now.chemistry) == (own.label_text, own.chemistry):
        return None
    setup = replace(run.head.setup, unit=replace(own, label_text=now.label_text, chemistry=now.chemistry, kind=now.kind))
    then = _by(logbook, run, setup)
    said = then.trouble or then.sentence if then is not None else ""
    if not said or said == (account.trouble or account.sentence):
        return None
    told = say(
        "Its label on the shelf says “{now}”, and this run was judged by “{own}”. By the new one: {said}",
        now=now.label_text,
        own=own.label_text,
        said=said,
    )
    return LearntSince(setup, told, say("what its label says"), say("Judge this run by that label"))


def _by(logbook: Logbook, run: Run, setup: Setup) -> Account | None:
    """What it would say with another set-up; None where that does not hold together."""
    try:
        whole = logbook.kept(run).under(replace(run.head, setup=setup))
        return account_with_others(logbook, whole.run, whole.record())[1]
    except (QuantityError, ValueError):
        return None


def checked_since(logbook: Logbook, run: Run, account: Account) -> LearntSince | None:
    """What a newer check or certificate of one of its meters would change in a run: its verdict, or an answer by more than its ±; None where neither.

    Of each quantity the nearest one after the run counts, worth less by how far the meter may have moved until then.
    """
    setup = run.head.setup
    kept = logbook.meters()
    meters: dict[str, Meter] = {}
    by: list[tuple[str, MeterCheck]] = []
    for tap, meter in setup.meters.items():
        found = _kept(meter, kept)
        newer = [] if found is None else [c for unit in "VAW" if (c := first_after(found.details.checks, unit, run.started)) is not None]
        meters[tap] = meter
        if newer and found is not None and meter.details.counts != LATER and not _of_this(account, tap):
            known = replace(meter.details, checks=found.details.checks)
            meters[tap] = replace(meter, details=known).as_found_later(run.started)
            by += [(meter.name, check) for check in newer]
    if not by or not account.findings or is_rehearsal(logbook, run):
        return None
    changed = replace(setup, meters=meters)
    then = _by(logbook, run, changed)
    what = _difference(account, then) if then is not None else ""
    if not what:
        return None
    name, check = max(by, key=lambda one: abs(one[1].percent))  # the one that was most off
    told = say(
        "{name} {had} on {day}, after this run: it showed {off} % too {which} {unit}. If it was so then, {what}",
        name=name,
        had=say("got a certificate") if check.kind == CERTIFICATE else say("was checked"),
        day=check.made[:10],
        off=f"{abs(check.percent):.2g}",
        which=say("many") if check.off > 0 else say("few"),
        unit=unit_in_words(check.unit),
        what=what,
    )
    return LearntSince(changed, told, say("what the meter was found to be"), say("Correct this run by that check"))


def _of_this(account: Account, tap: str) -> bool:
    """What is found of a meter in a run itself changes nothing of that."""
    return account.correction is not None and account.correction[0] == tap


def _kept(meter: Meter, kept: list[Meter]) -> Meter | None:
    """The one on the shelf; of a meter that came without a number the only one of its name."""
    if meter.id:
        return next((m for m in kept if m.id == meter.id), None)
    named = [m for m in kept if m.name == meter.name and m.name]
    return named[0] if len(named) == 1 else None


def _difference(account: Account, then: Account) -> str:
    """What is another verdict, or another answer by more than the ± it had; empty for neither."""
    if not then.findings:
        return ""
    one, other = account.verdict, then.verdict
    key = next((k for k in account.answers if _moved(account.findings.get(k), then.findings.get(k))), "")
    if not key and one is not None and other is not None and one.word != other.word:
        key = next((k for k in account.answers if k in then.findings), "")
    told = ""
    if key:
        before, after = account.findings[key], then.findings[key]
        told = say(
            "{name} is {after} instead of {before}", name=before.name, after=after.with_uncertainty(), before=before.with_uncertainty()
        )
    if one is not None and other is not None and one.word != other.word:
        verdict = say("the verdict is “{after}” instead of “{before}”", after=say(other.word), before=say(one.word))
        told = f"{told}, {verdict}" if told else verdict
    return f"{told}." if told else ""


def _moved(before: Finding | None, after: Finding | None) -> bool:
    if before is None or after is None or before.value is None or after.value is None:
        return False
    return abs(after.value - before.value) > (before.expanded_uncertainty or 0.0) > 0
