"""Pictures of the user's footage on tiles."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import image_of, rgb_of
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.media.picture import Picture, from_rgb, solid, to_rgb

TILE_W, PICTURE_H, NAME_H = 92, 62, 17


def cut_to(pixmap: QPixmap | None, wide: int, height_px: int) -> Picture:
    """Return the middle of a picture that fills a size; grey stripes where there is none yet."""
    if pixmap is None or pixmap.isNull():
        plain = solid(wide, height_px, 70)
        plain.y[:, ::12] = 150
        return plain
    image = pixmap.toImage()
    scale = max(wide / image.width(), height_px / image.height())
    image = image.scaled(
        max(wide, math.ceil(image.width() * scale)),
        max(height_px, math.ceil(image.height() * scale)),
        Qt.AspectRatioMode.IgnoreAspectRatio,
        Qt.TransformationMode.SmoothTransformation,
    )
    rgb = rgb_of(image)
    top, left = (image.height() - height_px) // 2, (image.width() - wide) // 2
    return from_rgb(np.ascontiguousarray(rgb[top : top + height_px, left : left + wide]))


def as_pixmap(picture: Picture) -> QPixmap:
    """Return a picture of even sides for painting."""
    return QPixmap.fromImage(image_of(to_rgb(picture)))


class PictureTiles(TileGrid):
    """A grid of named pictures: each at rest, made when it is first seen, and one that plays while it is pointed at."""

    def __init__(
        self, gap: int, columns: int, plays: bool = False, size: tuple[int, int] = (TILE_W, PICTURE_H)
    ) -> None:
        super().__init__((size[0], size[1] + NAME_H), gap, columns, plays)
        self.size_px = size
        self._rest: dict[tuple[str, bool], QPixmap] = {}

    def title_of(self, item: Any) -> str:
        """Return what is written below an item's picture."""
        return self.name_of(item)

    def resting(self, item: Any) -> QPixmap:
        """Return an item's picture at rest."""
        raise NotImplementedError

    def playing(self, item: Any) -> QPixmap:
        """Return the picture that the tile under the pointer has come to."""
        raise NotImplementedError

    def made_anew(self) -> None:
        """Have all pictures made again as they are seen."""
        self._rest.clear()
        self.update()

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        item, used, under = self.items[number], self.used(number), number == self.under
        key = self.name_of(item), bool(getattr(item, "own", False))
        if key not in self._rest:
            self._rest[key] = self.resting(item)
        p.drawPixmap(box.topLeft(), self.playing(item) if under and self.tick else self._rest[key])
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.RHYTHM if used else theme.TEXT if under else theme.LINE), 1.6))
        wide, high = self.size_px
        p.drawRoundedRect(QRectF(box.left() + 0.8, box.top() + 0.8, wide - 1.6, high - 1.6), 3, 3)
        p.setFont(words(12))
        p.setPen(QColor(theme.TEXT if used or under else theme.QUIET))
        shown = p.fontMetrics().elidedText(self.title_of(item), Qt.TextElideMode.ElideRight, wide)
        p.drawText(QRectF(box.left(), box.top() + high, wide, NAME_H), Qt.AlignmentFlag.AlignCenter, shown)
