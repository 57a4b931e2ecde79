"""Pictures of a unit or a run: small, in a row, each opened by a click; more are added from files."""

from __future__ import annotations

import stat
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QImageReader, QPainter, QPixmap
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ubrant.apart import APART, Answer, Limits, Refused
from ubrant.core.wording import say
from ubrant.logbook.records import Photo
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, row
from ubrant.ui.widgets.text import Text, in_a_line, set_tip
from ubrant.ui.widgets.work import in_background

_SMALL = QSize(76, 57)
_LONGEST = 1600
_QUALITY = 85
_MOST_BYTES = 60_000_000
_SHOWN = 4
_LIMITS = Limits(30.0, 20, 1 << 30)
_JPEG = b"\xff\xd8\xff"


class PhotoError(Exception):
    """A file that is no picture; says which and what to do."""


_KINDS = {"jpeg", "png", "webp", "bmp", "gif", "tiff"}
_ENDS = {"jpeg": b"\xff\xd9", "png": b"IEND"}
"""What stands at the end of a whole one; a camera may put more behind it."""


def _end_of(path: Path) -> bytes:
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - (1 << 16)))
        return file.read()


def photo_of(path: Path) -> Photo:
    """A picture as it is kept: upright, at most 1600 pixels long, as JPEG, without what a camera wrote about place and time.

    Raises
    ------
    PhotoError
        It cannot be read as a picture, or is larger than 60 MB.
    """
    try:
        about = path.stat()
        if not stat.S_ISREG(about.st_mode):
            raise PhotoError(say("{name} is no file: choose a picture (JPEG or PNG).", name=path.name))
        if about.st_size > _MOST_BYTES:
            raise PhotoError(say("{name} is larger than 60 MB: save a smaller picture of it.", name=path.name))
    except OSError as error:
        raise PhotoError(say("{name} cannot be read ({error}).", name=path.name, error=error.strerror or error)) from None
    try:
        _, (jpeg,) = APART.ask("picture", path, _LIMITS)
    except Refused as error:
        raise PhotoError(str(error)) from None
    if not jpeg.startswith(_JPEG):
        raise PhotoError(say("{name} is no picture that can be read here: save it as JPEG or PNG.", name=path.name))
    return Photo(jpeg, path.stem)


def picture_told(path: Path) -> Answer:
    """In the process apart: a picture as a JPEG of it."""
    try:
        return {}, [_jpeg_of(path)]
    except PhotoError as error:
        raise Refused(str(error)) from None


def _jpeg_of(path: Path) -> bytes:
    reader = QImageReader(str(path))
    reader.setDecideFormatFromContent(True)
    reader.setAutoTransform(True)
    kind = reader.format().data().decode("ascii", "replace")
    image = reader.read() if kind in _KINDS else QImage()  # what is drawn anew (SVG, PDF) may name other files
    if kind in _ENDS and _ENDS[kind] not in _end_of(path):
        raise PhotoError(say("{name} is not whole: its end is missing. Copy it again.", name=path.name))
    if image.isNull():
        raise PhotoError(say("{name} is no picture that can be read here: save it as JPEG or PNG.", name=path.name))
    if max(image.width(), image.height()) > _LONGEST:
        image = image.scaled(_LONGEST, _LONGEST, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
    bare = QImage(image.size(), QImage.Format.Format_RGB32)  # a new one: no text of the old one goes along
    bare.fill(Qt.GlobalColor.white)
    painter = QPainter(bare)
    painter.drawImage(0, 0, image)
    painter.end()
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if not bare.save(buffer, "JPG", _QUALITY):
        raise PhotoError(say("{name} could not be made a JPEG: save it as one.", name=path.name))
    return bytes(data.data())


def take_pictures(bench: Workbench, paths: list[Path], window: QWidget, unit_id: int | None, run_id: int | None) -> None:
    """Keep what can be read, beside the window; what cannot be is said."""

    def read() -> tuple[list[Photo], list[str]]:
        made: list[Photo] = []
        troubles: list[str] = []
        for path in paths:
            try:
                photo = photo_of(path)
            except PhotoError as error:
                troubles.append(str(error))
            else:
                made.append(Photo(photo.jpeg, photo.text, unit_id, run_id))
        return made, troubles

    def keep(found: tuple[list[Photo], list[str]]) -> None:
        made, troubles = found
        if made:
            bench.keep_photos(made)
        for trouble in troubles:
            bench.said.emit(trouble)

    in_background(window, say("Reading pictures …"), read, keep, lambda error: bench.said.emit(str(error)))


class PhotoStrip(QWidget):
    """Of one unit or one run."""

    def __init__(self, bench: Workbench, unit_id: int | None = None, run_id: int | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self._unit_id, self._run_id = bench, unit_id, run_id
        self.photos = bench.logbook.photos(unit_id, run_id)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(6)
        for photo in self.photos[:_SHOWN]:
            layout.addWidget(self._small(photo))
        if len(self.photos) > _SHOWN:
            layout.addWidget(Text(self.tr("+ {n}").format(n=len(self.photos) - _SHOWN)))
        self.add = button(self.tr("Add a picture …") if not self.photos else "+", self._choose, "link")
        self.add.setAccessibleName(self.tr("Add a picture of a label or a set-up"))
        self.add.setEnabled(not bench.logbook.read_only)
        layout.addWidget(self.add)
        layout.addStretch(1)

    def _small(self, photo: Photo) -> QPushButton:
        picture = QPixmap()
        picture.loadFromData(photo.jpeg)
        small = QPushButton()
        small.setFlat(True)
        small.setIcon(QIcon(picture))
        small.setIconSize(_SMALL)
        small.setFixedSize(_SMALL + QSize(4, 4))
        small.setAccessibleName(photo.text or self.tr("Picture"))
        set_tip(small, photo.text)
        small.clicked.connect(partial(self.look_at, photo))
        return small

    def look_at(self, photo: Photo, _: bool = False) -> None:
        PhotoDialog(self._bench, photo, self.window()).exec()

    def _choose(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(
            self, self.tr("Add pictures"), "", self.tr("Pictures (*.jpg *.jpeg *.png *.webp *.bmp);;All files (*)")
        )
        self.take([Path(path) for path in paths])

    def take(self, paths: list[Path]) -> None:
        take_pictures(self._bench, paths, self.window() or self, self._unit_id, self._run_id)


class PhotoDialog(Dialog):
    """One picture, as large as the screen has room for."""

    def __init__(self, bench: Workbench, photo: Photo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(in_a_line(photo.text or self.tr("Picture")))
        picture = QPixmap()
        picture.loadFromData(photo.jpeg)
        if (screen := self.screen()) is not None:
            picture = picture.scaled(
                screen.availableSize() * 0.75, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
        shown = Text()
        shown.setPixmap(picture)
        shown.setAccessibleName(photo.text)
        layout = QVBoxLayout(self)
        layout.addWidget(shown)

        def remove() -> None:
            self.accept()
            bench.remove_photo(photo)

        self.remove = button(self.tr("Remove it"), remove)
        self.remove.setEnabled(not bench.logbook.read_only)
        layout.addLayout(row(self.remove, QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=1))
