"""What lies over what at the playhead: a line for each track that has a clip there, the topmost first."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.clip_signs import SIGN_PX, paint_signs, signs_of
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.edit.clips import layers
from tempik.edit.clips.place import with_track
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.repeats import source_of

ROW_H, EYE_W, THUMB_W, BAR_W = 38, 26, 28, 74
DRAG_PX = 5
WIDE = 254


class Row(NamedTuple):
    """A line of the stack: a clip, its track, and whether the track is shown."""

    placed: PlacedClip
    track: int
    shown: bool


class StackList(QWidget):
    """A click selects; the eye hides the line's track; the bar sets the opacity; a line is dragged to lie over or under another."""

    def __init__(self, project: Project, filmstrips: Filmstrips) -> None:
        super().__init__()
        self.project, self.filmstrips = project, filmstrips
        self.gesture = Gesture(project)
        self.rows: list[Row] = []
        self._held: tuple[str, int] | None = None  # the part of which row
        self._from = QPointF()
        self._to: int | None = None  # the row that a dragged line would take the place of; -1: above all
        self.setFixedWidth(WIDE)  # nothing moves under the pointer when a line is selected
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Layers at the playhead; arrows select, the topmost first")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        filmstrips.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(270, ROW_H * 3)

    def refill(self) -> None:
        """Show what lies at the playhead."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        before, self.rows = self.rows, []
        for track in range(len(timeline.reel.tracks) - 1, -1, -1):
            placed = timeline.clip_at(frame, track)
            if placed is not None:
                self.rows.append(Row(placed, track, not timeline.reel.tracks[track].hidden))
        if self.rows != before:
            self.setAccessibleDescription("; ".join(self._said(row) for row in self.rows))
            self.setMinimumHeight(min(len(self.rows), 4) * ROW_H)
        self.update()

    def _said(self, row: Row) -> str:
        clip = row.placed.clip
        parts = [name_of(row.placed), f"track {row.track + 1}", clip.blend, *signs_of(clip)]
        return ", ".join(parts if row.shown else [*parts, "hidden"])

    # Where

    def _box(self, number: int) -> QRectF:
        return QRectF(0, number * ROW_H, self.width(), ROW_H - 2)

    def _bar(self, number: int) -> QRectF:
        box = self._box(number)
        return QRectF(box.right() - BAR_W - 8, box.top() + 22, BAR_W, 6)

    def _at(self, pos: QPointF) -> tuple[str, int] | None:
        number = int(pos.y() // ROW_H)
        if not 0 <= number < len(self.rows):
            return None
        if pos.x() < EYE_W:
            return "eye", number
        if self._bar(number).adjusted(-4, -6, 6, 8).contains(pos):
            return "bar", number
        return "row", number

    # Gestures

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._held, self._from, self._to = self._at(event.position()), event.position(), None
        if self._held is None:
            return
        part, number = self._held
        row = self.rows[number]
        if part == "eye":
            hidden, name = row.shown, f"Track {row.track + 1}"
            self.project.change(
                f"{name} {'hidden' if hidden else 'shown'}", lambda reel: with_track(reel, row.track, hidden=hidden)
            )
            return
        self.project.selection.select_clip(source_of(row.placed.clip.id))
        if part == "bar":
            self._slide(event.position(), number)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        part, number = self._held
        if part == "bar":
            self._slide(event.position(), number)
        elif part == "row" and abs(event.position().y() - self._from.y()) > DRAG_PX:
            to = int(event.position().y() // ROW_H)
            self._to = min(max(to, -1), len(self.rows) - 1)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, to = self._held, self._to
        self._held, self._to = None, None
        if held is None or event.button() != Qt.MouseButton.LeftButton:
            return
        part, number = held
        if part == "bar":
            self.gesture.settle("Opacity")
        elif part == "row" and to is not None and to != number and number < len(self.rows):
            row = self.rows[number]
            track = self.rows[to].track if to >= 0 else self.rows[0].track + 1
            clip = source_of(row.placed.clip.id)
            if track != row.track:
                above = track > row.track
                self.project.change(
                    "Layer laid above" if above else "Layer laid below",
                    lambda reel: layers.restacked(reel, clip, track),
                )
        self.update()

    def _slide(self, pos: QPointF, number: int) -> None:
        bar, frame = self._bar(number), self.project.playhead.frame
        share = round(min(max((pos.x() - bar.left()) / bar.width(), 0.0), 1.0), 2)
        names = self.project.selection.chosen_clips
        self.gesture.show(lambda reel: layers.with_opacity(reel, names, share, frame))

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            found = self._at(QPointF(event.pos()))
            tips = {
                "eye": "Hide or show this line's track",
                "bar": "How much of it shows",
                "row": "Click to select; drag it over or under another",
            }
            has = signs_of(self.rows[found[1]].placed.clip) if found is not None and found[0] == "row" else []
            text = tips[found[0]] if found is not None else ""
            QToolTip.showText(event.globalPos(), f"{text}\n{', '.join(has)}" if has else text, self)
            return True
        return super().event(event)

    # Painting

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if not self.rows:
            p.setFont(words(12))
            p.setPen(QColor(theme.QUIET))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, "Nothing lies at the playhead.")
            return
        chosen = self.project.selection.clip_ids
        for number, row in enumerate(self.rows):
            self._paint_row(p, number, row, source_of(row.placed.clip.id) in chosen)
        if self._to is not None and self._held is not None:
            y = max(1.0, (self._to + (1 if self._to > self._held[1] else 0)) * ROW_H - 1.0) if self._to >= 0 else 1.0
            p.setPen(QPen(QColor(theme.RHYTHM), 2))
            p.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _paint_row(self, p: QPainter, number: int, row: Row, chosen: bool) -> None:
        box, clip = self._box(number), row.placed.clip
        p.setPen(QPen(QColor(theme.TEXT), 1) if chosen else Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        self._paint_eye(p, QPointF(box.left() + EYE_W / 2, box.center().y()), row.shown)
        self._paint_thumb(p, QRectF(box.left() + EYE_W, box.top() + 3, THUMB_W, box.height() - 6), row.placed)
        left = box.left() + EYE_W + THUMB_W + 8
        room = self._bar(number).left() - left - 8
        p.setFont(words(12))
        p.setPen(QColor(theme.TEXT if row.shown else theme.QUIET))
        name = p.fontMetrics().elidedText(name_of(row.placed), Qt.TextElideMode.ElideRight, int(room))
        p.drawText(QRectF(left, box.top() + 2, room, 17), Qt.AlignmentFlag.AlignVCenter, name)
        p.setFont(words(11))
        p.setPen(QColor(theme.QUIET))
        below = f"track {row.track + 1}"
        p.drawText(QRectF(left, box.top() + 18, room, 16), Qt.AlignmentFlag.AlignVCenter, below)
        begin = left + p.fontMetrics().horizontalAdvance(below) + 7
        fits = signs_of(clip)[: max(int((left + room - begin) // SIGN_PX), 0)]
        paint_signs(p, QPointF(begin, box.top() + 26), fits, QColor(theme.TEXT if row.shown else theme.QUIET))
        bar, weight = self._bar(number), self.project.timeline.layer_of(row.placed, self.project.playhead.frame).weight
        p.drawText(QRectF(bar.left() - 6, box.top() + 2, 48, 17), Qt.AlignmentFlag.AlignVCenter, clip.blend)
        p.setFont(figures(11))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        p.drawText(QRectF(bar.right() - 40, box.top() + 2, 42, 17), right, f"{weight * 100:.0f} %")
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(bar, 3, 3)
        p.setBrush(QColor(theme.TEXT if row.shown else theme.QUIET))
        p.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width() * weight, bar.height()), 3, 3)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_eye(self, p: QPainter, at: QPointF, shown: bool) -> None:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.TEXT if shown else theme.QUIET), 1.3))
        p.drawEllipse(at, 6.5, 4)
        if shown:
            p.setBrush(QColor(theme.TEXT))
            p.drawEllipse(at, 1.8, 1.8)
            p.setBrush(Qt.BrushStyle.NoBrush)
        else:
            p.drawLine(at + QPointF(-6, 5), at + QPointF(6, -5))

    def _paint_thumb(self, p: QPainter, box: QRectF, placed: PlacedClip) -> None:
        p.fillRect(box, colour(theme.GROUND, 1.0))
        if placed.clip.title is not None:
            p.setFont(words(15, True))
            p.setPen(QColor(theme.TEXT))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, "T")
            return
        if placed.footage.kind == "solid":
            p.fillRect(box, QColor(placed.footage.path))
        if placed.footage.kind not in ("video", "still"):
            return
        time_s = float(source_at_frames(placed, [float(self.project.playhead.frame)], self.project.timeline.rate)[0])
        picture = self.filmstrips.at(placed.footage.path, time_s)
        if picture is None:
            self.filmstrips.want(placed.footage)
            return
        size = picture.size() / picture.devicePixelRatio()
        scale = max(box.width() / max(size.width(), 1), box.height() / max(size.height(), 1))
        wide, high = box.width() / scale, box.height() / scale
        ratio = picture.devicePixelRatio()
        seen = QRectF((size.width() - wide) / 2 * ratio, (size.height() - high) / 2 * ratio, wide * ratio, high * ratio)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
        p.drawPixmap(box, picture, seen)


def name_of(placed: PlacedClip) -> str:
    """Return what a layer is called: a title's words, else its footage's name."""
    title = placed.clip.title
    if title is not None and title.text.strip():
        return title.text.strip().splitlines()[0]
    return placed.footage.name.rsplit(".", 1)[0]
