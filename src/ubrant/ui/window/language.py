"""The person's language: a catalogue for the window's words and for every sentence that goes through ``say``. English where there is none."""

from __future__ import annotations

from importlib import resources

from PyQt6.QtCore import QCoreApplication, QLocale, QTranslator
from PyQt6.QtWidgets import QApplication

from ubrant.core.wording import speak

SENTENCES = "sentences"
"""The context under which a catalogue holds what goes through ``say``."""


def install(app: QApplication) -> None:
    """Have the window and every sentence speak what the desktop is set to, where there is a catalogue for it."""
    translator = QTranslator(app)
    folder = resources.files("ubrant.ui").joinpath("languages")
    if translator.load(QLocale(), "ubrant", "_", str(folder)):
        app.installTranslator(translator)
    speak(lambda text: QCoreApplication.translate(SENTENCES, text))
