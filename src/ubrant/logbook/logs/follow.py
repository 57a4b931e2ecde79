"""Another program's log while it is still being written: what is new, each time one looks."""

from __future__ import annotations

from pathlib import Path

from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.read import read_text
from ubrant.logbook.logs.text import read_bytes

_TOO_FEW = ("holds 0 reading", "holds 1 reading", "is empty")


class FollowedLog:
    """Looks at a growing text log, read anew each time it has grown. A line that is only half written is left for the next look."""

    def __init__(self, path: Path, columns: str | None = None) -> None:
        self.path, self._columns = path, columns
        self._size = -1
        self._last_s: dict[tuple[str, str], float] = {}

    def more(self) -> list[tuple[str, str, float, float]]:
        """(tap, quantity, value, the log's own seconds) of every reading that has been added since the last look.

        Raises
        ------
        LogError
            The file is not there, or cannot be read (other than for having too few lines yet).
        """
        try:
            size = self.path.stat().st_size
        except OSError:
            raise LogError(f"{self.path} is not there: start the program that writes it, or correct the name.") from None
        if size == self._size:
            return []
        if size < self._size:
            self._last_s.clear()  # begun anew
        self._size = size
        data = read_bytes(self.path)
        try:
            log = read_text(self.path.name, data[: data.rfind(b"\n") + 1], self._columns)[-1]
        except LogError as error:
            if any(clue in str(error) for clue in _TOO_FEW):
                return []
            raise
        series = {("battery", "V"): (log.time_s, log.voltage_v), ("battery", "A"): (log.time_s, log.current_a)}
        series |= {key: (s.time_s, s.value) for key, s in log.others.items()}
        rows = []
        for key, (times, values) in series.items():
            new = times > self._last_s.get(key, -1.0)
            rows += [(*key, float(value), float(moment)) for moment, value in zip(times[new], values[new], strict=True)]
            if new.any():
                self._last_s[key] = float(times[-1])
        return sorted(rows, key=lambda f: f[3])
