"""Files on their way in: a row for each run they hold, whose it is, what it would say and what is lacking, until all are kept at once."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from ubrant import diagnostics
from ubrant.core.account import Account
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import WITH_CAPACITY, Unit, kind_by_label
from ubrant.core.in_short import in_short
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.label import LabelError, parse_label, usual_cutoff_v
from ubrant.core.quantities.quantity import QuantityError, show_duration
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import label_of
from ubrant.core.wording import SentenceError, say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.formats import FORMATS
from ubrant.logbook.logs.log_file import ColumnsError, LogError, LogFile
from ubrant.logbook.logs.read import PACKAGE
from ubrant.logbook.records import Run, StoredRun
from ubrant.methods.registry import entry_of, method_of, suiting, taken_for
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, logs_in, named_run, own_run, under_options, unit_for
from ubrant.runs.coming_in.whose import things_named, unit_named
from ubrant.runs.kept.accounts import account_of_stored

_SUFFIXES = frozenset((*(suffix for one in FORMATS for suffix in one.suffixes), ".jot"))
NOBODYS = 0
"""The owner of a run that is none of the shelf's."""
_MOST_TRIED = 200_000
"""Readings: a longer one is worked out when it is kept, and not beforehand."""


class NotAnsweredError(SentenceError):
    """What was said of logs is not understood, or does not say enough to keep them; one sentence."""


@dataclass(frozen=True)
class Answered:
    """What a person says of a log; empty where it is not known."""

    cutoff_v: float | None = None
    meter: Meter | None = None
    accuracies: tuple[str, str] = ("", "")
    temperature_c: float | None = None
    full: bool | None = None


@dataclass(frozen=True)
class Told:
    """What a run would say if it were kept now: its word and answer in short, its sentence, and what it asks."""

    short: str = ""
    sentence: str = ""
    word: str = ""
    is_trouble: bool = False
    asks_full: bool = False


@dataclass(eq=False)
class Arrival:
    """One run on its way in, or a file that cannot be read.

    Attributes
    ----------
    log : as it was read, to be answered for
    whole : what Ubrant exported, or a jot text that names its method: it says everything itself
    trouble : why it cannot be read; columns_can_be_said : a person could say which column is what, on the command line by ``flag``
    owner : a unit's id, NOBODYS, or the key of a new one (below 0)
    is_wanted : it is to be kept; is_here : the logbook has it already; same_as : the name of another that brings the same readings
    told : what it would say; None until it was worked out as the answers stand
    """

    path: Path
    log: LogFile | None = None
    whole: StoredRun | None = None
    trouble: str = ""
    columns_can_be_said: bool = False
    flag: str = ""
    said: Answered = Answered()
    owner: int = NOBODYS
    is_wanted: bool = True
    is_here: bool = False
    same_as: str = ""
    told: Told | None = None

    @property
    def name(self) -> str:
        if self.log is None:
            return self.path.name
        return f"{self.log.name}, {self.log.run_name}" if self.log.run_name else self.log.name

    @property
    def started(self) -> datetime | None:
        """When it began, where it says so."""
        if self.whole is not None:
            return datetime.fromisoformat(self.whole.run.started)
        if self.log is None:
            return None
        return datetime.fromisoformat(self.log.about["started"]) if self.log.about.get("started") else self.log.started

    def length(self) -> str:
        """Over how long, or what else it is of."""
        if self.log is None or self.log.entries or not len(self.log.time_s):
            return self.extent()
        return show_duration(float(self.log.time_s[-1] - self.log.time_s[0]))

    def extent(self) -> str:
        """How many readings over how long."""
        if self.whole is not None:
            count = sum(len(column) for column in self.whole.readings.values()) + len(self.whole.jots)
            return say("{count} readings", count=count)
        if self.log is None:
            return ""
        if self.log.entries:
            return say("{count} lines", count=len(self.log.entries))
        time = self.log.time_s
        if not len(time):
            return say("counters only")
        return say("{count} readings, {length}", count=len(time), length=show_duration(float(time[-1] - time[0])))


def files_of(paths: Iterable[Path]) -> list[Path]:
    """Files and Data Packages as they are; of any other folder the logs and packages in it and in the folders of it, by their names."""
    found: list[Path] = []
    for path in paths:
        is_folder = path.is_dir() and not (path / PACKAGE).is_file()
        found += (_in_folder(path) or [path]) if is_folder else [path]
    return found


