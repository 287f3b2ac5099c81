"""A clip's own sound under its pictures: its wave, its gain, its fades, and edges that are not where the picture's are."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.sound_shapes import PER_S, Outline
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.lane import Hit, LaneGesture, PaintContext, Pointer
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.edit.clips.trim import Side
from tempik.edit.sounds.clip_sound import with_clip_sound_values, with_sound_edge
from tempik.reel.clip_settings import CLIP_SOUND_SETTINGS
from tempik.time import frame_of, time_of
from tempik.timeline.placed_clip import PlacedClip, source_at_frames

# A lane as high as this has room for a wave, and as high as this for a larger one.
ROOM_PX, ROOMY_PX = 58, 96
LEAST_PX, FOLDED_PX = 8.0, 34.0  # of a wave where there is less room than that; of a track
SMALL_PX, LARGE_PX = 14.0, 26.0
EDGE_PX, FADE_PX = 6.0, 7.0
GAIN_DB_PX = 0.3
SNAP_PX = 7.0


def wave_height(placed: PlacedClip, lane_height: float) -> float:
    """Return how much of a clip's height its wave has: none where its sound is not heard, or its track is folded."""
    if not (placed.clip.sound.on and placed.footage.has_sound) or placed.footage.nest is not None:
        return 0.0
    if lane_height < FOLDED_PX:
        return 0.0
    return LEAST_PX if lane_height < ROOM_PX else SMALL_PX if lane_height < ROOMY_PX else LARGE_PX


def wave_outline(ctx: PaintContext, placed: PlacedClip) -> Outline | None:
    """Return the outline of a clip's footage, None while it is being made."""
    return ctx.shapes.of_file(placed.footage.path) if placed.clip.sound.on and placed.footage.has_sound else None


def paint_clip_wave(p: QPainter, ctx: PaintContext, placed: PlacedClip, box: QRectF) -> None:
    """Paint what is heard of a clip, column by column after its speed and direction, in a box along its slot."""
    p.fillRect(box, colour(theme.SUNK, 0.9))
    outline = wave_outline(ctx, placed)
    sound, view = placed.clip.sound, ctx.view
    if outline is not None and len(outline.peaks):
        left, right = max(box.left(), GUTTER), min(box.right(), view.width)
        xs = np.arange(left, right, 1.0)
        if len(xs):
            frames = (view.start_s + (xs - GUTTER) / view.px_per_s) * float(ctx.timeline.rate)
            sources = source_at_frames(placed, np.clip(frames, placed.first, placed.end - 1e-3), ctx.timeline.rate)
            at = (sources * PER_S).astype(np.int64)
            inside = (at >= 0) & (at < len(outline.peaks))
            loud = np.where(inside, outline.peaks[np.clip(at, 0, len(outline.peaks) - 1)], 0.0)
            loud = np.sqrt(np.clip(loud * 10 ** (sound.gain_db / 20), 0, 1)) * (box.height() / 2 - 1)
            middle = box.center().y()
            upper = [QPointF(x, middle - h) for x, h in zip(xs.tolist(), loud.tolist(), strict=True)]
            lower = [QPointF(x, middle + h) for x, h in zip(xs[::-1].tolist(), loud[::-1].tolist(), strict=True)]
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(colour(theme.SOUND, 0.85))
            p.drawPolygon(QPolygonF([*upper, *lower]))
    _paint_ends(p, ctx, placed, box)
    p.setBrush(Qt.BrushStyle.NoBrush)


def _paint_ends(p: QPainter, ctx: PaintContext, placed: PlacedClip, box: QRectF) -> None:
    """What fades take, and by how much the sound leads or trails its picture: a bar at that end."""
    sound, px = placed.clip.sound, ctx.view.px_per_s
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(colour(theme.SUNK, 0.75))
    ins, outs = (min(s * px, box.width()) for s in (sound.fade_in_s, sound.fade_out_s))
    if ins > 0:
        p.drawPolygon(QPolygonF([box.topLeft(), box.bottomLeft(), QPointF(box.left() + ins, box.top())]))
    if outs > 0:
        p.drawPolygon(QPolygonF([box.topRight(), box.bottomRight(), QPointF(box.right() - outs, box.top())]))
    for seconds, at_end in ((sound.lead_s, False), (sound.trail_s, True)):
        if seconds:
            _paint_split(p, box, seconds, min(abs(seconds) * px, box.width()), at_end)


def _paint_split(p: QPainter, box: QRectF, seconds: float, away: float, at_end: bool) -> None:
    """A sound's edge that is not its picture's: what is not heard of the slot, or an arrow out of it."""
    x, way = (box.right(), 1) if at_end else (box.left(), -1)
    p.setPen(Qt.PenStyle.NoPen)
    if seconds < 0:  # it comes after its picture, or goes before it
        inner = x - way * away
        p.fillRect(QRectF(min(x, inner), box.top(), away, box.height()), colour(theme.SUNK, 0.9))
        p.setPen(QPen(QColor(theme.SOUND), 2))
        p.drawLine(QPointF(inner, box.top()), QPointF(inner, box.bottom()))
    else:
        p.setBrush(QColor(theme.SOUND))
        foot = x - way * 7
        p.drawPolygon(QPolygonF([QPointF(x, box.center().y()), QPointF(foot, box.top()), QPointF(foot, box.bottom())]))


