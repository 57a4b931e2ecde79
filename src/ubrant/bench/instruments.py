"""Instruments that speak SCPI, over VISA. Hardware and stand-ins are one and the same here."""

from __future__ import annotations

import contextlib
import math
import re
import socket
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from ubrant.core.record.readings import Array

if TYPE_CHECKING:
    from ubrant.bench.profile import Profile


class InstrumentError(Exception):
    """An instrument did not answer, or answered what cannot be; says which and what to do."""


class WrongInstrument(InstrumentError):
    """Something else answers where an instrument was: there is no waiting for this to get better."""


class Connection(Protocol):
    """A line to an instrument."""

    def tell(self, command: str) -> None: ...

    def ask(self, command: str) -> str: ...

    def reopen(self) -> None:
        """Close the line and open it again, so that nothing late is taken for an answer."""

    def close(self) -> None: ...


class VisaConnection:
    """A VISA resource such as ``TCPIP0::127.0.0.1::5025::SOCKET`` or ``ASRL/dev/ttyUSB0::INSTR``.

    What answers to ``*IDN?`` when it is opened must still answer when it is opened again.

    Raises
    ------
    InstrumentError
        Nothing answers at the address.
    """

    def __init__(self, name: str, address: str, timeout_s: float = 3.0, profile: Profile | None = None) -> None:
        import pyvisa  # slow to import, and needed only with a bench

        self._name, self._address, self._timeout_s = name, address, timeout_s
        self._profile = profile
        self._failures: tuple[type[Exception], ...] = (pyvisa.errors.Error, OSError, ValueError)  # ValueError: a malformed address
        self._manager: Any = pyvisa.ResourceManager("@py")
        self._resource: Any = None
        self._identity: str | None = None
        self._stale = False
        self._open()

    def _open(self) -> None:
        try:
            self._resource = self._manager.open_resource(
                self._address, read_termination="\n", write_termination="\n", timeout=self._timeout_s * 1000
            )
        except self._failures:
            self._resource = None
            raise InstrumentError(
                f"{self._name} does not answer at {self._address}: check that it is on and the address is right."
            ) from None
        self._stale = False
        self._hurry()
        self._check_identity()

    def _hurry(self) -> None:
        """Send small commands at once: a command and a question right after it would else wait 40 ms for each other."""
        opened = self._resource.visalib.sessions.get(self._resource.session)
        line = getattr(opened, "interface", None)  # pyvisa-py knows the attribute for this, and cannot set it
        if isinstance(line, socket.socket):
            line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def _check_identity(self) -> None:
        if self._profile is None or not self._profile.command("identify"):
            return
        identity = self.ask(self._profile.command("identify"))
        wanted = self._profile.identity
        if (wanted and not re.search(wanted, identity)) or (self._identity is not None and identity != self._identity):
            self.close()
            raise WrongInstrument(
                f"At {self._address} “{identity[:60]}” answers instead of {self._name}: connect {self._name} there, or correct its address."
            )
        self._identity = identity

    def tell(self, command: str) -> None:
        self._ready()
        try:
            self._resource.write(command)
        except self._failures:
            self._stale = True
            raise InstrumentError(f"{self._name} took no command ({command}): check its cable.") from None

    def ask(self, command: str) -> str:
        self._ready()
        try:
            return str(self._resource.query(command)).strip()
        except self._failures:  # UnicodeDecodeError is a ValueError
            self._stale = True
            raise InstrumentError(f"{self._name} did not answer {command}: check its cable.") from None

    def _ready(self) -> None:
        """After a question without an answer the line is opened anew: the answer may still come, and would be taken for the next one's."""
        if self._resource is None or self._stale:
            self.reopen()

    def reopen(self) -> None:
        self.close()
        self._open()

    def close(self) -> None:
        if self._resource is not None:
            with contextlib.suppress(*self._failures):  # it may be gone already, which is what was wanted
                self._resource.close()
        self._resource = None


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
    if math.isfinite(value) and abs(value) > 9e36:  # SCPI says 9.9E37 for "overload"
        raise InstrumentError(f"{name} says that it is over its range ({answer[:20]}): choose a larger range.")
    if not math.isfinite(value):
        raise InstrumentError(f"{name} answered “{answer[:40]}” to {command}, which is not a reading.")
    return value


def _shipped(kind: str) -> Profile:
    """The generic profile; what reads profiles is slow to import, and the window opens without."""
    from ubrant.bench.profile import shipped

    return shipped(kind)


