"""What the method of a run makes of it, kept or going on, for whoever shows it."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from threading import Lock
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from ubrant.bench.switched_on import SwitchedOnLedger
from ubrant.core.account import Account, Group
from ubrant.core.battery.verdict import CANNOT_TELL
from ubrant.core.equipment.usual_meters import assumed_text
from ubrant.core.gate.figures import Doubt, unconfirmed
from ubrant.core.gate.readings import Odd
from ubrant.core.in_short import in_short, sketch_of
from ubrant.core.record.between_marks import between_marks, warning_of
from ubrant.core.record.codec import CodecError
from ubrant.core.record.divided import taps_divided
from ubrant.core.record.flowed import warned_of
from ubrant.core.record.growing import Growing
from ubrant.core.record.head import Criteria
from ubrant.core.record.named_twice import warned_of_twice
from ubrant.core.record.record import Record
from ubrant.core.record.standards import tried
from ubrant.core.record.windows import outside_window
from ubrant.core.wording import say
from ubrant.logbook.file import DamagedError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, Summary
from ubrant.methods.registry import UnknownMethodError, entry_of, method_of, of_anything
from ubrant.runs.kept.left_on import about

if TYPE_CHECKING:
    from ubrant.methods.method import Method
    from ubrant.methods.rehearsal import Rehearsal
    from ubrant.runs.typed.typed_session import Session

_MOST_OTHERS, _MOST_ASKED = 1000, 2


def account_of(logbook: Logbook, run: Run, criteria: Criteria | None = None) -> tuple[Record, Account]:
    """A kept run's record and account, with what other runs of its unit add; ``criteria``: judged by something else, for a try."""
    record = logbook.kept(run).record()
    record, account = account_with_others(logbook, run, record, criteria)
    left_on = tuple(about(SwitchedOnLedger(), logbook, run.id))
    return record, replace(account, warnings=(*left_on, *account.warnings)) if left_on else account


def account_with_others(logbook: Logbook, run: Run, record: Record, criteria: Criteria | None = None) -> tuple[Record, Account]:
    """As :func:`account_of`, where the record is there already."""
    try:
        method = method_of(run.method)
        if criteria is not None:
            record = method.retried(record, criteria)
    except (UnknownMethodError, CodecError) as error:
        return record, Account(trouble=str(error))
    return record, whole_account(method, record, lambda: _others(logbook, run))


def whole_account(
    method: Method, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]] = tuple, expected: Rehearsal | None = None
) -> Account:
    """All that is said of a record: what its method makes of it, with what every method adds, and with what other runs of the unit add.

    The one way to an account: of a run that is going on, of a kept one, of a file, on the shelf and on the command line.

    Parameters
    ----------
    others : the other runs of the unit with their accounts, the newest first; asked for only where the method wants them
    expected : what a rehearsal foretold, for a run that is going on
    """
    ordered = method.in_order(record)
    sound, odd = method.sound(ordered)

    def made_of(counting: Record) -> Account:
        def make() -> Account:
            made = method.study(
                _with_rest(method, counting, _with_ratios(method, record, method.account(counting, expected))), counting, others
            )
            return made if made.trouble else _held_back(made, unconfirmed(method.doubts(made, counting), record))

        return _guarded(record, make)

    made = made_of(sound)
    if not odd:
        return made
    if made.trouble and (as_typed := made_of(ordered)).trouble:
        return as_typed  # the method itself knows better what is wrong
    return _asking(made, odd)


def _held_back(account: Account, doubts: Sequence[Doubt]) -> Account:
    """Without an answer until what is doubted was looked at: its figures stay to be seen, and nothing rests on them."""
    if not doubts:
        return account
    first = doubts[0]
    sentence = say("Cannot tell yet: {why}", why=first.sentence)
    verdict = account.verdict and replace(account.verdict, word=CANNOT_TELL, sentence=sentence, settle="")
    asked = tuple(replace(one.question, text="" if one is first else one.sentence) for one in doubts[:_MOST_ASKED])
    return replace(
        account,
        answers=(),
        held_back=first.sentence,
        verdict=verdict,
        sentence=sentence,
        short=say("asked"),
        questions=(*asked, *account.questions),
        warnings=(*(one.sentence for one in doubts[1:]), *account.warnings),
        bar=None,
        energy=None,
        candidate=None,
    )


def _asking(account: Account, odd: Sequence[Odd]) -> Account:
    """With what was left out because it cannot well be, and the question whether it is so."""
    said = tuple(one.sentence for one in odd)
    asked = tuple(one.question for one in odd[:_MOST_ASKED])
    if account.trouble:
        bare = tuple(replace(question, text="") for question in asked)  # the trouble has it
        return replace(account, trouble=" ".join((*said[:_MOST_ASKED], account.trouble)), questions=(*account.questions, *bare))
    return replace(account, warnings=(*said, *account.warnings), questions=(*account.questions, *asked))


