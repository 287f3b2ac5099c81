"""A track of sounds that lie where they were put: moved by their hits, trimmed, slipped, faded."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.lane import Depends, Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.lanes.sounds import channel_name_hit, paint_channel_name
from tempik.desktop.timeline.layout import Room
from tempik.desktop.timeline.snapping import point_near
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_wave
from tempik.desktop.widgets.theme import colour, words
from tempik.edit.sounds import clips as edits
from tempik.reel import Edge, Point, Reel, SoundTrack
from tempik.timeline.sound_triggers import (
    LaidSound,
    channel_names,
    laid_sound,
    laid_sounds,
    silent_channels,
    sound_length,
    sound_title,
)
from tempik.timeline.timeline import Timeline

ROW_H, LEAST_ROW_H, MOST_ROW_H = 38, 22, 72
EDGE_PX = 6
FADE_PX = 9  # the handle of a fade, at a clip's upper corners
SNAP_PX = 9.0
GAIN_DB_PX = 0.25


class SoundTrackLaneView(LaneView):
    """One track of sound clips."""

    order = 90

    def __init__(self, number: int) -> None:
        self.number = number
        self.key = f"sounds {number}"

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls(number) for number in range(len(reel.sound_tracks))]

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        reel = timeline.reel
        track = reel.sound_tracks[self.number]
        laid = [found for found in laid_sounds(timeline) if found.track.id == track.id]
        whole = (track, track.id in silent_channels(reel), reel.hits, reel.sounds)
        return Depends(whole, (Series(laid, lambda found: (found.begin_s, found.end_s)),))

    def room(self) -> Room:
        return Room(LEAST_ROW_H, ROW_H, MOST_ROW_H, gives=1)

    def _track(self, ctx: PaintContext) -> SoundTrack:
        return ctx.project.reel.sound_tracks[self.number]

    def _laid(self, ctx: PaintContext) -> list[LaidSound]:
        track = self._track(ctx)
        found = [laid_sound(ctx.timeline, c, track) for c in ctx.project.reel.sound_clips if c.track == track.id]
        return sorted(found, key=lambda laid: laid.begin_s)

    def _box(self, ctx: PaintContext, box: QRectF, laid: LaidSound) -> QRectF:
        left, right = ctx.view.x(laid.begin_s), ctx.view.x(laid.end_s)
        return QRectF(left, box.top() + 1, max(right - left, 3.0), box.height() - 2)

    # Painting

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        track = self._track(ctx)
        p.fillRect(box, colour(theme.SUNK, 0.5))
        p.save()
        p.setClipRect(box, Qt.ClipOperation.IntersectClip)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if track.id in silent_channels(ctx.project.reel):
            p.setOpacity(0.4)
        for laid in self._laid(ctx):
            if laid.end_s >= ctx.view.start_s and laid.begin_s <= ctx.view.end_s:
                self._paint_clip(p, ctx, self._box(ctx, box, laid), laid)
        p.restore()

    def _paint_clip(self, p: QPainter, ctx: PaintContext, place: QRectF, laid: LaidSound) -> None:
        clip, reel = laid.clip, ctx.project.reel
        chosen = ctx.project.selection.sound_clip_id == clip.id
        p.setPen(QPen(QColor(theme.TEXT if chosen else theme.LINE), 1.6 if chosen else 1))
        p.setBrush(colour(theme.SOUND, 0.2))
        p.drawRoundedRect(place, 3, 3)
        p.save()
        p.setClipRect(place, Qt.ClipOperation.IntersectClip)
        _paint_heard(p, ctx, place, laid)
        _paint_fades(p, ctx, place, laid)
        p.restore()
        if laid.hit_s is not None:
            x = ctx.view.x(laid.hit_s)
            p.setPen(QPen(QColor(theme.RHYTHM if laid.point is not None else theme.TEXT), 1.6))
            p.drawLine(QPointF(x, place.top() + 1), QPointF(x, place.bottom() - 1))
        if place.width() > 40 and place.height() > 24:
            p.setFont(words(12))
            p.setPen(QColor(theme.TEXT))
            text = sound_title(reel, clip.sound) + (" ◂" if clip.backward else "") + (" ↻" if clip.loop else "")
            text = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(place.width()) - 12)
            p.drawText(place.adjusted(6, 1, -6, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, text)

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        track, reel = self._track(ctx), ctx.project.reel
        state = "muted" if track.muted else "locked" if track.locked else "solo" if track.solo else "sounds"
        chosen = ctx.project.selection.channel == track.id
        paint_channel_name(p, channel_names(reel)[track.id], state, box, chosen, track.id in silent_channels(reel))

    def spoken(self, ctx: PaintContext) -> str:
        laid = self._laid(ctx)
        names = ", ".join(f"{sound_title(ctx.project.reel, c.clip.sound)} at {c.begin_s:.2f} s" for c in laid[:12])
        return f"Sound track {channel_names(ctx.project.reel)[self._track(ctx).id]}: {names or 'empty'}"

    # Pointer

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if not box.top() <= pos.y() < box.bottom() or pos.y() < ctx.layout.head_end:
            return None
        track = self._track(ctx)
        if pos.x() < GUTTER:
            return channel_name_hit(ctx, track.id)
        for laid in reversed(self._laid(ctx)):
            place = self._box(ctx, box, laid)
            if place.adjusted(-3, 0, 3, 0).contains(pos):
                return self._hit_clip(ctx, place, laid, pos)
        return None

    def _hit_clip(self, ctx: PaintContext, place: QRectF, laid: LaidSound, pos: QPointF) -> Hit:
        clip = laid.clip.id
        roomy = place.width() > 4 * FADE_PX
        left, right = pos.x() - place.left(), place.right() - pos.x()
        high = pos.y() < place.top() + FADE_PX + 3
        cursor, make = Qt.CursorShape.OpenHandCursor, _gesture_of(ctx, laid)
        in_px = laid.clip.fade_in_s * ctx.view.px_per_s
        out_px = laid.clip.fade_out_s * ctx.view.px_per_s
        if roomy and high and abs(left - in_px) < FADE_PX and left > 2:
            cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: SoundFadeGesture(ctx, laid, at_end=False)
        elif roomy and high and abs(right - out_px) < FADE_PX and right > 2:
            cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: SoundFadeGesture(ctx, laid, at_end=True)
        elif left < EDGE_PX:
            cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: TrimGesture(ctx, laid, at_end=False)
        elif right < EDGE_PX:
            cursor, make = Qt.CursorShape.SizeHorCursor, lambda at: TrimGesture(ctx, laid, at_end=True)

        def press(at: Pointer) -> LaneGesture | None:
            ctx.project.selection.select_sound_clip(clip)
            return make(at)

        def double(at: Pointer) -> None:
            ctx.project.selection.select_sound_clip(clip)
            ctx.asks.sound_wanted.emit()

        def menu(screen: QPoint) -> None:
            ctx.project.selection.select_sound_clip(clip)
            ctx.asks.sound_clip_menu.emit(clip, screen)

        return Hit(cursor, clip, lambda: _clip_tip(ctx, laid), press, double, menu)

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag a sound clip", "move it; its hit snaps to points, Alt does not snap"),
            ("drag a sound clip's ends", "trim it; its upper corners: fades"),
            ("Ctrl and drag a sound clip", "slip what is heard in it"),
            ("Shift and drag a sound clip up or down", "its gain"),
            ("double click a sound clip", "edit it on the Sound page"),
        )


def _paint_heard(p: QPainter, ctx: PaintContext, place: QRectF, laid: LaidSound) -> None:
    """The part of the sound's outline that is heard."""
    clip, reel = laid.clip, ctx.project.reel
    outline = ctx.shapes.of(reel, clip.sound)
    if outline is None or not len(outline.peaks):
        return
    peaks = outline.peaks[::-1] if clip.backward else outline.peaks
    loudest = max(float(peaks.max()), 1e-3)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(colour(theme.SOUND, 0.75))
    whole = max(sound_length(reel, clip.sound), 0.001)
    px_per_s = ctx.view.px_per_s / clip.speed
    start = place.left() - clip.from_s * px_per_s
    times = (
        range(round(clip.from_s + clip.length_s * clip.speed) // max(round(whole), 1) + 1) if clip.loop else range(1)
    )
    for turn in list(times)[:200]:
        room = QRectF(start + turn * whole * px_per_s, place.top() + 3, whole * px_per_s, place.height() - 6)
        if room.right() >= GUTTER and room.left() <= ctx.view.width:
            paint_wave(p, peaks / loudest, room)


def _paint_fades(p: QPainter, ctx: PaintContext, place: QRectF, laid: LaidSound) -> None:
    """What the fades take, and their handles."""
    clip = laid.clip
    p.setBrush(colour(theme.SUNK, 0.6))
    p.setPen(Qt.PenStyle.NoPen)
    ins, outs = (min(s * ctx.view.px_per_s, place.width()) for s in (clip.fade_in_s, clip.fade_out_s))
    if ins > 0:
        p.drawPolygon(QPolygonF([place.topLeft(), place.bottomLeft(), QPointF(place.left() + ins, place.top())]))
    if outs > 0:
        p.drawPolygon(QPolygonF([place.topRight(), place.bottomRight(), QPointF(place.right() - outs, place.top())]))
    if place.width() > 4 * FADE_PX:
        p.setBrush(colour(theme.TEXT, 0.9))
        for x in (place.left() + max(ins, 4), place.right() - max(outs, 4)):
            p.drawRect(QRectF(x - 2.5, place.top() + 1, 5, 5))


def _clip_tip(ctx: PaintContext, laid: LaidSound) -> str:
    title = sound_title(ctx.project.reel, laid.clip.sound)
    on = f", its hit on {laid.point.label}" if laid.point is not None and laid.hit_s is not None else ""
    return f"{title}: {laid.begin_s:.2f} to {laid.end_s:.2f} s{on}, {laid.clip.gain_db:+.1f} dB"


def _gesture_of(ctx: PaintContext, laid: LaidSound) -> Callable[[Pointer], LaneGesture]:
    def make(at: Pointer) -> LaneGesture:
        if at.ctrl:
            return SoundSlipGesture(ctx, laid)
        if at.shift:
            return SoundGainGesture(ctx, laid)
        return SoundMoveGesture(ctx, laid)

    return make


class _SoundGesture(LaneGesture):
    label = ""

    def __init__(self, ctx: PaintContext, laid: LaidSound) -> None:
        super().__init__()
        self.gesture, self.laid, self.clip = Gesture(ctx.project), laid, laid.clip.id

    def _by_s(self, ctx: PaintContext, at: Pointer) -> float:
        return at.moved.x() / ctx.view.px_per_s

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle(self.label)

    def drop(self) -> None:
        self.gesture.drop()


def _snapped(ctx: PaintContext, at: Pointer, time_s: float) -> tuple[float, Point | None]:
    """Return an instant of the reel, bent to the nearest point within reach unless Alt is held."""
    point = None if at.alt else point_near(ctx.timeline, ctx.view, ctx.view.x(time_s), SNAP_PX)
    return (ctx.timeline.reel_s(point), point) if point is not None else (time_s, None)


class SoundMoveGesture(_SoundGesture):
    """A sound clip goes along and to other tracks; its hit, or where it begins, snaps to points."""

    label = "Sound moved"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        was_s = self.laid.begin_s if self.laid.hit_s is None else self.laid.hit_s
        time_s, point = _snapped(ctx, at, was_s + self._by_s(ctx, at))
        track = next((lane for lane in _tracks_at(ctx, at.pos.y())), None)
        edge = Edge(time_s, point.id if point is not None else None)
        self.gesture.show(lambda reel: edits.with_clip_moved(reel, self.clip, edge, track))
        what = "begins" if self.laid.hit_s is None else "hit"
        self.text = f"{what} on {point.label}" if point is not None else f"{what} at {time_s:.3f} s"


def _tracks_at(ctx: PaintContext, y: float) -> list[str]:
    tracks = ctx.project.reel.sound_tracks
    boxes = [(t.id, ctx.layout.top(f"sounds {n}"), ctx.layout.height_of(f"sounds {n}")) for n, t in enumerate(tracks)]
    return [name for name, top, height_px in boxes if top <= y < top + height_px]


class TrimGesture(_SoundGesture):
    """An end of a sound clip goes along, snapped to points; what is heard at each instant stays."""

    label = "Sound trimmed"

    def __init__(self, ctx: PaintContext, laid: LaidSound, at_end: bool) -> None:
        super().__init__(ctx, laid)
        self.at_end = at_end

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        was_s = self.laid.end_s if self.at_end else self.laid.begin_s
        time_s, point = _snapped(ctx, at, was_s + self._by_s(ctx, at))
        trim = edits.with_end_trimmed if self.at_end else edits.with_start_trimmed
        self.gesture.show(lambda reel: trim(reel, self.clip, time_s))
        what = "ends" if self.at_end else "begins"
        self.text = f"{what} on {point.label}" if point is not None else f"{what} at {time_s:.3f} s"


class SoundSlipGesture(_SoundGesture):
    """What is heard in a sound clip goes along in it; the clip stays."""

    label = "Sound slipped"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        by_s = -self._by_s(ctx, at) * self.laid.clip.speed
        self.gesture.show(lambda reel: edits.with_slipped(reel, self.clip, by_s))
        self.text = f"slipped {-by_s * 1000:+.0f} ms"


class SoundFadeGesture(_SoundGesture):
    """A fade of a sound clip gets longer or shorter."""

    label = "Fade"

    def __init__(self, ctx: PaintContext, laid: LaidSound, at_end: bool) -> None:
        super().__init__(ctx, laid)
        self.at_end = at_end

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        name = "fade_out_s" if self.at_end else "fade_in_s"
        was_s: float = getattr(self.laid.clip, name)
        moved = self._by_s(ctx, at) * (-1 if self.at_end else 1)
        seconds = min(max(was_s + moved, 0.0), self.laid.clip.length_s)
        self.gesture.show(lambda reel: edits.with_clip_values(reel, self.clip, **{name: seconds}))
        self.text = f"fade {'out' if self.at_end else 'in'} {seconds:.2f} s"


class SoundGainGesture(_SoundGesture):
    """Up is louder."""

    label = "Gain of the sound"

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        gain = min(max(round((self.laid.clip.gain_db - at.moved.y() * GAIN_DB_PX) * 2) / 2, -60.0), 24.0)
        self.gesture.show(lambda reel: edits.with_clip_values(reel, self.clip, gain_db=gain))
        self.text = f"gain {gain:+.1f} dB"