def wave_hit(ctx: PaintContext, placed: PlacedClip, box: QRectF, pos: QPointF) -> Hit | None:
    """Return what a press on a clip's wave does, None beside it."""
    if not box.contains(pos):
        return None
    sound, px = placed.clip.sound, ctx.view.px_per_s
    left, right = pos.x() - box.left(), box.right() - pos.x()
    roomy = box.width() > 6 * FADE_PX
    cursor: Qt.CursorShape = Qt.CursorShape.SizeVerCursor
    make: Callable[[Pointer], LaneGesture] = lambda at: ClipGainGesture(ctx, placed)  # noqa: E731
    if left <= EDGE_PX or right <= EDGE_PX:
        side: Side = "start" if left <= EDGE_PX else "end"
        cursor, make = Qt.CursorShape.SplitHCursor, lambda at: _at_end(ctx, placed, side, at)
    elif roomy and left < max(sound.fade_in_s * px, EDGE_PX) + FADE_PX and left > sound.fade_in_s * px - FADE_PX:
        cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: ClipFadeGesture(ctx, placed, at_end=False)
    elif roomy and right < max(sound.fade_out_s * px, EDGE_PX) + FADE_PX and right > sound.fade_out_s * px - FADE_PX:
        cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: ClipFadeGesture(ctx, placed, at_end=True)

    def press(at: Pointer) -> LaneGesture | None:
        ctx.project.selection.select_clip(placed.clip.id)
        return make(at)

    def menu(screen: QPoint) -> None:
        ctx.project.selection.select_clip(placed.clip.id)
        ctx.asks.clip_sound_menu.emit(placed.clip.id, screen)

    return Hit(cursor, tip=lambda: WAVE_TIP, press=press, menu=menu)


WAVE_TIP = (
    "The clip's own sound. Drag up or down: its gain. Drag an end: the sound begins or ends elsewhere than its picture; Ctrl: "
    "without its neighbour; Shift: its crossfade. Drag beside an end: a fade. Right click: pitch and crossfade."
)


def _at_end(ctx: PaintContext, placed: PlacedClip, side: Side, at: Pointer) -> LaneGesture:
    return CrossfadeGesture(ctx, placed, side) if at.shift else SoundEdgeGesture(ctx, placed, side, at.ctrl)


class _WaveGesture(LaneGesture):
    label = ""

    def __init__(self, ctx: PaintContext, placed: PlacedClip) -> None:
        super().__init__()
        self.gesture, self.placed, self.clip = Gesture(ctx.project), placed, placed.clip.id

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle(self.label)

    def drop(self) -> None:
        self.gesture.drop()


class ClipGainGesture(_WaveGesture):
    """Up is louder."""

    label = "Gain of the clip's sound"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        gain = round((self.placed.clip.sound.gain_db - at.moved.y() * GAIN_DB_PX) * 2) / 2
        gain = min(max(gain, -60.0), 24.0)
        self.gesture.show(lambda reel: with_clip_sound_values(reel, [self.clip], gain_db=gain))
        self.text = f"gain {gain:+.1f} dB"


class ClipFadeGesture(_WaveGesture):
    """A fade gets longer or shorter."""

    label = "Fade of the clip's sound"

    def __init__(self, ctx: PaintContext, placed: PlacedClip, at_end: bool) -> None:
        super().__init__(ctx, placed)
        self.name = "fade_out_s" if at_end else "fade_in_s"
        self.way = -1 if at_end else 1

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        was_s: float = getattr(self.placed.clip.sound, self.name)
        most = self.placed.frames / float(ctx.timeline.rate)
        seconds = min(max(was_s + self.way * at.moved.x() / ctx.view.px_per_s, 0.0), most)
        self.gesture.show(lambda reel: with_clip_sound_values(reel, [self.clip], **{self.name: seconds}))
        self.text = f"fade {'out' if self.way < 0 else 'in'} {seconds * 1000:.0f} ms"


class CrossfadeGesture(_WaveGesture):
    """Into the clip: its edges are crossfaded for longer. Milliseconds are too short for the timeline's scale: one a pixel."""

    label = "Crossfade of the clip's sound"

    def __init__(self, ctx: PaintContext, placed: PlacedClip, side: Side) -> None:
        super().__init__(ctx, placed)
        own = placed.clip.sound.crossfade_ms
        self.was_ms = ctx.project.reel.crossfade_ms if own is None else own
        self.way = 1 if side == "start" else -1

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        ms = float(round(CLIP_SOUND_SETTINGS["crossfade_ms"].clamped(self.was_ms + self.way * at.moved.x())))
        self.gesture.show(lambda reel: with_clip_sound_values(reel, [self.clip], crossfade_ms=ms))
        self.text = f"crossfade {ms:.0f} ms"


class SoundEdgeGesture(_WaveGesture):
    """The sound's edge goes along by frames while the picture's stays; a neighbour that is heard gives way."""

    label = "Sound edge"

    def __init__(self, ctx: PaintContext, placed: PlacedClip, side: Side, alone: bool) -> None:
        super().__init__(ctx, placed)
        self.side, self.alone = side, alone

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        rate = ctx.timeline.rate
        was = self.placed.clip.sound.lead_s if self.side == "start" else self.placed.clip.sound.trail_s
        way = -1 if self.side == "start" else 1
        frames = frame_of(max(abs(was), 0.0), rate) * (1 if was >= 0 else -1)
        frames += way * round(at.moved.x() / ctx.view.px_per_s * float(rate))
        by_s = time_of(abs(frames), rate) * (1 if frames >= 0 else -1)
        self.gesture.show(lambda reel: with_sound_edge(reel, self.clip, self.side, by_s, self.alone))
        what = (
            ("leads" if frames >= 0 else "follows")
            if self.side == "start"
            else ("trails" if frames >= 0 else "ends before")
        )
        self.text = f"sound {what} its picture by {abs(frames)} f"
