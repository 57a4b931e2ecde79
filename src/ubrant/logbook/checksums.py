"""A checksum on every row of a logbook, and of every run how many rows it has: damage is noticed before it is believed.

Whoever writes through :func:`keep_sealed` need not think of it: triggers of that connection renew the checksums in the same transaction.
"""

from __future__ import annotations

import contextlib
import sqlite3
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

from ubrant.core.wording import say

_OWN_ID = "{0}.id"
_RUN_ID = "{0}.run_id"
TABLES = {
    "unit": (_OWN_ID, "NULL"),
    "meter": (_OWN_ID, "NULL"),
    "outlook": (_OWN_ID, "NULL"),
    "run": (_OWN_ID, _OWN_ID),
    "statement": (_OWN_ID, _RUN_ID),
    "channel": (_OWN_ID, _RUN_ID),
    "piece": ("{0}.channel_id * 1048576 + {0}.seq", "(SELECT run_id FROM channel WHERE channel.id = {0}.channel_id)"),
    "event": (_OWN_ID, _RUN_ID),
    "jot": (_OWN_ID, _RUN_ID),
    "thrown": (_RUN_ID, _RUN_ID),
    "unit_facts": ("{0}.unit_id", "NULL"),
    "photo": (_OWN_ID, _RUN_ID),
    "bench_days": (_OWN_ID, "NULL"),
}
"""What is sealed: how a row's key is made of it, and the run it belongs to. What is worked out anew any time (summary) is not."""
_NAMES = {
    "unit": "a unit",
    "meter": "a meter",
    "outlook": "an outlook",
    "run": "what is known of it",
    "statement": "what a report said",
    "channel": "where its readings were taken",
    "piece": "readings",
    "event": "events",
    "jot": "typed lines",
    "thrown": "that it was thrown away",
    "unit_facts": "what is known of a unit",
    "photo": "a picture",
    "bench_days": "days at the bench",
}


@dataclass(frozen=True)
class Damage:
    """Rows of one kind that are not what was written: of which run (None: of none), and how many."""

    run: int | None
    table: str
    count: int


def crc_of(*values: object) -> int:
    """CRC-32 of a row's values, each behind its type's name; as docs in ``migrations/0005.sql`` say."""
    crc = 0
    for kind, value in zip(values[::2], values[1::2], strict=True):
        match value:
            case None:
                data = b""
            case int():
                data = struct.pack("<q", value)
            case float():
                data = struct.pack("<d", value)
            case bytes():
                data = value
            case _:
                data = str(value).encode("utf-8", "surrogatepass")
        crc = zlib.crc32(data, zlib.crc32(str(kind)[:1].upper().encode() + struct.pack("<I", len(data)), crc))
    return crc


def teach(db: sqlite3.Connection) -> None:
    """Let a connection's statements call ``crc_of``."""
    db.create_function("crc_of", -1, crc_of, deterministic=True)


def _columns(db: sqlite3.Connection, table: str, row: str) -> str:
    return row_values([column[1] for column in db.execute(f"PRAGMA table_info({table})")], row)


def row_values(columns: list[str], row: str) -> str:
    """What ``crc_of`` is called with: types and values; text as bytes, since damaged text need not be text any more."""
    names = [f"{row}.{column}" for column in columns]
    return ", ".join(f"typeof({n}), CASE typeof({n}) WHEN 'text' THEN CAST({n} AS BLOB) ELSE {n} END" for n in names)


