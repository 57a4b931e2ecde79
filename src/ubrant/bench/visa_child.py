"""A VISA driver in a process of its own: ``python -m ubrant.bench.visa_child ADDRESS`` is told what to send and when to read, over its pipes.

Orders are a letter, a length of four bytes and so many bytes: W writes, R reads, G says how to switch off what is at the other end (JSON), L is a sign
of life, F a farewell. Answers are a length and so many bytes. It is its own guardian: at the end of its input without a farewell, or without a sign
of life for too long, it switches off before anything else. No read waits longer than a turn, so that none is in the way of that.
"""

from __future__ import annotations

import contextlib
import json
import os
import select
import struct
import sys
import time
from typing import Any

from ubrant.bench.guardian_process import outcome_of, write_outcome

_FAILED = 0xFFFFFFFF
_TURN_MS = 500
_CONFIRMS_S = 1.5


class Driver:
    """Serves the orders that come by ``orders``, answers by ``answers``; ``resource`` is what the driver opened."""

    def __init__(self, resource: Any, orders: int, answers: int) -> None:
        self._resource, self._orders, self._answers = resource, orders, answers
        self._pending = b""
        self._how: dict[str, Any] = {}
        self._reads = False
        self._alive_s = time.monotonic()
        self._has_cut_off = False

    def serve(self) -> None:
        while True:
            while (order := self._next()) is not None:
                kind, data = order
                self._alive_s, self._has_cut_off = time.monotonic(), False
                if kind == b"F":
                    return
                self._obey(kind, data)
            if self._how.get("is_on_now") and not self._has_cut_off and time.monotonic() - self._alive_s > self._how["silent_s"]:
                self._has_cut_off = True
                self._switch_off(f"no sign of life for {self._how['silent_s']:g} s")
            if self._reads and (answer := self._turn()) is not None:
                self._reads = False
                self._answer(answer)
            if not select.select([self._orders], [], [], 0.0 if self._reads else _TURN_MS / 1000)[0]:
                continue
            data = os.read(self._orders, 65536)
            if not data:
                if self._how:
                    self._switch_off("the program ended")
                return
            self._pending += data

    def _next(self) -> tuple[bytes, bytes] | None:
        if len(self._pending) < 5:
            return None
        length = struct.unpack(">I", self._pending[1:5])[0]
        if len(self._pending) < 5 + length:
            return None
        order = self._pending[:1], self._pending[5 : 5 + length]
        self._pending = self._pending[5 + length :]
        return order

    def _obey(self, kind: bytes, data: bytes) -> None:
        if kind == b"G":
            self._how = json.loads(data)
        elif kind == b"R":
            self._reads = True
        elif kind == b"W":
            try:
                self._resource.write_raw(data)
            except Exception:
                self._answer(None)

    def _turn(self) -> bytes | None:
        """What came within one turn; None while nothing has. A failure is an answer, too."""
        try:
            return bytes(self._resource.read_raw())
        except Exception as error:
            if "VI_ERROR_TMO" in str(error) or "timeout" in str(error).lower():
                return None
            self._answer(None)
            self._reads = False
            return None

    def _answer(self, data: bytes | None) -> None:
        whole = struct.pack(">I", _FAILED if data is None else len(data)) + (data or b"")
        with contextlib.suppress(OSError):  # nobody is there any more to read it: the end of the input says so, too
            os.write(self._answers, whole)

    def _switch_off(self, because: str) -> None:
        sent, why = False, ""
        try:
            self._resource.write_raw(b"\n" + self._how["off"].encode() + b"\n")
            sent = True
            why = self._looks_off()
        except Exception as error:  # of the driver, whatever it is
            why = str(error) or type(error).__name__
        write_outcome(self._how.get("entry", ""), outcome_of("guardian", because, sent=sent, why_not=why))

    def _in_order(self) -> None:
        """What was still on its way to the program is read away, so that the next answer belongs to its question."""
        who, identity = self._how.get("identify"), self._how.get("identity")
        if not who or not identity:
            while self._turn() is not None:
                pass
            return
        self._resource.write_raw(who.encode() + b"\n")
        until = time.monotonic() + _CONFIRMS_S
        while time.monotonic() < until:
            if (answer := self._turn()) is not None and answer.decode("utf-8", "replace").strip() == identity:
                return
        raise TimeoutError("it does not say who it is any more")

    def _looks_off(self) -> str:
        self._in_order()
        answer = self._asked(self._how["is_on"])
        if answer.upper() not in self._how["off_answers"]:
            return f"it answers “{answer[:40]}” when it is asked whether it is on"
        amps = abs(float(self._asked(self._how["current"]))) if self._how.get("current") else 0.0
        return "" if amps <= 0.05 + 0.02 * self._how.get("amps", 0.0) else f"it says that it is off, and still shows {amps:g} A"

    def _asked(self, command: str) -> str:
        self._resource.write_raw(command.encode() + b"\n")
        until = time.monotonic() + _CONFIRMS_S
        while time.monotonic() < until:
            if (answer := self._turn()) is not None and answer.strip():
                return answer.decode("utf-8", "replace").strip()
        raise TimeoutError("it does not answer")


def main(address: str) -> None:
    import pyvisa  # slow to import, and needed only here

    answers = sys.stdout.fileno()
    try:
        resource = pyvisa.ResourceManager("@py").open_resource(address, timeout=_TURN_MS, read_termination="\n")
    except Exception:  # of the driver, of its libraries, of the address: what is open is not, whatever it is
        os.write(answers, struct.pack(">I", _FAILED))
        return
    os.write(answers, struct.pack(">I", 0))
    Driver(resource, sys.stdin.fileno(), answers).serve()


if __name__ == "__main__":
    main(sys.argv[1])
