"""Joins: a plate on each cut that has one, as long as the join, with the sign of its kind, dragged longer and off centre."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.lane import Hit, LaneGesture, OverLane, PaintContext, Pointer
from tempik.desktop.timeline.layout import Layout
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.join_signs import paint_join_sign
from tempik.desktop.widgets.theme import colour, figures
from tempik.digits import counted
from tempik.edit.joins import laying
from tempik.edit.joins.laying import place_of
from tempik.joins import direction_of
from tempik.time import time_of
from tempik.timeline.seams import Seam, short_of
from tempik.timeline.timeline import Timeline

PLATE_H = 19
SIGN = 10
LEAST_PX = 18  # a plate is never narrower, so that it can be hit
SPECK_PX = 7  # where neighbours are nearer than this, joins are specks
END_PX = 5


class JoinsLane(OverLane):
    """Lies over the picture tracks."""

    key = "joins"

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        chosen = ctx.project.selection.join_place
        for track in range(len(ctx.timeline.rows)):
            seams = seams_in_view(ctx.timeline, ctx.view, track)
            small = _crowded(ctx, seams)
            for seam in seams:
                plate = plate_of(ctx.timeline, ctx.view, ctx.layout, seam)
                if plate.bottom() <= ctx.layout.head_end or (
                    ctx.within is not None and not plate.intersects(ctx.within)
                ):
                    continue
                _paint_plate(p, ctx, seam, plate, small, place_of(seam) == chosen)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        seam = seam_under(ctx, pos)
        if seam is None:
            return None
        side = _side(ctx, seam, pos)
        return Hit(
            Qt.CursorShape.SizeAllCursor if side == "whole" else Qt.CursorShape.SplitHCursor,
            tip=lambda: _tip(seam),
            press=lambda at: JoinGesture(ctx, seam, side),
            double=lambda at: ctx.asks.join_wanted.emit(),
            menu=lambda screen: _menu(ctx, seam, screen),
        )

    def spoken(self, ctx: PaintContext) -> str:
        return f"Joins: {sum(len(s) for s in ctx.timeline.seams)} cuts with a join"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag an end of a join", "longer or shorter; the turn stays on the cut"),
            ("drag the middle of a join", "more of it before the cut, or after"),
            ("double click a join", "open it on the Joins page"),
        )


class JoinGesture(LaneGesture):
    """One end of a join is dragged, or the whole of it about its cut; the playhead stands on the turn meanwhile."""

    def __init__(self, ctx: PaintContext, seam: Seam, side: str) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.seam, self.side = seam, side
        ctx.project.selection.select_join(place_of(seam))
        ctx.project.playhead.go(min(seam.turn, ctx.timeline.frames - 1))

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        seam = self.seam
        moved = round(at.moved.x() / ctx.view.px_per_s * float(ctx.timeline.rate))
        before, after = seam.turn - seam.begin, seam.end - seam.turn
        if self.side == "first":
            before -= moved
        elif self.side == "last":
            after += moved
        else:
            moved = min(max(moved, -after), before)
            before, after = before - moved, after + moved
        before, after = max(before, 0), max(after, 0)
        if before + after < 1:
            return
        if self.gesture.show(lambda reel: laying.with_sides(reel, place_of(seam), before, after)):
            now = ctx.timeline.seam_of(seam.owner.clip.id, seam.into is None)
            said = f" · {short_of(now)[0]}" if now is not None and short_of(now) else ""
            self.text = f"{before + after} f · {before} before the cut, {after} after{said}"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("Join moved about its cut" if self.side == "whole" else "Length of the join")

    def drop(self) -> None:
        self.gesture.drop()


def seams_in_view(timeline: Timeline, view: View, track: int) -> Sequence[Seam]:
    """Return the joins of a track that lie in view."""
    seams = timeline.seams[track]
    rate = float(timeline.rate)
    margin = LEAST_PX / view.px_per_s * rate
    first = bisect_left(seams, view.start_s * rate - margin, key=lambda s: s.end)
    return seams[first : bisect_left(seams, view.end_s * rate + margin, key=lambda s: s.begin)]


def plate_of(timeline: Timeline, view: View, layout: Layout, seam: Seam) -> QRectF:
    """Return where a join's plate lies: over its frames, and so wide that it can be hit."""
    left, right = (view.x(time_of(f, timeline.rate)) for f in (seam.begin, seam.end))
    if right - left < LEAST_PX:
        turn = min(max(view.x(time_of(seam.turn, timeline.rate)), left), right)
        left, right = turn - LEAST_PX / 2, turn + LEAST_PX / 2
    top = layout.picture_top(seam.owner.clip.track) + layout.picture_h - PLATE_H - 2
    return QRectF(left, top, right - left, PLATE_H)


