"""Keys of clips on the timeline: a small row under a clip's name, or a row for each of what is keyed under the pictures of a clip that is
open for it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

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
from tempik.desktop.timeline.lanes.clip_painting import HEAD_H
from tempik.desktop.timeline.snapping import frame_x, snapped, targets
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.key_signs import paint_key
from tempik.desktop.widgets.theme import colour, words
from tempik.edit.clip_keys import KeyAt, KeyMark, marks_in, row_titles, with_keys_copied, with_keys_moved
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

ROW_H, LEAST_ROW_H, NAME_PX, REACH_PX = 13, 7, 60, 6


class ShownKey(NamedTuple):
    """What stands on one spot: keys of a row, or of all rows where the clip is not open."""

    placed: PlacedClip
    keys: frozenset[KeyAt]
    mark: KeyMark
    text: str
    at: QPointF


class KeysLaneView(OverLaneView):
    """Lies over the picture tracks."""

    order = 41
    key = "keys"

    def extent(self, ctx: PaintContext, box: QRectF) -> QRectF:
        return pictures_box(ctx)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        rate = float(timeline.rate)
        keyed = [
            (q.first, q.end, q.clip.track, tuple((r, marks_in(timeline, q.clip, r)) for r in rows))
            for q in timeline.everything
            if (rows := row_titles(q.clip, keyed_only=True))
        ]
        # A key may stand beyond its clip.
        ends = Series(keyed, lambda k: (min([k[0], *_frames(k[3])]) / rate, max([k[1], *_frames(k[3])]) / rate))
        return Depends((), (ends,))

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        for placed in clips_in_view(ctx.timeline, ctx.view):
            if not row_titles(placed.clip, keyed_only=True) or ctx.layout.folded(placed.clip.track):
                continue
            p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            opened, found = placed.clip.id in ctx.project.selection.keys.opened, keys_of(ctx, placed)
            for title, y, high in _rows(ctx, placed):
                first = min((key.at.x() for key in found if key.at.y() == y and key.at.x() >= GUTTER), default=1e9)
                _paint_ground(p, ctx, placed, title if opened else "", QRectF(0, y - high / 2, first, high))
            for y in sorted({key.at.y() for key in found}):
                xs = [key.at.x() for key in found if key.at.y() == y and key.at.x() >= GUTTER]
                if len(xs) > 1:
                    p.setPen(QPen(colour(theme.TEXT, 0.8), 1.2))
                    p.drawLine(QPointF(xs[0], y), QPointF(xs[-1], y))
            chosen = ctx.project.selection.keys.of(placed.clip.id)
            for key in found:
                if key.at.x() >= GUTTER:
                    paint_key(p, key.at, key.mark, bool(key.keys & chosen), 3.6)
            p.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if pos.x() < GUTTER or pos.y() < ctx.layout.head_end:
            return None
        for placed in clips_in_view(ctx.timeline, ctx.view):
            near = [k for k in keys_of(ctx, placed) if _over(k, pos)] if placed.clip.keys or placed.clip.masks else []
            if not near:
                continue
            key = min(near, key=lambda k: abs(k.at.x() - pos.x()))

            def menu(screen: QPoint, key: ShownKey = key) -> None:
                _choose(ctx, key)
                ctx.asks.key_menu.emit(screen)

            return Hit(
                Qt.CursorShape.SizeHorCursor,
                tip=lambda key=key: (
                    f"{key.text}, frame {key.mark.frame}. Drag it onto a point (Alt: anywhere); with Ctrl it is set once more."
                ),  # type: ignore[misc]
                press=lambda at, key=key: KeyGesture(ctx, key, at),  # type: ignore[misc]
                menu=menu,
            )
        return None

    def spoken(self, ctx: PaintContext) -> str:
        count = sum(len(marks_in(ctx.timeline, q.clip, r)) for q in ctx.timeline.placed for r in row_titles(q.clip))
        return f"Keys: {count} on clips"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag a key of a clip", "it goes onto points; Alt does not snap, Ctrl sets it once more"),
            ("Ctrl and click keys", "choose several: they are moved together"),
            ("right click a key", "how it goes on, copy, take away"),
        )


class KeyGesture(LaneGesture):
    """Chosen keys go along; the playhead stands with the one that is held."""

    def __init__(self, ctx: PaintContext, key: ShownKey, at: Pointer) -> None:
        super().__init__()
        self.gesture, self.key, self.copy = Gesture(ctx.project), key, at.ctrl
        if not at.ctrl:
            _choose(ctx, key)
        elif ctx.project.selection.clip_id != key.placed.clip.id:
            ctx.project.selection.select_clip(key.placed.clip.id)
        self.chosen = ctx.project.selection.keys.of(key.placed.clip.id) | key.keys
        self.dragged = False

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        self.dragged = True
        rate, clip, held = float(ctx.timeline.rate), self.key.placed.clip.id, self.key.mark.frame
        wanted = [] if at.alt else [t for t in targets(ctx.timeline, 0) if t.label.startswith("point")]
        self.snap = snapped(at.moved.x() / ctx.view.px_per_s * rate, [(held, "")], wanted, ctx.view, rate)
        frames, edit = self.snap.frames, with_keys_copied if self.copy else with_keys_moved
        if self.gesture.show(lambda reel: edit(reel, clip, self.chosen, frames)):
            ctx.project.selection.keys.choose(clip, [KeyAt(row, frame + frames) for row, frame in self.chosen])
            self.text = f"{self.key.text} · frame {held + frames} ({frames:+d})"
            ctx.project.playhead.go(min(max(held + frames, 0), ctx.timeline.frames - 1))

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        clip = self.key.placed.clip.id
        if self.dragged:
            self.gesture.settle("Keys set once more" if self.copy else "Keys moved")
        elif self.copy:
            ctx.project.selection.keys.toggle(clip, self.key.keys)
        else:
            ctx.project.selection.keys.choose(clip, self.key.keys)
            ctx.project.playhead.go(min(max(self.key.mark.frame, 0), ctx.timeline.frames - 1))

    def drop(self) -> None:
        self.gesture.drop()


def _choose(ctx: PaintContext, key: ShownKey) -> None:
    """Choose what stands there, unless it is among what is chosen."""
    selection, clip = ctx.project.selection, key.placed.clip.id
    if clip != selection.clip_id:
        selection.select_clip(clip)
    if not key.keys <= selection.keys.of(clip):
        selection.keys.choose(clip, key.keys)


def _frames(rows: tuple[tuple[str, tuple[KeyMark, ...]], ...]) -> list[int]:
    return [mark.frame for _, marks in rows for mark in marks]


def _over(key: ShownKey, pos: QPointF) -> bool:
    return abs(key.at.x() - pos.x()) <= REACH_PX and abs(key.at.y() - pos.y()) <= REACH_PX


def _rows(ctx: PaintContext, placed: PlacedClip) -> list[tuple[str, float, float]]:
    """Return the rows of a clip: what each is called, where its middle lies, and how high it is. All keys lie in one where the clip is not
    open, or too low for more."""
    titles = list(row_titles(placed.clip, keyed_only=True).values())
    top, high = ctx.layout.picture_top(placed.clip.track) + HEAD_H, ctx.layout.picture_h(placed.clip.track) - HEAD_H
    each = min(ROW_H, high / max(len(titles), 1))
    if placed.clip.id not in ctx.project.selection.keys.opened or each < LEAST_ROW_H:
        return [("keys", top + 5, 9)]
    first = top + high - each * len(titles)
    return [(title, first + (n + 0.5) * each, each) for n, title in enumerate(titles)]


def keys_of(ctx: PaintContext, placed: PlacedClip) -> list[ShownKey]:
    """Return the keys of a clip as they lie in view, in order of time in each row."""
    by_row = {row: marks_in(ctx.timeline, placed.clip, row) for row in row_titles(placed.clip, keyed_only=True)}
    if not by_row or ctx.layout.folded(placed.clip.track):
        return []
    rows, titles = _rows(ctx, placed), row_titles(placed.clip)
    out = []
    if len(rows) == len(by_row) and rows[0][0] != "keys":
        for (row, marks), (title, y, _) in zip(by_row.items(), rows, strict=True):
            for mark in marks:
                at = QPointF(frame_x(ctx.view, ctx.timeline, mark.frame), y)
                out.append(ShownKey(placed, frozenset({KeyAt(row, mark.frame)}), mark, f"Key of the {title}", at))
        return out
    together: dict[int, list[tuple[str, KeyMark]]] = {}
    for row, marks in by_row.items():
        for mark in marks:
            together.setdefault(mark.frame, []).append((row, mark))
    for frame, there in sorted(together.items()):
        text = "Key of the " + ", ".join(titles[row] for row, _ in there)
        keys = frozenset(KeyAt(row, frame) for row, _ in there)
        tied = KeyMark(frame, all(mark.tied for _, mark in there), there[0][1].ease)
        at = QPointF(frame_x(ctx.view, ctx.timeline, frame), rows[0][1])
        out.append(ShownKey(placed, keys, tied, text, at))
    return out


def _paint_ground(p: QPainter, ctx: PaintContext, placed: PlacedClip, title: str, row: QRectF) -> None:
    """What a row lies on, so that its keys are seen over any picture; its name where it has room before the row's first key."""
    left, right = (frame_x(ctx.view, ctx.timeline, f) for f in (placed.first, placed.end))
    box = QRectF(max(left + 1, GUTTER), row.top(), right - max(left, GUTTER) - 2, row.height())
    if box.width() <= 2:
        return
    p.fillRect(box, colour(theme.GROUND, 0.78 if title else 0.45))
    if title and min(row.right(), box.right()) - box.left() > NAME_PX:
        p.setFont(words(11))
        p.setPen(QColor(theme.QUIET))
        p.drawText(box.adjusted(4, -2, 0, 2), Qt.AlignmentFlag.AlignVCenter, title)
