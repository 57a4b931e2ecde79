"""Which check of the gate is asked of which method: ``./dev gate`` writes docs/gate.md anew. What is not asked keeps its reason, which a person wrote."""

from __future__ import annotations

import re
from pathlib import Path

from tests.making import record_for
from tests.methods.samples import SAMPLES
from ubrant.core.gate.readings import READING_CHECKS
from ubrant.methods.method import WAVE_LOG, Method
from ubrant.methods.registry import entries, method_of

PAGE = Path(__file__).parents[2] / "docs" / "gate.md"
HEAD = """# What is asked of which method

Which checks of the gate ([sums.md](sums.md) has what each asks, and why) each method passes. Written by `./dev gate`; a test fails where a method is neither asked nor excused.
"""
FIGURES = {
    "volts": "Are the volts that were read those of its label? (`core/gate/figures.py`)",
    "figures": "Is what was found so many times what its label says? (`Method.expected`)",
    "laws": "Does what was read at one moment go together by the laws of its path: watts are volts times amperes, what comes into a joint goes out of it? (`core/network`)",
    "against itself": "Does what was found go together with what else was read? (`Method.doubts`)",
    "discharge": "The table of what a discharge has to pass before a battery is judged. (`core/gate/discharge_checks.py`)",
}
KEYS = tuple(entry.key for entry in entries() if entry.key != "notes")
_IN_TAKES = {
    "steady": "steady",
    "smooth": "smooth",
    "falling": "falling",
    "most": "most",
    "spread": "spread",
    "label": "label",
    "asked for": "asked",
}


def asked() -> dict[str, set[str]]:
    """By check the methods that it is asked of, by the sample of each."""
    found: dict[str, set[str]] = {key: set() for key in (*(c.key for c in READING_CHECKS), *FIGURES)}
    for key in KEYS:
        method = method_of(key)
        if method.judges_label:
            found["discharge"].add(key)
        if method.expected:
            found["figures"].add(key)
        if not method.finds_errors_of and method.log != WAVE_LOG:
            found["laws"].add(key)
        if type(method).doubts is not Method.doubts or type(method).misfits is not Method.misfits:
            found["against itself"].add(key)
        sample = SAMPLES.get(key)
        if sample is None:
            continue
        record = record_for(key, sample.prepared(key, by_hand=True), lines=sample.lines)
        takes = method.takes(record)
        for check, name in _IN_TAKES.items():
            if getattr(takes, name):
                found[check].add(key)
        if method.volts_on_label(record.head.setup):
            found["volts"].add(key)
    return found


def excused(text: str) -> dict[str, dict[str, set[str]]]:
    """By check and reason the methods that it is not asked of, as the page has them."""
    made: dict[str, dict[str, set[str]]] = {}
    for title, body in re.findall(r"^## ([^\n]+)\n(.*?)(?=^## |\Z)", text, re.MULTILINE | re.DOTALL):
        made[title] = {reason: set(names.split(", ")) for reason, names in re.findall(r"^- not: ([^:\n]+): (.+)$", body, re.MULTILINE)}
    return made


def page() -> str:
    """The page with what is asked now, and the reasons that were there."""
    known, now = excused(PAGE.read_text("utf-8")) if PAGE.exists() else {}, asked()
    parts = [HEAD]
    for check, what in (*((c.key, c.reason) for c in READING_CHECKS), *FIGURES.items()):
        lines = [f"## {check}", "", what, "", f"- asked: {', '.join(k for k in KEYS if k in now[check])}"]
        for reason, names in known.get(check, {}).items():
            if left := [k for k in KEYS if k in names and k not in now[check]]:
                lines.append(f"- not: {reason}: {', '.join(left)}")
        parts.append("\n".join(lines) + "\n")
    return "\n".join(parts)


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
