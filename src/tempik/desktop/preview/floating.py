"""What a page lays over the picture, put where it belongs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRect, QRectF, QTimer
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
    room = bar.sizeHint()
    at = writing.bar_place(box, room) if shown else None
    if at is None:
        if bar.isVisible():
            QTimer.singleShot(0, bar, bar.hide)
        return
    x, y = (
        round(min(max(v, EDGE_PX), max(most - EDGE_PX, EDGE_PX)))
        for v, most in ((at.x(), preview.width() - room.width()), (at.y(), preview.height() - room.height()))
    )
    wanted = QRect(x, y, room.width(), room.height())
    if bar.isVisible() and bar.geometry() == wanted:
        return  # as in most paintings while it plays

    def place() -> None:
        if now().bar is bar:
            bar.setGeometry(wanted)
            bar.setVisible(preview.isVisible())

    QTimer.singleShot(0, bar, place)
