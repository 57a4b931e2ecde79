"""Every example of docs/jot-text.md is read, and gives the keys that stand behind it."""

from __future__ import annotations

import re
from importlib import resources

import pytest

from tests.command_line import said
from ubrant.methods.registry import entries

TEXT = (resources.files("ubrant") / "guide" / "jot-text.md").read_text("utf-8")
EXAMPLES = re.findall(r"```jot\n(.*?)```\nKeys: ([^\n]*)", TEXT, re.S)
HERE = {e.key for e in entries()}


def method(text: str) -> str:
    found = re.search(r"^method(?: (\w+))?: (\w+)", text, re.M)
    assert found is not None
    return found[1] or found[2]


@pytest.mark.parametrize(
    ("text", "keys"), [e for e in EXAMPLES if method(e[0]) in HERE], ids=[method(e[0]) for e in EXAMPLES if method(e[0]) in HERE]
)
def test_an_example_gives_its_keys(tmp_path, text, keys):
    path = tmp_path / "example.jot"
    path.write_text(text, "utf-8")
    found = said(str(path))["findings"]
    wanted = keys.split("\n")[0].strip().split(", ")
    assert [key for key in wanted if found.get(key, {}).get("value") is None] == []


def test_every_example_has_keys_behind_it():
    assert len(EXAMPLES) == TEXT.count("```jot") >= 7
