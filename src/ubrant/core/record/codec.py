"""Dataclasses to JSON and back, by their own type hints. What has its usual value is left out, what is not known is passed over."""

from __future__ import annotations

import dataclasses
import types
import typing
from collections.abc import Mapping
from enum import Enum
from functools import cache
from typing import Any, TypeVar

from ubrant.core.wording import SentenceError

T = TypeVar("T")


class CodecError(SentenceError):
    """Data that does not fit the dataclass; says which field."""


def encode(value: Any) -> Any:
    """JSON of a dataclass, a tuple, a mapping or a plain value."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {f.name: encode(v) for f in dataclasses.fields(value) if (v := getattr(value, f.name)) != _usual(f)}
    if isinstance(value, Mapping):
        return {str(k): encode(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [encode(v) for v in value]
    return value


def decode(kind: type[T], data: Any) -> T:
    """The dataclass that was encoded.

    Raises
    ------
    CodecError
        A field is missing or of another type.
    """
    return typing.cast(T, _decode(kind, data, kind.__name__))


def _decode(kind: Any, data: Any, where: str) -> Any:
    origin = typing.get_origin(kind)
    if origin in (typing.Union, types.UnionType):
        return _decode_union(typing.get_args(kind), data, where)
    if dataclasses.is_dataclass(kind):
        return _decode_fields(kind, data, where)
    if origin is tuple:
        return _decode_tuple(typing.get_args(kind), data, where)
    if origin is not None and issubclass(origin, Mapping):
        _must(isinstance(data, dict), where)
        return {k: _decode(typing.get_args(kind)[1], v, f"{where}.{k}") for k, v in data.items()}
    if isinstance(kind, type) and issubclass(kind, Enum):
        _must(data in set(kind), where)
        return kind(data)
    if kind is float:
        _must(isinstance(data, int | float) and not isinstance(data, bool), where)
        return float(data)
    if kind in (int, str, bool):
        _must(isinstance(data, kind) and (kind is bool or not isinstance(data, bool)), where)
    return data


def _decode_union(kinds: tuple[Any, ...], data: Any, where: str) -> Any:
    if data is None and type(None) in kinds:
        return None
    return _decode(next(k for k in kinds if k is not type(None)), data, where)


def _decode_fields(kind: Any, data: Any, where: str) -> Any:
    _must(isinstance(data, dict), where)
    hints = _hints(kind)
    values = {
        f.name: _decode(hints[f.name], data[f.name], f"{where}.{f.name}") for f in dataclasses.fields(kind) if f.init and f.name in data
    }
    try:
        return kind(**values)
    except TypeError as error:
        raise CodecError(f"{where}: {error}") from None


def _decode_tuple(kinds: tuple[Any, ...], data: Any, where: str) -> tuple[Any, ...]:
    _must(isinstance(data, list | tuple), where)
    if len(kinds) == 2 and kinds[1] is Ellipsis:
        return tuple(_decode(kinds[0], v, where) for v in data)
    _must(len(data) == len(kinds), where)
    return tuple(_decode(k, v, where) for k, v in zip(kinds, data, strict=True))


def _must(fits: bool, where: str) -> None:
    if not fits:
        raise CodecError(f"{where} is not what it should be.")


@cache
def _hints(kind: Any) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _usual(field: dataclasses.Field[Any]) -> Any:
    if field.default_factory is not dataclasses.MISSING:
        return field.default_factory()
    return field.default
