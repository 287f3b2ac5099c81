"""Where the timeline looks otherwise than before: the few boxes that are painted anew, or the stretch of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TypeVar

from PySide6.QtCore import QRectF

from tempik.accents import EvaluatedLane, Pulse, Step, span_frames
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.background import spacing
from tempik.desktop.timeline.lane import LaneLayout, PaintContext
from tempik.desktop.timeline.lanes import sounds, transitions
from tempik.desktop.timeline.lanes.pictures import clip_box
from tempik.desktop.timeline.lanes.sounds import trigger_span
from tempik.reel import Reel
from tempik.timeline.covering import gaps
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.sound_triggers import evaluated_sound_lanes, laid_sounds
from tempik.timeline.timeline import Timeline

# What of a reel may be another where points were moved.
FOLLOW = ("soundtrack", "clips")
# What of a song is painted, but for its points: where one of these is another, everything may be.
PAINTED = ("path", "length_s", "start_s", "pieces")

# From when to when, in seconds of the reel.
Span = tuple[float, float]
T = TypeVar("T")


def changed_boxes(before: Timeline, after: Timeline, view: View, layout: LaneLayout) -> list[QRectF] | None:
    """Return where a reel looks otherwise than before, where only clips in their old slots and accent lanes do; None:
    anywhere."""
    then, now = before.reel, after.reel
    if then.soundtrack is not now.soundtrack or not _same_form(before, after):
        return None
    if len(before.placed) != len(after.placed):
        return None
    other = [
        n for n, (old, new) in enumerate(zip(before.accent_lanes, after.accent_lanes, strict=True)) if old is not new
    ]
    out = []
    if other:  # neighbours are painted in one go
        top, end = layout.lane_top(other[0]), layout.lane_top(other[-1]) + layout.lane_h
        out.append(QRectF(0, top, view.width, end - top))
    for a, b in zip(before.placed, after.placed, strict=True):
        if a is not b:
            if a.clip.repeat is not None or b.clip.repeat is not None:
                return None  # its repeats are others too, or lie elsewhere
            if a.clip.id != b.clip.id or a[2:6] != b[2:6] or a.clip.track != b.clip.track or a.ties != b.ties:
                return None
            lane = QRectF(GUTTER, layout.picture_top(b.clip.track), view.room, layout.picture_h)
            out.append(clip_box(after, view, lane, b))
    heard = sounds.changed_boxes(before, after, view, layout)
    return None if heard is None else out + heard + transitions.changed_boxes(before, after, view, layout)


def changed_span(before: Timeline, after: Timeline, ctx: PaintContext) -> Span | None:
    """Return the stretch outside which a reel looks as before, where it is the points that are others, and what follows them; None:
    anywhere."""
    then, now = before.reel, after.reel
    if any(getattr(then, part) is not getattr(now, part) for part in Reel.__struct_fields__ if part not in FOLLOW):
        return None
    song, other = then.soundtrack, now.soundtrack
    if song is None or other is None or any(getattr(song, part) != getattr(other, part) for part in PAINTED):
        return None
    if _crowds(before, ctx.view) != _crowds(after, ctx.view):
        return None  # how points are drawn depends on how close they lie
    rate = float(after.rate)

    def alike(one: PlacedClip, two: PlacedClip) -> bool:
        keys = not one.clip.keys or before.keyed(one) == after.keyed(two)
        return keys and (one is two or _plays_alike(one, two))

    spans = [
        _span_of(were, are, lambda point: (after.reel_s(point), after.reel_s(point)))
        for were, are in ((before.on_reel(), after.on_reel()), (before.beats, after.beats))
    ]
    for rows, others in zip(before.tracks, after.tracks, strict=True):
        spans.append(_span_of(rows, others, lambda q: (q.first / rate, q.end / rate), alike))
    for joined, anew in zip(before.transitions, after.transitions, strict=True):
        spans.append(
            _span_of(
                joined,
                anew,
                lambda placed_transition: (placed_transition.begin / rate, placed_transition.end / rate),
                transitions.looks_alike,
            )
        )
    spans.append(_span_of(gaps(before), gaps(after), lambda gap: (gap[0] / rate, gap[1] / rate)))
    for old, new in zip(before.accent_lanes, after.accent_lanes, strict=True):
        if old.keyed != new.keyed:
            return None
        spans += _evaluated_spans(old, new, rate)
    for one, two in zip(evaluated_sound_lanes(before), evaluated_sound_lanes(after), strict=True):
        spans.append(_span_of(one.triggers, two.triggers, lambda s: trigger_span(ctx, s) or (s.at_s, s.at_s)))
        spans.append(_steps_span(one.steps, two.steps, rate))
    spans.append(_span_of(laid_sounds(before), laid_sounds(after), lambda laid: (laid.begin_s, laid.end_s)))
    found = [span for span in spans if span is not None]
    return min((a for a, _ in found), default=0.0), max((b for _, b in found), default=0.0)


def _plays_alike(one: PlacedClip, two: PlacedClip) -> bool:
    """Tell whether a clip lies and plays as before: points that it is not tied to may be others."""
    if one.clip is not two.clip or one.footage is not two.footage or one[2:6] != two[2:6] or one.ties != two.ties:
        return False
    same = one.map.start_s == two.map.start_s and one.map.curve == two.map.curve and one.shape == two.shape
    return same and one[8:11] == two[8:11]


def _crowds(timeline: Timeline, view: View) -> tuple[tuple[int, float], ...]:
    """Return how many points there are of each sort, and how close they lie."""
    bars = [b for b in timeline.beats if b.beat == 1]
    return tuple((len(p), spacing(p, timeline, view)) for p in (timeline.on_reel(), timeline.beats, bars))


def _same_form(before: Timeline, after: Timeline) -> bool:
    """Tell whether there are the same lanes and tracks, the same footage and the same frame."""
    then, now = before.reel, after.reel
    rows = [f.lane.id for f in before.accent_lanes] == [f.lane.id for f in after.accent_lanes]
    form = (then.width, then.height, then.rate, then.length_s) == (now.width, now.height, now.rate, now.length_s)
    return rows and form and then.footage is now.footage and then.tracks is now.tracks


def _evaluated_spans(old: EvaluatedLane, new: EvaluatedLane, rate: float) -> list[Span | None]:
    def seen(pulse: Pulse) -> Span:
        lead, after = span_frames(pulse.form)
        return (pulse.frame - lead) / rate, (pulse.frame + after) / rate

    return [_span_of(old.pulses, new.pulses, seen), _steps_span(old.steps, new.steps, rate)]


def _steps_span(were: Sequence[Step], are: Sequence[Step], rate: float) -> Span | None:
    return _span_of(were, are, lambda step: (step.frame / rate, step.frame / rate))


def _span_of(
    were: Sequence[T], are: Sequence[T], seen: Callable[[T], Span], alike: Callable[[T, T], bool] | None = None
) -> Span | None:
    """Return from where to where two lists that lie in order differ; None where they are alike."""
    if were is are:
        return None
    same = alike or (lambda a, b: a is b or a == b)
    ahead = _alike(were, are, same)
    least = min(len(were), len(are)) - ahead
    behind = min(_alike(reversed(were), reversed(are), same), least)
    others = [seen(each) for each in (*were[ahead : len(were) - behind], *are[ahead : len(are) - behind])]
    if not others:
        return None
    return min(a for a, _ in others), max(b for _, b in others)


def _alike(were: Iterable[T], are: Iterable[T], same: Callable[[T, T], bool]) -> int:
    """Return how many of two lists are the same before the first that is not."""
    count = 0
    for a, b in zip(were, are, strict=False):
        if not same(a, b):
            break
        count += 1
    return count
