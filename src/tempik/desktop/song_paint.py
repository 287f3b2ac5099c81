"""What every view of the song shares: its wave in three bands, the signs of points, the colours of its sections."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from tempik.desktop import theme
from tempik.desktop.strips import Song
from tempik.reel import Point

# Low, middle and high: dark earth, brass, pale. The dim set lies under signs and lines.
BANDS = ("#7d4e2d", "#b98d58", "#efe0bf")
DIM_BANDS = ("#573d2b", "#7f6647", "#a39378")
# Low reaches the rim, middle and high lie inside it: all three stay in sight however dense the music.
_HEIGHTS = (1.0, 0.66, 0.34)
_KEPT = 6
TILE_PX, _KEPT_TILES = 256, 48

# What a picture was made of is kept with it, so that its identity stays its own.
_pictures: OrderedDict[tuple[int, float, float, int, int, str], tuple[object, QPixmap]] = OrderedDict()
_tiles: OrderedDict[tuple[int, int, float, int, str], tuple[object, QPixmap]] = OrderedDict()


def wave_picture(
    song: Song, start_s: float, px_per_s: float, width: int, height: int, bands: tuple[str, str, str]
) -> QPixmap | None:
    """Return a stretch of the song's wave, kept while the view stays: most changes do not touch the sound. None while
    the song is being read."""
    made_of = song.bands or song.outline
    if made_of is None:
        return None
    key = (id(made_of), start_s, px_per_s, width, height, bands[0])
    kept = _pictures.get(key)
    if kept is None:
        picture = QPixmap(max(1, width), max(1, height))
        picture.fill(Qt.GlobalColor.transparent)
        p = QPainter(picture)
        first = round(start_s * px_per_s)
        for number in range(first // TILE_PX, (first + width) // TILE_PX + 1):
            p.drawPixmap(number * TILE_PX - first, 0, _tile(song, number, px_per_s, height, bands))
        p.end()
        _pictures[key] = kept = (made_of, picture)
        while len(_pictures) > _KEPT:
            _pictures.popitem(last=False)
    return kept[1]


def _tile(song: Song, number: int, px_per_s: float, height: int, bands: tuple[str, str, str]) -> QPixmap:
    """Return one of the pieces, all equally wide, that a wave of some scale is put together of: moving along the song
    paints only what comes into view."""
    made_of = song.bands or song.outline
    key = (id(made_of), number, px_per_s, height, bands[0])
    kept = _tiles.get(key)
    if kept is None:
        picture = QPixmap(TILE_PX, max(1, height))
        picture.fill(Qt.GlobalColor.transparent)
        p = QPainter(picture)
        start_s, end_s = number * TILE_PX / px_per_s, (number + 1) * TILE_PX / px_per_s
        if song.bands is not None:
            for peaks, tall, shade in zip(song.bands.columns(start_s, end_s, TILE_PX), _HEIGHTS, bands, strict=True):
                _columns(p, tall * peaks, height / 2, shade)
        elif song.outline is not None:
            _columns(p, song.outline.columns(start_s, end_s, TILE_PX), height / 2, bands[1])
        p.end()
        _tiles[key] = kept = (made_of, picture)
        while len(_tiles) > _KEPT_TILES:
            _tiles.popitem(last=False)
    else:
        _tiles.move_to_end(key)
    return kept[1]


def _columns(p: QPainter, peaks: NDArray[np.float32], middle: float, shade: str) -> None:
    p.setPen(QColor(shade))
    lines = [QLineF(x, middle - h * middle, x, middle + h * middle) for x, h in enumerate(peaks.tolist()) if h > 0.004]
    p.drawLines(lines)


def level_colour(level: float) -> QColor:
    """Return the ground of a section: cool and dim where it is quiet, warm where it is full."""
    quiet, full = (0x2A, 0x31, 0x36), (0x7A, 0x54, 0x26)
    share = min(max((level - 0.45) / 0.55, 0.0), 1.0)
    return QColor(*(round(a + (b - a) * share) for a, b in zip(quiet, full, strict=True)))


def paint_sign(p: QPainter, x: float, y: float, point: Point, size: float = 5.5) -> None:
    """A point's sign: a diamond, filled for a downbeat, open for a beat, barred when placed by hand, with a lid for a
    drop; a dot for an onset or a part of a beat. A locked one is underlined."""
    shape = QPolygonF([QPointF(x, y - size), QPointF(x + size, y), QPointF(x, y + size), QPointF(x - size, y)])
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(theme.RHYTHM), 1.5))
    if point.kind == "onset":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.PULSE))
        p.drawEllipse(QPointF(x, y), 2.8, 2.8)
    elif point.kind == "part":
        p.setBrush(QColor(theme.GROUND))
        p.drawEllipse(QPointF(x, y), 2.4, 2.4)
    else:
        p.setBrush(QColor(theme.RHYTHM if point.kind in ("downbeat", "drop") else theme.GROUND))
        p.drawPolygon(shape)
        if point.kind == "hand":
            p.drawLine(QPointF(x - size - 3, y), QPointF(x + size + 3, y))
        if point.kind == "drop":
            p.drawLine(QPointF(x - size, y - size - 2), QPointF(x + size, y - size - 2))
    if point.locked:
        p.setPen(QPen(QColor(theme.TEXT), 2))
        p.drawLine(QPointF(x - 5, y + size + 3), QPointF(x + 5, y + size + 3))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
