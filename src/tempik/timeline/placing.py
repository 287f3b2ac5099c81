"""Where a clip lies and what it shows there: its curve, bent by its pins, in its slot. Worked out once for as long as what
it follows from is the same."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from fractions import Fraction

from tempik.memo import Crowd, Memory
from tempik.reel import Clip, Footage, Shaped, by_id
from tempik.retime import Anchors, TimeMap, cut_out, shaped_curve, through
from tempik.time import time_of
from tempik.timeline.placed import Placed, Tie, shortage
from tempik.timeline.sounding import Sounding

# First frame on screen, end, the clip's own first frame and end, and the rate's two numbers.
Slot = tuple[int, int, int, int, int, int]

_PLACED: Crowd[Placed] = Crowd(24000)  # while the points that it is tied to stay as they are
_ALIKE: Crowd[Placed] = Crowd(24000)  # wherever it lies
_ROWS: Memory[list[dict[str, Placed]]] = Memory(16)  # of each song, rate and track, the track that was laid last


def row_before(sounding: Sounding, track: int) -> list[dict[str, Placed]]:
    """Return where the clips of a track lay by the same song when it was last laid, by their ids, in a list of one: whoever lays the track
    anew puts it there."""
    rate = sounding.rate
    return _ROWS.get((sounding.song,), (rate.numerator, rate.denominator, track), lambda: [{}])


def placed_in(sounding: Sounding, clip: Clip, footage: Footage, slot: Slot, was: Placed | None = None) -> Placed:
    """Return where a clip lies; `was` is where a clip of its id lay before, which may spare working it out."""
    begin, until = slot[2:4]
    ties, said = _ties(sounding, clip, footage) if clip.pins else ((), "")
    grounds = _grounds(sounding, clip.shaped, begin, until) if clip.shaped is not None else ()
    if len(ties) == 1 and not grounds:  # as most have
        tie = ties[0]
        objects: tuple[object, ...] = (clip, footage, tie.point)
        values: tuple[int, ...] = (*slot, tie.frame)
    else:
        objects, values = (clip, footage, *[t.point for t in ties]), (*slot, *[t.frame for t in ties], *grounds)
    return _PLACED.get(objects, values, lambda: _worked_out(clip, footage, slot, ties, said, grounds, was))


def _only_moved(was: Placed, clip: Clip, footage: Footage, slot: Slot, ties: tuple[Tie, ...]) -> bool:
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


def _grounds(sounding: Sounding, shaped: Shaped, begin: int, until: int) -> tuple[int, ...]:
    """Return the frames of the points that a clip's shape is laid on."""
    if shaped.align == "every":
        first = bisect_right(sounding.on_reel_frames, begin)
        return tuple(sounding.on_reel_frames[first : bisect_left(sounding.on_reel_frames, until)])
    point = sounding.point(shaped.point) if shaped.align == "point" else None
    return (sounding.frame_of_point(point),) if point is not None else ()


def _worked_out(
    clip: Clip,
    footage: Footage,
    slot: Slot,
    ties: tuple[Tie, ...],
    said: str,
    grounds: tuple[int, ...],
    was: Placed | None,
) -> Placed:
    """Return a clip's place. What it shows follows from frames counted from its own start: moved along it is the
    same, and is worked out once."""
    first, end, begin, until = slot[:4]
    if was is not None and said == was.said == "" and _only_moved(was, clip, footage, slot, ties):
        return Placed(
            clip, footage, first, end, begin, until, was.map, ties, was.short_before_s, was.short_after_s, "", was.shape
        )  # fmt: skip
    own = (first - begin, end - begin, until - begin, slot[4], slot[5])
    own_grounds = tuple([g - begin for g in grounds])
    source_s = 0.0 if ties else clip.source_s
    own_ties: list[float] = []
    for tie in ties:
        own_ties += (tie.frame - begin, tie.cue_s)
    like = _ALIKE.get(
        (clip.curve, clip.shaped, footage),
        (source_s, clip.part, clip.beyond, *own, said, own_grounds, *own_ties),
        lambda: _from_its_start(
            clip, footage, own, tuple(t._replace(frame=t.frame - begin) for t in ties), said, own_grounds
        ),
    )
    return Placed(
        clip, like.footage, first, end, begin, until, like.map, ties, like.short_before_s, like.short_after_s, like.said, like.shape
    )  # fmt: skip


def _from_its_start(
    clip: Clip,
    footage: Footage,
    slot: tuple[int, int, int, int, int],
    ties: tuple[Tie, ...],
    said: str,
    grounds: tuple[int, ...],
) -> Placed:
    """Return the place of a clip that starts on frame 0."""
    first, end, until = slot[:3]
    rate = Fraction(slot[3], slot[4])
    # The curve spans the clip's own edges, not the frames left of it where a neighbour or the reel's end trims.
    length_s = time_of(max(1, until), rate)
    source_s = clip.source_s
    if clip.shaped is not None:
        frames = max(1, until)
        inside = [f / frames for f in grounds]
        pin = ties[0].frame / frames if ties else None
        curve = shaped_curve(clip.shaped, Anchors(inside[0] if inside else None, pin, inside))
        shape = TimeMap(curve, length_s, 0.0, (0.0, 1.0), footage.conform_ratio)
    else:
        shape = TimeMap(clip.curve, length_s, 0.0, clip.part, footage.conform_ratio)
    chosen = None
    if len(ties) > 1:
        chosen = cut_out(shape.curve, shape.part)
        wanted = [(time_of(t.frame, rate), t.cue_s) for t in ties]
        bent, trouble = through(shape, wanted)
        said = said or trouble
        shape = TimeMap(bent, length_s, 0.0, (0.0, 1.0), footage.conform_ratio)
    if ties:
        # A cue that can be seen decides; of those outside the slot the nearest before it.
        held = next((t for t in ties if t.frame >= 0), ties[-1])
        source_s = held.cue_s - shape.source_at(time_of(held.frame, rate))
    time_map = TimeMap(shape.curve, length_s, source_s, shape.part, footage.conform_ratio)
    placed = Placed(clip, footage, first, end, 0, until, time_map, ties, 0.0, 0.0, said, chosen)
    before, after = shortage(placed, rate)
    return placed._replace(short_before_s=before, short_after_s=after)


def _ties(sounding: Sounding, clip: Clip, footage: Footage) -> tuple[tuple[Tie, ...], str]:
    """Return the clip's pins in order of frame; of two on one frame the first is kept, and said."""
    if len(clip.pins) == 1:  # as most have
        pin = clip.pins[0]
        point, cue = sounding.point(pin.point), by_id(footage.cues, pin.cue)
        if point is None or cue is None:
            return (), ""
        frame = sounding.frames_of.get(pin.point)
        return (Tie(cue.id, cue.time_s, point, sounding.frame_of_point(point) if frame is None else frame),), ""
    ties: dict[int, Tie] = {}
    said = ""
    for pin in clip.pins:
        point, cue = sounding.point(pin.point), by_id(footage.cues, pin.cue)
        if point is None or cue is None:
            continue
        frame = sounding.frame_of_point(point)
        if frame in ties:
            said = f"two of its cues are pinned to frame {frame}: only one can be on screen there"
            continue
        ties[frame] = Tie(cue.id, cue.time_s, point, frame)
    return tuple([ties[f] for f in sorted(ties)]), said
