"""A stand-in for the desktop on a private bus: writes down what it is asked. ``python -m tests.ui.mock_desktop FILE``."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QMetaType, QObject, pyqtClassInfo, pyqtSlot
from PyQt6.QtDBus import QDBusAbstractAdaptor, QDBusArgument, QDBusConnection, QDBusMessage

OUT = Path(sys.argv[1])


def note(text: str) -> None:
    with OUT.open("a") as out:
        out.write(text + "\n")


@pyqtClassInfo("D-Bus Interface", "org.freedesktop.PowerManagement.Inhibit")
class Power(QDBusAbstractAdaptor):
    @pyqtSlot(QDBusMessage)
    def Inhibit(self, message: QDBusMessage) -> None:
        note("inhibit " + " | ".join(str(a) for a in message.arguments()))
        cookie = QDBusArgument()
        cookie.add(77, QMetaType.Type.UInt.value)
        QDBusConnection.sessionBus().send(message.createReply([cookie]))

    @pyqtSlot(QDBusMessage)
    def UnInhibit(self, message: QDBusMessage) -> None:
        note(f"release {message.arguments()[0]}")


@pyqtClassInfo("D-Bus Interface", "org.freedesktop.Notifications")
class Notes(QDBusAbstractAdaptor):
    @pyqtSlot(QDBusMessage)
    def Notify(self, message: QDBusMessage) -> None:
        arguments = message.arguments()
        note(f"notify {message.signature()} {arguments[0]} | {arguments[3]} | {arguments[4]} | {arguments[6]}")


app = QCoreApplication(sys.argv)
bus = QDBusConnection.sessionBus()
power, notes = QObject(), QObject()
Power(power)
Notes(notes)
assert bus.registerService("org.freedesktop.PowerManagement") and bus.registerService("org.freedesktop.Notifications")
bus.registerObject("/org/freedesktop/PowerManagement/Inhibit", power)
bus.registerObject("/org/freedesktop/Notifications", notes)
note("ready")
app.exec()
