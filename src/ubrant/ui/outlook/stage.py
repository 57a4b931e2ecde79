"""Outlook: a source, one load, what is lost on the way, what comes in; how long, and how sure."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QBrush, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from ubrant.core.battery.outlook import Answer, Outlook, left_over_time, parse_width, runtime, sentence, to_buy, what_buys_time
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, show_duration, show_with
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.sources import Source, outlook_path, sources
from ubrant.ui.theme import LARGE, SMALL, color, font
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, label, mark_amiss, row
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.workbench import Workbench

_FIELDS = ("load", "efficiency", "idle", "input", "kept", "hours")


class OutlookStage(StageFrame):
    """Answers on every keystroke."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._sources: list[Source] = []
        self.answer: Answer | None = None
        self.source_box = Choice(self.tr("Source"))
        self.fields = {name: QLineEdit() for name in _FIELDS}
        hints = (
            ("load", self.tr("Load"), "62 W, 40..50 W, ~45 W", "60 W"),
            ("efficiency", self.tr("Efficiency"), "88 ± 2 %", "100 %"),
            ("idle", self.tr("Idle draw"), "6 ± 1 W", "0 W"),
            ("input", self.tr("Coming in"), "20 W", "0 W"),
            ("kept", self.tr("Kept back"), "10 %, or 80 Wh", "10 %"),
            ("hours", self.tr("For how long"), "5 h", "5 h"),
        )
        self._titles = {}
        for name, title, hint, start in hints:
            self._titles[name] = title
            self.fields[name].setAccessibleName(title)
            self.fields[name].setPlaceholderText(hint)
            self.fields[name].setText(start)
            self.fields[name].textChanged.connect(self.look)
        self.plot = pg.PlotWidget(enableMenu=False)
        self._verdict, self._trouble = Callout("plain"), Callout("bad")
        self._runs_for, self._buy = label(""), label("")
        self._runs_working, self._buy_working, self._what_if = label("", "quiet"), label("", "quiet"), label("")
        self.keep_button = button(self.tr("Keep this outlook"), self._keep)
        self.kept_box = Choice(self.tr("Outlooks kept before"))
        self._build()
        self.source_box.currentIndexChanged.connect(self.look)
        self.kept_box.activated.connect(self._recall)
        self._stale = True
        bench.shelf_changed.connect(self._shelf_changed)

    def _shelf_changed(self) -> None:
        self._stale = True
        if self.isVisible():
            self.offer()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.offer()

    def _build(self) -> None:
        self._dress_plot()
        self.main.addWidget(self.plot, 1)
        self.main.addWidget(label(self.tr("A value may have a width: 45 ± 3 W, 40..50 W, ~45 W. It goes into the band."), "quiet"))
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        for line, name in enumerate(_FIELDS):
            grid.addWidget(label(self._titles[name]), line, 0)
            grid.addWidget(self.fields[name], line, 1)
        grid.setColumnStretch(1, 1)
        for big in (self._runs_for, self._buy):
            big.setFont(font(LARGE, bold=True))
        for wrapped in (self._runs_for, self._buy, self._what_if):
            wrapped.setWordWrap(True)
        self.side.addWidget(label(self.tr("Runs from"), "heading"))
        self.side.addWidget(self.source_box)
        self.side.addLayout(grid)
        for widget in (self._trouble, self._verdict, self._runs_for, self._runs_working, self._buy, self._buy_working):
            self.side.addWidget(widget)
        self._what_title = label(self.tr("What buys the most time"), "heading")
        self.side.addWidget(self._what_title)
        self.side.addWidget(self._what_if)
        self.side.addSpacing(4)
        self.side.addLayout(row(self.kept_box, self.keep_button, stretch=0))
        self.side.addStretch(1)

    def _dress_plot(self) -> None:
        self.plot.setBackground(color("paper"))
        plot = self.plot.getPlotItem()
        plot.hideButtons()
        plot.setMouseEnabled(x=False, y=False)
        plot.showGrid(x=True, y=True, alpha=0.12)
        for side, text, tint in (("left", self.tr("Left in it Wh"), "voltage"), ("bottom", self.tr("hours from now"), "ink")):
            axis = plot.getAxis(side)
            axis.enableAutoSIPrefix(False)
            axis.setStyle(maxTickLevel=0)
            axis.setTickFont(font(SMALL))
            axis.setPen(pg.mkPen(color("quiet")))
            axis.setTextPen(color(tint))
            plot.setLabel(side, text, color=color(tint).name())
        self.plot.setAccessibleName(self.tr("Energy left over time"))

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.PaletteChange, QEvent.Type.StyleChange) and hasattr(self, "plot"):
            self._dress_plot()
            self.look()

    # what is chosen

    def offer(self) -> None:
        """The runs and labels that an outlook can rest on, and those kept before."""
        self._stale = False
        chosen = self.source_box.currentText()
        self._sources = sources(self._bench.logbook)
        self.source_box.blockSignals(True)
        self.source_box.clear()
        self.source_box.addItems([s.name for s in self._sources])
        self.source_box.setCurrentIndex(max(0, self.source_box.findText(chosen)) if self._sources else -1)
        self.source_box.blockSignals(False)
        self.kept_box.clear()
        self.kept_box.addItem(self.tr("kept before …"), None)
        for kept in self._bench.logbook.outlooks():
            self.kept_box.addItem(kept.name, kept)
        self.kept_box.setVisible(self.kept_box.count() > 1)
        self.look()

    def _outlook(self, source: Source) -> Outlook:
        values: dict[str, Any] = {}
        for name, unit in (("load", "W"), ("efficiency", "%"), ("idle", "W"), ("input", "W")):
            text = self.fields[name].text().strip() or ("100" if name == "efficiency" else "0")
            values[name] = self._read(name, lambda text=text, unit=unit: parse_width(text, unit))
        kept = self.fields["kept"].text().strip() or "0 %"
        share, watt_hours = (0.0, 0.0)
        if kept.lower().endswith("wh"):
            watt_hours = self._read("kept", lambda: parse_quantity(kept, "Wh"))
        else:
            share = self._read("kept", lambda: parse_quantity(kept, "%")) / 100
        return source.outlook(values["load"], values["efficiency"], values["idle"], values["input"], share, watt_hours)

    def _read(self, name: str, read):  # type: ignore[no-untyped-def]
        try:
            value = read()
        except QuantityError as error:
            mark_amiss(self.fields[name], str(error))
            raise QuantityError(f"{self._titles[name]}: {error}") from None
        mark_amiss(self.fields[name], "")
        return value

    # what follows

    def look(self) -> None:
        """Answer anew."""
        place = self.source_box.currentIndex()
        if not 0 <= place < len(self._sources):
            self._show_nothing(self.tr("There is nothing to run from yet: put a battery on the shelf and test it."))
            return
        source = self._sources[place]
        try:
            outlook = self._outlook(source)
            self.answer = runtime(outlook)
            hours = self._read("hours", lambda: parse_quantity(self.fields["hours"].text(), "s")) / 3600
            buy = to_buy(outlook, hours)
        except QuantityError as error:
            self._show_nothing(str(error))
            return
        self._trouble.say("bad", "")
        self.keep_button.setEnabled(not self._bench.logbook.read_only)
        self.title.setText(self.tr("How long will {name} last?").format(name=source.unit))
        self.aside.setText("")
        self.aside_quiet.setText(source.told)
        self._verdict.say(
            "caution" if source.doubtful else "good", sentence(self.answer) + (" " + source.doubtful if source.doubtful else "")
        )
        self._runs_for.setText(self._big(self.answer))
        self._runs_working.setText("\n".join(self.answer.working))
        self._buy.setText(self.tr("For {time}: {wh}").format(time=show_duration(hours * 3600), wh=self._big(buy)))
        self._buy_working.setText(buy.working[-1])
        gains = what_buys_time(outlook)
        self._what_title.setVisible(bool(gains))
        self._what_if.setText("\n".join(f"{name}:  + {show_duration(h * 3600) if h < 1000 else '∞'}" for name, h in gains))
        self.path_view.show_path(outlook_path(source.unit, outlook))
        self._draw(outlook)

    def _big(self, answer: Answer) -> str:
        if answer.value is None:
            return self.tr("without end")
        if answer.unit == "h":
            uncertainty = f" ± {show_duration(answer.expanded_uncertainty * 3600)}" if answer.expanded_uncertainty else ""
            return f"{show_duration(answer.value * 3600)}{uncertainty}"
        value, uncertainty = show_with(answer.value, answer.expanded_uncertainty or None)
        return f"{value} Wh{f' ± {uncertainty}' if uncertainty else ''}"

    def _show_nothing(self, why: str) -> None:
        self.answer = None
        self._trouble.say("bad", why)
        self._verdict.say("plain", "")
        self.title.setText(self.tr("How long will it last?"))
        for widget in (self._runs_for, self._runs_working, self._buy, self._buy_working, self._what_if):
            widget.setText("")
        self._what_title.hide()
        self.keep_button.setEnabled(False)
        self.plot.getPlotItem().clear()

    def _draw(self, outlook: Outlook) -> None:
        plot = self.plot.getPlotItem()
        plot.clear()
        hours, left, low, high = left_over_time(outlook)
        edge = [plot.plot(hours, band, pen=pg.mkPen(color("voltage", 90), width=1)) for band in (low, high)]
        plot.addItem(pg.FillBetweenItem(*edge, brush=QBrush(color("voltage", 40))))
        plot.plot(hours, left, pen=pg.mkPen(color("voltage"), width=2))
        kept = outlook.stays_wh
        if kept > 0:
            line = pg.InfiniteLine(
                kept,
                angle=0,
                pen=pg.mkPen(color("loss"), width=1.5, style=Qt.PenStyle.DashLine),
                label=self.tr("kept back"),
                labelOpts={"position": 0.03, "anchors": [(0, 1), (0, 1)], "color": color("loss")},
            )
            plot.addItem(line)
        if self.answer is not None and self.answer.value is not None:
            band = pg.LinearRegionItem(
                (self.answer.low, self.answer.high),
                movable=False,
                pen=pg.mkPen(None),
                brush=QBrush(color("loss", 70), Qt.BrushStyle.BDiagPattern),
            )
            plot.addItem(band)
            dark = pg.InfiniteLine(
                self.answer.value,
                angle=90,
                pen=pg.mkPen(color("loss"), width=2),
                label=self.tr("goes dark"),
                labelOpts={"position": 0.9, "anchors": [(1, 0.5), (1, 0.5)], "color": color("loss")},
            )
            plot.addItem(dark)
        plot.setYRange(0, outlook.energy_wh * 1.05)
        plot.setXRange(0, hours[-1] * 1.02)

    # keeping

    def _keep(self) -> None:
        if self.answer is None:
            return
        source = self._sources[self.source_box.currentIndex()]
        inputs = {"source": source.name, **{name: field.text() for name, field in self.fields.items()}}
        name = f"{source.unit}, {self.fields['load'].text()}, {datetime.now().astimezone():%-d %b %H:%M}"
        kept = StoredOutlook(name, source.run_id, datetime.now(UTC).isoformat(timespec="seconds"), inputs, sentence(self.answer))
        self._bench.keep_outlook(kept)
        self._bench.told.emit(self.tr("The outlook is kept."))

    def _recall(self) -> None:
        kept = self.kept_box.currentData()
        if kept is None:
            return
        place = self.source_box.findText(kept.inputs["source"])
        if place >= 0:
            self.source_box.setCurrentIndex(place)
        for name, field in self.fields.items():
            field.setText(kept.inputs.get(name, ""))
        self._bench.told.emit(self.tr("Then it said: {answer}").format(answer=kept.answer))
