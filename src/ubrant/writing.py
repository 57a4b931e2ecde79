"""Files that are whole or not there: written beside their place, and put there once nothing of them is missing."""

from __future__ import annotations

import contextlib
import glob
import os
import re
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path


def write_whole(path: Path, write: Callable[[Path], object]) -> None:
    """``write`` makes a file under another name beside ``path``; then it takes that place. What stood there stays until then.

    Raises
    ------
    OSError
        It could not be written; nothing of it is left.
    """
    unfinished = path.with_name(f".{path.stem[:80]}.{os.getpid()}{path.suffix}")
    _sweep(path)
    try:
        write(unfinished)
        _sync(unfinished)
        unfinished.replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            unfinished.unlink(missing_ok=True)
        raise


def _sweep(path: Path) -> None:
    """What somebody who was killed left unfinished beside a path, and what SQLite kept beside that."""
    with contextlib.suppress(OSError):
        for left in path.parent.glob(f".{glob.escape(path.stem[:80])}.*{glob.escape(path.suffix)}*"):
            number = re.fullmatch(rf"{re.escape(f'.{path.stem[:80]}.')}(\d+){re.escape(path.suffix)}(-wal|-shm|-journal)?", left.name)
            if number and not Path(f"/proc/{number[1]}").exists():
                left.unlink(missing_ok=True)


@contextlib.contextmanager
def unfinished_file(path: Path) -> Iterator[None]:
    """While this holds, the file is unfinished: if this process ends before, however it ends, it and what SQLite keeps beside it are removed.

    A shell waits at the end of a pipe for that: nothing in a process that is killed could do it.
    """
    alike = [str(path.with_name(path.name + more)) for more in ("", "-wal", "-shm", "-journal")]
    waits = subprocess.Popen(["/bin/sh", "-c", 'read -r _ || rm -f -- "$@"', "sh", *alike], stdin=subprocess.PIPE, start_new_session=True)
    try:
        with waits:
            yield
            assert waits.stdin
            waits.stdin.write(b"whole\n")
    finally:
        waits.wait()


def _sync(path: Path) -> None:
    """On the disk before it takes another one's place."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
