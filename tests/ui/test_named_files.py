"""A file that names its method is brought in by the window as the command line reads it: by the keys of the person, the same figures."""

from __future__ import annotations

import pytest

from tests.command_line import said
from tests.test_docs_jot import EXAMPLES, HERE, method
from ubrant.ui.findings.import_dialog import ImportDialog

NAMED = [text for text, _ in EXAMPLES if method(text) in HERE]


def bring_in(window, qtbot, path):
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: window.findings.shown() is not None, timeout=5000)
    return window.findings.shown()[2]


@pytest.mark.parametrize("text", NAMED, ids=[method(text) for text in NAMED])
def test_every_example_of_the_guide(window, qtbot, tmp_path, text, monkeypatch):
    monkeypatch.setattr(ImportDialog, "exec", lambda self: pytest.fail("asked what it was"))
    path = tmp_path / "notes.jot"
    path.write_text(text, "utf-8")
    account = bring_in(window, qtbot, path)
    on_the_line = said(str(path))
    assert account.sentence == on_the_line["sentence"]
    for key, figure in on_the_line["findings"].items():
        if figure.get("value") is not None:
            assert account.findings[key].value == pytest.approx(figure["value"]), key
    window.bench.undo.undo()
    assert window.findings.shown() is None


def test_one_that_is_spoilt_is_said_and_nothing_kept(window, qtbot, tmp_path):
    path = tmp_path / "notes.jot"
    path.write_text("method: swep\nunit: Step-down\nlabel: 12 V to 5 V, 2 A\n\ninput 12 V 1 A output 5 V 2 A\n", "utf-8")
    window.imports.bring_in([path])
    qtbot.waitUntil(lambda: "“swep” is no method that this Ubrant knows" in window.said(), timeout=5000)
    assert window.bench.logbook.runs() == []
