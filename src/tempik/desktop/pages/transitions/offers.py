"""What suits the movement at a cut, found in the background, and what would mend a transition that is short of footage: as buttons."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tempik.desktop.commands.transitions import TransitionCommands
from tempik.desktop.pages.page import PageContext
from tempik.desktop.session.jobs import Job
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label, as_tip, in_menu
from tempik.desktop.widgets.theme import words
from tempik.edit.transitions import mending
from tempik.edit.transitions.laying import TransitionPlace
from tempik.render import PictureSource
from tempik.render.motion import proposals_at
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.transitions import short_of
from tempik.transitions import CATALOGUE
from tempik.transitions.matching import TransitionProposal

KEPT = 64
REST_MS = 350
Key = tuple[int, int]


class Suggesting(QObject):
    """`proposals` of the cut looked at; `found` says that there are others. `text` says why there are none."""

    found = Signal()

    def __init__(self, context: PageContext) -> None:
        super().__init__(context.project)
        self.context = context
        self.proposals: list[TransitionProposal] = []
        self.text = ""
        self._kept: OrderedDict[Key, tuple[tuple[PlacedClip, PlacedClip], list[TransitionProposal]]] = OrderedDict()
        self._place: TransitionPlace | None = None
        self._job: Job | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._look)

    def _pair(self) -> tuple[PlacedClip, PlacedClip] | None:
        """Return the clips that meet at the edge, or None."""
        timeline, place = self.context.project.timeline, self._place
        after = timeline.placed_clip(place.clip) if place is not None and not place.end else None
        before = timeline.clip_at(after.first - 1, after.clip.track) if after is not None and after.first else None
        return (before, after) if before is not None and after is not None and before.end == after.first else None

    def look_at(self, place: TransitionPlace | None) -> None:
        """Look at a cut; what is known of it is there at once."""
        self._place = place
        pair = self._pair()
        if pair is None:
            self.proposals, self.text = [], ""
            return
        known = self._kept.get(_key(pair))
        self.proposals = known[1] if known is not None else []
        self.text = "" if known is not None else "Looking how the pictures move …"
        if known is None:
            self._rest.start()

    def _look(self) -> None:
        pair = self._pair()
        if pair is None or self._job is not None or _key(pair) in self._kept:
            return
        timeline, proxy = self.context.project.timeline, self.context.proxy_store.proxy_for

        def work(job: Job) -> list[TransitionProposal]:
            with PictureSource(64 << 20, proxy) as source:
                return proposals_at(timeline, pair[1].clip.id, source)

        def done(proposed: list[TransitionProposal]) -> None:
            self._kept[_key(pair)] = (pair, proposed)
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)

        self._job = self.context.transitions.worker.start(
            "How the pictures move", work, done, self._failed, ended=self._ended
        )

    def _failed(self, text: str) -> None:
        self.text = text

    def _ended(self) -> None:
        self._job = None
        self.look_at(self._place)
        self.found.emit()


def _key(pair: tuple[PlacedClip, PlacedClip]) -> Key:
    # What a clip shows follows from its map and framing, which stay the same objects while it does.
    return id(pair[0].map), id(pair[1].map)


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
            under_way = (
                self.commands.project.gesture is not None
            )  # a drag: what would mend it is worked out when it rests
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
