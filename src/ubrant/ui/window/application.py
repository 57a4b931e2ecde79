"""Starting the window, and ending it properly whatever happens: with the load off and the run kept."""

from __future__ import annotations

import contextlib
import signal
import socket
import sys
import threading
from importlib import resources
from pathlib import Path
from types import TracebackType

import platformdirs
from PyQt6.QtCore import QSettings, QSocketNotifier, Qt, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from ubrant.bench.orders import Order
from ubrant.diagnostics import keep_log, unexpected
from ubrant.logbook.file import LogbookError
from ubrant.ui.widgets import theme
from ubrant.ui.widgets.settings import ground
from ubrant.ui.window import language
from ubrant.ui.window.opening import open_or_ask
from ubrant.ui.window.shell import MainWindow, recent
from ubrant.ui.window.shell import remember as remember_logbook
from ubrant.ui.window.warm import load_in_idle_moments
from ubrant.ui.window.zoom import prepare_zoom, start_again

_SWITCH_S = 0.0005
"""How long a thread that sums up may keep the window waiting each time it asks: with Python's own 5 ms, two hundred small steps become a second."""


def make_application() -> QApplication:
    """The one QApplication, dressed."""
    QApplication.setApplicationName("ubrant")
    QApplication.setOrganizationName("ubrant")
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    prepare_zoom()
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    keep_log()
    sys.setswitchinterval(_SWITCH_S)
    app = QApplication(sys.argv[:1])
    app.setApplicationDisplayName("Ubrant")
    app.setDesktopFileName("org.ubrant.Ubrant")
    app.setWindowIcon(QIcon(str(resources.files("ubrant.ui").joinpath("icons/ubrant.svg"))))
    language.install(app)
    theme.apply(app, ground())
    hints = app.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(lambda _: theme.choose_ground(app, ground()))
    return app


def open_window(path: Path | None = None) -> int:
    """The last logbook, a fresh one, or the one named; returns the exit code."""
    app = make_application()
    wanted = path or next(iter(recent()), platformdirs.user_data_path("ubrant") / "logbook.ubrant")
    return _show(app, wanted, "", remember=True)


def open_demo() -> int:
    """The demo logbook; where it is not there yet its shelf is shown at once, and its runs as they are made."""
    from ubrant.demo.dome import being_made, demo_path, furnish

    app = make_application()
    path = demo_path()
    if not path.exists():
        furnish(path)
    return _show(app, path, "Star-dome kit", remember=False, grows=being_made(path).exists())


def _show(app: QApplication, path: Path, title: str, *, remember: bool, grows: bool = False) -> int:
    logbook = open_or_ask(path, None)
    if logbook is None:
        return 2
    if remember:
        remember_logbook(logbook.path)
    window = MainWindow(logbook, title)
    guard_slots(app, window)
    window.show()
    load_in_idle_moments(window)
    if grows and not logbook.read_only:
        from ubrant.ui.window.growing import GrowingDemo

        QTimer.singleShot(0, GrowingDemo(window.bench, window).start)
    code = app.exec()
    if window.zoom.wants_start:
        here = window.bench.logbook.path
        start_again(["demo"] if here == path and not remember else ["--logbook", str(here)])
    return code


_LOOK_MS, _LOOKS = 50, 400
"""How often a program that was told to end looks whether it may, and how many times: twenty seconds in all."""


def guard_slots(app: QApplication, window: MainWindow) -> None:
    """SIGTERM, SIGHUP and the end of the desktop session end a run with the load off. An exception in a slot is logged and said, and the run goes on."""

    def end_run() -> None:
        if window.bench.session is not None:
            window.bench.session.end(order=Order.CLOSE)

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, LogbookError):  # it says by itself what is amiss and what to do
            with contextlib.suppress(RuntimeError):
                window.bench.said.emit(str(error))
            return
        sys.__excepthook__(kind, error, trace)
        unexpected("a slot or a thread", error)
        with contextlib.suppress(RuntimeError):  # by a signal, since this may be another thread than the window's
            going_on = "The run goes on, and what it reads is kept. " if window.bench.is_running else ""
            window.bench.said.emit(
                f"Something went wrong in Ubrant ({kind.__name__}: {str(error)[:200]}). {going_on}Help → Copy diagnostics has what to send along."
            )

    sys.excepthook = caught
    threading.excepthook = lambda args: caught(args.exc_type, args.exc_value or RuntimeError(), args.exc_traceback)
    app.commitDataRequest.connect(lambda _: end_run())
    ours, theirs = socket.socketpair()
    ours.setblocking(False)
    theirs.setblocking(False)
    signal.set_wakeup_fd(theirs.fileno())
    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, lambda *_: None)
    notifier = QSocketNotifier(ours.fileno(), QSocketNotifier.Type.Read, window)  # type: ignore[call-overload]  # the stub wants a voidptr

    ending = QTimer(window)
    ending.setInterval(_LOOK_MS)
    looks = iter(range(_LOOKS))

    def signalled() -> None:
        ours.recv(64)
        if window.bench.session is not None and window.bench.is_running:
            window.bench.session.order(Order.CLOSE)
        ending.start()
        look()

    def look() -> None:
        """Leave once the load is off; at last also where nobody comes to say that it is."""
        session, number = window.bench.session, next(looks, None)
        if session is not None and window.bench.is_running and number is not None:
            if number == _LOOKS // 2 and session.progress.phase == "may be on":
                session.order(Order.CLOSE)
            return
        ending.stop()
        window.bench.session = None
        window.close()
        app.quit()

    ending.timeout.connect(look)
    notifier.activated.connect(signalled)
    window.wakeup = (ours, theirs, notifier)  # type: ignore[attr-defined]  # they must live as long as the window
