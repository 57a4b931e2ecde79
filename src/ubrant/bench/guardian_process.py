"""The guardian: switches off when the program dies, or gives no sign of life. A script of its own: ``python -I -S guardian_process.py SOCKET SILENT_S``.

It uses the standard library only and nothing of Ubrant, so that it is there within a few hundredths of a second and nothing of the program's can
hold it up. It is handed a duplicate of every open line that something can be switched on by. Orders come as JSON, a datagram each, over a
socket whose other end only the program holds; when that closes without a farewell, *off* goes over every line at once and is then confirmed.
What came of it is written into the file in which the program wrote down what it switched on.
"""

from __future__ import annotations

import contextlib
import json
import os
import select
import signal
import socket
import sys
import termios
import time
from datetime import datetime, timezone
from pathlib import Path
from typing import Any

_LOOKS_EVERY_S = 0.2
_SENDS_S, _OPENS_S, _ANSWERS_S, _QUIET_S = 0.5, 1.0, 1.2, 0.1
_FLOOR_A, _FLOOR_SHARE = 0.05, 0.02
_FALLS_S = (0.1, 0.3, 0.6)
_MOST = 65536


class Watched:
    """One line, and how to switch off what is at its other end."""

    def __init__(self, order: dict[str, Any], descriptors: list[int]) -> None:
        self.key, self.how = order["key"], order
        self.line = descriptors[0] if descriptors else -1
        self.lock = descriptors[1] if len(descriptors) > 1 else -1
        self.is_on = bool(order.get("is_on_now"))
        self.amps = float(order.get("amps", 0.0))

    def let_go(self, *, lock_too: bool) -> None:
        for name in ("line", "lock") if lock_too else ("line",):
            descriptor = getattr(self, name)
            if descriptor >= 0:
                with contextlib.suppress(OSError):
                    os.close(descriptor)
                setattr(self, name, -1)

    def send_off(self) -> bool:
        """Off on its way: over the line as it stands, over one opened anew where that does not go."""
        if self.line >= 0 and self._send(b"\n" + self.how["off"].encode() + b"\n"):
            return True
        return self._anew() and self._send(b"\n" + self.how["off"].encode() + b"\n")

    def confirmed(self) -> str:
        """Why it is not certain that it is off; empty once it says so and no current contradicts it."""
        why = self._looks_off()
        if why and self.line >= 0:
            self.let_go(lock_too=False)
        if why and self._anew() and self._send(b"\n" + self.how["off"].encode() + b"\n"):
            why = self._looks_off()
        return why

    def _looks_off(self) -> str:
        try:
            self._in_order()
            answer = self._asked(self.how["is_on"])
            if answer.strip().upper() not in self.how["off_answers"]:
                return f"it answers “{answer[:40]}” when it is asked whether it is on"
            if not self.how.get("current"):
                return ""
            for wait_s in (*_FALLS_S, 0.0):
                amps = abs(float(self._asked(self.how["current"])))
                if amps <= _FLOOR_A + _FLOOR_SHARE * self.amps:
                    return ""
                time.sleep(wait_s)
            return f"it says that it is off, and still shows {amps:g} A"
        except (OSError, ValueError) as error:
            return str(error) or "it does not answer"

    def _in_order(self) -> None:
        """What was still on its way to the program is read away, so that the next answer belongs to its question."""
        identity, who = self.how.get("identity"), self.how.get("identify")
        if identity and who:
            self._tell(who)
            until = time.monotonic() + _ANSWERS_S
            while self._read_line(until) != identity:
                pass
            return
        until = time.monotonic() + _ANSWERS_S
        while select.select([self.line], [], [], _QUIET_S)[0] and time.monotonic() < until:
            if not os.read(self.line, _MOST):
                raise OSError("it closed the line")

    def _asked(self, command: str) -> str:
        self._tell(command)
        return self._read_line(time.monotonic() + _ANSWERS_S)

    def _tell(self, command: str) -> None:
        if not self._send(command.encode() + b"\n"):
            raise OSError("it takes no command")

    def _read_line(self, until: float) -> str:
        pending = b""
        while True:
            left = until - time.monotonic()
            if left <= 0 or len(pending) > _MOST or not select.select([self.line], [], [], left)[0]:
                raise OSError("it does not answer")
            try:
                data = os.read(self.line, 1)  # byte by byte: what follows belongs to the next answer
            except BlockingIOError:
                continue
            if not data:
                raise OSError("it closed the line")
            if data == b"\n" and pending.strip():
                return pending.decode("utf-8", "replace").strip()
            pending += data

    def _send(self, data: bytes) -> bool:
        until = time.monotonic() + _SENDS_S
        while data:
            try:
                data = data[os.write(self.line, data) :]
            except BlockingIOError:
                left = until - time.monotonic()
                if left <= 0 or not select.select([], [self.line], [], left)[1]:
                    return False
            except OSError:
                return False
        return True

    def _anew(self) -> bool:
        """The line opened again, the old one closed first: some instruments take one connection only."""
        self.let_go(lock_too=False)
        reach = self.how["reach"]
        try:
            if reach["kind"] == "tcp":
                made = socket.create_connection((reach["host"], reach["tcp_port"]), _OPENS_S)
                self.line = made.detach()
            elif reach["kind"] == "unix":
                made = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
                made.settimeout(_OPENS_S)
                made.connect("\0" + reach["name"])
                self.line = made.detach()
            elif reach["kind"] == "serial":
                self.line = os.open(reach["path"], os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
                _as_raw_line(self.line, reach["baud"])
            else:
                return False
            os.set_blocking(self.line, False)
        except (OSError, termios.error, ValueError):
            self.let_go(lock_too=False)
            return False
        return True

    def write_down(self, outcome: dict[str, Any]) -> None:
        write_outcome(self.how["entry"], outcome)


def _as_raw_line(descriptor: int, baud: int) -> None:
    """Eight bits, no parity, nothing translated."""
    speed = getattr(termios, f"B{baud}")
    settings = termios.tcgetattr(descriptor)
    settings[0], settings[1], settings[3] = 0, 0, 0
    settings[2] = termios.CS8 | termios.CREAD | termios.CLOCAL
    settings[4] = settings[5] = speed
    termios.tcsetattr(descriptor, termios.TCSANOW, settings)


def write_outcome(entry: str, outcome: dict[str, Any]) -> None:
    """What came of switching off, into the file that says what was switched on; whole or not at all."""
    if not entry:
        return
    with contextlib.suppress(OSError, ValueError):
        told = json.loads(Path(entry).read_text("utf-8"))
        told["outcome"] = outcome
        beside = Path(f"{entry}.{os.getpid()}")
        with beside.open("w", encoding="utf-8") as file:
            json.dump(told, file, ensure_ascii=False)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(entry)


def outcome_of(by: str, because: str, *, sent: bool, why_not: str) -> dict[str, Any]:
    """``confirmed`` only where nothing speaks against it."""
    return {
        "by": by,
        "because": because,
        "at": datetime.now(timezone.utc).isoformat(timespec="seconds"),  # noqa: UP017  # the same on every Python this may be run by
        "boot_s": time.clock_gettime(time.CLOCK_BOOTTIME),
        "sent": sent,
        "confirmed": sent and not why_not,
        "says": why_not,
    }


class GuardianServer:
    """Serves one program until that says farewell, or is no more."""

    def __init__(self, control: socket.socket, silent_s: float) -> None:
        self._control, self._silent_s = control, silent_s
        self._watched: dict[str, Watched] = {}
        self._alive_s = time.monotonic()
        self._has_cut_off = False

    def serve(self) -> None:
        while True:
            if select.select([self._control], [], [], _LOOKS_EVERY_S)[0]:
                data, descriptors, _, _ = socket.recv_fds(self._control, _MOST, 8)
                if not data:
                    self._switch_off("the program ended")
                    return
                order = json.loads(data)
                if order["do"] == "farewell":
                    return
                self._obey(order, descriptors)
            elif self._is_silent():
                self._has_cut_off = True
                self._tell(self._switch_off(f"no sign of life for {self._silent_s:g} s"))

    def _is_silent(self) -> bool:
        is_on = any(one.is_on for one in self._watched.values())
        return is_on and not self._has_cut_off and time.monotonic() - self._alive_s > self._silent_s

    def _obey(self, order: dict[str, Any], descriptors: list[int]) -> None:
        self._alive_s, self._has_cut_off = time.monotonic(), False
        known = self._watched.get(order.get("key", ""))
        match order["do"]:
            case "guard":
                if known is not None:
                    known.let_go(lock_too=True)
                self._watched[order["key"]] = Watched(order, descriptors)
                self._tell({"guarded": order["key"]})
            case "drop" if known is not None:
                known.let_go(lock_too=False)
            case "is" if known is not None:
                known.is_on, known.amps, known.how["entry"] = order["on"], order["amps"], order["entry"]
            case "forget" if known is not None:
                known.let_go(lock_too=True)
                del self._watched[order["key"]]

    def _switch_off(self, because: str) -> dict[str, Any]:
        """Off to everything at once, then each is asked."""
        sent = {key: one.send_off() for key, one in self._watched.items()}
        told = {}
        for key, one in self._watched.items():
            why = one.confirmed() if sent[key] else one.confirmed() or "nothing could be sent"
            one.is_on = False
            told[key] = outcome_of("guardian", because, sent=sent[key], why_not=why)
            one.write_down(told[key])
        return {"switched off": told}

    def _tell(self, what: dict[str, Any]) -> None:
        with contextlib.suppress(OSError):
            self._control.send(json.dumps(what).encode(), socket.MSG_DONTWAIT)


def main(control: int, silent_s: float) -> None:
    for number in (signal.SIGINT, signal.SIGHUP, signal.SIGTERM):  # it goes when the program does, and not before
        signal.signal(number, signal.SIG_IGN)
    signal.signal(signal.SIGPIPE, signal.SIG_IGN)
    ours = socket.socket(fileno=control)
    ours.send(b'{"ready": true}')
    GuardianServer(ours, silent_s).serve()


if __name__ == "__main__":
    main(int(sys.argv[1]), float(sys.argv[2]))
