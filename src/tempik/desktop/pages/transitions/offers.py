"""The line below a transition: what it is short of, each mend as a button; else what suits the motion."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tempik.desktop.commands.transitions import TransitionCommands
from tempik.desktop.pages.transitions.suggesting import Suggesting
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label, as_tip, in_menu
from tempik.desktop.widgets.theme import words
from tempik.edit.transitions import mending
from tempik.edit.transitions.laying import TransitionPlace
from tempik.timeline.transitions import short_of
from tempik.transitions import CATALOGUE

MOST = 4
SAID_PX = 330
SHORT_NAMES = {
    "shorter": "shorter", "move": "elsewhere about the cut", "slip": "other frames", "slow": "slower",
    "hold": "let it stand", "round": "round again",
}  # fmt: skip


class Offers(QWidget):
    """Says one thing, and offers what can be done about it."""

    def __init__(self, commands: TransitionCommands, suggesting: Suggesting) -> None:
        super().__init__()
        self.commands, self.suggesting = commands, suggesting
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(5)
        self.message = Label()
        self.message.setFont(words(12))
        self.row.addWidget(self.message)
        self.row.addStretch(1)
        suggesting.found.connect(self.refill)

    def refill(self) -> None:
        """Show what there is for the transition that is worked on."""
        self._clear()
        place, placed_transition = self.commands.place, self.commands.placed_transition
        short = short_of(placed_transition) if placed_transition is not None else []
        if place is None:
            self._say("", "quiet")
        elif short:
            self._say(f"{short[0]}.", "warning")
            under_way = self.commands.project.under_way  # a drag: what would mend it is worked out when it rests
            for mend in [] if under_way else mending.mends(self.commands.project.reel, place)[:MOST]:
                self._offer(SHORT_NAMES[mend.name], mend.does, partial(self.commands.mend, place, mend))
        else:
            self._show_proposals(place)

    def _show_proposals(self, place: TransitionPlace) -> None:
        found = self.suggesting.proposals
        self._say("Suits the motion:" if found else self.suggesting.text, "quiet")
        for proposed in found[:3]:
            name = CATALOGUE[proposed.kind].title.lower() if proposed.kind else "hard cut"
            title = f"{name} {proposed.direction}".strip()
            self._offer(title, proposed.why, partial(self.commands.take_proposal, place, proposed))
        if found:
            why = Label(found[0].why.rsplit(":", 1)[0])
            why.setFont(words(12))
            marks.ink(why, "quiet")
            self._add(why)

    def _offer(self, title: str, tip: str, act: Callable[[], None]) -> None:
        made = QPushButton(in_menu(title))
        made.setToolTip(as_tip(tip[0].upper() + tip[1:]))
        marks.room(made, "low")
        made.clicked.connect(lambda _=False: act())
        self._add(made)

    def _add(self, widget: QWidget) -> None:
        self.row.insertWidget(self.row.count() - 1, widget)

    def _say(self, text: str, ink: marks.Ink) -> None:
        shown = self.message.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, SAID_PX)
        self.message.setText(shown)
        self.message.setToolTip(as_tip(text) if shown != text else "")
        marks.ink(self.message, ink)

    def _clear(self) -> None:
        for number in range(self.row.count() - 1, 0, -1):
            item = self.row.itemAt(number)
            widget = item.widget() if item is not None else None
            if widget is not None:
                self.row.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
