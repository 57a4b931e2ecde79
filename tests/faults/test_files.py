"""Files that are bombs, and files with anything in them: read, or refused in a sentence, within two seconds."""

from __future__ import annotations

import json
import os
import random
import time
import zipfile
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.making import falling
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.exporting import export_csv, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogError, LogFile
from ubrant.methods.method import MethodError
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, read_file, under_options
from ubrant.runs.kept.accounts import account_of_stored

HEAD = "time / s,voltage / V,current / A\n"
ROWS = "".join(f"{60 * k},{13.2 - 0.01 * k:.3f},5.0\n" for k in range(30))


def read(path: Path) -> str:
    """The sentence that it is refused with; empty where it is read."""
    began = time.process_time()  # the machine may be busy with others
    try:
        stored = read_file(path, LogOptions())
        account_of_stored(stored.record())
    except (LogError, MethodError) as error:
        assert len(str(error)) < 900
        return str(error)
    finally:
        took = time.process_time() - began
        assert took < 2.0 * PATIENCE, f"{path.name} took {took:.1f} s"
    return ""


PATIENCE = 4.0
"""Two seconds on a machine that does nothing else; the tests share theirs."""


def bomb_sheet(folder: Path, rows: str, dimension: str = "A1:C3") -> Path:
    import openpyxl

    book = openpyxl.Workbook()
    book.save(folder / "plain.xlsx")
    path = folder / "bomb.xlsx"
    with zipfile.ZipFile(folder / "plain.xlsx") as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for part in old.infolist():
            data = old.read(part)
            if part.filename == "xl/worksheets/sheet1.xml":
                main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
                data = f'<worksheet {main}><dimension ref="{dimension}"/><sheetData>{rows}</sheetData></worksheet>'.encode()
            new.writestr(part, data)
    return path


def far_corner(folder: Path) -> Path:
    texts = ("Time (s)", "Voltage (V)", "Current (A)")
    first = "".join(f'<c r="{"ABC"[k]}1" t="inlineStr"><is><t>{text}</t></is></c>' for k, text in enumerate(texts))
    lines = "".join(
        f'<row r="{n + 2}"><c r="A{n + 2}"><v>{60 * n}</v></c><c r="B{n + 2}"><v>{13 - n * 0.01}</v></c><c r="C{n + 2}"><v>5</v></c></row>'
        for n in range(20)
    )
    return bomb_sheet(folder, f'<row r="1">{first}</row>{lines}<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>', "A1:XFD1048576")


def text(folder: Path, name: str, content: str | bytes) -> Path:
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


BOMBS = {
    "a cell in the far corner": (far_corner, ""),
    "a workbook that unpacks to 500 MB": (lambda f: bomb_sheet(f, " " * 500_000_000), "would be 500 MB when it is unpacked"),
    "a workbook that is none": (lambda f: text(f, "x.xlsx", b"PK\x03\x04 nothing"), "is not a workbook that can be read"),
    "a million columns": (
        lambda f: text(f, "x.csv", "a," * 1_000_000 + "\n" + "1," * 1_000_000),
        "a line of more than a million characters",
    ),
    "ten thousand columns": (lambda f: text(f, "x.csv", "a," * 10_000 + "\n" + "1," * 10_000), "has 10001 columns"),
    "a line of 200 MB": (lambda f: text(f, "x.csv", HEAD + "1" * 200_000_000), "a line of more than a million characters"),
    "a cell of half a million characters": (lambda f: text(f, "x.csv", HEAD + "0,1,1\n1," + "9" * 500_000 + ",1\n" + ROWS), ""),
    "quotes that are never closed": (lambda f: text(f, "x.csv", HEAD + '0,"13,5\n' + ROWS * 2000), ""),
    "a quoted cell without an end": (lambda f: text(f, "x.csv", HEAD + '0,"' + "x" * 900_000 + "\n" + ROWS), ""),
    "deep JSON": (lambda f: text(f, "x.jsonl", '{"a":' * 100_000 + "1" + "}" * 100_000), "this is no JSON object"),
    "a JSON object of a hundred thousand keys": (lambda f: text(f, "x.jsonl", json.dumps({f"k{n}": n for n in range(50_000)})), "columns"),
    "a number of a million digits": (lambda f: text(f, "x.jsonl", '{"time": ' + "1" * 900_000 + "}"), "this is no JSON object"),
    "a package of deep JSON": (lambda f: text(f, "datapackage.json", "[" * 200_000), "is not a Data Package"),
    "nothing but commas": (lambda f: text(f, "x.csv", ("," * 4000 + "\n") * 2000), ""),
    "no end of zeros": (lambda f: text(f, "x.csv", bytes(50_000_000)), "is not a text file"),
}


@pytest.mark.parametrize("name", BOMBS)
def test_a_bomb_is_refused_or_read(tmp_path, name):
    make, says = BOMBS[name]
    sentence = read(make(tmp_path))
    if says:
        assert says in sentence


def test_the_far_corner_changes_no_number(tmp_path):
    stored = read_file(far_corner(tmp_path), LogOptions())
    series = next(s for (_, quantity), s in stored.readings.items() if quantity == "V")
    assert (len(series), series.value[0], series.value[-1]) == (20, 13.0, pytest.approx(12.81))


