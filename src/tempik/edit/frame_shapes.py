"""A reel in frames of other shapes: what is framed there by hand belongs to that shape; all else is led over from the reel's own.

A reel is kept in its own shape alone. While another is shown, each clip carries how it stands in the reel's own (and how it would stand in
the other by itself), so that whatever an edit makes of clips, splits and copies among it, both go along.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

from msgspec.structs import replace

from tempik.edit.reframe import reframed
from tempik.errors import TempikError
from tempik.reel import Clip, Key, Reel, ShapeFraming, ShownShape
from tempik.reel.frame_shapes import BY_ITSELF, FRAME_SHAPES, OWN, shape_name
from tempik.reel.nests import all_clips, everywhere

PLACE = ("zoom", "x", "y", "turn_deg")
Keys = dict[str, tuple[Key, ...]]


def standing_of(clip: Clip) -> ShapeFraming:
    """Return how a clip stands in the frame it is in."""
    title = clip.title
    keys = {name: clip.keys[name] for name in PLACE if name in clip.keys}
    return ShapeFraming(clip.framing, clip.follow, keys, title.size if title else None, title.wrap if title else None)


def with_standing(clip: Clip, stands: ShapeFraming) -> Clip:
    """Return a clip that stands so."""
    title = clip.title
    if title is not None and stands.size is not None and stands.wrap is not None:
        title = replace(title, size=stands.size, wrap=stands.wrap)
    keys = {n: k for n, k in clip.keys.items() if n not in PLACE} | stands.keys
    return replace(clip, framing=stands.framing, follow=stands.follow, keys=keys, title=title)


def size_of(reel: Reel, shape: str) -> tuple[int, int]:
    """Return the frame of a shape with the reel's own shorter side, even numbers. Raises TempikError for a shape that there is not."""
    if shape not in FRAME_SHAPES:
        raise TempikError(f"There is no frame shape '{shape}'; choose from {', '.join(FRAME_SHAPES)}.")
    across, down = FRAME_SHAPES[shape]
    short = min(reel.width, reel.height)
    long = max(2, round(short * max(across, down) / min(across, down) / 2) * 2)
    return (short, long) if across <= down else (long, short)


def in_shape(reel: Reel, shape: str) -> Reel:
    """Return a reel as it is shown in a frame of a shape, to be edited there; '' and its own are the reel as it is kept. Raises TempikError
    for a shape that there is not."""
    reel = in_own_shape(reel)
    if shape in ("", shape_name(reel.width, reel.height)):
        return reel
    width, height = size_of(reel, shape)
    led = _by_id(reframed(reel, width, height))

    def carried(clip: Clip) -> Clip:
        by_itself = led.get(clip.id, clip)
        carry = clip.shapes | {OWN: standing_of(clip), BY_ITSELF: standing_of(by_itself)}
        stands = clip.shapes.get(shape)
        return replace(with_standing(by_itself, stands) if stands is not None else by_itself, shapes=carry)

    made = _on_each(reel, carried)
    return replace(made, width=width, height=height, shown=ShownShape(shape, reel.width, reel.height))


def in_own_shape(reel: Reel) -> Reel:
    """Return a reel as it is kept. What was set while another shape was shown stays with that shape; a clip that was laid there is led over."""
    shown = reel.shown
    if shown is None:
        return reel
    new = [c for c in all_clips(reel) if OWN not in c.shapes]
    led = _by_id(reframed(replace(reel, shown=None), shown.width, shown.height)) if new else {}

    def back(clip: Clip) -> Clip:
        own, by_itself, now = clip.shapes.get(OWN), clip.shapes.get(BY_ITSELF), standing_of(clip)
        shapes = {n: s for n, s in clip.shapes.items() if n not in (OWN, BY_ITSELF, shown.name)}
        if own is None:
            return replace(led.get(clip.id, clip), shapes=shapes)
        if now != by_itself:
            shapes[shown.name] = now
        return replace(with_standing(clip, own), shapes=shapes)

    return replace(_on_each(reel, back), width=shown.width, height=shown.height, shown=None)


def in_frame(reel: Reel, width: int, height: int) -> Reel:
    """Return a reel in a frame of any size, as what is framed by hand in that shape, with nothing carried along."""
    reel, shape = in_own_shape(reel), shape_name(width, height)
    if not any(shape in clip.shapes for clip in all_clips(reel)):
        return reframed(reel, width, height)
    made = in_shape(reel, shape)

    def bare(clip: Clip) -> Clip:
        return replace(clip, shapes={n: s for n, s in clip.shapes.items() if n not in (OWN, BY_ITSELF)})

    return replace(_on_each(made, bare), width=width, height=height, shown=None)


def with_own_frame(reel: Reel, width: int, height: int) -> Reel:
    """Return a reel whose own frame is another from now on. How its clips stood in the one before is kept with that shape, where they were
    framed by hand in this one."""
    reel = in_own_shape(reel)
    before, after = shape_name(reel.width, reel.height), shape_name(width, height)
    own = _by_id(reel)

    def settled(clip: Clip) -> Clip:
        shapes = {n: s for n, s in clip.shapes.items() if n != after}
        if after in clip.shapes and before and clip.id in own:
            shapes[before] = standing_of(own[clip.id])
        return replace(clip, shapes=shapes)

    made = in_frame(reel, width, height)
    return _on_each(made, settled) if before != after else made


def without_shape(reel: Reel, clips: Collection[str], shape: str) -> Reel:
    """Let clips stand in a shape as they do by themselves again; on a reel that is shown in any shape. Raises TempikError where none of them
    is framed by hand there."""
    shown = reel.shown.name if reel.shown is not None else ""
    kept = in_own_shape(reel)
    if not any(c.id in clips and shape in c.shapes for c in kept.clips):
        raise TempikError("None of the clips is framed by hand in that shape.")
    out = tuple(
        replace(c, shapes={n: s for n, s in c.shapes.items() if n != shape}) if c.id in clips else c for c in kept.clips
    )
    return in_shape(replace(kept, clips=out), shown)


def framed_in(reel: Reel) -> dict[str, list[str]]:
    """Return for each shape which clips are framed by hand in it."""
    kept = in_own_shape(reel)
    return {name: [c.id for c in kept.clips if name in c.shapes] for name in FRAME_SHAPES}


def _by_id(reel: Reel) -> dict[str, Clip]:
    return {clip.id: clip for clip in all_clips(reel)}


def _on_each(reel: Reel, change: Callable[[Clip], Clip]) -> Reel:
    return everywhere(reel, lambda level: replace(level, clips=tuple(change(c) for c in level.clips)))
