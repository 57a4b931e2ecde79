"""What was typed is what is kept: cell by cell, to the digit, in every method's table, by every way in and out.

Ten sets of rows a method, two hundred with ``--all``.
"""

from __future__ import annotations

import random
import sqlite3
import zlib

import pytest

from tests.making import by_hand
from tests.methods.samples import BY_HAND, SAMPLES
from ubrant.bench.clocks import PacedClock
from ubrant.core.quantities.jot import BAR, Grammar, TypedLine, TypedReading
from ubrant.core.record.jot_data import JotDataError, from_text, to_text
from ubrant.core.record.jot_text import OWN, line_of, said_by
from ubrant.core.record.typed import columns_of_lines
from ubrant.logbook.exporting import export_csv, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import entries_of
from ubrant.methods.registry import method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.making.begin import start_by_hand
from ubrant.runs.typed.edits import Edits, RowChange
from ubrant.runs.typed.jot_heads import export_jots
from ubrant.runs.typed.pasting import changes_of_paste
from ubrant.runs.typed.sheet import as_text, line_of_cells, sheet_of, spread_over, with_cell

Cells = dict[tuple[str, str], str]
TABLES = [key for key in BY_HAND if method_of(key).by_hand(SAMPLES[key].prepared(key, by_hand=True)).columns and key not in {"notes"}]


def columns_of(key: str) -> list[tuple[str, str]]:
    hand = method_of(key).by_hand(SAMPLES[key].prepared(key, by_hand=True))
    return [c for c in hand.columns if not c[1].startswith(BAR)]


def number(chance: random.Random, quantity: str) -> str:
    """As a person writes it: with a comma, without a zero, with a unit or a prefix, about, with its width."""
    value = chance.uniform(0.02, 99.0)
    plain = f"{value:.{chance.randrange(0, 4)}f}"
    return chance.choice(
        (
            plain,
            plain,
            plain.replace(".", ","),
            f"{plain} {quantity}",
            f"~{plain}",
            f"{plain} ±0.03",
            f"={value!r}",
            f".{chance.randrange(10, 99)}",
        )
    )


def rows_for(key: str, number_of_set: int, count: int = 4) -> list[Cells]:
    chance = random.Random(zlib.crc32(f"{key} {number_of_set}".encode()))
    columns = columns_of(key)
    made = []
    for _ in range(count):
        some = chance.sample(columns, chance.randrange(1, len(columns) + 1))
        made.append({column: number(chance, column[1]) for column in columns if column in some})
    return made


def meant(cells: Cells) -> dict[tuple[str, str], tuple[float, float]]:
    """What each cell means by itself."""
    found = {}
    for (tap, quantity), text in cells.items():
        alone = Grammar().parse(text if any(c.isalpha() for c in text) else f"{text} {quantity}")
        (reading,) = alone.readings
        found[(tap or OWN, quantity)] = (reading.value, reading.half_width)
    return found


def kept(jots) -> list[dict[tuple[str, str], tuple[float, float]]]:
    """What the record makes of each row, by its place and quantity."""
    return [
        {(r.tap or OWN, r.quantity): (r.value, r.half_width) for r in entry.jotting.readings}
        for entry in entries_of(sorted(jots, key=lambda j: (j.time_s, j.id)))
        if entry.jotting.readings
    ]


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    made = Logbook(tmp_path_factory.mktemp("rows") / "rows.ubrant")
    yield made
    made.close()


SETS = [pytest.param(range(10), id="ten"), pytest.param(range(10, 200), marks=pytest.mark.slow, id="the rest of two hundred")]


