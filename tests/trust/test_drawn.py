"""The ± of a finding follows from its formula: by draws of whole records it is the same, of every finding of every method (JCGM 101)."""

from __future__ import annotations

import pytest

from tests.trust.drawn import CORPUS, EXCEPTIONS, drawn, off

SAMPLE = ("record 147", "example 9", "rehearsed station and blower")


@pytest.mark.parametrize("name", [pytest.param(name, marks=() if name in SAMPLE else pytest.mark.slow) for name in CORPUS])
def test_stated_and_drawn_agree(name):
    assert off(name, drawn(name)[1]) == []


def test_there_are_few_exceptions():
    assert len(EXCEPTIONS) <= 10
