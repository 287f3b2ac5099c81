"""The timeline widget: it lays lanes out, scrolls and zooms them, and hands presses to the lane that they hit."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QPointF, QSize, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.session.song import Song
from tempik.desktop.session.sound_shapes import SoundShapes
from tempik.desktop.timeline import background
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.backing_store import BackingStore
from tempik.desktop.timeline.dropping import DropTarget
from tempik.desktop.timeline.heights import LaneHeights
from tempik.desktop.timeline.lane import Asks, Hit, LaneGesture, LaneLayout, LaneView, PaintContext, Pointer
from tempik.desktop.timeline.lanes import lanes_of
from tempik.desktop.timeline.lanes.ruler import SeekGesture
from tempik.desktop.timeline.lanes.sounds import scroll_to_channel
from tempik.desktop.timeline.layout import layout_of
from tempik.desktop.timeline.snapping import frame_x
from tempik.desktop.timeline.spoken import SpokenLanes
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.plain import as_tip
from tempik.reel import Reel
from tempik.time import time_of

# So long after the last step of a zoom everything is painted exactly.
SETTLE_MS = 70
ARRIVED_MS = 120
LEAST_H = 200


class TimelineView(QWidget):
    """A shared time axis over lanes."""

    def __init__(
        self, project: Project, filmstrips: Filmstrips, song: Song, watch: MediaWatch, shapes: SoundShapes
    ) -> None:
        super().__init__()
        self.project, self.filmstrips, self.song, self.watch, self.shapes = project, filmstrips, song, watch, shapes
        self.asks = Asks(self)
        self.view = View.of(0.0, 60.0, 800)
        self._picture = BackingStore()
        self.heights = LaneHeights(self._relaid)
        self._scroll = 0  # pixels of lanes above what is shown
        self._lanes: tuple[Reel, list[LaneView]] | None = None  # of the reel that is shown
        self._layout: tuple[tuple[int, int], list[LaneView], LaneLayout] | None = None
        self._gesture: LaneGesture | None = None
        self._pressed = QPointF(0, 0)
        self._pan_from: tuple[float, float] | None = None  # while panning: where the pointer and the view began
        self._hover: tuple[str, str] = ("", "")  # lane and part that is pointed at
        self._drag_at = QPointF(0, 0)
        self._fit_next = True
        self._frames = 0  # of the reel that is shown
        self._fitted = False  # the whole reel is shown, and stays shown as the widget is resized
        self._coarse, self._scaled_at = False, 0.0
        self._settle = QTimer(self, singleShot=True)
        self._settle.timeout.connect(self._sharpen)
        self._placing: Callable[[], int] = lambda: 0
        self._made_ahead: Callable[[], list[tuple[int, int, bool]]] = list
        self.setMouseTracking(True)
        self.drops = DropTarget(self, self.context)
        self.setMinimumHeight(LEAST_H)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Timeline")
        self._spoken = SpokenLanes(self, project, self.context)
        project.changed.connect(self._reel_changed)
        project.given_up.connect(self._let_go)
        for signal in (
            *(project.selection.selected, project.selection.lane_selected, project.selection.sound_selected),
            *(project.selection.keys.changed, song.changed, watch.changed),
        ):
            signal.connect(self.refresh)
        # Pictures of many files come one after the other: they are painted some at a time.
        self._arrived = QTimer(self, singleShot=True, interval=ARRIVED_MS)
        self._arrived.timeout.connect(self.refresh)
        for signal in (filmstrips.changed, shapes.changed):
            signal.connect(lambda: None if self._arrived.isActive() else self._arrived.start())
        project.playhead.moved.connect(self._follow)
        project.selection.sound_selected.connect(lambda: self.scroll_lanes(scroll_to_channel(self.context())))

    def tell_from(self, placing: Callable[[], int], made_ahead: Callable[[], list[tuple[int, int, bool]]]) -> None:
        """Ask `placing` for the track that footage is placed on, and `made_ahead` for the frames made ahead."""
        self._placing, self._made_ahead = placing, made_ahead

    def sizeHint(self) -> QSize:
        return QSize(800, 372)

    @property
    def layout_(self) -> LaneLayout:
        """What lies how far down now."""
        reel, place = self.project.reel, (self.height(), self._scroll)
        if self._lanes is None or self._lanes[0] is not reel:
            lanes = lanes_of(reel)
            same = self._lanes is not None and [lane.key for lane in lanes] == [lane.key for lane in self._lanes[1]]
            self._lanes = (reel, self._lanes[1] if self._lanes is not None and same else lanes)
        lanes = self._lanes[1]
        if self._layout is None or self._layout[0] != place or self._layout[1] is not lanes:
            self._layout = (place, lanes, layout_of(lanes, *place, self.heights.by_hand))
        return self._layout[2]

    def context(self) -> PaintContext:
        """Return what lanes paint and hit-test by now."""
        return PaintContext(
            self.project, self.view, self.layout_, self.song, self.filmstrips, self.watch, self.asks, self.height(),
            self._placing(), self.shapes,
        )  # fmt: skip

    def _relaid(self) -> None:
        """Lanes are as high as they are now."""
        self._layout = None
        self._scroll = min(self._scroll, self.layout_.hidden)
        self.refresh()

    def refresh(self) -> None:
        """Paint everything anew at the next paint."""
        self._picture.forget()
        self.update()

    # The view

    def fit(self) -> None:
        """Show the whole reel."""
        timeline = self.project.timeline
        self.view = self.view._replace(width=self.width()).fitted(timeline.frames / float(timeline.rate))
        self._fitted = True
        self.refresh()

    def fit_when_shown(self) -> None:
        """Fit the next reel that is shown, as after opening another project."""
        self._fit_next = True

    def show_whole(self) -> None:
        """Fit the reel that is here, as one that was just opened; once the widget has its size, where it has none yet."""
        self._fit_next = True
        self._reel_changed()

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Zoom about an x, or about the playhead."""
        timeline = self.project.timeline
        at = x if x is not None else self.view.x(time_of(self.project.playhead.frame, timeline.rate))
        self.view = self.view.scaled(factor, max(at, GUTTER), timeline)
        self._fitted = False
        # Steps of a wheel follow each other: stretched pictures do until it rests.
        self._coarse, self._scaled_at = True, at
        self._settle.start(SETTLE_MS)
        self.update()

    def _sharpen(self) -> None:
        if self._picture.sharpen(self.context(), self._scaled_at):
            self._settle.start(0)
        else:
            self._coarse = False
        self.update()

    def scroll_lanes(self, pixels: int) -> None:
        """Show lanes further down, or up: where they do not all fit."""
        scroll = min(max(self._scroll + pixels, 0), self.layout_.hidden)
        if scroll != self._scroll:
            self._scroll = scroll
            self.refresh()

    def _reel_changed(self) -> None:
        if self.project.regraded:
            return  # grades are not seen here
        timeline = self.project.timeline
        other_length, self._frames = timeline.frames != self._frames, timeline.frames
        if timeline.frames == 0:
            self._fit_next = True
        elif (self._fit_next or (self._fitted and other_length)) and self.width() > 200:
            self._fit_next = False
            self.fit()
        else:
            self.view = self.view.kept_on(timeline)
        self._scroll = min(self._scroll, self.layout_.hidden)
        changed = self._picture.mended(self.context())
        if changed is None:
            self.refresh()
            return
        for box in changed:
            self.update(box.adjusted(-2, -2, 2, 2).toAlignedRect())

    def _follow(self, frame: int) -> None:
        x = self.view.x(time_of(frame, self.project.timeline.rate))
        if not GUTTER <= x <= self.width() - 20:
            start_s = self.view.time(x) - self.view.room * 0.1 / self.view.px_per_s
            self.view = self.view._replace(start_s=start_s).kept_on(self.project.timeline)
        self.update()

    # Painting

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.view = self.view._replace(width=self.width())
        if (self._fit_next or self._fitted) and self.project.timeline.frames:
            self._fit_next = False
            self.fit()
        self._scroll = min(self._scroll, self.layout_.hidden)
        self.refresh()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        ctx, timeline = self.context(), self.project.timeline
        p.drawPixmap(0, 0, self._picture.shown(self, ctx, self._coarse))
        for number, lane in ctx.layout.in_view:
            lane.paint_staying(p, ctx, ctx.layout.box(number, self.width()))
        self._paint_hover(p, ctx)
        if timeline.frames:
            background.paint_playhead(
                p, self.view, self.view.x(time_of(self.project.playhead.frame, timeline.rate)), self.height()
            )
        background.paint_made_ahead(p, timeline, self.view, self._made_ahead())
        gesture = self._gesture
        if gesture is not None and gesture.snap is not None and gesture.snap.target is not None:
            target = gesture.snap.target
            background.paint_snap(p, self.view, ctx.layout, frame_x(self.view, timeline, target.frame), target.label)
        if self.drops.over is not None:
            x = frame_x(self.view, timeline, self.drops.over.frame)
            background.paint_snap(p, self.view, ctx.layout, x, self.drops.over.label)
        if self._drag_text:
            background.paint_beside(p, self._drag_at, self._drag_text, self.width(), self.height())
        if self.hasFocus():
            p.setPen(QColor(theme.RHYTHM))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_hover(self, p: QPainter, ctx: PaintContext) -> None:
        key, part = self._hover
        for number, lane in ctx.layout.in_view if part else ():
            if lane.key == key:
                lane.paint_hover(p, ctx, ctx.layout.box(number, self.width()), part)

    @property
    def _drag_text(self) -> str:
        """What a drag does, to be shown beside the pointer."""
        return self._gesture.text if self._gesture is not None else ""

    # Pointer

    def hit(self, pos: QPointF) -> tuple[str, Hit] | None:
        """Return the lane and what of it lies under the pointer: what is painted last is hit first."""
        ctx, weak = self.context(), None
        edge = self.heights.hit(ctx.layout, pos)
        if edge is not None:
            return "edges", edge
        for number, lane in reversed(ctx.layout.in_view):
            found = lane.hit(ctx, ctx.layout.box(number, self.width()), pos)
            if found is not None and not found.weak:
                return lane.key, found
            weak = weak or ((lane.key, found) if found is not None else None)
        return weak

    def _pointer(self, event: QMouseEvent) -> Pointer:
        return Pointer(event.position(), self._pressed, event.modifiers(), event.globalPosition().toPoint())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self._drag_at = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan_from = (event.position().x(), self.view.start_s)
            return
        found = self.hit(event.position())
        hit = found[1] if found is not None else Hit()
        if event.button() == Qt.MouseButton.RightButton:
            if hit.menu is not None:
                hit.menu(event.globalPosition().toPoint())
        elif event.button() == Qt.MouseButton.LeftButton:
            at = self._pointer(event)
            if hit.press is not None:
                self._gesture = hit.press(at)
            elif at.pos.x() >= GUTTER and at.pos.y() < self.layout_.pictures_end:
                self.project.selection.select_clip(None)
                self._gesture = SeekGesture(self.context(), at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._drag_at = event.position()
        if self._pan_from is not None:
            x, start_s = self._pan_from
            start_s -= (event.position().x() - x) / self.view.px_per_s
            self.view = self.view._replace(start_s=start_s).kept_on(self.project.timeline)
            self.update()
        elif self._gesture is None:
            self._point_at(event.position())
        else:
            at = self._pointer(event)
            if at.far or self._gesture.text or isinstance(self._gesture, SeekGesture):
                self._gesture.drag(self.context(), at)
                self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan_from = None
        gesture = self._gesture
        if gesture is not None:
            gesture.release(self.context(), self._pointer(event))
            self._gesture = None
        self.update()

    def _let_go(self) -> None:
        """The drag under way is none any more: everything is as it was."""
        if self._gesture is not None:
            self._gesture.drop()
            self._gesture = None
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._let_go()
        self._pressed = event.position()
        found = self.hit(event.position())
        if found is not None and found[1].double is not None:
            found[1].double(self._pointer(event))

    def _point_at(self, pos: QPointF) -> None:
        found = self.hit(pos)
        hover = (found[0], found[1].hover) if found is not None and found[1].hover else ("", "")
        if hover != self._hover:
            self._hover = hover
            self.update()
        self.setCursor(found[1].cursor if found is not None else Qt.CursorShape.ArrowCursor)

    def leaveEvent(self, event: QEvent) -> None:
        if self._hover != ("", ""):
            self._hover = ("", "")
            self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            found = self.hit(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), as_tip(found[1].tip()) if found is not None else "", self)
            return True
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta()
        down = event.position().x() < GUTTER or event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if down and self.layout_.hidden:
            self.scroll_lanes(-round(turn.y() * 0.4))
        elif turn.x() or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.view = self.view.panned(-(turn.x() or turn.y()) * 0.7, self.project.timeline)
            self.update()
        else:
            self.zoom(1.0015 ** turn.y(), event.position().x())
        event.accept()