def test_a_pipe_and_a_link_out_of_a_package_are_not_followed(tmp_path):
    os.mkfifo(tmp_path / "pipe.csv")
    assert "is a device or a pipe" in read(tmp_path / "pipe.csv")
    assert "is a device or a pipe" in read(Path("/dev/zero"))
    secret = text(tmp_path, "elsewhere.csv", HEAD + ROWS)
    package = tmp_path / "package"
    package.mkdir()
    (package / "readings.csv").symlink_to(secret)
    text(package, "datapackage.json", json.dumps({"resources": [{"path": "readings.csv"}]}))
    assert "points outside its folder" in read(package)


@dataclass(frozen=True)
class Sound:
    """A file of one format, and its bytes."""

    name: str
    data: bytes


@pytest.fixture(scope="module")
def formats(tmp_path_factory):
    """A small sound file of every format."""
    import openpyxl
    import polars as pl

    folder = tmp_path_factory.mktemp("sound")
    body = falling(every_s=600.0)
    book = Logbook(folder / "b.ubrant")
    made = under_options(from_log(LogFile("x.csv", body.time_s, body.voltage_v, body.current_a)), LogOptions(said={"cutoff": "11 V"}))
    run = keep(book, made, book.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")))
    book.note(run.id, 600.0, "case warm")
    export_csv(book.kept(run), folder / "own.csv")
    export_package(book.kept(run), folder / "package", "Pack")
    book.close()
    columns = {"Time (s)": body.time_s, "Voltage (V)": body.voltage_v, "Current (A)": body.current_a}
    pl.DataFrame(columns).write_parquet(folder / "x.parquet")
    sheet = openpyxl.Workbook()
    for row in (tuple(columns), *zip(*(c.tolist() for c in columns.values()), strict=True)):
        sheet.active.append(row)
    sheet.save(folder / "x.xlsx")
    text(folder, "plain.csv", HEAD + ROWS)
    text(folder, "semi.csv", (HEAD + ROWS).replace(",", ";").replace(".", ","))
    text(folder, "stamps.csv", "stamp,V,A\n" + "".join(f"2026-10-17 08:{k:02}:00,{13 - k / 100},5\n" for k in range(30)))
    text(folder, "x.jsonl", "".join(json.dumps({"time": 60 * k, "voltage": 13 - k / 100, "current": 5}) + "\n" for k in range(30)))
    text(
        folder,
        "x.jot",
        "label: 50 Ah 12.8 V\nstarted: 2026-10-17 08:00\n\n08:00 13.2 V 5 A load on\n09:00 13.0 V 5 A\n10:00 12.9 V 5 A load off\n",
    )
    names = (
        "plain.csv",
        "semi.csv",
        "stamps.csv",
        "x.jsonl",
        "x.jot",
        "own.csv",
        "x.parquet",
        "x.xlsx",
        "package/datapackage.json",
        "package/readings.csv",
    )
    return folder, [Sound(name, (folder / name).read_bytes()) for name in names]


WORDS = (
    b'"',
    b"\n",
    b"\r",
    b",",
    b";",
    b"\t",
    b"-",
    b"1e308",
    b"nan",
    b"\xff",
    b"\0",
    b"}",
    b"{",
    b"[",
    b"null",
    b"0",
    b"99999999999999999999",
    b"\xe2\x80\xae",
    b"=1+1",
    b"-5",
    b":",
)


def mutated(data: bytes, chance: random.Random) -> bytes:
    """Up to four changes: bytes turned, cut, doubled, put in, lines swapped."""
    for _ in range(chance.randint(1, 4)):
        at, other = sorted((chance.randrange(len(data) + 1), chance.randrange(len(data) + 1)))
        match chance.randrange(6):
            case 0 if data:
                at = min(at, len(data) - 1)
                data = data[:at] + bytes([data[at] ^ 1 << chance.randrange(8)]) + data[at + 1 :]
            case 1:
                data = data[:at] + data[min(other, at + 200) :]
            case 2:
                data = data[:other] + data[at : min(other, at + 300)] + data[other:]
            case 3 | 4:
                data = data[:at] + chance.choice(WORDS) + data[at:]
            case 5:
                lines = data.split(b"\n")
                i, j = chance.randrange(len(lines)), chance.randrange(len(lines))
                lines[i], lines[j] = lines[j], lines[i]
                data = b"\n".join(lines)
    return data


def put(sound: Path, folder: Path, name: str, data: bytes) -> Path:
    """A file of that name with this in it; a package with everything else that belongs to it."""
    if not name.startswith("package/"):
        (folder / name).write_bytes(data)
        return folder / name
    place = folder / "package"
    place.mkdir(exist_ok=True)
    for part in ("datapackage.json", "readings.csv"):
        (place / part).write_bytes((sound / "package" / part).read_bytes())
    (place / Path(name).name).write_bytes(data)
    return place


@pytest.mark.parametrize("seed", [pytest.param(n, marks=() if n < 1 else pytest.mark.slow) for n in range(100)])
def test_anything_is_read_or_refused(formats, tmp_path, seed):
    """Two hundred a seed."""
    folder, sound = formats
    chance = random.Random(seed)
    for number in range(200):
        one = chance.choice(sound)
        place = put(folder, tmp_path, one.name, mutated(one.data, chance))
        try:
            read(place)
        except Exception as error:
            raise AssertionError(f"seed {seed}, number {number}, {one.name}: {type(error).__name__}: {error}") from error
