"""Settings and folders of their own for the tests, and the application dressed as it is for people."""

from __future__ import annotations

from pathlib import Path

import pytest

from ubrant.logbook.logbook import Logbook


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    home = tmp_path_factory.mktemp("home")
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR"):
        monkeypatch.setenv(name, str(home / name))
    monkeypatch.setenv("HOME", str(home))


@pytest.fixture
def logbook(tmp_path: Path):  # type: ignore[no-untyped-def]
    opened = Logbook(tmp_path / "bench.ubrant")
    yield opened
    opened.close()
