"""Setting up what can talk: lines of a board shown as they come, commands of an instrument tried one by one."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from ubrant.bench.instruments import InstrumentError
from ubrant.bench.profile import Profile, ProfileError, keep_own, profiles, read_profile, shipped, shipped_text
from ubrant.bench.streams import LineSource
from ubrant.core.equipment.line_pattern import LinePattern, PatternError
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.quantity import plain
from ubrant.runs.making.benches import try_command
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.work import in_background

_MOST_LINES = 12


def serial_ports(*, as_visa: bool) -> list[str]:
    """This computer's own serial ports; nothing is asked of what hangs on them."""
    from serial.tools import list_ports  # needed only where an instrument is set up

    names = sorted(port.device for port in list_ports.comports())
    return [f"ASRL{name}::INSTR" for name in names] if as_visa else names


class LinesDialog(Dialog):
    """What a board prints, and what is made of it, while the pattern is typed."""

    def __init__(self, meter: Meter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(in_a_line(self.tr("Lines of {name}").format(name=meter.name or self.tr("the board"))))
        self.resize(640, 420)
        self._source = LineSource(meter.name or "The board", meter.details.address, meter.details.baud)
        self._lines: list[str] = []
        self.pattern = QLineEdit(meter.details.profile or "header")
        self.pattern.setAccessibleName(self.tr("Which part is what"))
        self.raw, self.made = QPlainTextEdit(), label("")
        self.raw.setReadOnly(True)
        self.trouble = Callout("bad")
        layout = QVBoxLayout(self)
        layout.addWidget(label(self.tr("As it comes"), "heading"))
        layout.addWidget(self.raw, 1)
        layout.addWidget(
            label(self.tr("Which part is what: “header”, columns such as “2 V, 3 mA”, or a pattern with groups such as (?P<V>…)"))
        )
        layout.addWidget(self.pattern)
        layout.addWidget(self.made)
        layout.addWidget(self.trouble)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=0))
        self._timer = QTimer(self)
        self._timer.setInterval(150)
        self._timer.timeout.connect(self.look)
        self._timer.start()
        self.finished.connect(self._stop)
        self.pattern.textChanged.connect(lambda _: self._read())

    def look(self) -> None:
        """Show what has come since the last look."""
        try:
            self._lines = (self._lines + self._source.lines(wait_s=0.01))[-_MOST_LINES:]
        except InstrumentError as error:
            self.trouble.say("bad", str(error))
            return
        self.raw.setPlainText("\n".join(self._lines))
        self._read()

    def _read(self) -> None:
        try:
            pattern = LinePattern(self.pattern.text())
        except PatternError as error:
            self.trouble.say("bad", str(error))
            return
        found = [values for line in self._lines if (values := pattern.read(line))]
        self.trouble.say("bad", "")
        texts = " · ".join(f"{plain(value, 5)} {quantity}" for quantity, value in (found[-1] if found else {}).items())
        self.made.setText(self.tr("Read as {what}").format(what=texts) if texts else self.tr("Nothing is read of these lines yet."))

    def _stop(self) -> None:
        self._timer.stop()
        self._source.close()


class ProfileDialog(Dialog):
    """A profile to look at, copy, change and try, a command at a time."""

    def __init__(self, meter: Meter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._meter = meter
        self.setWindowTitle(in_a_line(self.tr("Commands of {name}").format(name=meter.name or self.tr("the instrument"))))
        self.resize(760, 620)
        self.choice = QComboBox()
        self.choice.setAccessibleName(self.tr("Profile"))
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(self.tr("Profile as text"))
        self.command = Choice(self.tr("Command"))
        self.value = QLineEdit("0")
        self.value.setAccessibleName(self.tr("Value"))
        self.answer = Callout("plain")
        self.trouble = Callout("bad")
        layout = QVBoxLayout(self)
        layout.addWidget(self.choice)
        layout.addWidget(self.text, 1)
        layout.addWidget(self.trouble)
        self.keep = button(self.tr("Keep it as one of my own"), self._keep)
        layout.addLayout(row(self.keep, QWidget(), stretch=1))
        layout.addWidget(label(self.tr("Try one at {address}").format(address=meter.details.address or self.tr("its address")), "heading"))
        self.try_button = button(self.tr("Send it"), self.try_it, "chief")
        layout.addLayout(row(self.command, self.value, self.try_button, stretch=0))
        layout.addWidget(self.answer)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept), stretch=0))
        self._fill(meter.details.profile)
        self.choice.currentIndexChanged.connect(lambda _: self._chosen())
        self.text.textChanged.connect(self._look)
        self._chosen()

    def profile_name(self) -> str:
        return self.choice.currentText()

    def _fill(self, chosen: str) -> None:
        self._known, troubles = profiles()
        self.choice.blockSignals(True)
        self.choice.clear()
        self.choice.addItems([p.name for p in self._known.values() if p.kind == self._meter.details.role])
        self.choice.setCurrentIndex(max(0, self.choice.findText(chosen)))
        self.choice.blockSignals(False)
        self.trouble.say("bad", "\n".join(troubles))

    def _chosen(self) -> None:
        profile = self._known.get(self.choice.currentText()) or shipped(self._meter.details.role)
        self.text.setPlainText(_as_text(profile))

    def _look(self) -> None:
        try:
            profile = read_profile(self.text.toPlainText(), self.tr("The profile"))
        except ProfileError as error:
            self.trouble.say("bad", str(error))
            self.keep.setEnabled(False)
            self.try_button.setEnabled(False)
            return
        self.trouble.say("bad", "")
        self.keep.setEnabled(True)
        self.try_button.setEnabled(bool(self._meter.details.address))
        chosen = self.command.currentText()
        self.command.clear()
        for name, command in profile.commands.items():
            self.command.addItem(f"{name}:  {command}", name)
        self.command.setCurrentIndex(max(0, self.command.findText(chosen)))

    def _keep(self) -> None:
        try:
            path = keep_own(self.text.toPlainText())
        except ProfileError as error:
            self.trouble.say("bad", str(error))
            return
        profile = read_profile(self.text.toPlainText(), path.name)
        self._fill(profile.name)
        self.answer.say("good", self.tr("Kept as {path}.").format(path=path))

    def try_it(self) -> None:
        """Send the chosen command, beside the window."""
        profile = read_profile(self.text.toPlainText(), "profile")
        name = self.command.currentData()
        try:
            value = float(self.value.text().replace(",", "."))
        except ValueError:
            self.answer.say("bad", self.tr("“{text}” is not a number.").format(text=self.value.text()))
            return
        command = profile.command(name, value) if "{value" in profile.commands[name] else profile.command(name)
        in_background(
            self,
            self.tr("Waiting for its answer …"),
            lambda: try_command(self._meter, profile, command),
            lambda answer: self.answer.say("plain", f"{command}  →  {answer}"),
            lambda error: self.answer.say("bad", str(error)),
        )


def _as_text(profile: Profile) -> str:
    """A profile as TOML: the shipped file with its comments, or what a person's own holds."""
    for file in ("load", "supply", "multimeter"):
        text = shipped_text(file)
        if read_profile(text, file) == profile:
            return text
    head = f'name = "{profile.name}"\nkind = "{profile.kind}"\nidentity = "{profile.identity}"\n\n[commands]\n'
    return head + "\n".join(f'{name} = "{command}"' for name, command in profile.commands.items()) + "\n"
