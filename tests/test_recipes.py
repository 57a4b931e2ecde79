"""The recipes of docs/architecture.md, followed: what one says is enough is enough."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import ClassVar

import pytest

from tests.command_line import ubrant
from ubrant.bench.profile import own_folder, profiles, shipped_text
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.events import KINDS, Event, event_from_json, event_to_json
from ubrant.logbook.logs import formats
from ubrant.logbook.logs.read import read_log
from ubrant.logbook.logs.text import TextTable

PAGE = Path(__file__).parent.parent / "docs" / "architecture.md"


def test_an_event_is_a_dataclass():
    @dataclass(frozen=True)
    class Knocked(Event):
        """Somebody knocked against the bench, so many times."""

        times: int = 0
        kind: ClassVar[str] = "knocked"

    try:
        there = Knocked(3.0, "a knock", 2)
        assert event_from_json(3.0, event_to_json(there)) == there
    finally:
        KINDS.pop("knocked")


def test_a_file_format_is_a_reader_and_a_row(monkeypatch, tmp_path):
    def read_pairs(name: str, data: bytes, _: str | None) -> TextTable:
        rows = tuple((k, line.split("|")) for k, line in enumerate(data.decode().splitlines(), start=1))
        return TextTable(name, ("time (s)", "V", "A"), 1, decimal_comma=False, first_line=1, kept_rows=rows)

    monkeypatch.setattr(formats, "FORMATS", (formats.Format((".pairs",), of_text=read_pairs), *formats.FORMATS))
    path = tmp_path / "log.pairs"
    path.write_text("\n".join(f"{60 * k}|{13 - k / 100}|5" for k in range(30)), "utf-8")
    log = read_log(path)
    assert (len(log.voltage_v), log.voltage_v[-1], log.current_a[0]) == (30, 12.71, 5.0)
    assert "*.pairs" in formats.patterns()
    assert "trouble" not in ubrant("analyse", str(path), "--json").stdout.partition('"warnings"')[0]


def test_a_profile_is_a_file_of_ones_own():
    own_folder().mkdir(parents=True)
    (own_folder() / "mine.toml").write_text(
        shipped_text("load").replace('"Generic load"', '"My load"').replace("INP ON", "OUTP ON"), "utf-8"
    )
    known, troubles = profiles()
    assert not troubles
    assert known["My load"].commands["on"] == "OUTP ON"


def test_a_chemistry_is_an_entry(monkeypatch):
    other = replace(CHEMISTRIES["lifepo4"], key="sodium", name="Sodium", nominal_v=(3.1,))
    monkeypatch.setitem(CHEMISTRIES, "sodium", other)
    assert parse_label("10 Ah 12.4 V", "sodium").series == 4


@pytest.mark.parametrize("recipe", ["An event", "A file format", "a profile", "A chemistry", "A method in an afternoon"])
def test_the_page_has_it(recipe):
    assert recipe in PAGE.read_text("utf-8")
