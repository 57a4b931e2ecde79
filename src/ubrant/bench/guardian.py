"""The program's end of the guardian: starts it, hands it every line that something is switched on by, and gives it signs of life."""

from __future__ import annotations

import contextlib
import json
import os
import select
import socket
import subprocess
import sys
import threading
import time
import weakref
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ubrant.bench import guardian_process
from ubrant.bench.lines import LineError, Transport, reach_of
from ubrant.bench.switched_on import AddressLock, SwitchedOn, SwitchedOnLedger, Whose, now_utc

SILENT_S = 15.0
"""So long without a sign of life from the engine, and the guardian switches off."""
_BEATS_EVERY_S = 0.25
_READY_S, _TAKES_S = 3.0, 1.0
_WRITES_DOWN_S = 5.0
_RESTARTS_EVERY_S = 1.0


@dataclass
class Instrument:
    """What is at the other end of a line that is guarded: how it is called, reached and switched off."""

    name: str
    kind: str
    address: str
    commands: dict[str, str]
    off_answers: tuple[str, ...]
    baud: int = 9600


class LineGuard:
    """One line's place with the guardian, and in the ledger of what was switched on."""

    def __init__(self, guardian: Guardian, instrument: Instrument, lock: AddressLock) -> None:
        self._guardian, self.instrument, self.lock = guardian, instrument, lock
        self.key = instrument.address
        self._line: Transport | None = None
        self._identity = ""
        self._is_on, self._amps, self._entry = False, 0.0, ""

    def alive(self) -> None:
        self._guardian.alive()

    def opened(self, line: Transport, identity: str) -> None:
        """The line stands: the guardian has a duplicate of it from now on."""
        self._line, self._identity = line, identity
        with contextlib.suppress(LineError):  # it has gone again, and that is noticed where it is used
            line.guard({**self._order(), "silent_s": self._guardian.silent_s})
        self._guardian.guard(self)

    def dropped(self) -> None:
        """The line is closed by its owner: nobody may keep it open."""
        self._line = None
        self._guardian.tell({"do": "drop", "key": self.key})

    def on(self, amps: float) -> None:
        """Written down and on the disk before anything is switched on; once in a run.

        Raises
        ------
        OSError
            It could not be written down.
        """
        if not self._entry:
            one = self.instrument
            self._entry = str(
                self._guardian.ledger.write(
                    SwitchedOn(
                        one.address,
                        one.name,
                        one.kind,
                        self._identity,
                        one.commands,
                        one.off_answers,
                        self._guardian.whose,
                        now_utc(),
                        baud=one.baud,
                    )
                )
            )
        self._now(is_on=True, amps=amps)

    def off(self) -> None:
        """Nothing is to flow, and it has confirmed that; the ledger still has it, since it may be switched on again."""
        self._now(is_on=False, amps=self._amps)

    def is_over(self) -> None:
        """Off, confirmed or by a person's word, at the end of all: it goes from the ledger."""
        self.off()
        if self._entry:
            self._guardian.ledger.remove(self.key)
        self._entry = ""

    def may_be_on(self) -> None:
        """After the end something flows again: it is in the ledger once more."""
        self.on(self._amps)

    def _now(self, *, is_on: bool, amps: float) -> None:
        self._is_on, self._amps = is_on, amps
        self._guardian.tell({"do": "is", "key": self.key, "on": is_on, "amps": amps, "entry": self._entry})
        if self._line is not None:
            with contextlib.suppress(LineError):
                self._line.guard({**self._order(), "silent_s": self._guardian.silent_s})

    def beat(self) -> None:
        """To a line whose own process watches for signs of life."""
        if self._line is not None:
            self._line.alive()

    def handed(self) -> tuple[dict[str, Any], list[int]]:
        """What the guardian is told of it, and the descriptors it is handed: line and lock."""
        descriptor = self._line.descriptor if self._line is not None else -1
        return {"do": "guard", **self._order()}, [d for d in (descriptor, self.lock.descriptor) if d >= 0] if descriptor >= 0 else []

    def _order(self) -> dict[str, Any]:
        one = self.instrument
        return {
            "key": self.key,
            "name": one.name,
            "reach": reach_of(one.address, one.baud),
            "identity": self._identity,
            "off_answers": list(one.off_answers),
            "is_on_now": self._is_on,
            "amps": self._amps,
            "entry": self._entry,
            **one.commands,
        }


