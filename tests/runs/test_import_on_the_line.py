"""``ubrant import``: the same table on the command line, with the same owners and the same sentences."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.making_logs import two_packs
from tests.window import needs
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logbook import Logbook

LABEL = "50 Ah 12.8 V LiFePO4"
METER = ("--voltage-accuracy", "0.1 %", "--current-accuracy", "0.5 %")


@pytest.fixture
def book(tmp_path):
    path = tmp_path / "bench.ubrant"
    Logbook(path).close()
    return path


def runs(path) -> list[tuple[str, str]]:
    opened = Logbook(path)
    try:
        return sorted((unit, run.source) for run, unit in opened.runs(limit=-1))
    finally:
        opened.close()


def test_logs_of_two_packs(book, tmp_path):
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 4)
    done = ubrant("import", str(book), *map(str, paths), "--label", LABEL, *METER, "--full")
    assert done.returncode == 0, done.stderr
    assert "red_pack_1.txt: Red pack: Spent: 35.21 ± 0.28 Ah is 70 %" in done.stdout
    assert done.stdout.endswith("4 runs were kept: 2 of Blue pack, 2 of Red pack.\n")
    assert [unit for unit, _ in runs(book)] == ["Blue pack"] * 2 + ["Red pack"] * 2


def test_it_says_what_analyse_says(book, tmp_path):
    needs("discharge")
    (path,) = two_packs(tmp_path / "logs", 1)
    looked = ubrant("import", str(book), str(path), "--label", LABEL, *METER, "--full", "--look")
    assert looked.returncode == 0
    assert said(str(path), "--rated", LABEL, "--cutoff", "11 V", *METER, "--full")["sentence"] in looked.stdout
    assert runs(book) == []


def test_what_is_not_answered_keeps_nothing(book, tmp_path):
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 2)
    for arguments, sentence in (
        ((), "Blue pack is new: say what its label says, or that it is none of the shelf's."),
        (("--label", "fifty bananas"), "Blue pack is new"),
        (("--label", LABEL, "--meter", "Clamp"), "“Clamp” is no one meter of the shelf: there are none."),
        (("--label", LABEL, "--current-accuracy", "five"), "five"),
        (("--label", LABEL, "--temperature", "warm"), "warm"),
    ):
        done = ubrant("import", str(book), *map(str, paths), *arguments)
        assert done.returncode == 2
        assert sentence in done.stderr
        assert runs(book) == []


def test_whose_and_by_which_meter_can_be_said_by_name(book, tmp_path):
    needs("discharge")
    opened = Logbook(book)
    opened.keep_unit(Unit("House bank", "battery", LABEL))
    opened.keep_meter(Meter("Clamp", "0.5 %", "2 %"))
    opened.close()
    paths = two_packs(tmp_path / "logs", 2)
    done = ubrant("import", str(book), str(paths[0]), "--unit", "house bank", "--meter", "clamp")
    assert done.returncode == 0, done.stderr
    done = ubrant("import", str(book), str(paths[1]), "--unit", "none")
    assert done.returncode == 0, done.stderr
    assert runs(book) == [("", "red_pack_1.txt"), ("House bank", "blue pack 2026-03-01.csv")]
    opened = Logbook(book)
    assert next(run for run, unit in opened.runs() if unit).head.setup.meter("battery").name == "Clamp"
    opened.close()


def test_what_cannot_be_read_is_named_and_the_rest_is_kept(book, tmp_path):
    needs("discharge")
    paths = two_packs(tmp_path / "logs", 1)
    done = ubrant("import", str(book), str(tmp_path / "gone.csv"), *map(str, paths), "--label", LABEL)
    assert done.returncode == 1
    assert "gone.csv does not exist" in done.stdout
    assert "One run of blue pack was kept. 1 could not be read" in done.stdout
    assert len(runs(book)) == 1
    again = ubrant("import", str(book), *map(str, paths))
    assert again.returncode == 2
    assert "It is in the logbook already." in again.stdout
    assert "Nothing is to be kept." in again.stderr


def test_columns_that_were_said_are_those_or_it_is_refused(book, tmp_path):
    needs("discharge")
    (path,) = two_packs(tmp_path / "logs", 1)
    done = ubrant("import", str(book), str(path), "--label", LABEL, "--columns", "time=1,voltage=2,current=9")
    assert done.returncode == 2
    assert runs(book) == []
