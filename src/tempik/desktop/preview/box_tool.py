"""The box about the selected layer in the preview: a click selects what lies under the pointer; the layer is moved, scaled at its
corners, turned outside them, cropped at its sides, nudged by arrows and set by typed numbers."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QCursor, QPainter, QPen
from PySide6.QtWidgets import QMenu

from tempik.desktop.preview.box_painting import paint_lines, paint_numbers, polygon
from tempik.desktop.preview.grips import is_cropped, keeps_subject, middles
from tempik.desktop.preview.mode import NO_KEYS, Keys, straight
from tempik.desktop.preview.placing import Placing
from tempik.desktop.preview.snapping import REACH, Lines, around, caught, lines_with, snapped
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.theme import colour
from tempik.reel import Position
from tempik.render.under import clips_under
from tempik.timeline.extents import corners_of, holds, to_frame
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.repeats import source_of

Corners = NDArray[np.float64]
CLICK_PX, GRIP_PX, TURN_PX = 4.0, 10.0, 30.0
INSET_PX = 7.0  # corners beyond the frame are taken hold of so far inside it
SIDES = ("left", "top", "right", "bottom")
ZOOMS = (0.05, 20.0)
QUARTER_DEG = 2.0  # a turn so near to a quarter is one
SHIFT, ALT, CTRL = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
)
DONE = {"move": "placed", "corner": "scaled", "turn": "turned", "side": "cropped"}


class BoxTool:
    """Takes the preview's drags wherever no tool of a page's own does. `at_end` says whether the end of a clip's way is set, `below`
    paints under the box."""

    def __init__(
        self,
        project: Project,
        at_end: Callable[[], bool] = lambda: False,
        below: Callable[[QPainter, QRectF], None] | None = None,
    ) -> None:
        self.project = project
        self.placing = Placing(project, at_end)
        self.picking: Callable[[float, float], None] | None = None  # takes the next click
        self._below = below
        self._repaint: Callable[[], None] = lambda: None
        self._size = np.array(
            [270.0, 270.0 * project.reel.height / project.reel.width]
        )  # of the frame, in pixels of the screen
        self._grip, self._last = "", "move"
        self._at, self._moved = QPointF(), False
        self._corners: Corners = np.zeros((4, 2))
        self._stood = Position()
        self._next: str | None = None  # the layer below, for a click that moves nothing
        self._before: str | None = None  # selected before the last click
        self._others: tuple[Lines, Lines] = lines_with(())
        self._lit: tuple[float | None, float | None] = (None, None)
        self._hovered: str | None = None
        self._menu: QMenu | None = None

    def shown_on(self, repaint: Callable[[], None]) -> None:
        self._repaint = repaint

    # What is where

    def placed(self) -> PlacedClip | None:
        """Return the selected clip where it is on screen."""
        placed, frame = self.project.selection.placed, self.project.playhead.frame
        if placed is None or not placed.first <= frame < placed.end:
            return None
        return placed if self.project.timeline.shows(placed, frame) else None

    def _corners_of(self, placed: PlacedClip) -> Corners:
        return corners_of(self.project.timeline, placed, self.project.playhead.frame)

    def _grips(self, corners: Corners) -> Corners:
        """Return where corners are taken hold of, in pixels: those beyond the frame, on its edge."""
        return np.asarray(np.clip(corners * self._size, INSET_PX, self._size - INSET_PX))

    def grip_at(self, at: QPointF) -> str:
        """Return what of the selected layer lies under a place: `corner 0` … `corner 3`, `turn`, `side left` …, `move`, or nothing."""
        placed = self.placed()
        if placed is None:
            return ""
        corners, pointer = self._corners_of(placed), np.array([at.x(), at.y()]) * self._size
        away = np.hypot(*(self._grips(corners) - pointer).T)
        nearest = int(np.argmin(away))
        if away[nearest] <= GRIP_PX:
            return f"corner {nearest}"
        if is_cropped(placed):
            aside = np.hypot(*(self._grips(middles(corners)) - pointer).T)
            side = int(np.argmin(aside))
            if aside[side] <= GRIP_PX:
                return f"side {SIDES[side]}"
        if holds(corners, at.x(), at.y()):
            return "move"
        return "turn" if away[nearest] <= TURN_PX else ""

    def cursor(self, at: QPointF, keys: Keys = NO_KEYS) -> Qt.CursorShape:
        grip = self.grip_at(at)
        self._hover(at if not grip else None)
        if grip.startswith("corner"):
            placed = self.placed()
            away = (
                self._corners_of(placed)[int(grip[-1])] - self._corners_of(placed).mean(axis=0)
                if placed
                else np.ones(2)
            )
            return Qt.CursorShape.SizeFDiagCursor if away[0] * away[1] > 0 else Qt.CursorShape.SizeBDiagCursor
        if grip.startswith("side"):
            return Qt.CursorShape.SplitHCursor if grip.endswith(("left", "right")) else Qt.CursorShape.SplitVCursor
        shapes = {"turn": Qt.CursorShape.CrossCursor, "move": Qt.CursorShape.SizeAllCursor}
        return shapes.get(grip, Qt.CursorShape.ArrowCursor)

    def _hover(self, at: QPointF | None) -> None:
        """The layer that a click would select is outlined."""
        under = (
            clips_under(self.project.timeline, self.project.playhead.frame, at.x(), at.y()) if at is not None else []
        )
        hovered = under[0].clip.id if under else None
        if hovered != self._hovered:
            self._hovered = hovered
            self._repaint()

    # Gestures

    def take_click(self, act: Callable[[float, float], None] | None) -> None:
        """Hand the next click over, in shares of the frame; None waits for nothing more."""
        self.picking = act

    def press(self, at: QPointF, keys: Keys = NO_KEYS) -> None:
        self._at, self._moved, self._next, self._lit = at, False, None, (None, None)
        self._hovered = None
        if self.picking is not None:
            act, self.picking = self.picking, None
            self._grip = ""
            act(at.x(), at.y())
            return
        selection = self.project.selection
        self._before = selection.clip_id
        self._grip = self.grip_at(at)
        if self._grip in ("", "move"):
            self._select_under(at)
        placed = self.placed()
        if placed is None or not self._grip:
            self._grip = ""
            return
        self._begin(placed)
        left, top, right, bottom = around(self._corners)
        if self._before != selection.clip_id and max(left, top) <= 0.001 and min(right, bottom) >= 0.999:
            self._grip = ""  # what fills the frame is selected before it is dragged: no hole is torn by a click beside a small layer
        self._repaint()

    def _begin(self, placed: PlacedClip) -> None:
        """Keep how everything stands as a gesture begins."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        self._corners, self._stood = self._corners_of(placed), timeline.framing_at(placed, frame).start
        others = [p for p in timeline.clips_at(frame) if source_of(p.clip.id) != source_of(placed.clip.id)]
        self._others = lines_with([around(corners_of(timeline, p, frame)) for p in others])

    def _select_under(self, at: QPointF) -> None:
        timeline, selection = self.project.timeline, self.project.selection
        under = clips_under(timeline, self.project.playhead.frame, at.x(), at.y())
        names = list(dict.fromkeys(source_of(p.clip.id) for p in under))
        inside = self._grip == "move"
        if selection.clip_id in names:
            self._grip = "move"
            self._next = names[(names.index(selection.clip_id) + 1) % len(names)]
        elif inside:
            self._next = names[0] if names else None  # within its box it is dragged, though a mask hides it there
        else:
            self._grip = "move" if names else ""
            if names:
                selection.select_clip(names[0])

    def offer(self, at: QPointF) -> None:
        menu = QMenu()
        for placed in clips_under(self.project.timeline, self.project.playhead.frame, at.x(), at.y()):
            title = placed.clip.title
            name = f"“{title.text.splitlines()[0][:24]}”" if title is not None and title.text else placed.footage.name
            action = menu.addAction(f"{name} · track {placed.clip.track + 1}")
            action.triggered.connect(lambda _=False, c=source_of(placed.clip.id): self.project.selection.select_clip(c))
        if not menu.isEmpty():
            self._menu = menu
            pop_up(menu, QCursor.pos())

    def drag(self, by: QPointF, keys: Keys = NO_KEYS) -> None:
        if not self._grip:
            return
        if not self._moved and math.hypot(by.x() * self._size[0], by.y() * self._size[1]) < CLICK_PX:
            return
        self._moved = True
        self._last = self._grip
        kind = self._grip.split()[0]
        if kind == "move":
            self._move(straight(by, self.project.timeline.height_ratio, keys), keys)
        elif kind == "corner":
            self._scale(by, keys)
        elif kind == "turn":
            self._turn(by, keys)
        else:
            self._crop(by)

    def _move(self, by: QPointF, keys: Keys) -> None:
        dx, dy = by.x(), by.y()
        self._lit = (None, None)
        clip = self.project.selection.clip
        if keys & CTRL and clip is not None and clip.framing.window is not None:
            self.placing.inside(dx, dy)
            return
        if not keys & ALT:
            extent = around(self._corners + [dx, dy])
            caught_on = snapped(extent, self.project.timeline.height_ratio, *self._others)
            held_x, held_y = (keys & SHIFT and dx == 0), (keys & SHIFT and dy == 0)
            dx, dy = dx + (0.0 if held_x else caught_on.by_x), dy + (0.0 if held_y else caught_on.by_y)
            self._lit = (None if held_x else caught_on.line_x, None if held_y else caught_on.line_y)
        if clip is not None and keeps_subject(clip):
            self.placing.keep_subject(dx, dy)
            return
        self.placing.shift(lambda at: replace(at, x=round(at.x + dx, 9), y=round(at.y + dy, 9)))

    def _scale(self, by: QPointF, keys: Keys) -> None:
        """About the opposite corner, or about the middle with Ctrl."""
        number, height = int(self._grip[-1]), self.project.timeline.height_ratio
        sizes = np.array([1.0, height])
        middle = np.array([0.5 + self._stood.x, 0.5 + self._stood.y])
        about = middle if keys & CTRL else self._corners[(number + 2) % 4]
        held = np.array([self._at.x(), self._at.y()])
        reach = (held - about) * sizes
        factor = float(((held + [by.x(), by.y()] - about) * sizes) @ reach / max(float(reach @ reach), 1e-9))
        self._lit = (None, None)
        if not keys & ALT and self._stood.turn_deg % 90 == 0:
            factor = self._snapped_factor(number, about, factor)
        low, high = (z / self._stood.zoom for z in ZOOMS)
        factor = min(max(factor, low), high)
        moved = (factor - 1) * (middle - about)
        clip = self.project.selection.clip
        followed = clip is not None and clip.follow is not None and clip.framing.window is None
        dx, dy = (0.0, 0.0) if followed else (float(moved[0]), float(moved[1]))
        self.placing.shift(lambda at: replace(at, zoom=_zoom(at.zoom * factor), x=at.x + dx, y=at.y + dy))

    def _snapped_factor(self, number: int, about: Corners, factor: float) -> float:
        """Return the factor at which the corner that is dragged catches on a line nearby, else the one given."""
        away = self._corners[number] - about
        best: tuple[float, float, int, float] | None = None
        for axis in (0, 1):
            if abs(away[axis]) < 1e-6:
                continue
            reach = REACH / (self.project.timeline.height_ratio if axis else 1.0)
            line = caught(float(about[axis] + factor * away[axis]), self._others[axis], reach)
            if line is None:
                continue
            wanted = float((line - about[axis]) / away[axis])
            if wanted > 0 and (best is None or abs(wanted - factor) < best[0]):
                best = (abs(wanted - factor), wanted, axis, line)
        if best is None:
            return factor
        self._lit = (best[3], None) if best[2] == 0 else (None, best[3])
        return best[1]

    def _turn(self, by: QPointF, keys: Keys) -> None:
        """By the way of the pointer about the middle; Shift: in steps of fifteen degrees."""
        middle = self._corners.mean(axis=0) * self._size
        begin = np.array([self._at.x(), self._at.y()]) * self._size - middle
        now = begin + np.array([by.x(), by.y()]) * self._size
        turned = math.degrees(math.atan2(now[1], now[0]) - math.atan2(begin[1], begin[0]))
        wanted = (self._stood.turn_deg + turned + 180) % 360 - 180
        quarter = round(wanted / 90) * 90.0
        if keys & SHIFT:
            wanted = round(wanted / 15) * 15.0
        elif not keys & ALT and abs(wanted - quarter) < QUARTER_DEG:
            wanted = quarter
        change = wanted - self._stood.turn_deg
        self.placing.shift(lambda at: replace(at, turn_deg=round(at.turn_deg + change, 2)))

    def _crop(self, by: QPointF) -> None:
        placed = self.project.selection.placed
        if placed is None:
            return
        side, at = SIDES.index(self._grip.split()[1]), self._at + by
        if placed.clip.framing.window is not None:
            sides = self._corners * self._size
            across = sides[1] - sides[0] if side % 2 == 0 else sides[3] - sides[0]
            way = float(np.array([by.x(), by.y()]) * self._size @ across / max(float(across @ across), 1e-9))
            self.placing.window_side(side, way if side >= 2 else -way)
            return
        back = np.linalg.inv(to_frame(self.project.timeline, placed, self.project.playhead.frame))
        x, y, _ = back @ [at.x(), at.y(), 1.0]
        share = (x, y, 1 - x, 1 - y)[side]
        self.placing.crop(side, 0.0 if share < REACH else float(share))

    def zoom_by(self, factor: float) -> None:
        """Scale the layer about its own middle."""
        self._last = "corner"
        self.placing.shift(lambda at: replace(at, zoom=_zoom(at.zoom * factor)))
        self.placing.settle(self._said("scaled"))

    def centre(self) -> None:
        """Put the layer in the middle; the two clicks before selected nothing."""
        if self._before is not None and self._before != self.project.selection.clip_id and self._next is None:
            self.project.selection.select_clip(self._before)
        self._last = "move"
        self.placing.shift(lambda at: replace(at, x=0.0, y=0.0))
        self.placing.settle(self._said("centred"))

    def settle(self) -> None:
        if self.dragging:
            self.placing.settle(self._said(DONE[self._grip.split()[0]]))
        elif self._next is not None and self._next != self.project.selection.clip_id:
            self.project.selection.select_clip(self._next)
        self._grip, self._lit, self._moved, self._next = "", (None, None), False, None
        self._repaint()

    def _said(self, what: str) -> str:
        clip = self.project.selection.clip
        return f"{'Title' if clip is not None and clip.title is not None else 'Picture'} {what}"

    # Keys and numbers

    def nudge(self, across: int, down: int) -> bool:
        """Move the layer by pixels of the reel; False where none is on screen."""
        placed, reel = self.placed(), self.project.reel
        if placed is None:
            return False
        self._last = "move"
        dx, dy = across / reel.width, down / reel.height
        if keeps_subject(placed.clip):
            self.placing.keep_subject(dx, dy)
        else:
            self.placing.shift(lambda at: replace(at, x=round(at.x + dx, 9), y=round(at.y + dy, 9)))
        self.placing.settle(self._said("nudged"))
        return True

    @property
    def dragging(self) -> bool:
        """Whether the layer is being dragged."""
        return bool(self._grip) and self._moved

    def numbers(self) -> str:
        """Return what the last gesture set, as it stands: pixels from the middle, percent or degrees."""
        placed = self.placed()
        if placed is None:
            return ""
        framing, reel = self.project.timeline.framing_at(placed, self.project.playhead.frame), self.project.reel
        at, kind = framing.start, self._last.split()[0]
        if kind == "corner":
            return f"{at.zoom * 100:.1f} %"
        if kind == "turn":
            return f"{at.turn_deg:.1f}°"
        if kind == "side" and framing.window is not None:
            across = self._last.endswith(("left", "right"))
            return f"{'width' if across else 'height'} {(framing.window.width if across else framing.window.height) * 100:.1f} %"
        if kind == "side":
            return f"{self._last.split()[1]} {framing.crop[SIDES.index(self._last.split()[1])] * 100:.1f} %"
        x, y = (0.0 if abs(v) < 0.5 else v for v in (at.x * reel.width, at.y * reel.height))
        return f"{x:.0f}, {y:.0f} px"

    def set_numbers(self, text: str) -> bool:
        """Set by what was typed what the last gesture set; False, having said so, where it cannot be read."""
        kind, reel = self._last.split()[0], self.project.reel
        bare = text.replace("px", " ").replace("%", " ").replace("°", " ").replace("−", "-").replace(";", " ")
        words = [w for w in bare.replace(", ", " ").split() if w not in (*SIDES, "width", "height")]
        try:
            values = [float(w.strip(",").replace(",", ".")) for w in words]
        except ValueError:
            values = []
        if len(values) != (2 if kind == "move" else 1) or not all(math.isfinite(v) for v in values):
            wanted = {"move": "two numbers of pixels, such as 120 -40", "turn": "degrees, such as -15"}.get(
                kind, "percent, such as 60"
            )
            self.project.messages.say(f"'{text}' does not say where the layer stands; type {wanted}.", True)
            return False
        if kind == "move":
            x, y = values[0] / reel.width, values[1] / reel.height
            self.placing.shift(lambda at: replace(at, x=min(max(x, -100.0), 100.0), y=min(max(y, -100.0), 100.0)))
        elif kind == "corner":
            self.placing.shift(lambda at: replace(at, zoom=_zoom(values[0] / 100)))
        elif kind == "turn":
            self.placing.shift(lambda at: replace(at, turn_deg=(values[0] + 180) % 360 - 180))
        elif (placed := self.placed()) is not None and (window := placed.clip.framing.window) is not None:
            side = SIDES.index(self._last.split()[1])
            self.placing.window_side(side, values[0] / 100 / (window.width if side % 2 == 0 else window.height) - 1)
        else:
            self.placing.crop(SIDES.index(self._last.split()[1]), values[0] / 100)
        self.placing.settle(self._said(DONE[kind]))
        return True

    # Painting

    def paint(self, p: QPainter, box: QRectF) -> None:
        """What a page paints below, the layer a click would select, the box with its corners, lines that it catches on, numbers."""
        self._size = np.array([max(box.width(), 1.0), max(box.height(), 1.0)])
        if self._below is not None:
            self._below(p, box)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        origin = QPointF(box.topLeft())
        hovered = self.project.timeline.placed_clip(self._hovered) if self._hovered else None
        if hovered is not None:
            p.setPen(QPen(colour(theme.TEXT, 0.7), 1, Qt.PenStyle.DotLine))
            p.drawPolygon(polygon(self._corners_of(hovered) * self._size, origin))
        placed = self.placed()
        if placed is None:
            return
        corners = self._corners_of(placed)
        line = polygon(corners * self._size, origin)
        for pen in (QPen(QColor(0, 0, 0, 150), 3), QPen(QColor(theme.TEXT), 1.2)):
            p.setPen(pen)
            p.drawPolygon(line)
        paint_lines(p, box, self._lit)
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.setBrush(QColor(theme.TEXT))
        for x, y in self._grips(corners):
            p.drawRect(QRectF(origin.x() + x - 4, origin.y() + y - 4, 8, 8))
        if is_cropped(placed):
            turned = math.degrees(math.atan2(*((corners[1] - corners[0]) * self._size)[::-1]))
            for number, (x, y) in enumerate(self._grips(middles(corners))):
                p.save()
                p.translate(origin + QPointF(float(x), float(y)))
                p.rotate(turned + (90 if number % 2 == 0 else 0))
                p.drawRoundedRect(QRectF(-9, -2.5, 18, 5), 2, 2)
                p.restore()
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.dragging:
            middle = corners.mean(axis=0) * self._size
            paint_numbers(p, box, self.numbers(), QPointF(float(middle[0]), float(middle[1])))


def _zoom(zoom: float) -> float:
    return min(max(zoom, ZOOMS[0]), ZOOMS[1])
