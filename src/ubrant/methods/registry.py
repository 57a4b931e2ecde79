"""Which methods there are: every package in here that has a METHOD. Nothing else knows them by name."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

from ubrant import methods
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Setup
from ubrant.core.wording import say

if TYPE_CHECKING:
    from ubrant.core.quantities.readings import Array
    from ubrant.methods.enquiries import Answering
    from ubrant.methods.method import Method


class UnknownMethodError(ValueError):
    """A method that this version does not have."""


@dataclass
class MethodEntry:
    """A method before it is loaded.

    Attributes
    ----------
    key, title, rank : in files; for people; where it stands among the others
    suits : whether it can be tried on a unit
    body : ``package.module:Class``, loaded when it is first wanted
    formerly : keys it had in older logbooks
    checks_meters : where the meter is read whose correction it finds, and where its reference is; empty where it finds none
    begins : what a run is before anybody said what it is of
    ranks : its accounts hold candidates for choosing
    takes_anything : whatever was read, it says what follows: also where another method lacks something
    answers : which enquiries it answers, and with what
    """

    key: str
    title: str
    rank: int
    suits: Callable[[Unit], bool]
    body: str
    formerly: tuple[str, ...] = ()
    ranks: bool = False
    begins: bool = False
    takes_anything: bool = False
    answers: tuple[Answering, ...] = ()
    checks_meters: tuple[str, ...] = ()

    @cached_property
    def method(self) -> Method:
        module, _, name = self.body.partition(":")
        made: Method = getattr(importlib.import_module(module), name)()
        return made


def title_of(key: str) -> str:
    """A method's title in the person's language; its key where this version does not have it."""
    try:
        return say(entry_of(key).title)
    except UnknownMethodError:
        return key


_added: list[MethodEntry] = []
_found: list[MethodEntry] = []


def entries() -> list[MethodEntry]:
    """Every method, the usual one first."""
    if not _found:
        names = [module.name for module in pkgutil.iter_modules(methods.__path__) if module.ispkg]
        _found.extend(importlib.import_module(f"{methods.__name__}.{name}").METHOD for name in names)
        _found.sort(key=lambda e: e.rank)
    return [*_found, *_added]


def add(entry: MethodEntry) -> Callable[[], None]:
    """One more for now; returns what takes it out again."""
    _added.append(entry)
    return lambda: _added.remove(entry)


def entry_of(key: str) -> MethodEntry:
    """By its key, or one it had before.

    Raises
    ------
    UnknownMethodError
        There is none.
    """
    for entry in entries():
        if key == entry.key or key in entry.formerly:
            return entry
    known = ", ".join(e.key for e in entries())
    raise UnknownMethodError(say("“{key}” is no method that this Ubrant knows: it is one of {known}.", key=key, known=known))


def method_of(key: str) -> Method:
    """The method, loaded; see :func:`entry_of`."""
    return entry_of(key).method


def suiting(unit: Unit) -> list[MethodEntry]:
    """What can be tried on a unit, the usual one first; one whose form cannot be filled from its label is still among them."""
    return [e for e in entries() if e.suits(unit)]


def begun_with(fitting: Sequence[MethodEntry], unit: Unit) -> int:
    """The place of the one to begin with among those that suit: the first that its label says enough for.

    What empties it is only replaced by what empties it, too: else what is lacking is asked.
    """

    def can_be(entry: MethodEntry) -> bool:
        try:
            entry.method.form(Setup(unit))
        except ValueError:
            return False
        return True

    if not fitting or can_be(fitting[0]):
        return 0
    will_do = [k for k, e in enumerate(fitting) if e.method.empties or not fitting[0].method.empties]
    return next((k for k in will_do if can_be(fitting[k])), 0)


def unnamed() -> MethodEntry | None:
    """What a run is before anybody said what it is of."""
    return next((e for e in entries() if e.begins), None)


def of_anything() -> MethodEntry | None:
    """What says what follows from whatever was read."""
    return next((e for e in entries() if e.takes_anything), None)


def meter_check() -> MethodEntry | None:
    """What a meter is checked by."""
    return next((e for e in entries() if e.checks_meters), None)


def usual() -> MethodEntry:
    """What a log is taken for where nobody says."""
    return entries()[0]


def taken_for(unit: Unit | None, volts: Array) -> MethodEntry:
    """What a log of volts and amperes at one place is taken for, by whose it is: the first that suits it and reads such logs, or the usual one."""
    from ubrant.methods.method import ONE_PLACE

    if unit is None:
        return usual()
    fitting = [entry for entry in suiting(unit) if entry.method.log == ONE_PLACE]
    return next((entry for entry in fitting if entry.method.is_log_of(unit, volts)), usual())
