"""A track of clips."""

from __future__ import annotations

from collections.abc import Sequence
from math import floor

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from tempik.desktop.timeline.axis import GUTTER, View, clips_in_view
from tempik.desktop.timeline.background import paint_dots
from tempik.desktop.timeline.lane import Depends, Hit, LaneView, PaintContext, Series
from tempik.desktop.timeline.lanes.clip_gestures import clip_gesture, edge_gesture
from tempik.desktop.timeline.lanes.clip_painting import (
    CLIP_TINTS,
    HEAD_H,
    LOW_H,
    SLIVER_PX,
    TRACE_H,
    clip_picture,
    paint_clip,
    paint_name_again,
)
from tempik.desktop.timeline.lanes.clip_waves import wave_height, wave_hit
from tempik.desktop.timeline.layout import Room
from tempik.desktop.timeline.snapping import frame_x
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.clip_signs import signs_of
from tempik.desktop.widgets.drawing import draw_filling, draw_spans
from tempik.desktop.widgets.theme import colour, words
from tempik.digits import plural
from tempik.edit.clips import pins
from tempik.edit.clips.trim import Side
from tempik.reel import Reel
from tempik.time import frame_on_screen, time_of
from tempik.timeline.covering import gaps, overlaps
from tempik.timeline.placed_clip import PlacedClip, floor_text
from tempik.timeline.repeats import source_of
from tempik.timeline.timeline import Timeline

PICTURE_H, LEAST_PICTURE_H, MOST_PICTURE_H = 112, 46, 260
EDGE_PX = 7
RIVET_PX = 7  # the mark of a clip that is locked against drafts
# A clip up to this wide is painted once and kept.
KEPT_CLIP_PX = 420


def plays_alike(one: PlacedClip, two: PlacedClip) -> bool:
    """Tell whether a clip lies, plays and looks as before: points that it is not tied to may be others."""
    if one is two:
        return True
    if one.clip is not two.clip or one.footage is not two.footage or one[2:6] != two[2:6] or one.ties != two.ties:
        return False
    same = one.map.start_s == two.map.start_s and one.map.curve == two.map.curve and one.shape == two.shape
    return same and one[8:11] == two[8:11]


