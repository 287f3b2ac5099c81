"""Painted pictures that are kept: one store for the whole window, bounded in bytes, what was used longest ago going first."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from cachetools import LRUCache
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPixmap

from tempik.desktop.widgets.painting import painter_on

# Three times what fills a screen of 2560 × 1440.
KEPT_BYTES = 48 << 20


def pixmap_bytes(picture: QPixmap) -> int:
    """Return what a picture holds of memory."""
    return max(1, picture.width() * picture.height() * max(picture.depth(), 8) // 8)


# What a picture was made of is kept with it, so that its identity stays its own.
_KEPT: LRUCache[tuple[Hashable, ...], tuple[object, QPixmap]] = LRUCache(
    KEPT_BYTES, getsizeof=lambda kept: pixmap_bytes(kept[1])
)


def forget_pictures() -> None:
    """Let all go: of another project's parts none is painted again, and the store would fill up with them."""
    _KEPT.clear()


def kept_picture(
    key: tuple[Hashable, ...], made_of: object, size: tuple[int, int], ratio: float, paint: Callable[[QPainter], None]
) -> QPixmap:
    """Return a picture of a size in device-independent pixels at a screen's ratio, painted once for as long as it is kept.

    `key` names it; `made_of` is told by identity: another object is another picture.
    """
    whole = (*key, id(made_of), *size, ratio)
    kept = _KEPT.get(whole)
    if kept is not None:
        return kept[1]
    picture = QPixmap(max(1, round(size[0] * ratio)), max(1, round(size[1] * ratio)))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    with painter_on(picture) as painter:
        paint(painter)
    if pixmap_bytes(picture) <= KEPT_BYTES:
        _KEPT[whole] = (made_of, picture)
    return picture
