"""Bytes to and from an instrument: nothing here waits past its deadline, nothing grows past its limit, and off can be sent at any moment."""

from __future__ import annotations

import contextlib
import os
import re
import select
import socket
import struct
import subprocess
import sys
import threading
import time
from typing import Any, Protocol

CUT_IN_S = 0.3
"""How long a command that cuts in waits for one that is just being sent."""
PRIVATE = "unix:"
"""Before the name of a socket that only this user reaches."""
_CHUNK = 65536
_CHILD_STARTS_S = 10.0
_FAILED = 0xFFFFFFFF


class LineError(Exception):
    """The line is gone, or cannot be opened."""


class Line(Protocol):
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


class _Descriptor:
    """A socket or a serial port by its descriptor, which never blocks. Reading and writing do not wait for each other."""

    def __init__(self, thing: Any) -> None:
        self._thing, self._descriptor = thing, int(thing.fileno())
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
            return bool(poll.poll(max(0.0, 1000 * (until - time.monotonic()))))
        except (OSError, ValueError):
            raise LineError("closed") from None

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._thing.close()


class VisaLine:
    """What only a VISA driver can reach (USB, GPIB, VXI-11), driven by a child process that can be killed when the driver blocks."""

    def __init__(self, address: str) -> None:
        self._address, self._child = address, self._started(address)
        self._is_asked = False
        self._pending = b""

    @staticmethod
    def _started(address: str) -> subprocess.Popen[bytes]:
        child = subprocess.Popen(
            [sys.executable, "-m", "ubrant.bench.visa_child", address],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            bufsize=0,
            start_new_session=True,
        )
        assert child.stdin and child.stdout
        os.set_blocking(child.stdout.fileno(), False)
        os.set_blocking(child.stdin.fileno(), False)
        return child

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
        """The driver may be in the middle of a transfer: it is killed, and its owner opens the line again, off first."""
        self._child.kill()

    def _order(self, kind: bytes, data: bytes, until: float) -> None:
        assert self._child.stdin
        whole = kind + struct.pack(">I", len(data)) + data
        descriptor = self._child.stdin.fileno()
        while whole:
            if not select.select([], [descriptor], [], max(0.0, until - time.monotonic()))[1]:
                raise LineError("takes nothing")
            try:
                whole = whole[os.write(descriptor, whole) :]
            except BlockingIOError:
                continue
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
            if not select.select([descriptor], [], [], max(0.0, until - time.monotonic()))[0]:
                return None
            data = os.read(descriptor, _CHUNK)
            if not data:
                raise LineError("the driver has ended")
            self._pending += data

    def close(self) -> None:
        self._child.kill()
        self._child.wait()
        for pipe in (self._child.stdin, self._child.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()


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


def open_line(address: str, until: float, baud: int = 9600) -> Line:
    """The line to an address: ``TCPIP0::host::port::SOCKET``, ``socket://host:port``, ``ASRL/dev/ttyUSB0::INSTR``, ``unix:name`` (what this
    user's simulated bench listens on), or whatever else VISA knows.

    Raises
    ------
    LineError
        It cannot be opened.
    """
    if address.startswith(PRIVATE):
        return _Descriptor(private_connection(address, max(0.05, until - time.monotonic())))
    match = re.fullmatch(r"TCPIP\d*::([^:]+)::(\d+)::SOCKET|socket://([^:/]+):(\d+)/?", address.strip(), re.I)
    if match:
        host, port = match[1] or match[3], int(match[2] or match[4])
        try:
            connection = socket.create_connection((host, port), timeout=max(0.05, until - time.monotonic()))
            connection.setsockopt(
                socket.IPPROTO_TCP, socket.TCP_NODELAY, 1
            )  # a command and a question after it would wait 40 ms for each other
        except (OSError, OverflowError, UnicodeError) as error:
            raise LineError(str(error)) from None
        return _Descriptor(connection)
    if match := re.fullmatch(r"ASRL(/.+?)(::INSTR)?", address.strip(), re.I):
        import serial  # needed only with such a line

        try:
            return _Descriptor(serial.Serial(match[1], baudrate=baud, timeout=0))
        except (serial.SerialException, OSError, ValueError) as error:
            raise LineError(str(error)) from None
    line = VisaLine(address)
    line.opened(until)
    return line
