"""Instruments that misbehave, over real sockets: a meter, a load and a supply round one battery, each with what it does wrong once it is told to begin."""

from __future__ import annotations

import selectors
import socket
import struct
import threading
import time
from dataclasses import dataclass, field

VOLTS, AMPS = {"meter": "13.0001", "load": "12.9003", "supply": "12.8005"}, {"meter": "2.0002", "load": "2.0004", "supply": "2.0006"}


@dataclass
class Battery:
    """What is really on, and when it was told what."""

    load_is_on: bool = False
    supply_is_on: bool = False
    set_to: dict[str, str] = field(default_factory=dict)
    told: list[tuple[float, str, str]] = field(default_factory=list)
    """Moment, device, command: only what it obeys."""

    def amps(self, device: str) -> str:
        return AMPS[device] if self.load_is_on or self.supply_is_on else "0.0000"

    def off_s(self, device: str, since_s: float) -> float | None:
        """When it was first told to go off, from a moment on."""
        return next((t for t, who, what in self.told if who == device and what.endswith("OFF") and t >= since_s), None)


class Device(threading.Thread):
    """One instrument on a port of its own. ``wrong`` names what it does wrong from ``begin`` on; see :func:`_spoilt`."""

    def __init__(self, kind: str, battery: Battery, wrong: str = "") -> None:
        super().__init__(name=kind, daemon=True)
        self.kind, self.battery, self.wrong = kind, battery, wrong
        self.is_wrong = self.stopped = False
        self.held = b""
        self.queued: list[tuple[float, socket.socket, bytes]] = []
        self.errors = 0
        self.openings = 0
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.listener.setblocking(False)
        self.address = f"TCPIP0::127.0.0.1::{self.listener.getsockname()[1]}::SOCKET"
        self.selector = selectors.DefaultSelector()
        self.selector.register(self.listener, selectors.EVENT_READ, None)
        self.start()

    def begin(self) -> None:
        self.is_wrong = True

    def close(self) -> None:
        if self.stopped:
            return
        self.stopped = True
        self.join(5.0)
        for key in list(self.selector.get_map().values()):
            key.fileobj.close()  # type: ignore[union-attr]
        self.selector.close()

    def run(self) -> None:
        pending: dict[socket.socket, bytes] = {}
        while not self.stopped:
            for key, _ in self.selector.select(0.004):
                if key.fileobj is self.listener:
                    self._take(pending)
                else:
                    self._serve(key.fileobj, pending)  # type: ignore[arg-type]
            now = time.monotonic()
            due, self.queued = [q for q in self.queued if q[0] <= now], [q for q in self.queued if q[0] > now]
            for _, line, data in due:
                self._send(line, data)
            if self.is_wrong and (stream := _STREAMS.get(self.wrong)):
                for line in list(pending):
                    self._send(line, stream)

    def _take(self, pending: dict[socket.socket, bytes]) -> None:
        line, _ = self.listener.accept()
        self.openings += 1
        if self.is_wrong and self.wrong in {"is gone", "one line only"}:
            line.close()
            return
        line.setblocking(False)
        line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        pending[line] = b""
        self.selector.register(line, selectors.EVENT_READ)

    def _serve(self, line: socket.socket, pending: dict[socket.socket, bytes]) -> None:
        if self.is_wrong and self.wrong == "reads nothing":
            return
        try:
            data = line.recv(65536)
        except OSError:
            data = b""
        if not data:
            self._drop(line, pending)
            return
        *whole, pending[line] = (pending[line] + data).split(b"\n")
        for command in filter(None, (w.decode("ascii", "replace").strip() for w in whole)):
            if line not in pending:
                return
            answer = _answer(self, command) if not (self.is_wrong and self.wrong == "dead") else None
            if not self.is_wrong or not self.wrong:
                if answer is not None:
                    self._send(line, answer + b"\n")
                continue
            for wait_s, part in _spoilt(self, command, answer):
                if part is None:
                    if self.wrong == "resets the line":
                        line.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
                    self._drop(line, pending)
                    return
                self.queued.append((time.monotonic() + wait_s, line, part)) if wait_s else self._send(line, part)

    def _drop(self, line: socket.socket, pending: dict[socket.socket, bytes]) -> None:
        pending.pop(line, None)
        self.selector.unregister(line)
        line.close()

    @staticmethod
    def _send(line: socket.socket, data: bytes) -> None:
        try:
            while data:
                data = data[line.send(data) :]
        except OSError:  # it has gone, or does not read: what is left of this is lost, as it would be
            return


