"""Files on their way in: whose they are, what is lacking, kept and taken out as a whole."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from tests.making_logs import PACKS, two_packs
from tests.window import needs
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.runs.coming_in.arriving import Arrivals, FileReader, KeptBefore, arrivals_of, files_of
from ubrant.runs.coming_in.whose import things_named, unit_named
from ubrant.runs.kept.accounts import account_of

BLUE, RED = (Unit(name, "battery", "50 Ah 12.8 V LiFePO4", id=k) for k, name in enumerate(("Blue pack", "Red pack"), start=1))


def names(*paths: str) -> list[str]:
    return things_named([Path(path) for path in paths])


@pytest.mark.parametrize(
    ("paths", "things"),
    [
        (
            ("d/blue pack 2026-03-01.csv", "d/blue-pack_2.txt", "d/Blue Pack run 3.csv", "d/red_pack_20260301_1201.csv"),
            ["Blue pack"] * 3 + ["Red pack"],
        ),
        (("A1.csv", "A2.csv", "B1.csv"), ["A", "A", "B"]),
        (("pack1_03.csv", "pack1_04.csv", "pack2_03.csv"), ["Pack1", "Pack1", "Pack2"]),
        (("pack1.csv", "pack2.csv"), ["Pack1", "Pack2"]),  # two packs, never one, where nothing says that they are one
        (("blue/log1.csv", "red/log1.csv", "red/2.csv"), ["Blue", "Red", "Red"]),
        (("ch1.csv", "ch2.csv"), ["Ch1", "Ch2"]),
        (("tests/run 1.csv", "tests/run 2.csv"), ["Tests", "Tests"]),
        (("workshop log.csv",), ["workshop log"]),
        (("blue pack 2026-03-01.csv",), ["blue pack"]),
        (("2026-03-01.csv",), ["2026-03-01"]),
    ],
)
def test_files_of_one_thing_have_one_name(paths, things):
    assert names(*paths) == things


@pytest.mark.parametrize(
    ("path", "unit"),
    [
        ("blue_pack_4.txt", BLUE),
        ("BluePack-2026.csv", BLUE),
        ("blue pack/cycle 3.csv", BLUE),
        ("pack blue.csv", None),  # other words, other thing
        ("bluepackage.csv", None),
        ("blue pack against red pack.csv", None),  # two do equally well
        ("cycle 3.csv", None),
    ],
)
def test_the_unit_whose_whole_name_stands_there(path, unit):
    assert unit_named(Path(path), [BLUE, RED]) == unit


def test_the_longer_name_wins():
    both = [Unit("Pack", "battery", id=1), Unit("Pack A", "battery", id=2)]
    assert unit_named(Path("pack a 3.csv"), both) == both[1]
    assert unit_named(Path("pack 3.csv"), both) == both[0]


def kept_by_unit(logbook) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for run, unit in logbook.runs(limit=-1):
        found.setdefault(unit, []).append(run.source)
    return {unit: sorted(sources) for unit, sources in found.items()}


def test_ten_logs_of_two_packs_in_three_dialects_land_on_the_right_units(logbook, tmp_path):
    """Each is one unit's for what its name says; kept at once, taken out at once with their units, put back as themselves."""
    needs("discharge")
    paths = two_packs(tmp_path / "logs")
    arrivals = Arrivals(FileReader(paths).read(), logbook.units(), logbook.meters())
    assert not arrivals.may_be_kept()
    assert {unit.name for unit in arrivals.new.values()} == {"Blue pack", "Red pack"}
    for owner in list(arrivals.new):
        arrivals.relabel(owner, "50 Ah 12.8 V LiFePO4")
    arrivals.answer(arrivals.rows, accuracies=("0.1 %", "0.5 %"), full=True)
    assert arrivals.may_be_kept()
    words = {(arrivals.unit_of(row).name, arrivals.tell(row).word) for row in arrivals.rows}
    assert words == {("Blue pack", "below"), ("Red pack", "spent")}
    arrivals.keep(logbook)
    whose = {name.capitalize(): sorted(p.name for k, p in enumerate(paths) if k % 2 == place) for place, name in enumerate(PACKS)}
    assert kept_by_unit(logbook) == whose
    assert arrivals.sentence() == "10 runs were kept: 5 of Blue pack, 5 of Red pack."
    ids = {unit.name: unit.id for unit in logbook.units()}
    arrivals.take_out(logbook)
    assert (logbook.units(), logbook.runs()) == ([], [])
    arrivals.keep(logbook)
    assert {unit.name: unit.id for unit in logbook.units()} == ids
    assert kept_by_unit(logbook) == whose


