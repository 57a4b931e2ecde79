"""Gather what the program says into a catalogue to translate: ``./dev words``."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from xml.etree import ElementTree as Xml

from ubrant.ui.window.language import SENTENCES

_SENTENCE_CALLS = {"say", "words"}


def sentences_of(nodes: Sequence[ast.AST]) -> Iterator[tuple[str, str, int]]:
    """(context, text, line) of every ``say``, ``words`` and ``tr`` of the nodes of a module; a ``tr`` belongs to its class."""
    classes = [n for n in nodes if isinstance(n, ast.ClassDef)]
    for node in nodes:
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "say_many":
            yield from (
                (SENTENCES, a.value, node.lineno) for a in node.args[1:] if isinstance(a, ast.Constant) and isinstance(a.value, str)
            )
            continue
        if not (
            isinstance(node, ast.Call) and node.args and isinstance(node.args[0], ast.Constant) and isinstance(node.args[0].value, str)
        ):
            continue
        text, name = node.args[0].value, node.func
        if isinstance(name, ast.Name) and name.id in _SENTENCE_CALLS:
            yield SENTENCES, text, node.lineno
        elif isinstance(name, ast.Attribute) and name.attr == "tr":
            inside = [c.name for c in classes if c.lineno <= node.lineno <= (c.end_lineno or c.lineno)]
            yield (inside[-1] if inside else "QWidget"), text, node.lineno


def titles_of(nodes: Sequence[ast.AST]) -> Iterator[tuple[str, str, int]]:
    """Titles and hints of a form's fields, which are translated where they are shown."""
    for node in nodes:
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in {"Field", "Entry", "Group", "quantity"}:
            for argument in node.args[:5]:
                if isinstance(argument, ast.Constant) and isinstance(argument.value, str) and " " in argument.value.strip():
                    yield SENTENCES, argument.value, node.lineno


def translations_in(source: Path) -> Xml.Element:
    """The catalogue in Qt's own format, nothing translated yet."""
    words_of: dict[str, dict[str, list[str]]] = {}
    for path in sorted(source.rglob("*.py")):
        nodes = list(ast.walk(ast.parse(path.read_text("utf-8"))))
        for context, text, line in (*sentences_of(nodes), *titles_of(nodes)):
            words_of.setdefault(context, {}).setdefault(text, []).append(f"{path.relative_to(source).as_posix()}:{line}")
    root = Xml.Element("TS", version="2.1", sourcelanguage="en")
    for context, texts in sorted(words_of.items()):
        part = Xml.SubElement(root, "context")
        Xml.SubElement(part, "name").text = context
        for text, places in texts.items():
            message = Xml.SubElement(part, "message")
            file, _, number = places[0].rpartition(":")
            Xml.SubElement(message, "location", filename=file, line=number)
            Xml.SubElement(message, "source").text = text
            Xml.SubElement(message, "translation", type="unfinished")
    return root


def main() -> None:
    target = Path(sys.argv[1])
    root = translations_in(Path(__file__).parents[2])
    Xml.indent(root)
    target.write_text('<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n' + Xml.tostring(root, encoding="unicode") + "\n", "utf-8")
    print(f"{sum(1 for _ in root.iter('message'))} sentences and words are in {target}.")


if __name__ == "__main__":
    main()
