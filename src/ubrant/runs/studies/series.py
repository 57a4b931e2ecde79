"""Runs that were made as the same again: a series, and what they found side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from ubrant.core.account import Account
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.naming import name_in


@dataclass(frozen=True)
class Beside:
    """One run of a series: its heading, and what it found (nothing while it is going on and nothing was taken)."""

    run: Run
    heading: str
    account: Account


@dataclass(frozen=True)
class SeriesTable:
    """A heading for each run; rows of a name and a cell for each run, empty where it has no such finding."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, tuple[str, ...]], ...]

    def text(self) -> str:
        """For a spreadsheet, tabs between."""
        lines = [("", *self.headings), *((name, *cells) for name, cells in self.rows)]
        return "\n".join("\t".join(line) for line in lines) + "\n"


def first_of(run: Run) -> int:
    """By what a series is known: the number of its first run."""
    return run.head.origin.series or run.id


def series_of(logbook: Logbook, run: Run) -> list[Run]:
    """All runs of its series, the first one first; only the run where nothing was made as the same again."""
    return logbook.series_of(first_of(run))


def side_by_side(logbook: Logbook, runs: Sequence[Run], account: Callable[[Run], Account] | None = None) -> SeriesTable:
    """What each run found; ``account`` gives what is known better than the logbook knows it."""
    known = account or (lambda run: kept_account(logbook, run))
    made = [Beside(run, _heading(logbook, run, runs), known(run)) for run in runs]
    keys: dict[str, str] = {}
    for one in made:
        answers = [k for k in one.account.answers if k in one.account.findings]
        for key in (*answers, *(k for k in one.account.findings if k not in answers)):
            finding = one.account.findings[key]
            if finding.value is not None:
                keys.setdefault(key, finding.name)
    rows = [(say("Verdict"), tuple(b.account.verdict.word if b.account.verdict is not None else "" for b in made))]
    rows += [(name, tuple(_cell(b.account.findings.get(key)) for b in made)) for key, name in keys.items()]
    return SeriesTable(tuple(b.heading for b in made), tuple(row for row in rows if any(row[1])))


def kept_account(logbook: Logbook, run: Run) -> Account:
    """What the logbook knows of it; nothing while it is going on."""
    return Account() if run.state == "running" else account_of(logbook, run)[1]


def _cell(finding: Finding | None) -> str:
    return "" if finding is None or finding.value is None else finding.with_uncertainty()


def _heading(logbook: Logbook, run: Run, runs: Sequence[Run]) -> str:
    """The unit's name; with the day and the time where the series is of one unit."""
    name = name_in(logbook, run)
    if len({r.unit_id for r in runs}) == len(runs):
        return name
    return f"{name}, {datetime.fromisoformat(run.started).astimezone():%-d %b %H:%M}"
