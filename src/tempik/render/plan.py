"""The plan of a frame: its layers, each a source instant and one affine (or two of them, joined), and one change of light.
Pure and cheap.

Preview and export ask for the same plan and differ in size alone, so what is seen is what is delivered.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from itertools import chain
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.accents import Look
from tempik.accents.look import IDENTITY, times
from tempik.media.meaning import AS_SAID, Colour
from tempik.media.rim import RimPaint
from tempik.reel import Clear, Clip, Footage, Interpolation, Title, Transition, by_id
from tempik.render.framed import as_coded, closest_zoom, framed, in_pixels, longest_needed, stands
from tempik.render.masks import MaskOutline
from tempik.render.outlines import outlines_of, rim_of
from tempik.render.repeats import distinct_around
from tempik.render.segments import MotionSegment, segments_between
from tempik.timeline.framing import covers, shown_region
from tempik.timeline.grading import Grades, grades_of, look_of, stops_of
from tempik.timeline.inside import frame_inside, inside_of
from tempik.timeline.layer import Layer
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import PLAIN_LOOK, Timeline
from tempik.timeline.transitions import PlacedTransition, transition_frame_at, transition_frame_of
from tempik.timeline.wording import TitlePart, wording_at
from tempik.transitions import Side, TransitionFrame, kind_named, shutter_of

Matrix = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, slots=True, eq=False)
class LayerPlan:
    """A layer of a frame, ready to be painted. Two shots show the same where their `key()` is the same."""

    path: str  # the footage's file; of a solid its colour
    source_s: float  # the footage's instant
    backward: bool  # which way it plays
    affine: Matrix  # (2, 3): from the unit square of the picture as coded to pixels of the output; all movements in one
    longest_px: int | None  # the longer side may be decoded this small without losing detail; None: whole
    region: tuple[float, float, float, float] | None = (
        None  # of the unit square, what shows (left, top, right, bottom);
    )
    # None where the picture fills the frame and its edges may be mirrored
    number: int | None = None  # the frame to show, where the footage is read by distinct frames
    solid: bool = False
    alpha: bool = False  # the footage has clear parts
    interpolation: Interpolation = "nearest"  # how an instant between two frames is made
    later: int | None = None  # where `number` is given, the frame after it,
    share: float = 0.0  # and how far on to it the instant lies, 0 to below 1
    segments: tuple[MotionSegment, ...] = ()  # the way while the shutter is open, none where it stands still
    opacity: float = 1.0  # how much of it shows, 0 to 1
    blend: str = "normal"  # how it is laid over what lies below
    adjust: bool = False  # what lies below stands in for a picture of its own
    masks: tuple[MaskOutline, ...] = ()  # where in the frame it shows, none for everywhere
    rim: RimPaint | None = None  # what lies round it
    clear: Clear | None = None  # what of its picture is made clear
    cutout: tuple[str, int] | None = None  # the film of how far its subject covers, and the frame that this begins with
    look: Look = PLAIN_LOOK  # what the accents of this layer alone do, but for their movement
    title: Title | None = None
    wording: tuple[TitlePart, ...] = ()  # what of the title is seen,
    em_px: float = 0.0  # drawn with ems of so many pixels
    inner: FramePlan | None = None  # of a nest, what it shows
    colour: Colour = AS_SAID  # how the file's values are meant
    stops: float = 0.0  # how much light is added to it, by keys
    grades: Grades = ()  # what is done to its colours, in order, each with how much of it shows

    def key(self) -> Hashable:
        """Return what tells this shot from any that shows something else: every field, arrays by their bytes."""
        return (
            *(
                self.path,
                self.source_s,
                self.backward,
                self.affine.tobytes(),
                self.longest_px,
                self.region,
                self.number,
            ),
            *(self.solid, self.alpha, self.interpolation, self.later, self.share),
            tuple((segment.begin.tobytes(), segment.sweep.tobytes()) for segment in self.segments),
            *(self.opacity, self.blend, self.adjust, self.masks, self.rim, self.clear, self.look),
            *(self.title, self.wording, self.em_px, self.cutout, self.inner.key() if self.inner is not None else None),
            *(self.colour, self.stops, self.grades),
        )


@dataclass(frozen=True, kw_only=True, slots=True, eq=False)
class Pair:
    """Two shots of one layer in a transition, and what is made of them. A side without a shot is what lies below."""

    out: LayerPlan | None
    into: LayerPlan | None
    transition_frame: TransitionFrame

    def key(self) -> Hashable:
        """Return what the two show together: equal keys are one picture."""
        out, into = (layer_plan.key() if layer_plan is not None else None for layer_plan in (self.out, self.into))
        return out, into, self.transition_frame


class FramePlan(NamedTuple):
    """What frame number `frame` shows: layers from the lowest up, none where no clip covers it (black), what accents do
    to them, and earlier frames (their plans, each with its strength) that trail behind."""

    frame: int
    width: int
    height: int
    layers: tuple[LayerPlan | Pair, ...]
    look: Look
    echoes: tuple[tuple[FramePlan, float], ...] = ()
    grades: Grades = ()  # what is done to all of it before the accents do what they do
    quick: bool = False  # its colours may be coarser: it is shown while something is dragged

    @property
    def layer_plans(self) -> tuple[LayerPlan, ...]:
        """The shots of all layers, from the lowest up."""
        return tuple(chain.from_iterable(map(layer_plans_of, self.layers)))

    @property
    def open_files(self) -> int:
        """How many shots of files are read for it, those of nests too."""
        return sum(1 if layer_plan.inner is None else layer_plan.inner.open_files for layer_plan in self.layer_plans)

    def key(self) -> Hashable:
        """Return what tells this plan from any that shows something else, whatever frame it is of."""
        layers = tuple(layer.key() for layer in self.layers)
        echoes = tuple((p.key(), strength) for p, strength in self.echoes)
        grain = self.frame if self._grained else 0  # another on each frame
        return self.width, self.height, layers, self.look, echoes, self.grades, grain, self.quick

    @property
    def all_grades(self) -> Grades:
        """The grades of the frame and of its shots, nests aside."""
        return tuple(chain(self.grades, *(s.grades for s in self.layer_plans)))

    @property
    def _grained(self) -> bool:
        return any(grade.grain for grade, _ in self.all_grades)


def layer_plans_of(layer: LayerPlan | Pair) -> tuple[LayerPlan, ...]:
    """Return the shots of a layer."""
    if isinstance(layer, LayerPlan):
        return (layer,)
    return tuple(layer_plan for layer_plan in (layer.out, layer.into) if layer_plan is not None)


# A nest that is zoomed in on is painted up to so many times the frame's size.
LARGEST_NEST = 2.0
# A way that strays farther than this from its chord is taken in two legs.


class Within(NamedTuple):
    """What moves a nest as a whole while the shutter is open, so that what lies in it is moved once, by all together."""

    looks: tuple[Look, Look, Look]
    half: float


def plan(
    timeline: Timeline,
    frame: int,
    width: int,
    height: int,
    accents: bool = True,
    clip: PlacedClip | None = None,
    without: str | None = None,
    within: Within | None = None,
) -> FramePlan:
    """Return the plan of one frame at an output size in pixels.

    `accents` False leaves them out, `without` leaves one lane out. `clip` shows that clip in place of those on screen, its
    speed going on beyond its slot, for comparing the two sides of a cut. `within` is what moves the nest that it is of.
    """
    look = timeline.look_at(frame, without) if accents else Look()
    shown = frame if look.freeze is None else look.freeze
    layers = [Layer(clip)] if clip is not None else timeline.layers_at(shown)
    half = timeline.reel.shutter_deg / 720
    looks = (look, look, look)
    if half and accents:
        looks = (timeline.look_at(frame - half, without), look, timeline.look_at(frame + half, without))
    if within is not None:
        half = within.half
        a, b, c = (i._replace(move=times(o.move, i.move)) for o, i in zip(within.looks, looks, strict=True))
        looks = (a, b, c)
    made = tuple(_layer(timeline, layer, shown, width, height, looks, half) for layer in layers)
    echoes = _echoes(timeline, frame, width, height, look, layers) if look.echo is not None else ()
    return FramePlan(frame, width, height, made, look, echoes, look_of(timeline, shown))


def late_plan(
    timeline: Timeline, frame: int, width: int, height: int, placed_transition: PlacedTransition, by: int
) -> FramePlan:
    """Return the plan of a frame if a transition came `by` frames later than it is meant to, its two clips going on as they do:
    what a file that lags would show. Far from its own frames one of the clips is seen alone."""
    look = timeline.look_at(frame)
    later = placed_transition._replace(
        begin=placed_transition.begin + by, turn=placed_transition.turn + by, end=placed_transition.end + by
    )
    pair = _layer(
        timeline, Layer(placed_transition.owner, placed_transition=later), frame, width, height, (look, look, look), 0.0
    )
    return FramePlan(frame, width, height, (pair,), look, (), look_of(timeline, frame))


def _layer(
    timeline: Timeline,
    layer: Layer,
    frame: int,
    width: int,
    height: int,
    looks: tuple[Look, Look, Look],
    half: float,
) -> LayerPlan | Pair:
    placed_transition = layer.placed_transition
    if placed_transition is None or placed_transition.kind is None:
        return _layer_plan(timeline, layer, frame, width, height, looks, half)
    return _pair(timeline, layer, frame, width, height, looks)


def _pair(
    timeline: Timeline, layer: Layer, frame: int, width: int, height: int, looks: tuple[Look, Look, Look]
) -> Pair:
    """Return both sides of a transition at a frame."""
    placed_transition = layer.placed_transition
    assert placed_transition is not None and placed_transition.kind is not None
    shutter_deg = shutter_of(placed_transition.kind, placed_transition.transition, timeline.reel.shutter_deg)
    # How strong a transition is goes for its blur too, up to a shutter that never closes.
    half = min(shutter_deg * placed_transition.transition.amount, 360.0) / 720
    transition_frames = [
        transition_frame_at(placed_transition, frame + side * half, half, timeline.height_ratio) for side in (-1, 0, 1)
    ]
    transition_frame = transition_frames[1]
    layer_plans: dict[Side, LayerPlan | None] = {}
    sides: tuple[tuple[Side, PlacedClip | None], ...] = (
        ("out", placed_transition.out),
        ("into", placed_transition.into),
    )
    for side, placed in sides:
        if placed is None or transition_frame.only not in (None, side):
            layer_plans[side] = None
            continue
        ways = [c.out if side == "out" else c.into for c in transition_frames]
        moved = [a._replace(move=times(a.move, w.move)) for a, w in zip(looks, ways, strict=True)]
        part = timeline.layer_of(placed, frame)
        layer_plans[side] = _layer_plan(timeline, part, frame, width, height, (moved[0], moved[1], moved[2]), half)
    return Pair(out=layer_plans["out"], into=layer_plans["into"], transition_frame=transition_frame)


def _echoes(
    timeline: Timeline, frame: int, width: int, height: int, look: Look, layers: list[Layer]
) -> tuple[tuple[FramePlan, float], ...]:
    """Return the plans of earlier frames of the same clip, with this frame's movement, the nearest first."""
    assert look.echo is not None
    first = max((layer.placed.first for layer in layers), default=0)
    out = []
    moved = Look(move=look.move)
    for number in range(1, look.echo.number + 1):
        earlier = frame - number * look.echo.apart
        if earlier >= first:
            made = tuple(
                _layer(timeline, layer, earlier, width, height, (moved, moved, moved), 0.0)
                for layer in timeline.layers_at(earlier)
            )
            strength = look.echo.strength * (1 - (number - 1) / (look.echo.number + 1))
            out.append((FramePlan(earlier, width, height, made, moved), strength))
    return tuple(out)


