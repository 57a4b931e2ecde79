"""What was read, and what the rest says it should be: a row a reading, as findings that are shown wherever findings are."""

from __future__ import annotations

from ubrant.core.drawings import AgreementRow, Agreements
from ubrant.core.network.fit import AgainstRest
from ubrant.core.network.graph import PLACES
from ubrant.core.network.whole import Whole
from ubrant.core.quantities.quantity import show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

MOST_ROWS, _DRAWN = 24, 9


def rest_rows(whole: Whole) -> list[Finding]:
    """A row each reading that the rest of its moment says something of; the ones that agree least where there are many."""
    return [_row(whole, one) for one in _few(whole, MOST_ROWS)]


def _few(whole: Whole, count: int) -> list[AgainstRest]:
    several = sorted(whole.against, key=lambda one: -abs(one.z))[:count]
    return sorted(several, key=lambda one: (one.reading.moment, PLACES.index(one.reading.key[0]), "VAW".index(one.reading.key[1])))


def agreements(whole: Whole) -> Agreements | None:
    """The same as a drawing, of the few that agree least; None where the rest says nothing of any."""
    if not whole.against:
        return None
    rows = []
    for one in _few(whole, _DRAWN):
        rest, key = whole.rest_of(one), one.reading.key
        shown = one.reading.value
        off = shown.value - rest.value
        sign = "+" if off > 0 else "−" if off < 0 else ""
        off_by = f"{sign}{show(abs(off), 2)} {key[1]}"
        read = f"{show(shown.value)} {key[1]}"
        rows.append(
            AgreementRow(whole.title(key), whole.names[one.reading.moment], read, whole.amount(rest, key), off_by, one.z / whole.most)
        )
    return Agreements(say("What was read, and what the rest says it should be"), tuple(rows))


def _row(whole: Whole, one: AgainstRest) -> Finding:
    key, moment = one.reading.key, one.reading.moment
    agrees = say("agrees") if abs(one.z) <= whole.most else say("does not agree")
    at = whole.names[moment]
    name = say("{what}, {at}", what=whole.title(key), at=at) if at else whole.title(key)
    text = say("read {read}, the rest says this: {agrees}", read=whole.amount(one.reading.value, key), agrees=agrees)
    return Finding.made(f"rest_{moment + 1}_{key[0]}_{key[1]}", name, whole.rest_of(one), key[1], text)
