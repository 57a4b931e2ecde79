"""The ledger: name, value, ±, a line with the working; opened, the whole arithmetic."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QVBoxLayout, QWidget

from ubrant.core.uncertainty.finding import Finding
from ubrant.ui.settings import as_wished
from ubrant.ui.theme import LARGE, SMALL, color, font
from ubrant.ui.widgets.text import Text


class LedgerRow(QWidget):
    """One finding. A click, Enter or Space opens its arithmetic and where the ± comes from."""

    toggled = pyqtSignal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
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
        if self.is_open():
            painter.fillRect(self.rect(), color("plain_wash"))
        if self.hasFocus():
            painter.setPen(color("voltage"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class Ledger(QWidget):
    """Findings one under the other. Rows stay as they are while their values change, so an opened sum stays open."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: dict[str, LedgerRow] = {}
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(1)
        self.setAccessibleName(self.tr("Ledger"))

    def show_findings(self, findings: Iterable[Finding]) -> None:
        """Show these; a finding without a value has no row."""
        shown = [f for f in findings if f.value is not None]
        for key in self._rows.keys() - {f.key for f in shown}:
            row = self._rows.pop(key)
            self._layout.removeWidget(row)
            row.deleteLater()
        for place, finding in enumerate(shown):
            row = self._rows.get(finding.key) or self._rows.setdefault(finding.key, LedgerRow())
            if self._layout.indexOf(row) != place:
                self._layout.insertWidget(place, row)
            row.show_finding(as_wished(finding))

    def row(self, key: str) -> LedgerRow:
        return self._rows[key]

    def keys(self) -> list[str]:
        return list(self._rows)
