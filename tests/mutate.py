"""Do the tests notice a spoilt sum? ``./dev mutate [COUNT] [SEED] [PART …]`` changes random places of core and of the methods' sums, one at a time.

Each change (an operator, a comparison, a condition, a constant) is made in a copy of the project, and the tests that run through its line are run there until
one turns red.
What no test notices is printed with its place: it gets a test, or a reason why it is harmless.
"""

from __future__ import annotations

import ast
import os
import shutil
import subprocess
import sys
import tempfile
import zlib
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from itertools import accumulate
from pathlib import Path
from queue import SimpleQueue
from xml.etree import ElementTree

from coverage import CoverageData

ROOT = Path(__file__).parent.parent
PARTS = ("src/ubrant/core", "src/ubrant/methods")
TESTS = ("tests/said", "tests/core", "tests/trust", "tests/goldens", "tests/methods", "tests/reference", "tests/test_cli.py")
_PYTEST = (sys.executable, "-m", "pytest", "-m", "not slow")
_START_S, _SLOWER, _AT_MOST_S = 60.0, 6.0, 60.0
_NONE_COLLECTED = 5
_FIRST = "tests/said/test_said.py"
LEFT_OUT = shutil.ignore_patterns(".git", ".venv", ".mypy_cache", ".ruff_cache", ".hypothesis", "__pycache__", "build")
_OPERATORS = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.Pow: "*"}
_COMPARISONS = {ast.Lt: ">=", ast.LtE: ">", ast.Gt: "<=", ast.GtE: "<", ast.Eq: "!=", ast.NotEq: "=="}
_WORDS = {"say", "words", "show", "plain", "show_duration", "show_with", "grouped", "Group", "Field"}
"""What is put into words is no sum: how many digits are shown, and what a form offers."""
_HARMLESS = {"frozen", "eq", "compare", "repr", "strict", "kw_only"}
"""Keywords that say nothing of a sum."""


@dataclass(frozen=True)
class Change:
    """One place of a file, and what stands there instead."""

    path: str
    line: int
    start: int
    end: int
    instead: str

    def made_in(self, text: str) -> str:
        data = text.encode()
        return (data[: self.start] + self.instead.encode() + data[self.end :]).decode()


def _nodes(tree: ast.AST) -> Iterator[ast.expr]:
    """Every expression that is computed: no annotations, no defaults of text, no docstrings."""
    for child in ast.iter_child_nodes(tree):
        if isinstance(child, ast.AnnAssign):
            if child.value is not None:
                yield child.value
                yield from _nodes(child.value)
            continue
        if isinstance(child, ast.keyword) and child.arg in _HARMLESS:
            continue
        if isinstance(child, ast.Call) and isinstance(child.func, ast.Name) and child.func.id in _WORDS:
            continue
        if isinstance(child, ast.arg | ast.JoinedStr) or (isinstance(child, ast.expr) and child is getattr(tree, "returns", None)):
            continue
        if isinstance(child, ast.expr):
            yield child
        yield from _nodes(child)


def changes_of(path: str, text: str) -> list[Change]:
    """Every change that can be made in a file."""
    starts = [0]
    for line in text.encode().splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    made: list[Change] = []

    def at(node: ast.expr, before: ast.expr | None, after: ast.expr | None, instead: str) -> None:
        start = starts[(before.end_lineno or 1) - 1] + (before.end_col_offset or 0) if before else starts[node.lineno - 1] + node.col_offset
        end = starts[after.lineno - 1] + after.col_offset if after else starts[(node.end_lineno or 1) - 1] + (node.end_col_offset or 0)
        between = text.encode()[start:end].decode()
        if before and after:  # keep brackets and line ends that stand beside the operator
            kept = "".join(c for c in between if c in "()\n[] ")
            opening = kept.rfind(")") + 1
            instead = f"{kept[:opening]} {instead} {kept[opening:]}"
        made.append(Change(path, node.lineno, start, end, instead))

    for node in _nodes(ast.parse(text)):
        match node:
            case ast.BinOp(left, operator, right) if type(operator) in _OPERATORS and not _is_text(left) and not _is_text(right):
                at(node, left, right, _OPERATORS[type(operator)])
            case ast.Compare(left, [operator], [right]) if type(operator) in _COMPARISONS:
                at(node, left, right, _COMPARISONS[type(operator)])
            case ast.BoolOp(operator, [first, second]):
                at(node, first, second, "and" if isinstance(operator, ast.Or) else "or")
            case ast.UnaryOp(ast.Not(), operand):
                at(node, None, None, f"bool({ast.unparse(operand)})")
            case ast.IfExp(test, body, otherwise):
                at(node, None, None, f"(({ast.unparse(body)}) if not ({ast.unparse(test)}) else ({ast.unparse(otherwise)}))")
            case ast.Constant(bool() as value):
                at(node, None, None, str(not value))
            case ast.Constant(int() | float() as value):
                at(node, None, None, repr(value + 1 if isinstance(value, int) else 1.3 * value + (value == 0)))
    return made


def _is_text(node: ast.expr) -> bool:
    return isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str))


def _placed(path: str, text: str) -> Iterator[tuple[str, Change]]:
    """Each change with what tells its place whatever else is changed in the file: its line's text, and which of several alike it is."""
    lines, seen = text.splitlines(), Counter[str]()
    for change in changes_of(path, text):
        place = f"{path} {lines[change.line - 1].strip()} {change.instead.strip()}"
        seen[place] += 1
        yield f"{place} {seen[place]}", change


