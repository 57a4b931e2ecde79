"""Opens one window, waits until it is painted, and ends: ``python benchmarks/window.py bare|demo``. Timed from outside by run.py."""

from __future__ import annotations

import os
import sys
from pathlib import Path


def painted(app, window) -> None:  # type: ignore[no-untyped-def]
    """Show it, let it paint, and leave without tidying up, so that only the way to the first picture counts."""
    window.show()
    app.processEvents()
    window.grab()
    os._exit(0)


if sys.argv[1] == "bare":
    import pyqtgraph as pg
    from PyQt6.QtWidgets import QApplication, QMainWindow

    app = QApplication([])
    window = QMainWindow()
    plots = pg.GraphicsLayoutWidget()
    plots.addPlot().plot([0, 1, 2], [1, 0, 1])
    window.setCentralWidget(plots)
    window.resize(1280, 800)
    painted(app, window)
else:
    from ubrant.logbook.logbook import Logbook
    from ubrant.ui.window.application import make_application
    from ubrant.ui.window.shell import MainWindow

    app = make_application()
    painted(app, MainWindow(Logbook(Path(sys.argv[2])), "Star-dome kit"))
