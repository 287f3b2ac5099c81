"""What dropping footage on the timeline means: a frame, or a point where one is near, and a track."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QPointF, Signal
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent, QDropEvent
from PySide6.QtWidgets import QWidget

from tempik.desktop.timeline.lane import PaintContext
from tempik.desktop.timeline.snapping import point_near
from tempik.desktop.widgets.dropped_files import local_files
from tempik.time import frame_on_screen

FOOTAGE_MIME = "application/x-tempik-footage"
REACH_PX = 12


class Drop(NamedTuple):
    """A place: the frame, the point ('' away from points), the track, and what is written there."""

    frame: int
    point: str
    track: int
    label: str


def drop_at(ctx: PaintContext, pos: QPointF) -> Drop:
    """Return what a drop at a place means."""
    timeline = ctx.timeline
    point = point_near(timeline, ctx.view, pos.x(), REACH_PX)
    frame = frame_on_screen(max(0.0, ctx.view.time(pos.x())), timeline.rate)
    frame = min(max(frame, 0), max(timeline.frames - 1, 0))
    if point is not None:
        frame = timeline.frame_of_point(point)
    on = ctx.layout.track_at(pos.y())
    track = ctx.placing if on is None else on
    where = f"cue on point {point.label}" if point is not None else f"from frame {frame}"
    over = f" · track {track + 1}" if len(ctx.project.reel.tracks) > 1 else ""
    return Drop(frame, point.id if point is not None else "", track, where + over)


class DropTarget(QWidget):
    """A widget on which footage of the shelf and files are dropped; `dropping` is where one is held over it."""

    footage_dropped = Signal(str, int, str, int)  # footage, frame, point ('' for none), track
    files_dropped = Signal(list, int, str, int)

    def __init__(self) -> None:
        super().__init__()
        self.dropping: Drop | None = None
        self.setAcceptDrops(True)

    def context(self) -> PaintContext:
        """Return what a place in the widget means now."""
        raise NotImplementedError

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(FOOTAGE_MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self.dropping = drop_at(self.context(), event.position())
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.dropping = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self.dropping = None
        where = drop_at(self.context(), event.position())
        if event.mimeData().hasFormat(FOOTAGE_MIME):
            names = bytes(event.mimeData().data(FOOTAGE_MIME).data()).decode().split()
            for name in names[:1]:
                self.footage_dropped.emit(name, where.frame, where.point, where.track)
        else:
            paths = local_files(event.mimeData())
            self.files_dropped.emit(paths, where.frame, where.point, where.track)
        event.acceptProposedAction()
        self.update()