def chosen(count: int, seed: int, parts: tuple[str, ...]) -> list[Change]:
    """So many changes, spread at random over all that could be made in these files and folders; those that are no Python are left out.

    Which they are hangs on the seed and on each place itself: a line that is added somewhere else moves none of them.
    """
    paths = sorted(p for part in parts for p in ([ROOT / part] if part.endswith(".py") else (ROOT / part).rglob("*.py")))
    texts = {str(p.relative_to(ROOT)): p.read_text("utf-8") for p in paths}
    every = [(place, change) for path, text in texts.items() for place, change in _placed(path, text)]
    ordered = [change for _, change in sorted(every, key=lambda one: zlib.crc32(f"{seed} {one[0]}".encode()))]
    sound: list[Change] = []
    for change in ordered:
        if len(sound) == count:
            break
        try:
            ast.parse(change.made_in(texts[change.path]))
        except SyntaxError:
            continue
        sound.append(change)
    return sound


@dataclass(frozen=True)
class Cover:
    """Which tests run through a line, and how long each takes."""

    lines: dict[str, dict[int, list[str]]]
    seconds: dict[str, float]

    def tests(self, change: Change) -> list[str]:
        """The tests that run through the line, the quickest first; and whole files of them where it was run for all the tests of a file at once.

        A line that runs when its module is read is one for every file of tests that runs through the module.
        """
        lines = self.lines.get(change.path, {})
        through = {c for c in lines.get(change.line, ()) if c}
        if not through:
            return self._quickest({_file_of(c) for contexts in lines.values() for c in contexts if c})
        shared = {_file_of(c) for c in through if c.endswith("|setup")}
        single = {c.split("|")[0] for c in through if _file_of(c) not in shared}
        return self._quickest(single | shared)

    def _quickest(self, tests: set[str]) -> list[str]:
        """As many as take a minute: who waits for the last one never comes to the end. What is told word for word notices most, and comes first."""
        ordered = sorted(tests, key=lambda t: (not t.startswith(_FIRST), self.seconds.get(t, 0.0)))
        until = accumulate(self.seconds.get(t, 0.0) for t in ordered)
        return [t for t, spent in zip(ordered, until, strict=True) if spent <= _AT_MOST_S] or ordered[:1]

    def longest_s(self, tests: list[str]) -> float:
        """Longer than this they take only where the change never ends."""
        return _START_S + _SLOWER * sum(self.seconds.get(t, 1.0) for t in tests)


def _file_of(test: str) -> str:
    return test.split("::")[0]


def covered(copy: Path) -> Cover:
    """All tests once, with the lines each runs through."""
    results = copy / "results.xml"
    sources = [f"--cov={part}" for part in PARTS]
    command = [*_PYTEST, "-n", str(os.cpu_count()), *sources, "--cov-context=test", "--cov-report=", f"--junitxml={results}", *TESTS]
    subprocess.run(command, cwd=copy, env=_environment(copy), check=True)
    data = CoverageData(str(copy / ".coverage"))
    data.read()
    lines = {str(Path(f).relative_to(copy)): data.contexts_by_lineno(f) for f in data.measured_files()}
    seconds: dict[str, float] = {}
    for case in ElementTree.parse(results).iter("testcase"):
        file = case.attrib["classname"].replace(".", "/") + ".py"
        for test in (file, f"{file}::{case.attrib['name']}"):
            seconds[test] = seconds.get(test, 0.0) + float(case.attrib["time"])
    return Cover(lines, seconds)


def _environment(copy: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(copy / "src"), "QT_QPA_PLATFORM": "offscreen", "PYTHONDONTWRITEBYTECODE": "1"}


def is_noticed(copy: Path, change: Change, cover: Cover) -> bool:
    """Whether a test turns red in a copy with the change in it; the copy is as it was afterwards."""
    file = copy / change.path
    before = file.read_text("utf-8")
    file.write_text(change.made_in(before), "utf-8")
    try:
        tests = cover.tests(change)
        command = [*_PYTEST, "-x", "-n0", *tests]
        try:
            done = subprocess.run(
                command, cwd=copy, env=_environment(copy), capture_output=True, timeout=cover.longest_s(tests), check=False
            )
        except subprocess.TimeoutExpired:
            return True
        return bool(tests) and done.returncode not in {0, _NONE_COLLECTED}
    finally:
        file.write_text(before, "utf-8")


def main() -> None:
    count, seed = (int(a) for a in (*sys.argv[1:3], *("200", "1")[len(sys.argv[1:3]) :]))
    changes = chosen(count, seed, tuple(sys.argv[3:]) or PARTS)
    lines = {change: (ROOT / change.path).read_text("utf-8").splitlines()[change.line - 1].strip() for change in changes}
    with tempfile.TemporaryDirectory() as folder:
        copies: SimpleQueue[Path] = SimpleQueue()
        for number in range(os.cpu_count() or 1):
            copies.put(shutil.copytree(ROOT, Path(folder) / str(number), ignore=LEFT_OUT))

        first = copies.get()
        cover = covered(first)
        copies.put(first)

        def tried(change: Change) -> bool:
            copy = copies.get()
            try:
                return is_noticed(copy, change, cover)
            finally:
                copies.put(copy)

        survived = 0
        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            waited_for = {pool.submit(tried, change): change for change in changes}
            for number, future in enumerate(as_completed(waited_for), 1):
                change = waited_for[future]
                survived += not future.result()
                word = "noticed" if future.result() else "NOT NOTICED"
                print(
                    f"{number} of {count}: {word}: {change.path}:{change.line}: {lines[change]}   →   {change.instead.strip()}", flush=True
                )
    print(f"{len(changes) - survived} of {len(changes)} noticed")


if __name__ == "__main__":
    main()