def test_what_is_here_is_not_kept_twice_unless_it_is_ticked(logbook, tmp_path):
    needs("discharge")
    dated = [path for path in two_packs(tmp_path / "logs", 3) if path.name.startswith("Blue Pack run")]
    first = Arrivals(FileReader(dated).read())
    first.give(first.rows, 0)
    first.keep(logbook)
    again = Arrivals(FileReader(dated).read(), here=KeptBefore(logbook))
    (row,) = again.rows
    assert (row.is_here, row.is_wanted) == (True, False)
    assert again.tell(row).sentence == "It is in the logbook already."
    assert not again.may_be_kept()
    other_day = replace(row.log, started=row.log.started.replace(day=9))
    assert not Arrivals([replace(row, log=other_day)], here=KeptBefore(logbook)).rows[0].is_here


def test_a_log_that_does_not_say_when_is_known_by_its_readings(logbook, tmp_path):
    needs("discharge")
    (path,) = two_packs(tmp_path / "logs", 1)
    first = Arrivals(arrivals_of(path))
    assert first.rows[0].started is None
    first.give(first.rows, 0)
    first.keep(logbook)
    assert Arrivals(arrivals_of(path), here=KeptBefore(logbook)).rows[0].is_here
    path.write_text("".join(path.read_text().splitlines(keepends=True)[:-4]))  # of the same name, and another
    assert not Arrivals(arrivals_of(path), here=KeptBefore(logbook)).rows[0].is_here


def test_a_folder_is_the_logs_in_it(tmp_path):
    """And in its folders, by which they are told apart where their names say nothing; what is no log is passed over."""
    needs("discharge")
    for folder in ("blue", "red"):
        (tmp_path / "logs" / folder).mkdir(parents=True)
        for number, path in enumerate(two_packs(tmp_path / folder, 2)):
            path.rename(tmp_path / "logs" / folder / f"log {number}.csv")
    for name in ("notes.pdf", ".hidden.csv"):
        (tmp_path / "logs" / name).write_text("nothing of the kind")
    (tmp_path / "logs" / "empty").mkdir()
    paths = files_of([tmp_path / "logs"])
    assert [str(path.relative_to(tmp_path / "logs")) for path in paths] == [
        "blue/log 0.csv",
        "blue/log 1.csv",
        "red/log 0.csv",
        "red/log 1.csv",
    ]
    assert [unit.name for unit in Arrivals(FileReader(paths).read()).new.values()] == ["Blue", "Red"]
    alone = tmp_path / "logs" / "empty"
    assert files_of([alone, paths[0]]) == [alone, paths[0]]  # it is said of it that there is nothing


def test_a_copy_is_no_second_run(logbook, tmp_path):
    """Two runs that are one would make each other surer: neither within what is dropped at once, nor one after the other under another name."""
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 3)
    copies = [path.with_name(f"{path.stem} (1){path.suffix}") for path in paths]
    for path, copy in zip(paths, copies, strict=True):
        copy.write_text(path.read_text())
    arrivals = Arrivals(FileReader([*paths, *copies]).read())
    assert {row.name: row.same_as for row in arrivals.rows if row.same_as} == {
        copy.name: path.name for path, copy in zip(paths, copies, strict=True)
    }
    assert arrivals.tell(next(row for row in arrivals.rows if row.same_as)).sentence.startswith("The same readings as ")
    slower = paths[0].with_name("slower.csv")
    lines = paths[0].read_text().splitlines(keepends=True)
    slower.write_text(lines[0] + "".join(f"{2 * float(line.split(',')[0]):g},{line.partition(',')[2]}" for line in lines[1:]))
    assert not [row for row in Arrivals(FileReader([paths[0], slower]).read()).rows if row.same_as]  # at other times it is another run
    arrivals.give(arrivals.rows, 0)
    arrivals.keep(logbook)
    assert len(logbook.runs()) == 3
    dated = next(copy for copy in copies if copy.name.startswith("Blue Pack run"))
    assert Arrivals(FileReader([dated]).read(), here=KeptBefore(logbook)).rows[0].is_here


