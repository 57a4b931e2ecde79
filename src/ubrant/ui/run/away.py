"""*I am away until …*: what ends the run by itself, and when to read again, in the calendar of a telephone."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ubrant.core.quantities.quantity import show_duration
from ubrant.methods import cautions
from ubrant.runs.making.away import back_at, calendar_of, times_until
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, mark_amiss, row
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.settings import folder
from ubrant.writing import write_whole

_ENDS = (
    ("", ""),
    ("the battery's own protection", "the battery's own protection"),
    ("the load's own cut-off", "the load's own cut-off"),
    ("a timer or a relay", "a timer or a relay"),
    ("nothing: it stays on until I am back", ""),
)


class AwayDialog(Dialog):
    """Asks until when, and what cuts off by itself. Where nothing does, it says what to do instead."""

    def __init__(self, name: str, what: str, every_s: float, parent: QWidget | None = None, now: datetime | None = None) -> None:
        super().__init__(parent)
        self._name, self._what, self._every_s = name, what, every_s
        self._now = now or datetime.now().astimezone()
        self.setWindowTitle(self.tr("I am away"))
        self.setMinimumWidth(560)
        self.until = plain_field(self.tr("Until"), hint=self.tr("17:30, or 2 h"))
        self.ends = Choice(self.tr("What ends it by itself"))
        for text, key in _ENDS:
            self.ends.addItem(self.tr(text) if text else self.tr("choose …"), key)
        self.said = Callout("caution")
        self.go = button(self.tr("I am away"), self.accept, "chief")
        self.calendar = button(self.tr("Reading times for a calendar …"), self._save)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(self.tr("I am away until …"), "title"))
        layout.addLayout(row(label(self.tr("Until")), self.until, stretch=1))
        layout.addLayout(row(label(self.tr("It ends by itself through")), self.ends, stretch=1))
        layout.addWidget(self.said)
        layout.addLayout(row(QWidget(), self.calendar, button(self.tr("I stay"), self.reject), self.go, stretch=0))
        self.until.textChanged.connect(lambda _: self.look())
        self.ends.currentIndexChanged.connect(lambda _: self.look())
        self.look()

    def back_at(self) -> datetime | None:
        """When the person is back; None while that cannot be read."""
        return back_at(self.until.text(), self._now)

    def look(self) -> None:
        """What has to be said of it as it stands."""
        back, ends = self.back_at(), str(self.ends.currentData() or "")
        text = self.until.text().strip()
        mark_amiss(self.until, self.tr("“{text}” is no time: write 17:30, or 2 h.").format(text=text) if text and back is None else "")
        if self.ends.currentIndex() == len(_ENDS) - 1:
            self.said.say(
                "bad",
                self.tr(
                    "Then do not leave it: take the load off before you go, and go on when you are back. A pack that is dragged below its floor is damaged, and may burn when it is charged."
                ),
            )
        else:
            self.said.say("caution", " ".join((cautions.HAND_OFF, cautions.SURFACE)))
        self.go.setEnabled(back is not None and bool(ends))
        self.calendar.setEnabled(back is not None and self._every_s > 0)

    def note(self) -> str:
        """What is noted in the run."""
        back = self.back_at()
        assert back is not None
        return self.tr("away until {time}; {what} ends it").format(time=f"{back:%H:%M}", what=self.ends.currentText())

    def away_s(self) -> float:
        back = self.back_at()
        return max((back - self._now).total_seconds(), 0.0) if back is not None else 0.0

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, self.tr("Reading times"), str(folder() / f"{self._name.replace('/', '-')} readings.ics"), self.tr("Calendar (*.ics)")
        )
        if path:
            self.save(Path(path if path.endswith(".ics") else f"{path}.ics"))

    def save(self, path: Path) -> None:
        """Write the reading times until the person is back."""
        back = self.back_at()
        assert back is not None
        times = times_until(self._now, self._every_s, back)
        if not times:
            self.said.say(
                "caution", self.tr("There is no reading until then: one is due every {time}.").format(time=show_duration(self._every_s))
            )
            return
        try:
            write_whole(path, lambda beside: beside.write_bytes(calendar_of(self._name, times, self._what)))
        except OSError as error:
            self.said.say("bad", self.tr("{path} could not be written: {why}.").format(path=path, why=error.strerror or error))
            return
        self.said.say("good", self.tr("{count} reading times are in {path}.").format(count=len(times), path=path))
