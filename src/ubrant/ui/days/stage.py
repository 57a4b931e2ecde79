"""Days at the bench: what is picked, when one has to be there, what is next; as visits, and as bars that can be dragged."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QMenu, QStackedWidget, QVBoxLayout, QWidget

from ubrant.core.planning.check import troubles_of
from ubrant.core.planning.schedule import moved_by_hand
from ubrant.core.planning.steps import BY_ITSELF, TEST, BenchPlan, PlanError
from ubrant.core.planning.visits import BEGIN, Visit
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.wording import say
from ubrant.methods.registry import suiting
from ubrant.runs.bench_days.asked import DaysPart, TestPart, days_toml, read_days, seconds_of
from ubrant.runs.bench_days.living import Days, asked_again, going_on
from ubrant.runs.bench_days.words import (
    clock_of,
    days_calendar,
    days_heading,
    days_page,
    if_late_told,
    is_long,
    late_told,
    rules_told,
    under_way,
    visit_told,
    window_told,
)
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.days.bars import DaysBars
from ubrant.ui.days.keeper import DaysKeeper
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, clear, label, row, scrolled, side_panel
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.settings import folder
from ubrant.ui.widgets.text import in_a_line, in_a_menu
from ubrant.ui.widgets.theme import NORMAL, font
from ubrant.writing import write_whole

_LATE = "1 h"


class DaysStage(QWidget):
    """One plan: the newest of the logbook. ``one_test`` leads back to what Prepare shows else; ``page_wanted`` asks for it on paper."""

    one_test = pyqtSignal()
    page_wanted = pyqtSignal(str, str)

    def __init__(self, bench: Workbench, keeper: DaysKeeper, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self.keeper = bench, keeper
        self._part = self._taken = DaysPart()
        self.title, self.told = label(self.tr("Bench days"), "title"), label("", "quiet")
        self.told.setWordWrap(True)
        self.visits_button = button(self.tr("Visits"), partial(self.show_as, 0))
        self.bars_button = button(self.tr("Bars"), partial(self.show_as, 1))
        for one in (self.visits_button, self.bars_button):
            one.setCheckable(True)
        self.visits, self.bars = QWidget(), DaysBars()
        self._visit_rows = QGridLayout(self.visits)
        self.pages = QStackedWidget()
        self.next, self.waits = label("", "heading"), label("", "quiet")
        self.rules = Callout("caution")
        self.gives = Callout("bad")
        self.late = QLineEdit(_LATE)
        self.late.setAccessibleName(self.tr("How late"))
        self.late.setFixedWidth(90)
        self.late_told = label("")
        self.done_button = button(self.tr("Done"), self._done)
        self.begin_button = button(self.tr("Begin the next one"), self._begin, "chief")
        self.late_button = button(self.tr("I come so late"), self._come_late)
        self.out_button = button(self.tr("Leave out …"), self._leave_out)
        self.end_button = button(self.tr("It has ended …"), self._end)
        self.back_button = button(self.tr("Put it back"), self._put_back, "link")
        self.tests, self.what_for = QVBoxLayout(), QVBoxLayout()
        self.unit_box, self.method_box = Choice(self.tr("Unit")), Choice(self.tr("Test"))
        self.add_button = button(self.tr("Add it"), self._add)
        self.fields = {
            "begins": plain_field(self.tr("Begins"), hint=self.tr("Fri 18:00")),
            "asleep": plain_field(self.tr("Asleep"), "23:00 to 07:30", self.tr("23:00 to 07:30")),
            "out": plain_field(self.tr("Out"), hint=self.tr("Sat 9:00 to 12:00")),
            "due": plain_field(self.tr("All done by"), hint=self.tr("Sun 20:00")),
            "loads": plain_field(self.tr("Loads"), hint=self.tr("lamp board")),
            "chargers": plain_field(self.tr("Chargers"), hint=self.tr("lead-acid charger")),
            "socket": plain_field(self.tr("Socket gives"), hint=self.tr("1500 W")),
        }
        self.trouble = Callout("bad")
        self.plan_button = button(self.tr("Plan it"), self.plan, "chief")
        self._build()
        self.unit_box.currentIndexChanged.connect(lambda _: self._offer_methods())
        self.late.textChanged.connect(lambda _: self._show_late())
        self.bars.dragged.connect(self._dragged)
        keeper.changed.connect(self.show_days)
        bench.shelf_changed.connect(self._offer)
        self._offer()
        self.show_as(0)
        self._show_tests()
        self.show_days()

    def _build(self) -> None:
        main = QVBoxLayout()
        main.setContentsMargins(20, 12, 18, 12)
        main.setSpacing(9)
        back = button(self.tr("One test"), self.one_test.emit, "link")
        main.addLayout(row(self.title, self.told, self.visits_button, self.bars_button, back, stretch=1))
        self._visit_rows.setContentsMargins(12, 8, 12, 8)
        self._visit_rows.setHorizontalSpacing(16)
        self._visit_rows.setVerticalSpacing(7)
        self._visit_rows.setColumnStretch(1, 1)
        self.visits.setObjectName("paper")
        for page in (self.visits, self.bars):
            self.pages.addWidget(scrolled(page))
        main.addWidget(self.pages, 1)
        main.addLayout(row(self.next, stretch=0))
        self.next.setWordWrap(True)
        self.waits.setWordWrap(True)
        main.addWidget(self.waits)
        for callout in (self.gives, self.rules):
            main.addWidget(callout)
        self.late_told.setWordWrap(True)
        main.addLayout(row(self.late, self.late_told, self.late_button, stretch=1))
        self.print_button = button(self.tr("Print …"), self._print)
        self.calendar_button = button(self.tr("Calendar …"), self._calendar)
        main.addLayout(
            row(
                self.out_button,
                self.end_button,
                self.print_button,
                self.calendar_button,
                self.back_button,
                QWidget(),
                self.done_button,
                self.begin_button,
                stretch=4,
            )
        )
        ground = QWidget()
        ground.setObjectName("ground")
        ground.setLayout(main)
        panel, side = side_panel()
        side.addWidget(self.trouble)  # above all else: it is to be seen however far down somebody is
        side.addWidget(label(self.tr("What to test"), "heading"))
        side.addLayout(self.tests)
        side.addWidget(self.unit_box)
        side.addLayout(row(self.method_box, self.add_button, stretch=0))
        side.addWidget(label(self.tr("When, and with what"), "heading"))
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        for place, field in enumerate(self.fields.values()):
            grid.addWidget(label(field.accessibleName()), place, 0)
            grid.addWidget(field, place, 1)
            field.returnPressed.connect(self.plan)
        side.addLayout(grid)
        side.addWidget(self.plan_button)
        side.addLayout(row(button(self.tr("Open a file …"), self._open, "link"), button(self.tr("Save as a file …"), self._save, "link")))
        side.addWidget(label(self.tr("What it is for"), "heading"))
        side.addLayout(self.what_for)
        side.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(ground, 1)
        layout.addWidget(panel)

    # what is asked

    def _offer(self) -> None:
        """Units that something can be tested of."""
        chosen = self.unit_box.currentData()
        self.unit_box.blockSignals(True)
        self.unit_box.clear()
        for unit in self._bench.logbook.units():
            if suiting(unit):
                self.unit_box.addItem(in_a_line(unit.name), unit.id)
        self.unit_box.setCurrentIndex(max(self.unit_box.findData(chosen), 0) if self.unit_box.count() else -1)
        self.unit_box.blockSignals(False)
        self._offer_methods()

    def _offer_methods(self) -> None:
        self.method_box.clear()
        unit_id = self.unit_box.currentData()
        if unit_id is not None:
            for entry in suiting(self._bench.logbook.unit(int(unit_id))):
                if not entry.begins and not entry.checks_meters and not entry.takes_anything:
                    self.method_box.addItem(say(entry.title), entry.key)
        self.add_button.setEnabled(self.method_box.count() > 0)

    def add_test(self, unit_name: str, method: str) -> None:
        """One more of what is to be tested; it is planned when that is wished."""
        self._part = asked_again(self._part, add=TestPart(unit=unit_name, method=method))
        self._show_tests()

    def _add(self) -> None:
        self.add_test(self._bench.logbook.unit(int(self.unit_box.currentData())).name, str(self.method_box.currentData()))

    def _drop(self, number: int) -> None:
        self._part = asked_again(self._part, drop=number)
        self._show_tests()

    def _show_tests(self) -> None:
        clear(self.tests)
        units = {unit.name.lower(): unit for unit in self._bench.logbook.units()}
        for number, test in enumerate(self._part.test, start=1):
            unit = units.get(test.unit.lower())
            title = next((say(e.title) for e in suiting(unit) if e.key == test.method), test.method) if unit is not None else test.method
            line = label(f"{test.unit}: {title}")
            line.setWordWrap(True)
            takes = plain_field(self.tr("How long {name} takes").format(name=test.unit), test.takes, self.tr("5 h"))
            takes.setFixedWidth(74)
            takes.editingFinished.connect(partial(self._say, number, "takes", takes))
            away = button("×", partial(self._drop, number), "link")
            away.setAccessibleName(self.tr("Leave out {name}").format(name=test.unit))
            self.tests.addLayout(row(line, takes, away, stretch=0))
            if unit is not None and unit.kind == "battery" and any(e.key == test.method and e.method.empties for e in suiting(unit)):
                alone = QCheckBox(self.tr("goes off by itself: its own cut-off, and a fuse"))
                alone.setAccessibleName(self.tr("{name} goes off by itself").format(name=test.unit))
                alone.setChecked(test.ends == BY_ITSELF)
                alone.toggled.connect(partial(self._say_alone, number))
                self.tests.addWidget(alone)
        self.plan_button.setEnabled(bool(self._part.test) and not self._bench.logbook.read_only)

    def _say(self, number: int, key: str, field: QLineEdit) -> None:
        self._say_of(number, key, field.text().strip())

    def _say_alone(self, number: int, alone: bool) -> None:
        self._say_of(number, "ends", BY_ITSELF if alone else "")

    def _say_of(self, number: int, key: str, text: str) -> None:
        tests = list(self._part.test)
        if number <= len(tests):
            tests[number - 1] = tests[number - 1].model_copy(update={key: text})
            self._part = self._part.model_copy(update={"test": tests})

    def asked(self) -> DaysPart:
        """What stands there."""
        texts = {key: field.text().strip() for key, field in self.fields.items()}
        due = texts.pop("due")
        lists = {key: [part.strip() for part in texts.pop(key).split(";") if part.strip()] for key in ("out", "loads", "chargers")}
        tests = [test.model_copy(update={"due": due}) if due else test for test in self._part.test]
        return self._part.model_copy(update={**texts, **lists, "test": tests})

    def plan(self) -> None:
        """Plan what stands there."""
        if self._part.test:
            self.keeper.make(self.asked())

    def _take_over(self) -> None:
        """What is planned stands in the form; what somebody is writing there stays, unless another plan was made."""
        if self.keeper.asked != self._taken:
            self._taken = self.keeper.asked
            self.fill(self._taken)

    def fill(self, part: DaysPart) -> None:
        """What is asked for stands in the form."""
        self._part = part.model_copy(update={"test": [test for test in part.test if not test.left_out]})
        for key in ("begins", "asleep", "socket"):
            self.fields[key].setText(getattr(part, key))
        for key in ("out", "loads", "chargers"):
            self.fields[key].setText("; ".join(getattr(part, key)))
        dues = {test.due for test in part.test if test.due}
        self.fields["due"].setText(dues.pop() if len(dues) == 1 else "")
        self._show_tests()

    # what is planned

    def show_as(self, place: int) -> None:
        """0 for visits, 1 for bars."""
        self.pages.setCurrentIndex(place)
        for number, one in enumerate((self.visits_button, self.bars_button)):
            one.setChecked(number == place)
            one.setFont(font(NORMAL, bold=number == place))

    def show_days(self) -> None:
        """As it stands now."""
        days, keeper = self.keeper.days, self.keeper
        self._take_over()
        self.trouble.say("bad", keeper.why_not)
        planned = days is not None
        for one in (
            self.visits_button,
            self.bars_button,
            self.end_button,
            self.out_button,
            self.print_button,
            self.calendar_button,
            self.late,
            self.late_button,
        ):
            one.setVisible(planned)
        for one in (self.done_button, self.begin_button):
            one.setVisible(planned)
        self.back_button.setVisible(False)
        if days is None:
            self._show_nothing()
            return
        self.told.setText(" · ".join(filter(None, (days_heading(days), under_way(days)))))
        self._show_visits(keeper.visits())
        self.bars.show_days(days, keeper.clock().timestamp())
        visit = keeper.next()
        self.next.setText(keeper.sentence() or self.tr("All of it is done."))
        self.waits.setText(window_told(days, visit) if visit is not None else "")
        self.gives.say("bad", "\n".join(days.gives))
        self.rules.say("caution", "\n".join([rules_told(days), *days.remarks]))
        can = visit is not None and not self._bench.logbook.read_only
        self.done_button.setEnabled(can)
        self.end_button.setEnabled(bool(going_on(days)) and not self._bench.logbook.read_only)
        self.late_button.setEnabled(can)
        self.begin_button.setEnabled(can and self._test_of_next() is not None)
        self._show_late()
        self._show_for(days)

    def _show_nothing(self) -> None:
        self.told.setText(self.tr("tests laid into hours, tools and visits: what can run at night, and when you have to be there"))
        self._clear_visits()
        hint = label(self.tr("Pick what you want to test at the right, say when you are there, and plan it."), "quiet")
        self._visit_rows.addWidget(hint, 0, 0, 1, 3)
        self.bars.show_days(None, 0.0)
        for text in (self.next, self.waits, self.late_told):
            text.setText("")
        for callout in (self.gives, self.rules):
            callout.say("plain", "")
        clear(self.what_for)

    def _clear_visits(self) -> None:
        while (item := self._visit_rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()

    def _show_visits(self, visits: list[Visit]) -> None:
        self._clear_visits()
        now = self.keeper.next()
        before: float | None = None
        for place, visit in enumerate(visits):
            bold = now is not None and visit.at == now.at and not visit.done
            when = label(
                clock_of(visit.at, before, dated=self.keeper.days is not None and is_long(self.keeper.days)), "quiet" if visit.done else ""
            )
            what = label(visit_told(visit), "quiet" if visit.done else "")
            what.setWordWrap(True)
            for one in (when, what) if bold else ():
                one.setFont(font(NORMAL, bold=True))
            top = Qt.AlignmentFlag.AlignTop
            self._visit_rows.addWidget(when, place, 0, top | Qt.AlignmentFlag.AlignRight)
            self._visit_rows.addWidget(what, place, 1, top)
            self._visit_rows.addWidget(label(late_told(visit), "quiet"), place, 2, top)
            before = visit.at
        self._visit_rows.setRowStretch(len(visits), 1)

    def _show_for(self, days: Days) -> None:
        clear(self.what_for)
        for one in days.picked:
            asked = next((say(how.enquiry.text) for how in one.entry.answers), say(one.entry.title))
            line = label(f"{one.unit.name}: {asked}", "quiet")
            line.setWordWrap(True)
            self.what_for.addWidget(line)

    def _late_s(self) -> float | None:
        try:
            return seconds_of(self.late.text(), self.tr("Late"))
        except PlanError:
            return None

    def _show_late(self) -> None:
        days, visit, seconds = self.keeper.days, self.keeper.next(), self._late_s()
        if days is None or visit is None:
            self.late_told.setText("")
        elif seconds is None:
            self.late_told.setText(self.tr("How late? Write “1 h” or “20 min”."))
        else:
            self.late_told.setText(if_late_told(days, visit, seconds))

    # what a person does

    def _done(self) -> None:
        if (visit := self.keeper.next()) is not None:
            self.keeper.done(visit)

    def _test_of_next(self) -> tuple[int, str] | None:
        """(unit, method) of the first test that the next visit begins."""
        days, visit = self.keeper.days, self.keeper.next()
        if days is None or visit is None:
            return None
        for deed in visit.deeds:
            if deed.what == BEGIN and deed.step.kind == TEST and not days.plan.placed[deed.step.key].begun:
                test = days.test_of(deed.step.key)
                return test.unit.id, test.entry.key
        return None

    def _begin(self) -> None:
        """Prepare it, with everything filled in; the run that is made of it fills the plan."""
        found = self._test_of_next()
        if found is not None:
            self._bench.measure_wanted.emit(*found)

    def _come_late(self) -> None:
        visit, seconds = self.keeper.next(), self._late_s()
        if visit is not None and seconds is not None:
            self.keeper.late(visit, seconds)
            self._bench.told.emit(self.tr("Planned for {time} later.").format(time=show_duration(seconds)))

    def menu_of_tests(self) -> QMenu:
        """The tests that are not done, to be left out."""
        menu, days = QMenu(self), self.keeper.days
        for one in days.picked if days is not None else ():
            if any(not days.plan.placed[s.key].begun for s in one.steps) if days is not None else False:
                text = self.tr("{name}: it failed, or there is no time").format(name=in_a_menu(one.unit.name))
                if (action := menu.addAction(text)) is not None:
                    action.triggered.connect(partial(self.keeper.leave_out, one.key))
        return menu

    def menu_of_ends(self) -> QMenu:
        """What goes on, to be said that it has ended."""
        menu, days = QMenu(self), self.keeper.days
        for key in going_on(days) if days is not None else ():
            step = days.bench.step(key)  # type: ignore[union-attr]  # it has steps that go on
            if (action := menu.addAction(f"{in_a_menu(step.unit)}: {in_a_menu(step.what)}")) is not None:
                action.triggered.connect(partial(self.keeper.ended, key))
        return menu

    def _end(self) -> None:
        self.menu_of_ends().exec(self.end_button.mapToGlobal(self.end_button.rect().bottomLeft()))

    def _leave_out(self) -> None:
        self.menu_of_tests().exec(self.out_button.mapToGlobal(self.out_button.rect().bottomLeft()))

    def _dragged(self, key: str, start: float) -> None:
        """What was put elsewhere stands where it holds; else it is red, with the reason, and can be put back."""
        days = self.keeper.days
        if days is None:
            return
        plan: BenchPlan = moved_by_hand(days.bench, days.plan, key, start)
        troubles = troubles_of(days.bench, plan)
        if not troubles:
            self.keeper.put(plan)
            return
        self.bars.show_days(days, self.keeper.clock().timestamp(), plan, troubles)
        self.gives.say("bad", "\n".join(dict.fromkeys(troubles.values())))
        self.back_button.setVisible(True)

    def _put_back(self) -> None:
        self.show_days()

    # files

    def _print(self) -> None:
        if self.keeper.days is not None:
            self.page_wanted.emit(self.keeper.days.name, days_page(self.keeper.days))

    def _calendar(self) -> None:
        days = self.keeper.days
        path, _ = QFileDialog.getSaveFileName(
            self, self.tr("Visits for a calendar"), f"{folder()}/bench days.ics", self.tr("Calendars (*.ics)")
        )
        if path and days is not None:
            self._write(Path(path), days_calendar(days, self.keeper.clock()))

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, self.tr("Open days at the bench"), str(folder()), self.tr("Days at the bench (*.toml);;All files (*)")
        )
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """What a file asks for, in the form."""
        try:
            self.fill(read_days(path))
            self.trouble.say("bad", "")
        except PlanError as error:
            self.trouble.say("bad", str(error))

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, self.tr("Save days at the bench"), f"{folder()}/days.toml", self.tr("Days at the bench (*.toml)")
        )
        if path:
            self._write(Path(path), days_toml(self.asked()).encode())

    def _write(self, path: Path, data: bytes) -> None:
        try:
            write_whole(path, lambda target: target.write_bytes(data))
            self._bench.told.emit(self.tr("{name} is written.").format(name=path.name))
        except OSError as error:
            self._bench.said.emit(self.tr("{path} could not be written: {why}.").format(path=path, why=(error.strerror or "").lower()))