def other_runs(logbook: Logbook, run: Run) -> tuple[tuple[Record, Account], ...]:
    """The other runs of the unit, over a connection of its own: for another thread than the logbook's."""
    with contextlib.closing(Logbook(logbook.place)) as again:
        return tuple(_others(again, run))


def _others(logbook: Logbook, run: Run) -> Iterator[tuple[Record, Account]]:
    """The other runs of the unit, the newest first."""
    if run.unit_id is None:
        return
    for other, _ in logbook.runs(limit=_MOST_OTHERS, unit_id=run.unit_id):
        if other.id == run.id or other.state == "running":
            continue
        try:
            record = logbook.kept(other).record()
        except DamagedError:
            continue
        account = account_of_stored(record)
        if not account.trouble and not record.damage:
            yield record, account


def account_of_stored(record: Record) -> Account:
    """The account of a record by itself."""

    try:
        method = method_of(record.head.method)
    except UnknownMethodError as error:
        return Account(trouble=str(error))
    return whole_account(method, record)


def _with_ratios(method: Method, record: Record, account: Account) -> Account:
    """With any two taps divided that were read at once, where the method has one tap of its own and knows nothing of others."""
    if account.trouble or len(method.taps) > 1 or method.device:
        return account
    ratios = {finding.key: finding for finding in taps_divided(record)}
    if not ratios:
        return account
    group = Group(say("One tap against another"), tuple(ratios))
    return replace(account, findings={**account.findings, **ratios}, groups=(*account.groups, group))


def _with_rest(method: Method, record: Record, account: Account) -> Account:
    """With what was read, and what the rest says it should be, wherever it says anything."""
    if account.trouble:
        misfits = tuple(misfit.sentence for misfit in method.misfits(record))
        return _with_what_follows(method, record, replace(account, warnings=(*misfits, *account.warnings)))
    from ubrant.core.network.rows import rest_rows

    whole = method.whole(record)
    rows = rest_rows(whole) if whole is not None else []
    if not rows:
        return account
    group = Group(say("What was read, and what the rest says"), tuple(row.key for row in rows))
    return replace(account, findings={**account.findings, **{row.key: row for row in rows}}, groups=(*account.groups, group))


def _with_what_follows(method: Method, record: Record, account: Account) -> Account:
    """Where a method lacks a reading: what follows from the others all the same, and what would tell the rest."""
    entry = of_anything()
    if entry is None or not account.lacks or entry.key == method.key or not record.is_typed or method.finds_errors_of:
        return account
    follows = record.once(("follows", method.key), lambda: entry.method.follows(record, method.on_path(record)))
    if follows is None:
        return account
    told = say("{trouble} What was read says so much: {sentence}", trouble=account.trouble, sentence=follows.sentence)
    group = Group(say("What follows from what was read"), tuple(follows.findings))
    return replace(
        account,
        trouble=told,
        findings=follows.findings,
        groups=(group,),
        path=follows.path if account.path is Account.path else account.path,
    )


def _guarded(record: Record, make: Callable[[], Account]) -> Account:
    """What a method makes of it, as far as the record is sound."""
    try:
        account = _with_doubts_that_can_be(make())
        account = _with_assumed(_with_flows(_with_standard(_with_marks(account, record), record), record), record)
    except (UnknownMethodError, CodecError) as error:
        return Account(trouble=str(error))
    except Exception:
        if record.damage:  # it may hold anything then, and no sum has to bear that
            return Account(trouble=record.damage)
        raise
    return _as_far_as_sound(account, record)


_WIDEST = {"Ah": 1e5, "Wh": 1e7, "A": 1e5, "V": 1e5, "W": 1e7, "%": 1e5, "C": 1e4, "h": 1e6}
"""No bench has so much of it: a ± as wide as that is no ±."""


def _with_doubts_that_can_be(account: Account) -> Account:
    """A ± wider than its quantity can be is taken off, and said."""
    wide = [f for f in account.findings.values() if (f.expanded_uncertainty or 0.0) > _WIDEST.get(f.unit, math.inf)]
    if not wide or account.trouble:
        return account
    bare = {f.key: replace(f, contributions=None, sides=(0.0, 0.0)) for f in wide}
    said = say("How far off {names} may be cannot be told from these readings: they have no ±.", names=", ".join(f.name for f in wide))
    return replace(account, findings={**account.findings, **bare}, warnings=(said, *account.warnings))


