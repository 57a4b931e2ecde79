"""Bytes to and from an instrument: nothing here waits past its deadline, nothing grows past its limit, and off can be sent at any moment."""

from __future__ import annotations

import contextlib
import json
import os
import re
import select
import socket
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

CUT_IN_S = 0.3
"""How long a command that cuts in waits for one that is just being sent."""
PRIVATE = "unix:"
"""Before the name of a socket that only this user reaches."""
_CHUNK = 65536
_TURN_S = 0.5
"""Whoever waits for an answer gives a sign of life so often."""
_CHILD_STARTS_S, _CHILD_ENDS_S = 10.0, 2.0
_FAILED = 0xFFFFFFFF


class LineError(Exception):
    """The line is gone, or cannot be opened."""


class Transport(Protocol):
    """One owner's way to one instrument. ``until`` is a moment of ``time.monotonic``."""

    def send(self, data: bytes, until: float) -> None:
        """All of it, or ``LineError``."""

    def receive(self, until: float) -> bytes:
        """Some bytes; none once the moment has come."""

    def waiting(self) -> bytes:
        """What has come without being waited for."""

    def cut_in(self, data: bytes) -> None:
        """Send at once, from any thread, whatever the owner is waiting for; where that cannot be, end its waiting."""

    def close(self) -> None: ...

    @property
    def descriptor(self) -> int:
        """What a guardian can be handed a duplicate of; -1 for none."""

    def guard(self, how: dict[str, Any]) -> None:
        """Told how what is at the other end is switched off: for a line whose own process sees to it."""

    def alive(self) -> None:
        """The program still runs: for a line whose own process watches for that."""


def _no_beat() -> None:
    """Nobody wants a sign of life."""


class _Descriptor:
    """A socket or a serial port by its descriptor, which never blocks. Reading and writing do not wait for each other."""

    def __init__(self, thing: Any, beat: Callable[[], None]) -> None:
        self._thing, self._descriptor, self._beat = thing, int(thing.fileno()), beat
        self._writing = threading.Lock()
        os.set_blocking(self._descriptor, False)

    def send(self, data: bytes, until: float) -> None:
        if not self._writing.acquire(timeout=max(0.0, until - time.monotonic())):
            raise LineError("another command is being sent")
        try:
            while data:
                try:
                    data = data[os.write(self._descriptor, data) :]
                except BlockingIOError:
                    if not self._ready(select.POLLOUT, until):
                        raise LineError("takes nothing") from None
                except OSError as error:
                    raise LineError(str(error)) from None
        finally:
            self._writing.release()

    def receive(self, until: float) -> bytes:
        while self._ready(select.POLLIN, until):
            if data := self.waiting():
                return data
        return b""

    def waiting(self) -> bytes:
        try:
            data = os.read(self._descriptor, _CHUNK)
        except BlockingIOError:
            return b""
        except OSError as error:
            raise LineError(str(error)) from None
        if not data:
            raise LineError("closed at the other end")
        return data

    def cut_in(self, data: bytes) -> None:
        self.send(data, time.monotonic() + CUT_IN_S)

    def _ready(self, what: int, until: float) -> bool:
        poll = select.poll()
        try:
            poll.register(self._descriptor, what)
            while not poll.poll(1000 * min(_TURN_S, max(0.0, until - time.monotonic()))):
                self._beat()
                if time.monotonic() >= until:
                    return False
        except (OSError, ValueError):
            raise LineError("closed") from None
        return True

    def close(self) -> None:
        """Ended for whoever holds a duplicate, too: an instrument that takes one connection takes the next one then."""
        with contextlib.suppress(OSError):
            if isinstance(self._thing, socket.socket):
                self._thing.shutdown(socket.SHUT_RDWR)
        with contextlib.suppress(OSError):
            self._thing.close()

    @property
    def descriptor(self) -> int:
        return self._descriptor

    def guard(self, how: dict[str, Any]) -> None:
        """The guardian has a duplicate of this line."""

    def alive(self) -> None:
        """The guardian is told."""