def changed_boxes(before: Timeline, after: Timeline, view: View, layout: Layout) -> list[QRectF]:
    """Return where joins look otherwise than before."""
    out = []
    for then, now in zip(before.seams, after.seams, strict=True):
        if then is now:
            continue
        old, new = ({_looks(s): s for s in seams} for seams in (then, now))
        for key in old.keys() ^ new.keys():
            seam = old.get(key) or new[key]
            out.append(plate_of(after, view, layout, seam).adjusted(-4, -2, 4, 4))
    return out


def looks_alike(one: Seam, other: Seam) -> bool:
    """Tell whether two joins are painted alike."""
    return _looks(one) == _looks(other)


def _looks(seam: Seam) -> tuple[int, ...]:
    return (id(seam.join), seam.begin, seam.turn, seam.end, seam.missing)


def seam_under(ctx: PaintContext, pos: QPointF) -> Seam | None:
    """Return the join whose plate lies under the pointer."""
    if pos.x() < GUTTER or pos.y() < ctx.layout.head_end:
        return None
    for track in range(len(ctx.timeline.rows)):
        seams = seams_in_view(ctx.timeline, ctx.view, track)
        if _crowded(ctx, seams):
            continue
        for seam in seams:
            if plate_of(ctx.timeline, ctx.view, ctx.layout, seam).contains(pos):
                return seam
    return None


def _side(ctx: PaintContext, seam: Seam, pos: QPointF) -> str:
    plate = plate_of(ctx.timeline, ctx.view, ctx.layout, seam)
    reach = min(END_PX, plate.width() / 3)
    if pos.x() - plate.left() <= reach:
        return "first"
    return "last" if plate.right() - pos.x() <= reach else "whole"


def _crowded(ctx: PaintContext, seams: Sequence[Seam]) -> bool:
    """Tell whether cuts are so near each other that plates would cover the pictures."""
    if len(seams) < 2:
        return False
    apart = (seams[-1].turn - seams[0].turn) / (len(seams) - 1) * ctx.frame_px()
    return apart < LEAST_PX + SPECK_PX


def _paint_plate(p: QPainter, ctx: PaintContext, seam: Seam, plate: QRectF, small: bool, chosen: bool) -> None:
    ink = QColor(theme.RHYTHM if chosen else theme.TEXT)
    lacking = bool(short_of(seam))
    turn = ctx.view.x(time_of(seam.turn, ctx.timeline.rate))
    if small:
        p.fillRect(QRectF(turn - 1.5, plate.top() + 4, 3, 8), colour(theme.WARNING if lacking else theme.TEXT, 0.9))
        return
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(theme.WARNING_TEXT if lacking else theme.RHYTHM if chosen else theme.QUIET), 1.2))
    p.setBrush(colour(theme.SUNK, 0.88))
    p.drawRoundedRect(plate.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
    direction = direction_of(seam.kind, seam.join) if seam.kind is not None else ""
    p.setFont(figures(12))
    # Sign and number stand on either side of the turn, where a clip's outline may run; with too little room the sign alone.
    after = plate.right() - turn - 8
    texts = (f"{seam.frames} f", f"{seam.frames}")
    text = next((t for t in texts if p.fontMetrics().horizontalAdvance(t) <= after), "")
    apart = bool(text) and turn - plate.left() >= SIGN + 7
    left = turn - SIGN - 5 if apart else plate.left() + (plate.width() - SIGN) / 2
    if not seam.both and plate.width() > LEAST_PX + 30:  # a fade has no turn to make room for
        text, apart, left = texts[0], True, plate.left() + 4
        turn = left + SIGN - 1
    paint_join_sign(p, seam.kind, direction, QRectF(left, plate.top() + (PLATE_H - SIGN) / 2, SIGN, SIGN), ink)
    if apart:
        p.setPen(ink)
        room = QRectF(turn + 5, plate.top(), plate.right() - turn - 5, PLATE_H)
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
    # The turn: a notch on the lower edge, on the cut.
    if seam.both:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.RHYTHM))
        foot = plate.bottom()
        p.drawPolygon(QPolygonF([QPointF(turn, foot - 4), QPointF(turn + 4, foot + 1), QPointF(turn - 4, foot + 1)]))
    p.restore()


def _tip(seam: Seam) -> str:
    name = seam.kind.title if seam.kind is not None else f"unknown: {seam.join.kind}"
    way = (
        f" {direction_of(seam.kind, seam.join)}" if seam.kind is not None and direction_of(seam.kind, seam.join) else ""
    )
    said = "".join(f"\n{text}." for text in short_of(seam))
    return f"{name}{way}, {counted(seam.frames, 'frame')}: {seam.turn - seam.begin} before the cut, {seam.end - seam.turn} after.{said}"


def _menu(ctx: PaintContext, seam: Seam, screen: QPoint) -> None:
    ctx.project.selection.select_join(place_of(seam))
    ctx.asks.join_menu.emit(place_of(seam), screen)
