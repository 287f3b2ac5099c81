"""A clip's slot from left to right with the points that lie in it, for what stands along it: words, keys."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.timeline.placed_clip import PlacedClip

HEAD_H, EDGE = 15, 8
DRAG_PX, REACH_PX = 4, 9


class SlotStrip(QWidget):
    """`name_px` at its left are kept free for names."""

    name_px = 0

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project

    @property
    def placed(self) -> PlacedClip | None:
        """The clip whose slot is shown."""
        return self.project.selection.placed

    def standing(self, placed: PlacedClip) -> Collection[int]:
        """Return the frames of what stands along the slot: some may lie beyond it."""
        return ()

    def span(self, placed: PlacedClip) -> tuple[int, int]:
        """Return from which frame to which the strip reaches: the slot, and what stands beyond it."""
        frames = self.standing(placed)
        return min([placed.first, *frames]), max([placed.end, *frames])

    @property
    def left(self) -> float:
        """Where the slot begins, in pixels."""
        return EDGE + self.name_px

    def across(self, frame: float) -> float:
        """Return where a frame begins, in pixels."""
        placed = self.placed
        if placed is None:
            return self.left
        first, end = self.span(placed)
        return self.left + (frame - first) / max(end - first, 1) * (self.width() - self.left - EDGE)

    def frame_at(self, x: float) -> float:
        """Return the frame at a place."""
        placed = self.placed
        if placed is None:
            return 0.0
        first, end = self.span(placed)
        return first + (x - self.left) / max(self.width() - self.left - EDGE, 1) * (end - first)

    def reach(self) -> int:
        """Return within how many frames of a point what is dragged lands on it."""
        return max(1, round(REACH_PX * abs(self.frame_at(1.0) - self.frame_at(0.0))))

    def paint_points(self, p: QPainter, placed: PlacedClip) -> None:
        """Paint the points of the slot as lines with their signs above."""
        timeline, (first, end) = self.project.timeline, self.span(placed)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for point in timeline.on_reel():
            frame, down = timeline.frame_of_point(point), point.kind == "downbeat"
            if not first <= frame <= end:
                continue
            x = self.across(frame)
            p.setPen(QPen(colour(theme.RHYTHM, 0.75 if down else 0.4), 1.2 if down else 1))
            p.drawLine(QPointF(x, 9), QPointF(x, self.height() - 2))
            p.setPen(QPen(QColor(theme.RHYTHM), 1.2))
            p.setBrush(QColor(theme.RHYTHM) if down else Qt.BrushStyle.NoBrush)
            p.drawPolygon(QPolygonF([QPointF(x, 2), QPointF(x + 4, 6.5), QPointF(x, 11), QPointF(x - 4, 6.5)]))
        p.restore()

    def paint_playhead(self, p: QPainter) -> None:
        """Paint where the playhead stands, if within."""
        x = self.across(self.project.playhead.frame)
        if self.left <= x <= self.width() - EDGE:
            p.setPen(QPen(QColor(theme.TEXT), 1))
            p.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def next_point(self, frame: int, way: int) -> int | None:
        """Return the frame of the next point after a frame, or before it; None where there is none."""
        timeline = self.project.timeline
        frames = sorted({timeline.frame_of_point(p) for p in timeline.on_reel()})
        after = [f for f in frames if (f - frame) * way > 0]
        return (after[0] if way > 0 else after[-1]) if after else None
