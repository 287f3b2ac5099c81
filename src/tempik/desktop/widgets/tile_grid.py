"""A grid of tiles to choose from, by pointer or by keys; the one under the pointer may play."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.by_hand import asked
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.typed import ARROWS, takes

TICK_MS = 33


class TileGrid(QWidget):
    """Tiles of one size, one for each of `items`. `picked` gives the item that was clicked, `pointed` the one under the
    pointer (None: none), `menu_wanted` the one that was right clicked (None: beside them)."""

    picked = Signal(object)
    pointed = Signal(object)
    menu_wanted = Signal(object, QPoint)

    def __init__(self, tile: tuple[int, int], gap: int, columns: int, plays: bool = False) -> None:
        super().__init__()
        self.tile, self.gap, self.columns = QSize(*tile), gap, columns
        self.items: list[Any] = []
        self.chosen: tuple[str, ...] = ()  # names of the items that are used
        self.under: int | None = None
        self._key = 0
        self.tick = 0  # of the tile that plays
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._play)
        self._plays = plays
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_items(self, items: list[Any]) -> None:
        """Lay tiles out for other items."""
        self.items = items
        self._fit()

    def show_columns(self, columns: int) -> None:
        """Lay the tiles out in so many columns."""
        if columns != self.columns:
            self.columns = columns
            self._fit()

    def _fit(self) -> None:
        rows = max(1, math.ceil(len(self.items) / self.columns))
        wide, height_px = self.tile.width() + self.gap, self.tile.height() + self.gap
        self.setFixedSize(QSize(self.columns * wide - self.gap, rows * height_px - self.gap))
        self.update()

    def box(self, number: int) -> QRectF:
        """Return where a tile lies."""
        row, column = divmod(number, self.columns)
        wide, height_px = self.tile.width(), self.tile.height()
        return QRectF(column * (wide + self.gap), row * (height_px + self.gap), wide, height_px)

    @staticmethod
    def name_of(item: Any) -> str:
        """Return an item's name: it is its name itself, or has one."""
        return str(getattr(item, "name", item))

    def choose(self, *names: str) -> None:
        """Mark the items that are used, by their names."""
        if names != self.chosen:
            self.chosen = names
            self.update()

    def key_to(self, name: str) -> None:
        """Let the keys begin at an item, by its name."""
        self._key = next((i for i, item in enumerate(self.items) if self.name_of(item) == name), self._key)

    def used(self, number: int) -> bool:
        """Tell whether a tile is marked: it is used, or the keys have come to it."""
        return self.name_of(self.items[number]) in self.chosen or self.keyed(number)

    def keyed(self, number: int) -> bool:
        """Tell whether a tile is the one that the keys have come to."""
        return self.hasFocus() and number == self._key

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        """Paint one tile."""
        raise NotImplementedError

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        # Painted ahead of being shown, all of it counts.
        seen = QRectF(self.visibleRegion().boundingRect() if self.isVisible() else self.rect())
        for number in range(len(self.items)):
            box = self.box(number)
            if box.intersects(seen):
                self.paint_tile(p, number, box)

    def _at(self, pos: QPointF) -> int | None:
        return next((i for i in range(len(self.items)) if self.box(i).contains(pos)), None)

    def _point_at(self, number: int | None) -> None:
        if number == self.under:
            return
        self.under, self.tick = number, 0
        self.pointed.emit(self.items[number] if number is not None else None)
        if number is not None and self._plays:
            self._timer.start()
        else:
            self._timer.stop()
        self.update()

    def _play(self) -> None:
        if self.under is None or not self.isVisible():
            self._timer.stop()
            return
        self.tick += 1
        self.update(self.box(self.under).toAlignedRect())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point_at(self._at(event.position()))

    def leaveEvent(self, event: object) -> None:
        self._point_at(None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position())
        if number is not None and event.button() == Qt.MouseButton.LeftButton:
            self._key = number
            self._pick(number)

    def _pick(self, number: int) -> None:
        asked(lambda: self.picked.emit(self.items[number]))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        number = self._at(QPointF(event.pos()))
        self.menu_wanted.emit(self.items[number] if number is not None else None, event.globalPos())

    def event(self, event: QEvent) -> bool:
        # With the focus here the arrows choose among tiles; they would move the playhead.
        return takes(event, _KEYS) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.columns, Qt.Key.Key_Down: self.columns}
        key = Qt.Key(event.key())
        if key in steps and self.items:
            self._key = min(max(self._key + steps[key], 0), len(self.items) - 1)
            self._point_at(self._key)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.items:
            self._pick(self._key)
        else:
            super().keyPressEvent(event)


class Chooser(QWidget):
    """A grid of tiles that scrolls, and below it a line on the one that is pointed at."""

    def __init__(self, tiles: TileGrid) -> None:
        super().__init__()
        self.tiles = tiles
        self.area = QScrollArea()
        self.area.setWidget(tiles)
        self.area.setFrameShape(QScrollArea.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        marks.mark(self.area, "clear")
        self.does = Label()
        self.does.setFont(words(12))
        marks.ink(self.does, "quiet")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addWidget(self.area, 1)
        column.addWidget(self.does)

    def fit(self) -> None:
        """Take the width that the tiles have."""
        self.area.setFixedWidth(self.tiles.width() + 14)
        self.does.setFixedWidth(self.tiles.width())

    def choose(self, name: str) -> None:
        """Mark the item that is used, by its name, scrolled into view where it is another than before."""
        if (name,) != self.tiles.chosen:
            self.tiles.choose(name)
            number = next((i for i, item in enumerate(self.tiles.items) if self.tiles.name_of(item) == name), None)
            if number is not None:
                at = self.tiles.box(number).center()
                self.area.ensureVisible(round(at.x()), round(at.y()), 0, self.tiles.tile.height())

    def say(self, text: str, tip: bool) -> None:
        """Show a line, shortened to the room there is; whole as the tiles' tip where that is wanted."""
        self.does.setText(self.does.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.does.width()))
        self.tiles.setToolTip(as_tip(text) if tip else "")


_KEYS = (*ARROWS, Qt.Key.Key_Return, Qt.Key.Key_Enter)
