"""One opener at a time: a lock in the runtime directory, keyed on the file's device and inode.

Never a lock on the logbook itself: opening and closing it would drop SQLite's own locks.
"""

from __future__ import annotations

import fcntl
import os
import tempfile
from pathlib import Path


class OpenLock:
    """Held from opening a logbook until it is closed; goes with the process, however that ends."""

    def __init__(self, path: Path) -> None:
        about = path.stat()
        runtime = os.environ.get("XDG_RUNTIME_DIR")
        folder = Path(runtime) / "ubrant" if runtime else Path(tempfile.gettempdir()) / f"ubrant-{os.getuid()}"
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._file = os.open(folder / f"open-{about.st_dev:x}-{about.st_ino:x}.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self.held = True
        except OSError:
            self.held = False

    def release(self) -> None:
        os.close(self._file)
        self.held = False
