"""Transitions: a plate on each cut that has one, as long as the transition, with the sign of its kind, dragged longer and off centre."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.lane import (
    Depends,
    Hit,
    LaneGesture,
    LaneLayout,
    OverLaneView,
    PaintContext,
    Pointer,
    Series,
    pictures_box,
)
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour, figures
from tempik.desktop.widgets.transition_signs import paint_transition_sign
from tempik.digits import plural
from tempik.edit.transitions import laying
from tempik.edit.transitions.laying import place_of
from tempik.time import time_of
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import PlacedTransition, short_of
from tempik.transitions import direction_of

PLATE_H = 19
SIGN = 10
LEAST_PX = 18  # a plate is never narrower, so that it can be hit
SPECK_PX = 7  # where neighbours are nearer than this, transitions are specks
END_PX = 5


class TransitionsLaneView(OverLaneView):
    """Lies over the picture tracks."""

    order = 60
    key = "transitions"

    def extent(self, ctx: PaintContext, box: QRectF) -> QRectF:
        return pictures_box(ctx)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        rate = float(timeline.rate)

        def seen(one: PlacedTransition) -> tuple[float, float]:
            return one.begin / rate, one.end / rate

        return Depends((), tuple(Series(found, seen, looks_alike) for found in timeline.transitions))

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        chosen = ctx.project.selection.transition_place
        for track in range(len(ctx.timeline.own_tracks)):
            if ctx.layout.folded(track):
                continue  # plates would cover the names, which are all that is seen
            transitions = transitions_in_view(ctx.timeline, ctx.view, track)
            small = _crowded(ctx, transitions)
            for placed_transition in transitions:
                plate = plate_of(ctx.timeline, ctx.view, ctx.layout, placed_transition)
                if plate.bottom() <= ctx.layout.head_end or (
                    ctx.within is not None and not plate.intersects(ctx.within)
                ):
                    continue
                _paint_plate(p, ctx, placed_transition, plate, small, place_of(placed_transition) == chosen)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        placed_transition = transition_under(ctx, pos)
        if placed_transition is None:
            return None
        side = _side(ctx, placed_transition, pos)
        return Hit(
            Qt.CursorShape.SizeAllCursor if side == "whole" else Qt.CursorShape.SplitHCursor,
            tip=lambda: _tip(placed_transition),
            press=lambda at: TransitionGesture(ctx, placed_transition, side),
            double=lambda at: ctx.asks.transition_wanted.emit(),
            menu=lambda screen: _menu(ctx, placed_transition, screen),
        )

    def spoken(self, ctx: PaintContext) -> str:
        return f"Transitions: {sum(len(s) for s in ctx.timeline.transitions)} cuts with a transition"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag an end of a transition", "longer or shorter; the turn stays on the cut"),
            ("drag the middle of a transition", "more of it before the cut, or after"),
            ("double click a transition", "open it on the Transitions page"),
        )


class TransitionGesture(LaneGesture):
    """One end of a transition is dragged, or the whole of it about its cut; the playhead stands on the turn meanwhile."""

    def __init__(self, ctx: PaintContext, placed_transition: PlacedTransition, side: str) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.placed_transition, self.side = placed_transition, side
        ctx.project.selection.select_transition(place_of(placed_transition))
        ctx.project.playhead.go(min(placed_transition.turn, ctx.timeline.frames - 1))

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        placed_transition = self.placed_transition
        moved = round(at.moved.x() / ctx.view.px_per_s * float(ctx.timeline.rate))
        before, after = placed_transition.turn - placed_transition.begin, placed_transition.end - placed_transition.turn
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
        if self.gesture.show(lambda reel: laying.with_sides(reel, place_of(placed_transition), before, after)):
            now = ctx.timeline.transition_of(placed_transition.owner.clip.id, placed_transition.into is None)
            message = f" · {short_of(now)[0]}" if now is not None and short_of(now) else ""
            self.text = f"{before + after} f · {before} before the cut, {after} after{message}"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("Transition moved about its cut" if self.side == "whole" else "Length of the transition")

    def drop(self) -> None:
        self.gesture.drop()


def transitions_in_view(timeline: Timeline, view: View, track: int) -> Sequence[PlacedTransition]:
    """Return the transitions of a track that lie in view."""
    transitions = timeline.transitions[track]
    rate = float(timeline.rate)
    margin = LEAST_PX / view.px_per_s * rate
    first = bisect_left(transitions, view.start_s * rate - margin, key=lambda s: s.end)
    return transitions[first : bisect_left(transitions, view.end_s * rate + margin, key=lambda s: s.begin)]


def plate_of(timeline: Timeline, view: View, layout: LaneLayout, placed_transition: PlacedTransition) -> QRectF:
    """Return where a transition's plate lies: over its frames, and so wide that it can be hit."""
    left, right = (view.x(time_of(f, timeline.rate)) for f in (placed_transition.begin, placed_transition.end))
    if right - left < LEAST_PX:
        turn = min(max(view.x(time_of(placed_transition.turn, timeline.rate)), left), right)
        left, right = turn - LEAST_PX / 2, turn + LEAST_PX / 2
    track = placed_transition.owner.clip.track
    top = layout.picture_top(track) + layout.picture_h(track) - PLATE_H - 2
    return QRectF(left, top, right - left, PLATE_H)


