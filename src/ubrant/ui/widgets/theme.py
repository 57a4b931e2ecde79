"""Colours, type and the style sheet. Meaning never rests on colour alone: a line style, a hatch or a word goes with it."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FAMILY = "B612"


@dataclass(frozen=True)
class Theme:
    """One ground. All values are ``#rrggbb``."""

    band: str
    band_text: str
    band_quiet: str
    here: str
    here_text: str
    ground: str
    paper: str
    card: str
    ink: str
    quiet: str
    line: str
    faint: str
    voltage: str
    current: str
    power: str
    loss: str
    caution: str
    good: str
    loss_wash: str
    caution_wash: str
    good_wash: str
    plain_wash: str
    level: str


LIGHT = Theme(
    band="#1F2A33",
    band_text="#F3EFE7",
    band_quiet="#B4BCC2",
    here="#F0B07A",
    here_text="#1F2A33",
    ground="#EFECE4",
    paper="#FBFAF6",
    card="#FFFFFF",
    ink="#1F2A33",
    quiet="#5E666D",
    line="#CFCABE",
    faint="#E4E0D6",
    voltage="#17685F",
    current="#A8541C",
    power="#6D3B73",
    loss="#B23A2E",
    caution="#B97A0A",
    good="#3F6B2E",
    loss_wash="#F8E6E1",
    caution_wash="#F9EEDA",
    good_wash="#E9F0E2",
    plain_wash="#EEF0F0",
    level="#D9E6E3",
)

DARK = Theme(
    band="#10161A",
    band_text="#ECE7DC",
    band_quiet="#9BA4AA",
    here="#F0B07A",
    here_text="#10161A",
    ground="#171D22",
    paper="#1D242A",
    card="#272F36",
    ink="#ECE7DC",
    quiet="#A3ACB2",
    line="#46515A",
    faint="#323C44",
    voltage="#63C4B5",
    current="#E39355",
    power="#C998D1",
    loss="#F08374",
    caution="#E3B455",
    good="#A2CB90",
    loss_wash="#3B2724",
    caution_wash="#38301D",
    good_wash="#263222",
    plain_wash="#252E34",
    level="#2C4B47",
)

_current = LIGHT


def theme() -> Theme:
    """The ground in use."""
    return _current


def color(name: str, alpha: int = 255) -> QColor:
    """A colour of the ground in use, by its name in Theme."""
    found = QColor(getattr(_current, name))
    found.setAlpha(alpha)
    return found


def font(points: float, *, bold: bool = False, italic: bool = False) -> QFont:
    """B612 at a size relative to the application's own, so that text scales with it."""
    made = QFont(FAMILY)
    made.setPointSizeF(points)
    made.setBold(bold)
    made.setItalic(italic)
    return made


SMALL, NORMAL, LARGE, TITLE = 8.5, 10.0, 12.5, 13.5


def choose_ground(app: QApplication, wish: str) -> None:
    """Put the application on the ``light`` or the ``dark`` ground, or on the desktop's own (``auto``)."""
    global _current
    hints = app.styleHints()
    dark = wish == "dark" or (wish == "auto" and hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark)
    wanted = DARK if dark else LIGHT
    if wanted is not _current or not app.styleSheet():
        _current = wanted
        _dress(app)


def apply(app: QApplication, wish: str = "light") -> None:
    """Load the shipped type and dress the application."""
    for name in ("B612-Regular.otf", "B612-Bold.otf", "B612-Italic.otf"):
        QFontDatabase.addApplicationFontFromData(resources.files("ubrant.ui").joinpath(f"fonts/{name}").read_bytes())
    app.setFont(font(NORMAL))
    app.setStyle("Fusion")
    choose_ground(app, wish)


def _dress(app: QApplication) -> None:
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "ground"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.AlternateBase, "paper"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.Button, "card"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.Highlight, "current"),
        (QPalette.ColorRole.HighlightedText, "card"),
        (QPalette.ColorRole.ToolTipBase, "card"),
        (QPalette.ColorRole.ToolTipText, "ink"),
        (QPalette.ColorRole.PlaceholderText, "quiet"),
        (QPalette.ColorRole.Link, "voltage"),
    ):
        palette.setColor(role, color(name))
    app.setStyleSheet(style_sheet(_current))
    app.setPalette(palette)  # last: widgets that keep colours draw them anew when it changes


