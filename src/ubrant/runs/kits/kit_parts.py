"""The pieces of an outlook as people write them in a TOML file: what each may hold, read and checked."""

from __future__ import annotations

from pathlib import Path

from pydantic import Field

from ubrant.core.outlook.kit import CONSTANT
from ubrant.core.wording import say
from ubrant.runs.kept.toml_parts import WrittenPart, parse_toml, read_toml


class KitError(ValueError):
    """A kit that cannot be read; its text says where, and what to write."""


class SourcePart(WrittenPart):
    """A source. ``energy`` is what comes out of it, ``label`` what is printed on it, ``capacity`` Ah with ``volts``; ``run`` its run in the logbook."""

    name: str = ""
    energy: str = ""
    label: str = ""
    label_low: str = ""
    label_high: str = ""
    capacity: str = ""
    volts: str = ""
    chemistry: str = ""
    resistance: str = ""
    cutoff: str = ""
    measured_at: str = ""
    run: int | None = None
    left_after: int | None = None
    usable: str = ""
    reserve: str = ""
    full: str = ""
    max: str = ""
    swap: str = ""
    stored: str = ""
    taper_from: str = ""
    plug: str = ""


class WayPart(WrittenPart):
    """A converter, an inverter, or leads alone."""

    name: str = ""
    efficiency: str = ""
    idle: str = ""
    cutoff: str = ""
    max: str = ""
    surge: str = ""
    leads: str = ""
    fuse: str = ""
    window: str = ""
    plug: str = ""
    switched: bool = False
    run: int | None = None


class LoadPart(WrittenPart):
    """A load: ``power`` in W or ``current`` in A; ``way`` its way's name, or ``straight``."""

    name: str = ""
    power: str = ""
    current: str = ""
    duty: str = ""
    follows: str = ""
    at: str = ""
    standby: str = ""
    start: str = ""
    gives_up: str = ""
    window: str = ""
    plug: str = ""
    way: str = ""
    guessed: bool = False
    run: int | None = None
    mode: str = ""


class InputPart(WrittenPart):
    """What comes in: ``when`` its hours, ``shape`` constant or sun; ``limit`` a circuit (``15 A 120 V``) or watts; ``starts_at`` what is left when it is started; ``log`` a recorded day as CSV."""

    name: str = ""
    power: str = ""
    when: str = ""
    shape: str = CONSTANT
    limit: str = ""
    log: str = ""
    starts_at: str = ""
    until: str = ""


class DayPart(WrittenPart):
    """When it is switched on."""

    starts: str = ""


class JobPart(WrittenPart):
    """What one job, or one charge, takes."""

    name: str = "charge"
    energy: str = ""
    way: str = ""


class KitPart(WrittenPart):
    """The whole file."""

    name: str = ""
    logbook: str = ""
    source: list[SourcePart] = Field(default_factory=list)
    way: list[WayPart] = Field(default_factory=list)
    load: list[LoadPart] = Field(default_factory=list)
    input: list[InputPart] = Field(default_factory=list)
    day: DayPart = Field(default_factory=DayPart)
    job: JobPart | None = None


_TABLES: dict[str, type[WrittenPart]] = {
    "source": SourcePart,
    "way": WayPart,
    "load": LoadPart,
    "input": InputPart,
    "day": DayPart,
    "job": JobPart,
}


def read_kit(path: Path) -> KitPart:
    """A file as it stands.

    Raises
    ------
    KitError
        It cannot be read, is no TOML, or holds what nobody knows; says where.
    """
    text = read_toml(path, say("{path} is no text: an outlook is a TOML file.", path=path), KitError)
    return parse_kit(text, path.name)


def parse_kit(text: str, name: str = "outlook") -> KitPart:
    """As :func:`read_kit`, of the text itself."""
    return parse_toml(text, name, KitPart, _TABLES, KitError)
