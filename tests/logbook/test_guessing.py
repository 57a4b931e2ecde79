"""Which column is what by what stands in it, where no heading says so."""

from __future__ import annotations

import pytest

from tests.window import answered, click, needs, settle
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logs.guessing import guess
from ubrant.logbook.logs.read import table_in
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.mapping_dialog import MappingDialog, learnt


def cells(k: int) -> dict[str, str]:
    volts, amps = 13.1 - 0.004 * k, 5.0 + 0.3 * (k % 7)
    return {
        "clock": f"{10 + k // 60:02}:{k % 60:02}:00",
        "stamp": f"2026-10-17 {10 + k // 60:02}:{k % 60:02}:00",
        "s": str(60 * k),
        "count": f"{sum(5.0 + 0.3 * (n % 7) for n in range(k)) / 60:.3f}",
        "V": f"{volts:.3f}",
        "A": f"{amps:.3f}",
        "W": f"{volts * amps:.2f}",
        "C": f"{21 + 0.02 * k:.1f}",
        "name": "bench",
    }


def sheet(folder, order: str):
    path = folder / "odd.csv"
    names = order.split()
    path.write_text(
        "\n".join([",".join(f"col{k}" for k, _ in enumerate(names)), *(",".join(cells(n)[c] for c in names) for n in range(120))])
    )
    return path, names


@pytest.mark.parametrize(
    ("order", "label_v", "places"),
    [
        ("A V clock", (12.8,), {"time": "clock", "voltage": "V", "current": "A"}),
        ("count A s V", (12.8,), {"time": "s", "voltage": "V", "current": "A"}),
        ("name W A V stamp count", (), {"time": "stamp", "voltage": "V", "current": "A", "power": "W"}),
        ("V A s", (), {"time": "s", "voltage": "V", "current": "A"}),
        ("A s V", (), {"time": "s", "voltage": "V", "current": "A"}),
        ("A V s", (5.0,), {"time": "s", "voltage": "A", "current": "V"}),
    ],
)
def test_by_content(tmp_path, order, label_v, places):
    """Clock times, even steps, counters that grow unevenly, volts like the label's or the steadier, watts that are the product of two."""
    path, names = sheet(tmp_path, order)
    made = table_in(path)
    assert made is not None
    assert {key: names[k] for key, k in guess(made, label_v).items()} == places


def test_a_log_without_headings_is_read_without_touching_the_file(window, qtbot, tmp_path):
    """Through the window: the guess is right at once; what was learnt is said the next time, and forgotten."""
    needs("discharge")
    window.bench.keep_unit(Unit("Pack", "battery", "10 Ah 12.8 V LiFePO4"))
    path = tmp_path / "plain.csv"
    path.write_text("\n".join(",".join((cells(n)["count"], cells(n)["A"], cells(n)["V"], cells(n)["s"])) for n in range(120)))
    told: list[str] = []

    def choose(dialog: MappingDialog) -> None:
        told.append(dialog.trouble.text())
        told.append(dialog.columns)
        answered(ImportDialog, lambda d: click(qtbot, d, "Leave it"))
        click(qtbot, dialog, "Use these")

    answered(MappingDialog, choose)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: len(told) == 2, timeout=10_000)
    assert told == ["", "time=4,voltage=3,current=2"]
    settle()

    def forget(dialog: ImportDialog) -> None:
        told.append(learnt(dialog.current().log.shape))
        answered(MappingDialog, lambda d: (told.append("anew"), click(qtbot, d, "Leave it")))
        click(qtbot, dialog, "Forget that")
        click(qtbot, dialog, "Leave it")

    answered(ImportDialog, forget)
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: "anew" in told, timeout=10_000)
    assert told[2:] == ["time=4,voltage=3,current=2", "anew"]
    settle()


def test_no_reading_is_lost_to_headings_that_are_none(tmp_path):
    """A column called 1, and the value 1 in the first line, are told apart; the first line is a reading."""
    from tests.command_line import said

    path = tmp_path / "plain.csv"
    path.write_text("0,12.8,1\n3600,12.7,1\n7200,12.6,1\n10800,12.5,1\n")
    found = said(str(path), "--columns", "time=1,voltage=2,current=3", "--rated", "5 Ah 12.8 V LiFePO4")
    assert found["findings"]["charge"]["value"] == pytest.approx(3.0)
