"""Clips placed in the frame by hand: where they stand is set for the whole of them, for one end of their way, or at a key."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.edit.clips import follow, layers, pieces
from tempik.reel import Clip, Framing, Position, Reel
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

    def keep_subject(self, by_x: float, by_y: float) -> None:
        """Show the clips with the subject that they follow kept so far from where it was kept, in shares of the frame."""
        names = [c.id for c in self._before() if c.follow is not None]
        clip = next((c for c in self._before() if c.id == self.project.selection.clip_id), None)
        if clip is None or clip.follow is None:
            return
        x, y = (min(max(v, 0.0), 1.0) for v in (clip.follow.x + by_x, clip.follow.y + by_y))
        self.gesture.show(lambda reel: follow.with_follow_fields(reel, names, x=round(x, 4), y=round(y, 4)))

    def crop(self, side: int, share: float) -> None:
        """Show the clips with a side cropped: 0 left, 1 top, 2 right, 3 bottom; a share of the picture."""
        clip = next((c for c in self._before() if c.id == self.project.selection.clip_id), None)
        if clip is None:
            return
        names, old = self.project.selection.chosen_clips, clip.framing.crop
        share = round(min(max(share, 0.0), 0.98 - old[(side + 2) % 4]), 4)
        framing = replace(clip.framing, crop=(*old[:side], share, *old[side + 1 :]))
        self.gesture.show(lambda reel: pieces.with_framing(reel, names, framing))

    def _before(self) -> list[Clip]:
        """The selected clips as they were before the gesture."""
        chosen = set(self.project.selection.chosen_clips)
        return [c for c in self.project.history.reel.clips if c.id in chosen]

    def placed(self, framing: Framing, at: Position) -> Framing:
        """Return a framing with the place that is set in it."""
        return replace(framing, end=at) if self.at_end() else replace(framing, start=at)

    def settle(self, what: str) -> None:
        """What is dragged becomes one step."""
        self.gesture.settle(what)