def _layer_plan(
    timeline: Timeline,
    layer: Layer,
    frame: int,
    width: int,
    height: int,
    looks: tuple[Look, Look, Look],
    half: float,
) -> LayerPlan:
    placed = layer.placed
    own = timeline.own_look_at(placed, frame)
    if own is not PLAIN_LOOK:
        looks, frame = _with_own(timeline, placed, frame, looks, half), frame if own.freeze is None else own.freeze
    footage, framing = placed.footage, timeline.framing_at(placed, frame)
    seen = looks[1]
    within = Within(looks, half) if footage.nest is not None and stands(framing, placed.clip) else None
    if within is not None:
        looks = (PLAIN_LOOK, PLAIN_LOOK, PLAIN_LOOK)
    source = source_at_frames(placed, np.array([frame, frame + 1.0]), timeline.rate)
    whole = covers(framing, footage, timeline.reel) or footage.as_frame
    number, later, passed = distinct_around(footage, float(source[0])) if footage.skip_repeats else (None, None, 0.0)
    affine = framed(framing, footage, width, height, looks[1])
    clip = placed.clip
    segments = _way(timeline, placed, frame, (width, height), looks, half, affine)
    return LayerPlan(
        path=footage.path,
        source_s=float(source[0]),
        backward=bool(source[1] < source[0]),
        affine=affine,
        longest_px=longest_needed(framing, footage, width, height, closest_zoom(clip)),
        region=None if whole else as_coded(shown_region(framing, footage, timeline.reel), footage.rotation_deg),
        number=number,
        solid=footage.without_file and footage.nest is None,
        alpha=footage.alpha,
        interpolation=clip.interpolation or timeline.reel.interpolation,
        later=later,
        share=passed,
        segments=segments,
        opacity=layer.weight,
        blend=layer.blend,
        adjust=footage.kind == "adjust",
        masks=outlines_of(timeline, placed, frame, framing, width, height, seen),
        rim=rim_of(clip, width),
        clear=clip.clear,
        cutout=_cutout(clip, footage),
        look=own._replace(move=IDENTITY, freeze=None, echo=None),
        title=clip.title or (Title() if footage.kind == "title" else None),
        wording=wording_at(timeline, placed, frame) if clip.title is not None else (),
        em_px=clip.title.size * width * closest_zoom(clip) if clip.title is not None else 0.0,
        colour=Colour(footage.colour.matrix, footage.colour.range, footage.colour.light),
        stops=stops_of(timeline, placed, frame),
        grades=grades_of(timeline, placed, frame),
        inner=_nested(timeline, placed, float(source[0]), (width, height), within)
        if footage.nest is not None
        else None,
    )


