"""What is selected (clips, footage, points, an accent lane or one pulse of it, the marked stretch of the song), and where the playhead stands."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, Signal

from tempik.accents import EvaluatedLane
from tempik.desktop.session.key_selection import KeySelection
from tempik.edit.clips.pieces import with_groups
from tempik.edit.transitions.laying import TransitionPlace
from tempik.errors import TempikError
from tempik.reel import Clip, Footage, Limit, Point, Reel, SoundClip, SoundLane, by_id
from tempik.time import frame_of, time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.repeats import source_of
from tempik.timeline.sound_triggers import channel_names
from tempik.timeline.timeline import Timeline

SongStretch = tuple[float, float]


class Selection(QObject):
    """Names of what is selected, over whatever reel `timeline` gives."""

    selected = Signal()  # another clip or piece of footage is selected
    points_selected = Signal()
    lane_selected = Signal()  # another accent lane, or pulse of one, is selected
    transition_selected = Signal()
    sound_selected = Signal()  # another channel of the mix, trigger of a lane, or sound clip is selected
    marked_changed = Signal()  # another stretch is marked

    def __init__(self, timeline: Callable[[], Timeline], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._timeline = timeline
        self.clip_id: str | None = None  # the clip that pages show
        self.clip_ids: frozenset[str] = frozenset()  # all that are selected
        self.footage_id: str | None = None
        self.points: frozenset[str] = frozenset()  # ids of the selected points
        self.lane_id: str | None = None  # the accent lane that the page edits
        self.step_id = ""  # its pulse that is edited alone, '' for the whole lane
        self.channel = "song"  # the channel of the mix that the page edits: song, clips, a sound lane's or track's id
        self.trigger = ""  # the step of the sound lane that was pointed at
        self.sound_clip_id: str | None = None
        self.transition_place: TransitionPlace | None = (
            None  # the edge whose transition the page edits, None: that of the selected clip
        )
        self.marked: SongStretch | None = None  # seconds of the song
        self.keys = KeySelection(self)

    # What the names stand for

    @property
    def _reel(self) -> Reel:
        return self._timeline().reel

    @property
    def clip(self) -> Clip | None:
        """The selected clip, of several the one that keys mean, or None."""
        return by_id(self._reel.clips, self.clip_id)

    @property
    def placed(self) -> PlacedClip | None:
        """The selected clip as placed on the reel."""
        return self._timeline().placed_clip(self.clip_id)

    @property
    def chosen_clips(self) -> list[str]:
        """The selected clips in order of place."""
        return [p.clip.id for p in self._timeline().placed if p.clip.id in self.clip_ids]

    @property
    def footage(self) -> Footage | None:
        """The selected footage, or None."""
        return by_id(self._reel.footage, self.footage_id)

    @property
    def lane(self) -> EvaluatedLane | None:
        """The selected accent lane as worked out."""
        return next((f for f in self._timeline().accent_lanes if f.lane.id == self.lane_id), None)

    def points_of(self) -> list[Point]:
        """Return the selected points that are in use, in order of time."""
        return [p for p in self._timeline().points if p.id in self.points]

    # Clips

    def select_clip(self, clip: str | None, alone: bool = False) -> None:
        """Select one clip, with the group it is in unless `alone`, or none."""
        wanted = frozenset() if clip is None else frozenset({clip} if alone else with_groups(self._reel, {clip}))
        self._select(clip, wanted)

    def toggle_clip(self, clip: str) -> None:
        """Add a clip to those selected, or take it out."""
        group = with_groups(self._reel, {clip})
        if clip in self.clip_ids:
            left = self.clip_ids - group
            self._select(next(iter(left), None), left)
        else:
            self._select(clip, self.clip_ids | group)

    def select_to(self, clip: str) -> None:
        """Select every clip from the one shown to this one."""
        placed = self._timeline().placed
        order = [p.clip.id for p in placed]
        if self.clip_id not in order or clip not in order:
            self.select_clip(clip)
            return
        a, b = sorted((order.index(self.clip_id), order.index(clip)))
        lanes = {p.clip.track for p in placed if p.clip.id in (self.clip_id, clip)}
        between = {p.clip.id for p in placed[a : b + 1] if min(lanes) <= p.clip.track <= max(lanes)}
        self._select(clip, self.clip_ids | with_groups(self._reel, between))

    def select_clips(self, clips: Iterable[str]) -> None:
        """Select clips; the first of them on the reel is the one that keys mean, unless the present one is among them."""
        wanted = frozenset(clips)
        first = next((p.clip.id for p in self._timeline().placed if p.clip.id in wanted), None)
        self._select(self.clip_id if self.clip_id in wanted else first, wanted)

    def _select(self, clip: str | None, wanted: frozenset[str]) -> None:
        clip = source_of(clip) if clip is not None else None
        wanted = frozenset(source_of(name) for name in wanted)
        if self.sound_clip_id is not None:  # keys act on clips of one kind
            self.sound_clip_id = None
            self.sound_selected.emit()
        if clip != self.clip_id or wanted != self.clip_ids:
            if clip != self.clip_id:
                self.keys.choose(None, ())
            self.clip_id, self.clip_ids = clip, wanted
            self.transition_place = None
            record = self.clip
            piece = by_id(self._reel.footage, record.footage) if record is not None else None
            if piece is not None and not piece.as_frame:  # the shelf does not list those
                self.footage_id = piece.id
            self.selected.emit()

    # Footage, points, accent lanes

    def select_footage(self, footage: str | None) -> None:
        """Select a piece of footage, or none."""
        if footage != self.footage_id:
            self.footage_id = footage
            self.selected.emit()

    def select_points(self, points: Iterable[str]) -> None:
        """Select points."""
        wanted = frozenset(points)
        if wanted != self.points:
            self.points = wanted
            self.points_selected.emit()

    def select_lane(self, lane: str | None, step: str = "") -> None:
        """Select an accent lane, or one pulse of it."""
        if (lane, step) != (self.lane_id, self.step_id):
            self.lane_id, self.step_id = lane, step
            self.lane_selected.emit()

    def select_channel(self, channel: str, trigger: str = "") -> None:
        """Select a channel of the mix, or one trigger of a sound lane; no sound clip is selected then."""
        if (channel, trigger, None) != (self.channel, self.trigger, self.sound_clip_id):
            self.channel, self.trigger, self.sound_clip_id = channel, trigger, None
            self.sound_selected.emit()

    def select_sound_clip(self, clip: str | None) -> None:
        """Select a clip of a sound track, and its track's channel; no other clip is selected then."""
        found = by_id(self._reel.sound_clips, clip)
        if found is not None and clip != self.sound_clip_id:
            self.select_clip(None)
            self.channel, self.trigger, self.sound_clip_id = found.track, "", clip
            self.sound_selected.emit()

    @property
    def sound_lane(self) -> SoundLane | None:
        """The selected sound lane."""
        return by_id(self._reel.sound_lanes, self.channel)

    @property
    def sound_clip(self) -> SoundClip | None:
        """The selected clip of a sound track."""
        return by_id(self._reel.sound_clips, self.sound_clip_id)

    def select_transition(self, place: TransitionPlace | None) -> None:
        """Select the transition of an edge, and with it the clip that it is kept with."""
        if place is not None and place.clip not in self.clip_ids:
            self.select_clip(place.clip)
        if place != self.transition_place:
            self.transition_place = place
            self.transition_selected.emit()

    def limit_to(self, place: int) -> Limit:
        """Return where a lane may fire: 0 anywhere, 1 in the selected clips, 2 in the marked stretch, 3 as 1. Raises TempikError where
        nothing is selected, or marked."""
        if place in (1, 3):
            if not self.chosen_clips:
                raise TempikError("Select the clips first that the lane should fire in.")
            return Limit(clips=tuple(self.chosen_clips))
        if place == 2:
            if self.marked is None:
                raise TempikError("Mark a stretch first: / at its beginning and / at its end.")
            return Limit(from_s=self.marked[0], to_s=self.marked[1])
        return Limit()

    # The marked stretch

    def mark(self, stretch: SongStretch | None) -> None:
        """Mark a stretch of the song, in seconds of it, or none."""
        if stretch != self.marked:
            self.marked = stretch
            self.marked_changed.emit()

    def mark_frames(self, stretch: tuple[int, int] | None) -> None:
        """Mark what sounds from one frame of the reel to another."""
        timeline = self._timeline()
        if stretch is None:
            self.mark(None)
        else:
            a, b = (time_of(frame, timeline.rate) + timeline.start_s for frame in stretch)
            self.mark((a, b))

    @property
    def marked_frames(self) -> tuple[int, int] | None:
        """The marked stretch in frames of the reel (first, end); None where nothing of the reel is marked."""
        if self.marked is None:
            return None
        timeline = self._timeline()
        a, b = (frame_of(s - timeline.start_s, timeline.rate) for s in self.marked)
        a, b = max(a, 0), min(b, timeline.frames)
        return (a, b) if b > a else None

    # Another reel

    def keep_what_is_there(self) -> None:
        """Let go of names that the reel no longer has."""
        reel = self._reel
        there = {c.id for c in reel.clips}
        if not self.clip_ids <= there:
            self.clip_ids &= there
        if self.clip_id not in there:
            self.clip_id = next(iter(self.clip_ids), None)
        if self.transition_place is not None and self.transition_place.clip not in there:
            self.transition_place = None
        if by_id(reel.accent_lanes, self.lane_id) is None:
            self.lane_id, self.step_id = (reel.accent_lanes[0].id if reel.accent_lanes else None), ""
        if self.channel not in channel_names(reel):
            self.channel, self.trigger = (reel.sound_lanes[-1].id if reel.sound_lanes else "song"), ""
        if by_id(reel.sound_clips, self.sound_clip_id) is None:
            self.sound_clip_id = None
        if by_id(reel.footage, self.footage_id) is None:
            self.footage_id = reel.footage[0].id if reel.footage else None
        if self.marked is not None and (reel.soundtrack is None or self.marked[1] > reel.soundtrack.length_s + 0.5):
            self.mark(None)

    def begin_anew(self, reel: Reel) -> None:
        """Select nothing of another project but its first footage."""
        self.clip_id, self.clip_ids, self.transition_place = None, frozenset(), None
        self.channel, self.trigger, self.sound_clip_id = (
            (reel.sound_lanes[0].id if reel.sound_lanes else "song"),
            "",
            None,
        )
        self.footage_id = reel.footage[0].id if reel.footage else None
        self.points = frozenset()
        self.mark(None)


class Playhead(QObject):
    """Stands on a frame of the reel. `frames` says how many the reel has."""

    moved = Signal(int)

    def __init__(self, frames: Callable[[], int], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._frames = frames
        self._frame = 0

    @property
    def frame(self) -> int:
        """The frame that it is on."""
        return self._frame

    def go(self, frame: int) -> None:
        """Move to a frame of the reel, or to the nearest that it has."""
        frame = min(max(frame, 0), max(self._frames() - 1, 0))
        if frame != self._frame:
            self._frame = frame
            self.moved.emit(frame)

    def to_start(self) -> None:
        """Stand on the first frame of another reel, and say so whatever was looked at before."""
        self._frame = 0
        self.moved.emit(0)

    def keep_on_reel(self) -> None:
        """Step back onto the reel where it has become shorter."""
        if self._frame >= self._frames() > 0:
            self.go(self._frames() - 1)
