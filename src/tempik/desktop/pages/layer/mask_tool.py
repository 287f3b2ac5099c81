"""Masks in the preview: moved, drawn larger by their handles, turned, their corners dragged; polygons drawn click by click."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.preview.box_tool import BoxTool
from tempik.desktop.preview.mode import NO_KEYS, Keys, straight
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.edit.clips import masks
from tempik.edit.footage import cutting_out
from tempik.errors import TempikError
from tempik.reel import Mask, Reel, Stroke, by_id
from tempik.reel.mask import MASK_SETTINGS
from tempik.render.under import mask_outline
from tempik.timeline.extents import holds, to_frame
from tempik.timeline.masking import shapes_at
from tempik.timeline.placed_clip import PlacedClip, source_at_frames

REACH = 0.03  # of the frame's width: how near to a handle a press takes it
SIDES = {"left": (-1, 0), "right": (1, 0), "top": (0, -1), "bottom": (0, 1)}
LEAST = 0.01
TURN_OUT = 0.06  # the handle that turns stands so far over the mask, in shares of the picture's height

Matrix = NDArray[np.float64]


class MaskTool:
    """Takes the preview's drags while the Layer page is open. `chosen` tells which mask is worked on."""

    def __init__(
        self, project: Project, chosen: Callable[[], str], choose: Callable[[str], None], stroked: Callable[[], None]
    ) -> None:
        self.project, self.chosen, self.choose, self.stroked = project, chosen, choose, stroked
        self.gesture = Gesture(project)
        self.box = BoxTool(project)  # takes what no mask does
        self._boxed = False
        self._on_mask = False  # the last press took hold of a mask: the arrows move it
        self._drawn = ""  # the mask that a drag has made
        self.shape = ""  # of the mask that the next drag draws
        self.drawing: list[tuple[float, float]] | None = None  # of a polygon, shares of the picture
        self.picking: Callable[[float, float], None] | None = None  # takes the next click
        self.brush: bool | None = None  # strokes that keep, or drop; None draws no strokes
        self.strokes: list[Stroke] = []  # drawn and not cut yet
        self._line: list[tuple[float, float]] = []
        self._repaint: Callable[[], None] = lambda: None
        self._grip = ""
        self._from: Mask | None = None
        self._at = QPointF()

    def shown_on(self, repaint: Callable[[], None]) -> None:
        self._repaint = repaint
        self.box.shown_on(repaint)

    def repaint(self) -> None:
        """Paint what is set here anew: another mask is chosen, or a brush taken."""
        self._repaint()

    @property
    def taken(self) -> str:
        """Which tool of the strip drags and clicks are for."""
        if self.drawing is not None:
            return "polygon"
        if self.brush is not None:
            return "keep" if self.brush else "drop"
        return "colour" if self.picking is not None else self.shape or "layers"

    def take_shape(self, kind: str) -> None:
        """Let the next drag draw a mask."""
        self.let_go()
        self.shape = kind

    def begin_polygon(self) -> None:
        """Take clicks as the corners of a new mask."""
        self.let_go()
        self.drawing = []

    def take_click(self, act: Callable[[float, float], None]) -> None:
        """Hand the next click over, in shares of the frame."""
        self.let_go()
        self.picking = act

    def let_go(self) -> None:
        """Wait for nothing more."""
        self.drawing = self.picking = self.brush = None
        self.shape = ""

    def take_brush(self, keep: bool | None) -> None:
        """Take drags as strokes over the subject, over what is not it, or no more."""
        self.let_go()
        self.brush = keep

    def forget_strokes(self) -> None:
        """Let go of strokes that were not cut out by yet."""
        self.strokes = []

    # What is where

    def _placed(self) -> PlacedClip | None:
        return self.project.selection.placed

    def _to_frame(self, placed: PlacedClip) -> Matrix:
        return to_frame(self.project.timeline, placed, self.project.playhead.frame)

    def _standing(self, placed: PlacedClip) -> dict[str, Mask]:
        return {m.id: m for m in shapes_at(self.project.timeline, placed, self.project.playhead.frame)}

    def _outline(self, placed: PlacedClip, mask: Mask, to: Matrix) -> NDArray[np.float64]:
        """Return a mask's outline in shares of the frame, shape (n, 2)."""
        points = mask_outline(self.project.reel, placed.footage, mask)
        return np.asarray(np.c_[points, np.ones(len(points))] @ to[:2].T) if len(points) else np.zeros((0, 2))

    def _handles(self, placed: PlacedClip, mask: Mask) -> dict[str, tuple[float, float]]:
        """Return where a mask's handles stand in its picture, in shares of it."""
        reel, footage = self.project.reel, placed.footage
        shape = reel.width / reel.height if footage.as_frame else footage.width / footage.height
        c, s = math.cos(math.radians(mask.turn_deg)), math.sin(math.radians(mask.turn_deg))

        def at(across: float, down: float) -> tuple[float, float]:  # from the middle, in heights of the picture
            return mask.x + (c * across - s * down) / shape, mask.y + s * across + c * down

        half_w, half_h = mask.width * shape / 2, mask.height / 2
        out = {name: at(x * half_w, y * half_h) for name, (x, y) in SIDES.items()}
        out["turn"] = at(0.0, -half_h - TURN_OUT)
        out["feather"] = at(0.0, half_h + TURN_OUT + mask.feather * shape)
        if mask.kind == "rectangle":
            rounded = mask.corner * min(half_w, half_h)
            out["round"] = at(rounded - half_w, rounded - half_h)
        if mask.kind == "polygon":
            out |= {f"corner {n}": at(x * mask.width * shape, y * mask.height) for n, (x, y) in enumerate(mask.points)}
        return out

    # Gestures

    def cursor(self, at: QPointF, keys: Keys = NO_KEYS) -> Qt.CursorShape:
        if self.taken != "layers":
            return Qt.CursorShape.CrossCursor
        grip, _ = self._taken(at)
        if not grip:
            return self.box.cursor(at, keys)
        return Qt.CursorShape.SizeAllCursor if grip == "whole" else Qt.CursorShape.PointingHandCursor

    def offer(self, at: QPointF) -> None:
        self.box.offer(at)

    def press(self, at: QPointF, keys: Keys = NO_KEYS) -> None:
        placed = self._placed()
        self._grip, self._from, self._at, self._boxed = "", None, at, False
        if placed is None:
            self._boxed = True
            self.box.press(at, keys)
            return
        if self.picking is not None:
            act, self.picking = self.picking, None
            act(at.x(), at.y())
            return
        if self.brush is not None:
            self._line = [(at.x(), at.y())]
            return
        if self.shape:
            self._grip = "new"
            return
        to = self._to_frame(placed)
        inside = np.linalg.inv(to) @ [at.x(), at.y(), 1.0]
        if self.drawing is not None:
            self.drawing.append((float(inside[0]), float(inside[1])))
            return
        self._grip, self._from = self._taken(at)
        self._on_mask = self._from is not None
        if self._from is None:
            self._boxed = True
            self.box.press(at, keys)
        elif self._grip == "whole":
            self.choose(self._from.id)

    def _taken(self, at: QPointF) -> tuple[str, Mask | None]:
        """Return what of which mask a press takes hold of."""
        placed = self._placed()
        if placed is None or not placed.first <= self.project.playhead.frame < placed.end:
            return "", None
        to, standing = self._to_frame(placed), self._standing(placed)
        mask = standing.get(self.chosen())
        if mask is not None:
            near = [(self._away(to, place, at), name) for name, place in self._handles(placed, mask).items()]
            away, name = min(near)
            if away <= REACH:
                return name, mask
        found = (m for m in reversed(list(standing.values())) if holds(self._outline(placed, m, to), at.x(), at.y()))
        mask = next(found, None)
        return ("whole", mask) if mask is not None else ("", None)

    def _away(self, to: Matrix, place: tuple[float, float], at: QPointF) -> float:
        seen = to @ [*place, 1.0]
        return math.hypot(seen[0] - at.x(), (seen[1] - at.y()) * self.project.timeline.height_ratio)

    def drag(self, by: QPointF, keys: Keys = NO_KEYS) -> None:
        if self._boxed:
            self.box.drag(by, keys)
            return
        if self._grip != "new":
            by = straight(by, self.project.timeline.height_ratio, keys)
        if self._line:
            self._line.append((self._at.x() + by.x(), self._at.y() + by.y()))
            return
        placed, mask = self._placed(), self._from
        if self._grip == "new" and placed is not None:
            self._draw_shape(placed, by, keys)
        if placed is None or mask is None or not self._grip:
            return
        back = np.linalg.inv(self._to_frame(placed))
        begin, now = (back @ [p.x(), p.y(), 1.0] for p in (self._at, self._at + by))
        fields = self._changed(placed, mask, (float(begin[0]), float(begin[1])), (float(now[0]), float(now[1])))
        clip, frame, name = placed.clip.id, self.project.playhead.frame, mask.id
        self.gesture.show(lambda reel: masks.with_mask_fields(reel, clip, name, fields, frame))

    def _draw_shape(self, placed: PlacedClip, by: QPointF, keys: Keys) -> None:
        """A new mask from where the press was to where the pointer is."""
        height_ratio = self.project.timeline.height_ratio
        if keys & Qt.KeyboardModifier.ShiftModifier:
            side = max(abs(by.x()), abs(by.y()) * height_ratio)
            by = QPointF(math.copysign(side, by.x()), math.copysign(side / height_ratio, by.y()))
        begin = self._at - by if keys & Qt.KeyboardModifier.ControlModifier else self._at
        back = np.linalg.inv(self._to_frame(placed))
        a, b = (back @ [p.x(), p.y(), 1.0] for p in (begin, self._at + by))
        width, height = abs(float(b[0] - a[0])), abs(float(b[1] - a[1]))
        if width < LEAST or height < LEAST:
            return
        middle = (a + b) / 2
        fields = {"x": float(middle[0]), "y": float(middle[1]), "width": width, "height": height}
        clip, frame, kind = placed.clip.id, self.project.playhead.frame, self.shape

        def edit(reel: Reel) -> Reel:
            made, self._drawn = masks.with_mask(reel, clip, kind)
            return masks.with_mask_fields(made, clip, self._drawn, fields, frame)

        self.gesture.show(edit)

    def _changed(
        self, placed: PlacedClip, mask: Mask, begin: tuple[float, float], now: tuple[float, float]
    ) -> dict[str, object]:
        dx, dy = now[0] - begin[0], now[1] - begin[1]
        if self._grip == "whole":
            return {"x": mask.x + dx, "y": mask.y + dy}
        reel, footage = self.project.reel, placed.footage
        shape = reel.width / reel.height if footage.as_frame else footage.width / footage.height
        c, s = math.cos(math.radians(mask.turn_deg)), math.sin(math.radians(mask.turn_deg))
        across, down = (now[0] - mask.x) * shape, now[1] - mask.y
        # The pointer from the mask's middle, along the mask's own sides.
        along, under = c * across + s * down, -s * across + c * down
        if self._grip == "turn":
            return {"turn_deg": math.degrees(math.atan2(across, -down))}
        half_w, half_h = mask.width * shape / 2, mask.height / 2
        if self._grip == "feather":
            return {"feather": _kept("feather", (under - half_h - TURN_OUT) / shape)}
        if self._grip == "round":
            return {"corner": _kept("corner", (along + half_w + under + half_h) / 2 / max(min(half_w, half_h), 1e-6))}
        if self._grip.startswith("corner"):
            number = int(self._grip.split()[1])
            points = list(mask.points)
            points[number] = (round(along / max(mask.width * shape, 1e-6), 5), round(under / max(mask.height, 1e-6), 5))
            return {"points": tuple(points)}
        if self._grip in ("left", "right"):
            return {"width": max(2 * abs(along) / shape, LEAST)}
        return {"height": max(2 * abs(under), LEAST)}

    def zoom_by(self, factor: float) -> None:
        """Make the chosen mask larger, or smaller."""
        placed = self._placed()
        mask = self._standing(placed).get(self.chosen()) if placed is not None else None
        if placed is None or mask is None:
            self.box.zoom_by(factor)
            return
        fields = {"width": max(mask.width * factor, LEAST), "height": max(mask.height * factor, LEAST)}
        clip, frame, name = placed.clip.id, self.project.playhead.frame, mask.id
        self.gesture.show(lambda reel: masks.with_mask_fields(reel, clip, name, fields, frame))
        self.gesture.settle("Mask larger" if factor > 1 else "Mask smaller")

    def centre(self) -> None:
        """Close the polygon that is drawn."""
        placed, points = self._placed(), self.drawing
        if points is None and self._boxed:
            self.box.centre()
        if placed is None or points is None:
            return
        self.drawing = None
        if len(points) > 3 and math.dist(points[-1], points[-2]) < 0.02:
            points = points[:-1]  # the second press of the double click
        made: list[str] = []
        clip = placed.clip.id

        def edit(reel: Reel) -> Reel:
            out, name = masks.with_mask(reel, clip, "polygon", points)
            made.append(name)
            return out

        if self.project.change("Mask drawn", edit):
            self.choose(made[-1])

    def settle(self) -> None:
        if self._boxed:
            self._boxed = False
            self.box.settle()
            return
        line, self._line = self._line, []
        placed = self._placed()
        if line and self.brush is not None and placed is not None:
            timeline, frame = self.project.timeline, self.project.playhead.frame
            try:
                self.strokes.append(cutting_out.stroke_at(timeline, placed, frame, line, self.brush))
            except TempikError as error:
                self.project.messages.say(str(error), True)
            self.stroked()
            return
        if self._grip == "new":
            drawn, self._drawn = self._drawn, ""
            if drawn:
                self.shape = ""
                self.gesture.settle("Mask drawn")
                self.choose(drawn)
            return
        self.gesture.settle("Mask changed")

    def nudge(self, across: int, down: int) -> bool:
        """Move the mask that was taken hold of last by pixels of the reel; False where none was."""
        placed, reel = self.box.placed(), self.project.reel
        mask = self._standing(placed).get(self.chosen()) if placed is not None else None
        if placed is None or mask is None or not self._on_mask:
            return False
        by = np.linalg.inv(self._to_frame(placed))[:2, :2] @ [across / reel.width, down / reel.height]
        fields = {"x": mask.x + float(by[0]), "y": mask.y + float(by[1])}
        clip, frame, name = placed.clip.id, self.project.playhead.frame, mask.id
        return self.project.change("Mask nudged", lambda r: masks.with_mask_fields(r, clip, name, fields, frame))

    # Painting

    def paint(self, p: QPainter, box: QRectF) -> None:
        self.box.paint(p, box)
        placed = self._placed()
        if placed is None or not placed.first <= self.project.playhead.frame < placed.end:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        to = self._to_frame(placed)

        def seen(x: float, y: float) -> QPointF:
            return QPointF(box.left() + x * box.width(), box.top() + y * box.height())

        chosen = self.chosen()
        for mask in self._standing(placed).values():
            line = QPolygonF([seen(float(x), float(y)) for x, y in self._outline(placed, mask, to)])
            own = mask.id == chosen
            for pen in (
                QPen(QColor(0, 0, 0, 150), 3),
                QPen(QColor(theme.TEXT), 1.4, Qt.PenStyle.SolidLine if own else Qt.PenStyle.DotLine),
            ):
                p.setPen(pen)
                p.drawPolygon(line)
            if own:
                self._paint_handles(
                    p, [(name, seen(*(to @ [*at, 1.0])[:2])) for name, at in self._handles(placed, mask).items()]
                )
        self._paint_strokes(p, box, placed, to)
        if self.drawing:
            corners = [seen(*(to @ [*q, 1.0])[:2]) for q in self.drawing]
            p.setPen(QPen(QColor(theme.RHYTHM), 1.6))
            p.drawPolyline(QPolygonF(corners))
            self._paint_handles(p, [("", q) for q in corners])

    def _paint_strokes(self, p: QPainter, box: QRectF, placed: PlacedClip, to: Matrix) -> None:
        """Strokes on the frame that is shown: what is kept light, what is dropped dark."""
        if self.brush is None and not self.strokes:
            return
        old = by_id(placed.footage.cutouts, placed.clip.cutout)
        timeline, frame = self.project.timeline, self.project.playhead.frame
        now, after = (float(s) for s in source_at_frames(placed, [frame, frame + 1.0], timeline.rate))
        near = abs(after - now) / 2 + 1e-3
        here = [s for s in (*(old.strokes if old else ()), *self.strokes) if abs(s.time_s - now) <= near]
        lines = [(s.keep, [to[:2] @ [*q, 1.0] for q in s.points]) for s in here]
        if self._line and self.brush is not None:
            lines.append((self.brush, [np.array(q) for q in self._line]))
        for keep, points in lines:
            places = [QPointF(box.left() + q[0] * box.width(), box.top() + q[1] * box.height()) for q in points]
            broad = QPen(colour(theme.TEXT if keep else theme.GROUND, 0.75), max(3.0, 0.03 * box.width()))
            broad.setCapStyle(Qt.PenCapStyle.RoundCap)
            broad.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            for pen in (broad, QPen(QColor(theme.RHYTHM if keep else theme.WARNING_TEXT), 1.4)):
                p.setPen(pen)
                p.drawPolyline(QPolygonF(places))

    def _paint_handles(self, p: QPainter, handles: list[tuple[str, QPointF]]) -> None:
        for name, at in handles:
            p.setPen(QPen(QColor(theme.GROUND), 1))
            p.setBrush(QColor(theme.RHYTHM if name.startswith(("corner", "turn")) else theme.TEXT))
            if name in ("turn", "round"):
                p.drawEllipse(at, 5, 5)
            elif name == "feather":  # soft, as what it sets
                p.setBrush(colour(theme.TEXT, 0.35))
                p.setPen(QPen(QColor(theme.TEXT), 1, Qt.PenStyle.DotLine))
                p.drawEllipse(at, 7, 7)
            else:
                p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
        p.setBrush(Qt.BrushStyle.NoBrush)


def _kept(name: str, share: float) -> float:
    """Return a share within a setting's bounds."""
    return round(MASK_SETTINGS[name].clamped(share), 4)


class MaskKeys:
    """The arrows are for the mask that was taken hold of last, else for the layer; typed numbers are the layer's."""

    def __init__(self, tool: MaskTool) -> None:
        self.tool = tool

    def placed(self) -> PlacedClip | None:
        """Return the selected clip where it is on screen."""
        return self.tool.box.placed()

    def nudge(self, across: int, down: int) -> bool:
        """Move what the arrows are for by pixels of the reel."""
        return self.tool.nudge(across, down) or self.tool.box.nudge(across, down)

    def numbers(self) -> str:
        """Return where the layer stands."""
        return self.tool.box.numbers()

    def set_numbers(self, text: str) -> bool:
        """Set where the layer stands."""
        return self.tool.box.set_numbers(text)
