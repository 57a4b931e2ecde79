"""What a test was said to tell of an outlook, as that was kept."""

from __future__ import annotations

import json
from dataclasses import dataclass

from ubrant.core.wording import say
from ubrant.core.worth.narrowing import half_width_told
from ubrant.logbook.records import StoredOutlook
from ubrant.methods.registry import title_of

KEPT_AS = "would_tell"
"""Under which a kept outlook has them, as JSON."""


@dataclass(frozen=True)
class PromisedTest:
    """What a test was to do, half-widths in seconds; ``came_s`` None while it was not made."""

    outlook: str
    unit: str
    method: str
    before_s: float
    promised_s: float
    came_s: float | None = None

    def ahead(self) -> str:
        """What it would do: ``“Evening”: ± 6 h would become ± 3 h 55 min``."""
        before, after = half_width_told(self.before_s), half_width_told(self.promised_s)
        return say("“{outlook}”: ± {before} would become ± {after}", outlook=self.outlook, before=before, after=after)

    def told(self) -> str:
        """In a sentence; empty while it was not made."""
        if self.came_s is None:
            return ""
        return say(
            "{title} of {unit} was to make ± {before} into ± {promised}: it is ± {came}.",
            title=title_of(self.method),
            unit=self.unit,
            before=half_width_told(self.before_s),
            promised=half_width_told(self.promised_s),
            came=half_width_told(self.came_s),
        )


def promises_of(kept: StoredOutlook) -> list[PromisedTest]:
    """Of one outlook, as they were made."""
    try:
        return [
            PromisedTest(kept.name, str(one["unit"]), str(one["method"]), float(one["before_s"]), float(one["after_s"]))
            for one in json.loads(kept.inputs.get(KEPT_AS, "[]"))
        ]
    except (ValueError, KeyError, TypeError):
        return []
