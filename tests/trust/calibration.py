"""Is the truth inside what is stated, of every family that has a generator: ``./dev calibrate`` draws them all and writes docs/calibration.md."""

from __future__ import annotations

import json
import math
import os
import subprocess
import sys
import tempfile
from datetime import date
from itertools import groupby
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[2]
PAGE = ROOT / "docs" / "calibration.md"
LEAST, Z_LOW, Z_HIGH = 0.92, 0.85, 1.15
HEAD = """# Is the truth inside?

Written by `./dev calibrate` on {today}: {families} families, {findings} findings, {cases} values. Each family makes things whose truth is known, by formulas of its own and not by those of the
sums; lets meters be wrong anywhere inside their accuracy; reads them as a person or an instrument does; and looks where the truth lies in what is stated. *Inside* is the share within ± U (wanted: at
least {least} %; above 98 % is right where errors are rectangular), *z* the root mean square of error ÷ u (wanted: {low} to {high}). It is of this run's quantity on its day: what a battery gives
on another is in its verdicts (docs/sums.md). A family that failed at 300 was run at 2 000.

Wider than wanted ({wide}): {wide_names}. Narrower than wanted ({narrow}): {narrow_names}.

| Family | Finding | Values | Inside | z | Median U |
|---|---|---|---|---|---|
"""


def drawn() -> list[dict[str, Any]]:
    """A row a finding of a family, the last of each; every test with a family is run, with all its cases."""
    files = subprocess.run(
        ["git", "grep", "-lE", r"from tests.trials import .*(kept|trial)", "--", "tests/**/test_*.py"],
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=True,
    )
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "rows.jsonl"
        told = {**os.environ, "UBRANT_CALIBRATION": str(place)}
        made = subprocess.run([sys.executable, "-m", "pytest", "--all", *sorted(files.stdout.split())], cwd=ROOT, env=told, check=False)
        if made.returncode not in {0, 1}:  # a family that fails is on the page; a run that broke would leave some off it
            sys.exit("The tests did not run to their end: the page was left as it was.")
        rows = [json.loads(line) for line in place.read_text("utf-8").splitlines()]
    last = {(row["family"], row["finding"]): row for row in rows}
    return [last[key] for key in sorted(last)]


def page(rows: list[dict[str, Any]]) -> str:
    wide = [row for row in rows if row["z"] < Z_LOW]
    narrow = [row for row in rows if row["z"] > Z_HIGH or row["inside"] < LEAST]

    def names(of: list[dict[str, Any]]) -> str:
        return "; ".join(f"{row['family']}, {row['finding']}" for row in of) or "none"

    head = HEAD.format(
        today=date.today().isoformat(),
        families=len({row["family"] for row in rows}),
        findings=len(rows),
        cases=sum(row["cases"] for row in rows),
        least=round(100 * LEAST),
        low=Z_LOW,
        high=Z_HIGH,
        wide=len(wide),
        narrow=len(narrow),
        wide_names=names(wide),
        narrow_names=names(narrow),
    )
    lines = []
    for family, of in groupby(rows, key=lambda row: row["family"]):
        for k, row in enumerate(of):
            width = f"{row['width']:.3g} {row['unit']}".strip() if math.isfinite(row["width"]) else ""
            z = f"{row['z']:.2f}" if math.isfinite(row["z"]) else ""
            lines.append(
                f"| {family if k == 0 else ''} | {row['finding']} | {row['cases']} | {100 * row['inside']:.1f} % | {z} | {width} |"
            )
    return head + "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(drawn()), "utf-8")
