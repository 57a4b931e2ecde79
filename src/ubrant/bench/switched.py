"""What can be switched on and off: electronic loads and supplies; and the load that a person switches."""

from __future__ import annotations

import math
import re
import time
from typing import TYPE_CHECKING

from ubrant.bench.instruments import Connection, DcMeter, InstrumentError, ask_number, shipped_profile
from ubrant.core.quantities.quantity import show

if TYPE_CHECKING:
    from ubrant.bench.guardian import LineGuard
    from ubrant.bench.profile import Profile

_FLOOR_A, _FLOOR_SHARE = 0.05, 0.02
"""What a meter may show with nothing flowing: so much, or this share of what flowed."""
_FALLS_S = (0.05, 0.15, 0.3, 0.0)
"""How long its own meter is given to come down: waits between readings."""
_ERRORS = 20


class _Switched:
    """Something that can be on or off, and says which. Whatever it says that is not off counts as on."""

    name: str
    connection: Connection
    profile: Profile
    amps = 0.0
    barred = False
    guard: LineGuard | None = None

    def on(self) -> None:
        """Written down first, then switched on.

        Raises
        ------
        InstrumentError
            It could not be written down, or it did not switch on.
        """
        if self.barred:
            raise InstrumentError(f"{self.name} is not switched on any more: the run is being ended.")
        if self.guard is not None:
            try:
                self.guard.on(self.amps)
            except OSError as error:
                raise InstrumentError(
                    f"{self.name} was not switched on: that it is on could not be written down first ({error.strerror or error}). "
                    "Free some space in your home folder, and start again."
                ) from None
        self.connection.tell(self.profile.command("on"))
        if not self.is_on():
            raise InstrumentError(f"{self.name} did not switch on when told to.")

    def cut_off(self) -> None:
        """Off at once, from any thread, without waiting for anything; and not on again."""
        self.barred = True
        self.off_at_once()

    def off_at_once(self) -> None:
        """Off on its way, from any thread, without waiting for anything; that it is off is for ``off`` to say."""
        self.connection.cut_in(self.profile.command("off"))

    def off(self) -> None:
        """Switch off, and have it confirmed: by an answer that the profile lists, with no current that contradicts it and no error reported.

        Raises
        ------
        InstrumentError
            That it is off could not be confirmed; says why.
        """
        self._tell_off()
        if self._errors():  # of this command, or of an earlier one: the next answer tells
            self._tell_off()
            if error := self._errors():
                raise InstrumentError(f"{self.name} reports “{error[:60]}” when it is told to switch off.")
        answer = self.connection.ask(self.profile.command("is_on"))
        if answer.strip().upper() not in self.profile.off_answers:
            raise InstrumentError(f"{self.name} was told to switch off and answers “{answer[:40]}” when asked whether it is on.")
        for wait_s in _FALLS_S:
            if abs(amps := self._own_current()) <= _FLOOR_A + _FLOOR_SHARE * self.amps:
                if self.guard is not None:
                    self.guard.off()
                return
            time.sleep(wait_s)
        raise InstrumentError(f"{self.name} says that it is off, and still shows {show(amps)} A.")

    def _own_current(self) -> float:
        """What it says that flows; nothing where it does not say, since that contradicts nothing."""
        try:
            return ask_number(self.connection, self.name, self.profile.command("current")) if self.profile.command("current") else 0.0
        except InstrumentError:
            return 0.0

    def _tell_off(self) -> None:
        """On a line that has gone it is opened again, and off is the first that is sent."""
        try:
            self.connection.tell(self.profile.command("off"))
        except InstrumentError:
            self.connection.reopen()

    def _errors(self) -> str:
        """The first error in its list, which is emptied; none where it keeps no list."""
        command, first = self.profile.command("error"), ""
        if not command:
            return ""
        for _ in range(_ERRORS):
            try:
                answer = self.connection.ask(command)
            except InstrumentError:  # it has no such list: what it says of itself counts
                return first
            if not (match := re.match(r"\s*([+-]?\d+)", answer)) or int(match[1]) == 0:
                return first
            first = first or answer
        return first

    def is_over(self) -> None:
        """It is off at the end of all: confirmed, or a person looked."""
        if self.guard is not None:
            self.guard.is_over()

    def is_on(self) -> bool:
        return self.connection.ask(self.profile.command("is_on")).strip().upper() not in self.profile.off_answers

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
        DcMeter.__init__(self, name, connection, profile or shipped_profile("load"))

    def prepare(self, amount: float, own_cutoff_v: float, mode: str = "current") -> None:
        """Set mode, amount and own cut-off and read amount and cut-off back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told; it is not switched on then.
        """
        if self.profile.command(f"mode_{mode}"):
            self.connection.tell(self.profile.command(f"mode_{mode}"))
        self.set_amount(amount, mode)
        self.hold("own cut-off", own_cutoff_v, "set_cutoff", "get_cutoff")

    def limit_time(self, seconds: float) -> bool:
        """Its own time limit, set and read back; False where its profile knows none.

        Raises
        ------
        InstrumentError
            It holds another one than it was told.
        """
        if not self.profile.command("set_time_limit"):
            return False
        self.hold("time limit", float(math.ceil(seconds)), "set_time_limit", "get_time_limit")
        return True

    def set_amount(self, amount: float, mode: str = "current") -> None:
        """Another amount while it is on, read back."""
        self.hold(mode, amount, f"set_{mode}", f"get_{mode}")
        self.amps = amount if mode == "current" else 0.0


class Supply(_Switched, DcMeter):
    """A bench supply as a charger."""

    def __init__(self, name: str, connection: Connection, profile: Profile | None = None) -> None:
        DcMeter.__init__(self, name, connection, profile or shipped_profile("supply"))

    def prepare(self, current_a: float, limit_v: float) -> None:
        """Set current and voltage limit and read both back.

        Raises
        ------
        InstrumentError
            It holds something else than it was told.
        """
        self.hold("voltage", limit_v, "set_voltage", "get_voltage")
        self.hold("current", current_a, "set_current", "get_current")


class LoadByPerson:
    """A load that a person switches: a real device, or one without a line. Nothing here can switch it off."""

    name = "The load"
    by_hand = True
    guard: LineGuard | None = None

    def prepare(self, amount: float, own_cutoff_v: float, mode: str = "current") -> None:
        """Nothing can be set from here."""

    def on(self) -> None:
        """The person was asked to."""

    def cut_off(self) -> None:
        """Nothing can be switched from here."""

    def off_at_once(self) -> None:
        """Nothing can be switched from here."""

    def off(self) -> None:
        """The person was asked to."""

    def is_over(self) -> None:
        """Nothing was written down."""

    def limit_time(self, seconds: float) -> bool:
        """It knows none."""
        return False

    def is_on(self) -> bool:
        return True

    def set_amount(self, amount: float, mode: str = "current") -> None:
        """The person was asked to."""