def seal_all(db: sqlite3.Connection) -> str:
    """The statements that seal everything as it stands: for a logbook that had no seals, nor what came after them."""
    there = {name for (name,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    return "".join(
        f"INSERT INTO seal (tbl, key, run, crc) SELECT '{table}', {key.format(table)}, {run.format(table)}, "
        f"crc_of({_columns(db, table, table)}) FROM {table};\n"
        for table, (key, run) in TABLES.items()
        if table in there
    ) + ("INSERT INTO run_seal (run, rows, total) SELECT run, count(*), sum(crc) FROM seal WHERE run IS NOT NULL GROUP BY run;\n")


def sound_rows(db: sqlite3.Connection, table: str) -> list[int]:
    """Keys of the rows of a table that are as they were written."""
    teach(db)
    key, _ = TABLES[table]
    sql = (
        f"SELECT {key.format(table)} FROM {table} JOIN seal ON seal.tbl = '{table}' AND seal.key = {key.format(table)}"
        f" WHERE crc_of({_columns(db, table, table)}) = seal.crc"
    )
    return [row[0] for row in db.execute(sql).fetchall()]


def seal_anew(db: sqlite3.Connection, table: str, keys: list[int]) -> None:
    """Renew the seals of rows whose columns have changed; what was damaged before stays so."""
    key, _ = TABLES[table]
    crc = f"(SELECT crc_of({_columns(db, table, table)}) FROM {table} WHERE {key.format(table)} = ?)"
    for one in keys:
        was, run = db.execute("SELECT crc, run FROM seal WHERE tbl = ? AND key = ?", (table, one)).fetchone()
        (now,) = db.execute(f"SELECT {crc}", (one,)).fetchone()
        db.execute("UPDATE seal SET crc = ? WHERE tbl = ? AND key = ?", (now, table, one))
        db.execute("UPDATE run_seal SET total = total + ? WHERE run = ?", (now - was, run))


def keep_sealed(db: sqlite3.Connection) -> None:
    """From now on this connection renews the seals with whatever it writes."""
    script = []
    for table, (key, run) in TABLES.items():
        new, old = key.format("NEW"), key.format("OLD")
        crc = f"crc_of({_columns(db, table, 'NEW')})"
        script.append(
            f"CREATE TEMP TRIGGER seal_{table}_new AFTER INSERT ON main.{table} BEGIN"
            f" INSERT INTO seal (tbl, key, run, crc) VALUES ('{table}', {new}, {run.format('NEW')}, {crc}); END;\n"
            f"CREATE TEMP TRIGGER seal_{table}_changed AFTER UPDATE ON main.{table} BEGIN"
            f" UPDATE seal SET key = {new}, crc = {crc} WHERE tbl = '{table}' AND key = {old}; END;\n"
            f"CREATE TEMP TRIGGER seal_{table}_gone AFTER DELETE ON main.{table} BEGIN"
            f" DELETE FROM seal WHERE tbl = '{table}' AND key = {old}; END;\n"
        )
    script.append(
        "CREATE TEMP TRIGGER run_seal_new AFTER INSERT ON main.seal WHEN NEW.run IS NOT NULL BEGIN"
        " INSERT INTO run_seal (run, rows, total) VALUES (NEW.run, 1, NEW.crc)"
        " ON CONFLICT (run) DO UPDATE SET rows = rows + 1, total = total + NEW.crc; END;\n"
        "CREATE TEMP TRIGGER run_seal_changed AFTER UPDATE ON main.seal WHEN NEW.run IS NOT NULL BEGIN"
        " UPDATE run_seal SET total = total + NEW.crc - OLD.crc WHERE run = NEW.run; END;\n"
        "CREATE TEMP TRIGGER run_seal_gone AFTER DELETE ON main.seal WHEN OLD.run IS NOT NULL BEGIN"
        " UPDATE run_seal SET rows = rows - 1, total = total - OLD.crc WHERE run = OLD.run; END;\n"
    )
    db.executescript("".join(script))


def damage_of(db: sqlite3.Connection, run: int | None = None) -> list[Damage]:
    """What of a run (of everything, when None) is not as it was written.

    Raises
    ------
    sqlite3.DatabaseError
        It cannot even be read.
    """
    with _one_state(db):
        return _damage_of(db, run)


@contextlib.contextmanager
def _one_state(db: sqlite3.Connection) -> Iterator[None]:
    """What is read within is of one moment, whatever is written meanwhile."""
    if db.in_transaction:
        yield
        return
    db.execute("BEGIN")
    try:
        yield
    finally:
        db.execute("ROLLBACK")


def _damage_of(db: sqlite3.Connection, run: int | None) -> list[Damage]:
    found: list[Damage] = []
    seen: dict[int, tuple[int, int]] = {}
    for table, (key, owner) in TABLES.items():
        if run is not None and owner == "NULL":
            continue
        mine = f" WHERE {owner.format(table)} = {int(run)}" if run is not None else ""
        sql = (
            f"SELECT {owner.format(table)}, crc_of({_columns(db, table, table)}), seal.crc FROM {table}"
            f" LEFT JOIN seal ON seal.tbl = '{table}' AND seal.key = {key.format(table)}{mine}"
        )
        wrong: dict[int | None, int] = {}
        for belongs, crc, sealed in db.execute(sql):
            if crc != sealed:
                wrong[belongs] = wrong.get(belongs, 0) + 1
            if belongs is not None:
                rows, total = seen.get(belongs, (0, 0))
                seen[belongs] = rows + 1, total + crc
        found += [Damage(belongs, table, count) for belongs, count in wrong.items()]
    return found + _missing(db, run, seen, {d.run for d in found})


def _missing(db: sqlite3.Connection, run: int | None, seen: dict[int, tuple[int, int]], named: set[int | None]) -> list[Damage]:
    """Runs whose rows are not as many as they should be, or not the same."""
    where = f" WHERE run = {int(run)}" if run is not None else ""
    sealed = {row[0]: (row[1], row[2]) for row in db.execute(f"SELECT run, rows, total FROM run_seal{where}") if row[1]}
    if run is not None and run not in sealed and run in seen:
        sealed[run] = (0, 0)
    return [
        Damage(number, "", abs(rows - seen.get(number, (0, 0))[0]))
        for number, (rows, total) in sealed.items()
        if number not in named and (rows, total) != seen.get(number, (0, 0))
    ]


def damage_text(damages: list[Damage]) -> str:
    """One sentence for a run; empty where nothing is damaged."""
    if not damages:
        return ""
    parts = [say(_NAMES[d.table]) if d.table else say("some of it is missing") for d in damages]
    return say(
        "This run is damaged in the logbook ({parts}): what is shown is what can still be read, and no verdict is given. "
        "File → Save what can be read makes a sound logbook of the rest.",
        parts=", ".join(dict.fromkeys(parts)),
    )
