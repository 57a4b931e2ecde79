"""What people write as TOML: tables whose values are all text, read and checked, refused with their place."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from ubrant.core.wording import say
from ubrant.logbook.logs.limits import check_file
from ubrant.logbook.logs.log_file import LogError


class WrittenPart(BaseModel):
    """A table as people write it; what it does not know it refuses."""

    model_config = ConfigDict(extra="forbid", strict=True)


_Whole = TypeVar("_Whole", bound=WrittenPart)
Refusal = Callable[[str], Exception]
"""Makes the error that is raised of its sentence."""


def read_toml(path: Path, no_text: str, refusal: Refusal) -> str:
    """The text of a file; ``no_text`` is said where it is none."""
    try:
        check_file(path)
        return path.read_text(encoding="utf-8")
    except OSError as error:
        raise refusal(say("{path} cannot be read: {why}.", path=path, why=(error.strerror or "").lower())) from None
    except LogError as error:
        raise refusal(str(error)) from None
    except UnicodeDecodeError:
        raise refusal(no_text) from None


def parse_toml(text: str, name: str, whole: type[_Whole], tables: Mapping[str, type[WrittenPart]], refusal: Refusal) -> _Whole:
    """A text as ``whole``; where there may be several of a table, one does without being a list.

    Parameters
    ----------
    name : how a refusal calls it
    tables : what each table of it is
    """
    try:
        told = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise refusal(say("{name}: {what}.", name=name, what=str(error))) from None
    for key in tables:
        if isinstance(told.get(key), dict) and isinstance(whole.model_fields[key].get_default(call_default_factory=True), list):
            told[key] = [told[key]]
    try:
        return whole.model_validate(told)
    except ValidationError as error:
        raise refusal(_invalid(error, name, whole, tables)) from None


def _invalid(error: ValidationError, name: str, whole: type[WrittenPart], tables: Mapping[str, type[WrittenPart]]) -> str:
    first = error.errors()[0]
    where = [str(part) for part in first["loc"] if not isinstance(part, int)]
    place = ", ".join(filter(None, (name, f"[{where[0]}]" if len(where) > 1 or first["type"] != "extra_forbidden" else "")))
    key = where[-1] if where else ""
    if first["type"] == "extra_forbidden":
        part = tables.get(where[0], whole) if len(where) > 1 else whole
        return say("{place}: “{key}” is not known here: there are {known}.", place=place, key=key, known=", ".join(part.model_fields))
    value = first.get("input")
    if isinstance(value, int | float) and not isinstance(value, bool):
        return say('{place}, {key}: {value} has no unit: write it in quotes with one, like "{value} W".', place=place, key=key, value=value)
    return say("{place}, {key}: this is not what belongs here.", place=place, key=key)


def toml_lines(part: WrittenPart, leave: tuple[str, ...] = ()) -> list[str]:
    """A line for each value that is not the usual one; tables that are named in ``leave`` are the caller's."""
    usual: Any = type(part)()
    values = part.model_dump(exclude=set(leave))
    return [f"{key} = {json.dumps(v, ensure_ascii=False)}" for key, v in values.items() if v != getattr(usual, key) and v is not None]
