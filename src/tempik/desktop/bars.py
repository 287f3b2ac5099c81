"""The bars above and below the work: project, transport and delivery; the status line with what runs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QToolButton, QWidget

from tempik.desktop import theme
from tempik.desktop.theme import figures, icon, words


def tool(sign: str, name: str, act: Callable[[], object] | None = None) -> QToolButton:
    """Return a flat button with one of our icons, named for assistive technology."""
    button = QToolButton()
    button.setIcon(icon(sign))
    button.setIconSize(button.iconSize() * 1.25)
    button.setProperty("flat", True)
    button.setToolTip(name)
    button.setAccessibleName(name)
    button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    if act is not None:
        button.clicked.connect(act)
    return button


class HeaderBar(QWidget):
    """Project menu, title, undo, transport, clock, draft, settings, export."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(48)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 2)
        row.setSpacing(6)
        self.menu_button = tool("more", "Project menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.title = QLabel()
        self.title.setFont(words(15, True))
        self.saved = QLabel()
        self.saved.setStyleSheet(f"color: {theme.QUIET};")
        row.addWidget(self.menu_button)
        row.addWidget(self.title)
        row.addWidget(self.saved)
        row.addSpacing(10)
        self.undo_button, self.redo_button = tool("undo", "Undo"), tool("redo", "Redo")
        self.steps_button = tool("steps", "All steps done")
        for button in (self.undo_button, self.redo_button, self.steps_button):
            row.addWidget(button)
        row.addStretch(1)
        self.previous, self.play_button = (
            tool("previous", "Previous cut or point (Up)"),
            tool("play", "Play or pause (Space)"),
        )
        self.next = tool("next", "Next cut or point (Down)")
        for button in (self.previous, self.play_button, self.next):
            row.addWidget(button)
        row.addSpacing(8)
        self.place = QLabel("–")
        self.place.setFont(figures(20, True))
        self.place.setStyleSheet(f"color: {theme.RHYTHM};")
        self.place.setMinimumWidth(64)
        self.place.setToolTip("bar.beat")
        self.clock = QLabel()
        self.clock.setFont(figures(14))
        self.clock.setMinimumWidth(190)
        row.addWidget(self.place)
        row.addWidget(self.clock)
        row.addStretch(1)
        self.draft_button = QPushButton("Draft")
        self.draft_button.setToolTip("Make a reel of this song and footage by a rule")
        self.form_button = QPushButton()
        self.form_button.setToolTip("Frame size and rate of the reel")
        self.form_button.setFont(figures(13))
        self.export_button = QPushButton("Export")
        self.export_button.setProperty("main", True)
        self.export_button.setMinimumWidth(84)
        row.addWidget(self.draft_button)
        row.addWidget(self.form_button)
        row.addWidget(self.export_button)


class FootBar(QWidget):
    """The status line, an offer with its two answers, and the work that runs."""

    answered = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(30)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 6)
        self.status = QLabel()
        self.status.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.find_missing = _small("Find …")
        self.find_missing.hide()
        self.take_up, self.let_go = _small("Take it up"), _small("Let it go")
        self.take_up.clicked.connect(lambda: self.answered.emit(True))
        self.let_go.clicked.connect(lambda: self.answered.emit(False))
        self.job_name = QLabel()
        self.job_name.setStyleSheet(f"color: {theme.QUIET};")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(180)
        self.progress.setRange(0, 1000)
        self.cancel = tool("remove", "Cancel")
        self.cancel.setIconSize(self.cancel.iconSize() * 0.8)
        self.cancel.setStyleSheet("padding: 0;")
        row.addWidget(self.status, 1)
        for widget in (self.find_missing, self.take_up, self.let_go, self.job_name, self.progress, self.cancel):
            row.addWidget(widget)
        self.offer(False)

    def offer(self, shown: bool) -> None:
        """Show or hide the two answers to what the status line asks."""
        self.take_up.setVisible(shown)
        self.let_go.setVisible(shown)


def _small(text: str) -> QPushButton:
    button = QPushButton(text)
    button.setStyleSheet("padding: 1px 10px; min-height: 16px;")
    return button