@pytest.mark.parametrize("sets", SETS)
@pytest.mark.parametrize("key", TABLES)
def test_every_cell_by_every_way(key, sets, book, tmp_path):
    for one in sets:
        rows = rows_for(key, one)
        expected = [meant(cells) for cells in rows]
        columns = columns_of(key)
        run, session = start_by_hand(book, method_of(key), SAMPLES[key].prepared(key, by_hand=True), lambda: PacedClock(float("inf")))
        typed = [RowChange(60.0 * n, line_of_cells(cells, columns)) for n, cells in enumerate(rows, start=1)]
        edits = Edits(book, run, typed, session)
        edits.do()
        assert kept(book.jots(run.id)) == expected
        sheet = sheet_of(book.jots(run.id), columns, {})
        for row, cells in zip(sheet.rows, rows, strict=True):
            assert set(row.readings) == set(cells), "a reading stands under another heading"
        live = columns_of_lines(entries_of(book.jots(run.id)))
        for n, cells in enumerate(expected, start=1):
            for place, (value, half) in cells.items():
                at = list(live.series[place].time_s).index(60.0 * n)
                assert (live.series[place].value[at], live.half[place][at]) == (value, half)
        edits.undo()
        assert book.jots(run.id) == []
        edits.do()
        assert kept(book.jots(run.id)) == expected
        _filled_in_later(book, run, session, columns, rows)
        stored = book.kept(run)
        export_csv(stored, tmp_path / f"{one}.csv")
        export_package(stored, tmp_path / f"{one}")
        for place in (tmp_path / f"{one}.csv", tmp_path / f"{one}"):
            assert kept(read_file(place, LogOptions()).jots) == kept(stored.jots), place.name
        export_jots(stored, tmp_path / f"{one}.jot", "A name")
        again = kept(read_file(tmp_path / f"{one}.jot", LogOptions()).jots)
        for back, was in zip(again, kept(stored.jots), strict=True):
            assert back.keys() == was.keys()
            for place, numbers in was.items():
                assert back[place] == pytest.approx(numbers, rel=1e-12)
        pasted = changes_of_paste(as_text(sheet, run), columns, run, 1e6)
        assert [{(r.tap or OWN, r.quantity): r.value for r in c.jotting.readings} for c in pasted] == [
            {place: value for place, (value, _) in cells.items()} for cells in expected
        ]


def _filled_in_later(book, run, session, columns, rows) -> None:
    """Each cell that is empty is filled, each that is not is changed, and both are taken back."""
    for n in range(len(rows)):
        for column in columns:
            row = sheet_of(book.jots(run.id), columns, {}).rows[n]
            before = kept(book.jots(run.id))
            change = with_cell(row, column, "7.25")
            if change is None:
                continue
            edit = Edits(book, run, [change], session)
            edit.do()
            after = kept(book.jots(run.id))
            place = (column[0] or OWN, column[1])
            assert after[n] == {**before[n], place: (7.25, 0.005)}
            assert after[:n] + after[n + 1 :] == before[:n] + before[n + 1 :]
            edit.undo()
            assert kept(book.jots(run.id)) == before


def test_it_is_the_same_when_the_logbook_is_opened_again(tmp_path):
    path = tmp_path / "again.ubrant"
    book = Logbook(path)
    before = {}
    for key in TABLES:
        run, session = start_by_hand(book, method_of(key), SAMPLES[key].prepared(key, by_hand=True), lambda: PacedClock(float("inf")))
        Edits(
            book, run, [RowChange(60.0 * n, line_of_cells(c, columns_of(key))) for n, c in enumerate(rows_for(key, 0), start=1)], session
        ).do()
        before[run.id] = kept(book.jots(run.id))
    book.close()
    book = Logbook(path)
    assert not book.damages()
    assert {number: kept(book.jots(number)) for number in before} == before
    book.close()


def test_charging_and_using_at_once_keeps_the_fourth_number():
    """Columns charger A, load V, load A, battery A: all four stand where they were typed."""
    columns = [("charger", "A"), ("load", "V"), ("load", "A"), ("battery", "A")]
    jotting = line_of_cells(spread_over("2.00 12.85 5.00 3.00", columns[0], columns), columns)
    assert [(r.tap, r.quantity, r.value) for r in jotting.readings] == [
        ("charger", "A", 2.0),
        ("load", "V", 12.85),
        ("load", "A", 5.0),
        ("", "A", 3.0),
    ]
    again = Grammar().parse(line_of(jotting))
    assert said_by(again) == said_by(jotting)
    assert line_of(jotting) == "charger 2.00 A load 12.85 V load 5.00 A battery 3.00 A"


