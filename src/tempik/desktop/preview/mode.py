"""What the preview is for while a page is worked on."""

from __future__ import annotations

from typing import NamedTuple, Protocol

from PySide6.QtCore import QPointF


class PreviewTool(Protocol):
    """Takes the drags and the wheel in the preview: shares of the frame since the drag began, and factors."""

    def drag(self, by: QPointF) -> None: ...
    def zoom_by(self, factor: float) -> None: ...
    def centre(self) -> None: ...
    def settle(self) -> None: ...


class PreviewMode(NamedTuple):
    """`tool` takes drags in place of panning, with thirds to place by; `focus` shows where the chosen row's focus is."""

    tool: PreviewTool | None = None
    focus: bool = False
