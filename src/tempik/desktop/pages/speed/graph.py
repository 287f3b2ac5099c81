"""The graph of a clip's speed: time across with the points' lines, speed up, a strip of what is on screen below.

Nodes are added by a double click, dragged, stepped with keys and taken out; a whisker on either side of the chosen one
sets its softness. What is dragged on the strip is a marked stretch.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.pages.speed.graph_axes import MARKS, WHISKER_PX, GraphAxes, Near
from tempik.desktop.pages.speed.graph_painting import GraphPainting
from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.widgets.painting import painted, painted_layer
from tempik.reel import Curve
from tempik.retime import constant
from tempik.retime.shaping import with_changed_node, with_ends, with_node, without_node
from tempik.timeline.placed_clip import PlacedClip


class SpeedGraph(QWidget):
    """Shows the selected clip's speed. `edited` gives another curve while a gesture lasts, `settled` ends it."""

    edited = Signal(object, str)  # a curve, and what was done
    settled = Signal(str)
    node_chosen = Signal()

    def __init__(self, project: Project, filmstrips: Filmstrips) -> None:
        super().__init__()
        self.project = project
        self.axes = GraphAxes(project, self.size)
        self.painting = GraphPainting(self.axes, filmstrips)
        self.node: int | None = None
        self.before: PlacedClip | None = None  # drawn thin, to compare with
        self._held: Near | None = None
        self._held_curve: Curve | None = None
        self._marking: int | None = None
        self._doing = ""
        self._standing: QPixmap | None = None  # all but the playhead
        self.setMinimumSize(280, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Speed over the clip")

    def refresh(self) -> None:
        """Paint everything anew at the next paint."""
        self._standing = None
        self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        layer = self._standing
        if layer is None or layer.size() != self.size() * self.devicePixelRatioF():
            whole = QRectF(self.rect())
            layer = self._standing = painted_layer(
                self, lambda layer: self.painting.paint(layer, whole, self.node, self.before)
            )
        p.drawPixmap(0, 0, layer)
        placed = self.project.selection.placed
        if placed is not None and not placed.footage.endless:
            p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            self.painting.paint_playhead(p, placed)

    # Gestures

    def let_go(self) -> None:
        """Choose no node and compare with nothing, as for another clip."""
        self.node = self.before = None

    def draw_before(self, placed: PlacedClip | None) -> None:
        """Draw another speed thin beside the clip's, or none."""
        self.before = placed
        self.refresh()

    def choose_node(self, number: int | None) -> None:
        """Choose a node for the whiskers, the keys and the fields."""
        placed = self.project.selection.placed
        if placed is None or (number is not None and not 0 <= number < len(placed.chosen.nodes)):
            number = None
        if number != self.node:
            self.node = number
            self.node_chosen.emit()
        self.refresh()

    def _near(self, placed: PlacedClip, pos: QPointF) -> Near | None:
        if self.node is not None:
            for side, end in self.axes.whiskers(placed, self.node).items():
                if (end - pos).manhattanLength() < 10:
                    return side, self.node
        spots = self.axes.spots(placed)
        near = min(range(len(spots)), key=lambda i: (spots[i] - pos).manhattanLength())
        if (spots[near] - pos).manhattanLength() < 18:
            return "node", near
        if len(spots) == 1 and abs(spots[0].y() - pos.y()) < 14 and self.axes.graph().contains(pos):
            return "node", 0  # a constant speed is taken hold of anywhere on its line
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.selection.placed, event.position()
        if placed is None or placed.footage.endless or event.button() != Qt.MouseButton.LeftButton:
            return
        if self.axes.strip().contains(pos):
            self._marking = round(self.axes.frame_at(pos.x()))
            return
        near = self._near(placed, pos)
        self.choose_node(near[1] if near is not None else None)
        self._held, self._held_curve = near, placed.chosen
        self.axes.hold_sides(near is not None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.selection.placed, event.position()
        if placed is None or placed.footage.endless:
            return
        if self._marking is not None:
            now = min(max(round(self.axes.frame_at(pos.x())), placed.first), placed.end)
            self.project.selection.mark_frames(
                (min(self._marking, now), max(self._marking, now)) if abs(now - self._marking) > 1 else None
            )
            return
        if self._held is None:
            near = self._near(placed, pos)
            shapes = {"node": Qt.CursorShape.SizeAllCursor, "in": Qt.CursorShape.SizeHorCursor}
            self.setCursor(shapes.get(near[0], Qt.CursorShape.SizeHorCursor) if near else Qt.CursorShape.ArrowCursor)
            return
        if self._held_curve is not None:
            self._drag(placed, self._held, self._held_curve, event)

    def _drag(self, placed: PlacedClip, held: Near, base: Curve, event: QMouseEvent) -> None:
        what, number = held
        pos, free = event.position(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if what == "node":
            speed = self._snapped_speed(pos.y(), free)
            at = None
            if 0 < number < len(base.nodes) - 1:
                at = self.axes.share_at(placed, pos.x(), not free)
            self._edit(with_changed_node(base, number, at, speed), "Speed changed")
            return
        spots = self.axes.spots(placed)
        side = -1 if what == "in" else 1
        soft = ((pos.x() - spots[number].x()) * side - WHISKER_PX) / self.axes.reach(spots, number, side)
        soft = min(max(soft, 0.0), 1.0)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:  # both sides at once
            self._edit(with_changed_node(base, number, soft_in=soft, soft_out=soft), "Softness changed")
        else:
            changed = with_changed_node(base, number, **{f"soft_{what}": soft})  # type: ignore[arg-type]
            self._edit(changed, "Softness changed")

    def _snapped_speed(self, y: float, free: bool) -> float:
        """A drag finds the round speeds that people ask for; Alt leaves it alone."""
        speed = self.axes.speed(y)
        if free or not speed:
            return speed
        near = min((*MARKS, *(-m for m in MARKS)), key=lambda m: abs(self.axes.height_of(m) - y))
        return near if abs(self.axes.height_of(near) - y) < 5 else round(speed, 2)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        placed = self.project.selection.placed
        if self._marking is not None and placed is not None:
            if self.axes.marked is None or abs(round(self.axes.frame_at(event.position().x())) - self._marking) <= 1:
                self.project.selection.mark_frames(None)
                self.project.playhead.go(math.floor(self.axes.frame_at(event.position().x())))
            self._marking = None
        if self._held is not None:
            self._held = self._held_curve = None
            self.axes.hold_sides(False)
            self.settled.emit(self._doing)
            self.refresh()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.selection.placed, event.position()
        if placed is None or placed.footage.endless or not self.axes.graph().adjusted(0, 0, 0, 8).contains(pos):
            return
        near = self._near(placed, pos)
        if near is not None and near[0] == "node" and len(placed.chosen.nodes) > 1:
            self.remove_node(near[1])
            return
        self.add_node(self.axes.share_at(placed, pos.x(), True), self._snapped_speed(pos.y(), False))

    # Changes

    def _edit(self, curve: Curve, what: str) -> None:
        self._doing = what
        self.edited.emit(curve, what)

    def _change(self, curve: Curve, what: str) -> None:
        self._edit(curve, what)
        self.settled.emit(what)

    def add_node(self, at: float, speed: float | None = None) -> None:
        """Put a node at a share of the slot; without a speed it lies on the curve."""
        placed = self.project.selection.placed
        if placed is not None:
            curve, number = with_node(placed.chosen, at, speed)
            self._change(curve, "Node added")
            self.choose_node(number)

    def remove_node(self, number: int) -> None:
        """Take a node of the curve out, as one step; the last one stays."""
        placed = self.project.selection.placed
        if placed is not None and len(placed.chosen.nodes) > 1:
            self._change(without_node(placed.chosen, number), "Node removed")
            self.choose_node(None)

    def change_node(self, what: str, **changes: float | bool) -> None:
        """Change the chosen node as one step."""
        placed = self.project.selection.placed
        if placed is not None and self.node is not None and self.node < len(placed.chosen.nodes):
            base = placed.chosen if len(placed.chosen.nodes) > 1 else self._spread(placed, changes)
            self._change(with_changed_node(base, self.node, **changes), what)  # type: ignore[arg-type]

    @staticmethod
    def _spread(placed: PlacedClip, changes: dict[str, float | bool]) -> Curve:
        """A constant speed stays one node unless something but its speed is changed."""
        return placed.chosen if set(changes) == {"speed"} else with_ends(constant(placed.chosen.nodes[0].speed))

    def event(self, event: QEvent) -> bool:
        # While a node is chosen the arrows are its own, not the playhead's.
        chosen = self.node is not None and self.project.gesture is None and event.type() == QEvent.Type.ShortcutOverride
        if chosen and isinstance(event, QKeyEvent) and event.key() in _NODE_KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        placed, number = self.project.selection.placed, self.node
        if placed is None or number is None or number >= len(placed.chosen.nodes) or event.key() not in _NODE_KEYS:
            super().keyPressEvent(event)
            return
        node = placed.chosen.nodes[number]
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key = event.key()
        frame = 1 / max(placed.until - placed.begin, 1)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (10 if far else 1) * (1 if key == Qt.Key.Key_Right else -1)
            if 0 < number < len(placed.chosen.nodes) - 1:
                self.change_node("Node moved", at=round(node.at / frame + step) * frame)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            by = (0.1 if far else 0.01) * (1 if key == Qt.Key.Key_Up else -1)
            self.change_node("Speed changed", speed=round(node.speed + by, 4))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_node(number)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if key == Qt.Key.Key_PageDown else -1
            self.choose_node(min(max(number + step, 0), len(placed.chosen.nodes) - 1))
        else:
            self.choose_node(None)


_NODE_KEYS = {
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Delete,
    Qt.Key.Key_Backspace,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Escape,
}
