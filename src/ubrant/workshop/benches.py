"""The bench a run is made on: simulated, of instruments, or a person's hands; opened as it was chosen."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ubrant.bench.bench import Bench, Channel, channels_of
from ubrant.bench.clocks import RealClock
from ubrant.bench.command_log import CommandLog, Logged
from ubrant.bench.instruments import Connection, DcMeter, ElectronicLoad, HandLoad, InstrumentError, Scope, Supply, VisaConnection
from ubrant.bench.streams import Sample, Stream, board
from ubrant.core.line_pattern import LinePattern, PatternError
from ubrant.core.meter import Meter
from ubrant.core.protocols import Clock
from ubrant.logbook.logs.follow import FollowedLog
from ubrant.logbook.logs.log_file import LogError

if TYPE_CHECKING:
    from ubrant.bench.profile import Profile

_NO_LOAD = "There is no load with a connection on the shelf: add one (Meters), or make the test by hand."
SIMULATED, INSTRUMENTS, BY_HAND = "simulated bench", "bench", "typed"
"""What a run was made on, as the logbook names it."""
_QUANTITIES = {"V": "voltage", "A": "current", "°C": "temperature"}


@dataclass(frozen=True)
class BenchChoice:
    """What a person chose: kind, pace of a simulated one, and the instruments beside the battery's own meter."""

    kind: str = SIMULATED
    speed: float = math.inf
    load: Meter | None = None
    supply: Meter | None = None
    others: tuple[Meter, ...] = field(default=())
    scope: Meter | None = None


def bench_problems(choice: BenchChoice, meter: Meter) -> list[str]:
    """What is missing for a run on instruments, in sentences."""
    if choice.kind != INSTRUMENTS:
        return []
    said = []
    if meter.details.connection == "display":
        said.append(
            f"{meter.name} has no connection: it is read off by a person. Type the readings, or say on the shelf how it is connected."
        )
    from ubrant.bench.profile import profiles  # slow to import, and needed only with instruments

    known, troubles = profiles()
    for instrument in (meter, choice.load, choice.supply, *choice.others):
        if instrument is None or instrument.details.connection == "display":
            continue
        if not instrument.details.address:
            said.append(f"{instrument.name} has no address: say on the shelf where it is connected.")
        elif instrument.details.connection == "scpi" and instrument.details.profile and instrument.details.profile not in known:
            said.append(f"{instrument.name} has the profile “{instrument.details.profile}”, and there is none of that name.")
        elif instrument.details.connection == "lines":
            try:
                LinePattern(instrument.details.profile)
            except PatternError as error:
                said.append(f"{instrument.name}: {error}")
    return said + troubles


def placed(first: tuple[tuple[Meter, str], ...], others: tuple[Meter, ...]) -> list[tuple[Meter, str]]:
    """Every meter once, and the tap it is read at: a second one at a place is at ``battery 2``, a third at ``battery 3``."""
    found = list(first)
    for meter in others:
        if any(meter.name == other.name for other, _ in found):
            continue
        tap, taken = meter.details.tap, {t for _, t in found}
        number = next((n for n in range(2, len(found) + 2) if f"{tap} {n}" not in taken), 2)
        found.append((meter, f"{tap} {number}" if tap in taken else tap))
    return found


def instruments_as_json(choice: BenchChoice, first: tuple[tuple[Meter, str], ...]) -> dict[str, Any]:
    """What a run on instruments keeps of them: which one did what, and how good the ones beside are."""
    if choice.kind != INSTRUMENTS:
        return {}
    parts = {
        role: meter.name for role, meter in (("load", choice.load), ("supply", choice.supply), ("scope", choice.scope)) if meter is not None
    }
    beside = {
        tap: {
            "name": meter.name,
            "voltage_accuracy": meter.voltage_accuracy,
            "current_accuracy": meter.current_accuracy,
            "details": meter.details.to_json(),
        }
        for meter, tap in placed(first, choice.others)[len(first) :]
    }
    scope = {"scope_accuracy": choice.scope.voltage_accuracy} if choice.scope is not None and choice.scope.voltage_accuracy else {}
    return {"instruments": parts} | scope | ({"beside": beside} if beside else {})


def choice_kept(plan: Mapping[str, Any], meters: list[Meter]) -> BenchChoice:
    """The instruments of a run again, to go on with it: those of the same names on the shelf; for a run that did not keep them, the first of each kind."""
    kept, beside = plan.get("instruments"), {about["name"] for about in plan.get("beside", {}).values()}

    def found(role: str) -> Meter | None:
        fit = [m for m in meters if m.details.role == role and m.details.connection == "scpi"]
        return next((m for m in fit if kept is None or m.name == kept.get(role)), None)

    return BenchChoice(INSTRUMENTS, 1.0, found("load"), found("supply"), tuple(m for m in meters if m.name in beside), found("scope"))


