"""Clips placed in the frame by hand: where they stand is set for the whole of them, for one end of their way, or at a key."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.edit.clips import layers, pieces
from tempik.reel import Framing, Position, Reel
from tempik.timeline.timeline import timeline_of


class Placing:
    """A drag or a turn of the wheel that places the selected clips; `at_end` says whether the end of their way is set."""

    def __init__(self, project: Project, at_end: Callable[[], bool] = lambda: False) -> None:
        self.project, self.at_end = project, at_end
        self.gesture = Gesture(project)

    def shift(self, change: Callable[[Position], Position]) -> None:
        """Show the clips where a change of the shown clip's place, as it was before, puts them."""
        names, clip = self.project.selection.chosen_clips, self.project.selection.clip
        before = self.project.history.reel
        base = next((c for c in before.clips if clip is not None and c.id == clip.id), None)
        if base is None:
            return
        frame, placed = self.project.playhead.frame, self.project.selection.placed
        if layers.has_place_keys(base) and placed is not None:
            at = change(timeline_of(before).framing_at(placed, frame).start)
            self.gesture.show(lambda reel: layers.with_place_keys(reel, names, frame, at))
            return
        old = base.framing.end if self.at_end() and base.framing.end is not None else base.framing.start
        framing = self.placed(base.framing, change(old))

        def edit(reel: Reel) -> Reel:
            return pieces.with_framing(reel, names, framing)

        self.gesture.show(edit)

    def placed(self, framing: Framing, at: Position) -> Framing:
        """Return a framing with the place that is set in it."""
        return replace(framing, end=at) if self.at_end() else replace(framing, start=at)

    def settle(self, what: str) -> None:
        """What is dragged becomes one step."""
        self.gesture.settle(what)
