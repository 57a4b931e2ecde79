"""Which runs of a logbook are worth laying side by side: the same thing twice, or two of a kind in the same test."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from itertools import combinations

from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import SIMULATED, label_of
from ubrant.core.wording import say, words
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.registry import entries, title_of
from ubrant.runs.kept.naming import is_about_its_unit

_LOOKED_AT, _MOST = 200, 3
_OF_A_KIND = frozenset({"battery", "bank", "station", "converter", "inverter", "charger"})
"""Of which one is chosen, or thrown away, for how it measures beside another; loads are for what they do."""

_ON_TWO_DAYS, _ON_ONE_DAY = words("{unit}, {method}: {earlier} and {later}"), words("{unit}, {method}: twice on {later}")


@dataclass(frozen=True)
class WorthComparing:
    """Two runs, the one that the other is held against first, and what is to be seen of them."""

    runs: tuple[int, int]
    method: str
    sentence: str


def worth_comparing(logbook: Logbook, most: int = _MOST) -> list[WorthComparing]:
    """The newest first: things that were tested twice, and two of a kind; what was rehearsed is held against nothing that was measured."""
    ranks = {entry.key: entry.rank for entry in entries()}
    newest = [(run, name) for run, name in logbook.runs(limit=_LOOKED_AT) if run.state == "done" and run.unit_id and is_about_its_unit(run)]
    kinds = {unit.id: _kind(unit) for unit in logbook.units() if unit.kind in _OF_A_KIND}
    twice: list[WorthComparing] = []
    of_a_kind: list[WorthComparing] = []
    seen: set[tuple[object, ...]] = set()
    for (later, name), (earlier, other) in combinations(newest, 2):
        if later.method != earlier.method or _is_simulated(later) != _is_simulated(earlier):
            continue
        if later.unit_id == earlier.unit_id:
            key: tuple[object, ...] = (later.method, later.unit_id)
            sentence = say(
                _ON_TWO_DAYS if _day(earlier) != _day(later) else _ON_ONE_DAY,
                unit=name,
                method=say(title_of(later.method)),
                earlier=_day(earlier),
                later=_day(later),
            )
            into, pair = twice, (earlier.id, later.id)
        elif (kind := kinds.get(later.unit_id or 0)) is not None and kind == kinds.get(earlier.unit_id or 0):
            key = (later.method, *sorted((later.unit_id or 0, earlier.unit_id or 0)))
            sentence = say("{one} against {other}, {method}", one=name, other=other, method=say(title_of(later.method)))
            into, pair = of_a_kind, (later.id, earlier.id)
        else:
            continue
        if key not in seen:
            seen.add(key)
            into.append(WorthComparing(pair, later.method, sentence))
    for found in (twice, of_a_kind):
        found.sort(key=lambda one: ranks.get(one.method, len(ranks)))
    both = [one for pair in zip(twice, of_a_kind, strict=False) for one in pair]
    rest = twice[len(both) // 2 :] + of_a_kind[len(both) // 2 :]
    return (both + rest)[:most]


def _kind(unit: Unit) -> tuple[str, str]:
    """What it is, and what its cells are of."""
    label = label_of(unit) if unit.kind in {"battery", "bank"} else None
    return unit.kind, label.chemistry if label is not None and label.chemistry else ""


def _is_simulated(run: Run) -> bool:
    return run.head.origin.road == SIMULATED


def _day(run: Run) -> str:
    return f"{datetime.fromisoformat(run.started).astimezone():%-d %b %Y}"
