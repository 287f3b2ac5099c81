"""What the preview is for while a page is worked on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QInputMethodEvent, QKeyEvent, QPainter
from PySide6.QtWidgets import QWidget

Keys = Qt.KeyboardModifier
NO_KEYS = Qt.KeyboardModifier.NoModifier


class ByKeys(Protocol):
    """Takes the arrows and typed numbers for what stands in the preview."""

    def placed(self) -> object:
        """Return what stands there; None while nothing does."""

    def nudge(self, across: int, down: int) -> bool:
        """Move it by pixels of the reel; False where nothing stands there."""

    def numbers(self) -> str:
        """Return what the last gesture set, as it stands."""

    def set_numbers(self, text: str) -> bool:
        """Set by what was typed what the last gesture set; False where it cannot be read."""


class Writing(Protocol):
    """Words that are typed where they stand in the preview."""

    @property
    def typing(self) -> bool:
        """Whether keys are for the words."""

    def takes(self, event: QKeyEvent) -> bool:
        """Whether a key is for the words, before commands have it."""

    def typed(self, event: QKeyEvent | QInputMethodEvent) -> None:
        """A key was pressed, or an input method gave text."""

    def stop(self) -> None:
        """Keys are for others from now on."""

    def bar_place(self, box: QRectF, room: QSize) -> QPointF | None:
        """Return where the top left of the bar of `room` belongs, the picture being in `box`; None to hide it."""


class PreviewTool(Protocol):
    """Takes the drags and the wheel in the preview: where a press was and what was dragged since, in shares of the frame,
    and factors; paints over the picture what is set there. It is told how to ask for that anew."""

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """Take note of what paints the picture anew."""

    def press(self, at: QPointF, keys: Keys = NO_KEYS) -> None:
        """A button was pressed at a place, in shares of the picture, with keys held."""

    def offer(self, at: QPointF) -> None:
        """The other button was pressed at a place: offer what lies there."""

    def drag(self, by: QPointF, keys: Keys = NO_KEYS) -> None:
        """The pointer has come so far since the press, in shares of the picture."""

    def cursor(self, at: QPointF, keys: Keys = NO_KEYS) -> Qt.CursorShape:
        """The pointer is over a place with no button held: return how it looks there."""

    def zoom_by(self, factor: float) -> None:
        """The wheel was turned, by a factor."""

    def centre(self) -> None:
        """The picture was double clicked."""

    def settle(self) -> None:
        """The button was let go."""

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Paint over the picture, which lies in `box`."""


def straight(by: QPointF, height_ratio: float, keys: Keys) -> QPointF:
    """Return a way straight across or straight down while Shift is held."""
    if not keys & Qt.KeyboardModifier.ShiftModifier:
        return by
    return QPointF(by.x(), 0.0) if abs(by.x()) > abs(by.y()) * height_ratio else QPointF(0.0, by.y())


class PreviewMode(NamedTuple):
    """`tool` takes the drags of a page's own, else layers are taken hold of once the preview was clicked; `box` takes the arrows and
    typed numbers, where it is not the preview's own; `focus` shows where the chosen lane's focus is. `writing` takes keys while words are
    typed in the picture, and says where `bar`, which lies over the picture, belongs."""

    tool: PreviewTool | None = None
    box: ByKeys | None = None
    focus: bool = False
    writing: Writing | None = None
    bar: QWidget | None = None
