"""The accents to choose from, each shown on the user's own frame; the one under the pointer plays."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QWidget

from tempik.accents import CATALOGUE, Accent
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import words
from tempik.media.picture import Picture, from_rgb, solid, to_rgb
from tempik.render.sample import drifting, pulse_frames, sample

TILE_W, PICTURE_H, NAME_H, GAP = 92, 62, 17, 5
SIZE = (TILE_W, PICTURE_H)
SPARE = 20  # of the frame's width, so that it can drift
TICK_MS = 33
REST_FRAMES = 9  # between two pulses while one plays
MOST_COLUMNS = 3


def base_picture(pixmap: QPixmap | None) -> Picture:
    """Return a thumbnail of the user's footage as wide as a tile and its spare; grey stripes where there is none yet."""
    wide, tall = SIZE[0] + SPARE, SIZE[1]
    if pixmap is None or pixmap.isNull():
        plain = solid(wide, tall, 70)
        plain.y[:, ::12] = 150
        return plain
    image = pixmap.toImage().convertToFormat(QImage.Format.Format_RGB888)
    scale = max(wide / image.width(), tall / image.height())
    image = image.scaled(
        max(wide, math.ceil(image.width() * scale)),
        max(tall, math.ceil(image.height() * scale)),
        Qt.AspectRatioMode.IgnoreAspectRatio,
        Qt.TransformationMode.SmoothTransformation,
    )
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    rgb = rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)
    top, left = (image.height() - tall) // 2, (image.width() - wide) // 2
    return from_rgb(np.ascontiguousarray(rgb[top : top + tall, left : left + wide]))


def shown_offset(accent: Accent) -> int:
    """Return the frame of a pulse that shows best what an accent does, for a tile at rest."""
    return 2 if accent.name in ("echo", "ripple") else 0


class AccentTiles(QWidget):
    """A grid of accents. `picked` gives the name of the one clicked, `pointed` the one under the pointer ('': none)."""

    picked = Signal(str)
    pointed = Signal(str)
    menu_wanted = Signal(str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.names = list(CATALOGUE)
        self.chosen = ""
        self._base = base_picture(None)
        self._rest: dict[str, QPixmap] = {}
        self._under: int | None = None
        self._key = 0
        self._tick = 0
        self._playing: QPixmap | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._play)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Accents; arrows choose, Enter adds a row")
        self.columns = 0
        self.show_columns(MOST_COLUMNS)

    def show_columns(self, columns: int) -> None:
        """Lay the tiles out in so many columns."""
        if columns != self.columns:
            self.columns = columns
            rows = math.ceil(len(self.names) / columns)
            self.setFixedSize(QSize(columns * (TILE_W + GAP) - GAP, rows * (PICTURE_H + NAME_H + GAP)))
            self.update()

    def show_on(self, pixmap: QPixmap | None) -> None:
        """Show the accents on another frame."""
        self._base = base_picture(pixmap)
        self._rest.clear()
        self.update()

    def choose(self, name: str) -> None:
        """Show which accent the chosen row fires."""
        if name != self.chosen:
            self.chosen = name
            self.update()

    def box(self, number: int) -> QRectF:
        """Return where a tile lies, its name with it."""
        row, column = divmod(number, self.columns)
        return QRectF(column * (TILE_W + GAP), row * (PICTURE_H + NAME_H + GAP), TILE_W, PICTURE_H + NAME_H)

    def _at(self, pos: QPointF) -> int | None:
        return next((i for i in range(len(self.names)) if self.box(i).contains(pos)), None)

    def picture(self, name: str, offset: int, turn: int = 0) -> QPixmap:
        """Return the user's frame under an accent, `offset` frames after its point."""
        made = sample(drifting(self._base, SIZE), CATALOGUE[name], offset, turn=turn)
        rgb = np.ascontiguousarray(to_rgb(made))
        return QPixmap.fromImage(QImage(rgb.data, SIZE[0], SIZE[1], 3 * SIZE[0], QImage.Format.Format_RGB888))

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        seen = QRectF(self.visibleRegion().boundingRect())
        p.setFont(words(12))
        for number, name in enumerate(self.names):
            box = self.box(number)
            if not box.intersects(seen):
                continue
            if name not in self._rest:
                self._rest[name] = self.picture(name, shown_offset(CATALOGUE[name]))
            under = number == self._under
            playing = self._playing if under and self._playing is not None else self._rest[name]
            p.drawPixmap(box.topLeft(), playing)
            used = name == self.chosen or (self.hasFocus() and number == self._key)
            p.setPen(QPen(QColor(theme.RHYTHM if used else theme.TEXT if under else theme.LINE), 1.6))
            p.drawRoundedRect(QRectF(box.left() + 0.8, box.top() + 0.8, TILE_W - 1.6, PICTURE_H - 1.6), 3, 3)
            p.setPen(QColor(theme.TEXT if used or under else theme.QUIET))
            title = p.fontMetrics().elidedText(CATALOGUE[name].title.lower(), Qt.TextElideMode.ElideRight, TILE_W)
            p.drawText(QRectF(box.left(), box.top() + PICTURE_H, TILE_W, NAME_H), Qt.AlignmentFlag.AlignCenter, title)

    def _play(self) -> None:
        """The next frame of the pulse of the accent under the pointer."""
        if self._under is None:
            self._timer.stop()
            return
        name = self.names[self._under]
        frames = pulse_frames(CATALOGUE[name])
        long = len(frames) + REST_FRAMES
        turn, step = divmod(self._tick, long)
        self._playing = self.picture(name, frames.start + step, turn)
        self._tick += 1
        self.update(self.box(self._under).toAlignedRect())

    def _point_at(self, number: int | None) -> None:
        if number == self._under:
            return
        self._under, self._tick, self._playing = number, 0, None
        self.pointed.emit(self.names[number] if number is not None else "")
        if number is not None:
            self._timer.start()
        else:
            self._timer.stop()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point_at(self._at(event.position()))

    def leaveEvent(self, event: object) -> None:
        self._point_at(None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position())
        if number is not None and event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(self.names[number])

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        number = self._at(QPointF(event.pos()))
        if number is not None:
            self.menu_wanted.emit(self.names[number], event.globalPos())

    def event(self, event: QEvent) -> bool:
        # With the focus here the arrows choose among accents; they would move the playhead.
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in _KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.columns, Qt.Key.Key_Down: self.columns}
        key = Qt.Key(event.key())
        if key in steps:
            self._key = min(max(self._key + steps[key], 0), len(self.names) - 1)
            self._point_at(self._key)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit(self.names[self._key])
        else:
            super().keyPressEvent(event)


_KEYS = {Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter}
