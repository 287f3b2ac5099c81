"""The frames about a cut: those of the clip before above, those of the clip after below, each as far as the transition shows them,
and the turn between them. The ends of the transition are dragged."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_filling, paint_sunk
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import PlacedTransition, progress_at

SPARE = 3  # frames shown beyond either end of the transition
HEAD_H, FOOT_H, GAP = 4, 17, 3
REACH_PX = 7
LEAST_CELL_PX = 26


class CutStrip(QWidget):
    """`dragged` carries how many frames the transition has before and after its edge, `settled` ends the drag, `went` the frame
    that was clicked."""

    dragged = Signal(int, int)
    settled = Signal()
    went = Signal(int)

    def __init__(self, filmstrips: Filmstrips) -> None:
        super().__init__()
        self.filmstrips = filmstrips
        self.timeline: Timeline | None = None
        self.placed_transition: PlacedTransition | None = None
        self.sides: tuple[PlacedClip | None, PlacedClip | None] = (None, None)
        self.turn = 0
        self.playhead = 0
        self._held = ""
        self._view = (0, 1)
        self.setMouseTracking(True)
        self.setMinimumSize(QSize(150, 76))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Frames about the cut; the length of the transition can be typed beside it")
        self.setToolTip(
            "The clip before above, the clip after below. Drag the ends of the transition; click a frame to see it"
        )

    def show_cut(
        self,
        timeline: Timeline,
        placed_transition: PlacedTransition | None,
        sides: tuple[PlacedClip | None, PlacedClip | None],
        turn: int,
        playhead: int,
    ) -> None:
        """Show another cut, with its transition or without."""
        self.timeline, self.placed_transition, self.sides, self.turn, self.playhead = (
            timeline,
            placed_transition,
            sides,
            turn,
            playhead,
        )
        if not self._held:
            first, end = (
                (placed_transition.begin, placed_transition.end)
                if placed_transition is not None
                else (turn - 4, turn + 4)
            )
            self._view = (first - SPARE, end + SPARE)
        self.update()

    def show_playhead(self, frame: int) -> None:
        """Mark another frame as the one that is shown; nothing is painted while it is out of view."""
        was, self.playhead = self.playhead, frame
        first, end = self._view
        if was != frame and (first <= was < end or first <= frame < end):
            self.update()

    def across(self, frame: float) -> float:
        """Return where a frame begins."""
        first, end = self._view
        return (frame - first) / (end - first) * self.width()

    def frame(self, x: float) -> float:
        """Return the reel's frame at an x, with its share."""
        first, end = self._view
        return first + x / max(self.width(), 1) * (end - first)

    def _rows(self) -> tuple[QRectF, QRectF]:
        height_px = (self.height() - HEAD_H - FOOT_H - GAP) / 2
        return (
            QRectF(0, HEAD_H, self.width(), height_px),
            QRectF(0, HEAD_H + height_px + GAP, self.width(), height_px),
        )

    @painted
    def paintEvent(self, p: QPainter) -> None:
        paint_sunk(p, self)
        timeline = self.timeline
        if timeline is None or self.sides == (None, None):
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(13))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No cut here: a cut is where two clips meet.")
            return
        placed_transition, (first, end) = self.placed_transition, self._view
        out_end = max(self.turn, placed_transition.end if placed_transition is not None else self.turn)
        in_begin = min(self.turn, placed_transition.begin if placed_transition is not None else self.turn)
        for placed, box, begin, until, after in (
            (self.sides[0], self._rows()[0], first, out_end, True),
            (self.sides[1], self._rows()[1], in_begin, end, False),
        ):
            self._paint_film(p, placed, box, begin, until, after)
        self._paint_course(p)
        self._paint_marks(p)

    def _paint_film(self, p: QPainter, placed: PlacedClip | None, box: QRectF, begin: int, end: int, out: bool) -> None:
        timeline = self.timeline
        assert timeline is not None
        if placed is None:
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(12))
            left, right = self.across(begin), self.across(end)
            p.drawText(QRectF(left, box.top(), right - left, box.height()), Qt.AlignmentFlag.AlignCenter, "nothing")
            return
        frames = range(begin, end)
        sources = source_at_frames(placed, [float(f) for f in frames], timeline.rate)
        cell = self.across(1) - self.across(0)
        every = max(1, -(-LEAST_CELL_PX // max(int(cell), 1)))
        p.setPen(Qt.PenStyle.NoPen)
        for number, (frame, source) in enumerate(zip(frames, sources.tolist(), strict=True)):
            spot = QRectF(self.across(frame), box.top(), cell + 0.5, box.height())
            if number % every == 0:
                wide = QRectF(spot.left(), box.top(), min(cell * every, self.across(end) - spot.left()), box.height())
                picture = self.filmstrips.at(placed.footage.path, source)
                if placed.footage.without_file:
                    p.fillRect(wide, QColor(placed.footage.path if placed.footage.kind == "solid" else theme.SUNK))
                elif picture is not None:
                    draw_filling(p, wide.adjusted(0, 0, -1, 0), picture)
            beyond = frame >= self.turn if out else frame < self.turn
            if beyond and not placed.footage.endless and placed.clip.beyond != "loop":
                gone = source >= placed.footage.length_s or source < 0
                if gone:
                    p.fillRect(spot, QBrush(colour(theme.WARNING_TEXT, 0.9), Qt.BrushStyle.BDiagPattern))
        if self.placed_transition is not None and self.placed_transition.kind is not None:
            for frame in frames:  # how much of it is seen: what is gone, or not there yet, is dark
                progress = progress_at(self.placed_transition, frame + 0.5)
                hidden = progress if out else 1 - progress
                spot = QRectF(self.across(frame), box.top(), cell + 0.5, box.height())
                p.fillRect(spot, colour(theme.SUNK, 0.75 * min(max(hidden, 0.0), 1.0)))

    def _paint_course(self, p: QPainter) -> None:
        """The transition as a bar between the films."""
        if self.placed_transition is None:
            return
        top = self._rows()[0].bottom() - 1
        left, right = self.across(self.placed_transition.begin), self.across(self.placed_transition.end)
        p.fillRect(QRectF(left, top, right - left, GAP + 2), colour(theme.TEXT, 0.85))
        for x in (left, right):
            p.setPen(QPen(QColor(theme.GROUND), 1))
            p.setBrush(QColor(theme.TEXT))
            p.drawRect(QRectF(x - 3, top - 6, 6, GAP + 14))

    def _paint_marks(self, p: QPainter) -> None:
        timeline = self.timeline
        assert timeline is not None
        first, end = self._view
        x = self.across(self.turn)
        p.setPen(QPen(QColor(theme.RHYTHM), 1.6))
        p.drawLine(QPointF(x, 0), QPointF(x, self.height() - FOOT_H))
        p.setBrush(QColor(theme.RHYTHM))
        point = timeline.point_at(self.turn)
        if point is not None:
            p.setPen(Qt.PenStyle.NoPen)
            p.drawPolygon(QPolygonF([QPointF(x, 0), QPointF(x + 4, 4), QPointF(x, 8), QPointF(x - 4, 4)]))
        p.setFont(figures(12))
        cell = self.across(1) - self.across(0)
        step = next((s for s in (1, 2, 5, 10, 20, 50) if s * cell >= 34), 100)
        for frame in range(first, end):
            offset = frame - self.turn
            if offset % step == 0:
                p.setPen(QColor(theme.RHYTHM if offset == 0 else theme.QUIET))
                at = QRectF(self.across(frame), self.height() - FOOT_H, max(cell, 34), FOOT_H)
                p.drawText(at.adjusted(2, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, f"{offset:+d}" if offset else "turn")
        if first <= self.playhead < end:
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.across(self.playhead), 1, cell, self.height() - FOOT_H - 1))

    def _near(self, pos: QPointF) -> str:
        if self.placed_transition is None:
            return ""
        far = {
            "first": abs(self.across(self.placed_transition.begin) - pos.x()),
            "last": abs(self.across(self.placed_transition.end) - pos.x()),
        }
        name = min(far, key=lambda k: far[k])
        return name if far[name] <= REACH_PX else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.timeline is not None:
            self._held = self._near(event.position())
            if not self._held:
                self.went.emit(min(max(int(self.frame(event.position().x())), 0), self.timeline.frames - 1))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if not self._held or self.placed_transition is None:
            self.setCursor(Qt.CursorShape.SplitHCursor if self._near(pos) else Qt.CursorShape.ArrowCursor)
            return
        at = round(self.frame(pos.x()))
        before, after = self.turn - self.placed_transition.begin, self.placed_transition.end - self.turn
        if self._held == "first":
            before = max(self.turn - at, 0)
        else:
            after = max(at - self.turn, 0)
        if before + after >= 1:
            self.dragged.emit(before, after)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = ""
            self.settled.emit()
