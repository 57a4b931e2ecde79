"""What went wrong, kept in a file with its traceback, and what to send along when it is reported. Nothing leaves the machine by itself."""

from __future__ import annotations

import logging
import platform
import sys
from pathlib import Path

import platformdirs

from ubrant import __version__

LOG = logging.getLogger("ubrant")
_PACKAGES = ("PyQt6", "pyqtgraph", "numpy", "scipy", "polars", "PyVISA", "pyvisa-py")
_LAST_LINES = 200


def log_path() -> Path:
    """The file in the state folder."""
    return platformdirs.user_state_path("ubrant") / "ubrant.log"


def keep_log() -> None:
    """Write what is logged to the file from now on; a folder that cannot be written is no reason not to start."""
    from logging.handlers import RotatingFileHandler  # slow to import, and needed once

    if any(isinstance(handler, RotatingFileHandler) for handler in LOG.handlers):
        return
    path = log_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(path, maxBytes=500_000, backupCount=3, encoding="utf-8", delay=True)
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s: %(message)s"))
    LOG.addHandler(handler)
    LOG.setLevel(logging.INFO)
    LOG.info("Ubrant %s, Python %s, %s", __version__, platform.python_version(), platform.platform())


def unexpected(where: str, error: BaseException) -> None:
    """Keep an error that nobody foresaw, with its traceback."""
    LOG.error("%s: %s: %s", where, type(error).__name__, error, exc_info=(type(error), error, error.__traceback__))


def diagnostics() -> str:
    """Versions and the last lines of the file, to be sent along; the name of the person's folder is taken out."""
    from importlib import metadata  # slow to import, and needed only when asked for

    found = [
        f"Ubrant {__version__}",
        f"Python {platform.python_version()} on {platform.platform()}",
        f"arguments: {' '.join(sys.argv[1:])}",
    ]
    for name in _PACKAGES:
        try:
            found.append(f"{name} {metadata.version(name)}")
        except metadata.PackageNotFoundError:
            found.append(f"{name} is not installed")
    try:
        lines = log_path().read_text("utf-8").splitlines()[-_LAST_LINES:]
    except OSError:
        lines = ["nothing was logged"]
    return "\n".join([*found, "", *lines]).replace(str(Path.home()), "~")