def looks_alike(one: PlacedTransition, other: PlacedTransition) -> bool:
    """Tell whether two transitions are painted alike."""
    return _looks(one) == _looks(other)


def _looks(placed_transition: PlacedTransition) -> tuple[int, ...]:
    return (
        id(placed_transition.transition),
        placed_transition.begin,
        placed_transition.turn,
        placed_transition.end,
        placed_transition.missing,
    )


def transition_under(ctx: PaintContext, pos: QPointF) -> PlacedTransition | None:
    """Return the transition whose plate lies under the pointer."""
    if pos.x() < GUTTER or pos.y() < ctx.layout.head_end:
        return None
    for track in range(len(ctx.timeline.own_tracks)):
        transitions = transitions_in_view(ctx.timeline, ctx.view, track)
        if ctx.layout.folded(track) or _crowded(ctx, transitions):
            continue
        for placed_transition in transitions:
            if plate_of(ctx.timeline, ctx.view, ctx.layout, placed_transition).contains(pos):
                return placed_transition
    return None


def _side(ctx: PaintContext, placed_transition: PlacedTransition, pos: QPointF) -> str:
    plate = plate_of(ctx.timeline, ctx.view, ctx.layout, placed_transition)
    reach = min(END_PX, plate.width() / 3)
    if pos.x() - plate.left() <= reach:
        return "first"
    return "last" if plate.right() - pos.x() <= reach else "whole"


def _crowded(ctx: PaintContext, transitions: Sequence[PlacedTransition]) -> bool:
    """Tell whether cuts are so near each other that plates would cover the pictures."""
    if len(transitions) < 2:
        return False
    apart = (transitions[-1].turn - transitions[0].turn) / (len(transitions) - 1) * ctx.frame_px()
    return apart < LEAST_PX + SPECK_PX


def _paint_plate(
    p: QPainter, ctx: PaintContext, placed_transition: PlacedTransition, plate: QRectF, small: bool, chosen: bool
) -> None:
    ink = QColor(theme.RHYTHM if chosen else theme.TEXT)
    lacking = bool(short_of(placed_transition))
    turn = ctx.view.x(time_of(placed_transition.turn, ctx.timeline.rate))
    if small:
        p.fillRect(QRectF(turn - 1.5, plate.top() + 4, 3, 8), colour(theme.WARNING if lacking else theme.TEXT, 0.9))
        return
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(theme.WARNING_TEXT if lacking else theme.RHYTHM if chosen else theme.QUIET), 1.2))
    p.setBrush(colour(theme.SUNK, 0.88))
    p.drawRoundedRect(plate.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
    direction = (
        direction_of(placed_transition.kind, placed_transition.transition) if placed_transition.kind is not None else ""
    )
    p.setFont(figures(12))
    # Sign and number stand on either side of the turn, where a clip's outline may run; with too little room the sign alone.
    after = plate.right() - turn - 8
    texts = (f"{placed_transition.frames} f", f"{placed_transition.frames}")
    text = next((t for t in texts if p.fontMetrics().horizontalAdvance(t) <= after), "")
    apart = bool(text) and turn - plate.left() >= SIGN + 7
    left = turn - SIGN - 5 if apart else plate.left() + (plate.width() - SIGN) / 2
    if not placed_transition.both and plate.width() > LEAST_PX + 30:  # a fade has no turn to make room for
        text, apart, left = texts[0], True, plate.left() + 4
        turn = left + SIGN - 1
    paint_transition_sign(
        p, placed_transition.kind, direction, QRectF(left, plate.top() + (PLATE_H - SIGN) / 2, SIGN, SIGN), ink
    )
    if apart:
        p.setPen(ink)
        room = QRectF(turn + 5, plate.top(), plate.right() - turn - 5, PLATE_H)
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
    # The turn: a notch on the lower edge, on the cut.
    if placed_transition.both:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.RHYTHM))
        foot = plate.bottom()
        p.drawPolygon(QPolygonF([QPointF(turn, foot - 4), QPointF(turn + 4, foot + 1), QPointF(turn - 4, foot + 1)]))
    p.restore()


def _tip(placed_transition: PlacedTransition) -> str:
    name = (
        placed_transition.kind.title
        if placed_transition.kind is not None
        else f"unknown: {placed_transition.transition.kind}"
    )
    direction = (
        f" {direction_of(placed_transition.kind, placed_transition.transition)}"
        if placed_transition.kind is not None and direction_of(placed_transition.kind, placed_transition.transition)
        else ""
    )
    message = "".join(f"\n{text}." for text in short_of(placed_transition))
    before, after = placed_transition.turn - placed_transition.begin, placed_transition.end - placed_transition.turn
    frames = plural(placed_transition.frames, "frame")
    return f"{name}{direction}, {frames}: {before} before the cut, {after} after.{message}"


def _menu(ctx: PaintContext, placed_transition: PlacedTransition, screen: QPoint) -> None:
    ctx.project.selection.select_transition(place_of(placed_transition))
    ctx.asks.transition_menu.emit(place_of(placed_transition), screen)