class DcMeter:
    """Reads volts and amperes."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        self.name = name
        self.connection = connection
        self.profile = profile or _shipped("meter")

    def voltage_v(self) -> float:
        return ask_number(self.connection, self.name, self.profile.command("voltage"))

    def current_a(self) -> float:
        return ask_number(self.connection, self.name, self.profile.command("current"))

    def temperature_c(self) -> float:
        return ask_number(self.connection, self.name, self.profile.command("temperature"))

    def power_w(self) -> float:
        return ask_number(self.connection, self.name, self.profile.command("power"))

    def frequency_hz(self) -> float:
        return ask_number(self.connection, self.name, self.profile.command("frequency"))


class Scope:
    """Records one trace of a voltage."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        self.name, self.connection, self.profile = name, connection, profile or _shipped("scope")

    def record(self) -> tuple[Array, Array]:
        """(seconds from its first sample, volts).

        Raises
        ------
        InstrumentError
            It answers something else.
        """
        step = ask_number(self.connection, self.name, self.profile.command("wave_step"))
        answer = self.connection.ask(self.profile.command("wave"))
        try:
            volts = np.array([float(part) for part in answer.split(",")])
        except ValueError:
            raise InstrumentError(f"{self.name} answered “{answer[:40]}”, which is no trace: look at its format of data (ASCII).") from None
        return np.asarray(np.arange(len(volts)) * step, dtype=float), volts


class _Switched:
    """Something that can be on or off, and says which."""

    name: str
    connection: Connection
    profile: Profile

    def on(self) -> None:
        self.connection.tell(self.profile.command("on"))
        if not self.is_on():
            raise InstrumentError(f"{self.name} did not switch on when told to.")

    def off(self) -> None:
        """Switch off and read it back.

        Raises
        ------
        InstrumentError
            It still says that it is on.
        """
        self.connection.tell(self.profile.command("off"))
        if self.is_on():
            raise InstrumentError(f"{self.name} did not switch off: switch it off by hand, now.")

    def is_on(self) -> bool:
        return self.connection.ask(self.profile.command("is_on")).strip().upper() in {"1", "ON"}

    def hold(self, what: str, wanted: float, setter: str, getter: str) -> None:
        """Set a value and read it back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told.
        """
        if not self.profile.command(setter):
            raise InstrumentError(f"{self.name} has no command for a {what} in its profile: add {setter} and {getter} there.")
        self.connection.tell(self.profile.command(setter, wanted))
        held = ask_number(self.connection, self.name, self.profile.command(getter))
        if abs(held - wanted) > 0.01 * abs(wanted) + 0.002:
            raise InstrumentError(
                f"{self.name} was told a {what} of {wanted:g} and holds {held:g}: it was not switched on. Set it at the {self.profile.kind} itself and look again."
            )


class ElectronicLoad(_Switched, DcMeter):
    """Draws a constant current, power or through a constant resistance, with a cut-off of its own."""

    by_hand = False

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        DcMeter.__init__(self, name, connection, profile or _shipped("load"))

    def prepare(self, amount: float, own_cutoff_v: float, mode: str = "current") -> None:
        """Set mode, amount and own cut-off and read amount and cut-off back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told; it is not switched on then.
        """
        if self.profile.command(f"mode_{mode}"):
            self.connection.tell(self.profile.command(f"mode_{mode}"))
        self.hold(mode, amount, f"set_{mode}", f"get_{mode}")
        self.hold("own cut-off", own_cutoff_v, "set_cutoff", "get_cutoff")

    def set_amount(self, amount: float, mode: str = "current") -> None:
        """Another amount while it is on, read back."""
        self.hold(mode, amount, f"set_{mode}", f"get_{mode}")


class Supply(_Switched, DcMeter):
    """A bench supply as a charger."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        DcMeter.__init__(self, name, connection, profile or _shipped("supply"))

    def prepare(self, current_a: float, limit_v: float) -> None:
        """Set current and voltage limit and read both back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told.
        """
        self.hold("voltage", limit_v, "set_voltage", "get_voltage")
        self.hold("current", current_a, "set_current", "get_current")


class HandLoad:
    """A load that a person switches: a real device, or one without a line. Nothing here can switch it off."""

    name = "The load"
    by_hand = True

    def prepare(self, amount: float, own_cutoff_v: float, mode: str = "current") -> None:
        """Nothing can be set from here."""

    def on(self) -> None:
        """The person was asked to."""

    def off(self) -> None:
        """The person was asked to."""

    def is_on(self) -> bool:
        return True

    def set_amount(self, amount: float, mode: str = "current") -> None:
        """The person was asked to."""
