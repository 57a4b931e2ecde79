"""Instruments that speak SCPI, over VISA. Hardware and stand-ins are one and the same here."""

from __future__ import annotations

import contextlib
import math
import re
import time
from typing import TYPE_CHECKING, Protocol

import numpy as np

from ubrant.bench.lines import LineError, Transport, open_line
from ubrant.core.quantities.quantity import plain_number
from ubrant.core.quantities.readings import Array

if TYPE_CHECKING:
    from collections.abc import Iterator

    from ubrant.bench.guardian import LineGuard
    from ubrant.bench.profile import Profile

ANSWERS_S = 3.0
"""How long an answer may take, where a profile does not say otherwise."""
_SHORT, _LONG = 4096, 64 << 20
"""Bytes that an answer may have: a reading, and a whole trace."""
_MOST_STRAY = 20
_COMMAS = 3
"""In the answer to ``*IDN?`` (IEEE 488.2): maker, model, serial number, firmware."""
_POURS_S, _QUIET_S = 0.05, 0.15
"""How long something may send unasked before that is called pouring; how long a silence has to be to count as one."""
_LISTENS_S = 0.02
"""How long one that cannot say who it is is listened to behind its answer: nothing else would tell a stray line."""


class InstrumentError(Exception):
    """An instrument did not answer, or answered what cannot be; says which and what to do."""


class Missed(InstrumentError):
    """No answer by its deadline."""


class WrongInstrument(InstrumentError):
    """Something else answers where an instrument was: there is no waiting for this to get better."""


class Connection(Protocol):
    """A line to an instrument, used by one thread; ``cut_in`` by any."""

    @property
    def switches(self) -> bool:
        """Whether something is switched over it: then it is switched off first whenever the line is opened again."""

    def tell(self, command: str) -> None: ...

    def ask(self, command: str, *, long: bool = False) -> str:
        """The answer to a question; ``long`` for a whole trace."""

    def make_sure(self) -> None:
        """Have the next answer prove that it belongs to its question."""

    def cut_in(self, command: str) -> None:
        """Send at once, whatever is being waited for; nothing where that cannot be."""

    def reopen(self) -> None:
        """Close the line and open it again, so that nothing late is taken for an answer."""

    def within(self, seconds: float) -> contextlib.AbstractContextManager[None]:
        """While this holds, no answer is waited for longer."""

    def close(self) -> None: ...


