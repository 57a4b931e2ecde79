"""A log from elsewhere: what was read of it, whose it is, how it is judged."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import LabelError, parse_label, usual_cutoff_v
from ubrant.core.quantities.quantity import QuantityError, show_duration
from ubrant.core.quantities.readings import Series
from ubrant.core.record.head import label_of
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import Run, StoredRun
from ubrant.methods.registry import suiting
from ubrant.runs.coming_in.bringing_in import Answered, as_answered, from_log, keep
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.findings.mapping_dialog import forget, learnt
from ubrant.ui.widgets.callout import VERDICT_TONES, Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Beneath, Choice, QuantityField, button, check_accuracy, label, mark_amiss, row, sentence_beneath
from ubrant.ui.widgets.trace import Trace

_NEW, _NONE = -1, 0
_LOOKS_AFTER_MS, _MOST_TRIED = 300, 200_000


class ImportDialog(Dialog):
    """``kept`` is the run once it was accepted."""

    def __init__(
        self, bench: Workbench, log: LogFile, parent: QWidget | None = None, *, like: ImportDialog | None = None, more: int = 0
    ) -> None:
        super().__init__(parent)
        self._bench, self._log = bench, log
        self.kept: Run | None = None
        self.answered: Answered | None = None
        self.setWindowTitle(self.tr("A log from elsewhere"))
        self.resize(760, 640)
        self.unit_box = Choice(self.tr("Unit"))
        self.new_label = QLineEdit()
        self.new_label.setPlaceholderText("50 Ah 12.8 V LiFePO4")
        self.new_label.setAccessibleName(self.tr("Label"))
        self.cutoff = QuantityField("V", self.tr("Cut-off"), may_be_empty=True)
        self.cutoff.setPlaceholderText(self.tr("the usual one of its label"))
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
        self.says = Callout("plain")
        self.columns_wanted = self.looks_anew = False
        self._later = QTimer(self)
        self.finished.connect(self._later.stop)
        self._later.setSingleShot(True)
        self._later.setInterval(_LOOKS_AFTER_MS)
        self._later.timeout.connect(self._show_verdict)
        self.keep = button(self.tr("Keep it as a run"), self._accept, "chief")
        self.keep.setDefault(True)
        self.all_alike = QCheckBox(self.tr("Keep the other {count} in the same way").format(count=more))
        self.all_alike.setVisible(False)
        self._more = more
        self._fill()
        self._build()
        self.unit_box.currentIndexChanged.connect(self._unit_changed)
        self.meter_box.currentIndexChanged.connect(self._meter_changed)
        self.full_box.currentIndexChanged.connect(lambda _: self._later.start())
        for field in (self.new_label, self.volts, self.amps, self.cutoff, self.temperature):
            field.textChanged.connect(self._look)
        self._unit_changed()
        self._meter_changed()
        self._prefill()
        if like is not None:
            self._take_after(like)

    def _take_after(self, other: ImportDialog) -> None:
        """Answers given for the run before."""
        if other.kept is not None:
            self.unit_box.setCurrentIndex(self.unit_box.findData(other.kept.unit_id or _NONE))
        self.meter_box.setCurrentIndex(other.meter_box.currentIndex())
        self.full_box.setCurrentIndex(other.full_box.currentIndex())
        for mine, theirs in (
            (self.volts, other.volts),
            (self.amps, other.amps),
            (self.cutoff, other.cutoff),
            (self.temperature, other.temperature),
        ):
            mine.setText(theirs.text())
        self.all_alike.setChecked(other.all_alike.isChecked())

    def take(self) -> None:
        """Keep it as the answers stand, without asking."""
        self._accept()

    def _prefill(self) -> None:
        """What a Data Package says of itself."""
        about = self._log.about
        if not about.get("label"):
            return
        known = next((u.id for u in self._bench.logbook.units() if u.label_text == about["label"] and u.name == about.get("unit")), _NEW)
        self.unit_box.setCurrentIndex(self.unit_box.findData(known))
        self.new_label.setText(about["label"])
        self.volts.setText(str(about.get("voltage_accuracy", "")))
        self.amps.setText(str(about.get("current_accuracy", "")))
        head = from_log(self._log).run.head
        self.cutoff.setText(f"{head.criteria.cutoff.voltage_v} V" if head.criteria.cutoff else "")
        self.temperature.setText(f"{head.conditions.temperature_c} °C" if head.conditions.temperature_c is not None else "")

    def _fill(self) -> None:
        for unit in self._bench.logbook.units():
            if suiting(unit):
                self.unit_box.addItem(unit.name, unit.id)
        self.unit_box.addItem(self.tr("a new one, by its label"), _NEW)
        self.unit_box.addItem(self.tr("none of these"), _NONE)
        self.unit_box.setCurrentIndex(self.unit_box.findData(self._bench.unit_id or _NEW))
        for meter in self._bench.logbook.meters():
            self.meter_box.addItem(meter.name, meter)
        self.meter_box.addItem(self.tr("another one"), None)
        self.meter_box.setCurrentIndex(self.meter_box.count() - 1)

    def _build(self) -> None:
        log = self._log
        length = show_duration(float(log.time_s[-1] - log.time_s[0])) if len(log.time_s) else self.tr("counters only")
        trace = Trace(quantities="VA")
        if len(log.time_s):
            trace.set_zero(float(log.time_s[0]))
            trace.set_measured("V", Series(log.time_s, log.voltage_v))
            trace.set_measured("A", Series(log.time_s, log.current_a))
            trace.set_span(float(log.time_s[0]), float(log.time_s[-1]))
        columns = ", ".join(f"{quantity} from “{heading}”" for quantity, heading in log.columns.items())
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        pairs = (
            (self.tr("It is a log of"), self.unit_box),
            (self.tr("Its label says"), self.new_label),
            (self.tr("Judged to a cut-off of"), self.cutoff),
            (self.tr("The battery was at"), self.temperature),
            (self.tr("At the start"), self.full_box),
            (self.tr("Metered with"), self.meter_box),
            (self.tr("accurate to, volts"), self.volts),
            (self.tr("accurate to, amperes"), self.amps),
        )
        for line, (title, field) in enumerate(pairs):
            grid.addWidget(label(title), 2 * line, 0)
            grid.addWidget(field, 2 * line, 1)
            if isinstance(field, QLineEdit):
                grid.addWidget(Beneath(field), 2 * line + 1, 1)
        grid.setColumnStretch(1, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(9)
        layout.addWidget(label(f"{log.name}, {log.run_name}" if log.run_name else log.name, "title"))
        layout.addWidget(
            label(
                self.tr("{count} readings over {length}: {columns}.").format(count=len(log.time_s), length=length, columns=columns), "quiet"
            )
        )
        if said := learnt(log.shape):
            told = self.tr("Read as you said before for logs with these headings: {columns}.").format(columns=said.replace(",", ", "))
            layout.addLayout(row(label(told, "quiet"), button(self.tr("Forget that"), self._forget, "link"), stretch=0))
        layout.addWidget(trace, 1)
        sentences = [*log.warnings, log.left_out_sentence()]
        layout.addWidget(Callout("caution", "\n".join(s for s in sentences if s)))
        layout.addLayout(grid)
        layout.addWidget(self.says)
        if self._more:
            layout.addWidget(self.all_alike)
            self.all_alike.setVisible(True)
        mend = button(self.tr("Columns and units …"), self._mend)
        mend.setEnabled(not log.entries and not log.about)
        layout.addLayout(row(mend, QWidget(), button(self.tr("Leave it"), self.reject), self.keep, stretch=1))

    def _forget(self) -> None:
        """Its columns are looked at anew, as if nobody had said anything."""
        forget(self._log.shape)
        self.looks_anew = True
        self.reject()

    def _mend(self) -> None:
        """Its columns are others than they were taken for, or in other units."""
        self.columns_wanted = True
        self.reject()

    def _show_verdict(self) -> None:
        """What it would say as the answers stand: a slip is seen before it is kept."""
        if not self.keep.isEnabled() or len(self._log.time_s) > _MOST_TRIED:
            self.says.say("plain", "")
            return
        made = self._as_answered(self._unit_as_answered())
        account = account_of_stored(made.record())
        tone = VERDICT_TONES[account.verdict.word] if account.verdict is not None else "plain"
        self.says.say("bad" if account.trouble else tone, account.trouble or account.sentence)

    def _unit_as_answered(self) -> Unit | None:
        if self.unit_box.currentData() == _NEW:
            return Unit(self._log.name.rsplit(".", 1)[0], "battery", self.new_label.text().strip())
        return self._chosen_unit()

    def _chosen_unit(self) -> Unit | None:
        unit_id = self.unit_box.currentData()
        return self._bench.logbook.unit(unit_id) if unit_id not in (_NEW, _NONE) else None

    def _unit_changed(self) -> None:
        unit = self._chosen_unit()
        self.new_label.setEnabled(self.unit_box.currentData() == _NEW)
        self.new_label.setText(unit.label_text if unit else "")
        usual_v = usual_cutoff_v(unit.label) if unit is not None and label_of(unit) is not None else None
        if usual_v is not None:
            self.cutoff.setText(f"{usual_v:.4g} V")
        self._look()

    def _meter_changed(self) -> None:
        meter = self.meter_box.currentData()
        for field, text in ((self.volts, meter.voltage_accuracy if meter else ""), (self.amps, meter.current_accuracy if meter else "")):
            field.setEnabled(meter is None)
            field.setText(text)
        self._look()

    def _look(self) -> None:
        if self.cutoff.value() is not None and not (self.cutoff.value() or 0) > 0:
            mark_amiss(self.cutoff, self.tr("A cut-off of 0 V would never be reached."))
        elif not self.cutoff.trouble:
            mark_amiss(self.cutoff, "")
        label_trouble = ""
        if self.unit_box.currentData() == _NEW:
            try:
                parse_label(self.new_label.text())
            except (LabelError, QuantityError) as error:
                label_trouble = str(error)
        mark_amiss(self.new_label, label_trouble)
        wrong = (label_trouble, check_accuracy(self.volts, "V"), check_accuracy(self.amps, "A"), self.temperature.trouble)
        trouble = any(wrong) or bool(sentence_beneath(self.cutoff))
        self.keep.setEnabled(not trouble)
        self._later.start()

    def _accept(self) -> None:
        if not self.keep.isEnabled():
            return
        unit = self._unit_as_answered()
        if unit is not None and not unit.id:
            unit = self._bench.keep_unit(unit)
        made = self._as_answered(unit)
        self.kept = self._bench.keep_import(lambda: keep(self._bench.logbook, made, unit))
        self.answered = self.answers(unit)
        self.accept()

    def answers(self, unit: Unit | None) -> Answered:
        """What was said of the log."""
        meter: Meter | None = self.meter_box.currentData()
        accuracies = ("", "") if meter is not None else (self.volts.text().strip(), self.amps.text().strip())
        return Answered(self.cutoff.value(), meter, accuracies, self.temperature.value(), self.full_box.currentData(), unit)

    def _as_answered(self, unit: Unit | None) -> StoredRun:
        """The log as the answers say."""
        return as_answered(self._log, self.answers(unit))
