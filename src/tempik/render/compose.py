"""Composing a planned frame: one warp a plane, one change of tone a plane; identity costs nothing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import islice
from typing import NamedTuple

import cv2
import numpy as np

from tempik.accents import Look, applied
from tempik.grade.apply import regraded
from tempik.grade.measure import exposed
from tempik.media.blend import Ground, as_picture, bounds, laid_by, laid_within, part_laid
from tempik.media.clear import cleared
from tempik.media.paint import (
    Matrix,
    joined,
    lead_in,
    mixed,
    reach_px,
    swept,
    turns_nothing,
    warp_plane,
    warped,
)
from tempik.media.picture import Picture, Plane, colour_yuv, solid
from tempik.media.rim import rimmed
from tempik.reel import Clear
from tempik.render.masks import coverage
from tempik.render.plan import FramePlan, LayerPlan, Pair, layer_plans_of
from tempik.render.segments import MotionSegment
from tempik.render.title_layer import titled

# A way at least this long, unless it goes straight, is averaged at half the size.
COARSE_FROM_PX = 24.0
MOST_PART = 0.6  # of the frame that a layer's box may be for it to be worked out alone


class Source(NamedTuple):
    """The frame that a shot asks for, of any size, and how far it covers what is below where it has clear parts."""

    picture: Picture
    alpha: Plane | None = None


def compose(plan: FramePlan, sources: Sequence[Source | None], background: Picture | None = None) -> Picture:
    """Return the layers of a plan as one picture over a ground, black where none is given; `sources` holds a frame for each
    of its shots, None for a solid."""
    picture: Ground | None = background
    given = iter(sources)
    for layer in plan.layers:
        if isinstance(layer, LayerPlan):
            picture = _laid_over(picture, layer, next(given), plan)
        else:
            background = as_picture(picture) if picture is not None else None
            picture = _joined(background, layer, list(islice(given, len(layer_plans_of(layer)))), plan)
    return solid(plan.width, plan.height) if picture is None else as_picture(picture)


def _joined(below: Picture | None, pair: Pair, sources: list[Source | None], plan: FramePlan) -> Picture:
    """Return the two pictures of a transition as one, over what lies below."""
    transition_frame = pair.transition_frame
    below = below if below is not None else solid(plan.width, plan.height)
    given = iter(sources)
    sides = [
        below if layer is None else as_picture(_laid_over(below, layer, next(given), plan, look))
        for layer, look in ((pair.out, transition_frame.out), (pair.into, transition_frame.into))
    ]
    out, into = sides
    if transition_frame.mix is not None:
        picture = transition_frame.mix.paint(out, into, *transition_frame.mix.args)
    else:
        picture = out if transition_frame.only == "out" else into
    return applied(picture, transition_frame.over)


def finished(plan: FramePlan, picture: Picture) -> Picture:
    """Return a composed picture with the reel's look, and over it what the accents paint."""
    return applied(regraded(picture, plan.grades, plan.frame, plan.quick), plan.look)


def folded(plan: FramePlan) -> FramePlan:
    """Return a plan with the reel's look among the grades of its only layer, where that fills the frame: one pass for both."""
    only = plan.layers[0] if len(plan.layers) == 1 else None
    if not plan.grades or plan.echoes or not isinstance(only, LayerPlan) or only.title is not None or only.adjust:
        return plan
    whole = only.region is None and not only.alpha and not only.masks and only.clear is None and only.cutout is None
    plain = only.opacity >= 1 and only.blend == "normal" and not only.look.tones and not only.look.effects
    if not (whole and plain):
        return plan
    return plan._replace(layers=(replace(only, grades=(*only.grades, *plan.grades)),), grades=())


