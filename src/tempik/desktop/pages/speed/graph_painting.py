"""The speed graph as it is painted."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from tempik.desktop.pages.speed.graph_axes import AXIS_W, LEAST, MARKS, MOST_REPEATS, NODE_R, STRIP_H, ZERO_H, GraphAxes
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.song.wave import paint_sign
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_filling, draw_lines, paint_cue
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import TimeMap
from tempik.timeline.placed_clip import PlacedClip, clean_floor, source_at_frames


class GraphPainting:
    """Paints the curve over its ground: axis, points, what repeats, nodes, the strip below."""

    def __init__(self, axes: GraphAxes, filmstrips: Filmstrips) -> None:
        self.axes, self.project, self.filmstrips = axes, axes.project, filmstrips

    def paint(self, p: QPainter, whole: QRectF, node: int | None, before: PlacedClip | None) -> None:
        """Paint all but the playhead: with a chosen node, and another speed thin beside the clip's."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        placed = self.project.selection.placed
        box = self.axes.graph()
        p.fillRect(box, QColor(theme.SUNK))
        if placed is None or placed.footage.endless:
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(14))
            p.drawText(
                whole,
                Qt.AlignmentFlag.AlignCenter,
                "Select a clip on the timeline to shape its speed." if placed is None else "A still has no speed.",
            )
            return
        self._paint_axis(p, placed, box)
        self._paint_missing(p, placed, box)
        self._paint_points(p, placed, box)
        self._paint_source(p, placed, box)
        self._paint_curves(p, placed, box, before)
        self._paint_nodes(p, placed, box, node)
        self._paint_strip(p, placed, self.axes.strip())

    def _paint_axis(self, p: QPainter, placed: PlacedClip, box: QRectF) -> None:
        floor = clean_floor(placed.footage, self.project.reel.rate)
        made = placed.clip.interpolation or self.project.reel.interpolation
        sides = (1.0, -1.0) if self.axes.two_sided() else (1.0,)
        for sign in sides:
            p.setFont(figures(12))
            for mark in MARKS:
                y = self.axes.height_of(sign * mark)
                p.setPen(QColor(theme.LINE))
                p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
                if len(sides) > 1 and mark not in (0.25, 1.0, 4.0):
                    continue  # the halves are too low for more
                if len(sides) == 1 and mark == LEAST:
                    continue  # the zero band's own word stands there
                self._mark(p, y, f"{sign * mark * 100:.0f}" + (" %" if mark == 1.0 and sign > 0 else ""))
            self._paint_floor(p, placed, box, floor, sign, made)
            p.setFont(figures(12))
        zero = self.axes.height_of(0.0)
        p.fillRect(QRectF(box.left(), zero - ZERO_H + 1, box.width(), 2 * ZERO_H - 2), QColor(theme.GROUND))
        p.setPen(QPen(colour(theme.QUIET, 0.5), 1, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(box.left(), zero), QPointF(box.right(), zero))
        self._mark(p, zero, "still")

    def _mark(self, p: QPainter, y: float, text: str) -> None:
        p.setPen(QColor(theme.QUIET))
        where = QRectF(0, y - 9, AXIS_W - 6, 18)
        p.drawText(where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)

    def clear_of_curve(self, placed: PlacedClip, spot: QRectF) -> QRectF:
        """Return a spot at the right edge of the graph, or that across from it where the curve would go through its words."""
        box = self.axes.graph()
        across = spot.translated(box.left() + box.right() - spot.left() - spot.right(), 0)
        for each in (spot, across):
            xs = np.linspace(each.left(), each.right(), 9)
            frames = placed.first + (xs - box.left()) / box.width() * placed.frames
            heights = self.axes.heights(placed.map.speed((frames - placed.begin) / float(self.project.reel.rate)))
            if not np.any((heights > each.top() - 2) & (heights < each.bottom() + 2)):
                return each
        return spot

    def _paint_floor(self, p: QPainter, placed: PlacedClip, box: QRectF, floor: float, sign: float, made: str) -> None:
        """Shade where frames repeat, in bands by how often each shows; less where frames between are made."""
        for times in range(2, MOST_REPEATS + 1):
            high = floor / (times - 1)
            low = LEAST if times == MOST_REPEATS else floor / times
            a, b = (
                self.axes.height_of(sign * min(high, SPEED_LIMIT)),
                self.axes.height_of(sign * min(max(low, LEAST), SPEED_LIMIT)),
            )
            zone = QRectF(box.left(), min(a, b), box.width(), abs(b - a))
            if zone.height() < 1:
                continue
            strength = (0.08 + 0.05 * (times - 2)) * (1.0 if made == "nearest" else 0.35)
            p.fillRect(zone, colour(theme.WARNING, strength))
            if made == "nearest":
                p.fillRect(zone, QBrush(colour(theme.WARNING, 0.22), Qt.BrushStyle.BDiagPattern))
            if sign > 0 and zone.height() > 13:
                p.setFont(words(12))
                p.setPen(QColor(theme.TEXT) if made == "nearest" else QColor(theme.QUIET))
                more = " or more" if times == MOST_REPEATS else ""
                text = (
                    f"each frame {times}×{more}"
                    if made == "nearest"
                    else f"{times - 1} of {times} made by {made}{more}"
                )
                wide = p.fontMetrics().horizontalAdvance(text)
                # Lines of the axis would strike it through.
                under = self.clear_of_curve(
                    placed, QRectF(zone.right() - 12 - wide, zone.center().y() - 7, wide + 8, 14)
                )
                p.fillRect(under, colour(theme.SUNK, 0.8))
                p.drawText(under, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_missing(self, p: QPainter, placed: PlacedClip, box: QRectF) -> None:
        """Hatch where the clip asks for footage that there is not."""
        if not placed.short_before_s and not placed.short_after_s:
            return
        frames = np.arange(placed.first, placed.end, dtype=np.float64)
        source = source_at_frames(placed, frames, self.project.reel.rate)
        width = box.width() / max(placed.frames, 1)
        for frame in frames[(source < -1e-3) | (source >= placed.footage.length_s + 1e-3)].tolist():
            spot = QRectF(self.axes.x(placed, frame, box), box.top(), width + 0.5, box.height())
            p.fillRect(spot, QBrush(colour(theme.WARNING_TEXT, 0.5), Qt.BrushStyle.FDiagPattern))

    def _paint_points(self, p: QPainter, placed: PlacedClip, box: QRectF) -> None:
        timeline = self.project.timeline
        frames = [(timeline.frame_of_point(point), point) for point in timeline.on_reel()]
        under = [(self.axes.x(placed, f, box), point) for f, point in frames if placed.first <= f <= placed.end]
        alphas = [0.2 + 0.4 * point.strength for _, point in under]
        draw_lines(p, box, [x for x, _ in under], alphas, QColor(theme.RHYTHM))
        for x, point in under:
            paint_sign(p, x, 8, point, 5)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)

    def _paint_source(self, p: QPainter, placed: PlacedClip, box: QRectF) -> None:
        """The second trace: where in the stretch of footage used the clip is, from its earliest instant to its latest."""
        frames = np.linspace(placed.first, placed.end, max(2, int(box.width() / 8)))
        source = placed.map.source((frames - placed.begin) / float(self.project.reel.rate))
        low, high = float(source.min()), float(source.max())
        if high - low < 1e-9:
            return
        xs = box.left() + (frames - placed.first) / max(placed.frames, 1) * box.width()
        ys = box.bottom() - 4 - (source - low) / (high - low) * (box.height() - 8)
        p.setPen(QPen(colour(theme.PULSE, 0.75), 1.2, Qt.PenStyle.DashDotLine))
        p.drawPolyline([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])

    def _paint_curves(self, p: QPainter, placed: PlacedClip, box: QRectF, before: PlacedClip | None) -> None:
        if before is not None:
            self._paint_curve(p, before, before.map, box, QPen(colour(theme.QUIET, 0.9), 1.4, Qt.PenStyle.DashLine))
        if placed.shape is not None:
            chosen = TimeMap(placed.shape, placed.map.length_s)
            self._paint_curve(p, placed, chosen, box, QPen(colour(theme.SPEED, 0.6), 1.4, Qt.PenStyle.DotLine))
        self._paint_curve(p, placed, placed.map, box, QPen(QColor(theme.SPEED), 2.4))

    def _paint_curve(self, p: QPainter, placed: PlacedClip, time_map: TimeMap, box: QRectF, pen: QPen) -> None:
        rate = float(self.project.reel.rate)
        edges = {placed.begin + n.at * (placed.until - placed.begin) for n in placed.curve.nodes}
        # A jump is drawn upright: instants just before and after every node besides those evenly spaced.
        frames = np.linspace(placed.first, placed.end, max(2, int(box.width() / 4)))
        near = [f + d for f in edges for d in (-1e-4, 1e-4) if placed.first < f < placed.end]
        frames = np.sort(np.concatenate([frames, near]))
        speeds = time_map.speed((frames - placed.begin) / rate)
        xs = box.left() + (frames - placed.first) / max(placed.frames, 1) * box.width()
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline([QPointF(x, y) for x, y in zip(xs.tolist(), self.axes.heights(speeds).tolist(), strict=True)])

    def _paint_nodes(self, p: QPainter, placed: PlacedClip, box: QRectF, node: int | None) -> None:
        for tie in placed.ties:
            x = self.axes.x(placed, tie.frame, box)
            p.setPen(QPen(QColor(theme.CUE), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            paint_cue(p, x, box.bottom())
        spots = self.axes.spots(placed)
        if node is not None and node < len(spots):
            for end in self.axes.whiskers(placed, node).values():
                p.setPen(QPen(QColor(theme.TEXT), 1.4))
                p.drawLine(spots[node], end)
                p.setBrush(QColor(theme.SUNK))
                p.drawEllipse(end, 4, 4)
        for number, spot in enumerate(spots):
            if not box.adjusted(-1, -30, 1, 30).contains(spot):
                continue
            p.setPen(QPen(QColor(theme.GROUND), 1.5))
            p.setBrush(QColor(theme.TEXT if number == node else theme.SPEED))
            if number < len(placed.chosen.nodes) and placed.chosen.nodes[number].hold:
                p.drawRect(QRectF(spot.x() - 5, spot.y() - 5, 10, 10))
            else:
                p.drawEllipse(spot, NODE_R, NODE_R)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_strip(self, p: QPainter, placed: PlacedClip, box: QRectF) -> None:
        """What is on screen at each moment, live while the curve is dragged, and the marked stretch."""
        p.fillRect(box, QColor("#000000"))
        reel = self.project.reel
        tile = max(20.0, box.height() * reel.width / reel.height)
        count = max(1, round(box.width() / tile))
        tile = box.width() / count
        frames = np.floor(placed.first + (np.arange(count) + 0.5) / count * placed.frames)
        sources = source_at_frames(placed, frames, reel.rate)
        for i, source in enumerate(sources.tolist()):
            picture = self.filmstrips.at(placed.footage.path, source)
            if picture is not None:
                draw_filling(p, QRectF(box.left() + i * tile, box.top(), tile - 1.5, box.height()), picture)
        if self.axes.marked is not None and self.axes.marked[0] < placed.end and self.axes.marked[1] > placed.first:
            a, b = (min(max(self.axes.x(placed, f, box), box.left()), box.right()) for f in self.axes.marked)
            p.fillRect(QRectF(a, box.top(), b - a, box.height()), colour(theme.SPEED, 0.28))
            p.setPen(QPen(QColor(theme.SPEED), 2))
            for x in (a, b):
                p.drawLine(QPointF(x, self.axes.graph().top()), QPointF(x, box.bottom()))

    def paint_playhead(self, p: QPainter, placed: PlacedClip) -> None:
        """Paint where the playhead stands."""
        box = self.axes.graph()
        x = self.axes.x(placed, self.project.playhead.frame, box)
        if box.left() <= x <= box.right():
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.2))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom() + 8 + STRIP_H))