def style_sheet(t: Theme) -> str:
    """The rules for controls: flat, few lines, focus always to be seen."""
    return f"""
    QWidget#ground {{ background: {t.ground}; }}
    QWidget#paper, QScrollArea#paper {{ background: {t.paper}; border: none; }}
    QWidget#side {{ background: {t.paper}; border-left: 1px solid {t.line}; }}
    QWidget#band {{ background: {t.band}; }}
    QLabel, QCheckBox, QRadioButton, QGroupBox {{ color: {t.ink}; }}
    QWidget#band QLabel {{ color: {t.band_text}; }}
    QLabel#quiet {{ color: {t.quiet}; font-size: {SMALL}pt; }}
    QLabel#beneath {{ color: {t.loss}; font-size: {SMALL}pt; }}
    QLabel#title {{ font-size: {TITLE}pt; font-weight: bold; }}
    QLabel#dark {{ color: {t.loss}; font-size: {LARGE}pt; font-weight: bold; }}
    QLabel#gain {{ color: {t.good}; font-weight: bold; }}
    QLabel#answer {{ font-weight: bold; }}
    QLabel#heading {{ font-size: {LARGE}pt; font-weight: bold; }}
    QMenuBar {{ background: {t.band}; color: {t.band_quiet}; border: none; padding: 0; }}
    QMenuBar::item {{ padding: 6px 9px; background: transparent; border-radius: 3px; }}
    QMenuBar::item:selected {{ color: {t.band}; background: {t.here}; }}
    QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 6px 28px 6px 14px; }}
    QMenu::item:selected {{ background: {t.faint}; color: {t.ink}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QPushButton {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 3px; padding: 7px 14px; }}
    QPushButton:hover {{ border-color: {t.ink}; }}
    QPushButton:pressed {{ background: {t.faint}; }}
    QPushButton:focus {{ border: 2px solid {t.voltage}; padding: 6px 13px; }}
    QPushButton:disabled {{ color: {t.quiet}; background: {t.ground}; border-color: {t.faint}; }}
    QPushButton#menu {{ text-align: left; padding: 5px 24px 5px 8px; }}
    QPushButton#menu:focus {{ padding: 4px 23px 4px 7px; }}
    QPushButton#menu::menu-indicator {{
        image: url({resources.files("ubrant.ui").joinpath("icons/down.svg")}); width: 12px; height: 12px; right: 6px; subcontrol-position: right center; }}
    QPushButton#chief {{ background: {t.current}; color: {t.paper}; border-color: {t.current}; font-weight: bold; }}
    QPushButton#chief:hover {{ border-color: {t.ink}; }}
    QPushButton#chief:focus {{ border: 2px solid {t.ink}; }}
    QPushButton#chief:disabled {{ background: {t.faint}; color: {t.quiet}; border-color: {t.faint}; }}
    QPushButton#segment {{ min-width: 84px; }}
    QPushButton#segment:checked {{ background: {t.here}; color: {t.here_text}; border-color: {t.here}; font-weight: bold; }}
    QPushButton#link {{ background: transparent; border: none; color: {t.voltage}; padding: 2px 3px; text-align: left; }}
    QPushButton#link:hover {{ text-decoration: underline; }}
    QPushButton#link:focus {{ border: 1px solid {t.voltage}; padding: 1px 2px; }}
    QPushButton#fold {{ background: transparent; border: none; border-top: 1px solid {t.line}; border-radius: 0; text-align: left; padding: 7px 6px; }}
    QPushButton#fold:hover {{ background: {t.plain_wash}; }}
    QPushButton#fold:focus {{ border: 1px solid {t.voltage}; padding: 6px 5px; }}
    QPushButton#stage {{ background: transparent; border: none; border-radius: 3px; color: {t.band_text}; padding: 13px 16px; font-size: 11pt; }}
    QPushButton#stage[narrow="true"] {{ padding: 13px 8px; }}
    QPushButton#stage[narrow="true"]:focus {{ padding: 11px 6px; }}
    QPushButton#stage:hover {{ color: {t.here}; }}
    QPushButton#stage:focus {{ border: 2px solid {t.here}; padding: 11px 14px; }}
    QPushButton#stage:checked {{ background: {t.here}; color: {t.here_text}; font-weight: bold; }}
    QPushButton#stage:disabled {{ color: {t.quiet}; }}
    QLineEdit, QComboBox, QDoubleSpinBox, QPlainTextEdit {{
        background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 3px; padding: 5px 8px;
        selection-background-color: {t.current}; selection-color: {t.paper}; }}
    QLineEdit:focus, QComboBox:focus, QDoubleSpinBox:focus, QPlainTextEdit:focus {{ border: 2px solid {t.voltage}; padding: 4px 7px; }}
    QLineEdit#amiss {{ border: 2px solid {t.loss}; padding: 4px 7px; }}
    QComboBox {{ combobox-popup: 0; }}
    QComboBox::drop-down {{ border: none; width: 24px; }}
    QComboBox::down-arrow {{ image: url({resources.files("ubrant.ui").joinpath("icons/down.svg")}); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line}; selection-background-color: {t.faint}; selection-color: {t.ink}; }}
    QTableView {{ background: {t.card}; border: 1px solid {t.line}; gridline-color: {t.faint}; }}
    QTableView::item {{ padding: 4px 8px; }}
    QTableView#readings, QTableView#arrivals {{ selection-background-color: {t.faint}; selection-color: {t.ink}; }}
    QTableView#readings QHeaderView::section {{ padding: 3px 6px; }}
    QTableView#readings::item {{ padding: 2px 6px; }}
    QTableView#readings::item:focus {{ background: {t.card}; color: {t.ink}; border: 2px solid {t.current}; padding: 0 4px; }}
    QTableView#readings QLineEdit {{ border: 2px solid {t.current}; border-radius: 0; padding: 0 3px; }}
    QHeaderView::section {{ background: {t.card}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.line}; padding: 6px 8px; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; }}
    QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 5px; }}
    QDialog {{ background: {t.ground}; }}
    """
