"""A stand-in for the VISA driver: a resource named ``USB0::host::port::INSTR`` is a socket there. It says nothing of how a real driver behaves on USB."""

from __future__ import annotations

import socket


class _Resource:
    def __init__(self, name: str, timeout_ms: float) -> None:
        _, host, port, _ = name.split("::")
        self._line = socket.create_connection((host, int(port)), 3.0)
        self._line.settimeout(timeout_ms / 1000)
        self._pending = b""

    def write_raw(self, data: bytes) -> None:
        self._line.sendall(data)

    def read_raw(self) -> bytes:
        while b"\n" not in self._pending:
            try:
                data = self._line.recv(65536)
            except TimeoutError:
                raise RuntimeError("VI_ERROR_TMO: timeout") from None
            if not data:
                raise RuntimeError("the instrument has gone")
            self._pending += data
        line, _, self._pending = self._pending.partition(b"\n")
        return line + b"\n"


class ResourceManager:
    def __init__(self, library: str = "") -> None:
        """There is one library."""

    def open_resource(self, name: str, timeout: float, read_termination: str) -> _Resource:
        return _Resource(name, timeout)