def _in_folder(folder: Path) -> list[Path]:
    seen = sorted(one for one in folder.iterdir() if not one.name.startswith("."))
    return files_of(
        one for one in seen if one.suffix.lower() in _SUFFIXES or (one.is_dir() and ((one / PACKAGE).is_file() or _in_folder(one)))
    )


@dataclass
class FileReader:
    """Files read one after the other, in a thread beside the window, until somebody sets ``left``: then nothing was read."""

    paths: Sequence[Path]
    columns: Callable[[Path], str | None] = lambda _: None
    insists: bool = False
    done: int = 0
    left: bool = False

    def read(self) -> list[Arrival]:
        """All of them; what cannot be read is among them, with why."""
        found: list[Arrival] = []
        for path in self.paths:
            if self.left:
                return []
            found += arrivals_of(path, self.columns(path), insists=self.insists)
            self.done += 1
        return found


def arrivals_of(path: Path, columns: str | None = None, *, insists: bool = False) -> list[Arrival]:
    """The runs of one file: as it says itself, by ``columns`` that were said of it (``insists``) or of its like before, or else by its headings."""
    try:
        whole = own_run(path) or named_run(path)
        if whole is not None:
            return [Arrival(path, whole=whole)]
        return [Arrival(path, log) for log in (logs_in(path, columns) if insists else _logs(path, columns))]
    except ColumnsError as error:
        return [Arrival(path, trouble=error.sentence, columns_can_be_said=True, flag=error.flag)]
    except (SentenceError, OSError) as error:
        return [Arrival(path, trouble=str(error))]
    except Exception as error:  # one file that nobody foresaw does not take the others with it
        diagnostics.unexpected("reading a log", error)
        return [Arrival(path, trouble=say("{name} could not be read: {why}", name=path.name, why=str(error) or type(error).__name__))]


def _logs(path: Path, columns: str | None) -> list[LogFile]:
    if columns is not None:
        try:
            return logs_in(path, columns)
        except LogError:
            pass  # said of its like, but this one is another
    return logs_in(path)


class KeptBefore:
    """What a logbook has already: the same readings, from the same moment, or of the same file where a log does not say when."""

    def __init__(self, logbook: Logbook) -> None:
        self._logbook = logbook
        self._began: dict[str, dict[int, str]] = {}
        self._at: dict[str, list[int]] = {}
        for run_id, source, started in logbook.sources():
            minute = _minute(datetime.fromisoformat(started))
            self._began.setdefault(source, {})[run_id] = minute
            self._at.setdefault(minute, []).append(run_id)

    def has(self, row: Arrival) -> bool:
        source = row.log.name if row.log is not None else row.whole.run.source if row.whole is not None else ""
        kept, begun = self._began.get(source, {}), row.started
        if row.log is None or row.log.entries:
            return begun is not None and _minute(begun) in kept.values()
        log, alike = row.log, self._at.get(_minute(begun), []) if begun is not None else list(kept)
        return any(self._is_the_same(run_id, log) for run_id in alike)  # one that has grown since is another

    def _is_the_same(self, run_id: int, log: LogFile) -> bool:
        kept = self._logbook.kept(self._logbook.run(run_id)).readings.get(("battery", "V"))
        if kept is None or not np.array_equal(kept.value, log.voltage_v, equal_nan=True):
            return False
        return bool(np.allclose(np.diff(kept.time_s), np.diff(log.time_s), rtol=1e-6, atol=1e-3))


