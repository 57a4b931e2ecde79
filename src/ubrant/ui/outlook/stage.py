"""Outlook: what runs from what, through what, when; how long, how sure, what goes first, and what would help."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QKeySequence, QShortcut, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.outlook.answers import OutlookAnswer, look, look_quickly, time_to_put_back, what_buys_time
from ubrant.core.outlook.duty import Duty
from ubrant.core.outlook.kit import Kit
from ubrant.core.quantities.quantity import QuantityError, plain, show, show_duration
from ubrant.core.record.power_path import PowerPath
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError, KitPart, read_kit
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, in_the_window, kit_part_of, load_row, rows_of, to_toml
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.outlooks import cautions_of, goes_dark, parse_wanted, path_of, sentence, size_of, size_sentence
from ubrant.runs.kits.past_outlooks import Past, happened, inputs_of, kit_corrected, past_of
from ubrant.runs.kits.promised_tests import promises_kept, what_came
from ubrant.runs.kits.swap_plan import swap_calendar, swap_card, swaps_of
from ubrant.runs.kits.worth_measuring import WorthMeasuring, worth_measuring
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.outlook.day import DayView, Strips, TimeAxis
from ubrant.ui.outlook.next_view import NextView
from ubrant.ui.outlook.rows import KitRows
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, clear, label, mark_amiss, row
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.theme import LARGE, font
from ubrant.ui.widgets.work import quietly
from ubrant.writing import write_whole

_PIECES = 292
_QUIET_MS = 180


class OutlookStage(StageFrame):
    """The middle of everything at once, the band a moment later."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self.looked: OutlookAnswer | None = None
        self.part: KitPart | None = None
        self._kit: Kit | None = None
        self._past: Past | None = None
        self._worth: WorthMeasuring | None = None
        self.variants: list[tuple[str, list[tuple[str, str]], str]] = []
        self._asked = 0
        self._stale = True
        self._axis = TimeAxis()
        self.pieces = KitRows(((SOURCE, self.tr("Runs from")), (WAY, self.tr("Through")), (INPUT, self.tr("Comes in"))))
        self.loads = KitRows(((LOAD, ""),))
        self.day, self.strips = DayView(self._axis), Strips(self._axis)
        self.starts = QLineEdit("")
        self.starts.setPlaceholderText("17:30")
        self.starts.setFixedWidth(90)
        self.starts.setAccessibleName(self.tr("Switched on at"))
        self.called = QLineEdit("")
        self.called.setAccessibleName(self.tr("What it is called"))
        self.called.setPlaceholderText(self.tr("an evening out"))
        self.hours = QLineEdit("5 h")
        self.hours.setAccessibleName(self.tr("For how long"))
        self.hours.setPlaceholderText("5 h")
        self.verdict, self.trouble, self.cautions = Callout("plain"), Callout("bad"), Callout("caution")
        self.kept_box, self.run_box = Choice(self.tr("Outlooks kept before")), Choice(self.tr("What then happened"))
        self._answers, self._gains, self._others = QGridLayout(), QVBoxLayout(), QVBoxLayout()
        self.compared, self.next = label("", "quiet"), NextView()
        self.apply_button = button(self.tr("Apply it"), self._apply, "link")
        self.keep_button = button(self.tr("Keep this outlook"), self._keep)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_QUIET_MS)
        self._later.timeout.connect(self._look_closely)
        self.aside.setObjectName("dark")
        self._build()
        for rows in (self.pieces, self.loads):
            rows.changed.connect(self.look)
        for field in (self.called, self.starts, self.hours):
            field.textEdited.connect(lambda _: self.look())
        self.strips.dragged.connect(self._dragged)
        self.kept_box.activated.connect(self._recall)
        self.run_box.activated.connect(self._link)
        QShortcut(QKeySequence("Ctrl+Shift+L"), self).activated.connect(lambda: self.loads.empty(LOAD).setFocus())
        self.next.wanted.connect(self._measure)
        bench.shelf_changed.connect(self._shelf_changed)
        bench.closing.connect(self._later.stop)
        self.show_rows([])

    # how it is laid out

    def _build(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addLayout(row(label(self.tr("Called")), self.called, stretch=1))
        left.addWidget(self.pieces)
        left.addLayout(row(label(self.tr("Switched on at")), self.starts, stretch=0))
        left.addStretch(1)
        above, below = QHBoxLayout(), QHBoxLayout()
        held = QWidget()
        held.setFixedWidth(_PIECES)
        left.setContentsMargins(0, 0, 12, 0)
        held.setLayout(left)
        above.addWidget(held)
        above.addWidget(self.day, 1)
        self.loads.setFixedWidth(_PIECES)
        self.loads.setContentsMargins(0, 2, 12, 0)
        below.addWidget(self.loads, 0, Qt.AlignmentFlag.AlignTop)
        below.addWidget(self.strips, 1, Qt.AlignmentFlag.AlignTop)
        above.setSpacing(0)
        below.setSpacing(0)
        self.main.addLayout(above, 1)
        self.main.addWidget(
            label(self.tr("Loads: what each draws and when. Drag a stretch, or write “19:30 to 22:00”, “8 of 20 min”, “40 %”."), "quiet")
        )
        self.main.addLayout(below)
        side = self.side
        side.addWidget(label(self.tr("Answers"), "heading"))
        for widget in (self.trouble, self.verdict):
            side.addWidget(widget)
        self._answers.setColumnStretch(0, 1)
        self._answers.setVerticalSpacing(2)
        side.addLayout(self._answers)
        side.addLayout(row(label(self.tr("It is to last")), self.hours, stretch=1))
        self.size_line = label("", "")
        self.size_line.setWordWrap(True)
        side.addWidget(self.size_line)
        self._gains_title = label(self.tr("What buys the most time"), "heading")
        side.addWidget(self._gains_title)
        side.addLayout(self._gains)
        side.addWidget(self.next)
        side.addWidget(self.cautions)
        side.addLayout(self._others)
        side.addSpacing(4)
        side.addLayout(row(button(self.tr("Copy as what-if"), self.copy_variant), self.keep_button))
        side.addWidget(self.kept_box)
        side.addWidget(self.run_box)
        side.addWidget(self.compared)
        side.addWidget(self.apply_button)
        side.addLayout(
            row(button(self.tr("Swap card …"), self._save_card, "link"), button(self.tr("Calendar …"), self._save_calendar, "link"))
        )
        side.addLayout(row(button(self.tr("Open a file …"), self._open, "link"), button(self.tr("Save as a file …"), self._save, "link")))
        side.addStretch(1)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.PaletteChange, QEvent.Type.StyleChange):
            self.day.update()
            self.strips.update()

    def _shelf_changed(self) -> None:
        self._stale = True
        if self.isVisible():
            self.offer()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.offer()

    # what there is to choose from

    def offer(self) -> None:
        """Units of the shelf, outlooks kept before, runs that may be what then happened."""
        self._stale = False
        logbook = self._bench.logbook
        units = logbook.units()
        holds = {"battery", "bank", "station", "source"}
        offered = {
            SOURCE: [u.name for u in units if u.kind in holds],
            WAY: [u.name for u in units if u.kind in {"converter", "inverter"}],
            LOAD: [u.name for u in units if u.kind == "load"],
        }
        for rows in (self.pieces, self.loads):
            rows.offer(offered)
        self._measured = measured_in(logbook)
        self.kept_box.clear()
        self.kept_box.addItem(self.tr("kept before …"), None)
        for kept in logbook.outlooks():
            self.kept_box.addItem(kept.name, kept)
        self.kept_box.setVisible(self.kept_box.count() > 1)
        self.run_box.clear()
        self.run_box.addItem(self.tr("what then happened …"), None)
        for run, name in logbook.runs(limit=60):
            if run.state != "running":
                self.run_box.addItem(f"{name or run.source}, {datetime.fromisoformat(run.started).astimezone():%-d %b %Y}", run.id)
        if not self.pieces.rows() and not self.loads.rows():
            self._begin_with_something()
        self.show_rows([*self.pieces.rows(), *self.loads.rows()])

    def _begin_with_something(self) -> None:
        """The newest battery that was measured, and a load to be written over."""
        logbook = self._bench.logbook
        for unit in sorted(logbook.units(), key=lambda u: -u.id):
            if unit.kind in {"battery", "bank", "station"} and self._measured.newest("source", unit.name) is not None:
                self.pieces.show_rows([(SOURCE, f"{unit.name}, usable 90 %")])
                self.loads.show_rows([(LOAD, "load 60 W")])
                return

    def show_rows(self, rows: list[tuple[str, str]]) -> None:
        """These pieces, from now on."""
        self.pieces.show_rows([r for r in rows if r[0] != LOAD])
        self.loads.show_rows([r for r in rows if r[0] == LOAD])
        self.look()

    def add_unit(self, name: str, kind: str) -> None:
        """One more piece, by its name on the shelf."""
        if self._stale:
            self.offer()
        piece = {"converter": WAY, "inverter": WAY, "load": LOAD, "charger": INPUT}.get(kind, SOURCE)
        rows = [*self.pieces.rows(), *self.loads.rows()]
        if piece == SOURCE and len(rows) == 2 and rows[1] == (LOAD, "load 60 W"):
            rows = rows[1:]
        self.show_rows([*rows, (piece, name)])

    # what follows

    def look(self, *, coarse: bool = False) -> None:
        """Answer anew: the middle now, the band in a moment."""
        self._asked += 1
        self._worth = None
        try:
            self.part = kit_part_of([*self.pieces.rows(), *self.loads.rows()], self.starts.text().strip(), self.called.text().strip())
            if not self.part.source:
                raise KitError(
                    self.tr("There is nothing to run from yet: write a source, like “Pack A 640 Wh”, or the name of one on the shelf.")
                )
            if not self.part.load and not self.part.way:
                raise KitError(self.tr("Nothing is drawn yet: write a load, like “fridge 38 W 40 %”."))
            self._kit = kit_corrected(kit_of(self.part, getattr(self, "_measured", None)), self._past)
            self.looked = look_quickly(self._kit) if coarse else look(self._kit, 0)
        except (KitError, QuantityError) as error:
            self._show_nothing(in_the_window(error))
            return
        self._show(self.looked, closely=coarse, held=coarse)
        if not coarse:
            self._later.start()

    def _look_closely(self) -> None:
        """The band, what buys time and the size, beside the window."""
        kit, part, asked = self._kit, self.part, self._asked
        if kit is None or part is None:
            return
        text = self.hours.text()
        units, meters = self._bench.logbook.units(), self._bench.logbook.meters()

        def work() -> tuple[OutlookAnswer, list[tuple[str, float]], str, WorthMeasuring | None]:
            looked = look(kit)
            return looked, what_buys_time(kit), _size_text(part, kit, text), worth_measuring(kit, looked, units, meters, _wanted_s(text))

        def done(result: object) -> None:
            if asked == self._asked and isinstance(result, tuple):
                looked, gains, size, worth = result
                self.looked = looked
                self._show(looked, closely=True)
                self._show_gains(gains)
                self.size_line.setText(size)
                self._worth = worth
                self.next.show_worth(worth)

        quietly(self, work, done)

    def _show(self, looked: OutlookAnswer, *, closely: bool, held: bool = False) -> None:
        kit = looked.middle.kit
        self.trouble.say("bad", "")
        for rows in (self.pieces, self.loads):
            rows.mark("")
        mark_amiss(self.starts, "")
        self.keep_button.setEnabled(not self._bench.logbook.read_only)
        about, between = goes_dark(looked)
        self.title.setText(kit.name or self.tr("How long will it last?"))
        self.aside.setText(about)
        self.aside_quiet.setText(between)
        doubt = self._doubt(kit)
        self.verdict.say("caution" if doubt or looked.beyond else "good", " ".join(filter(None, (sentence(looked), doubt))))
        if not held:  # the ground does not move under what is dragged
            self._axis.fit(looked)
        self.day.show_looked(looked, f"{about} {between}")
        self.strips.show_duties([load.duty for load in kit.loads])
        self.path_view.show_path(path_of(looked))
        self.cautions.say("caution", "\n".join([*kit.remarks, *cautions_of(kit)]))
        self._show_answers(looked)
        if not closely:
            self._show_variants()

    def _doubt(self, kit: Kit) -> str:
        """What the answer rests on that nobody measured."""
        labels = [s.name for s in kit.sources if s.why.startswith(self.tr("label"))]
        said = [self.tr("{names}: only the label says what it holds.").format(names=", ".join(labels))] if labels else []
        said += [self.tr("{name}: its hours are a guess.").format(name=load.name) for load in kit.loads if load.guessed]
        return " ".join(said)

    def _show_answers(self, looked: OutlookAnswer) -> None:
        while (item := self._answers.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        runs_for, _, wide = self._runs_for(looked).partition("  ")
        lines = [(self.tr("Runs for"), runs_for, True)]
        if wide:
            lines.append((self.tr("90 in 100 within"), wide, False))
        if looked.firsts and looked.firsts[0][1] < 0.995:
            told = ", ".join(f"{c.name} {round(100 * s)} %" for c, s in looked.firsts[:3])
            lines.append((self.tr("First to go"), told, False))
        lines.append((self.tr("Into the loads"), f"{show(looked.energy_wh, 3)} Wh", False))
        lines += [(name, f"{show(wh, 3)} Wh", False) for name, wh in looked.by_load if len(looked.by_load) > 1]
        if looked.lost_wh > 0.05:
            share = 100 * looked.lost_wh / (looked.lost_wh + looked.energy_wh)
            lines.append((self.tr("Lost on the way"), f"{show(looked.lost_wh, 3)} Wh, {plain(share, 2)} %", False))
        lines += [
            (self.tr("Put back by {name}").format(name=name), show_duration(seconds), False)
            for name, seconds in time_to_put_back(looked.middle.kit)
        ]
        for place, (name, value, large) in enumerate(lines):
            title, said = label(name), QLabel(value)
            title.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.PlainText)
            said.setAlignment(Qt.AlignmentFlag.AlignRight)
            if large:
                said.setFont(font(LARGE, bold=True))
            self._answers.addWidget(title, place, 0)
            self._answers.addWidget(said, place, 1)

    def _runs_for(self, looked: OutlookAnswer) -> str:
        if looked.runtime_s is None:
            return self.tr("without end")
        if looked.beyond:
            return self.tr("over {time}").format(time=show_duration(looked.middle.horizon_s))
        low, high = looked.runtime_s - looked.low_s, looked.high_s - looked.runtime_s
        text = show_duration(looked.runtime_s)
        if low < 30 and high < 30:
            return text
        return f"{text}  −{_short(low)} +{_short(high)}"

    def _show_gains(self, gains: list[tuple[str, float]]) -> None:
        clear(self._gains)
        self._gains_title.setVisible(bool(gains))
        for name, seconds in gains:
            gained = (
                self.tr("+ {time}").format(time=show_duration(seconds)) if math.isfinite(seconds) else self.tr("3 times as long, or more")
            )
            said = QLabel(gained)
            said.setObjectName("gain")
            title = label(name)
            title.setWordWrap(True)
            self._gains.addLayout(row(title, said, stretch=0))

    def _measure(self, name: str, method: str) -> None:
        """Prepare it; what is not on the shelf is put there first."""
        unit = next((u for u in self._bench.logbook.units() if u.name.lower() == name.lower()), None)
        if unit is None:
            self._bench.told.emit(
                self.tr("{name} is not on the shelf yet: put it there with its label, then it can be measured.").format(name=name)
            )
            return
        self._bench.measure_wanted.emit(unit.id, method)

    def _show_nothing(self, why: str) -> None:
        self.looked = self._kit = None
        self.next.show_worth(None)
        self._later.stop()
        self.trouble.say("bad", why)
        for rows in (self.pieces, self.loads):
            rows.mark(why)
        mark_amiss(self.starts, why if "[day]" in why else "")
        self.verdict.say("plain", "")
        self.cautions.say("plain", "")
        self.title.setText(self.tr("How long will it last?"))
        for text in (self.aside, self.aside_quiet, self.size_line):
            text.setText("")
        while (item := self._answers.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self._show_gains([])
        self.keep_button.setEnabled(False)
        self.day.show_looked(None)
        self.strips.show_duties([])
        self.path_view.show_path(PowerPath((), (), (), (), "Wh"))

    def _dragged(self, place: int, windows: object, final: bool) -> None:
        """The line of the load says what was dragged; coarse until it is let go."""
        if self.part is None or not isinstance(windows, tuple):
            return
        one = self.part.load[place]
        kit = self._kit
        share = kit.loads[place].duty if kit is not None else Duty()
        self.loads.field(LOAD, place).setText(load_row(one.model_copy(update={"duty": replace(share, windows=windows).text()})))
        self.loads.field(LOAD, place).setCursorPosition(0)
        self.look(coarse=not final)

    # what-ifs side by side

    def copy_variant(self) -> None:
        """Keep what stands there as one of several, and go on with a copy."""
        if self.looked is None:
            return
        rows = [*self.pieces.rows(), *self.loads.rows()]
        name = self.tr("What-if {n}").format(n=len(self.variants) + 1)
        self.variants.append((name, rows, self.starts.text()))
        self._show_variants()

    def _show_variants(self) -> None:
        clear(self._others)
        if not self.variants:
            return
        self._others.addWidget(label(self.tr("What-ifs"), "heading"))
        for place, (name, rows, starts) in enumerate(self.variants):
            try:
                kit = kit_of(kit_part_of(rows, starts), getattr(self, "_measured", None))
                told = self._runs_for(look_quickly(kit))
            except (KitError, QuantityError) as error:
                told = in_the_window(error)
            what = button(name, partial(self._take_variant, place), "link")
            self._others.addLayout(row(what, label(told), button("×", partial(self._drop_variant, place), "link"), stretch=1))

    def _take_variant(self, place: int) -> None:
        _, rows, starts = self.variants[place]
        self.starts.setText(starts)
        self.show_rows(rows)

    def _drop_variant(self, place: int) -> None:
        self.variants.pop(place)
        self._show_variants()

    # keeping

    def _keep(self) -> None:
        if self.looked is None or self.part is None:
            return
        inputs = {**inputs_of(self.part, self.variants, self._past), **promises_kept(self._worth)}
        first = self.part.source[0].name or self.tr("source")
        what = f"{first}, {', '.join(x.name or 'load' for x in self.part.load[:2])}, {datetime.now().astimezone():%-d %b %H:%M}"
        name = self.part.name or what
        runtime = "" if self.looked.runtime_s is None else f"{self.looked.runtime_s:.0f}"
        kept = StoredOutlook(
            name, None, datetime.now(UTC).isoformat(timespec="seconds"), {**inputs, "runtime_s": runtime}, sentence(self.looked)
        )
        self._bench.keep_outlook(kept)
        self._bench.told.emit(self.tr("The outlook is kept."))

    def _recall(self) -> None:
        kept = self.kept_box.currentData()
        if not isinstance(kept, StoredOutlook):
            return
        past = past_of(kept)
        self._past = past
        self.variants = list(past.variants)
        self.starts.setText(past.part.day.starts)
        self.called.setText(past.part.name or kept.name)
        self.show_rows(rows_of(past.part))
        self._bench.told.emit(self.tr("Then it said: {answer}").format(answer=kept.answer))
        self._show_compared()
        came = " ".join(one.told() for one in what_came(self._bench.logbook, [kept]))
        if came:
            self.compared.setText(" ".join(filter(None, (self.compared.text(), came))))

    def _link(self) -> None:
        """A run is what then happened: what was predicted against what was measured."""
        number = self.run_box.currentData()
        if number is None or self.looked is None or self.part is None:
            return
        predicted = self.looked.runtime_s
        found = happened(self._bench.logbook, int(number), predicted, self.part)
        if found is None:
            self._bench.told.emit(self.tr("That run has no duration to compare with."))
            return
        self._past = found
        self._show_compared()

    def _show_compared(self) -> None:
        past = self._past
        self.compared.setText(past.told() if past is not None else "")
        self.apply_button.setVisible(past is not None and past.factor is not None)
        self.apply_button.setText(self.tr("Leave it out again") if past is not None and past.applied else self.tr("Apply it"))

    def _apply(self) -> None:
        if self._past is not None:
            self._past = replace(self._past, applied=not self._past.applied)
            self._show_compared()
            self.look()

    # files

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, self.tr("Open an outlook"), "", self.tr("Outlooks (*.toml);;All files (*)"))
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """The pieces of a TOML file."""
        try:
            part = read_kit(path)
        except KitError as error:
            self._bench.said.emit(str(error))
            return
        self.starts.setText(part.day.starts)
        self.called.setText(part.name)
        self.show_rows(rows_of(part))

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save the outlook"), "outlook.toml", self.tr("Outlooks (*.toml)"))
        if path:
            self.save_file(Path(path))

    def save_file(self, path: Path) -> None:
        """What stands there as a TOML file."""
        if self.part is not None:
            self._write(path, to_toml(self.part).encode())

    def _save_card(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save the swap card"), "swaps.pdf", self.tr("Cards (*.pdf *.html)"))
        if path:
            self.save_card(Path(path))

    def save_card(self, path: Path) -> None:
        """When to swap, as a page to print."""
        if self.looked is not None:
            from ubrant.report.document import ReportError, pdf_of

            page = swap_card(self.looked)
            try:
                self._write(path, page.encode() if path.suffix.lower() == ".html" else pdf_of(page))
            except ReportError as error:
                self._bench.said.emit(str(error))

    def _save_calendar(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save the swaps"), "swaps.ics", self.tr("Calendars (*.ics)"))
        if path:
            self.save_calendar(Path(path))

    def save_calendar(self, path: Path) -> None:
        """When to swap, as a calendar for a telephone."""
        if self.looked is None:
            return
        if not swaps_of(self.looked):
            self._bench.told.emit(self.tr("There is nothing to swap: name a second source."))
            return
        self._write(path, swap_calendar(self.looked, datetime.now().astimezone()))

    def _write(self, path: Path, whole: bytes) -> None:
        try:
            write_whole(path, lambda beside: beside.write_bytes(whole))
        except OSError as error:
            self._bench.said.emit(self.tr("{path} could not be written: {why}.").format(path=path, why=error.strerror or error))
            return
        self._bench.saved.emit(self.tr("Saved as {path}.").format(path=path), str(path))

    def state(self) -> str:
        """The pieces as text, for whoever asks."""
        return json.dumps([*self.pieces.rows(), *self.loads.rows()], ensure_ascii=False)


def _short(seconds: float) -> str:
    """``0:25`` of a width."""
    if not math.isfinite(seconds):
        return "∞"
    minutes = round(seconds / 60)
    return f"{minutes // 60}:{minutes % 60:02d}"


def _wanted_s(text: str) -> float | None:
    """How long it is to last; None where nobody said, or where jobs are wanted."""
    try:
        return parse_wanted(text).seconds if text.strip() else None
    except QuantityError:
        return None


def _size_text(part: KitPart, kit: Kit, text: str) -> str:
    try:
        return size_sentence(size_of(part, kit, parse_wanted(text), 0.9))
    except (KitError, QuantityError) as error:
        return in_the_window(error)
