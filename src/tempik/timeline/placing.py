"""Where a clip lies and what it shows there: its curve, bent by its pins, in its slot. Worked out once for as long as what
it follows from is the same."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from fractions import Fraction

from tempik.derive import DERIVED, Stage
from tempik.reel import Clip, Footage, Shaped, by_id
from tempik.retime import SlotAnchors, TimeMap, cut_out, shaped_curve, through
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip, Tie, shortage
from tempik.timeline.song_placement import SongPlacement

# First frame on screen, end, the clip's own first frame and end, and the rate's two numbers.
Slot = tuple[int, int, int, int, int, int]

_PLACED: Stage[PlacedClip] = Stage("placed clip")  # while the points that it is tied to stay as they are
_ALIKE: Stage[PlacedClip] = Stage("placed clip, from its start")  # wherever it lies


def placed_in(
    song_placement: SongPlacement, clip: Clip, footage: Footage, slot: Slot, was: PlacedClip | None = None
) -> PlacedClip:
    """Return where a clip lies; `was` is where a clip of its id lay before, which may spare working it out."""
    begin, until = slot[2:4]
    ties, message = _ties(song_placement, clip, footage) if clip.pins else ((), "")
    anchors = _anchor_frames(song_placement, clip.shaped, begin, until) if clip.shaped is not None else ()
    if len(ties) == 1 and not anchors:  # as most have
        tie = ties[0]
        objects: tuple[object, ...] = (clip, footage, tie.point)
        values: tuple[int, ...] = (*slot, tie.frame)
    else:
        objects, values = (clip, footage, *[t.point for t in ties]), (*slot, *[t.frame for t in ties], *anchors)
    return DERIVED.get(_PLACED, objects, values, lambda: _worked_out(clip, footage, slot, ties, message, anchors, was))


def _only_moved(was: PlacedClip, clip: Clip, footage: Footage, slot: Slot, ties: tuple[Tie, ...]) -> bool:
    """Tell whether a clip that no other frames bend shows what it showed, each frame as far from its start as before."""
    first, end, begin, until = slot[:4]
    before = was.clip
    if clip.shaped is not None or before.shaped is not None or len(ties) != len(was.ties) or len(ties) > 1:
        return False
    if ties:
        same = ties[0].frame - begin == was.ties[0].frame - was.begin and ties[0].cue_s == was.ties[0].cue_s
    else:
        same = clip.source_s == before.source_s
    return (
        same
        and clip.curve is before.curve
        and footage is was.footage
        and until - begin == was.until - was.begin
        and first - begin == was.first - was.begin
        and end - begin == was.end - was.begin
        and clip.part == before.part
        and clip.beyond == before.beyond
    )


def _anchor_frames(song_placement: SongPlacement, shaped: Shaped, begin: int, until: int) -> tuple[int, ...]:
    """Return the frames of the points that a clip's shape is laid on."""
    if shaped.align == "every":
        first = bisect_right(song_placement.on_reel_frames, begin)
        return tuple(song_placement.on_reel_frames[first : bisect_left(song_placement.on_reel_frames, until)])
    point = song_placement.point(shaped.point) if shaped.align == "point" else None
    return (song_placement.frame_of_point(point),) if point is not None else ()


