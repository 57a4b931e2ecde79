"""What was switched on, written down before it is: a file per address in the state folder, and a lock for whoever holds its line.

It lies outside every logbook, so that it speaks of this machine's instruments only: a copy of a logbook somewhere else asks nothing.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import re
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import platformdirs

_WAITS_S = 5.0
"""How long a line that somebody else holds is waited for: a guardian needs no longer."""
_LOOKS_EVERY_S = 0.05
_BY_ID = Path("/dev/serial/by-id")
_MACHINE = Path("/etc/machine-id")


class AddressHeld(Exception):
    """Somebody else holds the line; says who."""


@dataclass(frozen=True)
class Whose:
    """The run for which something is switched on; empty and 0 for none, when something is only looked at."""

    logbook: str = ""
    run: int = 0

    @property
    def text(self) -> str:
        return f"run {self.run} of {Path(self.logbook).name}" if self.run else "no run"


@dataclass(frozen=True)
class SwitchedOn:
    """One thing that was switched on, and how to switch it off.

    Attributes
    ----------
    address : as it was written; ``opens`` the same where a serial line has a name that stays with its adapter
    identity : what it answered when it was asked who it is; empty where it does not say
    commands : ``off``, ``is_on``, ``current``, ``identify``, as its profile has them
    since : when it was first switched on in this run, UTC
    outcome : what the guardian, or VISA's child, made of it; empty while nobody had to
    """

    address: str
    name: str
    kind: str
    identity: str
    commands: dict[str, str]
    off_answers: tuple[str, ...]
    whose: Whose
    since: str
    opens: str = ""
    baud: int = 9600
    machine: str = ""
    outcome: dict[str, Any] = field(default_factory=dict)

    @property
    def is_off(self) -> bool:
        """Somebody switched it off and had that confirmed."""
        return bool(self.outcome.get("confirmed"))


class SwitchedOnLedger:
    """The folder. Every user has one; a second program of the same user meets the first one's locks there."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or platformdirs.user_state_path("ubrant") / "switched-on"

    def place(self, address: str) -> Path:
        return self.folder / f"{_digest(address)}.json"

    def write(self, entry: SwitchedOn) -> Path:
        """On the disk when this returns.

        Raises
        ------
        OSError
            It could not be written.
        """
        path = self.place(entry.address)
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        told = asdict(replace(entry, opens=entry.opens or by_id(entry.address), machine=this_machine()))
        beside = path.with_suffix(f".{os.getpid()}")
        with beside.open("w", encoding="utf-8") as file:
            json.dump({"version": 1, **told}, file, ensure_ascii=False)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(path)
        folder = os.open(self.folder, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
        return path

    def remove(self, address: str) -> None:
        """It is off: confirmed, or a person looked."""
        with contextlib.suppress(OSError):
            self.place(address).unlink(missing_ok=True)

    def read(self, address: str) -> SwitchedOn | None:
        return _read(self.place(address))

    def entries(self) -> list[SwitchedOn]:
        """Everything that was switched on from this machine and is not known to be off again, the oldest first."""
        found = [entry for path in sorted(self.folder.glob("*.json")) if (entry := _read(path)) is not None]
        return sorted((e for e in found if e.machine == this_machine()), key=lambda e: e.since)

    def lock(self, address: str, whose: Whose, wait_s: float = _WAITS_S) -> AddressLock:
        """The line is one program's (and its guardian's) at a time.

        Raises
        ------
        AddressHeld
            Somebody else holds it, also after a while.
        """
        with contextlib.suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        path = self.folder / f"{_digest(address)}.lock"
        try:
            descriptor = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
        except OSError:  # a folder that cannot be written: then nobody can know of each other, and a run is possible all the same
            return AddressLock(-1)
        until = time.monotonic() + wait_s
        while True:
            try:
                fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                if time.monotonic() < until:
                    time.sleep(_LOOKS_EVERY_S)
                    continue
                holder = os.pread(descriptor, 400, 0).decode("utf-8", "replace").strip()
                os.close(descriptor)
                raise AddressHeld(holder or "another program") from None
            os.ftruncate(descriptor, 0)
            os.pwrite(descriptor, f"{whose.text}, process {os.getpid()}".encode(), 0)
            return AddressLock(descriptor)

    def is_held(self, address: str) -> bool:
        """Whether some program, or a guardian, holds this line now."""
        try:
            self.lock(address, Whose(), 0.0).release()
        except AddressHeld:
            return True
        return False


@dataclass
class AddressLock:
    """Held until it is released by everybody who has it: it goes by its open file, which the guardian is handed too."""

    descriptor: int

    def release(self) -> None:
        if self.descriptor >= 0:
            os.close(self.descriptor)
        self.descriptor = -1


def now_utc() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def by_id(address: str) -> str:
    """A serial line by the name that stays with its adapter, whatever number it is given next time; any other address as it is."""
    match = re.fullmatch(r"ASRL(/.+?)(::INSTR)?", address.strip(), re.I)
    if match is None:
        return address
    device = os.path.realpath(match[1])
    for name in _names(_BY_ID):
        if os.path.realpath(name) == device:
            return f"ASRL{name}{match[2] or ''}"
    return address


def _names(folder: Path) -> Iterator[Path]:
    with contextlib.suppress(OSError):
        yield from sorted(folder.iterdir())


def this_machine() -> str:
    try:
        return _MACHINE.read_text("ascii").strip()
    except (OSError, ValueError):
        return os.uname().nodename


def _digest(address: str) -> str:
    return hashlib.sha256(by_id(address).strip().lower().encode()).hexdigest()[:24]


def _read(path: Path) -> SwitchedOn | None:
    """None where there is none, or none that this program wrote: it is there whole or not at all."""
    try:
        text = path.read_text("utf-8")
    except (OSError, UnicodeDecodeError):
        return None
    try:
        told = json.loads(text)
        told.pop("version", None)
        told |= {"whose": Whose(**told["whose"]), "off_answers": tuple(told["off_answers"])}
        return SwitchedOn(**told)
    except (ValueError, TypeError, KeyError):
        return None


__all__ = ["AddressHeld", "AddressLock", "SwitchedOn", "SwitchedOnLedger", "Whose", "by_id", "now_utc", "this_machine"]
