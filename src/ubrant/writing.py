"""Files that are whole or not there: written beside their place, and put there once nothing of them is missing."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from pathlib import Path


def write_whole(path: Path, write: Callable[[Path], object]) -> None:
    """``write`` makes a file under another name beside ``path``; then it takes that place. What stood there stays until then.

    Raises
    ------
    OSError
        It could not be written; nothing of it is left.
    """
    unfinished = path.with_name(f".{path.stem[:80]}.{os.getpid()}{path.suffix}")
    try:
        write(unfinished)
        _sync(unfinished)
        unfinished.replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            unfinished.unlink(missing_ok=True)
        raise


def _sync(path: Path) -> None:
    """On the disk before it takes another one's place."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
