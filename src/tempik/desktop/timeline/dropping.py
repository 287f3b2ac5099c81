"""What dropping footage on the timeline means: a frame, or a point where one is near, and a track."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, QPointF, Signal
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


class DropTarget(QObject):
    """Takes footage of the shelf and files that are dropped on a widget; `over` is where something is held over it."""

    footage_dropped = Signal(str, int, str, int)  # footage, frame, point ('' for none), track
    files_dropped = Signal(list, int, str, int)

    def __init__(self, widget: QWidget, context: Callable[[], PaintContext]) -> None:
        super().__init__(widget)
        self._widget, self._context = widget, context
        self.over: Drop | None = None
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop:
            self.over = None
            self._drop(event, drop_at(self._context(), event.position()))
        elif isinstance(event, QDragMoveEvent) and event.type() == QEvent.Type.DragMove:
            self.over = drop_at(self._context(), event.position())
        elif isinstance(event, QDragEnterEvent):
            if not (event.mimeData().hasFormat(FOOTAGE_MIME) or event.mimeData().hasUrls()):
                return False
        elif isinstance(event, QDragLeaveEvent):
            self.over = None
        else:
            return super().eventFilter(watched, event)
        if isinstance(event, QDropEvent):
            event.acceptProposedAction()
        self._widget.update()
        return True

    def _drop(self, event: QDropEvent, where: Drop) -> None:
        if event.mimeData().hasFormat(FOOTAGE_MIME):
            names = bytes(event.mimeData().data(FOOTAGE_MIME).data()).decode().split()
            for name in names[:1]:
                self.footage_dropped.emit(name, where.frame, where.point, where.track)
        else:
            paths = local_files(event.mimeData())
            self.files_dropped.emit(paths, where.frame, where.point, where.track)