class ScpiConnection:
    """Commands and answers, a line each, at an address such as ``TCPIP0::127.0.0.1::5025::SOCKET`` or ``ASRL/dev/ttyUSB0::INSTR``.

    Every exchange has a deadline and a limit, whatever arrives. An answer belongs to its question: what came unasked is thrown away first, and
    where more or less came than was asked for the instrument is asked who it is, before and behind the question, until the order is certain.
    What answers to ``*IDN?`` when it is opened must still answer when it is opened again. ``off_first``: at the first opening as well, something
    may still be on. ``guard``: who switches off over this line when the program cannot.

    Raises
    ------
    InstrumentError
        Nothing answers at the address.
    """

    def __init__(
        self,
        name: str,
        address: str,
        timeout_s: float = ANSWERS_S,
        profile: Profile | None = None,
        *,
        off_first: bool = False,
        guard: LineGuard | None = None,
    ) -> None:
        self._name, self._address, self._profile, self._guard = name, address, profile, guard
        self._timeout_s = profile.answers_within_s if profile is not None and profile.answers_within_s else timeout_s
        self._line: Transport | None = None
        self._identity: str | None = None
        self._pending = b""
        self._in_doubt = False
        self._lengths: dict[str, int] = {}
        self._open(off_first=off_first)

    @property
    def switches(self) -> bool:
        return bool(self._command("off"))

    def tell(self, command: str) -> None:
        try:
            self._opened().send(command.encode() + b"\n", self._until())
        except LineError:
            self.close()
            raise InstrumentError(f"{self._name} took no command ({command}): check its cable.") from None

    def ask(self, command: str, *, long: bool = False) -> str:
        limit, until = (_LONG, self._until(10 * self._timeout_s)) if long else (_SHORT, self._until())
        try:
            if self._line is None and not self.switches:
                self._open()
            if self._stray() or self._in_doubt:
                return self._between_identities(command, limit, until)
            self._opened().send(command.encode() + b"\n", until)
            answer = self._answer(command, limit, until)
            if self._stray(0.0 if self._identity else _LISTENS_S) or self._is_short(command, answer):
                return self._between_identities(command, limit, self._until())
        except LineError:
            self.close()
            raise InstrumentError(f"{self._name} did not answer {command}: check its cable.") from None
        return answer

    def make_sure(self) -> None:
        self._in_doubt = True

    def cut_in(self, command: str) -> None:
        line = self._line
        if line is not None:
            with contextlib.suppress(LineError):
                line.cut_in(b"\n" + command.encode() + b"\n")  # ends what may be half sent

    def reopen(self) -> None:
        self.close()
        self._open(off_first=True)

    @contextlib.contextmanager
    def within(self, seconds: float) -> Iterator[None]:
        usual, self._timeout_s = self._timeout_s, min(seconds, self._timeout_s)
        try:
            yield
        finally:
            self._timeout_s = usual

    @property
    def identity(self) -> str:
        """What it answered when it was asked who it is; empty where it does not say."""
        return self._identity or ""

    def close(self) -> None:
        line, self._line, self._pending = self._line, None, b""
        if line is not None:
            if self._guard is not None:
                self._guard.dropped()
            line.close()

    def _open(self, *, off_first: bool = False) -> None:
        try:
            self._line = self._opened_line()
            if off_first and self.switches:
                self._line.send(b"\n" + self._command("off").encode() + b"\n", self._until())
        except LineError:
            self.close()
            raise InstrumentError(
                f"{self._name} does not answer at {self._address}: check that it is on and the address is right."
            ) from None
        self._in_doubt = False
        self._check_identity()
        if self._guard is not None and self._line is not None:
            self._guard.opened(self._line, self.identity)

    def _opened_line(self) -> Transport:
        baud = self._profile.baud if self._profile is not None else 9600
        if self._guard is None:
            return open_line(self._address, self._until(), baud)
        lock = self._guard.lock.descriptor
        return open_line(self._address, self._until(), baud, self._guard.alive, (lock,) if lock >= 0 else ())

    def _check_identity(self) -> None:
        if not self._command("identify"):
            return
        identity = self.ask(self._command("identify"))
        wanted = self._profile.identity if self._profile is not None else ""
        if self._identity not in (None, identity) and identity.count(",") < _COMMAS:
            self.close()
            raise InstrumentError(f"{self._name} answered “{identity[:40]}” when asked who it is: check its cable and its speed.")
        if (wanted and not re.search(wanted, identity)) or (self._identity is not None and identity != self._identity):
            self.close()
            raise WrongInstrument(
                f"At {self._address} “{identity[:60]}” answers instead of {self._name}: connect {self._name} there, or correct its address."
            )
        self._identity = identity

    def _between_identities(self, command: str, limit: int, until: float) -> str:
        """Ask again, who it is before and behind the question: only an answer between the two is its own."""
        self._in_doubt = True
        who, identity = self._command("identify"), self._identity
        if not who or identity is None:
            self._until_quiet()
            until = self._until()
            self._opened().send(command.encode() + b"\n", until)
            answer = self._answer(command, limit, until)
        else:
            self._opened().send(who.encode() + b"\n", until)
            for _ in range(_MOST_STRAY):
                if self._answer(who, _SHORT, until) == identity:
                    break
            self._opened().send(f"{command}\n".encode(), until)
            answer = self._answer(command, limit, until)
            self._opened().send(who.encode() + b"\n", until)
            if self._answer(who, _SHORT, until) != identity:
                raise InstrumentError(
                    f"{self._name} sends lines that nobody asked for: switch its printing off. What it sent was not taken."
                )
        if self._stray(0.0 if who else _LISTENS_S):
            raise InstrumentError(f"{self._name} sends more than it is asked for: switch its printing off. What it sent was not taken.")
        self._in_doubt = False
        return answer

    def _answer(self, command: str, limit: int, until: float) -> str:
        """One line, up to its end; empty ones are none."""
        self._pending = self._pending.lstrip()
        while b"\n" not in self._pending:
            if len(self._pending) > limit:
                self._fail(f"{self._name} sends without an end when it is asked {command}: look at how it ends its lines.")
            data = self._opened().receive(until)
            if not data:
                waited = f"in {self._timeout_s:g} s: it is slow, or set to another speed" if self._pending else "check its cable"
                self._fail(f"{self._name} did not answer {command}{' to the end ' if self._pending else ': '}{waited}.", Missed)
            self._pending = (self._pending + data).lstrip()
        line, self._pending = self._pending.split(b"\n", 1)
        return line.decode("utf-8", "replace").strip()

    def _fail(self, why: str, kind: type[InstrumentError] = InstrumentError) -> None:
        """The answer may still come, and would be taken for the next one's."""
        self._in_doubt, self._pending = True, b""
        if not self.switches:
            self.close()
        raise kind(why)

    def _stray(self, listens_s: float = 0.0) -> bool:
        """Throw away what came unasked, or comes within so many seconds; whether there was any."""
        stray, self._pending = bool(self._pending.strip()), b""
        if not stray and listens_s:
            stray = bool(self._opened().receive(self._until(listens_s)).strip())
        until = time.monotonic() + _POURS_S
        while data := self._opened().waiting():
            stray = stray or bool(data.strip())
            if time.monotonic() > until:
                self._in_doubt = True
                raise InstrumentError(f"{self._name} sends without being asked and without a stop: switch its printing off.")
        return stray

    def _is_short(self, command: str, answer: str) -> bool:
        """A number of under half the digits that it usually says to this: some of them may be missing."""
        if not re.fullmatch(r"[-+.\d]+", answer):
            return False
        usual = self._lengths.get(command, 0)
        self._lengths[command] = max(usual, len(answer))
        return 2 * len(answer) < usual

    def _until_quiet(self) -> None:
        """Nothing for a while: what was late has come."""
        until = self._until()
        while self._opened().receive(time.monotonic() + _QUIET_S):
            if time.monotonic() >= until:
                raise InstrumentError(f"{self._name} sends without being asked and without a stop: switch its printing off.")
        self._pending = b""

    def _opened(self) -> Transport:
        if self._line is None:
            raise LineError("closed")
        return self._line

    def _command(self, name: str) -> str:
        return self._profile.command(name) if self._profile is not None else ""

    def _until(self, seconds: float | None = None) -> float:
        return time.monotonic() + (self._timeout_s if seconds is None else seconds)


