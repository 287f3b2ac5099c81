"""What a reel takes from its song: points with their frames."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from fractions import Fraction
from typing import NamedTuple

from tempik.reel import Point, Soundtrack, beats_between, point_of
from tempik.reel.points import points_of
from tempik.time import frame_of, frames_at, time_of


class SongPlacement(NamedTuple):
    """What a reel of some rate and length takes from its song."""

    song: Soundtrack | None
    rate: Fraction
    start_s: float
    frames_of: dict[str, int]  # frame of each chosen point
    by_id: dict[str, Point]
    on_reel: tuple[Point, ...]
    on_reel_frames: list[int]
    beats: tuple[Point, ...]
    beat_frames: list[int]

    def point(self, wanted: str | None) -> Point | None:
        """Return the point with that id, chosen or not, or None."""
        chosen = self.by_id.get(wanted or "")
        if chosen is not None:
            return chosen
        return point_of(self.song, wanted) if self.song is not None else None

    def frame_of_point(self, point: Point) -> int:
        """Return the frame of one of the song's points, which may lie outside the reel."""
        frame = self.frames_of.get(point.id)
        return frame_of(point.time_s - self.start_s, self.rate) if frame is None else frame


def song_placement_of(song: Soundtrack | None, rate: Fraction, frames: int) -> SongPlacement:
    """Return what a reel of some rate and some frames takes from a song."""
    points = points_of(song) if song is not None else ()
    start_s = song.start_s if song is not None else 0.0
    at = frames_at([p.time_s - start_s for p in points], rate)
    frames_of = dict(zip([p.id for p in points], at, strict=True))
    # Points are in order of time, and so are their frames.
    on_reel = slice(bisect_left(at, 0), bisect_right(at, frames))
    beats = beats_between(song, start_s, start_s + time_of(frames, rate)) if song is not None else ()
    beat_frames = frames_at([p.time_s - start_s for p in beats], rate)
    by_id = {p.id: p for p in points}
    return SongPlacement(song, rate, start_s, frames_of, by_id, points[on_reel], at[on_reel], beats, beat_frames)
