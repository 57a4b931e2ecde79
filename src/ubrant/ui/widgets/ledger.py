"""The ledger: the answers first and large, the rest in groups that fold; each a name, value, ±, a line with the working; opened, the whole arithmetic."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ubrant.core.account import Account
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.ui.widgets.forms import button
from ubrant.ui.widgets.settings import as_wished
from ubrant.ui.widgets.text import Text, on_a_button
from ubrant.ui.widgets.theme import LARGE, NORMAL, SMALL, color, font


class LedgerRow(QWidget):
    """One finding. A click, Enter or Space opens its arithmetic and where the ± comes from."""

    toggled = pyqtSignal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self._name, self._value, self._uncertainty, self._working, self._arithmetic = (Text() for _ in range(5))
        self._value.setFont(font(LARGE, bold=True))
        self._uncertainty.setFont(font(SMALL + 0.5))
        self._uncertainty.setMinimumWidth(64)
        self._working.setObjectName("quiet")
        self._name.setWordWrap(True)
        self._working.setWordWrap(True)
        self._arithmetic.setWordWrap(True)
        self._arithmetic.setFont(font(SMALL))
        self._arithmetic.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._arithmetic.hide()
        layout = QGridLayout(self)
        layout.setContentsMargins(8, 4, 4, 5)
        layout.setHorizontalSpacing(6)
        layout.setVerticalSpacing(1)
        bottom = Qt.AlignmentFlag.AlignBottom
        layout.addWidget(self._name, 0, 0, bottom)
        layout.addWidget(self._value, 0, 1, bottom | Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self._uncertainty, 0, 2, bottom)
        layout.addWidget(self._working, 1, 0, 1, 3)
        layout.addWidget(self._arithmetic, 2, 0, 1, 3)
        layout.setColumnStretch(0, 1)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def show_finding(self, finding: Finding) -> None:
        self._name.setText(finding.name)
        self._value.setText(finding.value_text())
        self._uncertainty.setText(finding.uncertainty_text())
        self._working.setText(finding.working)
        self._arithmetic.setText("\n".join((*finding.arithmetic, "", *finding.budget())).strip())
        if (layout := self.layout()) is not None:
            layout.activate()  # a longer value takes its room at once, also while readings come in fast
        spoken = f"{finding.name}: {finding.with_uncertainty()}. {finding.working}"
        self.setAccessibleName(spoken)
        self.setToolTip(self.tr("Click to see the whole sum") if not self.is_open() else "")

    def set_large(self, *, large: bool) -> None:
        """An answer is larger than what stands below it."""
        self._value.setFont(font(LARGE + 4 if large else LARGE, bold=True))
        self._name.setFont(font(NORMAL, bold=large))

    def is_open(self) -> bool:
        return self._arithmetic.isVisibleTo(self)

    def arithmetic(self) -> str:
        return self._arithmetic.text()

    def set_open(self, is_open: bool) -> None:
        self._arithmetic.setVisible(is_open)
        self.updateGeometry()
        self.update()
        self.toggled.emit(is_open)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and not self._arithmetic.hasSelectedText():
            self.set_open(not self.is_open())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.set_open(not self.is_open())
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self.is_open() or self.underMouse():
            painter.fillRect(self.rect(), color("plain_wash"))
        if self.hasFocus():
            painter.setPen(color("voltage"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class Ledger(QWidget):
    """Findings one under the other. Rows stay as they are while their values change, so that an opened sum, or a folded group, stays so."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: dict[str, LedgerRow] = {}
        self._heads: dict[str, QPushButton] = {}
        self._open: dict[str, bool] = {}
        self._in: dict[str, str] = {}
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(1)
        self.setAccessibleName(self.tr("Ledger"))

    def show_account(self, account: Account) -> None:
        """Its answers first, then its groups under a heading each, then what stands in none."""
        findings = account.findings
        answers = [k for k in account.answers if k in findings]
        grouped = [(group.title, [k for k in group.keys if k in findings and k not in answers]) for group in account.groups]
        known = {*answers, *(k for _, keys in grouped for k in keys)}
        rest = [k for k in findings if k not in known]
        groups = [(say(title), keys) for title, keys in grouped if keys]
        if answers and rest:
            groups.insert(0, (self.tr("How it was measured"), rest))
            rest = []
        self._show([(key, "") for key in (*answers, *rest)] + [(key, title) for title, keys in groups for key in keys], findings)
        for key, row in self._rows.items():
            row.set_large(large=key in answers)

    def show_findings(self, findings: Iterable[Finding]) -> None:
        """Show these, in their order."""
        by_key = {f.key: f for f in findings}
        self._show([(key, "") for key in by_key], by_key)

    def _show(self, places: Sequence[tuple[str, str]], findings: Mapping[str, Finding]) -> None:
        """(finding, heading) one below the other; a finding without a value has no row."""
        shown = [(key, title) for key, title in places if findings[key].value is not None]
        self._in = dict(shown)
        for gone in self._rows.keys() - self._in.keys():
            self._drop(self._rows.pop(gone))
        titles = [title for title in dict.fromkeys(self._in.values()) if title]
        for gone in self._heads.keys() - set(titles):
            self._drop(self._heads.pop(gone))
        place, before = 0, ""
        for key, title in shown:
            if title != before:
                self._at(place, self._head(title, sum(t == title for t in self._in.values())))
                place, before = place + 1, title
            row = self._rows.get(key) or self._rows.setdefault(key, LedgerRow())
            self._at(place, row)
            row.show_finding(as_wished(findings[key]))
            row.setVisible(not title or self._open[title])
            place += 1

    def _at(self, place: int, widget: QWidget) -> None:
        if self._layout.indexOf(widget) != place:
            self._layout.insertWidget(place, widget)

    def _drop(self, widget: QWidget) -> None:
        self._layout.removeWidget(widget)
        widget.hide()
        widget.deleteLater()

    def _head(self, title: str, count: int) -> QPushButton:
        head = self._heads.get(title)
        if head is None:
            head = self._heads[title] = button("", lambda: self.fold(title, is_open=not self._open[title]), "fold")
            self._open.setdefault(title, False)
        head.setText(f"{'▾' if self._open[title] else '▸'} {on_a_button(title)}  {count}")
        return head

    def fold(self, title: str, *, is_open: bool) -> None:
        """Show or hide what stands under a heading."""
        self._open[title] = is_open
        for key, row in self._rows.items():
            if self._in.get(key) == title:
                row.setVisible(is_open)
        if title in self._heads:
            self._head(title, sum(t == title for t in self._in.values()))

    def groups(self) -> list[str]:
        """The headings, as they stand."""
        return [head.text() for head in self._heads.values()]

    def row(self, key: str) -> LedgerRow:
        return self._rows[key]

    def keys(self) -> list[str]:
        return list(self._rows)
