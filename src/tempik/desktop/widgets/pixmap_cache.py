"""Painted pictures that are kept: one store for the whole window, bounded in bytes, what was used longest ago going first."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from cachetools import LRUCache
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QPainter, QPixmap

from tempik.desktop.widgets.painting import painter_on

# So many times what fills the largest screen is kept, within bounds: a store of one size for all fills up, on a small screen, for
# hours, with parts of reels that are long past.
SCREENS = 3
LEAST_BYTES, MOST_BYTES = 12 << 20, 48 << 20


def pixmap_bytes(picture: QPixmap) -> int:
    """Return what a picture holds of memory."""
    return max(1, picture.width() * picture.height() * max(picture.depth(), 8) // 8)


# What a picture was made of is kept with it, so that its identity stays its own.
_Store = LRUCache[tuple[Hashable, ...], tuple[tuple[object, ...], QPixmap]]
_KEPT: list[_Store] = []


def room_for_pictures() -> int:
    """Return how many bytes of pictures are kept, by the screens there are."""
    pixels = [s.size().width() * s.size().height() * s.devicePixelRatio() ** 2 for s in QGuiApplication.screens()]
    return min(max(LEAST_BYTES, round(SCREENS * 4 * max(pixels, default=0))), MOST_BYTES)


def _store() -> _Store:
    if not _KEPT:
        _KEPT.append(LRUCache(room_for_pictures(), getsizeof=lambda kept: pixmap_bytes(kept[1])))
    return _KEPT[0]


def forget_pictures() -> None:
    """Let all go: of another project's parts none is painted again, and the store would fill up with them."""
    _KEPT.clear()


def cached_picture(
    key: tuple[Hashable, ...],
    made_of: tuple[object, ...],
    size: tuple[int, int],
    ratio: float,
    paint: Callable[[QPainter], None],
) -> QPixmap:
    """Return a picture of a size in device-independent pixels at a screen's ratio, painted once for as long as it is kept.

    `key` names it; what is in `made_of` is told by identity: another object is another picture.
    """
    whole = (*key, *map(id, made_of), *size, ratio)
    store = _store()
    kept = store.get(whole)
    if kept is not None:
        return kept[1]
    picture = QPixmap(max(1, round(size[0] * ratio)), max(1, round(size[1] * ratio)))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    with painter_on(picture) as painter:
        paint(painter)
    if pixmap_bytes(picture) <= store.maxsize:
        store[whole] = (made_of, picture)
    return picture