def _laid_over(
    below: Ground | None, layer: LayerPlan, source: Source | None, plan: FramePlan, look: Look | None = None
) -> Ground:
    size = width, height = plan.width, plan.height
    if layer.title is not None:
        background = as_picture(below) if below is not None else solid(width, height)
        mask = coverage(layer.masks, width, height) if layer.masks else None
        segments = layer.segments
        ways = (
            *(segment.begin for segment in segments),
            *(joined(segment.sweep, segment.begin) for segment in segments),
        )
        parts = (
            layer.wording,
            layer.em_px,
            layer.affine,
            layer.blend,
            float(layer.opacity),
            mask,
            ways,
        )
        return titled(background, layer.title, *parts)
    alpha: Plane | None = None
    if layer.adjust:
        above = warped(
            as_picture(below) if below is not None else solid(*size),
            layer.affine / np.array([[width, height, 1.0]]),
        )
    elif source is None:
        above = solid(width, height, *colour_yuv(layer.path))
    else:
        picture, alpha = source
        if layer.clear is not None:
            picture, cover = cleared(picture, *_by(layer.clear))
            alpha = cover if alpha is None else np.minimum(cover, fitted(alpha, cover.shape))
        if _is_plain(layer, look):
            part = _laid_in_part(below, picture, alpha, layer, size)
            if part is not None:
                return part
        above = _placed(picture, layer, width, height)
    if layer.stops:
        above = exposed(above, layer.stops)
    if layer.grades:
        above = regraded(above, layer.grades, plan.frame, plan.quick)
    changes = (layer.look, look)
    for change in changes:
        if change is not None and (change.tones or change.effects):
            above = applied(above, change)
    if layer.region is None and alpha is None and not layer.masks and layer.opacity >= 1 and layer.blend == "normal":
        return above
    if below is None:
        below = solid(width, height)
    if layer.region is None and alpha is None and not layer.masks:
        return laid_by(below, above, layer.blend, float(layer.opacity))
    mask = _cover(layer, alpha, width, height)
    return _with_rim(below, mask, layer, lambda on, shown: laid_within(on, above, layer.blend, shown, bounds(shown)))


def _is_plain(layer: LayerPlan, look: Look | None) -> bool:
    """Tell whether a layer shows in a part of the frame and nothing that is done to it asks where in the frame it lies."""
    changed = any(change is not None and (change.tones or change.effects) for change in (layer.look, look))
    return bool(layer.masks or layer.region is not None) and not (
        layer.segments or layer.stops or layer.grades or changed
    )


def _laid_in_part(
    below: Ground | None, picture: Picture, alpha: Plane | None, layer: LayerPlan, size: tuple[int, int]
) -> Ground | None:
    """Return a layer laid over what is below, of which only the box is worked out where it shows; None where that is most of the frame."""
    width, height = size
    mask = _cover(layer, None, width, height)
    box = left, top, right, bottom = bounds(mask)
    if (right - left) * (bottom - top) > MOST_PART * width * height:
        return None
    ground = solid(width, height) if below is None else below
    if right <= left or bottom <= top:
        return ground
    moved = replace(layer, affine=layer.affine - np.array([[0, 0, left], [0, 0, top]]))
    part_size = right - left, bottom - top
    if alpha is not None:
        units = np.array([[alpha.shape[1], alpha.shape[0], 1.0]])
        seen = warp_plane(alpha, moved.affine / units, part_size)
        cover, mask = mask[top:bottom, left:right], np.zeros_like(mask)
        mask[top:bottom, left:right] = np.minimum(cover, seen)
    return _with_rim(
        ground,
        mask,
        layer,
        lambda on, shown: part_laid(on, _placed(picture, moved, *part_size), layer.blend, shown, box),
    )


def _with_rim(below: Ground, mask: Plane, layer: LayerPlan, lay: Callable[[Ground, Plane], Ground]) -> Ground:
    """Return what `lay` makes of what is below, with the layer's rim on it, and of where the layer shows, as far as it is opaque."""
    if layer.rim is not None:
        through = layer.opacity < 1 or layer.blend != "normal"
        below = rimmed(as_picture(below), mask, layer.rim, layer.opacity, through)
    if layer.opacity < 1:
        mask = np.asarray(cv2.convertScaleAbs(mask, alpha=layer.opacity), dtype=np.uint8)
    return lay(below, mask)


