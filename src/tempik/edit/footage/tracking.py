"""Following a patch of footage: a focus put on one frame goes with what it was put on, whatever the clip's speed."""

from __future__ import annotations

import threading
from collections.abc import Callable

import cv2
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.media import FrameReader
from tempik.media.picture import Plane
from tempik.reel import Footage, MotionTrack, Reel, new_id
from tempik.timeline.framing import frame_matrix
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline

LONGEST_PX = 480  # of the pictures that are searched
PATCH = 0.13  # the patch's side, in shares of the longer side
REACH = 0.11  # how far a patch may go from frame to frame
LEAST_SCORE = 0.45  # a match below this (normalised correlation) is none: the patch is hidden or gone
LONGEST_S = 20.0  # followed to both sides of where it was put
LOST_WIDER, MOST_WIDER = 6.0, 3.0  # of its reach, for so many frames lost, it is looked for as much further; at most
FORGET = 0.12  # how much of the patch is renewed at a sure match, so that it may turn and change


def footage_place(
    timeline: Timeline, placed: PlacedClip, frame: int, place: tuple[float, float]
) -> tuple[float, float, float]:
    """Return the source second and the place, in shares of the upright picture, that are seen at a place of the frame
    (from its middle, in shares of its width). Raises TempikError outside the picture."""
    source_s = float(source_at_frames(placed, [frame], timeline.rate)[0])
    matrix = frame_matrix(timeline.framing_at(placed, frame), placed.footage, 1, timeline.height_ratio)
    seen = np.linalg.inv(matrix) @ np.array([place[0] + 0.5, place[1] + timeline.height_ratio / 2, 1.0])
    if not (0 <= seen[0] <= 1 and 0 <= seen[1] <= 1):
        raise TempikError("The focus lies outside the picture of this clip; put it on what it should follow.")
    return source_s, float(seen[0]), float(seen[1])


def subject_of(timeline: Timeline, placed: PlacedClip, path: str | None = None) -> tuple[float, float, float]:
    """Return the source second in the middle of a clip, and where its subject probably is there, as `footage_place` does. Raises
    TempikError where nothing moves."""
    if placed.footage.kind != "video":
        raise TempikError(f"{placed.footage.name} does not move; there is nothing to follow.")
    middle = float(source_at_frames(placed, [(placed.first + placed.end - 1) / 2], timeline.rate)[0])
    return middle, *likely_subject(placed.footage, middle, path)


def tracked(
    footage: Footage,
    source_s: float,
    x: float,
    y: float,
    report: Callable[[float], None] | None = None,
    stop: threading.Event | None = None,
    path: str | None = None,
) -> MotionTrack:
    """Follow the patch at a place of one frame to both sides, by normalised correlation with a patch slowly renewed.

    Where it is lost it waits at its last place, is looked for further around, and the track says so. `path` is a smaller
    file to read in place of the footage's, frame for frame. Raises TempikError when the footage cannot be read, or has
    nothing there that could be told from its surroundings.
    """
    if footage.kind != "video":
        raise TempikError(f"{footage.name} does not move; there is nothing to follow.")
    with_reader = FrameReader(path or footage.path, longest_px=LONGEST_PX)
    try:
        times = with_reader.index.times_s
        start = with_reader.index.frame_at(source_s)
        first = with_reader.index.frame_at(max(source_s - LONGEST_S, float(times[0])))
        last = with_reader.index.frame_at(min(source_s + LONGEST_S, float(times[-1])))
        found: dict[int, tuple[float, float]] = {start: (x, y)}
        patch = _patch(_upright(with_reader, start, footage), x, y)
        if float(patch.std()) < 2.5:
            raise TempikError("There is nothing at the focus that could be followed; put it on something with an edge.")
        done, lost = 0, set[int]()
        for numbers in (range(start + 1, last + 1), range(start - 1, first - 1, -1)):
            place, look, away = (x, y), patch.astype(np.float32), 0
            for number in numbers:
                if stop is not None and stop.is_set():
                    raise TempikError("Following was stopped.")
                picture = _upright(with_reader, number, footage)
                place, look, seen = _next(picture, place, look, min(1 + away / LOST_WIDER, MOST_WIDER))
                away = 0 if seen else away + 1
                if not seen:
                    lost.add(number)
                found[number] = place
                done += 1
                if report is not None and done % 10 == 0:
                    report(done / max(last - first, 1))
    finally:
        with_reader.close()
    order = sorted(found)
    return MotionTrack(
        "t1",
        tuple(round(float(times[n]), 6) for n in order),
        tuple(round(found[n][0], 5) for n in order),
        tuple(round(found[n][1], 5) for n in order),
        lost=_stretches(sorted(lost), times),
    )


def _stretches(numbers: list[int], times: NDArray[np.float64]) -> tuple[tuple[float, float], ...]:
    """Return the stretches of frames in which a patch was lost, those of a frame or two left aside, in seconds."""
    runs = np.split(np.array(numbers, dtype=np.int64), np.flatnonzero(np.diff(numbers) > 1) + 1) if numbers else []
    return tuple((round(float(times[r[0]]), 6), round(float(times[r[-1]]), 6)) for r in runs if len(r) > 2)


def spliced(old: MotionTrack, new: MotionTrack, from_s: float) -> MotionTrack:
    """Return a track that goes as the old one up to an instant of the footage, and from there as the new one."""
    kept = [n for n, t in enumerate(old.times_s) if t < from_s - 1e-9]
    later = [n for n, t in enumerate(new.times_s) if t >= from_s - 1e-9]
    lost = [(a, min(b, from_s)) for a, b in old.lost if a < from_s] + [(a, b) for a, b in new.lost if b >= from_s]
    return replace(
        old,
        times_s=(*(old.times_s[n] for n in kept), *(new.times_s[n] for n in later)),
        xs=(*(old.xs[n] for n in kept), *(new.xs[n] for n in later)),
        ys=(*(old.ys[n] for n in kept), *(new.ys[n] for n in later)),
        lost=tuple(lost),
    )


