"""What a press on a clip becomes: moving, sliding, slipping, trimming, rolling a cut. Frames and lengths show as it goes."""

from __future__ import annotations

from collections.abc import Callable

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.lane import LaneGesture, PaintContext, Pointer
from tempik.desktop.timeline.lanes.cues import free_cues
from tempik.desktop.timeline.snapping import snapped, targets
from tempik.edit.clips import place, trim
from tempik.edit.clips.trim import Side
from tempik.reel import Reel
from tempik.timeline.placed_clip import PlacedClip

# So far above the topmost track a dragged clip goes to a new one.
NEW_TRACK_PX = 14


class _ClipGesture(LaneGesture):
    """A gesture on one clip; it settles as one step, and a press without a drag is a click."""

    label = ""

    def __init__(self, ctx: PaintContext, placed: PlacedClip) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.placed = placed
        self.clip = placed.clip.id

    def _frames(self, ctx: PaintContext, at: Pointer) -> float:
        return at.moved.x() / ctx.view.px_per_s * float(ctx.timeline.rate)

    def clicked(self, ctx: PaintContext) -> None:
        """The button was let go where it was pressed."""

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        dragged = bool(self.text)
        self.gesture.settle(self.label)
        if dragged:
            ctx.asks.settled_clip.emit(self.clip)
        else:
            self.clicked(ctx)

    def drop(self) -> None:
        self.gesture.drop()


class MoveGesture(_ClipGesture):
    """The selected clips move together, across and to other tracks; cues, edges and the playhead snap."""

    label = "Clip moved"

    def __init__(self, ctx: PaintContext, placed: PlacedClip) -> None:
        super().__init__(ctx, placed)
        if self.clip not in ctx.project.selection.clip_ids:
            ctx.project.selection.select_clip(self.clip)
        chosen = ctx.project.selection.chosen_clips
        self.names = chosen if self.clip in chosen else [self.clip]
        self.base = ctx.timeline
        self.tracks = len(ctx.project.reel.tracks)

    def _edit(self, frames: int, tracks: int) -> Callable[[Reel], Reel]:
        return lambda reel: place.moved_to(reel, self.names, frames, tracks)

    def _tracks(self, ctx: PaintContext, at: Pointer) -> int:
        """Return by how many tracks the pointer has gone up."""
        track = ctx.layout.track_at(at.pos.y())
        if track is not None:
            return track - self.placed.clip.track
        top = ctx.layout.picture_top(len(ctx.timeline.reel.tracks) - 1)
        return (self.tracks if at.pos.y() < top - NEW_TRACK_PX else self.placed.clip.track) - self.placed.clip.track

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        marks: list[tuple[float, str]] = [(float(self.placed.first), ""), (float(self.placed.end), "end")]
        marks += [(frame, "cue") for _, frame in free_cues(self.base, self.placed)]
        marks += [(float(t.frame), "cue") for t in self.placed.ties]
        wanted = [] if at.alt else targets(self.base, ctx.project.playhead.frame, self.names)
        snap = snapped(self._frames(ctx, at), marks, wanted, ctx.view, float(ctx.timeline.rate))
        tracks = self._tracks(ctx, at)
        if self.gesture.show(self._edit(snap.frames, tracks)):
            self.snap = snap
            where = f" to track {self.placed.clip.track + tracks + 1}" if tracks else ""
            first = self.placed.first + snap.frames
            self.text = f"{self._word}{where} · frame {first} ({snap.frames:+d}) · {self.placed.frames} f"

    _word = "move"

    def clicked(self, ctx: PaintContext) -> None:
        ctx.project.selection.select_clip(self.clip)