class PictureLaneView(LaneView):
    """One track of clips. Clips are moved, slid, slipped and trimmed; what is dragged snaps."""

    order = 30
    reach_px = 24  # plates of transitions and signs of pins lie across its ends

    def __init__(self, track: int) -> None:
        self.track = track
        self.key = f"picture {track}"

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls(track) for track in range(len(reel.tracks) - 1, -1, -1)]

    def room(self) -> Room:
        return Room(LEAST_PICTURE_H, PICTURE_H, MOST_PICTURE_H, gives=0)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        reel, rate = timeline.reel, float(timeline.rate)
        series = [
            Series(timeline.tracks[self.track], lambda q: (q.first / rate, q.end / rate), plays_alike),
            Series(
                [(b.until, a.first, a.end) for b, a in overlaps(timeline) if a.clip.track == self.track],
                lambda wedge: (wedge[1] / rate, min(wedge[0], wedge[2]) / rate),
            ),
        ]
        if self.track == 0:
            series.append(Series(gaps(timeline), lambda gap: (gap[0] / rate, gap[1] / rate)))
        tints = tuple(f.id for f in reel.footage)
        return Depends((reel.tracks[self.track], tints, reel.interpolation), tuple(series))

    # Painting

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        timeline, view = ctx.timeline, ctx.view
        if self.track == 0:
            _paint_gaps(p, timeline, view, box)
        tints = _tints(timeline.reel)
        clips = clips_in_view(timeline, view, self.track)
        if ctx.within is not None:
            near = ctx.within.adjusted(-1, 0, 1, 0)
            clips = [q for q in clips if clip_box(timeline, view, box, q).intersects(near)]
        sliver = SLIVER_PX * float(timeline.rate) / view.px_per_s
        slivers = [q for q in clips if q.end - q.first < sliver]
        if slivers:
            self._paint_slivers(p, ctx, box, slivers, tints)
        for placed in clips:
            if placed.end - placed.first >= sliver:
                _paint_one(p, ctx, placed, clip_box(timeline, view, box, placed), tints[placed.footage.id])
        self._paint_overlaps(p, ctx, box)

    def sketch(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        tints = _tints(ctx.timeline.reel)
        clips = clips_in_view(ctx.timeline, ctx.view, self.track)
        _draw_clips(p, ctx, box, clips, [tints[q.footage.id] for q in clips])

    def _paint_slivers(
        self, p: QPainter, ctx: PaintContext, box: QRectF, clips: list[PlacedClip], tints: dict[str, QColor]
    ) -> None:
        """Clips a few pixels wide: their ground and, where there is room, one picture; nothing else could be told."""
        timeline, view, selected = ctx.timeline, ctx.view, ctx.project.selection.clip_ids
        frame_px = ctx.frame_px()
        _draw_clips(p, ctx, box, clips, [tints[q.footage.id] for q in clips])
        for placed in clips:
            if (placed.end - placed.first) * frame_px >= SLIVER_PX / 2 and box.height() >= LOW_H:
                picture = ctx.filmstrips.at(placed.footage.path, placed.map.start_s)
                if picture is not None:
                    where = clip_box(timeline, view, box, placed)
                    draw_filling(p, where.adjusted(0, HEAD_H, 0, -12), picture)
        lit, none = colour(theme.TEXT, 0.35), QColor(Qt.GlobalColor.transparent)
        if any(q.clip.id in selected for q in clips):
            _draw_clips(p, ctx, box, clips, [lit if q.clip.id in selected else none for q in clips])

    def _paint_overlaps(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """How far the clip before runs on under a clip: a wedge at the later one's head."""
        rate = float(ctx.timeline.rate)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(theme.TEXT, 0.55))
        for before, after in overlaps(ctx.timeline):
            left, right = ctx.view.x(after.first / rate), ctx.view.x(min(before.until, after.end) / rate)
            if after.clip.track == self.track and right > GUTTER and left < ctx.view.width:
                foot = box.bottom() - 1
                p.drawPolygon(QPolygonF([QPointF(left, foot - 9), QPointF(right, foot), QPointF(left, foot)]))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        reel = ctx.timeline.reel
        record, several = reel.tracks[self.track], len(reel.tracks) > 1
        name = f"picture {self.track + 1}" if several else "picture"
        p.setPen(QColor(theme.QUIET if record.hidden else theme.TEXT))
        p.setFont(words(13, several and self.track == ctx.placing))
        state = " · ".join(t for t, on in (("locked", record.locked), ("hidden", record.hidden)) if on)
        line = QRectF(12, box.top() + (-8 if state else 0), GUTTER - 14, box.height())
        p.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
        if state:
            p.setFont(words(12))
            p.setPen(QColor(theme.RHYTHM))
            p.drawText(QRectF(12, box.top() + 9, GUTTER - 14, box.height()), Qt.AlignmentFlag.AlignVCenter, state)
        paint_dots(p, box.top() + box.height() / 2 - 5)

    def paint_staying(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """The name of a long clip that began further left."""
        rate, view = float(ctx.timeline.rate), ctx.view
        placed = ctx.timeline.clip_at(max(0, int(view.start_s * rate)), self.track)
        if placed is None or box.bottom() <= ctx.layout.head_end:
            return
        where = clip_box(ctx.timeline, view, box, placed)
        if where.left() < GUTTER and where.width() > KEPT_CLIP_PX:
            p.setClipRect(QRectF(GUTTER, ctx.layout.head_end, view.room, ctx.height))
            paint_name_again(p, placed, where, ctx, _tints(ctx.timeline.reel)[placed.footage.id])
            p.setClipping(False)

    def spoken(self, ctx: PaintContext) -> str:
        clips = ctx.timeline.own_tracks[self.track]
        shown = ctx.project.selection.placed
        text = f"Picture track {self.track + 1}: {plural(len(clips), 'clip')}"
        if shown is not None and shown.clip.track == self.track:
            text += f"; selected {shown.footage.name}, frames {shown.first} to {shown.end - 1}"
        return text

    # Pointer

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if not box.top() <= pos.y() < box.bottom() or pos.y() < ctx.layout.head_end:
            return None
        if pos.x() < GUTTER:

            def ask(screen: QPoint) -> None:  # what emits says that it did, and a press gives a gesture or nothing
                ctx.asks.picture_menu.emit(self.track, screen)

            return Hit(
                press=lambda at: ask(at.screen),
                menu=ask,
                tip=lambda: "The track's menu: placing, locking, hiding.",
            )
        timeline = ctx.timeline
        frame = frame_on_screen(max(0.0, ctx.view.time(pos.x())), timeline.rate)
        placed = timeline.clip_at(frame, self.track)
        heard = wave_hit(ctx, placed, wave_box(ctx, placed, box), pos) if placed is not None else None
        if heard is not None:
            return heard
        edge = self._edge_near(ctx, pos)
        if edge is not None:
            found, side = edge
            return Hit(
                Qt.CursorShape.SplitHCursor,
                tip=lambda: EDGE_TIP,
                press=lambda at: edge_gesture(ctx, found, side, at),
                double=lambda at: _alone(ctx, placed),
                menu=lambda screen: _menu(ctx, placed, screen),
            )
        if placed is None:
            return None
        if placed.repeated:
            return _repeat_hit(ctx, placed)
        return Hit(
            tip=lambda: _clip_tip(ctx, placed),
            press=lambda at: clip_gesture(ctx, placed, at),
            double=lambda at: _alone(ctx, placed),
            menu=lambda screen: _menu(ctx, placed, screen),
        )

    def _edge_near(self, ctx: PaintContext, pos: QPointF) -> tuple[PlacedClip, Side] | None:
        """Return the clip and side whose edge lies under the pointer, on the pointer's side of a cut."""
        for placed in clips_in_view(ctx.timeline, ctx.view, self.track):
            if placed.repeated:
                continue
            left, right = (frame_x(ctx.view, ctx.timeline, f) for f in (placed.first, placed.end))
            reach = min(EDGE_PX, max(2.0, (right - left) / 4))
            if 0 <= pos.x() - left <= reach:
                return placed, "start"
            if 0 <= right - pos.x() <= reach:
                return placed, "end"
        return None

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag a clip", "move it, up and down to other tracks; it snaps, Alt does not"),
            ("Ctrl and drag a clip", "slip: other footage in the same slot"),
            ("Shift and drag a clip", "slide: the slot moves between its neighbours"),
            ("drag a cut", "roll: both neighbours follow"),
            ("Ctrl and drag an edge", "trim that clip alone"),
            ("Shift and drag an edge", "trim, and what follows moves along"),
            ("Ctrl and click, Shift and click clips", "add one, add all up to it"),
            ("double click a grouped clip", "select it alone"),
            ("double click a nest", "open it"),
            ("right click a clip", "its commands"),
            ("drag up or down in a clip's wave", "the gain of its own sound"),
            ("drag an end of a clip's wave", "its sound leads or trails its picture; Ctrl: its neighbour stays"),
            ("Shift and drag an end of a clip's wave", "how long its edges are crossfaded, a millisecond a pixel"),
            ("drag beside an end of a clip's wave", "a fade"),
            (
                "drag a track's lower edge beside its name",
                "higher, lower or folded; double click: folded, or as there is room",
            ),
            ("drag footage from the shelf or files onto the timeline", "place it; on a point its cue lands there"),
        )


EDGE_TIP = "Drag: move the cut. Ctrl: trim this clip alone. Shift: what follows moves along. Alt: no snapping."


def _clip_tip(ctx: PaintContext, placed: PlacedClip) -> str:
    lacks = pins.trouble(ctx.timeline, placed)
    return (
        f"{placed.footage.name}\n{plural(placed.frames, 'frame')}, {placed.first} to {placed.end - 1}"
        f" · {floor_text(placed.footage, ctx.timeline.rate)}"
        + (f"\n{', '.join(signs)}" if (signs := signs_of(placed.clip)) else "")
        + (f"\n{lacks}" if lacks else "")
        + "\nDrag: move, up and down to other tracks. Ctrl and drag: slip the footage. Shift and drag: slide."
    )


def _repeat_hit(ctx: PaintContext, placed: PlacedClip) -> Hit:
    """What a press on a repeat does: the clip that it repeats is selected, and the playhead stands there."""

    def choose(at: object) -> None:
        ctx.project.selection.select_clip(placed.clip.id)
        ctx.project.playhead.go(placed.first)

    def menu(screen: QPoint) -> None:
        choose(screen)
        ctx.asks.clip_menu.emit(source_of(placed.clip.id), screen)

    return Hit(
        tip=lambda: (
            f"{placed.footage.name}, laid again by its rule. Right click: leave it out here, or make it a clip of its own."
        ),
        press=choose,
        menu=menu,
    )


def _alone(ctx: PaintContext, placed: PlacedClip | None) -> None:
    """A group is opened: its clip alone is selected. A title's words are to be edited, a nest is opened."""
    if placed is not None:
        ctx.project.selection.select_clip(placed.clip.id, alone=True)
        if placed.clip.title is not None:
            ctx.asks.title_wanted.emit()
        elif placed.footage.nest is not None:
            ctx.asks.nest_wanted.emit(source_of(placed.clip.id))


def _menu(ctx: PaintContext, placed: PlacedClip | None, screen: QPoint) -> None:
    if placed is not None:
        if placed.clip.id not in ctx.project.selection.clip_ids:
            ctx.project.selection.select_clip(placed.clip.id)
        ctx.asks.clip_menu.emit(placed.clip.id, screen)


def _tints(reel: Reel) -> dict[str, QColor]:
    return {f.id: QColor(CLIP_TINTS[i % len(CLIP_TINTS)]) for i, f in enumerate(reel.footage)}


def _draw_clips(p: QPainter, ctx: PaintContext, box: QRectF, clips: Sequence[PlacedClip], shades: list[QColor]) -> None:
    """Draw clips as plain grounds. The narrowest have no gap between them and are lighter: they are told apart by their
    colour, and half of each would be gap."""
    frame_px, zero = ctx.frame_px(), ctx.view.x(0.0)
    narrow = [(q.end - q.first) * frame_px < SLIVER_PX / 2 for q in clips]
    lefts = [zero + q.first * frame_px + (0.0 if small else 0.5) for q, small in zip(clips, narrow, strict=True)]
    rights = [zero + q.end * frame_px - (0.0 if small else 0.5) for q, small in zip(clips, narrow, strict=True)]
    lighter = [shade.lighter(150) if small else shade for shade, small in zip(shades, narrow, strict=True)]
    draw_spans(p, box, lefts, rights, lighter)


def _paint_gaps(p: QPainter, timeline: Timeline, view: View, lane: QRectF) -> None:
    """Where no track has a clip the reel is black; where none has any, it says how one gets there."""
    message = "black" if timeline.placed else "black: drag footage here, its cue lands on the point it is dropped on"
    for first, end in gaps(timeline):
        box = QRectF(view.x(time_of(first, timeline.rate)), lane.top(), 0, lane.height())
        box.setRight(view.x(time_of(end, timeline.rate)))
        if box.right() > GUTTER and box.left() < view.width:
            p.fillRect(box, QBrush(colour(theme.WARNING, 0.45), Qt.BrushStyle.BDiagPattern))
            if box.width() > 60:
                p.setPen(QColor(theme.TEXT))
                p.setFont(words(12))
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, message)


