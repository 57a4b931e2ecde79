"""Another program's log while it is still being written: what is new, each time one looks."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ubrant.logbook.logs.log_file import LogError, LogFile
from ubrant.logbook.logs.read import read_logs
from ubrant.logbook.logs.text import decode


class FollowedLog:
    """Looks at a growing log, read anew each time it has grown. A line that is only half written is left for the next look."""

    def __init__(self, path: Path, columns: str | None = None, read: Callable[[Path, str | None], list[LogFile]] = read_logs) -> None:
        self.path, self._columns, self._read = path, columns, read
        self._size = -1
        self._last_s: dict[tuple[str, str], float] = {}
        self.trouble = ""

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
        try:
            log = self._read(self.path, self._columns)[-1]
        except LogError as error:
            if "holds 0 reading" in str(error) or "holds 1 reading" in str(error) or "is empty" in str(error):
                return []
            raise
        half = not decode(self.path.read_bytes()[-4:]).endswith(("\n", "\r"))
        found = []
        series = {("battery", "V"): (log.time_s, log.voltage_v), ("battery", "A"): (log.time_s, log.current_a)}
        series |= {key: (s.time_s, s.value) for key, s in log.others.items()}
        last_line_s = float(log.time_s[-1])
        for key, (times, values) in series.items():
            since = self._last_s.get(key, -1.0)
            for moment, value in zip(times[times > since], values[times > since], strict=True):
                if half and moment == last_line_s:
                    continue
                found.append((*key, float(value), float(moment)))
                self._last_s[key] = float(moment)
        return sorted(found, key=lambda f: f[3])
