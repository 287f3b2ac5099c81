"""What suits the motion at the cut that is worked on: looked for in the background, kept for the cuts looked at last."""

from __future__ import annotations

from collections import OrderedDict

from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.pages.page import PageContext
from tempik.desktop.session.jobs import Job
from tempik.edit.transitions.laying import TransitionPlace
from tempik.render import PictureSource
from tempik.render.motion import proposals_at
from tempik.timeline.placed_clip import PlacedClip
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