def ask_number(connection: Connection, name: str, command: str) -> float:
    """A finite number from an instrument.

    Raises
    ------
    InstrumentError
        The answer is not one.
    """
    return _number_in(connection.ask(command), name, command)


def ask_pair(connection: Connection, name: str, command: str) -> tuple[float, float]:
    """Two finite numbers from one question, with a semicolon between them (SCPI-99, compound messages).

    Raises
    ------
    InstrumentError
        The answer is not two numbers.
    """
    answer = connection.ask(command)
    first, _, second = answer.partition(";")
    value = _number_in(first, name, command)
    if not second or ";" in second:
        raise InstrumentError(
            f"{name} answered “{answer[:40]}” to {command}, which is not two readings: take volts_amps out of its profile."
        )
    return value, _number_in(second, name, command)


def _number_in(answer: str, name: str, command: str) -> float:
    value = plain_number(answer)
    if value is None:
        value = math.nan
    if math.isfinite(value) and abs(value) > 9e36:  # SCPI says 9.9E37 for "overload"
        raise InstrumentError(f"{name} says that it is over its range ({answer[:20]}): choose a larger range.")
    if not math.isfinite(value):
        raise InstrumentError(f"{name} answered “{answer[:40]}” to {command}, which is not a reading.")
    return value


def shipped_profile(kind: str) -> Profile:
    """The generic profile; what reads profiles is slow to import, and the window opens without."""
    from ubrant.bench.profile import shipped

    return shipped(kind)


class DcMeter:
    """Reads volts and amperes."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        self.name = name
        self.connection = connection
        self.profile = profile or shipped_profile("meter")

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


class VoltsAmps:
    """Volts and amperes of one moment, by one question: asked for the volts, the amperes come with them."""

    def __init__(self, meter: DcMeter) -> None:
        self._meter = meter
        self._amps: float | None = None

    def voltage_v(self) -> float:
        self._amps = None
        meter = self._meter
        volts, self._amps = ask_pair(meter.connection, meter.name, meter.profile.command("volts_amps"))
        return volts

    def current_a(self) -> float:
        """What came with the last volts, once; asked for anew after that."""
        amps, self._amps = self._amps, None
        return self._meter.current_a() if amps is None else amps


class Scope:
    """Records one trace of a voltage."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        self.name, self.connection, self.profile = name, connection, profile or shipped_profile("scope")

    def record(self) -> tuple[Array, Array]:
        """(seconds from its first sample, volts).

        Raises
        ------
        InstrumentError
            It answers something else.
        """
        step = ask_number(self.connection, self.name, self.profile.command("wave_step"))
        answer = self.connection.ask(self.profile.command("wave"), long=True)
        try:
            volts = np.array([float(part) for part in answer.split(",")])
        except ValueError:
            raise InstrumentError(f"{self.name} answered “{answer[:40]}”, which is no trace: look at its format of data (ASCII).") from None
        return np.asarray(np.arange(len(volts)) * step, dtype=float), volts
