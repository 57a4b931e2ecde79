"""The page of what can be set."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFileDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ubrant.core.quantities.quantity import show_duration
from ubrant.ui.widgets import theme
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.settings import CHARGES, GROUNDS, GUARDIAN_S, SPEEDS, folder, ground, guardian_s, speed_index


class SettingsDialog(Dialog):
    """Everything applies at once; ``changed`` says so."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Settings"))
        self.setMinimumWidth(620)
        self.ground, self.charge, self.speed = (
            Choice(self.tr("Light or dark")),
            Choice(self.tr("Charge in")),
            Choice(self.tr("Simulated bench")),
        )
        for key, name in GROUNDS:
            self.ground.addItem(self.tr(name), key)
        for key, name in CHARGES:
            self.charge.addItem(name, key)
        for name, _ in SPEEDS:
            self.speed.addItem(self.tr(name))
        self.guardian = Choice(self.tr("Guardian switches off after"))
        for seconds in GUARDIAN_S:
            self.guardian.addItem(self.tr("{time} without a sign of life").format(time=show_duration(seconds)), seconds)
        self.folder = QLineEdit(str(folder()))
        self.folder.setAccessibleName(self.tr("Folder"))
        self.ground.setCurrentIndex(self.ground.findData(ground()))
        self.charge.setCurrentIndex(self.charge.findData(QSettings().value("charge", "Ah")))
        self.speed.setCurrentIndex(speed_index())
        self.guardian.setCurrentIndex(max(self.guardian.findData(guardian_s()), 0))
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        rows: tuple[tuple[str, QWidget], ...] = (
            (self.tr("Light or dark"), self.ground),
            (self.tr("Charge in"), self.charge),
            (self.tr("Simulated bench, at first"), self.speed),
            (self.tr("Guardian switches off after"), self.guardian),
            (self.tr("Files are saved in"), self.folder),
        )
        for line, (title, field) in enumerate(rows):
            grid.addWidget(label(title), line, 0)
            grid.addWidget(field, line, 1)
        grid.setColumnStretch(1, 1)
        grid.addWidget(button(self.tr("Choose …"), self._choose), len(rows) - 1, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(label(self.tr("Settings"), "title"))
        layout.addLayout(grid)
        layout.addLayout(row(QWidget(), button(self.tr("Close"), self.accept, "chief"), stretch=0))
        for box in (self.ground, self.charge, self.speed, self.guardian):
            box.currentIndexChanged.connect(self._keep)
        self.folder.editingFinished.connect(self._keep)

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, self.tr("Where files are saved"), self.folder.text())
        if chosen:
            self.folder.setText(chosen)
            self._keep()

    def _keep(self) -> None:
        settings = QSettings()
        settings.setValue("ground", self.ground.currentData())
        settings.setValue("charge", self.charge.currentData())
        settings.setValue("speed", self.speed.currentIndex())
        settings.setValue("guardian_s", self.guardian.currentData())
        settings.setValue("folder", self.folder.text())
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.choose_ground(app, ground())
        self.changed.emit()