_STREAMS = {
    "streams without an end": b"13.0001\r",
    "streams digits": b"1" * 700,
    "streams lines": b"13.7777\n",
    "streams while it is silent": b"....",
}


def _answer(device: Device, command: str) -> bytes | None:
    """What it does and says when nothing is wrong, and what a stubborn one does."""
    battery, kind, wrong = device.battery, device.kind, device.wrong if device.is_wrong else ""
    head, _, value = command.partition(" ")
    if head in {"INP", "OUTP"}:
        if value == "OFF" and wrong in {"stays on and says so", "stays on and says 0"}:
            return None
        battery.told.append((time.monotonic(), kind, command))
        setattr(battery, "load_is_on" if head == "INP" else "supply_is_on", value == "ON")
        return None
    if head.startswith("SOUR:") and not head.endswith("?"):
        battery.set_to[head] = value
        return None
    is_on = battery.load_is_on if kind == "load" else battery.supply_is_on
    said = {
        "*IDN?": f"Made up,hostile {kind},1,1",
        "MEAS:VOLT?": VOLTS[kind],
        "MEAS:CURR?": battery.amps(kind),
        "SYST:ERR?": '0,"No error"',
        "INP?": str(int(is_on)),
        "OUTP?": str(int(is_on)),
    }
    return said.get(command, battery.set_to.get(head.rstrip("?"), "0")).encode()


def _spoilt(device: Device, command: str, answer: bytes | None) -> list[tuple[float, bytes | None]]:
    """(seconds to wait, bytes) that it sends instead of an answer; None for hanging up."""
    wrong = device.wrong
    is_state = command in {"INP?", "OUTP?"}
    match wrong:
        case "is gone" | "hangs up" | "resets the line" | "one line only":
            return [(0.0, None)]
        case "hangs up at off" if command.endswith("OFF"):
            return [(0.0, None)]
        case "echoes":
            return [(0.0, command.encode() + b"\n" + (answer + b"\n" if answer is not None else b""))]
    if answer is None:
        return []
    plain = [(0.0, answer + b"\n")]
    match wrong:
        case "silent" | "dead" | "streams while it is silent" | "streams without an end" | "streams digits":
            return []
        case "no end of line":
            return [(0.0, answer)]
        case "ends lines by CR":
            return [(0.0, answer + b"\r")]
        case "one byte a second":
            return [(0.4 * n, bytes([b])) for n, b in enumerate(answer + b"\n")]
        case "a hundred million bytes":
            return [(0.0, b"9" * 1_000_000)] * 100
        case "answers twice":
            return plain * 2
        case "one line too much, once":
            device.wrong = ""
            return [(0.0, b"7.7777\n" + answer + b"\n")]
        case "one answer late":
            late, device.held = device.held, answer + b"\n"
            return [(0.0, late)] if late else []
        case "answers too late":
            return [(0.25, answer + b"\n")]
        case "half, then the rest":
            return [(0.0, answer[:2]), (0.25, answer[2:] + b"\n")]
        case "half a line, once" if command.startswith("MEAS"):
            device.wrong = ""
            return [(0.0, answer[:2] + b"\n")]
        case "binary":
            return [(0.0, b"\x80\xff\x00\x02#!\n")]
        case "not a number":
            return [(0.0, b"NAN\n")] if command.startswith("MEAS") else plain
        case "overload":
            return [(0.0, b"9.9E37\n")] if command.startswith("MEAS") else plain
        case "with a unit":
            return [(0.0, answer + b" V\n")] if command.startswith("MEAS") else plain
        case "empty lines":
            return [(0.0, b"\n\n" + answer + b"\n")]
        case "carriage returns":
            return [(0.0, answer + b"\r\n")]
        case "another device":
            return [(0.0, b"Made up,something else,2,2\n")] if command == "*IDN?" else plain
        case "says 1.0":
            return [(0.0, b"1.0\n")] if is_state else plain
        case "says nonsense of its state":
            return [(0.0, b"READY\n")] if is_state else plain
        case "silent of its state":
            return [] if is_state else plain
        case "stays on and says 0":
            return [(0.0, b"0\n")] if is_state else plain
        case "reports an error":
            return [(0.0, b'-221,"Settings conflict"\n')] if command == "SYST:ERR?" else plain
        case "keeps no list of errors":
            return [] if command == "SYST:ERR?" else plain
        case "does not say who it is":
            return [] if command == "*IDN?" else plain
    return plain
