"""The timeline's parts for assistive technology: a child for each lane that says what it is and holds."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtWidgets import QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.timeline.lane import PaintContext

# What lanes say is worked out once a drag rests.
REST_MS = 300


class SpokenLanes(QObject):
    """Keeps one unpainted child widget a lane, where the lane lies and named by what it says."""

    def __init__(self, timeline: QWidget, project: Project, context: Callable[[], PaintContext]) -> None:
        """`context` is what lanes would be painted by now."""
        super().__init__(timeline)
        self._timeline, self._context = timeline, context
        self._children: list[QWidget] = []
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self.say)
        for signal in (project.changed, project.playhead.moved, project.selection.selected):
            signal.connect(self._rest.start)

    def say(self) -> None:
        """Name the children by what the lanes hold now."""
        ctx = self._context()
        lanes = [n for n, lane in enumerate(ctx.layout.lanes) if ctx.layout.heights[n]]
        while len(self._children) < len(lanes):
            child = QWidget(self._timeline)
            child.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            child.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
            child.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            child.show()
            self._children.append(child)
        for child, number in zip(self._children, lanes, strict=False):
            child.setAccessibleName(ctx.layout.lanes[number].spoken(ctx))
            child.setGeometry(ctx.layout.box(number, self._timeline.width()).toRect())
        for child in self._children[len(lanes) :]:
            child.setAccessibleName("")
            child.hide()
