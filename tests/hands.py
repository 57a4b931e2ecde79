"""A person's hands at the real window: each key and each click is counted."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QPushButton

from tests.window import typed_row
from ubrant.ui.window.shell import PREPARE


class Hands:
    """Counts each key and each click."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot, self.count = window, qtbot, 0

    def click(self, within, text):
        found = [b for b in within.findChildren(QPushButton) if b.isVisible() and b.text() == text]
        assert found, f"no button says {text}; there are {[b.text() for b in within.findChildren(QPushButton) if b.isVisible()]}"
        self.qtbot.mouseClick(found[0], Qt.MouseButton.LeftButton)
        QApplication.processEvents()
        self.count += 1

    def keys(self, field, text):
        self.qtbot.keyClicks(field, text)
        self.count += len(text)

    def enter(self, field):
        self.qtbot.keyClick(field, Qt.Key.Key_Return)
        self.count += 1

    def choose(self, box: QComboBox, text: str):
        """One of a list: opened, and the one clicked; nothing where it stands there already."""
        if box.currentText() == text:
            return
        place = box.findText(text)
        assert place >= 0, f"{text} is none of {[box.itemText(k) for k in range(box.count())]}"
        box.setCurrentIndex(place)
        box.activated.emit(place)
        QApplication.processEvents()
        self.count += 2

    def write(self, field, text):
        """Into a field, over what stands there."""
        if isinstance(field, QComboBox):
            self.choose(field, text)
            return
        if isinstance(field, QCheckBox):
            if field.isChecked() != (text == "yes"):
                self.qtbot.keyClick(field, Qt.Key.Key_Space)
                self.count += 1
            return
        field.setFocus()
        field.selectAll()
        self.qtbot.keyClick(field, Qt.Key.Key_Delete)
        self.keys(field, text)
        self.count += 2

    def add(self, name, label, kind=""):
        """A thing, from its label: the kind follows from that, unless it is said."""
        self.click(self.window.shelf, "Add a unit")
        form = self.window.shelf._side.findChild(object, "open form")
        self.keys(form.name, name)
        self.enter(form.name)
        self.keys(form.label_text, label)
        if kind:
            self.choose(form.kind, kind)
        self.enter(form.label_text)

    def add_meter(self, name, volts, amps, watts=""):
        self.click(self.window.shelf, "Add a meter")
        form = self.window.shelf._side.findChild(object, "open form")
        for field, text in ((form.name, name), (form.volts, volts), (form.amps, amps), (form.watts, watts)):
            self.keys(field, text)
        self.click(form, "Keep it")

    def measure(self, asked, method):
        sheet = self.window.shelf.answers
        if sheet.more.isVisible() and asked not in [one.asked.text() for one in sheet.entries()]:
            self.click(sheet, sheet.more.text())
        row = next(one for one in sheet.entries() if one.asked.text() == asked)
        if len(row.row.ways) > 1:
            action = next(a for a in row.menu_of_ways().actions() if a.text().startswith(method))
            self.count += 2  # the button, and one of what it offers
            action.trigger()
        else:
            self.click(row, "Measure")
        assert self.window.stage() == PREPARE

    def type_row(self, numbers):
        """Into the row at the foot of the table, where the focus is."""
        typed_row(self.qtbot, self.window, numbers)
        self.count += len(numbers) + 1

    def say(self, line):
        self.keys(self.window.run.jot_line, line)
        self.enter(self.window.run.jot_line)
        self.window.run.tick()