def open_instruments(choice: BenchChoice, meter: Meter, from_s: float = 0.0, timeout_s: float = 3.0) -> Bench:
    """Connect to everything that was chosen. Nothing is looked for beside the addresses a person gave.

    Raises
    ------
    InstrumentError
        Something does not answer.
    """
    clock, log = RealClock(from_s), CommandLog()
    lines: list[Connection] = []
    streams: list[Stream] = []

    line = _liner(lines, log, timeout_s)
    try:
        channels: list[Channel] = []
        for instrument, tap in placed(((meter, "battery"),), choice.others):
            found = _channels(instrument, tap, clock, line, streams)
            channels += found if instrument is meter else _beside(found)
        load: ElectronicLoad | HandLoad = HandLoad()
        if choice.load is not None and choice.load.details.connection == "scpi":
            load = ElectronicLoad(choice.load.name, *line(choice.load))
            channels += channels_of(load, "load", choice.load.max_v, choice.load.max_a)
        supply = Supply(choice.supply.name, *line(choice.supply)) if choice.supply is not None else None
    except InstrumentError:
        for connection in lines:
            connection.close()
        raise
    return Bench(load, tuple(channels), clock, tuple(lines), lambda: None, log, supply, tuple(streams))


def _liner(lines: list[Connection], log: CommandLog, timeout_s: float) -> Callable[[Meter], tuple[Connection, Profile]]:
    """What opens the line to an instrument, logged and added to ``lines``."""

    def line(instrument: Meter) -> tuple[Connection, Profile]:
        profile = _profile(instrument)
        made = Logged(instrument.name, VisaConnection(instrument.name, instrument.details.address, timeout_s, profile), log)
        lines.append(made)
        return made, profile

    return line


def trial_bench_problems(
    choice: BenchChoice, meters: tuple[Meter, Meter], *, on_battery: bool, two_ends: bool = True, loaded: bool = True
) -> list[str]:
    """What is missing for a trial on instruments, in sentences. ``two_ends``: it is metered at both; ``loaded``: a load takes part."""
    if choice.kind != INSTRUMENTS:
        return []
    said = [text for meter in dict.fromkeys(meters) for text in bench_problems(choice, meter)]
    if two_ends and meters[0].name == meters[1].name:
        said.append(f"{meters[0].name} cannot be at both ends by itself: choose another one for the output, or make the test by hand.")
    if choice.load is None and loaded:
        said.append(_NO_LOAD)
    if choice.supply is None and not on_battery:
        said.append("There is no bench supply with a connection on the shelf: add one (Meters), or make the test by hand.")
    return list(dict.fromkeys(said))


def open_trial_instruments(
    choice: BenchChoice, meters: tuple[Meter, Meter], from_s: float = 0.0, timeout_s: float = 3.0, *, loaded: bool = True
) -> Bench:
    """Connect to supply, load, scope and the meters at input and output (one, where both are the same). ``loaded``: a load takes part.

    Raises
    ------
    InstrumentError
        Something does not answer.
    """
    clock, log = RealClock(from_s), CommandLog()
    lines: list[Connection] = []
    streams: list[Stream] = []

    line = _liner(lines, log, timeout_s)
    try:
        channels: list[Channel] = []
        ends = ((meters[0], "input"), (meters[1], "output"))
        for instrument, tap in placed(ends if meters[0].name != meters[1].name else ends[:1], choice.others):
            found = _channels(instrument, tap, clock, line, streams)
            channels += found if instrument in meters else _beside(found)
        if choice.load is None and loaded:
            raise InstrumentError(_NO_LOAD)
        load = ElectronicLoad(choice.load.name, *line(choice.load)) if choice.load is not None and loaded else HandLoad()
        supply = Supply(choice.supply.name, *line(choice.supply)) if choice.supply is not None else None
        if supply is not None and not any(c.tap == "source" for c in channels):
            channels += channels_of(supply, "source", quantities="V")
        scope = Scope(choice.scope.name, *line(choice.scope)) if choice.scope is not None else None
    except InstrumentError:
        for connection in lines:
            connection.close()
        raise
    return Bench(load, tuple(channels), clock, tuple(lines), lambda: None, log, supply, tuple(streams), scope.record if scope else None)


def _profile(instrument: Meter) -> Profile:
    from ubrant.bench.profile import profiles, shipped

    known, _ = profiles()
    return known.get(instrument.details.profile) or shipped(instrument.details.role)


def _channels(instrument: Meter, tap: str, clock: Clock, line, streams: list[Stream]) -> tuple[Channel, ...]:  # type: ignore[no-untyped-def]
    kind = instrument.details.connection
    if kind == "scpi":
        connection, profile = line(instrument)
        readable = (("V", "voltage"), ("A", "current"), ("T", "temperature"), ("W", "power"), ("F", "frequency"))
        wanted = "".join(q for q, name in readable if profile.command(name))
        if "T" in wanted and instrument.details.role == "meter" and "V" in wanted:
            wanted = wanted.replace("T", "")  # volts and amperes are what it is asked for; a thermometer has a profile of its own
        return channels_of(DcMeter(instrument.name, connection, profile), tap, instrument.max_v, instrument.max_a, wanted)
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


def _beside(channels: tuple[Channel, ...]) -> list[Channel]:
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
    try:
        connection = VisaConnection(instrument.name or "The instrument", instrument.details.address, timeout_s, profile)
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
