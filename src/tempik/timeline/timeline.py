"""The timeline: everything about a reel that is derived from its records, worked out once.

Frames come from points and the reel's rate; a clip's source start comes from its pin. Whoever shows, plays,
renders or checks a reel asks the timeline, so that all of them agree.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from tempik.accents import EvaluatedLane, Look, Pulse, RuleScene, Span, Step, evaluated, look_at
from tempik.accents.pulses import in_frames, keyed_at
from tempik.accents.rules import steps, uses_clips
from tempik.derive import DERIVED, Stage
from tempik.media.blend import BLENDS
from tempik.reel import (
    AccentLane,
    Clip,
    Edge,
    Footage,
    Framing,
    Point,
    Reel,
    by_id,
)
from tempik.reel.points import points_of
from tempik.time import frame_of
from tempik.timeline.following import following
from tempik.timeline.framing import covers, frame_matrix, standing
from tempik.timeline.layer import Layer
from tempik.timeline.nesting import as_footage, in_register
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.placing import placed_in
from tempik.timeline.repeats import with_repeats
from tempik.timeline.song_placement import SongPlacement, song_placement_of
from tempik.timeline.transitions import PlacedTransition, placed_transitions_of

_SONG_PLACEMENT: Stage[SongPlacement] = Stage("song placement")
_TRACKS: Stage[list[tuple[PlacedClip, ...]]] = Stage("tracks")
_WITH_REPEATS: Stage[list[tuple[PlacedClip, ...]]] = Stage("tracks with repeats")
_TRANSITIONS: Stage[list[tuple[PlacedTransition, ...]]] = Stage("transitions")
_SPANS: Stage[tuple[Span, ...]] = Stage("spans")
_KEYED: Stage[dict[str, list[tuple[int, float, str]]]] = Stage("keys in frames")
_STEPS: Stage[list[Step]] = Stage("steps")
_EVALUATED: Stage[EvaluatedLane] = Stage("evaluated lane")
_TIMELINES: Stage[Timeline] = Stage("timeline", 6)
_NESTS: Stage[Footage] = Stage("nest as footage")


PLAIN_LOOK = Look()
# What of a clip's place in the frame can be keyed.
PLACE_KEYS = ("zoom", "x", "y", "turn_deg")


def timeline_of(reel: Reel) -> Timeline:
    """Return a reel's timeline; the last few are remembered."""
    return DERIVED.get(_TIMELINES, (reel,), (), lambda: Timeline(reel, DERIVED.latest(_TIMELINES)))


def _in_order(tracks: list[tuple[PlacedClip, ...]]) -> tuple[PlacedClip, ...]:
    filled = [track for track in tracks if track]
    if len(filled) == 1:  # a track is in order by itself
        return filled[0]
    return tuple(sorted((p for track in filled for p in track), key=lambda p: (p.first, p.clip.track)))


