"""What is dear or risky to read is read in a process of its own: it may run wild or die there, and what comes back is looked at before it is believed.

The process is started when it is first wanted and stays warm for the next file; after some files, or once it has grown, a new one takes its place.
It answers in JSON and bytes of a length that it says first, and it is never sent anything but the path of a file and what to do with it.
"""

from __future__ import annotations

import atexit
import contextlib
import importlib
import json
import os
import resource
import select
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

Answer = tuple[Any, list[bytes]]
DOES = {
    "workbook": "ubrant.logbook.logs.sheets:workbook_told",
    "parquet": "ubrant.logbook.logs.sheets:parquet_told",
    "picture": "ubrant.ui.common.photos:picture_told",
}
"""What it can be asked for: functions of a path that give JSON and bytes, and raise :class:`Refused`."""
_MOST_FILES, _GROWN_BYTES = 200, 400 << 20
_MOST_HEAD, _MOST_ANSWER = 1 << 16, 512 << 20
_LOOKS_S = 0.05
_PAGE = os.sysconf("SC_PAGE_SIZE")


class Refused(Exception):
    """It cannot be read; says why and what to do."""


@dataclass(frozen=True)
class Limits:
    """What one file may take: seconds by the clock, seconds of work, bytes of memory."""

    wall_s: float = 120.0
    cpu_s: int = 90
    memory: int = 2 << 30


class Apart:
    """One such process at a time, for whoever in this program wants a file read."""

    def __init__(self, command: tuple[str, ...] = (sys.executable, "-m", "ubrant.apart")) -> None:
        self._command = command
        self._lock = threading.Lock()
        self._child: subprocess.Popen[bytes] | None = None
        self._read = 0

    def ask(self, what: str, path: Path, limits: Limits | None = None) -> Answer:
        """What a file holds.

        Raises
        ------
        Refused
            It cannot be read, or wants more time or memory than a file may; says so.
        """
        limits = limits or Limits()
        with self._lock:
            try:
                return self._asked(what, path, limits)
            except _Died as error:
                self._end()
                raise Refused(f"{path.name} {error}") from None
            finally:
                if self._child is not None and (self._read >= _MOST_FILES or _memory(self._child.pid) > _GROWN_BYTES):
                    self._end()

    def end(self) -> None:
        """The process goes; the next file begins another."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        child, self._child, self._read = self._child, None, 0
        if child is not None:
            with contextlib.suppress(OSError):
                child.kill()
            for pipe in (child.stdin, child.stdout):
                if pipe is not None:
                    with contextlib.suppress(OSError):
                        pipe.close()
            child.wait()

    def _asked(self, what: str, path: Path, limits: Limits) -> Answer:
        child = self._child
        if child is None or child.poll() is not None:
            self._end()
            child = self._child = subprocess.Popen(self._command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        assert child.stdin is not None and child.stdout is not None
        self._read += 1
        request = {"do": what, "path": str(path.absolute()), "cpu_s": limits.cpu_s}
        try:
            child.stdin.write(json.dumps(request).encode() + b"\n")
            child.stdin.flush()
        except OSError:
            raise _Died(_ENDED) from None
        return _Reader(child, limits).answer()


class _Died(Exception):
    """What became of it, as the rest of a sentence about the file."""


_ENDED = "could not be read: whatever it holds ended what was reading it. Save it anew, or export it as something simpler."


class _Reader:
    """Reads one answer, and looks meanwhile at what the process takes."""

    def __init__(self, child: subprocess.Popen[bytes], limits: Limits) -> None:
        assert child.stdout is not None
        self._child, self._limits, self._fd = child, limits, child.stdout.fileno()
        self._until = time.monotonic() + limits.wall_s
        self._kept = bytearray()

    def answer(self) -> Answer:
        head = self._head()
        lengths = head.get("lengths")
        if not isinstance(lengths, list) or not lengths or not all(isinstance(n, int) and n >= 0 for n in lengths):
            raise _Died(_ENDED)
        if sum(lengths) > _MOST_ANSWER:
            raise _Died("holds more than is read at once: split it.")
        first, *blobs = [self._bytes(n) for n in lengths]
        try:
            told = json.loads(first)
        except ValueError:
            raise _Died(_ENDED) from None
        if not head.get("ok"):
            raise Refused(str(told))
        return told, blobs

    def _head(self) -> dict[str, Any]:
        while (end := self._kept.find(b"\n")) < 0:
            if len(self._kept) > _MOST_HEAD:
                raise _Died(_ENDED)
            self._more()
        line, self._kept = bytes(self._kept[:end]), self._kept[end + 1 :]
        try:
            head = json.loads(line)
        except ValueError:
            raise _Died(_ENDED) from None
        if not isinstance(head, dict):
            raise _Died(_ENDED)
        return head

    def _bytes(self, count: int) -> bytes:
        while len(self._kept) < count:
            self._more()
        taken, self._kept = bytes(self._kept[:count]), self._kept[count:]
        return taken

    def _more(self) -> None:
        there = False
        while not there:
            if time.monotonic() > self._until:  # also of one that never stops to answer
                raise _Died(f"takes longer than {self._limits.wall_s:.0f} s to read: split it, or export it as CSV.")
            there = bool(select.select([self._fd], [], [], _LOOKS_S)[0])
            if not there and _memory(self._child.pid) > self._limits.memory:
                raise _Died(f"takes more than {self._limits.memory / (1 << 30):.1f} GB to read: split it, or export it as CSV.")
        part = os.read(self._fd, 1 << 20)
        if not part:
            raise _Died(_ENDED)
        self._kept += part


def _memory(pid: int) -> int:
    """Bytes of it that are in memory; 0 where nobody knows."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text("ascii").split()[1]) * _PAGE
    except (OSError, ValueError, IndexError):
        return 0


APART = Apart()
"""The one of this program."""
atexit.register(APART.end)


# in the process


def serve(asked: IO[bytes], answers: IO[bytes]) -> None:
    """Do what is asked for, a line each, until nobody asks any more."""
    for line in asked:
        request = json.loads(line)
        used = resource.getrusage(resource.RUSAGE_SELF)
        limit = int(used.ru_utime + used.ru_stime) + int(request["cpu_s"]) + 1
        resource.setrlimit(resource.RLIMIT_CPU, (limit, resource.getrlimit(resource.RLIMIT_CPU)[1]))
        try:
            module, _, name = DOES[request["do"]].partition(":")
            does: Callable[[Path], Answer] = getattr(importlib.import_module(module), name)
            told, blobs = does(Path(request["path"]))
            ok = True
        except Refused as error:
            ok, told, blobs = False, str(error), []
        first = json.dumps(told).encode()
        answers.write(json.dumps({"ok": ok, "lengths": [len(first), *map(len, blobs)]}).encode() + b"\n")
        for part in (first, *blobs):
            answers.write(part)
        answers.flush()


if __name__ == "__main__":
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # whatever prints prints beside it
    # this module is not the one that the readers know
    from ubrant import apart

    apart.serve(sys.stdin.buffer, out)