def _way(
    timeline: Timeline,
    placed: PlacedClip,
    frame: int,
    size: tuple[int, int],
    looks: tuple[Look, Look, Look],
    half: float,
    affine: Matrix,
) -> tuple[MotionSegment, ...]:
    """Return the way of a layer while the shutter is open, none where it stands still."""
    clip = placed.clip
    moves = clip.framing.end is not None or clip.keys or clip.follow is not None
    if not half or not (looks[0].move != looks[2].move or looks[1].move != looks[0].move or moves):
        return ()
    begin, end = (
        framed(timeline.framing_at(placed, frame + side * half), placed.footage, *size, look)
        for side, look in ((-1, looks[0]), (1, looks[2]))
    )
    return segments_between(begin, end, affine, size)


def _nested(
    timeline: Timeline, placed: PlacedClip, source_s: float, size: tuple[int, int], within: Within | None
) -> FramePlan:
    """Return the plan of what a nest shows at an instant of its own, as large as it comes to be seen."""
    scale = min(max(closest_zoom(placed.clip), 1.0), LARGEST_NEST)
    wide, height_px = (round(s * scale / 2) * 2 for s in size)
    number = frame_inside(timeline, placed, source_s)
    return plan(inside_of(timeline, placed.footage), number, wide, height_px, within=within)


