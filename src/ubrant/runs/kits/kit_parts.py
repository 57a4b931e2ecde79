"""The pieces of an outlook as people write them in a TOML file: what each may hold, read and checked."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ubrant.core.outlook.kit import CONSTANT
from ubrant.core.wording import say
from ubrant.logbook.logs.limits import check_file
from ubrant.logbook.logs.log_file import LogError


class KitError(ValueError):
    """A kit that cannot be read; its text says where, and what to write."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class SourcePart(_Part):
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


class WayPart(_Part):
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


class LoadPart(_Part):
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


class InputPart(_Part):
    """What comes in: ``when`` its hours, ``shape`` constant or sun; ``limit`` a circuit (``15 A 120 V``) or watts; ``starts_at`` what is left when it is started; ``log`` a recorded day as CSV."""

    name: str = ""
    power: str = ""
    when: str = ""
    shape: str = CONSTANT
    limit: str = ""
    log: str = ""
    starts_at: str = ""
    until: str = ""


class DayPart(_Part):
    """When it is switched on."""

    starts: str = ""


class JobPart(_Part):
    """What one job, or one charge, takes."""

    name: str = "charge"
    energy: str = ""
    way: str = ""


class KitPart(_Part):
    """The whole file."""

    name: str = ""
    logbook: str = ""
    source: list[SourcePart] = Field(default_factory=list)
    way: list[WayPart] = Field(default_factory=list)
    load: list[LoadPart] = Field(default_factory=list)
    input: list[InputPart] = Field(default_factory=list)
    day: DayPart = Field(default_factory=DayPart)
    job: JobPart | None = None


def read_kit(path: Path) -> KitPart:
    """A file as it stands.

    Raises
    ------
    KitError
        It cannot be read, is no TOML, or holds what nobody knows; says where.
    """
    try:
        check_file(path)
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise KitError(say("{path} cannot be read: {why}.", path=path, why=(error.strerror or "").lower())) from None
    except LogError as error:
        raise KitError(str(error)) from None
    except UnicodeDecodeError:
        raise KitError(say("{path} is no text: an outlook is a TOML file.", path=path)) from None
    return parse_kit(text, path.name)


def parse_kit(text: str, name: str = "outlook") -> KitPart:
    """As :func:`read_kit`, of the text itself."""
    try:
        told = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise KitError(say("{name}: {what}.", name=name, what=str(error))) from None
    for key in ("source", "way", "load", "input"):
        if isinstance(told.get(key), dict):
            told[key] = [told[key]]
    try:
        return KitPart.model_validate(told)
    except ValidationError as error:
        raise KitError(_invalid(error, name, told)) from None


def _invalid(error: ValidationError, name: str, told: Mapping[str, Any]) -> str:
    first = error.errors()[0]
    where = [str(part) for part in first["loc"] if not isinstance(part, int)]
    place = ", ".join(filter(None, (name, f"[{where[0]}]" if len(where) > 1 or first["type"] != "extra_forbidden" else "")))
    key = where[-1] if where else ""
    if first["type"] == "extra_forbidden":
        known: dict[str, type[_Part]] = {
            "source": SourcePart,
            "way": WayPart,
            "load": LoadPart,
            "input": InputPart,
            "day": DayPart,
            "job": JobPart,
        }
        part: type[_Part] = known.get(where[0], KitPart) if len(where) > 1 else KitPart
        return say("{place}: “{key}” is not known here: there are {known}.", place=place, key=key, known=", ".join(part.model_fields))
    value = first.get("input")
    if isinstance(value, int | float) and not isinstance(value, bool):
        return say('{place}, {key}: {value} has no unit: write it in quotes with one, like "{value} W".', place=place, key=key, value=value)
    return say("{place}, {key}: this is not what belongs here.", place=place, key=key)
