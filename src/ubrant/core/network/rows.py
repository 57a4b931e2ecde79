"""What was read, and what the rest says it should be: a row a reading, as findings that are shown wherever findings are."""

from __future__ import annotations

from ubrant.core.network.fit import AgainstRest
from ubrant.core.network.graph import PLACES
from ubrant.core.network.whole import Whole
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

MOST_ROWS = 24


def rest_rows(whole: Whole) -> list[Finding]:
    """A row each reading that the rest of its moment says something of; the ones that agree least where there are many."""
    several = sorted(whole.against, key=lambda one: -abs(one.z))[:MOST_ROWS]
    several.sort(key=lambda one: (one.reading.moment, PLACES.index(one.reading.key[0]), "VAW".index(one.reading.key[1])))
    return [_row(whole, one) for one in several]


def _row(whole: Whole, one: AgainstRest) -> Finding:
    key, moment = one.reading.key, one.reading.moment
    agrees = say("agrees") if abs(one.z) <= whole.most else say("does not agree")
    at = whole.names[moment]
    name = say("{what}, {at}", what=whole.title(key), at=at) if at else whole.title(key)
    text = say("read {read}, the rest says this: {agrees}", read=whole.amount(one.reading.value, key), agrees=agrees)
    return Finding.made(f"rest_{moment + 1}_{key[0]}_{key[1]}", name, whole.rest_of(one), key[1], text)
