"""The sheet of answers of a unit: a row each thing that people want to know, with its answer or with what it takes to know it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.wording import say
from ubrant.runs.kept.answer_sheet import SHOWN_FIRST, AnswerRow, WayToKnow, detail_of
from ubrant.ui.widgets.callout import TONES, VERDICT_TONES, Callout
from ubrant.ui.widgets.forms import button, label
from ubrant.ui.widgets.text import set_tip
from ubrant.ui.widgets.theme import color


class AnswerEntry(QWidget):
    """One row: what is asked, the answer or *not measured*, where it comes from or what it takes, and one button."""

    opened = pyqtSignal(int)
    wanted = pyqtSignal(str)
    foretelling = pyqtSignal()

    def __init__(self, row: AnswerRow, meters: Sequence[Meter] | None, waits_for: Collection[str], *, may_measure: bool) -> None:
        super().__init__()
        self.row = row
        waits = not row.is_known and any(way.entry.key in waits_for for way in row.ways)
        self.asked, self.answer = (label(say(row.enquiry.text), "quiet"), label(row.answer or self._open(waits)))
        self.detail = label(detail_of(row, meters), "quiet")
        if meters is None:  # nothing is there yet that could be known: the question itself stands first
            self.asked.setObjectName("")
            self.answer.hide()
        self.answer.setObjectName("answer" if row.answer else "quiet")
        for text in (self.asked, self.answer, self.detail):
            text.setWordWrap(True)
        self.button = self._button(may_measure)
        column = QVBoxLayout()
        column.setSpacing(1)
        for text in (self.asked, self.answer, self.detail):
            column.addWidget(text)
        inside = QHBoxLayout(self)
        inside.setContentsMargins(13, 5, 0, 6)
        inside.addLayout(column, 1)
        inside.addWidget(self.button)
        self.setAccessibleName(f"{self.asked.text()} {self.answer.text()}. {self.detail.text()}")
        set_tip(self.asked, say(row.enquiry.never))

    def _open(self, waits: bool) -> str:
        if waits:
            return self.tr("being worked out …")
        return self.tr("Not measured") if self.row.ways else self.tr("Not worked out")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """A bar at its left: by whether a wish or a label is met, where that was judged; dashed where nothing is known yet."""
        painter = QPainter(self)
        tone = VERDICT_TONES.get(self.row.verdict) if self.row.run is not None else None
        name = TONES[tone] if tone is not None else "line"
        style = Qt.PenStyle.SolidLine if self.row.is_known else Qt.PenStyle.DashLine
        painter.setPen(QPen(color(name), 3, style))
        painter.drawLine(2, 6, 2, self.height() - 6)

    def _button(self, may_measure: bool) -> QPushButton:
        run = self.row.run
        if run is not None:
            return button(self.tr("Open"), lambda: self.opened.emit(run.id))
        if not self.row.ways:
            return button(self.tr("Work it out"), self.foretelling.emit)
        made = button(self.tr("Measure"), self._measure)
        made.setEnabled(may_measure)
        return made

    def _measure(self) -> None:
        """At once where one test answers it; else each with what it takes."""
        ways = self.row.ways
        if len(ways) == 1:
            self.wanted.emit(ways[0].entry.key)
            return
        self.menu_of_ways().exec(self.button.mapToGlobal(self.button.rect().bottomLeft()))

    def menu_of_ways(self) -> QMenu:
        menu = QMenu(self)
        for way in self.row.ways:
            if (action := menu.addAction(_way(way))) is not None:
                action.triggered.connect(partial(self.wanted.emit, way.entry.key))
        if self.row.enquiry.never and (action := menu.addAction(say(self.row.enquiry.never))) is not None:
            action.setEnabled(False)  # the way that people use and that does not answer
        return menu


class AnswersView(QWidget):
    """The rows of one unit. While it is shown they keep their places; what is typed above them narrows them."""

    opened = pyqtSignal(int)
    wanted = pyqtSignal(str)
    foretelling = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText(self.tr("What do you want to know? “how long”"))
        self.sought.setAccessibleName(self.tr("What do you want to know?"))
        self.sought.setClearButtonEnabled(True)
        self.sought.textChanged.connect(lambda _: self._narrow())
        self.more = button("", self._show_more, "link")
        self.none_fits = Callout("plain")
        self._told: list[AnswerRow] = []
        self._entries: dict[str, AnswerEntry] = {}
        self._make: Callable[[AnswerRow], AnswerEntry]
        self._all = False
        self._unit_id, self._has_places = 0, False
        self._rows = QVBoxLayout()
        self._rows.setSpacing(0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.sought)
        column.addLayout(self._rows)
        column.addWidget(self.none_fits)
        column.addWidget(self.more)

    def entries(self) -> list[AnswerEntry]:
        """Those that are seen."""
        made = (self._entries.get(row.enquiry.key) for row in self._told)
        return [entry for entry in made if entry is not None and not entry.isHidden()]

    def show_rows(
        self, unit_id: int, rows: Sequence[AnswerRow], meters: Sequence[Meter] | None, waits_for: Collection[str], *, may_measure: bool
    ) -> None:
        """Those of a unit; of the one that is shown already each stays where it stands.

        Parameters
        ----------
        meters : on the shelf; None where there is no shelf yet, and only what each takes is said
        waits_for : methods of which a run is being worked out still: until then nothing has its place
        """
        same = unit_id == self._unit_id
        if same and self._has_places:
            places = {row.enquiry.key: place for place, row in enumerate(self._told)}
            rows = sorted(rows, key=lambda row: places.get(row.enquiry.key, len(places)))
        elif not same:
            self._all = False
            self.sought.clear()
        self._unit_id, self._has_places = unit_id, (same and self._has_places) or not waits_for
        for entry in self._entries.values():
            self._rows.removeWidget(entry)
            entry.hide()
            entry.deleteLater()
        self._told, self._entries = list(rows), {}
        self._make = partial(AnswerEntry, meters=meters, waits_for=waits_for, may_measure=may_measure)
        self.sought.setVisible(len(rows) > 1)
        self._narrow()

    def _narrow(self) -> None:
        """Rows are made once they are seen: most of a sheet stays behind *more*."""
        sought = self.sought.text().strip()
        fitting = [row for row in self._told if row.enquiry.is_meant_by(sought)]
        shown = fitting if self._all or sought else fitting[:SHOWN_FIRST]
        for place, row in enumerate(self._told):
            entry = self._entries.get(row.enquiry.key)
            if row in shown and entry is None:
                entry = self._entries[row.enquiry.key] = self._make(row)
                entry.opened.connect(self.opened)
                entry.wanted.connect(self.wanted)
                entry.foretelling.connect(self.foretelling)
                self._rows.insertWidget(sum(before.enquiry.key in self._entries for before in self._told[:place]), entry)
            if entry is not None:
                entry.setVisible(row in shown)
        self.more.setText(self.tr("{count} more …").format(count=len(fitting) - len(shown)))
        self.more.setVisible(len(shown) < len(fitting))
        self.none_fits.say("plain", "" if fitting or not sought else self.tr("Nothing of that is measured here; try another word for it."))

    def _show_more(self) -> None:
        self._all = True
        self._narrow()


def _way(way: WayToKnow) -> str:
    return f"{way.title}: {way.how.effort()}"
