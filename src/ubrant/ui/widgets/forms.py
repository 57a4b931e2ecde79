"""Small pieces that forms and pages are made of."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from weakref import WeakKeyDictionary

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.ui.widgets.text import Text, in_a_line, on_a_button, set_tip


class QuantityField(QLineEdit):
    """A value with its unit, typed: ``10 A``, ``11,0 V``, ``800 mA``. ``value`` is None while it cannot be read."""

    changed = pyqtSignal()

    def __init__(self, unit: str, name: str, *, may_be_empty: bool = False) -> None:
        super().__init__()
        self._unit, self._may_be_empty = unit, may_be_empty
        self.setAccessibleName(name)
        self.trouble = ""
        self.textChanged.connect(self._check)

    def set_unit(self, unit: str) -> None:
        """Values are in another unit from now on."""
        if unit != self._unit:
            self._unit = unit
            self._check()

    def value(self) -> float | None:
        if not self.text().strip():
            return None
        try:
            return parse_quantity(self.text(), self._unit)
        except QuantityError:
            return None

    def _check(self) -> None:
        self.trouble = ""
        text = self.text().strip()
        if text or not self._may_be_empty:
            try:
                parse_quantity(text, self._unit)
            except QuantityError as error:
                self.trouble = str(error)
        mark_amiss(self, self.trouble)
        self.changed.emit()


def mark_amiss(field: QLineEdit, trouble: str) -> None:
    """Frame a field whose text is not understood, and say why to whoever asks."""
    name = "amiss" if trouble else ""
    if field.objectName() != name:
        field.setObjectName(name)
        style = field.style()
        if style is not None:
            style.unpolish(field)
            style.polish(field)
    set_tip(field, trouble)
    field.setAccessibleDescription(trouble)
    if (beneath := _BENEATH.get(field)) is not None:
        beneath.say(field, trouble)


def check_accuracy(field: QLineEdit, unit: str) -> str:
    """Frame a field whose accuracy is not understood; the sentence why, empty when it is understood or empty."""
    trouble = ""
    if field.text().strip():
        try:
            parse_accuracy(field.text(), unit)
        except QuantityError as error:
            trouble = str(error)
    mark_amiss(field, trouble)
    return trouble


class Beneath(QLabel):
    """What is amiss with the fields above it, in a line of its own that is there when nothing is, so that nothing jumps."""

    def __init__(self, *fields: QLineEdit) -> None:
        super().__init__()
        self.setObjectName("beneath")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setFixedHeight(self.fontMetrics().ascent())
        self.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._said: WeakKeyDictionary[QLineEdit, str] = WeakKeyDictionary()  # a field that is gone is not held by what was said of it
        for field in fields:
            _BENEATH[field] = self

    def say(self, field: QLineEdit, sentence: str) -> None:
        """One line; the whole of it to whoever rests there."""
        self._said[field] = in_a_line(sentence)
        set_tip(self, sentence)
        self._fit()

    def sentence(self) -> str:
        return next(filter(None, self._said.values()), "")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def _fit(self) -> None:
        self.setText(self.fontMetrics().elidedText(self.sentence(), Qt.TextElideMode.ElideRight, max(self.width(), 40)))


_BENEATH: WeakKeyDictionary[QLineEdit, Beneath] = WeakKeyDictionary()


def sentence_beneath(field: QLineEdit) -> str:
    """What is said of a field beneath it; empty where nothing is amiss."""
    beneath = _BENEATH.get(field)
    return beneath.sentence() if beneath is not None else ""


_SCROLL_BAR = 24


_MOST_AT_ONCE = 24
"""Entries that a drop-down shows before it scrolls; it never goes past the screen."""


class Choice(QComboBox):
    """A drop-down that takes the room it is given, however long its entries are; opened, it shows them whole. The wheel turns it only then."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(6)
        self.setMaxVisibleItems(_MOST_AT_ONCE)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """A page that is scrolled under the pointer changes nothing that was chosen."""
        if event is not None:
            event.ignore()

    def showPopup(self) -> None:
        view = self.view()
        if view is not None:
            view.setMinimumWidth(view.sizeHintForColumn(0) + 2 * view.frameWidth() + _SCROLL_BAR)
        super().showPopup()

    def addItem(self, text: str | None, data: object = None) -> None:  # type: ignore[override]
        super().addItem(in_a_line(text or ""), data)

    def addItems(self, texts: Iterable[str | None]) -> None:
        for text in texts:
            self.addItem(text)


def label(text: str, kind: str = "") -> QLabel:
    """A label in one of the style sheet's kinds: ``quiet``, ``title``, ``heading``; the quiet ones wrap."""
    made = Text(text)
    made.setObjectName(kind)
    made.setWordWrap(kind == "quiet")
    return made


def button(text: str, when: Callable[[], object], kind: str = "") -> QPushButton:
    """A push button; ``chief`` for the one that goes on, ``link`` for one in a text."""
    made = QPushButton(on_a_button(text))
    made.setObjectName(kind)
    made.setAutoDefault(True)  # Enter presses it too, not only Space
    made.clicked.connect(lambda: when())
    if kind == "link":
        made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def row(*widgets: QWidget, stretch: int = -1) -> QHBoxLayout:
    """Widgets side by side; the one at ``stretch`` takes the room."""
    layout = QHBoxLayout()
    layout.setSpacing(8)
    for place, widget in enumerate(widgets):
        layout.addWidget(widget, 1 if place == stretch else 0)
    return layout


def scrolled(inside: QWidget) -> QScrollArea:
    """A column that scrolls when it is too long."""
    area = QScrollArea()
    area.setObjectName("paper")
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    inside.setObjectName("paper")
    area.setWidget(inside)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def of_one_height(inside: QWidget, height: int) -> QScrollArea:
    """Room for what may be said, kept before anything is: nothing around it moves. What is longer is scrolled."""
    area = scrolled(inside)
    for widget in (area, inside):
        widget.setObjectName("")
    inside.setAutoFillBackground(False)
    if (viewport := area.viewport()) is not None:
        viewport.setAutoFillBackground(False)
    area.setFixedHeight(height)
    return area


PANEL = 352


def side_panel(width: int = PANEL) -> tuple[QWidget, QVBoxLayout]:
    """The panel at the right of a stage: a scrolling column."""
    inside = QWidget()
    layout = QVBoxLayout(inside)
    layout.setContentsMargins(18, 16, 16, 16)
    layout.setSpacing(8)
    panel = QWidget()
    panel.setObjectName("side")
    panel.setFixedWidth(width)
    outer = QVBoxLayout(panel)
    outer.setContentsMargins(1, 0, 0, 0)
    outer.addWidget(scrolled(inside))
    return panel, layout


def clear(layout: QVBoxLayout) -> None:
    """Take everything out of a column."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            clear(inner)  # type: ignore[arg-type]
