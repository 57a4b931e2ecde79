"""docs/calibration.md is made of what the generators gave, and holds every family that there is."""

from __future__ import annotations

import re
from pathlib import Path

from tests.trust.calibration import HEAD, LEAST, PAGE, page

TESTS = Path(__file__).parents[1]
ROWS = [
    {"family": "one", "finding": "a", "cases": 300, "inside": 0.95, "z": 1.0, "width": 0.0123, "unit": "Ah"},
    {"family": "one", "finding": "b", "cases": 300, "inside": 0.90, "z": 1.3, "width": float("nan"), "unit": ""},
    {"family": "two", "finding": "c", "cases": 30, "inside": 1.0, "z": 0.5, "width": 1.0, "unit": "W"},
]


def test_a_page_of_rows():
    told = page(ROWS)
    assert "2 families, 3 findings, 630 values" in told
    assert "Wider than wanted (1): two, c. Narrower than wanted (1): one, b." in told
    assert "| one | a | 300 | 95.0 % | 1.00 | 0.0123 Ah |" in told
    assert "|  | b | 300 | 90.0 % | 1.30 |  |" in told


def test_every_family_is_on_the_page_and_none_is_narrower_without_being_named():
    text = PAGE.read_text("utf-8")
    families = {name for path in TESTS.rglob("test_*.py") for name in re.findall(r'\btrial\("([^"]+)", draw', path.read_text("utf-8"))}
    assert families
    missing = sorted(name for name in families if f"| {name} |" not in text)
    assert not missing, f"./dev calibrate: {missing}"
    named = re.search(r"Narrower than wanted \(\d+\): (.*)\.", text)
    assert named is not None
    for finding, inside in re.findall(r"^\|[^|]*\| ([^|]+) \| \d+ \| ([\d.]+) % \|", text, re.MULTILINE):
        assert float(inside) >= 100 * LEAST or finding in named[1], finding
    assert HEAD.splitlines()[0] == text.splitlines()[0]