@dataclass
class Guardian:
    """One for a bench. Used by the thread that owns the bench; ``news`` are what it told meanwhile.

    Attributes
    ----------
    silent_s : it switches off after so long without a sign of life
    said : sentences about itself, for whoever keeps the run's record; emptied there
    """

    ledger: SwitchedOnLedger
    whose: Whose = field(default_factory=Whose)
    silent_s: float = SILENT_S
    said: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._lines: dict[str, LineGuard] = {}
        self._child: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None
        self._told: dict[str, dict[str, Any]] = {}
        self._acknowledged: set[str] = set()
        self._beat_s, self._tried_s, self._looks_until_s = time.monotonic(), -1e9, -1e9
        self._lock = threading.RLock()
        _every_guardian.add(self)
        self._start()

    def __hash__(self) -> int:
        return id(self)

    def watch(self, instrument: Instrument, lock: AddressLock) -> LineGuard:
        """A place for a line that is about to be opened."""
        made = self._lines[instrument.address] = LineGuard(self, instrument, lock)
        return made

    @property
    def guards(self) -> bool:
        """Whether it is there."""
        return self._child is not None and self._child.poll() is None and self._control is not None

    @property
    def pid(self) -> int:
        return self._child.pid if self._child is not None else 0

    def alive(self) -> None:
        """A sign of life; also where it is noticed that the guardian is gone, and a new one is started."""
        now = time.monotonic()
        if now - self._beat_s < _BEATS_EVERY_S:
            return
        if now - self._beat_s > self.silent_s:
            self._looks_until_s = now + _WRITES_DOWN_S
        self._beat_s = now
        with self._lock:
            self._listen()
            if now < self._looks_until_s:  # a driver's own process has no other way to say that it switched off
                self._told |= {key: entry.outcome for key in self._lines if (entry := self.ledger.read(key)) is not None and entry.outcome}
            if not self.guards:
                self._start_again(now)
            self.tell({"do": "alive"})
            for line in self._lines.values():
                line.beat()

    def news(self) -> dict[str, dict[str, Any]]:
        """What it has switched off meanwhile, by address; each is told once."""
        if self._told:
            told, self._told = self._told, {}
            return told
        return {}

    def guard(self, line: LineGuard) -> None:
        order, descriptors = line.handed()
        if not descriptors:
            return
        with self._lock:
            self._acknowledged.discard(line.key)
            self.tell(order, descriptors)
            until = time.monotonic() + _TAKES_S
            while line.key not in self._acknowledged and self.guards and time.monotonic() < until:
                self._listen(0.05)

    def tell(self, order: dict[str, Any], descriptors: list[int] | None = None) -> None:
        with self._lock:
            if self._control is None:
                return
            try:
                socket.send_fds(self._control, [json.dumps(order).encode()], descriptors or [], socket.MSG_DONTWAIT)
            except BlockingIOError:  # it is stopped, or busy switching off: the next sign of life will do
                return
            except OSError:
                self._gone()

    def close(self) -> None:
        """Farewell: nothing is switched off behind it."""
        _every_guardian.discard(self)
        self.tell({"do": "farewell"})
        self._gone()
        child, self._child = self._child, None
        if child is not None:
            with contextlib.suppress(subprocess.TimeoutExpired):
                child.wait(2.0)
        for line in self._lines.values():
            line.lock.release()

    def let_go_after_fork(self) -> None:
        """In a child of this process: the guardian must see the end of the program and not of its children."""
        if self._control is not None:
            self._control.close()
        self._control = self._child = None
        self._lines = {}

    def _start(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        try:
            self._child = subprocess.Popen(
                [sys.executable, "-I", "-S", guardian_process.__file__, str(theirs.fileno()), str(self.silent_s)],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                pass_fds=(theirs.fileno(),),
                start_new_session=True,
                cwd="/",
            )
        except OSError:
            ours.close()
        else:
            self._control = ours
            if not select.select([ours], [], [], _READY_S)[0]:
                self._gone()
        finally:
            theirs.close()
        if not self.guards:
            self.said.append("Not guarded: the guardian did not start. If the program dies, only the load's own cut-off ends the run.")

    def _start_again(self, now: float) -> None:
        if now - self._tried_s < _RESTARTS_EVERY_S:
            return
        self._tried_s = now
        self._gone()
        self._start()
        if self.guards:
            self.said.append("Not guarded for a moment: the guardian had ended. A new one has taken its place.")
            for line in self._lines.values():
                self.guard(line)

    def _gone(self) -> None:
        control, self._control = self._control, None
        if control is not None:
            control.close()

    def _listen(self, wait_s: float = 0.0) -> None:
        while self._control is not None and select.select([self._control], [], [], wait_s)[0]:
            try:
                data = self._control.recv(65536)
            except OSError:
                data = b""
            if not data:
                self._gone()
                return
            told = json.loads(data)
            self._told |= told.get("switched off", {})
            if "guarded" in told:
                self._acknowledged.add(told["guarded"])
                return


def ends_with_the_program() -> str:
    """Why a guardian would be ended together with the program here; empty where it would not."""
    if Path("/.flatpak-info").exists():
        return "Ubrant runs in a Flatpak"
    if os.getpid() == 1:
        return "Ubrant is the first process of a container"
    return ""


_every_guardian: weakref.WeakSet[Guardian] = weakref.WeakSet()


def _forked() -> None:
    for guardian in list(_every_guardian):
        guardian.let_go_after_fork()


os.register_at_fork(after_in_child=_forked)
