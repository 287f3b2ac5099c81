"""Words of titles on their points: each stands where it lands, over its clip, and is dragged from point to point."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER, clips_in_view
from tempik.desktop.timeline.lane import (
    Depends,
    Hit,
    LaneGesture,
    OverLaneView,
    PaintContext,
    Pointer,
    Series,
    pictures_box,
)
from tempik.desktop.timeline.lanes.clip_painting import HEAD_H, LEAST_LETTERS
from tempik.desktop.timeline.snapping import frame_x, snapped, targets
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour, words
from tempik.edit.titles import with_word_at
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import word_frames
from tempik.titles import words_of

CHIP_H = 18
LEAST_PX = 12  # a word nearer to the next one than this is a mark alone


class Chip(NamedTuple):
    """A word where it stands on the timeline."""

    placed: PlacedClip
    word: int
    text: str
    frame: int
    box: QRectF


class WordsLaneView(OverLaneView):
    """Lies over the picture tracks."""

    order = 40
    key = "words"

    def extent(self, ctx: PaintContext, box: QRectF) -> QRectF:
        return pictures_box(ctx)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        rate = float(timeline.rate)
        titles = [
            (q.first, q.end, q.clip.track, q.clip.title.text, tuple(word_frames(timeline, q)))
            for q in timeline.everything
            if q.clip.title is not None
        ]
        # A word may land beyond its clip.
        ends = Series(
            titles, lambda t: (min(t[0], *t[4]) / rate, max(t[1], *t[4]) / rate) if t[4] else (t[0] / rate, t[1] / rate)
        )
        return Depends((), (ends,))

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        for placed in clips_in_view(ctx.timeline, ctx.view):
            if placed.clip.title is not None:
                for chip in chips_of(ctx, placed):
                    if ctx.within is None or chip.box.intersects(ctx.within):
                        _paint_chip(p, ctx, chip)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if pos.x() < GUTTER or pos.y() < ctx.layout.head_end:
            return None
        for placed in clips_in_view(ctx.timeline, ctx.view):
            for chip in chips_of(ctx, placed) if placed.clip.title is not None else ():
                if chip.box.contains(pos):
                    return Hit(
                        Qt.CursorShape.SizeHorCursor,
                        tip=lambda chip=chip: (
                            f"{chip.text}: frame {chip.frame}. Drag to another point; Alt does not snap."
                        ),  # type: ignore[misc]
                        press=lambda at, chip=chip: WordGesture(ctx, chip),  # type: ignore[misc]
                        double=lambda at: ctx.asks.title_wanted.emit(),
                    )
        return None

    def spoken(self, ctx: PaintContext) -> str:
        count = sum(len(word_frames(ctx.timeline, q)) for q in ctx.timeline.placed)
        return f"Words: {count} on points"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (("drag a word of a title", "it lands on another point; Alt does not snap"),)


class WordGesture(LaneGesture):
    """A word goes along; the playhead stands where it lands."""

    def __init__(self, ctx: PaintContext, chip: Chip) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.chip = chip
        ctx.project.selection.select_clip(chip.placed.clip.id)
        ctx.project.playhead.go(min(chip.frame, ctx.timeline.frames - 1))

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        chip, rate = self.chip, float(ctx.timeline.rate)
        by = at.moved.x() / ctx.view.px_per_s * rate
        wanted = [] if at.alt else targets(ctx.timeline, ctx.project.playhead.frame, [chip.placed.clip.id])
        wanted = [t for t in wanted if t.label != "playhead"]
        self.snap = snapped(by, [(chip.frame, "")], wanted, ctx.view, rate)
        frame = chip.frame + self.snap.frames
        if self.gesture.show(lambda reel: with_word_at(reel, chip.placed.clip.id, chip.word, frame)):
            now = ctx.timeline.placed_clip(chip.placed.clip.id)
            landed = word_frames(ctx.timeline, now)[chip.word] if now is not None else frame
            self.text = f"{chip.text} · frame {landed}"
            ctx.project.playhead.go(min(landed, ctx.timeline.frames - 1))

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle(f"{self.chip.text} lands elsewhere")

    def drop(self) -> None:
        self.gesture.drop()


def chips_of(ctx: PaintContext, placed: PlacedClip) -> list[Chip]:
    """Return the words of a title that have points of their own, as they lie in view."""
    frames = word_frames(ctx.timeline, placed)
    if not frames or placed.clip.title is None or ctx.layout.folded(placed.clip.track):
        return []
    texts = words_of(placed.clip.title.text)
    top = ctx.layout.picture_top(placed.clip.track)
    y = top + HEAD_H + max(2.0, (ctx.layout.picture_h(placed.clip.track) - HEAD_H - CHIP_H) / 2)
    xs = [frame_x(ctx.view, ctx.timeline, f) for f in frames] + [frame_x(ctx.view, ctx.timeline, placed.end)]
    measure = QFontMetricsF(words(12))
    out = []
    for number in range(len(texts)):
        together = xs[number] == xs[number + 1]
        if together and number + 1 < len(texts):
            continue  # the last of those that land together stands for them
        first = number
        while first > 0 and xs[first - 1] == xs[number]:
            first -= 1
        message = " ".join(texts[first : number + 1])
        wide = min(measure.horizontalAdvance(message) + 12, max(xs[number + 1] - xs[number] - 2, LEAST_PX / 2))
        out.append(Chip(placed, number, message, frames[number], QRectF(xs[number], y, wide, CHIP_H)))
    return [c for c in out if c.box.right() > GUTTER and c.box.left() < ctx.view.width]


def _paint_chip(p: QPainter, ctx: PaintContext, chip: Chip) -> None:
    chosen = chip.placed.clip.id in ctx.project.selection.clip_ids
    box = chip.box
    p.fillRect(QRectF(box.left(), box.top() - 3, 1.6, box.height() + 6), QColor(theme.RHYTHM))
    if box.width() < LEAST_PX:
        return
    inner = box.adjusted(1.6, 0, 0, 0)
    p.fillRect(inner, colour(theme.RAISED, 0.95))
    p.setFont(words(12, chosen))
    p.setPen(QPen(QColor(theme.TEXT)))
    text = p.fontMetrics().elidedText(chip.text, Qt.TextElideMode.ElideRight, int(inner.width() - 6))
    if text != chip.text and len(text) <= LEAST_LETTERS:
        return  # the tip has it
    p.drawText(inner.adjusted(5, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)
