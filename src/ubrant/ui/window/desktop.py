"""A good citizen of the desktop: asks it not to sleep during a run, and tells the person when something wants them. All over D-Bus;
where there is none, nothing happens."""

from __future__ import annotations

from PyQt6.QtCore import QMetaType, QObject, QUrl
from PyQt6.QtDBus import QDBusArgument, QDBusConnection, QDBusMessage, QDBusPendingCallWatcher, QDBusPendingReply
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QApplication

_POWER = ("org.freedesktop.PowerManagement", "/org/freedesktop/PowerManagement/Inhibit", "org.freedesktop.PowerManagement.Inhibit")
_NOTES = ("org.freedesktop.Notifications", "/org/freedesktop/Notifications", "org.freedesktop.Notifications")


class Desktop(QObject):
    """``keep_awake`` and ``let_sleep`` may be called as often as one likes."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._bus = QDBusConnection.sessionBus()
        self._cookie: int | None = None
        self._wanted = False
        self._asked: QDBusPendingCallWatcher | None = None

    def keep_awake(self, reason: str) -> None:
        """Ask for no suspend until ``let_sleep``."""
        if self._wanted or not self._bus.isConnected():
            return
        self._wanted = True
        self._asked = QDBusPendingCallWatcher(self._bus.asyncCall(_call(_POWER, "Inhibit", ["Ubrant", reason])), self)
        self._asked.finished.connect(self._answered)

    def _answered(self, watcher: QDBusPendingCallWatcher) -> None:
        reply = QDBusPendingReply(watcher)
        if not reply.isError():
            self._cookie = int(reply.value())
            if not self._wanted:
                self._release()

    def let_sleep(self) -> None:
        """The run is over."""
        self._wanted = False
        self._release()

    def _release(self) -> None:
        if self._cookie is not None:
            self._bus.asyncCall(_call(_POWER, "UnInhibit", [_unsigned(self._cookie)]))
            self._cookie = None

    def tell(self, title: str, text: str) -> None:
        """A notification with a sound; a plain beep where the desktop shows none."""
        if not self._bus.isConnected():
            QApplication.beep()
            return
        actions = QDBusArgument()
        actions.add([], QMetaType.Type.QStringList.value)  # type: ignore[arg-type]  # the stub knows no enum values
        hints = {"sound-name": "complete", "desktop-entry": "org.ubrant.Ubrant"}
        self._bus.asyncCall(_call(_NOTES, "Notify", ["Ubrant", _unsigned(0), "org.ubrant.Ubrant", title, text, actions, hints, -1]))


def open_with_desktop(path: str) -> None:
    """A file, or a folder, with whatever the desktop opens it with."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(path))


def _call(where: tuple[str, str, str], method: str, arguments: list[object]) -> QDBusMessage:
    message = QDBusMessage.createMethodCall(*where, method)
    message.setArguments(arguments)
    return message


def _unsigned(value: int) -> QDBusArgument:
    made = QDBusArgument()
    made.add(value, QMetaType.Type.UInt.value)  # type: ignore[arg-type]
    return made
