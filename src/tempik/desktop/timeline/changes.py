"""Where the timeline looks otherwise than before: the difference of what its lanes say that they depend on."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from PySide6.QtCore import QRectF

from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.lane import Depends, LaneView, PaintContext, Series, Span
from tempik.timeline.timeline import Timeline


def changed_boxes(before: Timeline, after: Timeline, ctx: PaintContext) -> list[QRectF] | None:
    """Return where a reel looks otherwise than before; None: anywhere. A box from the top to the bottom goes through all lanes."""
    if _frame(before) != _frame(after):
        return None  # there are the same lanes, as whoever asks has seen to
    out: list[QRectF] = []
    for number, lane in enumerate(ctx.layout.lanes):
        found = _of_lane(
            lane, lane.depends(before, ctx), lane.depends(after, ctx), ctx, ctx.layout.box(number, ctx.view.width)
        )
        if found is None:
            return None
        out += found
    return _united(out)


def goes_through(box: QRectF, ctx: PaintContext) -> bool:
    """Tell whether a box is of all lanes, the head among them."""
    return box.top() <= 0 and box.height() >= ctx.height


def _frame(timeline: Timeline) -> tuple[object, ...]:
    return (timeline.reel.width, timeline.reel.height, timeline.rate, timeline.frames)


def _of_lane(lane: LaneView, old: Depends, new: Depends, ctx: PaintContext, box: QRectF) -> list[QRectF] | None:
    if len(old.series) != len(new.series) or not _same(old.whole, new.whole):
        whole = lane.head or lane.extent(ctx, box).height() >= ctx.layout.end
        return None if whole else [QRectF(0, box.top(), ctx.view.width, box.height())]
    out = []
    for one, two in zip(old.series, new.series, strict=True):
        span = _span_of(one, two)
        if span is None:
            continue
        left = max(ctx.view.x(span[0]) - lane.reach_px, GUTTER)
        right = min(ctx.view.x(span[1]) + lane.reach_px, ctx.view.width)
        if right > left:
            own = lane.extent(ctx, box)
            through = two.through or lane.head
            top, height = (0.0, float(ctx.height)) if through else (own.top(), own.height())
            out.append(QRectF(left, top, right - left, height))
    return out


def _same(old: Sequence[object], new: Sequence[object]) -> bool:
    return len(old) == len(new) and all(a is b or a == b for a, b in zip(old, new, strict=True))


def _united(boxes: list[QRectF]) -> list[QRectF]:
    """Return boxes with those made one that lie below each other from the same left to the same right."""
    out: list[QRectF] = []
    for box in boxes:
        last = out[-1] if out else None
        if last is not None and (last.left(), last.right()) == (box.left(), box.right()):
            out[-1] = last.united(box)
        else:
            out.append(box)
    return out


def _span_of(old: Series, new: Series) -> Span | None:
    """Return from where to where two series differ; None where they are alike."""
    were, are = old.items, new.items
    if were is are:
        return None
    ahead = _alike(were, are, new.alike)
    least = min(len(were), len(are)) - ahead
    behind = min(_alike(reversed(were), reversed(are), new.alike), least)
    others = [old.seen(each) for each in were[ahead : len(were) - behind]]
    others += [new.seen(each) for each in are[ahead : len(are) - behind]]
    if not others:
        return None
    return min(a for a, _ in others), max(b for _, b in others)


def _alike(were: Iterable[Any], are: Iterable[Any], same: Callable[[Any, Any], bool]) -> int:
    """Return how many of two series are the same before the first that is not."""
    count = 0
    for a, b in zip(were, are, strict=False):
        if not same(a, b):
            break
        count += 1
    return count


def stretch_of(boxes: Sequence[QRectF], view: View, most: float) -> tuple[int, int] | None:
    """Return the columns (left, right) that boxes lie in, where that is no more than a share of the view; None for more, or where names
    are among them."""
    left, right = int(min(box.left() for box in boxes)), -int(-max(box.right() for box in boxes) // 1)
    if left < GUTTER or right - left > view.room * most:
        return None
    return left, min(right, view.width)