def test_the_unit_chosen_on_the_shelf_is_taken_for_one_thing_and_never_for_two(tmp_path):
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 4)
    shelf = [Unit("House bank", "battery", "50 Ah 12.8 V LiFePO4", id=7)]
    one = Arrivals(FileReader([paths[0], paths[2]]).read(), shelf, chosen=7)
    assert {row.owner for row in one.rows} == {7}
    two = Arrivals(FileReader(paths).read(), shelf, chosen=7)
    assert 7 not in {row.owner for row in two.rows}
    named = Arrivals(FileReader(paths).read(), [*shelf, BLUE], chosen=7)
    assert {named.unit_of(row).name for row in named.rows} == {"Blue pack", "Red pack"}  # a new one: its name is not what was chosen


def test_what_is_lacking_is_said_until_it_is_answered(tmp_path):
    needs("discharge")
    (path,) = two_packs(tmp_path / "logs", 1)
    arrivals = Arrivals(arrivals_of(path))
    (row,) = arrivals.rows
    assert arrivals.lacks(row) == "label, meter"
    arrivals.relabel(row.owner, "50 bananas")
    assert arrivals.lacks(row).startswith("a readable label")
    assert arrivals.tell(row).sentence == ""
    arrivals.relabel(row.owner, "50 Ah 12.8 V LiFePO4")
    row.told = arrivals.tell(row)
    assert arrivals.lacks(row) == "meter, full?"
    arrivals.answer([row], meter=Meter("Bench meter", "0.1 %", "0.5 %"), full=True)
    assert row.told is None
    row.told = arrivals.tell(row)
    assert arrivals.lacks(row) == ""
    assert row.told.word == "below"
    assert arrivals.made(row).run.head.criteria.cutoff.voltage_v == 11.0
    arrivals.answer([row], cutoff_v=12.0)
    assert arrivals.made(row).run.head.criteria.cutoff.voltage_v == 12.0


def test_a_file_that_cannot_be_read_keeps_none_of_the_others_out(logbook, tmp_path):
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 2)
    odd, gone = tmp_path / "odd.csv", tmp_path / "gone.csv"
    odd.write_text("alpha;beta\n1;2\n")
    arrivals = Arrivals(FileReader([odd, gone, *paths]).read())
    assert [row.path.name for row in arrivals.rows if row.trouble] == ["odd.csv", "gone.csv"]  # at the end, whatever came first
    assert arrivals.rows[2].columns_can_be_said
    assert not arrivals.rows[3].columns_can_be_said
    arrivals.give([row for row in arrivals.rows if row.log], 0)
    arrivals.keep(logbook)
    assert len(logbook.runs()) == 2
    assert arrivals.sentence().startswith("2 runs were kept. 2 could not be read: odd.csv")


def test_columns_said_afterwards_take_the_place_and_what_was_answered(tmp_path):
    needs("discharge")
    path = tmp_path / "odd.csv"
    path.write_text("alpha;beta;gamma\n" + "".join(f"{k * 60};{13 - k * 0.02:.3f};10\n" for k in range(100)))
    arrivals = Arrivals([*arrivals_of(path), *FileReader(two_packs(tmp_path / "logs", 1)).read()])
    row = arrivals.rows[1]
    assert row.columns_can_be_said
    arrivals.put(row, arrivals_of(path, "time=1,voltage=2,current=3"))
    assert arrivals.unit_of(arrivals.rows[1]).name == "Odd"
    assert arrivals.rows[1].is_wanted
    arrivals.answer([arrivals.rows[1]], full=True)
    arrivals.put(arrivals.rows[1], arrivals_of(path, "time=1,voltage=2,current=3"))
    assert arrivals.rows[1].said.full is True