class Timeline:
    """A reel with its frames worked out. Cheap to build anew for each state of a reel: what earlier states share with
    it is remembered."""

    def __init__(self, reel: Reel, before: Timeline | None = None) -> None:
        """`before` is the timeline of another state of the reel, of which much may be taken over as it is."""
        DERIVED.begin_state()
        self.reel = reel
        self.rate = reel.rate
        self._exact_rate = (reel.rate.numerator, reel.rate.denominator)  # told apart sooner than fractions
        self.frames = max(0, frame_of(reel.length_s, reel.rate))
        self.height_ratio = reel.height / reel.width
        song = reel.soundtrack
        self._song = song
        self.points: tuple[Point, ...] = points_of(song) if song else ()
        self.start_s = song.start_s if song else 0.0
        when: tuple[int, ...] = (*self._exact_rate, self.frames)
        self.song_placement = DERIVED.get(
            _SONG_PLACEMENT, (song,), when, lambda: song_placement_of(song, reel.rate, self.frames)
        )
        self.beats = self.song_placement.beats
        alike = before is not None and before.song_placement is self.song_placement
        known: Mapping[str, PlacedClip] = before._by_clip if before is not None and alike else {}
        self._footage = {f.id: f if f.nest is None else _nested(self, f) for f in reel.footage}
        parts, when = (reel.clips, reel.footage, song), (*when, len(reel.tracks))
        self.own_tracks: list[tuple[PlacedClip, ...]] = DERIVED.get(
            _TRACKS, parts, when, lambda: [self._place(number, known) for number in range(len(reel.tracks))]
        )
        # With the clips that a rule lays again: what is shown. Edits know the reel's own alone.
        self.tracks: list[tuple[PlacedClip, ...]] = self.own_tracks
        if any(c.repeat is not None for c in reel.clips):
            self.tracks = DERIVED.get(
                _WITH_REPEATS,
                parts,
                when,
                lambda: [with_repeats(track, self.bare_scene, self.song_placement) for track in self.own_tracks],
            )
        self._firsts = [[p.first for p in track] for track in self.tracks]
        self.transitions: list[tuple[PlacedTransition, ...]] = DERIVED.get(
            _TRANSITIONS,
            parts,
            when,
            lambda: [placed_transitions_of(track, self.song_placement, self.frames) for track in self.tracks],
        )
        self.placed: tuple[PlacedClip, ...] = _in_order(self.own_tracks)
        self._by_clip: dict[str, PlacedClip] = {p.clip.id: p for track in self.tracks for p in track}
        self._spans: tuple[Span, ...] | None = None
        gains = {b.id: b.amount for b in reel.bundles}
        solo = any(r.solo for r in reel.accent_lanes)
        self.accent_lanes: list[EvaluatedLane] = [
            self._evaluated(r, gains.get(r.bundle, 1.0) * reel.amount, r.muted or (solo and not r.solo))
            for r in reel.accent_lanes
        ]

    @property
    def everything(self) -> tuple[PlacedClip, ...]:
        """All that is laid, by first frame: clips, and where a rule lays them again."""
        return self.placed if self.tracks is self.own_tracks else _in_order(self.tracks)

    @property
    def pulses(self) -> list[list[Pulse]]:
        """The pulses of each accent lane, in order of frame; those of muted lanes too."""
        return [f.pulses for f in self.accent_lanes]

    @property
    def scene(self) -> RuleScene:
        """What the accents' rules fire on."""
        if self._spans is None:
            reel = self.reel
            self._spans = DERIVED.get(
                _SPANS,
                (reel.clips, reel.footage, reel.tracks, self._song),
                (*self._exact_rate, self.frames, reel.width, reel.height),
                lambda: tuple(_span(self, p) for p in self.everything if self.shows(p, p.first)),
            )
        return self.bare_scene._replace(spans=self._spans)

    @property
    def bare_scene(self) -> RuleScene:
        """What rules fire on that follows from the song alone: without clips."""
        return RuleScene(self._song, self.rate, self.frames, self.height_ratio, frames_of=self.song_placement.frames_of)

    def _evaluated(self, lane: AccentLane, gain: float, silent: bool) -> EvaluatedLane:
        if uses_clips(lane):
            scene, objects = self.scene, (self._song, *self.everything)
        else:
            scene, objects = self.bare_scene, (self._song,)
        when: tuple[int, ...] = (*self._exact_rate, self.frames)
        # While only amounts, looks or what is painted change, the cells stay.
        found = DERIVED.get(_STEPS, (lane.rule, lane.limit, *objects), when, lambda: steps(lane, scene))
        values = (*when, self.height_ratio, gain, silent)
        return DERIVED.get(
            _EVALUATED, (lane, found, *objects), values, lambda: evaluated(lane, scene, gain, silent, found)
        )

    def placed_clip(self, wanted: str | None) -> PlacedClip | None:
        """Return where a clip lies, or None when it has no frame on the reel."""
        return self._by_clip.get(wanted or "")

    def point(self, wanted: str | None) -> Point | None:
        """Return the point with that id, chosen or not, or None."""
        return self.song_placement.point(wanted)

    def reel_s(self, point: Point) -> float:
        """Return the instant of the reel at which a point sounds."""
        return point.time_s - self.start_s

    def frame_of_point(self, point: Point) -> int:
        """Return the frame of one of this song's points, which may lie outside the reel."""
        return self.song_placement.frame_of_point(point)

    def point_at(self, frame: int, within: int = 0) -> Point | None:
        """Return the chosen point whose frame is nearest to a frame, at most `within` away; of two the stronger."""
        frames, points = self.song_placement.on_reel_frames, self.song_placement.on_reel
        first = bisect_left(frames, frame - within)
        if first == len(frames) or frames[first] > frame + within:
            return None
        if first + 1 == len(frames) or frames[first + 1] > frame + within:
            return points[first]
        near = points[first : bisect_right(frames, frame + within)]
        return min(near, key=lambda p: (abs(self.frame_of_point(p) - frame), -p.strength))

    def beat_at(self, frame: int) -> Point | None:
        """Return the last beat as read at or before a frame, chosen or not, or None before the first."""
        number = bisect_right(self.song_placement.beat_frames, frame)
        return self.beats[number - 1] if number else None

    def edge_s(self, edge: Edge) -> float:
        """Return the instant of the reel at which an edge stands: its point's, or its own when free."""
        point = self.point(edge.point)
        return edge.time_s if point is None else self.reel_s(point)

    def on_reel(self) -> tuple[Point, ...]:
        """Return the points that sound within the reel, in order."""
        return self.song_placement.on_reel

    def clip_at(self, frame: int, track: int | None = None) -> PlacedClip | None:
        """Return the uppermost shown clip at a frame, or the clip of one track; None where nothing is placed."""
        if track is not None:
            number = bisect_right(self._firsts[track], frame) - 1
            if number >= 0 and frame < self.tracks[track][number].end:
                return self.tracks[track][number]
            return None
        return next(reversed(self.clips_at(frame)), None)

    def clips_at(self, frame: int) -> list[PlacedClip]:
        """Return the clips on screen at a frame, the lowest first."""
        return [layer.placed for layer in self.layers_at(frame)]

    def layers_at(self, frame: int) -> list[Layer]:
        """Return the layers on screen at a frame, the lowest first; those that another covers wholly are left out."""
        out: list[Layer] = []
        for number in range(len(self.own_tracks) - 1, -1, -1):
            if self.reel.tracks[number].hidden:
                continue
            placed, placed_transition = self.clip_at(frame, number), self.transition_at(frame, number)
            if placed_transition is not None and placed_transition.kind is not None:
                layer = self.layer_of(placed or placed_transition.owner, frame)._replace(
                    placed_transition=placed_transition
                )
                sides = [
                    self.layer_of(p, frame) for p in (placed_transition.out, placed_transition.into) if p is not None
                ]
            elif placed is not None:
                layer, placed_transition = self.layer_of(placed, frame), None
                sides = [layer]
            else:
                continue
            out.append(layer)
            if (placed_transition is None or placed_transition.both) and all(
                side.whole and covers(self.framing_at(side.placed, frame), side.placed.footage, self.reel)
                for side in sides
            ):
                break
        out.reverse()
        return out

    def layer_of(self, placed: PlacedClip, frame: float) -> Layer:
        """Return a clip as a layer at a frame: how much of it shows, and how it is laid over what lies below."""
        keys = self.keyed(placed).get("opacity") if placed.clip.keys else None
        opacity = placed.clip.opacity if keys is None else min(max(keyed_at(keys, frame), 0.0), 1.0)
        return Layer(placed, opacity, blend=placed.clip.blend if placed.clip.blend in BLENDS else "normal")

    def keyed(self, placed: PlacedClip) -> dict[str, list[tuple[int, float, str]]]:
        """Return a clip's keys by what they set, each as frame, value and ease, in order."""
        clip = placed.clip
        if not clip.keys:
            return {}
        return DERIVED.get(_KEYED, (clip, self._song), self._exact_rate, lambda: in_frames(clip.keys, self.bare_scene))

    def framing_at(self, placed: PlacedClip, frame: float) -> Framing:
        """Return how a clip stands in the frame at an instant of the reel: its movement and its keys worked out."""
        framing = standing(placed.clip.framing, self.slot_share(placed, frame))
        values = {n: keyed_at(k, frame) for n, k in self.keyed(placed).items() if n in PLACE_KEYS}
        if values:
            framing = replace(framing, start=replace(framing.start, **values))
        # Keys of the place hold; in a window they move that, and the picture follows inside it.
        if placed.clip.follow is not None and (framing.window is not None or not ("x" in values or "y" in values)):
            framing = following(placed, framing, frame, self.rate, self.height_ratio)
        return framing

    def transition_at(self, frame: int, track: int) -> PlacedTransition | None:
        """Return the transition of a track that a frame lies in, or None."""
        transitions = self.transitions[track]
        if not transitions:
            return None
        number = bisect_right(transitions, frame, key=lambda s: s.begin) - 1
        return transitions[number] if number >= 0 and frame < transitions[number].end else None

    def transition_of(self, clip: str, at_end: bool = False) -> PlacedTransition | None:
        """Return the transition at a clip's start, or over its end; None where there is none."""
        placed = self.placed_clip(clip)
        if placed is None:
            return None
        transitions = self.transitions[placed.clip.track]
        edge = placed.end if at_end else placed.first
        number = bisect_right(transitions, edge, key=lambda s: s.turn)
        near = [s for s in transitions[max(0, number - 2) : number] if s.turn == edge]
        return next((s for s in near if (s.out if at_end else s.into) is placed), None)

    def slot_share(self, placed: PlacedClip, frame: float) -> float:
        """Return how far into its slot a clip is at a frame, 0 at its first frame and 1 at its last."""
        return min(max((frame - placed.begin) / max(placed.until - placed.begin - 1, 1), 0.0), 1.0)

    def shows(self, placed: PlacedClip, frame: int) -> bool:
        """Tell whether a clip is on screen at a frame: its track is shown and nothing covers it there."""
        track = placed.clip.track
        for above in range(track + 1, len(self.own_tracks)):
            hidden = self.reel.tracks[above].hidden
            if not hidden and (self.clip_at(frame, above) is not None or self.transition_at(frame, above) is not None):
                return any(p is placed for p in self.clips_at(frame))  # it may cover what lies below
        placed_transition, here = self.transition_at(frame, track), self.clip_at(frame, track)
        if placed_transition is not None and placed_transition.kind is not None and here is None:
            here = placed_transition.owner
        return here is placed and not self.reel.tracks[track].hidden

    def look_at(self, frame: float, without: str | None = None) -> Look:
        """Return what the accents do to a whole frame, a fraction within a shutter's opening; `without` leaves one lane out."""
        lanes = [f for f in self.accent_lanes if not f.lane.alone and f.lane.id != without]
        return look_at(frame, lanes, self.rate, self.height_ratio, self.focus_at)

    def own_look_at(self, placed: PlacedClip, frame: float, without: str | None = None) -> Look:
        """Return what the accents of a clip's own do to its picture."""
        lanes = [
            f
            for f in self.accent_lanes
            if f.lane.alone and placed.clip.id in f.lane.limit.clips and f.lane.id != without
        ]
        return look_at(frame, lanes, self.rate, self.height_ratio, self.focus_at) if lanes else PLAIN_LOOK

    def focus_at(self, found: EvaluatedLane, frame: float) -> tuple[float, float]:
        """Return where a lane's focus is, from the frame's middle in shares of its width: where its tracked patch is seen
        on the clip there, else where it was put."""
        track = found.lane
        if track.follow:
            place = self._tracked(track.follow, frame)
            if place is not None:
                return place
        x, y = (track.settings.get(name, 0.5) for name in ("focus_x", "focus_y"))
        return float(x) - 0.5, (float(y) - 0.5) * self.height_ratio

    def _tracked(self, wanted: str, frame: float) -> tuple[float, float] | None:
        placed = self.clip_at(min(max(math.floor(frame), 0), max(self.frames - 1, 0)))
        track = by_id(placed.footage.motion_tracks, wanted) if placed is not None else None
        if placed is None or track is None:
            return None
        source = float(source_at_frames(placed, [frame], self.rate)[0])
        x, y = (float(np.interp(source, track.times_s, values)) for values in (track.xs, track.ys))
        matrix = frame_matrix(self.framing_at(placed, frame), placed.footage, 1, self.height_ratio)
        seen = matrix @ np.array([x, y, 1.0])
        return float(seen[0]) - 0.5, float(seen[1]) - self.height_ratio / 2

    def _place(self, track: int, known: Mapping[str, PlacedClip]) -> tuple[PlacedClip, ...]:
        frames_of, frames = self.song_placement.frames_of.get, self.frames
        spans: list[tuple[int, int, int, Clip, PlacedClip | None]] = []
        for clip in self.reel.clips:
            if clip.track != track:
                continue
            was = known.get(clip.id)
            if was is not None and was.clip is clip:
                begin, until = was.begin, was.until
            else:
                start, stop = frames_of(clip.start.point or ""), frames_of(clip.end.point or "")
                begin = self.edge_frame(clip.start) if start is None else start
                until = self.edge_frame(clip.end) if stop is None else stop
            if until > begin and until > 0 and begin < frames:
                spans.append((begin, until, len(spans), clip, was))
        spans.sort()
        # Within a track the later clip takes over.
        ends = [*[s[0] for s in spans[1:]], frames]
        rate, footage, out = self._exact_rate, self._footage.get, list[PlacedClip]()
        for (begin, until, _, clip, was), next_begin in zip(spans, ends, strict=False):
            end, first = until if until < next_begin else next_begin, begin if begin > 0 else 0
            end = end if end < frames else frames  # min and max take five times as long
            piece = footage(clip.footage)
            if end <= first or piece is None:
                continue
            if was is not None and was.clip is clip and was.footage is piece and was.first == first and was.end == end:
                out.append(was)
                continue
            if clip.in_place and piece.nest is not None:
                clip = in_register(clip, begin - self.edge_frame(piece.nest.start), self.rate)
            out.append(placed_in(self.song_placement, clip, piece, (first, end, begin, until, *rate), was))
        return tuple(out)

    def edge_frame(self, edge: Edge) -> int:
        """Return the frame at which an edge stands, which may lie outside the reel."""
        known = self.song_placement.frames_of.get(edge.point) if edge.point is not None else None
        return frame_of(self.edge_s(edge), self.rate) if known is None else known


def _nested(timeline: Timeline, footage: Footage) -> Footage:
    """Return a nest as the footage that it is for clips of this reel."""
    nest, reel = footage.nest, timeline.reel
    assert nest is not None
    frames = timeline.edge_frame(nest.end) - timeline.edge_frame(nest.start)
    values = (reel.rate.numerator, reel.rate.denominator, reel.width, reel.height)
    parts = (footage, reel.footage, reel.soundtrack)
    return DERIVED.get(_NESTS, parts, values, lambda: as_footage(footage, reel, frames))


def _span(timeline: Timeline, placed: PlacedClip) -> Span:
    clip = placed.clip
    ties = tuple((t.cue, t.point, t.frame) for t in placed.ties)
    placed_transition = timeline.transition_of(clip.id)
    return Span(
        clip.id,
        placed.first,
        placed.end,
        placed.first > 0,
        timeline.point(clip.start.point),
        timeline.point(clip.end.point),
        ties,
        placed_transition is not None and placed_transition.kind is not None and placed_transition.both,
    )
