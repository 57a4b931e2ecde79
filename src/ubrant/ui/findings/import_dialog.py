"""Logs from elsewhere: a table of what was read of them, whose they are, how they are judged; several are answered for at once."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, Qt, QTimer
from PyQt6.QtWidgets import QAbstractItemView, QGridLayout, QHeaderView, QLineEdit, QTableView, QVBoxLayout, QWidget

from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Series
from ubrant.runs.coming_in.arriving import NOBODYS, Arrival, Arrivals, KeptBefore, Told, arrivals_of
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.findings.import_model import FILE, LACKS, METER, SAYS, ArrivalsModel
from ubrant.ui.findings.mapping_dialog import columns_asked, columns_remembered, forget, learnt
from ubrant.ui.widgets.callout import VERDICT_TONES, Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import (
    Beneath,
    Choice,
    QuantityField,
    button,
    check_accuracy,
    label,
    mark_amiss,
    of_one_height,
    row,
    sentence_beneath,
)
from ubrant.ui.widgets.text import Text
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.widgets.work import quietly

_LOOKS_AFTER_MS = 300
_TOLD_HIGH, _SAID_HIGH, _TABLE_HIGH, _TRACE_HIGH = 70, 92, 118, 220
_LINE_HIGH, _FIELD_WIDE, _MANY = 30, 152, 6
_WIDEST = 172
_LACKS_WIDE, _METER_WIDE = 112, 84
_WIDE, _HIGH, _LOW = 1020, 690, 540


class ImportDialog(Dialog):
    """``kept`` is True once what is ticked was kept."""

    def __init__(self, bench: Workbench, rows: list[Arrival], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        book = bench.logbook
        self.arrivals = Arrivals(rows, book.units(), book.meters(), bench.unit_id, KeptBefore(book))
        self.kept = False
        self._filling = False
        self.setWindowTitle(self.tr("Logs from elsewhere") if len(rows) > 1 else self.tr("A log from elsewhere"))
        self.resize(_WIDE, _HIGH if len(rows) >= _MANY else _LOW)
        self.model = ArrivalsModel(self.arrivals, self)
        self.table = QTableView()
        self.unit_box = Choice(self.tr("Unit"))
        self.new_label = QLineEdit()
        self.new_label.setPlaceholderText("50 Ah 12.8 V LiFePO4")
        self.new_label.setAccessibleName(self.tr("Label"))
        self.cutoff = QuantityField("V", self.tr("Cut-off"), may_be_empty=True)
        self.temperature = QuantityField("°C", self.tr("Temperature"), may_be_empty=True)
        self.temperature.setPlaceholderText(self.tr("not known"))
        self.full_box = Choice(self.tr("At the start"))
        for text, full in (
            (self.tr("not known"), None),
            (self.tr("it was full: the charger had stopped"), True),
            (self.tr("it was not full"), False),
        ):
            self.full_box.addItem(text, full)
        self.meter_box = Choice(self.tr("Meter"))
        self.volts, self.amps = QLineEdit(), QLineEdit()
        self.volts.setAccessibleName(self.tr("Accuracy of its volts"))
        self.amps.setAccessibleName(self.tr("Accuracy of its amperes"))
        self.volts.setPlaceholderText(self.tr("0.1 % + 3 mV"))
        self.amps.setPlaceholderText(self.tr("0.5 % + 5 mA"))
        self.chosen_line, self.columns_line, self.learnt_line = Text(), label("", "quiet"), label("", "quiet")
        self.chosen_line.setObjectName("heading")
        self.why_not = label("", "quiet")
        self.why_not.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.forget = button(self.tr("Forget that"), self._forget, "link")
        self.left_out, self.says = Callout("caution"), Callout("plain")
        self.trace = Trace(quantities="VA")
        self.mend = button(self.tr("Columns and units …"), self._mend)
        self.keep = button("", self._accept, "chief")
        self.keep.setDefault(True)
        self._later = QTimer(self)
        self.finished.connect(self._later.stop)
        self._later.setSingleShot(True)
        self._later.setInterval(_LOOKS_AFTER_MS)
        self._later.timeout.connect(self._tell_next)
        self._is_telling = False
        self._fill()
        self._build()
        self._connect()
        self._choose_first()
        if self.new_label.isEnabled():
            self.new_label.setFocus()

    # made once

    def _fill(self) -> None:
        self._fill_units()
        for meter in self.arrivals.meters:
            self.meter_box.addItem(meter.name, meter)
        self.meter_box.addItem(self.tr("another one"), None)

    def _fill_units(self) -> None:
        """Those of the shelf, what is new by its logs, and none."""
        self.arrivals.offer_a_new_one()
        self.unit_box.clear()
        for unit in self.arrivals.units:
            self.unit_box.addItem(unit.name, unit.id)
        for key, unit in self.arrivals.new.items():
            several = len(self.arrivals.new) > 1
            text = self.tr("{name} (new)").format(name=unit.name) if several else self.tr("a new one")
            self.unit_box.addItem(text, key)
        self.unit_box.addItem(self.tr("none of these"), NOBODYS)

    def _build(self) -> None:
        self._build_table()
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        grid.setHorizontalSpacing(14)
        pairs = (
            (self.tr("Log of"), self.unit_box),
            (self.tr("Label says"), self.new_label),
            (self.tr("Judged to"), self.cutoff),
            (self.tr("It was at"), self.temperature),
            (self.tr("At the start"), self.full_box),
            (self.tr("Meter"), self.meter_box),
            (self.tr("its volts within"), self.volts),
            (self.tr("its amperes within"), self.amps),
        )
        half = len(pairs) // 2
        for place, (title, field) in enumerate(pairs):
            line, side = 2 * (place % half), 2 * (place // half)
            grid.addWidget(label(title), line, side)
            grid.addWidget(field, line, side + 1)
            field.setMinimumWidth(_FIELD_WIDE)
            beneath = Beneath(*[field] if isinstance(field, QLineEdit) else [])  # of one height beneath each: a steady rhythm
            grid.addWidget(beneath, line + 1, side + 1)
        for side in (1, 3):
            grid.setColumnStretch(side, 1)
        sentence = QWidget()
        sentence.setFixedHeight(_SAID_HIGH)
        column = QVBoxLayout(sentence)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.says)
        column.addStretch(1)
        answers = QVBoxLayout()
        answers.addWidget(self.chosen_line)
        answers.addLayout(grid)
        answers.addWidget(sentence)
        answers.addStretch(1)
        told = QWidget()  # of one height, whatever is said in it: the preview above it stands still
        inside = QVBoxLayout(told)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.columns_line)
        inside.addLayout(row(self.learnt_line, self.forget, stretch=0))
        inside.addWidget(self.left_out)
        inside.addStretch(1)
        preview = QVBoxLayout()
        if len(self.arrivals.rows) < _MANY:
            self.trace.setMinimumHeight(_TRACE_HIGH)
        else:
            self.trace.setFixedHeight(_TRACE_HIGH)
        preview.addWidget(self.trace, 1)
        preview.addWidget(of_one_height(told, _TOLD_HIGH))
        both = QGridLayout()
        both.setHorizontalSpacing(22)
        both.addLayout(answers, 0, 0)
        both.addLayout(preview, 0, 1)
        both.setColumnStretch(0, 14)
        both.setColumnStretch(1, 10)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 14, 20, 16)
        layout.setSpacing(9)
        layout.addWidget(self.table, 1)
        layout.addLayout(both)
        layout.addLayout(row(self.mend, self.why_not, button(self.tr("Leave it"), self.reject), self.keep, stretch=1))

    def _build_table(self) -> None:
        self.table.setModel(self.model)
        self.table.setObjectName("arrivals")
        self.table.setAccessibleName(self.tr("What is on its way in"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setWordWrap(False)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # what tells files apart is often at their end
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        if len(self.arrivals.rows) < _MANY:  # the room of what is not there is the preview's
            self.table.setFixedHeight(_LINE_HIGH * (len(self.arrivals.rows) + 1) + _LINE_HIGH // 2)
        else:
            self.table.setMinimumHeight(_TABLE_HIGH)
        if (lines := self.table.verticalHeader()) is not None:
            lines.hide()
        if (header := self.table.horizontalHeader()) is not None:
            header.setHighlightSections(False)
            self.table.resizeColumnsToContents()
            for column in range(LACKS + 1):
                self.table.setColumnWidth(column, min(self.table.columnWidth(column) + 2, _WIDEST))
            header.setSectionResizeMode(SAYS, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(LACKS, _LACKS_WIDE)
        self.table.setColumnWidth(METER, max(self.table.columnWidth(METER), _METER_WIDE))

    def _connect(self) -> None:
        chosen = self.table.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(lambda *_: self._show_chosen())
        chosen.currentRowChanged.connect(lambda *_: self._show_chosen())
        self.model.ticked.connect(self._look)
        self.unit_box.currentIndexChanged.connect(lambda _: self._unit_changed())
        self.new_label.textChanged.connect(lambda text: self._relabel(text.strip()))
        self.new_label.returnPressed.connect(self._to_next_label)
        self.cutoff.textChanged.connect(lambda _: self._answer(cutoff_v=self.cutoff.value()))
        self.temperature.textChanged.connect(lambda _: self._answer(temperature_c=self.temperature.value()))
        self.full_box.currentIndexChanged.connect(lambda _: self._answer(full=self.full_box.currentData()))
        self.meter_box.currentIndexChanged.connect(lambda _: self._meter_changed())
        for field in (self.volts, self.amps):
            field.textChanged.connect(lambda _: self._accuracy_changed())

    def _choose_first(self) -> None:
        """All that seem to be of one thing with the first: what is answered counts for them."""
        rows = self.arrivals.rows
        first = next((row for row in rows if row.log is not None and not row.trouble), rows[0])
        self._choose([row for row in rows if row.log is not None and row.owner == first.owner] or [first])

    def _choose(self, rows: list[Arrival]) -> None:
        chosen = self.table.selectionModel()
        assert chosen is not None
        place_of = {id(one): place for place, one in enumerate(self.arrivals.rows)}
        places = [place_of[id(one)] for one in rows]
        selection = QItemSelection()
        for from_, to in _stretches(sorted(places)):
            selection.select(self.model.index(from_, FILE), self.model.index(to, LACKS))
        self._filling = True
        chosen.setCurrentIndex(self.model.index(places[0], FILE), QItemSelectionModel.SelectionFlag.NoUpdate)
        chosen.select(selection, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self._filling = False
        self._show_chosen()

    # what is chosen

    def current(self) -> Arrival:
        index: QModelIndex = self.table.currentIndex()
        return self.arrivals.rows[max(index.row(), 0)]

    def chosen(self) -> list[Arrival]:
        """The rows that what is answered counts for."""
        selection = self.table.selectionModel()
        selected = selection.selection() if selection is not None else QItemSelection()
        ranges = [selected[k] for k in range(len(selected))]  # not row by row: there may be thousands
        places = sorted({place for one in ranges for place in range(one.top(), one.bottom() + 1)})
        found = [self.arrivals.rows[place] for place in places] or [self.current()]
        return [row for row in found if row.log is not None and not row.trouble]

    def _show_chosen(self) -> None:
        """Its answers in the fields, its readings in the preview; where several differ, what the current one says."""
        if self._filling:
            return
        rows, now = self.chosen(), self.current()
        self._filling = True
        if len(rows) > 1:
            self.chosen_line.setText(self.tr("The {count} chosen rows").format(count=len(rows)))
        else:
            self.chosen_line.setText(now.name)
        said = now.said
        self.unit_box.setCurrentIndex(self.unit_box.findData(now.owner))
        unit = self.arrivals.unit_of(now)
        self.new_label.setText(unit.label_text if unit is not None else "")
        self.cutoff.setText(f"{plain(said.cutoff_v, 5)} V" if said.cutoff_v is not None else "")
        self.temperature.setText(f"{plain(said.temperature_c)} °C" if said.temperature_c is not None else "")
        self.full_box.setCurrentIndex(self.full_box.findData(said.full))
        self.meter_box.setCurrentIndex(self._place_of_meter(now))
        self.volts.setText(said.meter.voltage_accuracy if said.meter is not None else said.accuracies[0])
        self.amps.setText(said.meter.current_accuracy if said.meter is not None else said.accuracies[1])
        self._filling = False
        self._show_read(now)
        self._look()

    def _place_of_meter(self, now: Arrival) -> int:
        last = self.meter_box.count() - 1
        return next((k for k in range(last) if self.meter_box.itemData(k) == now.said.meter), last)

    def _show_read(self, now: Arrival) -> None:
        log = now.log
        self.trace.show_nothing()
        if log is not None and len(log.time_s):
            self.trace.set_zero(float(log.time_s[0]))
            self.trace.set_measured("V", Series(log.time_s, log.voltage_v))
            self.trace.set_measured("A", Series(log.time_s, log.current_a))
            self.trace.set_span(float(log.time_s[0]), float(log.time_s[-1]))
        columns = ", ".join(f"{quantity} from “{heading}”" for quantity, heading in log.columns.items()) if log is not None else ""
        self.columns_line.setText(f"{now.extent()}: {columns}." if columns else now.extent())
        said = learnt(log.shape) if log is not None else ""
        told = self.tr("Read as you said before for logs with these headings: {columns}.").format(columns=said.replace(",", ", "))
        self.learnt_line.setText(told if said else "")
        for widget in (self.learnt_line, self.forget):
            widget.setVisible(bool(said))
        sentences = [*log.warnings, log.left_out_sentence()] if log is not None else []
        self.left_out.say("caution", "\n".join(s for s in sentences if s))
        self.mend.setEnabled(now.columns_can_be_said or (log is not None and not log.entries and not log.about))

    # what is answered

    def _unit_changed(self) -> None:
        if self._filling or self.unit_box.currentIndex() < 0:
            return
        self.arrivals.give(self.chosen(), int(self.unit_box.currentData()))
        unit = self.arrivals.unit_of(self.current())
        self._filling = True
        self.new_label.setText(unit.label_text if unit is not None else "")
        self._filling = False
        self._look()

    def _relabel(self, text: str) -> None:
        if not self._filling:
            for owner in {row.owner for row in self.chosen()}:
                self.arrivals.relabel(owner, text)
            self._look()

    def _to_next_label(self) -> None:
        """On to the next new unit whose label nobody said; with none left Enter keeps them all, as the button does."""
        lacking = next((one for one in self.arrivals.wanted() if self.arrivals.label_trouble(one.owner)), None)
        if lacking is not None and lacking.owner != self.current().owner:
            self._choose([one for one in self.arrivals.rows if one.log is not None and one.owner == lacking.owner])
            self.new_label.setFocus()

    def _answer(self, **said: object) -> None:
        if not self._filling:
            self.arrivals.answer(self.chosen(), **said)
            self._look()

    def _meter_changed(self) -> None:
        if self._filling:
            return
        meter = self.meter_box.currentData()
        self._filling = True
        self.volts.setText(meter.voltage_accuracy if meter else "")
        self.amps.setText(meter.current_accuracy if meter else "")
        self._filling = False
        self._answer(meter=meter, accuracies=("", ""))

    def _accuracy_changed(self) -> None:
        if self.meter_box.currentData() is None:
            good = not (check_accuracy(self.volts, "V") or check_accuracy(self.amps, "A"))
            self._answer(meter=None, accuracies=(self.volts.text().strip(), self.amps.text().strip()) if good else ("", ""))

    def _look(self) -> None:
        """What can be answered now, what is amiss, and how many would be kept."""
        now, may = self.current(), bool(self.chosen())
        is_new = now.owner in self.arrivals.new
        for field in (self.unit_box, self.cutoff, self.temperature, self.full_box, self.meter_box):
            field.setEnabled(may)
        self.new_label.setEnabled(may and is_new)
        for accuracy in (self.volts, self.amps):
            accuracy.setEnabled(may and self.meter_box.currentData() is None)
        usual_v = self.arrivals.cutoff_v(now)
        usual = self.tr("{volts} V, the usual").format(volts=plain(usual_v)) if usual_v else self.tr("the usual one")
        self.cutoff.setPlaceholderText(usual)
        if self.cutoff.value() is not None and not (self.cutoff.value() or 0) > 0:
            mark_amiss(self.cutoff, self.tr("A cut-off of 0 V would never be reached."))
        elif not self.cutoff.trouble:
            mark_amiss(self.cutoff, "")
        mark_amiss(self.new_label, self.arrivals.label_trouble(now.owner) if may else "")
        wrong = (check_accuracy(self.volts, "V"), check_accuracy(self.amps, "A"), self.temperature.trouble, sentence_beneath(self.cutoff))
        count = len(self.arrivals.wanted())
        self.keep.setText(self.tr("Keep it as a run") if len(self.arrivals.rows) == 1 else self.tr("Keep {count} runs").format(count=count))
        self.keep.setEnabled(not any(wrong) and self.arrivals.may_be_kept())
        self.why_not.setText(self.arrivals.why_not())
        self._show_told()
        self.model.refresh()
        self._later.start()

    # what it would say

    def _tell_next(self) -> None:
        """One after the other beside the window, the one that is looked at first."""
        if self._is_telling:
            return
        row = next((one for one in (self.current(), *self.arrivals.rows) if one.told is None), None)
        if row is None:
            return
        asked = self._as_answered(row)
        self._is_telling = True
        quietly(self, partial(self.arrivals.tell, row), partial(self._was_told, row, asked))

    def _as_answered(self, row: Arrival) -> tuple[object, ...]:
        return row.said, row.owner, self.arrivals.new.get(row.owner)

    def _was_told(self, row: Arrival, asked: tuple[object, ...], told: object) -> None:
        self._is_telling = False
        if self._as_answered(row) == asked:  # else something was answered meanwhile: it is asked anew
            row.told = told if isinstance(told, Told) else Told(str(told), str(told), is_trouble=True)
        self.model.refresh()
        self._show_told()
        if self.isVisible():
            self._tell_next()

    def _show_told(self) -> None:
        told = self.current().told
        if told is None:
            self.says.say("plain", "")
        else:
            self.says.say("bad" if told.is_trouble else VERDICT_TONES.get(told.word, "plain"), told.sentence)

    # its columns

    def _forget(self) -> None:
        """Its columns are looked at anew, as if nobody had said anything; what does not say them by itself is asked about."""
        now = self.current()
        if now.log is not None:
            forget(now.log.shape)
            self._put(now, arrivals_of(now.path))
            if self.current().columns_can_be_said:
                self._mend()

    def _mend(self) -> None:
        """Its columns are others than they were taken for, or in other units; so are those of the files like it that could not be read."""
        now = self.current()
        found = columns_asked(now.path, now.trouble, self, self.arrivals.label_volts(now))
        if found is None:
            self.says.say("bad", self.tr("{name} has no columns to choose from.").format(name=now.name))
            return
        if not found:
            return
        for other in [one for one in self.arrivals.rows if one.columns_can_be_said and one is not now]:
            better = arrivals_of(other.path, columns_remembered(other.path))
            if not better[0].trouble:
                self.model.put(other, better)
        self._put(now, found)

    def _put(self, now: Arrival, found: list[Arrival]) -> None:
        self.model.put(now, found)
        self._filling = True
        self._fill_units()
        self._filling = False
        self._choose([found[0]])

    def _accept(self) -> None:
        if self.keep.isEnabled():
            self._bench.keep_arrivals(self.arrivals)
            self.kept = bool(self.arrivals.kept)
            self.accept()

    def take(self) -> None:
        """Keep it as the answers stand, without asking."""
        self._accept()


def _stretches(places: list[int]) -> list[tuple[int, int]]:
    """(first, last) of places that follow each other."""
    found: list[tuple[int, int]] = []
    for place in places:
        if found and place == found[-1][1] + 1:
            found[-1] = (found[-1][0], place)
        else:
            found.append((place, place))
    return found
