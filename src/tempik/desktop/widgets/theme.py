"""Colours, type and icons: warm charcoal, one saffron for rhythm, shape before colour."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

from tempik.desktop.widgets.marks import ROOMS, Ink

GROUND = "#1e1c1a"
SUNK = "#191715"
RAISED = "#2a2724"
LINE = "#3a3632"
TEXT = "#efe9e1"
QUIET = "#b3aaa0"
RHYTHM = "#f0b43c"
SPEED = "#86c7c1"
CUE = "#e8735a"
SOUND = "#a9b4dc"
PULSE = "#d9c3a0"
WARNING = "#c9543f"
WARNING_TEXT = "#f08a72"
GOOD = "#9cc58a"
PLAYHEAD = "#ffffff"

_HERE = Path(__file__).parent
WORDS = "Karla"
FIGURES = "League Mono"


def colour(name: str, alpha: float = 1.0) -> QColor:
    """Return a colour of the palette with an opacity 0 to 1."""
    out = QColor(name)
    out.setAlphaF(alpha)
    return out


@cache
def _face(family: str, px: int, bold: bool) -> QFont:
    font = QFont(family)
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    return font


def words(px: int = 13, bold: bool = False) -> QFont:
    """Return the face for words; 12 px is the least that is used."""
    return _face(WORDS, px, bold)


def figures(px: int = 13, bold: bool = False) -> QFont:
    """Return the face for figures, all of one width."""
    return _face(FIGURES, px, bold)


@cache
def icon(name: str, tint: str = TEXT) -> QIcon:
    """Return one of our icons in a colour."""
    data = (_HERE / "icons" / f"{name}.svg").read_text(encoding="utf-8").replace("currentColor", tint)
    renderer = QSvgRenderer(QByteArray(data.encode()))
    out = QIcon()
    for size in (16, 20, 24, 25, 30, 32, 40, 48, 64, 80, 96):
        picture = QPixmap(QSize(size, size))
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        renderer.render(painter, QRectF(0, 0, size, size))
        painter.end()
        out.addPixmap(picture)
    return out


def dress(app: QApplication) -> None:
    """Give the application its fonts, palette and style sheet."""
    for name in ("Karla.ttf", "LeagueMono-Regular.otf", "LeagueMono-SemiBold.otf"):
        QFontDatabase.addApplicationFont(str(_HERE / "fonts" / name))
    app.setStyle("Fusion")
    app.setFont(words())
    palette = QPalette()
    role = QPalette.ColorRole
    for which, name in (
        (role.Window, GROUND),
        (role.Base, SUNK),
        (role.AlternateBase, RAISED),
        (role.Button, RAISED),
        (role.WindowText, TEXT),
        (role.Text, TEXT),
        (role.ButtonText, TEXT),
        (role.ToolTipBase, RAISED),
        (role.ToolTipText, TEXT),
        (role.Highlight, RHYTHM),
        (role.HighlightedText, GROUND),
        (role.PlaceholderText, QUIET),
    ):
        palette.setColor(which, QColor(name))
    app.setPalette(palette)
    app.setStyleSheet(_SHEET)


@contextmanager
def dressed_last() -> Iterator[None]:
    """What is made within is given the style sheet once all of it is there: with it, every part is styled anew each time that what holds it is
    laid into something larger. Where other widgets are seen already, they stay dressed, and so is this."""
    app = QApplication.instance()
    alone = isinstance(app, QApplication) and bool(app.styleSheet()) and len(app.allWidgets()) <= 1
    held = app if isinstance(app, QApplication) and alone else None
    if held is not None:
        held.setStyleSheet("")
    try:
        yield
    finally:
        if held is not None:
            held.setStyleSheet(_SHEET)


INKS: dict[Ink, str] = {"quiet": QUIET, "warning": WARNING_TEXT, "beat": RHYTHM, "good": GOOD}
# Of controls and of what is marked (`marks`), in one: what is marked comes last and is the more specific.
_SHEET = f"""
QWidget {{ color: {TEXT}; }}
QMainWindow, QDialog {{ background: {GROUND}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QToolTip {{ background: {RAISED}; color: {TEXT}; border: 1px solid {LINE}; padding: 4px 6px; }}
QPushButton, QToolButton {{
  background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; padding: 4px 10px; min-height: 20px; }}
QToolButton[flat="true"] {{ background: transparent; border-color: transparent; padding: 4px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {QUIET}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {LINE}; }}
QPushButton:checked, QToolButton:checked {{ background: {RHYTHM}; color: {GROUND}; border-color: {RHYTHM}; }}
QPushButton:disabled, QToolButton:disabled, QComboBox:disabled, QAbstractSpinBox:disabled, QLineEdit:disabled {{
  color: #958d84; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus,
QLineEdit:focus {{ border-color: {RHYTHM}; }}
QPushButton[main="true"] {{ background: {RHYTHM}; color: {GROUND}; border-color: {RHYTHM}; font-weight: 600; }}
QPushButton[main="true"]:hover {{ background: #f7c65c; }}
QPushButton[main="true"]:disabled {{ background: {LINE}; border-color: {LINE}; color: {QUIET}; }}
QComboBox, QSpinBox, QDoubleSpinBox, QLineEdit {{
  background: {SUNK}; border: 1px solid {LINE}; border-radius: 4px; padding: 3px 6px; min-height: 20px;
  selection-background-color: {RHYTHM}; selection-color: {GROUND}; }}
QComboBox QAbstractItemView {{ background: {RAISED}; border: 1px solid {LINE}; }}
QMenu {{ background: {RAISED}; border: 1px solid {LINE}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 12px; border-radius: 3px; }}
QMenu::item:selected {{ background: {LINE}; }}
QMenu::item:disabled {{ color: {QUIET}; }}
QMenu::separator {{ height: 1px; background: {LINE}; margin: 4px 6px; }}
QListWidget, QTableView {{ background: {SUNK}; border: 1px solid {LINE}; border-radius: 4px; outline: none; }}
QListWidget::item {{ padding: 4px; border-radius: 3px; }}
QListWidget::item:selected, QTableView::item:selected {{ background: {LINE}; color: {TEXT}; }}
QHeaderView::section {{ background: {RAISED}; color: {QUIET}; border: none; border-bottom: 1px solid {LINE}; padding: 4px 8px; }}
QTableCornerButton::section {{ background: {RAISED}; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle {{ background: {LINE}; border-radius: 4px; min-width: 24px; min-height: 24px; }}
QScrollBar::handle:hover {{ background: {QUIET}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {SUNK}; border: 1px solid {LINE}; border-radius: 4px; min-height: 8px; max-height: 8px; }}
QProgressBar::chunk {{ background: {RHYTHM}; border-radius: 3px; }}
QAbstractSpinBox QLineEdit {{ background: transparent; border: none; padding: 0 5px; }}
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; height: 0; border: none; }}
QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {QUIET}; border-radius: 3px; background: {SUNK}; }}
QCheckBox::indicator:checked {{ background: {RHYTHM}; border-color: {RHYTHM}; }}
QSplitter::handle {{ background: {GROUND}; }}
QFileDialog QToolButton {{ padding: 2px; }}
QToolButton[signless="true"]::menu-indicator {{ image: none; }}
QToolButton[tab="page"] {{
  background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 6px 2px 4px;
  font-size: 13px; color: {QUIET}; }}
QToolButton[tab="page"]:hover, QToolButton[tab="page"]:focus {{ color: {TEXT}; }}
QToolButton[tab="page"]:focus {{ border-bottom-color: {TEXT}; }}
QToolButton[tab="page"]:checked {{ color: {TEXT}; border-bottom-color: {RHYTHM}; background: transparent; }}
QPushButton[tab="pane"] {{
  background: transparent; border: none; border-bottom: 2px solid transparent; border-radius: 0; padding: 2px 6px;
  color: {QUIET}; }}
QPushButton[tab="pane"]:checked {{ color: {TEXT}; border-bottom-color: {SPEED}; background: transparent; }}
QPushButton[tab="pane"]:hover {{ color: {TEXT}; }}
QPushButton[tab="pane"]:focus {{ color: {RHYTHM}; }}
QScrollArea[clear="true"], QScrollArea[clear="true"] > QWidget > QWidget {{ background: transparent; }}
QLabel[edge="clear"] {{ border-left: 3px solid transparent; padding-left: 4px; }}
QLabel[edge="chosen"] {{ border-left: 3px solid {SOUND}; padding-left: 4px; }}
QFrame[panel="true"] {{ background: {RAISED}; border: 1px solid {QUIET}; border-radius: 6px; }}
#page-panel {{ background: {RAISED}; border-radius: 5px; }}
#export {{ background: {GROUND}; border-radius: 4px; }}
#place {{ background: {RAISED}; border: 2px dashed {LINE}; border-radius: 10px; }}
#place[done="true"] {{ border: 2px solid {RHYTHM}; }}
#place:hover, #place:focus {{ border-color: {RHYTHM}; }}
""" + "\n".join(
    [f'*[ink="{name}"] {{ color: {value}; }}' for name, value in INKS.items()]
    + [f'*[room="{name}"], QToolButton[flat="true"][room="{name}"] {{ {how} }}' for name, how in ROOMS.items()]
    + [f'*[keyed="true"] {{ border-color: {RHYTHM}; }}']
)