def test_filling_an_empty_cell_does_not_make_it_another_place(book):
    run, session = by_hand(book, "balance", SAMPLES["balance"].prepared("balance", by_hand=True), {60.0: "13.0 V ac 400 W"})
    columns = [("battery", "V"), ("battery", "A"), ("ac", "W")]
    row = sheet_of(book.jots(run.id), columns, {}).rows[0]
    change = with_cell(row, ("battery", "A"), "40")
    assert [(r.tap or OWN, r.quantity, r.value) for r in change.jotting.readings] == [
        ("battery", "V", 13.0),
        ("ac", "W", 400.0),
        ("battery", "A", 40.0),
    ]
    assert said_by(Grammar().parse(line_of(change.jotting))) == said_by(change.jotting)
    del session


@pytest.mark.parametrize(
    ("reading", "text"),
    [
        (TypedReading("", "A", 0.4, 0.03), "0.4 ±0.03 A"),
        (TypedReading("", "V", 12.3456789, 0.0), "=12.3456789 V"),
        (TypedReading("", "V", 12.3456789, 0.005), "12.3456789 ±0.005 V"),
        (TypedReading("", "V", 12.34, 0.005), "12.34 V"),
        (TypedReading("load", "A", 12.0, 0.7, "about"), "load ~12.0 ±0.7 A"),
        (TypedReading("", "W", 450.0, 50.0, "range"), "400..500 W"),
    ],
)
def test_a_width_that_the_digits_do_not_give_is_written(reading, text):
    line = line_of(TypedLine("", readings=(reading,)))
    assert line == text
    (again,) = Grammar().parse(line).readings
    assert (again.value, again.half_width, again.kind) == pytest.approx((reading.value, reading.half_width, reading.kind)) or (
        again.value,
        again.half_width,
    ) == pytest.approx((reading.value, reading.half_width))
    assert again.kind == reading.kind


def test_a_row_goes_to_json_and_back_and_what_is_none_is_refused():
    row = TypedLine(
        "fan, at last",
        readings=(TypedReading("load", "A", 0.1 + 0.2, 1e-17), TypedReading("", "lamps", 3.0, 0.0, "count")),
        mark="load on",
        line="x",
    )
    assert from_text(to_text(row), "x") == row
    for text in (
        "",
        "null",
        "[]",
        '{"v":2,"readings":[]}',
        '{"v":1}',
        '{"v":1,"readings":[["a","V","x",0,"read"]]}',
        '{"v":1,"readings":[["a","V",1e999,0,"read"]]}',
        '{"v":1,"readings":[["a","V",1,-1,"read"]]}',
    ):
        with pytest.raises(JotDataError):
            from_text(text)


def test_an_older_logbook_s_lines_are_read_once_and_damage_stays_known(tmp_path):
    """Of two rows in the older format one is damaged: it is still said to be after the migration, the other is sound and is what it was."""
    from ubrant.logbook import file

    path = tmp_path / "old.ubrant"
    book = Logbook(path)
    run, _ = by_hand(
        book, "discharge", SAMPLES["discharge"].prepared("discharge", by_hand=True), {0.0: "13.34 V", 60.0: "load on 13.1 V 0.5 A"}
    )
    was = kept(book.jots(run.id))
    book.close()
    raw = sqlite3.connect(path, isolation_level=None)
    file.teach(raw)
    raw.execute("ALTER TABLE jot DROP COLUMN data")
    raw.execute("DROP TABLE bench_days")
    raw.execute("PRAGMA user_version=7")
    sound = file.sound_rows.__globals__["_columns"](raw, "jot", "jot")
    for (one,) in raw.execute("SELECT id FROM jot").fetchall():
        (crc,) = raw.execute(f"SELECT crc_of({sound}) FROM jot WHERE id = ?", (one,)).fetchone()
        (before,) = raw.execute("SELECT crc FROM seal WHERE tbl = 'jot' AND key = ?", (one,)).fetchone()
        raw.execute("UPDATE seal SET crc = ? WHERE tbl = 'jot' AND key = ?", (crc, one))
        raw.execute("UPDATE run_seal SET total = total + ? WHERE run = ?", (crc - before, run.id))
    raw.close()
    whole = Logbook(path)
    assert not whole.damages()
    assert kept(whole.jots(run.id)) == was
    assert whole.jots(run.id)[1].jotting.mark == "load on"
    whole.close()