def _paint_one(p: QPainter, ctx: PaintContext, placed: PlacedClip, box: QRectF, tint: QColor) -> None:
    """A clip with what its track, its group and the selection add. Of the selected the one that the pages show has the
    brighter frame."""
    selection = ctx.project.selection
    selected = source_of(placed.clip.id) in selection.clip_ids
    if box.width() > KEPT_CLIP_PX:
        paint_clip(p, ctx, placed, box, tint)
    else:
        # A box begins half a pixel after its frame does. Rounding that would go to even pixels, now left and now right.
        p.drawPixmap(QPointF(floor(box.left() + 1e-6), box.top()), clip_picture(p, ctx, placed, box, tint))
    if ctx.timeline.reel.tracks[placed.clip.track].hidden:
        p.fillRect(box, colour(theme.SUNK, 0.72))
    if placed.clip.group:
        p.fillRect(QRectF(box.left(), box.bottom() - 3, box.width(), 3), QColor(theme.PULSE))
    if placed.clip.locked and box.width() > 2 * RIVET_PX:
        p.setPen(QPen(QColor(theme.SUNK), 1.5))
        p.setBrush(QColor(theme.GOOD))
        p.drawEllipse(QPointF(box.right() - RIVET_PX, box.top() + RIVET_PX), RIVET_PX / 2, RIVET_PX / 2)
        p.setBrush(Qt.BrushStyle.NoBrush)
    if placed.repeated:
        p.fillRect(box, colour(theme.SUNK, 0.35))
        p.setPen(QPen(QColor(theme.TEXT if selected else theme.QUIET), 1.2, Qt.PenStyle.DashLine))
        p.drawRect(box.adjusted(1, 1, -1, -1))
    elif selected:
        first = placed.clip.id == selection.clip_id
        p.setPen(QPen(QColor(theme.TEXT), 2 if first else 1.4, Qt.PenStyle.SolidLine))
        p.setBrush(colour(theme.TEXT, 0.0 if first and len(selection.clip_ids) == 1 else 0.1))
        p.drawRoundedRect(box.adjusted(1, 1, -1, -1), 3, 3)
        p.setBrush(Qt.BrushStyle.NoBrush)


def wave_box(ctx: PaintContext, placed: PlacedClip, lane: QRectF) -> QRectF:
    """Return where a clip's own sound is seen; empty where it is not."""
    box, height_px = clip_box(ctx.timeline, ctx.view, lane, placed), wave_height(placed, lane.height())
    if not height_px or placed.repeated:
        return QRectF()
    trace = TRACE_H if box.height() > 80 else 12.0
    return QRectF(box.left(), box.bottom() - trace - height_px, box.width(), height_px)


def clip_box(timeline: Timeline, view: View, lane: QRectF, placed: PlacedClip) -> QRectF:
    """Return where a clip lies in its lane."""
    left, right = view.x(time_of(placed.first, timeline.rate)), view.x(time_of(placed.end, timeline.rate))
    return QRectF(left + 0.5, lane.top(), max(right - left - 1, 1), lane.height())
