"""Lanes made higher, lower or folded by hand: their lower edges are dragged beside their names."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt

from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.lane import Hit, LaneGesture, LaneLayout, PaintContext, Pointer
from tempik.desktop.timeline.layout import FOLDED

EDGE_PX, MOST_PX = 4, 400


class LaneHeights:
    """Heights by the lanes' keys; a lane without one shares what room there is. `changed` is called where one is another."""

    def __init__(self, changed: Callable[[], None]) -> None:
        self.by_hand: dict[str, int] = {}
        self._changed = changed

    def put(self, key: str, height_px: int | None) -> None:
        """Give a lane a height; None lets it share the room again."""
        if height_px != self.by_hand.get(key):
            if height_px is None:
                del self.by_hand[key]
            else:
                self.by_hand[key] = height_px
            self._changed()

    def fold(self, key: str) -> None:
        """Fold a lane, or open one that is folded."""
        self.put(key, None if self.by_hand.get(key) == FOLDED else FOLDED)

    def dragged(self, layout: LaneLayout, key: str, height_px: float) -> None:
        """Give a lane the height that its edge was dragged to: below half of its least it is folded."""
        least = next(lane.room().least for lane in layout.lanes if lane.key == key)
        folded = height_px < (least + FOLDED) / 2 and least > FOLDED
        self.put(key, FOLDED if folded else round(min(max(height_px, min(least, FOLDED), least), MOST_PX)))

    def hit(self, layout: LaneLayout, pos: QPointF) -> Hit | None:
        """Return the edge under the pointer."""
        if pos.x() >= GUTTER or pos.y() < layout.head_end:
            return None
        ends = [(lane, layout.tops[n] + layout.heights[n]) for n, lane in layout.in_view if layout.heights[n]]
        key = next((lane.key for lane, end in ends if not lane.head and abs(pos.y() - end - 1) <= EDGE_PX), None)
        if key is None:
            return None
        return Hit(
            Qt.CursorShape.SizeVerCursor,
            tip=lambda: (
                "Drag: this track higher, lower or folded. Double click: folded, or as high as there is room for."
            ),
            press=lambda at: HeightGesture(self, key, layout.height_of(key)),
            double=lambda at: self.put(key, None) if key in self.by_hand else self.fold(key),
        )


class HeightGesture(LaneGesture):
    """The edge goes with the pointer."""

    def __init__(self, heights: LaneHeights, key: str, height_px: int) -> None:
        super().__init__()
        self.heights, self.key, self.height_px = heights, key, height_px
        self.before = heights.by_hand.get(key)

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        self.heights.dragged(ctx.layout, self.key, self.height_px + at.moved.y())

    def drop(self) -> None:
        self.heights.put(self.key, self.before)
