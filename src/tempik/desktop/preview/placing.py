"""Clips placed in the frame by hand: where they stand is set for the whole of them, for one end of their way, or at a key."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.edit.clips import follow, layers, pieces
from tempik.reel import Clip, Framing, Position, Reel
from tempik.reel.clip_settings import CROP_SETTINGS
from tempik.timeline.timeline import timeline_of


class Placing:
    """A drag or a turn of the wheel that places the selected clips; `at_end` says whether the end of their way is set."""

    def __init__(self, project: Project, at_end: Callable[[], bool] = lambda: False) -> None:
        self.project, self.at_end = project, at_end
        self.gesture = Gesture(project)

    def shift(self, change: Callable[[Position], Position]) -> None:
        """Show each of the clips where a change of its own place, as it was before, puts it."""
        clips, timeline, frame = self._before(), timeline_of(self.project.base), self.project.playhead.frame

        def edit(reel: Reel) -> Reel:
            for clip in clips:
                placed = timeline.placed_clip(clip.id)
                if layers.has_place_keys(clip) and placed is not None:
                    at = change(timeline.framing_at(placed, frame).start)
                    reel = layers.with_place_keys(reel, [clip.id], frame, at)
                else:
                    at_end = self.at_end() and clip.framing.end is not None
                    old = clip.framing.end if at_end and clip.framing.end is not None else clip.framing.start
                    reel = pieces.with_framing(reel, [clip.id], self.placed(clip.framing, change(old)))
            return reel

        if clips:
            self.gesture.show(edit)

    def keep_subject(self, by_x: float, by_y: float) -> None:
        """Show the clips with the subject that they follow kept so far from where it was kept, in shares of the frame."""
        clips = [c for c in self._before() if c.follow is not None]

        def edit(reel: Reel) -> Reel:
            for clip in clips:
                assert clip.follow is not None
                x, y = (min(max(v, 0.0), 1.0) for v in (clip.follow.x + by_x, clip.follow.y + by_y))
                reel = follow.with_follow_fields(reel, [clip.id], x=round(x, 4), y=round(y, 4))
            return reel

        if clips:
            self.gesture.show(edit)

    def crop(self, side: int, share: float) -> None:
        """Show the clips with a side cropped: 0 left, 1 top, 2 right, 3 bottom; a share of the picture."""
        clips = self._before()

        def edit(reel: Reel) -> Reel:
            for clip in clips:
                old = clip.framing.crop
                most = max(0.0, CROP_SETTINGS["left"].high - old[(side + 2) % 4])
                crop = (*old[:side], round(min(max(share, 0.0), most), 4), *old[side + 1 :])
                reel = pieces.with_framing(reel, [clip.id], replace(clip.framing, crop=crop))
            return reel

        if clips:
            self.gesture.show(edit)

    def _before(self) -> list[Clip]:
        """The selected clips as they were before the gesture."""
        chosen = set(self.project.selection.chosen_clips)
        return [c for c in self.project.base.clips if c.id in chosen]

    def placed(self, framing: Framing, at: Position) -> Framing:
        """Return a framing with the place that is set in it."""
        return replace(framing, end=at) if self.at_end() and framing.end is not None else replace(framing, start=at)

    def settle(self, what: str) -> None:
        """What is dragged becomes one step."""
        self.gesture.settle(what)