class VisaLine:
    """What only a VISA driver can reach (USB, GPIB, VXI-11), driven by a child process that can be killed when the driver blocks.

    The child is its own guardian: it switches off what it drives once its input ends without a farewell, or gives no sign of life.
    """

    def __init__(self, address: str, beat: Callable[[], None] = _no_beat, hands_on: tuple[int, ...] = ()) -> None:
        self._beat = beat
        self._orders, theirs = socket.socketpair()  # no pipe: it can be ended from another thread while its owner waits
        self._orders.setblocking(False)
        self._child: subprocess.Popen[bytes] = subprocess.Popen(
            [sys.executable, "-m", "ubrant.bench.visa_child", address],
            stdin=theirs.fileno(),
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            bufsize=0,
            start_new_session=True,
            pass_fds=hands_on,
        )
        theirs.close()
        assert self._child.stdout
        os.set_blocking(self._child.stdout.fileno(), False)
        self._is_asked = self._is_guarded = False
        self._pending = b""

    def opened(self, until: float) -> None:
        """Wait until the driver has opened its resource.

        Raises
        ------
        LineError
            It could not.
        """
        if self._frame(max(until, time.monotonic() + _CHILD_STARTS_S)) is None:
            self.close()
            raise LineError("the driver does not answer")

    def send(self, data: bytes, until: float) -> None:
        self._order(b"W", data, until)

    def receive(self, until: float) -> bytes:
        if not self._is_asked:
            self._order(b"R", b"", until)
            self._is_asked = True
        frame = self._frame(until)
        if frame is None:
            return b""
        self._is_asked = False
        return frame

    def waiting(self) -> bytes:
        return self.receive(0.0) if self._is_asked else b""

    def cut_in(self, data: bytes) -> None:
        """The driver may be in the middle of a transfer: its input is ended, whereupon it switches off by itself; one that knows not how is killed,
        and its owner opens the line again, off first."""
        if not self._is_guarded:
            self._child.kill()
            return
        with contextlib.suppress(OSError):
            self._orders.shutdown(socket.SHUT_WR)

    @property
    def descriptor(self) -> int:
        return -1

    def guard(self, how: dict[str, Any]) -> None:
        self._order(b"G", json.dumps(how).encode(), time.monotonic() + CUT_IN_S)
        self._is_guarded = True

    def alive(self) -> None:
        if self._is_guarded:
            with contextlib.suppress(LineError):
                self._order(b"L", b"", time.monotonic())

    def _order(self, kind: bytes, data: bytes, until: float) -> None:
        whole = kind + struct.pack(">I", len(data)) + data
        while whole:
            try:
                whole = whole[self._orders.send(whole) :]
            except BlockingIOError:
                if not select.select([], [self._orders], [], max(0.0, until - time.monotonic()))[1]:
                    raise LineError("takes nothing") from None
            except OSError as error:
                raise LineError(str(error)) from None

    def _frame(self, until: float) -> bytes | None:
        """One answer of the child; None while it has not come."""
        assert self._child.stdout
        descriptor = self._child.stdout.fileno()
        while True:
            if len(self._pending) >= 4:
                length = struct.unpack(">I", self._pending[:4])[0]
                if length == _FAILED:
                    raise LineError("the driver reports a failure")
                if len(self._pending) >= 4 + length:
                    frame, self._pending = self._pending[4 : 4 + length], self._pending[4 + length :]
                    return frame
            while not select.select([descriptor], [], [], min(_TURN_S, max(0.0, until - time.monotonic())))[0]:
                self._beat()
                if time.monotonic() >= until:
                    return None
            data = os.read(descriptor, _CHUNK)
            if not data:
                raise LineError("the driver has ended")
            self._pending += data

    def close(self) -> None:
        """With a farewell, so that nothing is switched; one whose input was ended already is left the time to switch off."""
        with contextlib.suppress(LineError, OSError):
            self._order(b"F", b"", time.monotonic() + CUT_IN_S)
        try:
            self._child.wait(_CHILD_ENDS_S if self._is_guarded else 0.0)
        except subprocess.TimeoutExpired:
            self._child.kill()
            self._child.wait()
        self._orders.close()
        assert self._child.stdout
        with contextlib.suppress(OSError):
            self._child.stdout.close()


def private_connection(address: str, timeout_s: float) -> socket.socket:
    """To a socket without a place in any folder, at which only this user is served.

    Raises
    ------
    LineError
        Nobody listens there.
    """
    connection = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    connection.settimeout(timeout_s)
    try:
        connection.connect("\0" + address.removeprefix(PRIVATE))
    except (OSError, UnicodeError) as error:
        connection.close()
        raise LineError(str(error)) from None
    return connection


_TCP = re.compile(r"TCPIP\d*::([^:]+)::(\d+)::SOCKET|socket://([^:/]+):(\d+)/?", re.I)
_SERIAL = re.compile(r"ASRL(/.+?)(::INSTR)?", re.I)


def reach_of(address: str, baud: int = 9600) -> dict[str, Any]:
    """How an address is reached, for whoever opens it without this module: ``kind`` is tcp, unix, serial or visa."""
    if address.startswith(PRIVATE):
        return {"kind": "unix", "name": address.removeprefix(PRIVATE)}
    if match := _TCP.fullmatch(address.strip()):
        return {"kind": "tcp", "host": match[1] or match[3], "tcp_port": int(match[2] or match[4])}
    if match := _SERIAL.fullmatch(address.strip()):
        return {"kind": "serial", "path": match[1], "baud": baud}
    return {"kind": "visa"}


def open_line(
    address: str, until: float, baud: int = 9600, beat: Callable[[], None] = _no_beat, hands_on: tuple[int, ...] = ()
) -> Transport:
    """The line to an address: ``TCPIP0::host::port::SOCKET``, ``socket://host:port``, ``ASRL/dev/ttyUSB0::INSTR``, ``unix:name`` (what this
    user's simulated bench listens on), or whatever else VISA knows.

    Parameters
    ----------
    beat : called twice a second while an answer is waited for
    hands_on : descriptors that a driver's own process keeps open, a lock for one

    Raises
    ------
    LineError
        It cannot be opened.
    """
    reach = reach_of(address, baud)
    if reach["kind"] == "unix":
        return _Descriptor(private_connection(address, max(0.05, until - time.monotonic())), beat)
    if reach["kind"] == "tcp":
        try:
            connection = socket.create_connection((reach["host"], reach["tcp_port"]), timeout=max(0.05, until - time.monotonic()))
            connection.setsockopt(
                socket.IPPROTO_TCP, socket.TCP_NODELAY, 1
            )  # a command and a question after it would wait 40 ms for each other
        except (OSError, OverflowError, UnicodeError) as error:
            raise LineError(str(error)) from None
        return _Descriptor(connection, beat)
    if reach["kind"] == "serial":
        import serial  # needed only with such a line

        try:
            return _Descriptor(serial.Serial(reach["path"], baudrate=baud, timeout=0), beat)
        except (serial.SerialException, OSError, ValueError) as error:
            raise LineError(str(error)) from None
    line = VisaLine(address, beat, hands_on)
    line.opened(until)
    return line
