"""docs/gate.md: every method is asked by every check, or the page says why not."""

from __future__ import annotations

import pytest

from tests.trust.gate_table import KEYS, PAGE, asked, excused, page


def test_the_page_is_what_is_asked():
    assert PAGE.read_text("utf-8") == page(), "./dev gate"


@pytest.mark.parametrize("check", asked())
def test_no_cell_is_empty(check):
    reasons = excused(PAGE.read_text("utf-8")).get(check, {})
    left = set(KEYS) - asked()[check] - set().union(*reasons.values())
    assert not left, "neither asked nor excused"
