"""What a page lays over the picture, put where it belongs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QTimer
from PySide6.QtWidgets import QWidget

from tempik.desktop.preview.mode import PreviewMode

EDGE_PX = 2.0


def place_bar(preview: QWidget, now: Callable[[], PreviewMode], box: QRectF, shown: bool) -> None:
    """Put the bar of the mode that is `now` where it belongs, the picture being in `box`, or hide it: after the painting that asks for
    it, which it is not part of."""
    mode = now()
    bar, writing = mode.bar, mode.writing
    if bar is None or writing is None:
        return
    at = writing.bar_place(box, bar.sizeHint()) if shown else None

    def place() -> None:
        if now().bar is not bar:
            return
        if at is not None:
            room = bar.sizeHint()
            x, y = (
                min(max(v, EDGE_PX), max(most - EDGE_PX, EDGE_PX))
                for v, most in ((at.x(), preview.width() - room.width()), (at.y(), preview.height() - room.height()))
            )
            bar.setGeometry(round(x), round(y), room.width(), room.height())
        bar.setVisible(at is not None and preview.isVisible())

    QTimer.singleShot(0, bar, place)
