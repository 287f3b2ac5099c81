"""The selected clip's own lane: its keys and fades over its slot, with the points as lines that they are dragged onto."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip

from tempik.desktop.commands.keys import EASE_TEXTS, KeyCommands
from tempik.desktop.pages.slot_strip import DRAG_PX, EDGE, HEAD_H, SlotStrip
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_sunk
from tempik.desktop.widgets.key_signs import KEY_PX, paint_key
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, words
from tempik.desktop.widgets.typed import ARROWS, AWAY, takes
from tempik.edit.clip_keys import KeyAt, KeyMark, marks_in, row_titles
from tempik.edit.clips.layers import with_fade
from tempik.timeline.placed_clip import PlacedClip

ROWS, ROW_H, LEAST_ROW_H = 3, 15, 9
FADE_PX = 6


class LaneKey(NamedTuple):
    """A key where it lies in the lane."""

    row: str
    mark: KeyMark
    at: QPointF


class KeyLane(SlotStrip):
    """A click chooses a key and goes there, Ctrl adds one; a drag moves those that are chosen, onto points nearby (Alt: anywhere), with Ctrl
    it sets them once more; a double click on a row keys it there. The corners of the first row are the clip's fades."""

    name_px = 56

    def __init__(self, commands: KeyCommands) -> None:
        super().__init__(commands.project)
        self.commands = commands
        self.gesture = Gesture(self.project)
        self._held: LaneKey | None = None
        self._chosen: frozenset[KeyAt] = frozenset()  # as they were when the drag began
        self._fade: bool | None = None  # the end whose fade is dragged
        self._from, self._dragged, self._added = QPointF(), False, False
        self.setFixedHeight(HEAD_H + ROWS * ROW_H + 4)
        self.setMinimumWidth(200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(
            "Keys of the clip; arrows go from key to key, Shift with an arrow moves to the next point, Delete takes away"
        )
        commands.keys.changed.connect(self.update)

    def refill(self) -> None:
        """Show the keys as they are."""
        placed = self.placed
        if placed is not None:
            counts = [f"{title}: {len(self._marks(row))}" for row, title in self.rows().items()]
            self.setAccessibleDescription(f"keys of {', '.join(counts)}")
        self.update()

    # Where things lie

    def rows(self) -> dict[str, str]:
        """Return the rows of the clip, with their names on screen."""
        placed = self.placed
        return row_titles(placed.clip) if placed is not None else {}

    def standing(self, placed: PlacedClip) -> list[int]:
        return [mark.frame for row in row_titles(placed.clip) for mark in self._marks(row)]

    def _marks(self, row: str) -> tuple[KeyMark, ...]:
        placed = self.placed
        return marks_in(self.project.timeline, placed.clip, row) if placed is not None else ()

    def row_y(self, number: int) -> float:
        """Return where the middle of a row lies."""
        high = max(min(ROW_H, ROWS * ROW_H / max(len(self.rows()), 1)), LEAST_ROW_H)
        return HEAD_H + (number + 0.5) * high

    def row_at(self, y: float) -> str | None:
        """Return the row at a height."""
        rows = list(self.rows())
        near = min(range(len(rows)), key=lambda n: abs(self.row_y(n) - y), default=None)
        return rows[near] if near is not None and y >= HEAD_H - 2 else None

    def keys(self) -> list[LaneKey]:
        """Return the keys where they lie."""
        return [
            LaneKey(row, mark, QPointF(self.across(mark.frame), self.row_y(number)))
            for number, row in enumerate(self.rows())
            for mark in self._marks(row)
        ]

    def key_at(self, pos: QPointF) -> LaneKey | None:
        """Return the key under a place."""
        near = [k for k in self.keys() if max(abs(k.at.x() - pos.x()), abs(k.at.y() - pos.y())) <= KEY_PX + 2]
        return min(near, key=lambda k: abs(k.at.x() - pos.x()), default=None)

    def fade_at(self, at_end: bool) -> tuple[QPointF, bool]:
        """Return where the handle of a fade lies, and whether the fade is the clip's own."""
        placed = self.placed
        if placed is None:
            return QPointF(), False
        laid = self.project.timeline.transition_of(placed.clip.id, at_end)
        own = laid is None or (laid.owner.clip.id == placed.clip.id and not laid.both)
        frames = laid.frames if laid is not None and own else 0
        return QPointF(self.across(placed.end - frames if at_end else placed.first + frames), HEAD_H), own

    # Painting

    @painted
    def paintEvent(self, p: QPainter) -> None:
        paint_sunk(p, self)
        placed = self.placed
        if placed is None:
            return
        self.paint_points(p, placed)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        chosen = self.commands.keys.of(placed.clip.id)
        for number, (row, title) in enumerate(self.rows().items()):
            y = self.row_y(number)
            p.setFont(words(11))
            p.setPen(QColor(theme.QUIET))
            p.drawText(QRectF(EDGE, y - 8, self.name_px - 4, 16), Qt.AlignmentFlag.AlignVCenter, title)
            marks = self._marks(row)
            p.setPen(QPen(colour(theme.TEXT, 0.14), 1))
            p.drawLine(QPointF(self.left, y), QPointF(self.width() - EDGE, y))
            if len(marks) > 1:
                p.setPen(QPen(colour(theme.TEXT, 0.7), 1.2))
                p.drawLine(QPointF(self.across(marks[0].frame), y), QPointF(self.across(marks[-1].frame), y))
            for mark in marks:
                paint_key(p, QPointF(self.across(mark.frame), y), mark, KeyAt(row, mark.frame) in chosen)
        _paint_fades(p, self, placed)
        self.paint_playhead(p)

    # What it says

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            QToolTip.showText(event.globalPos(), _tip(self, QPointF(event.pos())), self)
            return True
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and _clipboard(event):
            event.accept()
            return True
        return takes(event, (*ARROWS, *AWAY)) or super().event(event)

    # Gestures

    def mousePressEvent(self, event: QMouseEvent) -> None:
        placed = self.placed
        if event.button() != Qt.MouseButton.LeftButton or placed is None:
            return
        pos, keys = event.position(), event.modifiers()
        self._from, self._dragged = pos, False
        self._fade = _fade_under(self, pos)
        self._held = self.key_at(pos) if self._fade is None else None
        self._added = bool(keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if self._held is not None:
            at = KeyAt(self._held.row, self._held.mark.frame)
            if at not in self.commands.keys.of(placed.clip.id) and not self._added:
                self.commands.keys.choose(placed.clip.id, [at])
            self._chosen = self.commands.keys.of(placed.clip.id) | {at}
        elif self._fade is None and not self._added:
            self.commands.keys.choose(None, ())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos, placed = event.position(), self.placed
        if placed is None or (self._held is None and self._fade is None):
            over = _fade_under(self, pos) is not None or self.key_at(pos) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            return
        if not self._dragged and abs(pos.x() - self._from.x()) < DRAG_PX:
            return
        self._dragged = True
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if self._fade is not None:
            frame = self._caught(self.frame_at(pos.x()), free)
            frames = placed.end - frame if self._fade else frame - placed.first
            end, longest = self._fade, placed.frames
            self.gesture.show(lambda reel: with_fade(reel, [placed.clip.id], end, min(max(frames, 0), longest)))
        elif self._held is not None:
            wanted = self.frame_at(self.across(self._held.mark.frame) + pos.x() - self._from.x())
            self._move(self._caught(wanted, free) - self._held.mark.frame, self._added)

    def _caught(self, frame: float, free: bool) -> int:
        """Return the frame of the point nearby, or the frame itself."""
        point = self.project.timeline.point_at(round(frame), 0 if free else self.reach())
        return self.project.timeline.frame_of_point(point) if point is not None else round(frame)

    def _move(self, frames: int, copy: bool) -> None:
        placed, held = self.placed, self._held
        if placed is None or held is None:
            return
        if self.gesture.show(self.commands.moved(placed.clip.id, self._chosen, frames, copy)):
            moved = [KeyAt(row, frame + frames) for row, frame in self._chosen]
            self.commands.keys.choose(placed.clip.id, moved)
            self.project.playhead.go(min(max(held.mark.frame + frames, 0), self.project.timeline.frames - 1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, fade, placed = self._held, self._fade, self.placed
        self._held, self._fade = None, None
        if placed is None:
            return
        if fade is not None:
            self.gesture.settle("Fade out" if fade else "Fade in")
        elif held is not None and self._dragged:
            self.gesture.settle("Keys set once more" if self._added else "Keys moved")
        elif held is not None:
            at = KeyAt(held.row, held.mark.frame)
            if self._added:
                self.commands.keys.toggle(placed.clip.id, [at])
            else:
                self.commands.keys.choose(placed.clip.id, [at])
                self.project.playhead.go(min(max(at.frame, 0), self.project.timeline.frames - 1))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        row = self.row_at(event.position().y())
        if row is not None and self.key_at(event.position()) is None and event.position().x() >= self.left - EDGE:
            frame = self._caught(
                self.frame_at(event.position().x()), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            )
            self.commands.key_here(row, frame)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        placed, key = self.placed, self.key_at(QPointF(event.pos()))
        if placed is None:
            return
        if key is not None and KeyAt(key.row, key.mark.frame) not in self.commands.keys.of(placed.clip.id):
            self.commands.keys.choose(placed.clip.id, [KeyAt(key.row, key.mark.frame)])
        self.commands.menu(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, placed = Qt.Key(event.key()), self.placed
        if placed is None:
            return
        if key in AWAY:
            self.commands.remove_keys()
        elif _clipboard(event):
            (self.commands.copy_keys if key == Qt.Key.Key_C else self.commands.paste_keys)()
        elif key in ARROWS:
            way = ARROWS[key][0] or -ARROWS[key][1]
            chosen = self.commands.keys.of(placed.clip.id)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and chosen:
                self._step(placed, chosen, way)
            elif way > 0:
                self.commands.next_key()
            else:
                self.commands.previous_key()
        else:
            super().keyPressEvent(event)

    def _step(self, placed: PlacedClip, chosen: frozenset[KeyAt], way: int) -> None:
        """Move the chosen keys so that the first of them stands on the next point, or on the one before."""
        first = min(at.frame for at in chosen)
        after = self.next_point(first, way)
        if after is not None and self.project.change(
            "Keys moved", self.commands.moved(placed.clip.id, chosen, after - first)
        ):
            self.commands.keys.choose(placed.clip.id, [KeyAt(row, frame + after - first) for row, frame in chosen])


def _fade_under(lane: KeyLane, pos: QPointF) -> bool | None:
    for at_end in (False, True):
        at, own = lane.fade_at(at_end)
        if own and abs(at.x() - pos.x()) <= FADE_PX + 1 and abs(at.y() - pos.y()) <= FADE_PX:
            return at_end
    return None


def _paint_fades(p: QPainter, lane: KeyLane, placed: PlacedClip) -> None:
    foot = lane.row_y(0) + ROW_H / 2 - 1
    for at_end in (False, True):
        at, own = lane.fade_at(at_end)
        corner = lane.across(placed.end if at_end else placed.first)
        if not own:
            continue
        p.setPen(QPen(colour(theme.TEXT, 0.6), 1))
        p.setBrush(colour(theme.TEXT, 0.14))
        p.drawPolygon(QPolygonF([QPointF(corner, HEAD_H), at, QPointF(corner, foot)]))
        p.setBrush(QColor(theme.TEXT))
        way = -1 if at_end else 1
        p.drawPolygon(QPolygonF([at + QPointF(0, -4), at + QPointF(way * 5, -4), at + QPointF(0, 3)]))
    p.setBrush(Qt.BrushStyle.NoBrush)


def _clipboard(event: QKeyEvent) -> bool:
    return event.modifiers() == Qt.KeyboardModifier.ControlModifier and event.key() in (Qt.Key.Key_C, Qt.Key.Key_V)


def _tip(lane: KeyLane, pos: QPointF) -> str:
    key = lane.key_at(pos)
    if key is not None:
        tied = ", on its point" if key.mark.tied else ""
        how = EASE_TEXTS[key.mark.ease].lower()
        return (
            f"Key of the {lane.rows()[key.row]}, frame {key.mark.frame}{tied}; goes on {how}. Right click: other ways."
        )
    if _fade_under(lane, pos) is not None:
        return "Drag the corner: a fade. Alt does not snap to points."
    return "Double click: a key here. Drag keys onto points; Ctrl and drag sets them once more."
