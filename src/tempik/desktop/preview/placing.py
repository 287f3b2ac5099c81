"""Clips placed in the frame by hand: where they stand is set for the whole of them, for one end of their way, or at a key."""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec.structs import replace

from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.edit.clips import follow, layers, pieces
from tempik.edit.clips.slots import clip_of
from tempik.edit.clips.windows import with_window
from tempik.reel import Clip, Framing, Position, Reel
from tempik.reel.clip_settings import CROP_SETTINGS
from tempik.reel.window import WINDOW_SETTINGS
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

    def inside(self, by_x: float, by_y: float) -> None:
        """Show the clips that have a window with their pictures moved inside it so far, in shares of the frame; of one that follows its
        subject, with that kept so far from where it was kept."""
        clips = [c for c in self._before() if c.framing.window is not None]

        def edit(reel: Reel) -> Reel:
            for clip in clips:
                window, zoom = clip.framing.window, clip.framing.start.zoom
                assert window is not None
                x, y = by_x / (window.width * zoom), by_y / (window.height * zoom)
                if clip.follow is not None:
                    x, y = (min(max(v, 0.0), 1.0) for v in (clip.follow.x + x, clip.follow.y + y))
                    reel = follow.with_follow_fields(reel, [clip.id], x=round(x, 4), y=round(y, 4))
                else:
                    reel = with_window(reel, [clip.id], x=round(window.x + x, 5), y=round(window.y + y, 5))
            return reel

        if clips:
            self.gesture.show(edit)

    def window_side(self, side: int, by: float) -> None:
        """Show the clips with a side of their window (0 left, 1 top, 2 right, 3 bottom) moved outward so far, in shares of the window as it
        was before; the opposite one stays."""
        clips, ratio = [c for c in self._before() if c.framing.window is not None], self.project.timeline.height_ratio

        def edit(reel: Reel) -> Reel:
            for clip in clips:
                window, at = clip.framing.window, clip.framing.start
                assert window is not None
                name = "width" if side % 2 == 0 else "height"
                setting, size = WINDOW_SETTINGS[name], float(getattr(window, name))
                made = round(min(max(size * (1 + by), setting.low), setting.high), 4)
                way = (made - size) / 2 * at.zoom * (1 if side >= 2 else -1)
                across, down = (way, 0.0) if name == "width" else (0.0, way * ratio)
                turn = math.radians(at.turn_deg)
                x = at.x + across * math.cos(turn) - down * math.sin(turn)
                y = at.y + (across * math.sin(turn) + down * math.cos(turn)) / ratio
                reel = with_window(reel, [clip.id], **{name: made})
                if not layers.has_place_keys(clip):
                    framing = replace(clip_of(reel, clip.id).framing, start=replace(at, x=round(x, 9), y=round(y, 9)))
                    reel = pieces.with_framing(reel, [clip.id], framing)
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
