"""The bar above the work: project menu, title, undo, transport, where one is, draft, form, export."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QWidget

from tempik.desktop.playback.transport import Transport
from tempik.desktop.session.document import Project
from tempik.desktop.session.exports import Exports
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import tool
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.theme import figures, icon, words
from tempik.reel import by_id
from tempik.time import clock_text, rate_text, time_of


class HeaderBar(QWidget):
    """Shows the project's state; its buttons are wired by the window."""

    def __init__(self, project: Project, transport: Transport, exports: Exports) -> None:
        super().__init__()
        self.project, self.exports = project, exports
        self.setFixedHeight(48)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 2)
        row.setSpacing(6)
        self._make_left(row)
        row.addStretch(1)
        self._make_transport(row)
        row.addStretch(1)
        self._make_right(row)
        project.changed.connect(self.refill)
        project.playhead.moved.connect(self._moved)
        exports.changed.connect(self._exports_moved)
        exports.progressed.connect(self._exports_moved)
        transport.player.state_changed.connect(
            lambda playing: self.play_button.setIcon(icon("pause" if playing else "play"))
        )
        self.refill()

    def _make_left(self, row: QHBoxLayout) -> None:
        self.menu_button = tool("more", "Project menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        marks.mark(self.menu_button, "signless")
        self.title = Label()
        self.title.setFont(words(15, True))
        self.saved = Label()
        marks.ink(self.saved, "quiet")
        # Whatever it says, the buttons after it stay where they are: one is about to be clicked again.
        self.saved.setMinimumWidth(self.saved.fontMetrics().horizontalAdvance("unsaved") + 2)
        row.addWidget(self.menu_button)
        row.addWidget(self.title)
        self.nest_button = QPushButton()
        self.nest_button.setToolTip("Close the nest that is open")
        self.nest_button.setVisible(False)
        row.addWidget(self.saved)
        row.addWidget(self.nest_button)
        row.addSpacing(10)
        self.undo_button, self.redo_button = tool("undo", "Undo"), tool("redo", "Redo")
        self.steps_button = tool("steps", "All steps done")
        for button in (self.undo_button, self.redo_button, self.steps_button):
            row.addWidget(button)

    def _make_transport(self, row: QHBoxLayout) -> None:
        self.previous = tool("previous", "Previous cut or point (Up)")
        self.play_button = tool("play", "Play or pause (Space)")
        self.next = tool("next", "Next cut or point (Down)")
        for button in (self.previous, self.play_button, self.next):
            row.addWidget(button)
        row.addSpacing(8)
        self.place = Label("–")
        self.place.setFont(figures(20, True))
        marks.ink(self.place, "beat")
        self.place.setMinimumWidth(64)
        self.place.setToolTip("bar.beat")
        self.clock = Label()
        self.clock.setFont(figures(14))
        self.clock.setMinimumWidth(190)
        row.addWidget(self.place)
        row.addWidget(self.clock)

    def _make_right(self, row: QHBoxLayout) -> None:
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

    def refill(self) -> None:
        """Show the project's name, whether it is saved, and what can be done."""
        reel, kept, steps = self.project.reel, self.project.history.reel, self.project.history
        self.title.setText(self.project.name)
        nests = [f.name for name in reel.opened if (f := by_id(reel.footage, name)) is not None]
        self.nest_button.setText("in " + ", ".join(nests) + "   ✕")
        self.nest_button.setVisible(bool(nests))
        saved = "unsaved" if self.project.unsaved else "saved" if self.project.path else ""
        self.saved.setText("read only" if self.project.read_only else saved)
        self.steps_button.setEnabled(len(steps.steps) > 1)
        for button, what, word in (
            (self.undo_button, steps.can_undo, "Undo"),
            (self.redo_button, steps.can_redo, "Redo"),
        ):
            button.setEnabled(bool(what))
            button.setToolTip(as_tip(f"{word}: {what}" if what else f"Nothing to {word.lower()}"))
        self.form_button.setText(f"{kept.width}×{kept.height} · {rate_text(reel.rate)}")
        self._exports_moved()
        self.draft_button.setEnabled(reel.soundtrack is not None and bool(reel.footage))
        self._moved(self.project.playhead.frame)

    def _exports_moved(self) -> None:
        exports = self.exports
        running = exports.running is not None
        if not running:
            text = "Export"
        else:
            text = "Paused" if exports.held else f"Exporting {round(100 * exports.share)} %"
        self.export_button.setText(text)
        self.export_button.setToolTip("The Export page: what to write and where to, and what is being written (Ctrl+E)")
        self.export_button.setEnabled(running or bool(exports.items) or bool(self.project.reel.clips))

    def _moved(self, frame: int) -> None:
        timeline = self.project.timeline
        beat = timeline.beat_at(frame)
        self.place.setText(beat.label if beat is not None else "–")
        self.clock.setText(f"f {frame}  {clock_text(time_of(frame, timeline.rate))}" if timeline.frames else "")

    @staticmethod
    def below(button: QWidget) -> QPoint:
        """Return where a menu of a button opens."""
        return button.mapToGlobal(QPoint(0, button.height() + 2))
