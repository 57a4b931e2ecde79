"""The bench a run is made on: simulated, of instruments, or a person's hands; opened as it was chosen."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ubrant.bench.bench import Bench, Channel, channels_of
from ubrant.bench.clocks import RealClock
from ubrant.bench.command_log import CommandLog, Logged
from ubrant.bench.guardian import SILENT_S, Guardian, Instrument, LineGuard, ends_with_the_program
from ubrant.bench.instruments import ANSWERS_S, Connection, DcMeter, InstrumentError, Scope, ScpiConnection
from ubrant.bench.streams import Sample, Stream, board
from ubrant.bench.switched import ElectronicLoad, LoadByPerson, Supply
from ubrant.bench.switched_on import AddressHeld, SwitchedOnLedger, Whose
from ubrant.core.equipment.line_pattern import LinePattern, PatternError
from ubrant.core.equipment.meter import Meter
from ubrant.core.protocols import Clock
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, SIMULATED, RunHeader, Setup
from ubrant.logbook.logs.follow import FollowedLog
from ubrant.logbook.logs.log_file import LogError
from ubrant.methods.method import LoadRating, Scene

if TYPE_CHECKING:
    from ubrant.bench.profile import Profile

_NO_LOAD = "There is no load with a connection on the shelf: add one (Meters), or make the test by hand."
SIMULATED_LOAD = LoadRating(max_a=60.0, max_v=80.0, max_w=1500.0)


@dataclass(frozen=True)
class BenchChoice:
    """What a person chose: the kind of bench, the pace of a simulated one, and the instruments besides the meters at the taps.

    ``others`` are only read along. ``unattended``: on the simulated bench nobody is asked anything. ``guardian_s``: after so long without a sign of
    life from the program its guardian switches off.
    """

    kind: str = SIMULATED
    speed: float = math.inf
    load: Meter | None = None
    supply: Meter | None = None
    others: tuple[Meter, ...] = field(default=())
    scope: Meter | None = None
    unattended: bool = False
    guardian_s: float = SILENT_S


def load_rating(choice: BenchChoice) -> LoadRating:
    """What the chosen load can take; of one that a person switches nobody knows."""
    if choice.kind == SIMULATED:
        return SIMULATED_LOAD
    load = choice.load
    return LoadRating((load.max_a if load else None) or math.inf, (load.max_v if load else None) or math.inf)


def by_person(choice: BenchChoice) -> bool:
    """A person switches the load."""
    return choice.kind == BY_HAND or (choice.kind == INSTRUMENTS and choice.load is None)


def bench_checks(choice: BenchChoice, scene: Scene, setup: Setup) -> list[str]:
    """What is missing for a run on instruments, in sentences."""
    if choice.kind != INSTRUMENTS:
        return []
    ends = [setup.meter(tap) for tap in scene.taps]
    said = [text for meter in _each_once(ends) for text in _meter_problems(choice, meter)]
    if len(scene.taps) > 1 and ends[0].is_same(ends[1]):
        said.append(f"{ends[0].name} cannot be at both ends by itself: choose another one for the output, or make the test by hand.")
    if choice.load is None and scene.load and not scene.battery and not scene.hand_load:
        said.append(_NO_LOAD)
    if choice.supply is None and scene.supply and not scene.battery:
        said.append("There is no bench supply with a connection on the shelf: add one (Meters), or make the test by hand.")
    return list(dict.fromkeys(said))


def _each_once(meters: Iterable[Meter]) -> list[Meter]:
    found: list[Meter] = []
    for meter in meters:
        if not any(meter.is_same(other) for other in found):
            found.append(meter)
    return found


def _meter_problems(choice: BenchChoice, meter: Meter) -> list[str]:
    """What is missing for one meter and for those that go with it."""
    sentences = []
    if meter.details.connection == "display":
        sentences.append(
            f"{meter.name} has no connection: it is read off by a person. Type the readings, or say on the shelf how it is connected."
        )
    from ubrant.bench.profile import profiles  # slow to import, and needed only with instruments

    known, troubles = profiles()
    for instrument in (meter, choice.load, choice.supply, *choice.others):
        if instrument is None or instrument.details.connection == "display":
            continue
        if not instrument.details.address:
            sentences.append(f"{instrument.name} has no address: say on the shelf where it is connected.")
        elif instrument.details.connection == "scpi" and instrument.details.profile and instrument.details.profile not in known:
            sentences.append(f"{instrument.name} has the profile “{instrument.details.profile}”, and there is none of that name.")
        elif instrument.details.connection == "lines":
            try:
                LinePattern(instrument.details.profile)
            except PatternError as error:
                sentences.append(f"{instrument.name}: {error}")
    return sentences + troubles


def placed(first: Mapping[str, Meter], others: tuple[Meter, ...]) -> dict[str, Meter]:
    """Every meter once, by the tap it is read at: a second one at a place is at ``battery 2``, a third at ``battery 3``."""
    meters = dict(first)
    for meter in others:
        if any(meter.is_same(other) for other in meters.values()):
            continue
        tap = meter.details.tap
        number = next(n for n in range(2, len(meters) + 3) if f"{tap} {n}" not in meters)
        meters[f"{tap} {number}" if tap in meters else tap] = meter
    return meters


def on_instruments(setup: Setup, choice: BenchChoice) -> Setup:
    """The setup with the meters that are read along, and the scope."""
    if choice.kind != INSTRUMENTS:
        return setup
    meters = placed(setup.meters, choice.others)
    if choice.scope is not None:
        meters["scope"] = choice.scope
    return replace(setup, meters=meters)


def roles_of(choice: BenchChoice) -> dict[str, str]:
    """The instrument that did each role, by what tells it from others."""
    if choice.kind != INSTRUMENTS:
        return {}
    parts = (("load", choice.load), ("supply", choice.supply), ("scope", choice.scope))
    return {role: meter.uid for role, meter in parts if meter is not None}


def choice_again(head: RunHeader, meters: list[Meter]) -> BenchChoice:
    """The instruments of a run again, to go on with it: the same ones on the shelf; for a run that did not keep them, the first of each kind."""
    kept, ends = head.origin.instruments, set(head.setup.meters)
    along = [
        meter
        for tap, meter in head.setup.meters.items()
        if tap.rpartition(" ")[0] in ends or tap not in {"battery", "input", "output", "scope"}
    ]

    def found(role: str) -> Meter | None:
        fit = [m for m in meters if m.details.role == role and m.details.connection == "scpi"]
        return next((m for m in fit if not kept or kept.get(role) in {m.uid, m.name}), None)

    others = tuple(m for m in meters if any(m.is_same(a) or (not a.id and m.name == a.name) for a in along))
    return BenchChoice(INSTRUMENTS, 1.0, found("load"), found("supply"), others, found("scope"))


def open_instruments(
    choice: BenchChoice,
    scene: Scene,
    setup: Setup,
    from_s: float = 0.0,
    timeout_s: float = ANSWERS_S,
    whose: Whose | None = None,
    ledger: SwitchedOnLedger | None = None,
) -> Bench:
    """Connect to everything that was chosen. Nothing is looked for beside the addresses a person gave.

    What can be switched on is guarded from then on (``bench/guardian.py``), and its address is this program's until the bench is closed.

    Parameters
    ----------
    whose : the run that it is for
    ledger : where what is switched on is written down; that of the user, when None

    Raises
    ------
    InstrumentError
        Something does not answer, is in use, or may still be on from before.
    """
    clock = RealClock(from_s)
    lines = _Lines(timeout_s, ledger or SwitchedOnLedger(), whose or Whose(), choice.guardian_s)
    streams: list[Stream] = []
    line = lines.line
    ends = {tap: setup.meters[tap] for tap in scene.taps if tap in setup.meters}
    try:
        channels: list[Channel] = []
        for tap, instrument in placed(ends, choice.others).items():
            found = _channels(instrument, tap, clock, line, streams)
            channels += found if tap in ends else _along(found)
        load: ElectronicLoad | LoadByPerson = LoadByPerson()
        if scene.load and choice.load is not None and choice.load.details.connection == "scpi":
            load = ElectronicLoad(choice.load.name, *line(choice.load))
            load.guard = lines.guards.get(choice.load.details.address)
            if scene.load_is_metered:
                channels += channels_of(load, "load", choice.load.max_v, choice.load.max_a)
        elif scene.load and not scene.battery and not scene.hand_load:
            raise InstrumentError(_NO_LOAD)
        supply = Supply(choice.supply.name, *line(choice.supply)) if choice.supply is not None else None
        if supply is not None and choice.supply is not None:
            supply.guard = lines.guards.get(choice.supply.details.address)
        if supply is not None and not scene.battery and not any(c.tap == "source" for c in channels):
            channels += channels_of(supply, "source", quantities="V")
        scope = Scope(choice.scope.name, *line(choice.scope)) if choice.scope is not None and not scene.battery else None
    except InstrumentError:
        lines.close()
        raise
    return Bench(
        load,
        tuple(channels),
        clock,
        tuple(lines.opened),
        lambda: None,
        lines.log,
        supply,
        tuple(streams),
        scope.record if scope else None,
        guardian=lines.guardian,
    )


class _Lines:
    """Opens the lines to instruments, each logged, those that switch something guarded."""

    def __init__(self, timeout_s: float, ledger: SwitchedOnLedger, whose: Whose, silent_s: float) -> None:
        self._timeout_s, self._ledger, self._whose, self._silent_s = timeout_s, ledger, whose, silent_s
        self.log = CommandLog()
        self.opened: list[Connection] = []
        self.guards: dict[str, LineGuard] = {}
        self.guardian: Guardian | None = None
        self._known: dict[str, tuple[Connection, Profile]] = {}

    def line(self, instrument: Meter) -> tuple[Connection, Profile]:
        address, profile = instrument.details.address, _profile(instrument)
        if address in self._known:
            return self._known[address]
        guard = self._guard(instrument, profile) if profile.command("off") else None
        connection = ScpiConnection(instrument.name, address, self._timeout_s, profile, off_first=True, guard=guard)
        made = Logged(instrument.name, connection, self.log)
        self.opened.append(made)
        if guard is not None:
            self.guards[address], self._known[address] = guard, (made, profile)
        return made, profile

    def _guard(self, instrument: Meter, profile: Profile) -> LineGuard:
        """Its place with the guardian, which is there before anything is switched on.

        Raises
        ------
        InstrumentError
            Another program has it, or nobody knows whether it is off.
        """
        address = instrument.details.address
        try:
            lock = self._ledger.lock(address, self._whose)
        except AddressHeld as error:
            raise InstrumentError(f"{instrument.name} at {address} is in use: {error}. End that run, or close that window first.") from None
        left = self._ledger.read(address)
        if left is not None and not left.is_off:
            lock.release()
            raise InstrumentError(
                f"{instrument.name} at {address} may still be on from {left.whose.text}: answer what is asked about it at the top of the window first."
            )
        if self.guardian is None:
            self.guardian = Guardian(self._ledger, self._whose, self._silent_s)
            if why := ends_with_the_program():
                self.guardian.said.append(f"{why}: the guardian would end with it. Set the load's own cut-off and time limit.")
        return self.guardian.watch(instrument_of(instrument, profile), lock)

    def close(self) -> None:
        for connection in self.opened:
            connection.close()
        if self.guardian is not None:
            self.guardian.close()


def instrument_of(instrument: Meter, profile: Profile) -> Instrument:
    """How it is switched off, for a guardian and for the next start."""
    commands = {name: profile.command(name) for name in ("off", "is_on", "current", "identify")}
    return Instrument(instrument.name, instrument.details.role, instrument.details.address, commands, profile.off_answers, profile.baud)


def _profile(instrument: Meter) -> Profile:
    from ubrant.bench.profile import profiles, shipped

    known, _ = profiles()
    return known.get(instrument.details.profile) or shipped(instrument.details.role)


def _channels(
    instrument: Meter, tap: str, clock: Clock, line: Callable[[Meter], tuple[Connection, Profile]], streams: list[Stream]
) -> tuple[Channel, ...]:
    kind = instrument.details.connection
    if kind == "scpi":
        connection, profile = line(instrument)
        readable = (("V", "voltage"), ("A", "current"), ("T", "temperature"), ("W", "power"), ("F", "frequency"))
        wanted = "".join(q for q, name in readable if profile.command(name))
        if "T" in wanted and instrument.details.role == "meter" and "V" in wanted:
            wanted = wanted.replace("T", "")  # volts and amperes are what it is asked for; a thermometer has a profile of its own
        amperes = instrument.accuracy("A")
        about = {"reversed": instrument.details.reversed, "zero_limit": amperes.zero if amperes is not None else 0.0}
        read = channels_of(DcMeter(instrument.name, connection, profile), tap, instrument.max_v, instrument.max_a, wanted)
        return tuple(replace(channel, **about) if channel.quantity == "A" else channel for channel in read)  # type: ignore[arg-type]
    if kind == "lines":
        stream = board(instrument.name, instrument.details.address, LinePattern(instrument.details.profile), tap, instrument.details.baud)
    elif kind == "file":
        stream = followed(instrument.name, Path(instrument.details.address), clock)
    else:
        return ()
    streams.append(stream)
    return tuple(
        Channel(tap, quantity, instrument.name, lambda q=quantity: stream.latest(tap, q, clock.now_s()), kept=False)  # type: ignore[misc]
        for quantity in ("V", "A")
    )


def _along(channels: tuple[Channel, ...]) -> list[Channel]:
    """Read along; all but a thermometer, by which a run may have to end."""
    return [replace(channel, beside=channel.quantity != "°C") for channel in channels]


def followed(name: str, path: Path, clock: Clock) -> Stream:
    """A stream of another program's growing log; its first new reading is taken for now, and its own time goes on from there."""
    import time

    log = FollowedLog(path)
    zero: list[float] = []

    def poll() -> list[Sample]:
        time.sleep(0.2)
        try:
            rows = log.more()
        except LogError as error:
            raise InstrumentError(str(error)) from None
        if rows and not zero:
            zero.append(clock.now_s() - rows[-1][3])
        return [(tap, quantity, value, moment + zero[0]) for tap, quantity, value, moment in rows if moment + zero[0] >= 0]

    return Stream(name, poll, patience_s=120.0)


def try_command(instrument: Meter, profile: Profile, command: str, timeout_s: float = 2.0) -> str:
    """One command to one instrument, for whoever sets a profile up: its answer, or what went wrong, in a sentence."""
    address = instrument.details.address
    try:
        SwitchedOnLedger().lock(address, Whose(), 0.0).release()
        connection = ScpiConnection(instrument.name or "The instrument", address, timeout_s, profile)
    except AddressHeld as error:
        return f"{address} is in use: {error}."
    except InstrumentError as error:
        return str(error)
    try:
        if command.rstrip().split(" ")[0].endswith("?"):
            return connection.ask(command)
        connection.tell(command)
        trouble = connection.ask(profile.command("error")) if profile.command("error") else ""
        return f"sent; it says: {trouble}" if trouble else "sent"
    except InstrumentError as error:
        return str(error)
    finally:
        connection.close()