@dataclass
class Arrivals:
    """All that is on its way in, what is answered of it, and what became of it.

    Parameters
    ----------
    units, meters : of the shelf
    chosen : the unit that is chosen there, 0 for none
    here : what the logbook has already
    """

    rows: list[Arrival]
    units: Sequence[Unit] = ()
    meters: Sequence[Meter] = ()
    chosen: int = 0
    here: KeptBefore | None = None
    new: dict[int, Unit] = field(default_factory=dict)
    kept: list[Run] = field(default_factory=list)
    _came: list[Unit] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.units = [unit for unit in self.units if suiting(unit)]
        self._assign()
        owners = list(dict.fromkeys(row.owner for row in self.rows))
        self.rows.sort(key=lambda row: (bool(row.trouble), owners.index(row.owner)))  # what belongs together stands together
        self._recognise(self.rows)

    def _recognise(self, rows: Sequence[Arrival]) -> None:
        """What the logbook has, and what another row brings too (a copy under another name is no second run), is not ticked."""
        seen: dict[bytes, Arrival] = {}
        copies = {id(row): first.name for row in self.rows if (first := seen.setdefault(_print_of(row), row)) is not row}
        for row in rows:
            row.is_here = self.here is not None and self.here.has(row)
            row.same_as = copies.get(id(row), "")
            row.is_wanted = not row.trouble and not row.is_here and not row.same_as

    def put(self, row: Arrival, by: list[Arrival]) -> None:
        """What a file holds, read in another way, in the place of what was read of it; what was answered stays."""
        place = next(k for k, other in enumerate(self.rows) if other.path == row.path)
        self.rows[:] = [other for other in self.rows if other.path != row.path]
        self.rows[place:place] = by
        logs = [other for other in self.rows if other.log is not None]
        names = dict(zip((other.path for other in logs), things_named([other.path for other in logs]), strict=True))
        for other in by:
            other.said = row.said
            if row.log is not None:
                other.owner = row.owner
            elif other.log is not None and not self._knows(other):
                other.owner = self.chosen if self.chosen and len(logs) == len(by) else self._new_one(names[other.path])
        self._recognise(by)

    # whose they are

    def _assign(self) -> None:
        """Each to the unit that its package names or its file's or folder's name holds; what is alike among the rest to one new unit.

        The unit that is chosen on the shelf is meant only where no name says anything: all files of one thing, and none of them another unit's.
        """
        rest = [row for row in self.rows if row.log is not None and not self._knows(row)]
        names = things_named([row.path for row in rest])
        if len(set(names)) == 1 and self.chosen and len(rest) == sum(row.log is not None for row in self.rows):
            for row in rest:
                row.owner = self.chosen
            return
        for row, name in zip(rest, names, strict=True):
            row.owner = self._new_one(name)

    def _knows(self, row: Arrival) -> bool:
        assert row.log is not None
        about = row.log.about
        if label := str(about.get("label") or ""):
            name = str(about.get("unit") or row.path.stem)
            same = next((u.id for u in self.units if u.label_text == label and u.name == name), None)
            row.owner = same if same is not None else self._new_one(name, label)
            head = from_log(row.log).run.head
            row.said = Answered(
                head.criteria.cutoff.voltage_v if head.criteria.cutoff else None,
                None,
                (str(about.get("voltage_accuracy") or ""), str(about.get("current_accuracy") or "")),
                head.conditions.temperature_c,
            )
            return True
        unit = unit_named(row.path, self.units)
        row.owner = unit.id if unit is not None else NOBODYS
        return unit is not None

    def _new_one(self, name: str, label: str = "") -> int:
        for key, unit in self.new.items():
            if (unit.name, unit.label_text) == (name, label):
                return key
        key = -1 - len(self.new)
        self.new[key] = Unit(name, kind_by_label(label), label)
        return key

    def offer_a_new_one(self) -> None:
        """There is always one to be chosen, named by the first log."""
        first = next((row.path for row in self.rows if row.log is not None), None)
        if not self.new and first is not None:
            self._new_one(things_named([first])[0])

    def unit_of(self, row: Arrival) -> Unit | None:
        if row.whole is not None:
            unit = row.whole.run.head.setup.unit
            return unit if unit.name else None
        return self.new.get(row.owner) or next((unit for unit in self.units if unit.id == row.owner), None)

    def give(self, rows: Iterable[Arrival], owner: int) -> None:
        """They are of this unit."""
        for row in rows:
            row.owner, row.told = owner, None

    def relabel(self, owner: int, label: str) -> None:
        """What a new unit's label says, for all that are its."""
        if owner in self.new and self.new[owner].label_text != label:
            self.new[owner] = replace(self.new[owner], label_text=label, kind=kind_by_label(label))
            self.give([row for row in self.rows if row.owner == owner], owner)

    def answer(self, rows: Iterable[Arrival], **said: object) -> None:
        """The same answer for several."""
        for row in rows:
            row.said, row.told = replace(row.said, **said), None  # type: ignore[arg-type]  # its fields by name

    def label_volts(self, row: Arrival) -> list[float]:
        """Of the labels on the shelf, that of the row's own unit first."""
        units = sorted(self.units, key=lambda u: u.id != row.owner)
        return [found.voltage_v for unit in units if (found := label_of(unit)) is not None and found.voltage_v]

    # what is to be kept, and whether it can be

    def wanted(self) -> list[Arrival]:
        return [row for row in self.rows if row.is_wanted and not row.trouble]

    def label_trouble(self, owner: int) -> str:
        """Why a new unit's label cannot be read; empty where it can, or none is asked."""
        if owner not in self.new:
            return ""
        if self.new[owner].kind not in WITH_CAPACITY:  # what such a label says is read by the test it is for
            return ""
        try:
            parse_label(self.new[owner].label_text)
        except (LabelError, QuantityError) as error:
            return str(error)
        return ""

    def may_be_kept(self) -> bool:
        return not self.why_not()

    def say_of_all(self, unit: str, label: str, meter: str, accuracies: tuple[str, str], said: Mapping[str, object]) -> None:
        """What is said at once of all logs, by names; empty for what is not.

        Raises
        ------
        NotAnsweredError
            A name or an accuracy is not understood; says which.
        """
        logs = [row for row in self.rows if row.log is not None]
        if unit:
            self.give(logs, self._owner_named(unit))
        if label:
            for key in [key for key, one in self.new.items() if not one.label_text]:  # what a package says of itself stays
                self.relabel(key, label)
        if meter:
            found = [one for one in self.meters if one.name.casefold() == meter.casefold()]
            if len(found) != 1:
                known = ", ".join(one.name for one in self.meters) or say("none")
                raise NotAnsweredError(say("“{name}” is no one meter of the shelf: there are {known}.", name=meter, known=known))
            self.answer(logs, meter=found[0])
        elif any(accuracies):
            for text, quantity in zip(accuracies, ("V", "A"), strict=True):
                try:
                    parse_accuracy(text, quantity) if text else None
                except QuantityError as error:
                    raise NotAnsweredError(str(error)) from None
            self.answer(logs, accuracies=accuracies)
        self.answer(logs, **said)

    def _owner_named(self, name: str) -> int:
        if name.casefold() == "none":
            return NOBODYS
        found = [unit.id for unit in self.units if unit.name.casefold() == name.casefold()]
        if len(found) > 1:
            raise NotAnsweredError(say("Two units are called {name}: give them names of their own first.", name=name))
        return found[0] if found else self._new_one(name)

    def check_answered(self) -> None:
        """Whether they can be kept.

        Raises
        ------
        NotAnsweredError
            Nothing is to be kept, or a new unit's label is lacking; says which.
        """
        if trouble := self.why_not():
            raise NotAnsweredError(trouble)

    def why_not(self) -> str:
        """Why what is wanted cannot be kept as it stands; empty where it can."""
        if not self.wanted():
            return say("Nothing is to be kept.")
        lacking = next((row for row in self.wanted() if row.log is not None and self.label_trouble(row.owner)), None)
        if lacking is None:
            return ""
        trouble = self.label_trouble(lacking.owner) if self.new[lacking.owner].label_text else ""
        asked = say("{unit} is new: say what its label says, or that it is none of the shelf's.", unit=self.new[lacking.owner].name)
        return f"{asked} {trouble}".strip()

    def lacks(self, row: Arrival) -> str:
        """What a person could still say of it, the weightiest first, in a few words."""
        if row.trouble or row.log is None:
            return say("columns") if row.columns_can_be_said else ""
        lacking = []
        if row.owner in self.new and not self.new[row.owner].label_text.strip():
            lacking.append(say("label"))
        elif self.label_trouble(row.owner):
            lacking.append(say("a readable label"))
        if not row.log.entries and row.said.meter is None and not any(row.said.accuracies):
            lacking.append(say("meter"))
        if row.told is not None and row.told.asks_full and row.said.full is None:
            lacking.append(say("full?"))
        return ", ".join(lacking)

    def method_of(self, row: Arrival) -> str:
        """The title of what it will be taken for."""
        if row.log is None and row.whole is None:
            return ""
        return say(entry_of(row.whole.run.method if row.whole is not None else self._key_of(row)).title)

    def _key_of(self, row: Arrival) -> str:
        """As the log says itself, or by whose it is."""
        assert row.log is not None
        return str(row.log.about.get("method") or taken_for(self.unit_of(row), row.log.voltage_v).key)

    def cutoff_v(self, row: Arrival) -> float | None:
        """What it is judged to: as said, or the usual one of its unit's label."""
        if row.said.cutoff_v is not None:
            return row.said.cutoff_v
        unit = self.unit_of(row)
        return usual_cutoff_v(unit.label) if unit is not None and label_of(unit) is not None else None

    def made(self, row: Arrival) -> StoredRun:
        """As its answers say."""
        if row.whole is not None:
            return row.whole
        assert row.log is not None
        made, said = from_log(row.log, "" if row.log.entries else self._key_of(row)), row.said
        method = method_of(made.run.method)
        meters = {method.taps[0]: said.meter} if said.meter is not None else {}
        options = LogOptions(
            accuracies=(*said.accuracies, "", ""), meters=meters, unit=self.unit_of(row), temperature_c=said.temperature_c, full=said.full
        )
        made = under_options(made, options)
        if not method.judges_label:
            return made
        head, volts = made.run.head, self.cutoff_v(row)
        hold_s = head.criteria.cutoff.hold_s if head.criteria.cutoff else 1.0
        return made.under(replace(head, criteria=replace(head.criteria, cutoff=Cutoff(volts, hold_s) if volts else None)))

    def tell(self, row: Arrival) -> Told:
        """What it would say if it were kept as the answers stand: a slip is seen before it is kept."""
        if row.trouble:
            return Told(row.trouble, row.trouble, is_trouble=True)
        if row.is_here:
            return Told(said := say("It is in the logbook already."), said)
        if row.same_as:
            return Told(said := say("The same readings as {name}.", name=row.same_as), said)
        if row.log is not None and (len(row.log.time_s) > _MOST_TRIED or self.label_trouble(row.owner)):
            return Told()
        try:
            account = account_of_stored(self.made(row).record())
        except SentenceError as error:
            return Told(str(error), str(error), is_trouble=True)
        return _told(account)

    def keep(self, logbook: Logbook) -> None:
        """All that is wanted, as a whole or not at all; a second time the same units come back as themselves."""
        with logbook.together():
            before = {unit.id for unit in logbook.units()}
            owners = {row.owner for row in self.wanted() if row.owner in self.new}
            self.new.update({key: logbook.keep_unit(self.new[key]) for key in sorted(owners, reverse=True)})
            self.kept = [self._keep(logbook, row) for row in self.wanted()]
            self._came = [unit for unit in logbook.units() if unit.id not in before]

    def _keep(self, logbook: Logbook, row: Arrival) -> Run:
        made = self.made(row)
        return keep(logbook, made, unit_for(logbook, made) if row.whole is not None else self.unit_of(row))

    def take_out(self, logbook: Logbook) -> None:
        """What was kept is gone again, with the units that came with it."""
        with logbook.together():
            for run in self.kept:
                logbook.delete_run(run.id)
            for unit in self._came:
                logbook.remove_unit(unit.id)

    def sentence(self) -> str:
        """What was kept, of which units, and what could not be read."""
        if not self.kept:
            return say("Nothing was kept.")
        counts: dict[str, int] = {}
        for row in self.wanted():
            unit = self.unit_of(row)
            counts[unit.name if unit is not None else ""] = counts.get(unit.name if unit is not None else "", 0) + 1
        owner, n = next(iter(counts)), len(self.kept)
        if len(counts) > 1:
            each = ", ".join(
                say("{count} of {unit}", count=of, unit=name) if name else say("{count} of no unit", count=of)
                for name, of in counts.items()
            )
            told = say("{count} runs were kept: {each}.", count=n, each=each)
        elif owner:
            told = (
                say("One run of {unit} was kept.", unit=owner) if n == 1 else say("{count} runs of {unit} were kept.", count=n, unit=owner)
            )
        else:
            told = say("One run was kept.") if n == 1 else say("{count} runs were kept.", count=n)
        troubles = [row.trouble for row in self.rows if row.trouble]
        if not troubles:
            return told
        return f"{told} {say('{count} could not be read: {first}', count=len(troubles), first=troubles[0])}"


def _print_of(row: Arrival) -> bytes:
    """What tells its readings from all others; a file without any is told by itself."""
    if row.log is None or not len(row.log.voltage_v):
        return str(id(row)).encode()
    since = row.log.time_s - row.log.time_s[0] if len(row.log.time_s) else row.log.time_s
    return hashlib.blake2b(b"".join(column.tobytes() for column in (since, row.log.voltage_v, row.log.current_a))).digest()


def _told(account: Account) -> Told:
    word = account.verdict.word if account.verdict is not None else ""
    if account.trouble:
        return Told(account.trouble, account.trouble, is_trouble=True)
    short = in_short(account)
    return Told(
        f"{word}: {short}" if short and word not in short else short or word or account.sentence,
        account.sentence,
        word,
        asks_full=any(q.full for q in account.questions),
    )


def _minute(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat(timespec="minutes")
