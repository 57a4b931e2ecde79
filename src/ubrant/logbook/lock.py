"""One opener at a time: an advisory lock on the logbook itself, so that whoever opens it, under whatever name, meets it.

The descriptor is opened before the first connection and closed after the last: closing it in between would drop SQLite's own locks,
which go by process and file.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
from pathlib import Path
from typing import ClassVar

_NO_LOCKS = {errno.ENOLCK, errno.ENOSYS, errno.EOPNOTSUPP}
"""Of a file system that has none: then nothing can tell whether somebody else has it open."""


class OpenLock:
    """Held from opening a logbook until it is closed; goes with the process, however that ends."""

    _ours: ClassVar[set[tuple[int, int]]] = set()

    def __init__(self, path: Path) -> None:
        about = path.stat()
        self.identity = (about.st_dev, about.st_ino)
        self.held = False
        self._descriptor: int | None = None
        if self.identity in self._ours:
            return
        self._descriptor = os.open(path, os.O_RDWR if os.access(path, os.W_OK) else os.O_RDONLY)
        try:
            fcntl.flock(self._descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            self.held = error.errno in _NO_LOCKS
        else:
            self.held = True
        if self.held:
            self._ours.add(self.identity)

    def is_of(self, path: Path) -> bool:
        """Whether this file still stands under that name."""
        try:
            about = path.stat()
        except OSError:
            return False
        return (about.st_dev, about.st_ino) == self.identity

    def release(self) -> None:
        """Once every connection is closed."""
        if self.held:
            self._ours.discard(self.identity)
        self.held = False
        descriptor, self._descriptor = self._descriptor, None
        if descriptor is not None:
            with contextlib.suppress(OSError):
                os.close(descriptor)