def _with_marks(account: Account, record: Record) -> Account:
    """What a person marked is told of any method: how long it was from one to the next."""
    found = between_marks(record)
    if not found or account.trouble:
        return account
    warned = warning_of(record) if record.state != "running" else ""
    return replace(account, findings={**account.findings, **found}, warnings=(*account.warnings, *filter(None, (warned,))))


def _with_assumed(account: Account, record: Record) -> Account:
    """What a meter was only assumed to be is said, and stands on every answer that has a ±."""
    said = tuple(text for tap, meter in record.head.setup.meters.items() if (text := assumed_text(tap, meter)))
    if not said or account.trouble:
        return account
    marked = {
        key: replace(finding, working=say("{working}; ± assumed", working=finding.working))
        for key, finding in account.findings.items()
        if key in account.answers and finding.contributions
    }
    return replace(account, findings={**account.findings, **marked}, warnings=(*said, *account.warnings))


def _with_flows(account: Account, record: Record) -> Account:
    """What flowed although everything was off, what the guardian did, what stands twice at one place, and how it was read, is told of any method."""
    said = warned_of(record) + warned_of_twice(record) + outside_window(record)
    said += record.head.origin.said
    said = tuple(one for one in dict.fromkeys(said) if one not in account.warnings)
    return replace(account, warnings=(*said, *account.warnings)) if said else account


def _with_standard(account: Account, record: Record) -> Account:
    """What its meter showed of a check standard; nothing is judged by one that was off."""
    found = tried(record)
    if not found.said or account.trouble:
        return account
    account = replace(account, warnings=(*found.said, *account.warnings) if found.is_off else (*account.warnings, *found.said))
    if not found.is_off or account.verdict is None or account.verdict.word == CANNOT_TELL:
        return account
    sentence = say("Cannot tell: {why}", why=found.said[-1])
    verdict = replace(
        account.verdict, word=CANNOT_TELL, sentence=sentence, settle=say("Check the meter against another, then see what this run says.")
    )
    return replace(account, verdict=verdict, sentence=sentence, short=say("cannot tell: its meter was off"))


def _as_far_as_sound(account: Account, record: Record) -> Account:
    """Of a damaged record nothing is judged, and nothing else rests on it."""
    if not record.damage:
        return account
    short = say("damaged in the logbook")
    return replace(
        account,
        verdict=None,
        sentence=record.damage,
        warnings=(record.damage, *account.warnings),
        short=short,
        bar=None,
        energy=None,
        candidate=None,
    )


def live_record(run: Run, session: Session) -> Record:
    """What was read, noted and typed so far; the same record until there is more."""
    progress = session.progress
    ended_by = progress.ended_by if progress.phase in {"recovering", "ended"} else ""
    state = "done" if progress.phase == "ended" else "running"
    key = (session.live.revision, state, ended_by)
    with _LIVE_LOCK:
        known = _LIVE.get(session)
        if known is not None and known[0] == key and known[1].head is run.head:
            return known[1]
        growing = known[2] if known is not None else Growing()
        live = session.live
        made = growing.record(run.head, live.all_series(), live.events(), live.jots(), state, ended_by)
        _LIVE[session] = key, made, growing
    return made


_LIVE: WeakKeyDictionary[Session, tuple[tuple[int, str, str], Record, Growing]] = WeakKeyDictionary()
_LIVE_LOCK = Lock()


def live_account(run: Run, session: Session, expected: Rehearsal | None = None, others: Sequence[tuple[Record, Account]] = ()) -> Account:
    """A run that is going on, from what was taken so far; ``others`` as :func:`other_runs` found them when it began."""
    return whole_account(method_of(run.method), live_record(run, session), lambda: others, expected)


def latest(session: Session) -> dict[tuple[str, str], float]:
    """The last value at every tap of a run that is going on."""
    found = {key: float(s.value[-1]) for key, s in session.live.all_series().items() if len(s)}
    by_instrument = set(found)
    typed = session.live.latest_typed()
    return {**found, **{key: value for key, value in typed.items() if key not in by_instrument}}


def summary_of(logbook: Logbook, run: Run) -> Summary | None:
    """The little of a run's account that a shelf needs, from the logbook or worked out now; None when nothing can be said."""
    kept = logbook.summary(run.id)
    if kept is not None or run.state == "running":
        return kept
    record = logbook.kept(run).record()
    account = account_of_stored(record)
    if account.trouble or not account.sentence:
        return None
    label = record.head.setup.label
    energy = account.energy
    return logbook.keep_summary(
        run.id,
        Summary(
            account.sentence,
            in_short(account),
            account.verdict.word if account.verdict is not None else "",
            account.bar,
            (energy.energy_wh, energy.energy_u, energy.whole, energy.share) if energy is not None else None,
            sketch_of(account),
            answers={one.enquiry.key: text for one in entry_of(run.method).answers if (text := one.answer(account, label))},
        ),
    )