def _cutout(clip: Clip, footage: Footage) -> tuple[str, int] | None:
    found = by_id(footage.cutouts, clip.cutout) if clip.cutout else None
    return (found.path, found.first) if found is not None and found.path else None


def _with_own(
    timeline: Timeline, placed: PlacedClip, frame: int, looks: tuple[Look, Look, Look], half: float
) -> tuple[Look, Look, Look]:
    """Return what moves a layer: the whole frame's movement after its own."""
    a, b, c = (
        look._replace(move=times(look.move, timeline.own_look_at(placed, frame + side * half).move))
        for side, look in zip((-1, 0, 1), looks, strict=True)
    )
    return a, b, c


def sample_plan(transition: Transition, since: float, reach: tuple[int, int], width: int, height: int) -> FramePlan:
    """Return the plan of two pictures that fill a frame, joined, `since` frames after the turn: for choosing a transition by eye.
    Its shots' sources are the outgoing and the incoming picture, as far as they are seen."""
    shutter_deg = shutter_of(kind_named(transition.kind), transition, 0.0)
    half = min(shutter_deg * transition.amount, 360.0) / 720
    transition_frames = [
        transition_frame_of(transition, since + side * half, half, height / width, reach) for side in (-1, 0, 1)
    ]
    transition_frame = transition_frames[1]

    def layer_plan(side: Side) -> LayerPlan | None:
        if transition_frame.only not in (None, side):
            return None
        moves = [(c.out if side == "out" else c.into).move for c in transition_frames]
        begin, middle, end = ((in_pixels(m, width, height) @ np.diag([width, height, 1.0]))[:2] for m in moves)
        segments = segments_between(begin, end, middle, (width, height)) if half else ()
        return LayerPlan(path=side, source_s=0.0, backward=False, affine=middle, longest_px=None, segments=segments)

    return FramePlan(
        0,
        width,
        height,
        (Pair(out=layer_plan("out"), into=layer_plan("into"), transition_frame=transition_frame),),
        Look(),
    )