class SlideGesture(MoveGesture):
    """The slot moves between its neighbours."""

    label, _word = "Clip slid", "slide"

    def __init__(self, ctx: PaintContext, placed: PlacedClip) -> None:
        super(MoveGesture, self).__init__(ctx, placed)
        self.names, self.base, self.tracks = [self.clip], ctx.timeline, len(ctx.project.reel.tracks)

    def _edit(self, frames: int, tracks: int) -> Callable[[Reel], Reel]:
        return lambda reel: trim.with_slid(reel, self.clip, frames)

    def _tracks(self, ctx: PaintContext, at: Pointer) -> int:
        return 0

    def clicked(self, ctx: PaintContext) -> None:
        ctx.project.selection.select_to(self.clip)


class SlipGesture(_ClipGesture):
    """Other footage in the same slot."""

    label = "Footage slipped"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        moved = self._frames(ctx, at)
        seconds = -moved / float(ctx.timeline.rate) * self.placed.footage.conform_ratio
        self.gesture.show(lambda reel: trim.with_slipped(reel, [self.clip], seconds))
        now = ctx.timeline.placed_clip(self.clip)
        shown = now.map.start_s if now is not None else 0.0
        self.text = f"slip · shows {shown:.3f} s of the footage at frame {self.placed.first} ({-moved:+.0f} f)"

    def clicked(self, ctx: PaintContext) -> None:
        ctx.project.selection.toggle_clip(self.clip)


class EdgeGesture(_ClipGesture):
    """A cut is rolled, or one edge trimmed; with `ripple` what follows moves along."""

    def __init__(
        self, ctx: PaintContext, placed: PlacedClip, side: Side, other: PlacedClip | None, ripple: bool
    ) -> None:
        super().__init__(ctx, placed)
        self.side: Side = side
        self.ripple = ripple
        self.frame = placed.first if side == "start" else placed.end
        self.pair = None
        if other is not None:
            a, b = (other, placed) if side == "start" else (placed, other)
            self.pair, self.clip = (a.clip.id, b.clip.id), a.clip.id
        self.label = "Cut moved" if self.pair is not None else "Clip trimmed"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        timeline, moved = ctx.timeline, self._frames(ctx, at)
        names = self.pair or (self.clip,)
        wanted = [] if at.alt else targets(timeline, ctx.project.playhead.frame, names)
        wanted = [t for t in wanted if t.frame != self.frame or abs(moved) < 2]
        snap = snapped(moved, [(self.frame, "")], wanted, ctx.view, float(timeline.rate))
        to = self.frame + snap.frames
        if self.pair is not None:
            a, b = self.pair
            done = self.gesture.show(lambda reel: trim.with_rolled_cut(reel, a, b, to))
        else:
            done = self.gesture.show(lambda reel: trim.with_moved_edge(reel, self.clip, self.side, to, self.ripple))
        if done:
            self.snap = snap
            sizes = [f"{p.frames} f" for n in names if (p := ctx.timeline.placed_clip(n)) is not None]
            doing = "cut" if self.pair else "trim, what follows moves along" if self.ripple else "trim"
            self.text = f"{doing} · frame {to} ({snap.frames:+d}) · {' | '.join(sizes)}"


def clip_gesture(ctx: PaintContext, placed: PlacedClip, at: Pointer) -> LaneGesture:
    """Return what a press on a clip begins: Ctrl slips, Shift slides, else it moves."""
    if at.ctrl:
        return SlipGesture(ctx, placed)
    return SlideGesture(ctx, placed) if at.shift else MoveGesture(ctx, placed)


def edge_gesture(ctx: PaintContext, placed: PlacedClip, side: Side, at: Pointer) -> LaneGesture:
    """Return what a press on an edge begins: a cut between two clips rolls; with Ctrl one side is trimmed, with Shift
    what follows moves along."""
    if placed.clip.id not in ctx.project.selection.clip_ids:
        ctx.project.selection.select_clip(placed.clip.id)
    frame = placed.first if side == "start" else placed.end
    track = ctx.timeline.tracks[placed.clip.track]
    other = next((p for p in track if (p.end if side == "start" else p.first) == frame and p is not placed), None)
    return EdgeGesture(ctx, placed, side, None if at.ctrl or at.shift else other, at.shift)
