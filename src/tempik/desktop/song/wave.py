"""What every view of the song shares: its wave in three bands, the signs of points, the colours of its sections."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPixmap, QPolygonF

from tempik.desktop.session.song import Song
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.pixmap_cache import cached_picture
from tempik.reel import Point

# Low, middle and high: dark earth, brass, pale. The dim set lies under signs and lines.
BANDS = ("#7d4e2d", "#b98d58", "#efe0bf")
DIM_BANDS = ("#573d2b", "#7f6647", "#a39378")
# Low reaches the rim, middle and high lie inside it: all three stay in sight however dense the music.
_HEIGHTS = (1.0, 0.66, 0.34)
TILE_PX = 256


def wave_picture(
    song: Song, start_s: float, px_per_s: float, size: tuple[int, int], bands: tuple[str, str, str], ratio: float
) -> QPixmap | None:
    """Return a stretch of the song's wave, kept while the view stays: most changes do not touch the sound. None while
    the song is being read."""
    made_of = song.bands or song.outline
    if made_of is None:
        return None
    width, height = size

    def paint(p: QPainter) -> None:
        first = round(start_s * px_per_s)
        for number in range(first // TILE_PX, (first + width) // TILE_PX + 1):
            p.drawPixmap(number * TILE_PX - first, 0, _tile(song, number, px_per_s, height, bands, ratio))

    return cached_picture(("wave", start_s, px_per_s, bands[0]), (made_of,), size, ratio, paint)


def _tile(song: Song, number: int, px_per_s: float, height: int, bands: tuple[str, str, str], ratio: float) -> QPixmap:
    """Return one of the pieces, all equally wide, that a wave of some scale is put together of: moving along the song
    paints only what comes into view."""
    made_of = song.bands or song.outline

    def paint(p: QPainter) -> None:
        start_s, end_s = number * TILE_PX / px_per_s, (number + 1) * TILE_PX / px_per_s
        columns = round(TILE_PX * ratio)
        if song.bands is not None:
            for peaks, height_px, shade in zip(
                song.bands.columns(start_s, end_s, columns), _HEIGHTS, bands, strict=True
            ):
                _columns(p, height_px * peaks, height / 2, shade, ratio)
        elif song.outline is not None:
            _columns(p, song.outline.columns(start_s, end_s, columns), height / 2, bands[1], ratio)

    return cached_picture(("wave tile", number, px_per_s, bands[0]), (made_of,), (TILE_PX, height), ratio, paint)


def _columns(p: QPainter, peaks: NDArray[np.float32], middle: float, shade: str, ratio: float) -> None:
    """Lay a band over what is there: of each column of pixels the part about the middle that its peak fills."""
    rows = round(2 * middle * ratio)
    off = np.abs(np.arange(rows, dtype=np.float32)[:, None] + 0.5 - middle * ratio)
    filled = off <= np.maximum(peaks * middle * ratio, 0.5)[None, :]
    filled &= (peaks > 0.004)[None, :]
    pixels = np.where(filled, np.uint32(QColor(shade).rgba()), np.uint32(0))
    image = QImage(pixels.data, len(peaks), rows, 4 * len(peaks), QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    p.drawImage(QPointF(0, 0), image)


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
