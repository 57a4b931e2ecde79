"""A recorded load from a file: what a device drew, to be drawn again."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_log

_MOST_STEPS = 5000


class ProfileFileError(ValueError):
    """A file that gives no load profile; a sentence."""


def read_load_profile(path: Path) -> tuple[tuple[float, float], ...]:
    """(seconds, amperes) one after the other, from a log with time, voltage and current.

    Raises
    ------
    ProfileFileError
        It cannot be read, or draws nothing.
    """
    try:
        log = read_log(path)
    except LogError as error:
        raise ProfileFileError(str(error)) from None
    amps = np.abs(log.current_a)
    if not amps.max() > 0:
        raise ProfileFileError(f"{path.name}: no current flows in it, so there is nothing to draw.")
    if len(amps) > _MOST_STEPS:
        raise ProfileFileError(f"{path.name}: {len(amps)} steps are more than {_MOST_STEPS}: cut out the part that is to be drawn.")
    lengths = np.append(np.diff(log.time_s), float(np.median(np.diff(log.time_s))))
    steps: list[tuple[float, float]] = []
    for seconds, current in zip(lengths, amps, strict=True):
        if steps and abs(steps[-1][1] - current) < 1e-9:
            steps[-1] = (steps[-1][0] + float(seconds), steps[-1][1])
        else:
            steps.append((float(seconds), round(float(current), 4)))
    return tuple(steps)
