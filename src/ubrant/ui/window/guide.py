"""The guide that is shipped with Ubrant, read inside; and who made what it is made of."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QImage, QImageReader, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from ubrant import __version__
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.work import quietly

FOLDER = Path(str(resources.files("ubrant"))) / "guide"
FIRST = "guide.md"


class Page(QTextBrowser):
    """A page of the guide, its pictures no wider than there is room for. The text is there at once; they come as they are read."""

    def __init__(self) -> None:
        super().__init__()
        self._asked: set[str] = set()

    def loadResource(self, kind: int, name: QUrl) -> object:
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return super().loadResource(kind, name)
        viewport = self.viewport()
        room = max((viewport.width() if viewport is not None else 600) - 40, 200)
        reader = QImageReader(str(FOLDER / name.path()))
        size = reader.size()
        if size.width() > room:
            size = QSize(room, round(size.height() * room / size.width()))
        if name.path() not in self._asked:
            self._asked.add(name.path())
            quietly(self, lambda: _picture(reader, size), lambda picture: self._show(name, picture))
        blank = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
        blank.fill(Qt.GlobalColor.transparent)
        return blank

    def _show(self, name: QUrl, picture: object) -> None:
        document, viewport = self.document(), self.viewport()
        if document is not None and viewport is not None and isinstance(picture, QImage):
            document.addResource(QTextDocument.ResourceType.ImageResource.value, name, picture)
            viewport.update()

    def open_page(self, name: str) -> None:
        self._asked.clear()
        self.setMarkdown((FOLDER / name).read_text("utf-8"))


def _picture(reader: QImageReader, size: QSize) -> QImage:
    picture = reader.read()
    return picture if picture.size() == size else picture.scaled(size, transformMode=Qt.TransformationMode.SmoothTransformation)


class GuideDialog(Dialog):
    """Its headings at the left, the page at the right. It can stay open beside the window."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Guide"))
        self.resize(980, 680)
        self.headings = QListWidget()
        self.headings.setAccessibleName(self.tr("Headings"))
        self.headings.setFixedWidth(250)
        self.headings.setWordWrap(True)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText(self.tr("Find: clamp, empty, import …"))
        self.sought.setAccessibleName(self.tr("Find in the guide"))
        self.sought.setClearButtonEnabled(True)
        self.sought.textChanged.connect(self._narrow)
        self.sought.returnPressed.connect(self._find_next)
        self.page = Page()
        self.page.setAccessibleName(self.tr("Guide"))
        self.page.setOpenLinks(False)
        self.page.anchorClicked.connect(self._follow)
        self.headings.currentRowChanged.connect(self._go_to)
        self.back = button(self.tr("Back to the guide"), lambda: self.open_page(FIRST))
        side = QVBoxLayout()
        side.addWidget(self.sought)
        side.addWidget(self.headings, 1)
        side.addWidget(self.back)
        inside = QHBoxLayout()
        inside.addLayout(side)
        inside.addWidget(self.page, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(inside, 1)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=0))
        self._places: list[int] = []
        self._sections: list[str] = []

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        if not self._places:
            self.open_page(FIRST)

    def open_page(self, name: str) -> None:
        """One of the shipped pages."""
        self.page.open_page(name)
        self.back.setVisible(name != FIRST)
        self.headings.blockSignals(True)
        self.headings.clear()
        self._places, self._sections = [], []
        document = self.page.document()
        block = document.firstBlock() if document is not None else None
        while block is not None and block.isValid():
            if block.blockFormat().headingLevel():
                self.headings.addItem(block.text())
                self._places.append(block.position())
                self._sections.append("")
            if self._sections:
                self._sections[-1] += f"{block.text().casefold()}\n"
            block = block.next()
        self._narrow(self.sought.text())
        self.headings.blockSignals(False)
        self.page.moveCursor(QTextCursor.MoveOperation.Start)

    def _go_to(self, place: int) -> None:
        if not 0 <= place < len(self._places):
            return
        cursor = QTextCursor(self.page.document())
        cursor.setPosition(self._places[place])
        self.page.moveCursor(QTextCursor.MoveOperation.End)  # from below, so that the heading comes to stand at the top
        self.page.setTextCursor(cursor)

    def go_to_section(self, beginning: str) -> None:
        """The guide at the heading that begins so."""
        if not self._places or self.back.isVisibleTo(self):
            self.open_page(FIRST)
        place = next((k for k in range(self.headings.count()) if _heading(self.headings, k).startswith(beginning)), 0)
        self.headings.setCurrentRow(place)
        self._go_to(place)

    def _narrow(self, text: str) -> None:
        """Only sections in which every word stands; the page goes to the first of them as it is typed."""
        words = text.casefold().split()
        for place, section in enumerate(self._sections):
            if (item := self.headings.item(place)) is not None:
                item.setHidden(not all(word in section for word in words))
        if words and (shown := [k for k in range(len(self._sections)) if not self.headings.isRowHidden(k)]):
            self._go_to(shown[0])

    def _find_next(self) -> None:
        """The next place where it stands, from the top again behind the last."""
        text = self.sought.text().strip()
        if text and not self.page.find(text):
            self.page.moveCursor(QTextCursor.MoveOperation.Start)
            self.page.find(text)

    def _follow(self, link: QUrl) -> None:
        """A page of ours is opened here; anything else is none of this window's."""
        name = Path(link.path()).name
        if name.endswith(".md") and (FOLDER / name).is_file():
            self.open_page(name)


def _heading(headings: QListWidget, place: int) -> str:
    item = headings.item(place)
    return item.text() if item is not None else ""


class AboutDialog(Dialog):
    """What it is, which version, whose type."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("About Ubrant"))
        self.setFixedWidth(520)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(f"Ubrant {__version__}", "title"))
        for text in (
            self.tr("A bench log that does the sums, says how sure it is, and tells you what to do with the answer."),
            self.tr(
                "Free software under the GNU General Public License, version 3 or later. It comes without any warranty: what you connect, charge and load is yours to judge, and mains and fixed wiring are for a licensed electrician."
            ),
            self.tr("Type: B612, under the SIL Open Font License. Sums: NumPy and SciPy. Window: Qt."),
        ):
            words = label(text)
            words.setWordWrap(True)
            layout.addWidget(words)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=0))
