"""The worlds: ``python -m ubrant.bench.standins`` reads scenarios from standard input, a line each, and prints each world's number and addresses as JSON."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import selectors
import signal
import socket
import struct
import sys
import time
import traceback
import tty

from ubrant.bench.lines import PRIVATE
from ubrant.bench.standins.converter_world import ConverterWorld, converter_from_json
from ubrant.bench.standins.scenario import from_json
from ubrant.bench.standins.scpi import (
    ScpiDevice,
    clock_device,
    converter_devices,
    load_device,
    meter_device,
    supply_device,
    thermometer_device,
)
from ubrant.bench.standins.world import World

_NEVER_CALLED_S = 30.0
_FORGOTTEN = 4
"""So many times its patience, and a world ends although its load is on: nobody is there any more who could see it."""
_SPOILT = {"garbage": b"\x02#!~?\n", "half": b"12.", "nan": b"NAN\n", "range": b"9.9E37\n"}


class _Client:
    """One connection. Spoils its answers while a fault holds."""

    def __init__(self, connection: socket.socket, name: str, device: ScpiDevice, world: World | ConverterWorld) -> None:
        self.connection, self.name, self.device, self.world = connection, name, device, world
        self.pending = b""
        self.held: bytes | None = None

    def serve(self) -> bool:
        """Read what has come and answer it; False once the other end has gone, or is to be gone."""
        try:
            data = self.connection.recv(65536)
        except OSError:
            return False
        if not data:
            return False
        *lines, self.pending = (self.pending + data).split(b"\n")
        for line in lines:
            answer = self.device.answer(line.decode("ascii", "replace"))
            if answer is None:
                continue
            if not self._send(line, answer.encode() + b"\n"):
                return False
        return True

    def _send(self, line: bytes, answer: bytes) -> bool:
        faults = self.world.faults
        if faults.holds(self.name, "close", "gone"):
            return False
        if line.strip().upper() == b"*IDN?" and faults.holds(self.name, "other"):
            answer = b"Somebody,another device,7,1\n"
        if kind := faults.holds(self.name, "silent", "late", *_SPOILT):
            if kind == "silent":
                return True
            if kind == "late":
                self.held, answer = answer, self.held or b""
            else:
                answer = _SPOILT[kind]
        elif self.held is not None:
            answer, self.held = self.held + answer, None
        try:
            self.connection.sendall(answer)
        except OSError:
            return False
        return True


def _devices(world: World | ConverterWorld) -> dict[str, ScpiDevice | None]:
    if isinstance(world, ConverterWorld):
        return {**converter_devices(world)}
    return {
        "clock": clock_device(world),
        "load": load_device(world),
        "meter": meter_device(world),
        "meter2": meter_device(world),
        "supply": supply_device(world),
        "thermometer": thermometer_device(world),
        "board": None,
    }


def _private_listener(name: str) -> tuple[socket.socket, str]:
    """A socket without a place in any folder: nothing of it is left behind, however this process ends."""
    listener = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    address = f"ubrant-{secrets.token_hex(8)}-{name}"
    listener.bind("\0" + address)
    listener.listen()
    listener.setblocking(False)
    return listener, PRIVATE + address


def _is_ours(connection: socket.socket) -> bool:
    """Whether the same user is at the other end."""
    _, user, _ = struct.unpack("3i", connection.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i")))
    return bool(user == os.getuid())


class Server:
    """Serves all sockets in one thread, so that the order of commands is the order of events."""

    def __init__(self, world: World | ConverterWorld) -> None:
        self.world = world
        self.selector = selectors.DefaultSelector()
        self.addresses: dict[str, str] = {}
        self.clients = 0
        self.had_clock = self.has_clock = False
        self.boards: list[socket.socket] = []
        self._printed_s = 0.0
        for name, device in _devices(world).items():
            listener, self.addresses[name] = _private_listener(name)
            self.selector.register(listener, selectors.EVENT_READ, (name, device))
        self._terminal = -1
        if world.scenario.board_every_s:
            self._terminal, theirs = os.openpty()
            tty.setraw(theirs)
            os.set_blocking(self._terminal, False)
            self.addresses["terminal"] = os.ttyname(theirs)

    def serve(self) -> None:
        """Until nobody is there any more. If the clock goes away the world runs on by itself, so that the load's own cut-off works."""
        last_called = last_ran = time.monotonic()
        scenario = self.world.scenario
        while True:
            alone = (self.had_clock or scenario.runs_free) and not self.has_clock
            for key, _ in self.selector.select(0.002 if alone and scenario.runs_free else 0.01 if alone else 0.5):
                self._attend(key)
            now = time.monotonic()
            if alone:
                self.world.advance_to(self.world.time_s + min(now - last_ran, 0.5) * scenario.free_speed + 1e-9)
                last_ran += int((now - last_ran) * scenario.free_speed / scenario.step_s) * scenario.step_s / scenario.free_speed
            else:
                last_ran = now
            self._print_lines()
            if self.clients:
                last_called = now
            patience = scenario.linger_s if self.had_clock else _NEVER_CALLED_S
            if now - last_called > patience * (_FORGOTTEN if self.world.load_is_on else 1):
                return

    def _print_lines(self) -> None:
        """What the board prints: milliseconds, volts, amperes."""
        every_s, world = self.world.scenario.board_every_s, self.world
        if not every_s or isinstance(world, ConverterWorld) or world.time_s < self._printed_s + every_s - 1e-9:
            return
        self._printed_s = world.time_s
        spoilt = world.faults.holds("board", "silent", "garbage", "half")
        if spoilt == "silent":
            return
        line = {"garbage": b"\xff\x00??\r\n", "half": b"12"}.get(
            spoilt, f"{1000 * world.time_s:.0f},{world.meter_voltage():.4f},{world.meter_current():.4f}\r\n".encode()
        )
        for board in list(self.boards):
            try:
                board.sendall(line)
            except OSError:
                self.boards.remove(board)
        if self._terminal >= 0:
            with contextlib.suppress(BlockingIOError):  # nobody reads there
                os.write(self._terminal, line)

    def _attend(self, key: selectors.SelectorKey) -> None:
        if isinstance(key.data, tuple):
            name, device = key.data
            connection, _ = key.fileobj.accept()  # type: ignore[union-attr]
            if not _is_ours(connection) or self.world.faults.holds(name, "gone"):
                connection.close()
                return
            if device is None:
                self.boards.append(connection)
                return
            is_clock = name == "clock"
            self.had_clock |= is_clock
            self.has_clock |= is_clock
            self.clients += 1
            self.selector.register(connection, selectors.EVENT_READ, _Client(connection, name, device, self.world))
        elif not key.data.serve():
            self.selector.unregister(key.fileobj)
            key.data.connection.close()
            self.clients -= 1
            if key.data.name == "clock":
                self.has_clock = False


def _world(told: str) -> None:
    """One world, from its scenario on until nobody is there any more."""
    data = json.loads(told)
    converter = data.get("world") == "converter"
    server = Server(ConverterWorld(converter_from_json(data)) if converter else World(from_json(told)))
    print(json.dumps({"pid": os.getpid(), "addresses": server.addresses}), flush=True)
    os.close(0)
    os.close(1)
    server.serve()


def main() -> None:
    """A world for each scenario that is read, forked from here; its libraries are there already. Ends with whoever writes them."""
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    for told in sys.stdin:
        if os.fork():
            continue
        os.setsid()
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        try:
            _world(told)
        except Exception:
            traceback.print_exc()
            with contextlib.suppress(OSError):
                os.write(1, b"{}\n")
            os._exit(1)
        os._exit(0)


if __name__ == "__main__":
    main()
