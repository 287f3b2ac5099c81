"""Following a subject: the framing keeps a tracked patch at a place of the frame, on a calm path, as far as the picture reaches."""

from __future__ import annotations

import math
from fractions import Fraction

import cv2
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.derive import DERIVED, Stage
from tempik.reel import Framing, MotionTrack, by_id
from tempik.timeline.framing import frame_matrix, inside_window
from tempik.timeline.placed_clip import PlacedClip, source_at_frames

ROOM = 1e-3  # of the frame's width
Path = NDArray[np.float64]

_PATHS: Stage[Path] = Stage("followed path")


def track_of(placed: PlacedClip) -> MotionTrack | None:
    """Return the tracked patch that a clip's framing follows, or None."""
    follow = placed.clip.follow
    return by_id(placed.footage.motion_tracks, follow.track) if follow is not None else None


def calm_path(placed: PlacedClip, track: MotionTrack, rate: Fraction) -> Path:
    """Return where the patch is for the framing, at each frame of a clip's slot and one second to either side: shape
    (frames, 2), shares of the upright picture. It is smoothed over the reel's time, so that a ramp is followed as it is
    seen."""
    follow = placed.clip.follow
    assert follow is not None
    return DERIVED.get(
        _PATHS, (placed, track), (rate.numerator, rate.denominator), lambda: _smoothed(placed, track, rate, follow.calm)
    )


def _smoothed(placed: PlacedClip, track: MotionTrack, rate: Fraction, calm_s: float) -> Path:
    margin = round(rate)
    frames = np.arange(placed.begin - margin, placed.until + margin, dtype=np.float64)
    source = source_at_frames(placed, frames, rate)
    known = (source >= track.times_s[0] - 1e-6) & (source <= track.times_s[-1] + 1e-6)
    path = np.stack([np.interp(source, track.times_s, values) for values in (track.xs, track.ys)], axis=1)
    sigma = calm_s * float(rate) / 2
    inside = np.flatnonzero(known)
    if sigma > 0.3 and len(inside) > 2:
        # Beyond its ends the way goes on as it came, so that a steady movement is not held back there.
        a, b = int(inside[0]), int(inside[-1]) + 1
        reach = min(math.ceil(4 * sigma), b - a - 1)
        part = np.pad(path[a:b], ((reach, reach), (0, 0)), mode="reflect", reflect_type="odd")
        kernel = cv2.getGaussianKernel(2 * math.ceil(4 * sigma) + 1, sigma)
        smooth = cv2.sepFilter2D(part, -1, np.ones(1), kernel, borderType=cv2.BORDER_REPLICATE)[
            reach : len(part) - reach
        ]
        path[a:b], path[:a], path[b:] = smooth, smooth[0], smooth[-1]
    return path


def following(placed: PlacedClip, framing: Framing, frame: float, rate: Fraction, height_ratio: float) -> Framing:
    """Return a framing as it stands with its picture moved so that the followed patch is where it is wanted, in the frame or in its window;
    the picture reaches every edge that it reached."""
    track = track_of(placed)
    follow = placed.clip.follow
    if track is None or follow is None:
        return framing
    window = framing.window
    if window is not None:  # the picture goes along inside it, the window stays
        inner = following(
            placed, inside_window(framing), frame, rate, height_ratio * window.height / window.width
        ).start
        return replace(framing, window=replace(window, x=inner.x, y=inner.y))
    path = calm_path(placed, track, rate)
    at = frame - placed.begin + round(rate)
    number = np.arange(len(path))
    x, y = (float(np.interp(at, number, path[:, axis])) for axis in (0, 1))
    matrix = frame_matrix(framing, placed.footage, 1.0, height_ratio)
    seen = matrix @ np.array([x, y, 1.0])
    # The corners of the frame, in shares of the picture: as far as they are inside it, the picture may be moved.
    move = [follow.x - seen[0], follow.y * height_ratio - seen[1]]
    for axis, size in ((0, 1.0), (1, height_ratio)):
        low, high = _room(matrix, framing.crop, axis, size)
        # A picture that is smaller than the frame there is seen whole: it stays where it was put.
        move[axis] = min(max(move[axis], low), high) if low <= high + 1e-9 else 0.0
    start = framing.start
    return replace(framing, start=replace(start, x=start.x + float(move[0]), y=start.y + float(move[1]) / height_ratio))


def has_room(framing: Framing, placed: PlacedClip, height_ratio: float) -> bool:
    """Tell whether a framing leaves a picture room to be moved along: one that is seen whole has none, and follows nothing."""
    window = framing.window
    if window is not None:
        framing, height_ratio = inside_window(framing), height_ratio * window.height / window.width
    matrix = frame_matrix(framing, placed.footage, 1.0, height_ratio)
    rooms = [_room(matrix, framing.crop, axis, size) for axis, size in ((0, 1.0), (1, height_ratio))]
    return any(high - low > ROOM for low, high in rooms)


def _room(
    matrix: NDArray[np.float64], crop: tuple[float, float, float, float], axis: int, size: float
) -> tuple[float, float]:
    """Return by how much a picture may be moved along an axis, at least and at most, and still reach both of its sides; of a
    turned picture the upright box inside it counts."""
    left, top, right, bottom = crop
    corners = np.array([[left, top, 1], [1 - right, top, 1], [1 - right, 1 - bottom, 1], [left, 1 - bottom, 1]])
    along = np.sort((corners @ matrix.T)[:, axis])
    first, last = float(along[1]), float(along[2])
    return size - last, -first
