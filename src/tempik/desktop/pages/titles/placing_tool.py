"""A title placed in the preview: dragged, its edges and middle snapping to the frame's guides and the phone's safe area."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from msgspec.structs import replace
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from tempik.desktop.pages.placing import Placing
from tempik.desktop.preview.guides import SAFE_BOTTOM, SAFE_LEFT, SAFE_RIGHT, SAFE_TOP, paint_safe_area
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.reel import Position, Title
from tempik.titles import laid_out

REACH = 0.014  # of the frame's width


class Extent(NamedTuple):
    """Where a title stands in the frame, in shares of its width and height."""

    left: float
    top: float
    right: float
    bottom: float


GUIDES_X = (0.5, SAFE_LEFT, 1 - SAFE_RIGHT, 1 / 3, 2 / 3)
GUIDES_Y = (0.5, SAFE_TOP, 1 - SAFE_BOTTOM, 1 / 3, 2 / 3)


def extent_of(title: Title, at: Position, height_ratio: float) -> Extent:
    """Return where a title stands; `height_ratio` is the frame's height against its width. Its turn is left aside."""
    block = laid_out(title)
    half_x, half_y = block.width * title.size * at.zoom / 2, block.height * title.size * at.zoom / height_ratio / 2
    x, y = 0.5 + at.x, 0.5 + at.y
    return Extent(x - half_x, y - half_y, x + half_x, y + half_y)


def snapped_to(extent: Extent, height_ratio: float) -> tuple[float, float, float | None, float | None]:
    """Return by how much a title moves to the nearest guides within reach, and which they are."""
    by_x, guide_x = _nearest((extent.left, (extent.left + extent.right) / 2, extent.right), GUIDES_X, REACH)
    by_y, guide_y = _nearest(
        (extent.top, (extent.top + extent.bottom) / 2, extent.bottom), GUIDES_Y, REACH / height_ratio
    )
    return by_x, by_y, guide_x, guide_y


def _nearest(edges: tuple[float, ...], guides: tuple[float, ...], reach: float) -> tuple[float, float | None]:
    # The middle goes with the middle alone; sides go with all other guides.
    pairs = [(g - e, g) for n, e in enumerate(edges) for g in guides if (n == 1) == (g in (0.5, 1 / 3, 2 / 3))]
    by, guide = min(pairs, key=lambda p: abs(p[0]))
    return (by, guide) if abs(by) <= reach else (0.0, None)


class TitleTool:
    """Takes the preview's drags while the Titles page is open."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.placing = Placing(project)
        self._lit: tuple[float | None, float | None] = (None, None)

    @property
    def height_ratio(self) -> float:
        """The frame's height in shares of its width."""
        return self.project.reel.height / self.project.reel.width

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """What is painted follows from the reel and the selection alone."""

    def press(self, at: QPointF) -> None:
        self._lit = (None, None)

    def drag(self, by: QPointF) -> None:
        self.placing.shift(lambda at: self._moved(at, by))

    def _moved(self, at: Position, by: QPointF) -> Position:
        clip = self.project.selection.clip
        at = replace(at, x=at.x + by.x(), y=at.y + by.y())
        if clip is None or clip.title is None or at.turn_deg % 90:
            return at
        by_x, by_y, *lit = snapped_to(extent_of(clip.title, at, self.height_ratio), self.height_ratio)
        self._lit = (lit[0], lit[1])
        return replace(at, x=at.x + by_x, y=at.y + by_y)

    def zoom_by(self, factor: float) -> None:
        self.placing.shift(lambda at: replace(at, zoom=min(max(at.zoom * factor, 0.05), 20.0)))
        self.placing.settle("Title scaled")

    def centre(self) -> None:
        self.placing.shift(lambda at: replace(at, x=0.0, y=0.0))
        self.placing.settle("Title centred")

    def settle(self) -> None:
        self.placing.settle("Title placed")
        self._lit = (None, None)

    def paint(self, p: QPainter, box: QRectF) -> None:
        """The safe area, the title's extent, and the guides that it has snapped to."""
        paint_safe_area(p, box)
        clip, placed = self.project.selection.clip, self.project.selection.placed
        if clip is None or clip.title is None or placed is None:
            return
        if not placed.first <= self.project.playhead.frame < placed.end:
            return
        at = self.project.timeline.framing_at(placed, self.project.playhead.frame).start
        extent = extent_of(clip.title, at, self.height_ratio)
        where = QRectF(
            box.left() + extent.left * box.width(), box.top() + extent.top * box.height(),
            (extent.right - extent.left) * box.width(), (extent.bottom - extent.top) * box.height(),
        )  # fmt: skip
        p.setPen(QPen(colour(theme.TEXT, 0.6), 1, Qt.PenStyle.SolidLine))
        p.save()
        p.translate(where.center())
        p.rotate(at.turn_deg)
        p.drawRect(QRectF(-where.width() / 2, -where.height() / 2, where.width(), where.height()))
        p.restore()
        p.setPen(QPen(QColor(theme.RHYTHM), 1.4))
        x, y = self._lit
        if x is not None:
            across = box.left() + x * box.width()
            p.drawLine(QLineF(across, box.top(), across, box.bottom()))
        if y is not None:
            down = box.top() + y * box.height()
            p.drawLine(QLineF(box.left(), down, box.right(), down))
