"""Words of others (names of files, notes, points) shown as they are: Qt takes what looks like markup for markup, and then
reads files or pipes that it names."""

from __future__ import annotations

import html
from collections.abc import Mapping

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QIcon, QPainter
from PySide6.QtWidgets import QLabel, QMenu, QMessageBox, QSizePolicy, QWidget

from tempik.desktop.widgets.by_hand import entries_ask
from tempik.desktop.widgets.painting import painted

LONGEST_IN_MENU = 100
NAMELESS: Mapping[QMessageBox.StandardButton, str] = {}
LEAST_LABEL_PX = 30  # narrower, an ellipsis alone would be left


class Label(QLabel):
    """A label of plain text. One that our own markup is shown in says so with `setTextFormat`, and escapes all else."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class FittingLabel(Label):
    """A label on one line that asks for no room: what does not fit of its text gives way to an ellipsis."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        room = self.contentsRect()
        if room.width() < LEAST_LABEL_PX:
            return
        text = self.fontMetrics().elidedText(one_line(self.text()), Qt.TextElideMode.ElideRight, room.width())
        self.style().drawItemText(
            p, room, self.alignment(), self.palette(), self.isEnabled(), text, self.foregroundRole()
        )


def escaped(text: str) -> str:
    """Return a text for a place that shows markup."""
    return html.escape(text).replace("\n", "<br>")


def as_tip(text: str) -> str:
    """Return a text for a tip, which always takes markup for such; '' for none."""
    return f"<qt>{escaped(text)}</qt>" if text else ""


def in_menu(text: str) -> str:
    """Return a text for a menu or a button, where `&` marks a key: on one line, and not endless."""
    return one_line(text).replace("&", "&&")


def one_line(text: str) -> str:
    """Return a text on one line, and not endless."""
    line = " ".join(text.split())
    return line if len(line) <= LONGEST_IN_MENU else f"{line[:LONGEST_IN_MENU]}…"


def asked(
    parent: QWidget | None,
    title: str,
    text: str,
    buttons: QMessageBox.StandardButton,
    called: Mapping[QMessageBox.StandardButton, str] = NAMELESS,
) -> QMessageBox.StandardButton:
    """Ask a question in plain words and return the button that was chosen; `called` are buttons with words of their own."""
    box = QMessageBox(QMessageBox.Icon.Question, title, "", buttons, parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    for which, words in called.items():
        button = box.button(which)
        button.setText(in_menu(words))
        button.setIcon(QIcon())  # that of the usual word says another thing
    return QMessageBox.StandardButton(box.exec())


def pop_up(menu: QMenu, at: QPoint) -> None:
    """Open a menu that was made to be opened once: it goes when it is closed, and does not stay with what it was opened over."""
    entries_ask(menu)
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)


def below(widget: QWidget) -> QPoint:
    """Return where a menu opens below a widget, on the screen."""
    return widget.mapToGlobal(QPoint(0, widget.height() + 2))


def elided(label: QWidget, text: str, width: int) -> str:
    """Return a text shortened to so many pixels in a widget's font."""
    return label.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width)
