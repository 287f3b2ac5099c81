"""What the preview is for while a page is worked on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter


class PreviewTool(Protocol):
    """Takes the drags and the wheel in the preview: where a press was and what was dragged since, in shares of the frame,
    and factors; paints over the picture what is set there. It is told how to ask for that anew."""

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """Take note of what paints the picture anew."""

    def press(self, at: QPointF) -> None:
        """A button was pressed at a place, in shares of the picture."""

    def drag(self, by: QPointF) -> None:
        """The pointer has come so far since the press, in shares of the picture."""

    def zoom_by(self, factor: float) -> None:
        """The wheel was turned, by a factor."""

    def centre(self) -> None:
        """The picture was double clicked."""

    def settle(self) -> None:
        """The button was let go."""

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Paint over the picture, which lies in `box`."""


class PreviewMode(NamedTuple):
    """`tool` takes drags in place of panning; `focus` shows where the chosen lane's focus is."""

    tool: PreviewTool | None = None
    focus: bool = False