def _cover(layer: LayerPlan, alpha: Plane | None, width: int, height: int) -> Plane:
    """Return where a layer shows: within its region, its clear parts and its masks."""
    mask = _region_mask(layer, width, height) if layer.region is not None else np.full((height, width), 255, np.uint8)
    if alpha is not None:
        w, h = alpha.shape[1], alpha.shape[0]
        seen = warp_plane(alpha, layer.affine / np.array([[w, h, 1.0]]), (width, height))
        mask = np.minimum(mask, seen)
    return np.minimum(mask, coverage(layer.masks, width, height)) if layer.masks else mask


def _by(clear: Clear) -> tuple[str, str, float, float, float, bool]:
    return clear.of, clear.colour, clear.tolerance, clear.soft, clear.spill, clear.invert


def fitted(plane: Plane, shape: tuple[int, ...]) -> Plane:
    """Return a plane in another size, shape (height, width)."""
    if plane.shape == shape:
        return plane
    return np.asarray(cv2.resize(plane, (shape[1], shape[0]), interpolation=cv2.INTER_AREA), dtype=np.uint8)


def _placed(source: Picture, layer: LayerPlan, width: int, height: int) -> Picture:
    """Return a source where its layer has it: warped once, and where it moves while the shutter is open, averaged over
    its way."""
    units = np.array([[*source.size, 1.0]])

    def at(affine: Matrix) -> Picture:
        return warped(source, affine / units, (width, height))

    if not layer.segments:
        return at(layer.affine)
    size = (width, height)
    far = max(reach_px(segment.sweep, size) for segment in layer.segments)
    if far < COARSE_FROM_PX or turns_nothing(layer.segments[0].sweep, size):
        return _averaged(at, layer.segments, size)
    # So long a way leaves no detail finer than this: half the size is a quarter of the work.
    half = np.diag([0.5, 0.5, 1.0])
    small = ((width + 1) // 2, (height + 1) // 2)
    segments = [MotionSegment(_in(half, segment.begin), _in(half, segment.sweep, half)) for segment in layer.segments]
    made = _averaged(lambda affine: warped(source, affine / units, small), segments, small)
    chroma = ((width + 1) // 2, (height + 1) // 2)
    return Picture(
        *(
            np.asarray(cv2.resize(p, s, interpolation=cv2.INTER_LINEAR), dtype=np.uint8)
            for p, s in zip(made, (size, chroma, chroma), strict=True)
        )
    )


def _averaged(at: Callable[[Matrix], Picture], segments: Sequence[MotionSegment], size: tuple[int, int]) -> Picture:
    """Return the mean of a picture over its way; `at` gives it where an affine has it."""
    parts = [swept(at(joined(lead_in(segment.sweep, size), segment.begin)), segment.sweep) for segment in segments]
    return parts[0] if len(parts) == 1 else mixed(parts[0], parts[1], 0.5)


def _in(units: Matrix, affine: Matrix, back: Matrix | None = None) -> Matrix:
    """Return an affine in other units of the output, and of the input where `back` gives them."""
    whole = units @ np.vstack([affine, [0.0, 0.0, 1.0]])
    return np.asarray((whole if back is None else whole @ np.linalg.inv(back))[:2], dtype=np.float64)


def _region_mask(layer: LayerPlan, width: int, height: int) -> Plane:
    """Return where the shown region lies in the output, 255 inside, with smooth edges."""
    assert layer.region is not None
    left, top, right, bottom = layer.region
    corners = np.array([[left, top, 1], [right, top, 1], [right, bottom, 1], [left, bottom, 1]]) @ layer.affine.T
    mask = np.zeros((height, width), np.uint8)
    points = np.round((np.clip(corners, -30000, 30000) - 0.5) * 16).astype(np.int32)
    cv2.fillConvexPoly(mask, points, 255, cv2.LINE_AA, 4)
    return mask