def test_files_mended_by_one_column_are_one_new_unit_and_looked_at_like_the_rest(logbook, tmp_path):
    """Two of one name are one thing, and what is a copy is one although its columns were said only then."""
    needs("discharge")
    rows = "".join(f"{k * 60};{13 - k * 0.02:.3f};10\n" for k in range(100))
    paths = [tmp_path / f"odd {n}.csv" for n in (1, 2, 3)]
    for path, more in zip(paths, ("", "6000;10.9;10\n", ""), strict=True):
        path.write_text(f"alpha;beta;gamma\n{rows}{more}")
    arrivals = Arrivals(FileReader([*paths, *two_packs(tmp_path / "logs", 1)]).read(), chosen=7)
    for row in [row for row in arrivals.rows if row.columns_can_be_said]:
        arrivals.put(row, arrivals_of(row.path, "time=1,voltage=2,current=3"))
    odd = [row for row in arrivals.rows if row.path in paths]
    assert {arrivals.unit_of(row).name for row in odd} >= {"Odd"}
    assert 7 not in {row.owner for row in odd}
    assert [row.is_wanted for row in sorted(odd, key=lambda row: row.path)] == [True, True, False]


def test_a_log_that_has_grown_is_another(logbook, tmp_path):
    """The half of it is here; the whole is not."""
    needs("discharge")
    (path,) = [path for path in two_packs(tmp_path / "logs", 3) if path.name.startswith("Blue Pack run")]
    text = path.read_text()
    path.write_text("".join(text.splitlines(keepends=True)[:100]))
    half = Arrivals(arrivals_of(path))
    half.give(half.rows, 0)
    half.keep(logbook)
    assert Arrivals(arrivals_of(path), here=KeptBefore(logbook)).rows[0].is_here
    path.write_text(text)
    assert Arrivals(arrivals_of(path), here=KeptBefore(logbook)).rows[0].is_wanted


def test_nothing_is_kept_where_one_cannot_be(logbook, tmp_path, monkeypatch):
    """As a whole or not at all: neither units nor runs."""
    needs("discharge")
    arrivals = Arrivals(FileReader(two_packs(tmp_path / "logs", 4)).read())
    for owner in list(arrivals.new):
        arrivals.relabel(owner, "50 Ah 12.8 V LiFePO4")
    honest, calls = Arrivals._keep, []

    def fails(self, book, row):
        calls.append(row)
        if len(calls) == 3:
            raise OSError("no room")
        return honest(self, book, row)

    monkeypatch.setattr(Arrivals, "_keep", fails)
    with pytest.raises(OSError, match="no room"):
        arrivals.keep(logbook)
    assert (logbook.units(), logbook.runs()) == ([], [])


@pytest.mark.parametrize(
    ("name", "label", "kind", "title", "says"),
    [
        ("ticket bank 1.csv", "24 000 mAh / 88.8 Wh", "bank", "Bank or station output", "Gives 60"),
        ("dome charger 1.csv", "12 V charger, 10 A", "charger", "A charger's profile", "until 14.4"),
    ],
)
def test_a_log_is_taken_for_what_its_unit_is_tested_by(logbook, tmp_path, name, label, kind, title, says):
    """A new unit's kind follows from its label; what is kept says the same."""
    needs("output")
    needs("charger")
    hours = [(60 * k, 5.05, 1.0) for k in range(1, 720)] + [(60 * k, 0.0, 0.0) for k in range(720, 730)]
    charge = [(60 * k, min(12.4 + 0.01 * k, 14.4), 10.0 if k < 200 else 10 * 0.97 ** (k - 200)) for k in range(400)]
    path = tmp_path / name
    rows = hours if kind == "bank" else charge
    path.write_text("time (s),voltage (V),current (A)\n" + "".join(f"{t},{v:.3f},{a:.3f}\n" for t, v, a in rows), "utf-8")
    coming = Arrivals(arrivals_of(path), logbook.units(), logbook.meters())
    coming.say_of_all("", label, "", ("0.5 % + 5 mV", "1 % + 10 mA"), {"full": True})
    (row,) = coming.wanted()
    assert (coming.unit_of(row).kind, coming.method_of(row)) == (kind, title)
    assert says in coming.tell(row).sentence
    coming.keep(logbook)
    (run,) = coming.kept
    assert says in account_of(logbook, run)[1].sentence