def likely_subject(footage: Footage, source_s: float, path: str | None = None) -> tuple[float, float]:
    """Return where the subject of a piece of footage probably is at an instant, in shares of the upright picture: where most
    moves once the picture's own movement is taken out, or, where nothing does, where most detail is, near the middle."""
    with FrameReader(path or footage.path, longest_px=LONGEST_PX // 2) as reader:
        number = reader.index.frame_at(source_s)
        last = len(reader.index.pts) - 1
        numbers = sorted({min(max(number + step, 0), last) for step in (-4, -2, 0, 2, 4)})
        planes = [_upright(reader, n, footage).astype(np.float32) for n in numbers]
    moved = np.zeros_like(planes[0])
    for a, b in zip(planes, planes[1:], strict=False):
        (dx, dy), _ = cv2.phaseCorrelate(a, b)
        steady = cv2.warpAffine(
            b, np.array([[1.0, 0, -dx], [0, 1.0, -dy]]), b.shape[::-1], borderMode=cv2.BORDER_REPLICATE
        )
        moved += np.abs(np.asarray(steady, np.float32) - a)
    height_px, wide = moved.shape
    edge = max(2, round(0.03 * max(height_px, wide)))
    moved[:edge], moved[-edge:], moved[:, :edge], moved[:, -edge:] = 0, 0, 0, 0
    middle = planes[len(planes) // 2]
    detail = np.hypot(cv2.Sobel(middle, cv2.CV_32F, 1, 0), cv2.Sobel(middle, cv2.CV_32F, 0, 1))
    across, down = np.meshgrid((np.arange(wide) + 0.5) / wide - 0.5, (np.arange(height_px) + 0.5) / height_px - 0.5)
    central = np.exp(-(across**2 + down**2) / 0.12)
    weight = moved if float(moved.max()) > 12 else detail * central
    soft = cv2.GaussianBlur(np.asarray(weight, np.float32), (0, 0), 0.06 * max(height_px, wide))
    y, x = np.unravel_index(int(np.argmax(soft)), soft.shape)
    return (float(x) + 0.5) / wide, (float(y) + 0.5) / height_px


def with_track(reel: Reel, footage: str, track: MotionTrack) -> tuple[Reel, str]:
    """Keep a track with its footage; returns the reel and the track's id."""
    taken = {t.id for f in reel.footage for t in f.motion_tracks}
    name = new_id("t", taken)
    pieces = tuple(
        replace(f, motion_tracks=(*f.motion_tracks, replace(track, id=name))) if f.id == footage else f
        for f in reel.footage
    )
    return replace(reel, footage=pieces), name


def _upright(reader: FrameReader, number: int, footage: Footage) -> Plane:
    plane = reader.frame(number).y
    return np.ascontiguousarray(np.rot90(plane, -(footage.rotation_deg % 360) // 90))


def _side(picture: Plane) -> int:
    return int(max(8, round(PATCH * max(picture.shape)))) | 1


def _patch(picture: Plane, x: float, y: float) -> Plane:
    side = _side(picture)
    height_px, wide = picture.shape
    left = min(max(round(x * wide - side / 2), 0), wide - side)
    top = min(max(round(y * height_px - side / 2), 0), height_px - side)
    return picture[top : top + side, left : left + side]


def _next(
    picture: Plane, place: tuple[float, float], patch: NDArray[np.float32], wider: float
) -> tuple[tuple[float, float], NDArray[np.float32], bool]:
    """Return where a patch has gone, the patch renewed, and whether it was seen."""
    height_px, wide = picture.shape
    side, reach = patch.shape[0], REACH * wider * max(height_px, wide)
    cx, cy = place[0] * wide, place[1] * height_px
    left, top = (max(0, round(c - side / 2 - reach)) for c in (cx, cy))
    right, bottom = min(wide, round(cx + side / 2 + reach)), min(height_px, round(cy + side / 2 + reach))
    window = picture[top:bottom, left:right]
    if min(window.shape) <= side:
        return place, patch, False
    found_scores = cv2.matchTemplate(window.astype(np.float32), patch, cv2.TM_CCOEFF_NORMED)
    scores = np.asarray(found_scores, dtype=np.float32)
    best = np.unravel_index(int(scores.argmax()), scores.shape)
    score = float(scores[best])
    if score < LEAST_SCORE:
        return place, patch, False
    dy, dx = (_between(scores, (int(best[0]), int(best[1])), axis) for axis in (0, 1))
    found = ((left + best[1] + dx + side / 2) / wide, (top + best[0] + dy + side / 2) / height_px)
    seen = picture[top + best[0] : top + best[0] + side, left + best[1] : left + best[1] + side].astype(np.float32)
    renewed = (1 - FORGET) * patch + FORGET * seen if score > 0.7 else patch
    return (float(found[0]), float(found[1])), np.asarray(renewed, dtype=np.float32), True


def _between(scores: NDArray[np.float32], at: tuple[int, int], axis: int) -> float:
    """Return how far the top of a parabola through three scores lies from the best one."""
    low, high = list(at), list(at)
    low[axis] -= 1
    high[axis] += 1
    if low[axis] < 0 or high[axis] >= scores.shape[axis]:
        return 0.0
    a, b, c = float(scores[tuple(low)]), float(scores[at]), float(scores[tuple(high)])
    bend = a - 2 * b + c
    return 0.5 * (a - c) / bend if bend < 0 else 0.0
