"""What every method found by every road before records and accounts were one, it finds still; what differs stands in a list with its reason."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest

from ubrant.core.account import Account, account_to_json
from ubrant.logbook.logbook import Logbook
from ubrant.runs.accounts import account_of_kept
from ubrant.runs.bringing_in import Told, read_file

DATA = Path(__file__).parent / "data"
FINDINGS = json.loads((DATA / "findings.json").read_text("utf-8"))
COMMANDS = json.loads((DATA / "command-line.json").read_text("utf-8"))
TYPED_WIDTHS = "the digits that were typed are in the ± now"
DIFFERS: dict[str, dict[str, str]] = {
    name: {"every": TYPED_WIDTHS, "sentence": TYPED_WIDTHS, "warnings": TYPED_WIDTHS}
    for name in ("sweep typed", "sweep interrupted", "load steps typed", "idle typed", "modes typed", "supply typed")
}
"""By run: finding, or ``warnings``, and why it differs."""


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    path = tmp_path_factory.mktemp("goldens") / "before.ubrant"
    shutil.copy(DATA / "before.ubrant", path)
    made = Logbook(path)
    yield made
    made.close()
    assert path.with_suffix(".format3.ubrant").exists(), "the migration keeps a copy"


@pytest.mark.parametrize("name", FINDINGS)
def test_a_logbook_of_the_format_before_says_what_it_said(book, name):
    told = FINDINGS[name]
    account = account_of_kept(book.kept(book.run(told["run"])).record())
    assert not account.trouble
    same(account, told["findings"], DIFFERS.get(name, {}))
    assert account.sentence == told["sentence"] or "sentence" in DIFFERS.get(name, {})
    assert account.ended_by == told["ended_by"]
    assert set(told["warnings"]) <= set(account.warnings) or "warnings" in DIFFERS.get(name, {})
    if "verdict" in told:
        assert account.verdict.word == told["verdict"]
        assert len(account.gaps) == told["gaps"]
    else:
        assert account.verdict is None


def same(account: Account, findings: dict[str, Any], differs: dict[str, str]) -> None:
    assert list(account.findings) == list(findings)
    for key, (value, unit, u) in findings.items():
        found = account.findings[key]
        assert found.unit == unit
        assert as_before(found.value, value), key
        if "every" in differs and u is not None:
            assert found.expanded_uncertainty >= u * (1 - 1e-9), key
        else:
            assert as_before(found.expanded_uncertainty, u), key


def as_before(found: Any, told: Any) -> bool:
    if told is None or found is None or isinstance(told, str):
        return found == told
    return found == pytest.approx(told, rel=1e-9, abs=1e-12)


@pytest.mark.parametrize("name", COMMANDS)
def test_the_command_line_says_of_a_log_what_it_said(name, monkeypatch):
    call, told = COMMANDS[name]["call"], COMMANDS[name]["said"]
    options = (
        dict(zip(call[1::2], call[2::2], strict=False))
        if "--one-meter" not in call
        else {"--method": call[2], **dict(zip(call[4::2], call[5::2], strict=True))}
    )
    said = {key: options.get(f"--{key}", "") for key in ("rated", "cutoff", "chemistry", "tolerance", "battery")}
    accuracies = (options.get("--voltage-accuracy", ""), options.get("--current-accuracy", ""), "", "")
    made = read_file(DATA / call[0], Told(options.get("--method", ""), said, accuracies, "--one-meter" in call))
    account = account_of_kept(made.record())
    assert not account.trouble
    found = account_to_json(account)
    for key, finding in told["findings"].items():
        for what in ("value", "expanded_uncertainty"):
            assert as_before(found["findings"][key][what], finding[what]), key
    assert found["sentence"] == told["verdict"]["sentence"]
    assert found["ended_by"] == told["ended_by"]
    assert set(found["warnings"]) >= {w for w in told["warnings"] if "label" not in w.lower()}
