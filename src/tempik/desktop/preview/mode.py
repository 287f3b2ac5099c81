"""What the preview is for while a page is worked on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter


class PreviewTool(Protocol):
    """Takes the drags and the wheel in the preview: where a press was and what was dragged since, in shares of the frame,
    and factors; paints over the picture what is set there. It is told how to ask for that anew."""

    def shown_on(self, repaint: Callable[[], None]) -> None: ...
    def press(self, at: QPointF) -> None: ...
    def drag(self, by: QPointF) -> None: ...
    def zoom_by(self, factor: float) -> None: ...
    def centre(self) -> None: ...
    def settle(self) -> None: ...
    def paint(self, p: QPainter, box: QRectF) -> None: ...


class PreviewMode(NamedTuple):
    """`tool` takes drags in place of panning; `focus` shows where the chosen lane's focus is."""

    tool: PreviewTool | None = None
    focus: bool = False
