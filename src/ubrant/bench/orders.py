"""What a person can tell a run that is going on, and where it says it is."""

from __future__ import annotations

import enum
from dataclasses import dataclass


class Order(enum.Enum):
    """What a person can tell a running engine."""

    DONE = "done"
    """What was asked for is done; where nothing can confirm that the load is off: it is off, the person looked."""
    BESIDES = "something else draws this"
    """What flows although the load is off is not the load: a person looked."""
    PAUSE = "pause"
    RESUME = "resume"
    STOP = "stop and rest"
    END = "end now"
    CLOSE = "the program is being ended"


OVER = frozenset({Order.END, Order.CLOSE})


@dataclass(frozen=True)
class Progress:
    """Where a run is. Replaced as a whole, so that another thread always sees one state.

    ``phase`` is ``asking``, ``zeroing``, ``resting``, ``load on``, ``charging``, ``measuring`` (points), ``paused``, ``waiting``, ``recovering``,
    ``may be on`` (nothing confirms that the load is off, or something flows although it is) or ``ended``. ``flows``: it is the latter.
    ``notice`` is what a person should know meanwhile: an instrument that is waited for.
    """

    phase: str = "resting"
    text: str = ""
    cautions: tuple[str, ...] = ()
    time_s: float = 0.0
    load_on_s: float | None = None
    load_off_s: float | None = None
    ended_by: str = ""
    trouble: str = ""
    notice: str = ""
    flows: bool = False
