"""The unit of the timeline: a lane measures, paints and hit-tests itself, and makes the gestures that begin on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from PySide6.QtCore import QObject, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter

from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.session.song import Song
from tempik.desktop.session.sound_shapes import SoundShapes
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.layout import Layout, Room
from tempik.desktop.timeline.snapping import Snap
from tempik.reel import Reel
from tempik.timeline.timeline import Timeline

DRAG_PX = 4


class Asks(QObject):
    """What lanes ask of the window."""

    lane_menu = Signal(str, QPoint)
    lane_wanted = Signal()  # the chosen accent lane is to be edited
    clip_menu = Signal(str, QPoint)
    picture_menu = Signal(int, QPoint)
    settled_clip = Signal(str)  # a drag of this clip has ended
    transition_menu = Signal(object, QPoint)
    transition_wanted = Signal()  # the chosen transition is to be edited
    title_wanted = Signal()  # the chosen title is to be edited
    sound_menu = Signal(str, QPoint)  # of a sound lane or track
    sound_clip_menu = Signal(str, QPoint)
    clip_sound_menu = Signal(str, QPoint)  # of a clip's own sound
    key_menu = Signal(QPoint)  # of the chosen keys
    sound_wanted = Signal()  # the chosen sound is to be edited
    nest_wanted = Signal(str)  # this nest is to be opened


class PaintContext(NamedTuple):
    """What lanes paint and hit-test by."""

    project: Project
    view: View
    layout: Layout[LaneView]
    song: Song
    filmstrips: Filmstrips
    watch: MediaWatch
    asks: Asks
    height: int
    placing: int  # the track that footage is placed on
    shapes: SoundShapes
    within: QRectF | None = None  # only what lies in this box is painted

    @property
    def timeline(self) -> Timeline:
        """The reel as it is shown now."""
        return self.project.timeline

    def touches(self, number: int) -> bool:
        """Tell whether what is painted touches a lane."""
        return self.within is None or self.layout.box(number, self.view.width).intersects(self.within)

    def frame_px(self) -> float:
        """Return how wide a frame is."""
        return self.view.px_per_s / float(self.timeline.rate)


class Pointer(NamedTuple):
    """Where the pointer is, what is held with it, and where the press began."""

    pos: QPointF
    start: QPointF
    keys: Qt.KeyboardModifier
    screen: QPoint

    def held(self, key: Qt.KeyboardModifier) -> bool:
        """Tell whether a key is held with it."""
        return bool(self.keys & key)

    @property
    def ctrl(self) -> bool:
        """Whether Ctrl is held."""
        return self.held(Qt.KeyboardModifier.ControlModifier)

    @property
    def shift(self) -> bool:
        """Whether Shift is held."""
        return self.held(Qt.KeyboardModifier.ShiftModifier)

    @property
    def alt(self) -> bool:
        """Whether Alt is held."""
        return self.held(Qt.KeyboardModifier.AltModifier)

    @property
    def moved(self) -> QPointF:
        """How far it has moved since the press, in pixels."""
        return self.pos - self.start

    @property
    def far(self) -> bool:
        """Whether it has moved far enough from the press to be a drag."""
        return self.moved.manhattanLength() >= DRAG_PX


class LaneGesture:
    """What one press becomes. `text` is shown beside the pointer and `snap` as a line while it is dragged."""

    def __init__(self) -> None:
        self.text = ""
        self.snap: Snap | None = None

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        """The pointer moved with the button held, beyond the first few pixels."""

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        """The button was let go."""

    def drop(self) -> None:
        """The gesture ends without having been."""


class Hit(NamedTuple):
    """What lies under the pointer: the cursor's shape, a tip, what to show as pointed at, and what a press, a double
    click or a right click does. Tips are worked out when they are asked for."""

    cursor: Qt.CursorShape = Qt.CursorShape.ArrowCursor
    hover: str = ""
    tip: Callable[[], str] = str
    press: Callable[[Pointer], LaneGesture | None] | None = None
    double: Callable[[Pointer], None] | None = None
    menu: Callable[[QPoint], None] | None = None
    weak: bool = False  # anything else that is hit there comes first


# From when to when, in seconds of the reel.
Span = tuple[float, float]


class Series(NamedTuple):
    """Things that lie along time, in order: where some of them are others, the stretch that these are `seen` in is painted anew; `through`
    all lanes, where they are seen in all."""

    items: Sequence[Any]
    seen: Callable[[Any], Span]
    alike: Callable[[Any, Any], bool] = lambda a, b: a is b or a == b
    through: bool = False


class Depends(NamedTuple):
    """What a lane's painting follows from: where anything of `whole` is another, all of the lane and its name is painted anew, else what of
    its `series` is."""

    whole: tuple[object, ...] = ()
    series: tuple[Series, ...] = ()


class LaneView:
    """What is seen of one lane of the timeline. `key` names it; lanes of the `head` stay when the others scroll; what lies `beneath` is
    painted before the points' lines."""

    key = ""
    order: int  # of the kinds of lanes that there are, from the top down
    head = False
    beneath = False
    reach_px = 64  # how far beyond its own stretch a thing of the lane may be painted: signs and words

    def room(self) -> Room:
        """Return how high the lane may be; a lane of no height lies over the others."""
        raise NotImplementedError

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """Paint what stands, right of the names."""

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        """Return what of a reel the lane's painting follows from, its name's too; what is chosen, the view and the files are seen to
        elsewhere. A lane that does not say is painted anew with each change."""
        return Depends((timeline,))

    def extent(self, ctx: PaintContext, box: QRectF) -> QRectF:
        """Return where the lane paints, of the box that it is given."""
        return box

    def paint_staying(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """Paint, over what stands, what stays in view as the rest moves along."""

    def sketch(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """Paint what stands roughly, for a moment, where nothing was painted before: only what costs next to nothing."""

    def paint_hover(self, p: QPainter, ctx: PaintContext, box: QRectF, hover: str) -> None:
        """Paint what is pointed at, over what stands."""

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        """Paint the lane's name, in the gutter."""

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        """Return what lies under the pointer, in the lane or in its name, or None."""
        return None

    def spoken(self, ctx: PaintContext) -> str:
        """Return what the lane is and holds, for assistive technology."""
        return self.key

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        """Return the lanes of this kind that a reel has, from the top down."""
        raise NotImplementedError

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        """Return what the pointer does here, as gestures and results, for the keyboard page."""
        return ()


class OverLaneView(LaneView):
    """A lane of no height of its own: there is one, and it lies over the others."""

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls()]

    def room(self) -> Room:
        return Room(0, 0, 0)


LaneLayout = Layout[LaneView]


def pictures_box(ctx: PaintContext) -> QRectF:
    """Return where the picture tracks lie, below the head."""
    top = ctx.layout.head_end
    return QRectF(GUTTER, top, ctx.view.room, max(ctx.layout.pictures_end - top, 0))
