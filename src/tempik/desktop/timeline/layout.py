"""Where lanes lie down the timeline: the head, then the lanes that share the room and, where they do not fit, scroll."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
from typing import Generic, NamedTuple, Protocol, TypeVar

from PySide6.QtCore import QRectF

from tempik.desktop.timeline.axis import GUTTER

GAP = 4
FOOT = 6
FOLDED = 20  # a lane so low shows that it is there


class Room(NamedTuple):
    """How high a lane may be. Where there is too little room, lanes of the lowest `gives` shrink first; where there is
    more than all want, lanes grow up to `most`."""

    least: int
    usual: int
    most: int
    gives: int = 0


class InLayout(Protocol):
    """What can be laid out: it has a name, may stay as others scroll, and says how high it may be."""

    key: str
    head: bool

    def room(self) -> Room:
        """Return how high it may be."""


L = TypeVar("L", bound=InLayout)


@dataclass(frozen=True)
class Layout(Generic[L]):
    """Lanes from the top down in a widget of some height, with their tops and heights. Where they do not all fit, `scroll`
    pixels of the lanes have gone up under the head."""

    lanes: tuple[L, ...] = ()
    tops: tuple[int, ...] = ()
    heights: tuple[int, ...] = ()
    height: int = 0
    head_end: int = 0
    scroll: int = 0
    hidden: int = 0  # pixels of lanes that do not fit

    def box(self, number: int, width: float) -> QRectF:
        """Return where a lane lies, right of the names. A lane without a height lies over all."""
        if not self.heights[number]:
            return QRectF(GUTTER, 0, width - GUTTER, self.end)
        return QRectF(GUTTER, self.tops[number], width - GUTTER, self.heights[number])

    @cached_property
    def in_view(self) -> tuple[tuple[int, L], ...]:
        """The lanes that are not scrolled out, with their numbers: of sixty lanes a few are seen. Those without a height lie
        over all."""
        ends = zip(self.tops, self.heights, strict=True)
        seen = [
            n
            for n, (top, height_px) in enumerate(ends)
            if not height_px or 0 < top + height_px < self.height + height_px
        ]
        return tuple((n, self.lanes[n]) for n in seen)

    @cached_property
    def _by_key(self) -> dict[str, tuple[int, int]]:
        ends = zip(self.tops, self.heights, strict=True)
        return {lane.key: end for lane, end in zip(self.lanes, ends, strict=True)}

    def _of(self, key: str) -> tuple[int, int]:
        return self._by_key.get(key) or (self.end, 0)

    def top(self, key: str) -> int:
        """Return where a lane begins, in pixels from the top."""
        return self._of(key)[0]

    def height_of(self, key: str) -> int:
        """Return the height of a lane in pixels, 0 for one that there is not."""
        return self._of(key)[1]

    @cached_property
    def end(self) -> int:
        """Where the last lane ends."""
        return max((t + h for t, h in zip(self.tops, self.heights, strict=True)), default=0)

    def picture_top(self, track: int = 0) -> int:
        """Return where a picture track begins, in pixels from the top."""
        return self.top(f"picture {track}")

    def picture_h(self, track: int = 0) -> int:
        """Return how high a picture track is, in pixels."""
        return self.height_of(f"picture {track}")

    def folded(self, track: int) -> bool:
        """Tell whether a picture track is folded: its clips are seen, and nothing that lies over them."""
        return self.picture_h(track) <= FOLDED

    @property
    def pictures_end(self) -> int:
        """Where the lowest picture track ends, in pixels from the top."""
        return self.picture_top(0) + self.picture_h(0)

    def lane_top(self, number: int) -> int:
        """Return the top of an accent lane."""
        return self.top(f"accent {number}")

    @property
    def lane_h(self) -> int:
        """How high an accent lane is, in pixels."""
        return self.height_of("accent 0")

    def track_at(self, y: float) -> int | None:
        """Return the track at a height, or None."""
        return self._number_at("picture", y)

    def accent_lane_at(self, y: float) -> int | None:
        """Return the accent lane at a height, or None."""
        return self._number_at("accent", y)

    def _number_at(self, kind: str, y: float) -> int | None:
        if y < self.head_end:
            return None
        for lane, top, height_px in zip(self.lanes, self.tops, self.heights, strict=True):
            name, _, number = lane.key.partition(" ")
            if name == kind and top <= y < top + height_px:
                return int(number)
        return None


def layout_of(
    lanes: Sequence[L], height: int, scroll: int = 0, by_hand: Mapping[str, int] = MappingProxyType({})
) -> Layout[L]:
    """Return lanes laid out in a widget of some height: lanes share what there is, give way where it is too little, and
    then scroll; where it is more they grow. Those with a height `by_hand` have that."""
    rooms = [Room(h, h, h) if (h := by_hand.get(lane.key)) is not None else lane.room() for lane in lanes]
    height_px = [r.usual for r in rooms]
    gaps = GAP * max(0, sum(1 for t in height_px if t) - 1) + FOOT
    spare = height - gaps - sum(height_px)
    for order in sorted({r.gives for r in rooms}):
        spare = _shared(height_px, [(i, r.least) for i, r in enumerate(rooms) if r.gives == order], spare, grow=False)
    if spare > 0:
        _shared(height_px, [(i, r.most) for i, r in enumerate(rooms)], spare, grow=True)
    tops, at, head_end = [], 0, 0
    for lane, each in zip(lanes, height_px, strict=True):
        tops.append(at)
        at += each + GAP if each and lane.key != "ruler" else each
        if lane.head:
            head_end = at
    hidden = max(0, at - GAP - height)
    scroll = min(max(scroll, 0), hidden)
    tops = [t if lane.head else t - scroll for lane, t in zip(lanes, tops, strict=True)]
    return Layout(tuple(lanes), tuple(tops), tuple(height_px), height, head_end, scroll, hidden)


def _shared(height_px: list[int], bounds: list[tuple[int, int]], spare: int, grow: bool) -> int:
    """Spread what is spare, or lacking, evenly over lanes up to their bounds, in place; return what is left of it."""
    open_ = [(i, bound) for i, bound in bounds if (height_px[i] < bound if grow else height_px[i] > bound)]
    while open_ and (spare > 0 if grow else spare < 0):
        each = spare // len(open_)  # rounded down: what is lacking is made up for
        if each == 0:
            break
        for i, bound in open_:
            by = min(each, bound - height_px[i]) if grow else max(each, bound - height_px[i])
            height_px[i] += by
            spare -= by
        open_ = [(i, bound) for i, bound in open_ if (height_px[i] < bound if grow else height_px[i] > bound)]
    return spare
