"""What is freed is freed in the window's thread: widgets go there, and nowhere else."""

from __future__ import annotations

import gc
import threading

from ubrant.ui.widgets.work import quietly


def test_work_beside_the_window_collects_nothing_there(window, qtbot, monkeypatch):
    collected, done = [], []
    monkeypatch.setattr(gc, "callbacks", gc.callbacks)
    note = lambda phase, _: collected.append(threading.get_ident()) if phase == "start" else None  # noqa: E731
    gc.callbacks.append(note)
    try:
        for _ in range(4):
            quietly(window, lambda: [[] for _ in range(20_000)] and [one.append(one) for one in [[] for _ in range(20_000)]], done.append)
        qtbot.waitUntil(lambda: len(done) == 4)
        assert not gc.isenabled()
        for _ in range(3):
            window._collector.look()
        here = threading.get_ident()
        assert collected
        assert set(collected) == {here}
    finally:
        gc.callbacks.remove(note)
