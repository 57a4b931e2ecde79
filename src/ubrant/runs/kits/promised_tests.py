"""What tests were said to tell of an outlook when it was kept, and what came of those that were made since."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from contextlib import suppress
from datetime import datetime

import numpy as np

from ubrant.core.outlook.answers import look
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.wording import say
from ubrant.core.worth.narrowing import half_width
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.kept.promised import KEPT_AS, PromisedTest, promises_of
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.past_outlooks import past_of
from ubrant.runs.kits.worth_measuring import WorthMeasuring

_LOOKED_AT = 40
_FAIR = (0.6, 1.6)


def promises_kept(worth: WorthMeasuring | None) -> dict[str, str]:
    """What a kept outlook says of the tests that would tell: beside its other inputs."""
    if worth is None or not worth.tests:
        return {}
    told = [
        {"unit": test.unit, "method": test.entry.key, "before_s": test.gain.before, "after_s": test.gain.after}
        for test in worth.tests
        if test.shelved
    ]
    return {KEPT_AS: json.dumps(told, ensure_ascii=False)} if told else {}


def what_came(logbook: Logbook, outlooks: Iterable[StoredOutlook]) -> list[PromisedTest]:
    """Of each promise whose test was made since: what the outlook's half-width is now, by all that is known."""
    found = []
    units = {unit.name.lower(): unit.id for unit in logbook.units()}
    for kept in outlooks:
        since = datetime.fromisoformat(kept.made)
        made = [one for one in promises_of(kept) if _was_made(logbook, units.get(one.unit.lower(), 0), one.method, since)]
        if not made:
            continue
        with suppress(KitError, QuantityError):
            looked = look(kit_of(past_of(kept).part, measured_in(logbook)))
            if len(looked.drawn_s):
                came = half_width(np.minimum(looked.drawn_s, looked.middle.horizon_s))
                found += [PromisedTest(one.outlook, one.unit, one.method, one.before_s, one.promised_s, came) for one in made]
    return found


def _was_made(logbook: Logbook, unit_id: int, method: str, since: datetime) -> bool:
    runs = logbook.runs(limit=_LOOKED_AT, unit_id=unit_id) if unit_id else []
    return any(run.method == method and run.state == "done" and datetime.fromisoformat(run.started) >= since for run, _ in runs)


def score_told(found: Sequence[PromisedTest]) -> str:
    """How good the promises were; empty for none."""
    ratios = [one.came_s / one.promised_s for one in found if one.came_s is not None and one.promised_s > 0]
    if not ratios:
        return ""
    fair = sum(_FAIR[0] <= ratio <= _FAIR[1] for ratio in ratios)
    middle = float(np.median(ratios))
    return say(
        "Of {n} tests that were said to tell, {fair} told about as much as was said (in the middle {ratio} times the ± that was promised).",
        n=len(ratios),
        fair=fair,
        ratio=f"{middle:.2g}",
    )
