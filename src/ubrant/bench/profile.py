"""A profile: which command does what on one kind of instrument."""

from __future__ import annotations

import re
import tomllib
from importlib import resources
from pathlib import Path
from typing import Literal

import platformdirs
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from ubrant.writing import write_whole

NEEDS = {
    "load": ("voltage", "current", "set_current", "get_current", "set_cutoff", "get_cutoff", "on", "off", "is_on"),
    "supply": ("set_voltage", "get_voltage", "set_current", "get_current", "on", "off", "is_on"),
    "meter": (),
    "scope": ("wave", "wave_step"),
}
_KNOWN = {
    "identify",
    "error",
    "voltage",
    "current",
    "volts_amps",
    "temperature",
    "power",
    "mode_current",
    "mode_power",
    "mode_resistance",
    "set_current",
    "get_current",
    "set_power",
    "get_power",
    "set_resistance",
    "get_resistance",
    "set_cutoff",
    "get_cutoff",
    "set_time_limit",
    "get_time_limit",
    "set_voltage",
    "get_voltage",
    "on",
    "off",
    "is_on",
    "frequency",
    "wave",
    "wave_step",
}


class ProfileError(ValueError):
    """A profile that cannot be used: which file, what in it, what to do."""


class Profile(BaseModel):
    """One profile. ``identity`` is a regular expression for the answer to ``identify``; empty for any.

    ``off_answers`` are what it says to ``is_on`` when it is off; whatever else it says counts as on. ``answers_within_s``: how long an answer may
    take, 0 for the usual 3 s; ``baud``: of a serial line.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    kind: Literal["load", "supply", "meter", "scope"]
    identity: str = ""
    off_answers: tuple[str, ...] = ("0", "+0", "0.0", "OFF")
    answers_within_s: float = Field(0.0, ge=0.0, le=120.0, allow_inf_nan=False)
    baud: int = Field(9600, ge=50, le=4_000_000)
    commands: dict[str, str]

    @field_validator("identity")
    @classmethod
    def _is_pattern(cls, text: str) -> str:
        try:
            re.compile(text)
        except re.error as error:
            raise ValueError(f"is no regular expression ({error})") from None
        return text

    @field_validator("off_answers")
    @classmethod
    def _in_capitals(cls, answers: tuple[str, ...]) -> tuple[str, ...]:
        if not all(a.strip() for a in answers) or not answers:
            raise ValueError("has to name at least one answer, and no empty one")
        return tuple(a.strip().upper() for a in answers)

    @field_validator("commands")
    @classmethod
    def _are_known(cls, commands: dict[str, str]) -> dict[str, str]:
        for name, command in commands.items():
            if name not in _KNOWN:
                raise ValueError(f"“{name}” is not a command Ubrant knows: it is one of {', '.join(sorted(_KNOWN))}")
            if name.startswith("set_") and "{value" not in command:
                raise ValueError(f"“{name}” has no {{value}} in it, where the number goes")
            try:
                command.format(value=1.0)
            except (KeyError, ValueError, IndexError):
                raise ValueError(f"“{name}”: “{command}” is not understood; {{value:.3f}} is the only thing to put in") from None
        return commands

    def command(self, name: str, value: float | None = None) -> str:
        """A command with its value put in; empty where this instrument has none."""
        text = self.commands.get(name, "")
        return text.format(value=value) if value is not None else text


def read_profile(text: str, name: str) -> Profile:
    """A profile from its TOML text.

    Raises
    ------
    ProfileError
        It is no TOML, or not a profile; the sentence names the place.
    """
    try:
        profile = Profile.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise ProfileError(f"{name}: this is no TOML ({error}). Correct it there.") from None
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        what = str(first["msg"]).removeprefix("Value error, ")
        raise ProfileError(f"{name}, {place}: {what[0].lower() + what[1:]}. Correct it there.") from None
    missing = [c for c in NEEDS[profile.kind] if not profile.commands.get(c)]
    if missing:
        raise ProfileError(f"{name}, commands: a {profile.kind} also needs {', '.join(missing)}. Add what your instrument calls it.")
    return profile


def shipped(kind: str) -> Profile:
    """The generic profile of a kind: ``load``, ``supply``, ``meter``, ``plug`` (a meter of AC power) or ``scope``."""
    file = {"load": "load", "supply": "supply", "meter": "multimeter", "plug": "plug_meter", "scope": "scope"}[kind]
    return read_profile(shipped_text(file), f"{file}.toml")


def shipped_text(file: str) -> str:
    return resources.files("ubrant.bench.profiles").joinpath(f"{file}.toml").read_text("utf-8")


def own_folder() -> Path:
    """Where a person's own profiles are kept."""
    return platformdirs.user_config_path("ubrant") / "instruments"


def profiles() -> tuple[dict[str, Profile], list[str]]:
    """Every profile by its name, a person's own in place of a shipped one of that name; and a sentence for each that cannot be used."""
    known = {p.name: p for p in map(shipped, ("load", "supply", "meter", "plug", "scope"))}
    troubles = []
    for path in sorted(own_folder().glob("*.toml")):
        try:
            profile = read_profile(path.read_text("utf-8"), path.name)
        except (ProfileError, OSError) as error:
            troubles.append(str(error))
        else:
            known[profile.name] = profile
    return known, troubles


def keep_own(text: str) -> Path:
    """Keep a profile among a person's own, under its name; returns where.

    Raises
    ------
    ProfileError
        It is not a profile, or cannot be written.
    """
    profile = read_profile(text, "The profile")
    path = own_folder() / (re.sub(r"[^\w-]+", "-", profile.name.lower()).strip("-") + ".toml")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, lambda beside: beside.write_text(text, "utf-8"))
    except OSError as error:
        raise ProfileError(f"{path} could not be written: {error.strerror or error}.") from None
    return path