def _worked_out(
    clip: Clip,
    footage: Footage,
    slot: Slot,
    ties: tuple[Tie, ...],
    message: str,
    anchors: tuple[int, ...],
    was: PlacedClip | None,
) -> PlacedClip:
    """Return a clip's place. What it shows follows from frames counted from its own start: moved along it is the
    same, and is worked out once."""
    first, end, begin, until = slot[:4]
    if was is not None and message == was.message == "" and _only_moved(was, clip, footage, slot, ties):
        return PlacedClip(
            clip, footage, first, end, begin, until, was.map, ties, was.short_before_s, was.short_after_s, "", was.shape
        )  # fmt: skip
    own = (first - begin, end - begin, until - begin, slot[4], slot[5])
    own_anchors = tuple([g - begin for g in anchors])
    source_s = 0.0 if ties else clip.source_s
    own_ties: list[float] = []
    for tie in ties:
        own_ties += (tie.frame - begin, tie.cue_s)
    like = DERIVED.get(
        _ALIKE,
        (clip.curve, clip.shaped, footage),
        (source_s, clip.part, clip.beyond, *own, message, own_anchors, *own_ties),
        lambda: _from_its_start(
            clip, footage, own, tuple(t._replace(frame=t.frame - begin) for t in ties), message, own_anchors
        ),
    )
    return PlacedClip(
        clip, like.footage, first, end, begin, until, like.map, ties, like.short_before_s, like.short_after_s, like.message, like.shape
    )  # fmt: skip


def _from_its_start(
    clip: Clip,
    footage: Footage,
    slot: tuple[int, int, int, int, int],
    ties: tuple[Tie, ...],
    message: str,
    anchors: tuple[int, ...],
) -> PlacedClip:
    """Return the place of a clip that starts on frame 0."""
    first, end, until = slot[:3]
    rate = Fraction(slot[3], slot[4])
    # The curve spans the clip's own edges, not the frames left of it where a neighbour or the reel's end trims.
    length_s = time_of(max(1, until), rate)
    source_s = clip.source_s
    if clip.shaped is not None:
        frames = max(1, until)
        inside = [f / frames for f in anchors]
        pin = ties[0].frame / frames if ties else None
        curve = shaped_curve(clip.shaped, SlotAnchors(inside[0] if inside else None, pin, inside))
        shape = TimeMap(curve, length_s, 0.0, (0.0, 1.0), footage.conform_ratio)
    else:
        shape = TimeMap(clip.curve, length_s, 0.0, clip.part, footage.conform_ratio)
    chosen = None
    if len(ties) > 1:
        chosen = cut_out(shape.curve, shape.part)
        wanted = [(time_of(t.frame, rate), t.cue_s) for t in ties]
        bent, trouble = through(shape, wanted)
        message = message or trouble
        shape = TimeMap(bent, length_s, 0.0, (0.0, 1.0), footage.conform_ratio)
    if ties:
        # A cue that can be seen decides; of those outside the slot the nearest before it.
        held = next((t for t in ties if t.frame >= 0), ties[-1])
        source_s = held.cue_s - shape.source_at(time_of(held.frame, rate))
    time_map = TimeMap(shape.curve, length_s, source_s, shape.part, footage.conform_ratio)
    placed = PlacedClip(clip, footage, first, end, 0, until, time_map, ties, 0.0, 0.0, message, chosen)
    before, after = shortage(placed, rate)
    return placed._replace(short_before_s=before, short_after_s=after)


def _ties(song_placement: SongPlacement, clip: Clip, footage: Footage) -> tuple[tuple[Tie, ...], str]:
    """Return the clip's pins in order of frame; of two on one frame the first is kept, and said."""
    if len(clip.pins) == 1:  # as most have
        pin = clip.pins[0]
        point, cue = song_placement.point(pin.point), by_id(footage.cues, pin.cue)
        if point is None or cue is None:
            return (), ""
        frame = song_placement.frames_of.get(pin.point)
        return (Tie(cue.id, cue.time_s, point, song_placement.frame_of_point(point) if frame is None else frame),), ""
    ties: dict[int, Tie] = {}
    message = ""
    for pin in clip.pins:
        point, cue = song_placement.point(pin.point), by_id(footage.cues, pin.cue)
        if point is None or cue is None:
            continue
        frame = song_placement.frame_of_point(point)
        if frame in ties:
            message = f"two of its cues are pinned to frame {frame}: only one can be on screen there"
            continue
        ties[frame] = Tie(cue.id, cue.time_s, point, frame)
    return tuple([ties[f] for f in sorted(ties)]), message
