"""Settings and folders of their own for the tests, and the application dressed as it is for people."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest
from hypothesis import settings

from tests.changed import Reach, changed_files, reach
from tests.naming import goes_over_all, is_case_of, names
from tests.window import bench_window, dressed, stocked, window  # noqa: F401
from ubrant.bench.afterwards import Afterwards
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # several workers, and the arrays are small
if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
settings.register_profile("same", derandomize=True, database=None)
settings.register_profile("few", derandomize=True, database=None, max_examples=30)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--all", action="store_true", help="also what takes minutes")
    parser.addoption("--changed", action="store_true", help="only what can feel what was changed since the last commit")


_REACH = pytest.StashKey[Reach | None]()


_MEMORY, _ROOM = Path("/dev/shm"), 4 * 2**30


def pytest_configure(config: pytest.Config) -> None:
    """Thousands of logbooks are made and synced: in memory, where there is room, nobody waits for a disk."""
    is_first = config.option.basetemp is None and not hasattr(config, "workerinput")
    if is_first and os.access(_MEMORY, os.W_OK) and shutil.disk_usage(_MEMORY).free >= _ROOM:
        for left in _MEMORY.glob("ubrant-tests-*"):  # of a run that was killed
            if not Path(f"/proc/{left.name.rpartition('-')[2]}").exists():
                shutil.rmtree(left, ignore_errors=True)
        config.option.basetemp = str(_MEMORY / f"ubrant-tests-{os.getpid()}")
        config.add_cleanup(lambda: shutil.rmtree(config.option.basetemp, ignore_errors=True))
    if "UBRANT_FUZZ" not in os.environ:  # generated cases are the same each time, so that a change is what makes a test fail
        settings.load_profile("same" if config.getoption("--all") else "few")
    if config.getoption("--changed"):
        config.stash[_REACH] = reach(changed_files())


def pytest_ignore_collect(collection_path: Path, config: pytest.Config) -> bool | None:
    """With ``--changed`` only files that can feel it are read at all."""
    found = config.stash.get(_REACH, None)
    is_of_tests = collection_path.name.startswith("test_") and collection_path.suffix == ".py"
    return True if found is not None and is_of_tests and not found.has_file(collection_path) else None


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Without ``--all`` what is slow waits; with ``--changed``, or where a method was taken away, only what can feel it is run."""
    for item in items:
        if not config.getoption("--all") and item.get_closest_marker("slow"):
            item.add_marker(pytest.mark.skip(reason="slow: ./dev test --all"))
    chosen = items
    if (found := config.stash.get(_REACH, None)) is not None:
        chosen = [item for item in chosen if found.has(item)]
    if gone := os.environ.get("UBRANT_WITHOUT", ""):
        chosen = [item for item in chosen if _may_miss(item, gone)]
    if len(chosen) < len(items):
        left = set(chosen)
        config.hook.pytest_deselected(items=[item for item in items if item not in left])
        items[:] = chosen


def _may_miss(item: pytest.Item, gone: str) -> bool:
    """What goes over all methods may miss one of them; a case of another does not, and what is about it is of no use without it."""
    return not names(item, gone) and not is_case_of(item, *(one.key for one in entries())) and goes_over_all(item)


@pytest.fixture(scope="session")
def share(request: pytest.FixtureRequest) -> float:
    """How much of what is drawn at random is looked at: all of it with ``--all``, a tenth otherwise."""
    return 1.0 if request.config.getoption("--all") else 1 / 10


@pytest.fixture(scope="session")
def room(share: float) -> float:
    """How far a share may stray by chance where a tenth is looked at; all of it may not."""
    return 0.0 if share == 1.0 else 0.12


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    home = tmp_path_factory.mktemp("home")
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(home / name))
    monkeypatch.setenv("HOME", str(home))


@pytest.fixture(autouse=True)
def nobody_looks_on(monkeypatch: pytest.MonkeyPatch):  # type: ignore[no-untyped-def]
    """Whoever looks on after a run's end goes with its test: by a quick clock it would look, and work, through all that come after."""
    started: list[Afterwards] = []
    honest = Afterwards.start

    def start(self: Afterwards) -> None:
        started.append(self)
        honest(self)

    monkeypatch.setattr(Afterwards, "start", start)
    yield
    for one in started:
        one.leave()


@pytest.fixture(scope="session")
def empty_logbook(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Made once: to copy it is quicker than to make it again."""
    path = tmp_path_factory.mktemp("empty") / "bench.ubrant"
    Logbook(path).close()
    return path


@pytest.fixture
def logbook(tmp_path: Path, empty_logbook: Path):  # type: ignore[no-untyped-def]
    opened = Logbook(Path(shutil.copy(empty_logbook, tmp_path)))
    yield opened
    opened.close()


@pytest.fixture
def small_disk(tmp_path: Path):  # type: ignore[no-untyped-def]
    """A disk of 1 MB, where one may be mounted."""
    folder = tmp_path / "small"
    folder.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", str(folder)], capture_output=True, check=False).returncode:
        pytest.skip("no small disk can be mounted here")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=False)
