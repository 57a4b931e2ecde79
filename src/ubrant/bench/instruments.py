"""Instruments that speak SCPI, over VISA. Hardware and stand-ins are one and the same here."""

from __future__ import annotations

import contextlib
import math
from typing import Any, Protocol


class InstrumentError(Exception):
    """An instrument did not answer, or answered what cannot be; says which and what to do."""


class Connection(Protocol):
    """A line to an instrument."""

    def tell(self, command: str) -> None: ...

    def ask(self, command: str) -> str: ...

    def close(self) -> None: ...


class VisaConnection:
    """A VISA resource such as ``TCPIP0::127.0.0.1::5025::SOCKET``.

    Raises
    ------
    InstrumentError
        Nothing answers at the address.
    """

    def __init__(self, name: str, address: str, timeout_s: float = 3.0) -> None:
        import pyvisa  # slow to import, and needed only with a bench

        self._name = name
        self._failures: tuple[type[Exception], ...] = (pyvisa.errors.Error, OSError)
        try:
            self._resource: Any = pyvisa.ResourceManager("@py").open_resource(
                address, read_termination="\n", write_termination="\n", timeout=timeout_s * 1000
            )
        except self._failures:
            raise InstrumentError(f"{name} does not answer at {address}: check that it is on and the address is right.") from None

    def tell(self, command: str) -> None:
        try:
            self._resource.write(command)
        except self._failures:
            raise InstrumentError(f"{self._name} took no command ({command}): check its cable.") from None

    def ask(self, command: str) -> str:
        try:
            return str(self._resource.query(command)).strip()
        except self._failures:
            raise InstrumentError(f"{self._name} did not answer {command}: check its cable.") from None

    def close(self) -> None:
        with contextlib.suppress(*self._failures):  # it may be gone already, which is what was wanted
            self._resource.close()


def ask_number(connection: Connection, name: str, command: str) -> float:
    """A finite number from an instrument.

    Raises
    ------
    InstrumentError
        The answer is not one.
    """
    answer = connection.ask(command)
    try:
        value = float(answer)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or abs(value) > 9e36:  # SCPI says 9.9E37 for "overload"
        raise InstrumentError(f"{name} answered “{answer[:40]}” to {command}, which is not a reading.")
    return value


class DcMeter:
    """Reads volts and amperes."""

    def __init__(self, name: str, connection: Connection) -> None:
        self.name = name
        self._connection = connection

    def voltage_v(self) -> float:
        return ask_number(self._connection, self.name, "MEAS:VOLT?")

    def current_a(self) -> float:
        return ask_number(self._connection, self.name, "MEAS:CURR?")


class ElectronicLoad(DcMeter):
    """Draws a constant current, with a cut-off of its own."""

    def prepare(self, current_a: float, own_cutoff_v: float) -> None:
        """Set current and own cut-off and read both back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told; it is not switched on then.
        """
        self._connection.tell(f"SOUR:CURR {current_a:.4f}")
        self._connection.tell(f"SOUR:VOLT:LIM:LOW {own_cutoff_v:.4f}")
        for what, command, wanted in (
            ("current", "SOUR:CURR?", current_a),
            ("own cut-off", "SOUR:VOLT:LIM:LOW?", own_cutoff_v),
        ):
            held = ask_number(self._connection, self.name, command)
            if abs(held - wanted) > 0.01 * abs(wanted) + 0.002:
                raise InstrumentError(
                    f"{self.name} was told a {what} of {wanted:g} and holds {held:g}: it was not switched on. Set it at the load itself and look again."
                )

    def on(self) -> None:
        self._connection.tell("INP ON")
        if not self.is_on():
            raise InstrumentError(f"{self.name} did not switch on when told to.")

    def off(self) -> None:
        """Switch off and read it back.

        Raises
        ------
        InstrumentError
            It still says that it is on.
        """
        self._connection.tell("INP OFF")
        if self.is_on():
            raise InstrumentError(f"{self.name} did not switch off: switch it off by hand, now.")

    def is_on(self) -> bool:
        return self._connection.ask("INP?") in {"1", "ON"}
