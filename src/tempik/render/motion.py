"""How a clip's picture moves as a whole at its start or end, as it is shown: with its speed, direction and framing.

Corners of the picture are followed from frame to frame (Lucas and Kanade 1981, in pyramids) and one similarity is fitted to
their ways by random samples (Fischler and Bolles 1981), so that a subject that moves before a standing ground is not taken
for the camera's movement.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.picture import Plane
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.transitions.matching import Motion, TransitionProposal, proposals

Places = NDArray[np.float32]

STRETCH_S = 0.5
STEPS = 6
STEP_S = 1 / 30  # from one picture to the next: as near as footage has them
WIDE_PX = 216
MOST_CORNERS = 160
LEAST_CORNERS = 10
STRAYS_PX = 0.7


def motion_of(timeline: Timeline, placed: PlacedClip, at_end: bool, source: PictureSource) -> Motion:
    """Return how a clip moves over its first or last half second; a motion without trust where it cannot be told.
    Raises TempikError when its footage cannot be read."""
    rate = float(timeline.rate)
    count = max(2, min(placed.frames, round(STRETCH_S * rate) + 1))
    first = placed.end - count if at_end else placed.first
    step = max(1, round(STEP_S * rate))
    starts = sorted({first + round(i * max(count - 1 - step, 0) / (STEPS - 1)) for i in range(STEPS)})
    width = WIDE_PX
    height = max(16, round(width * timeline.reel.height / timeline.reel.width / 2) * 2)

    def seen(frame: int) -> Plane:
        return source.render(plan(timeline, frame, width, height, accents=False, clip=placed)).y

    found = []
    for start in starts:
        before, after = seen(start), seen(min(start + step, first + count - 1))
        moved = _between(before, after)
        if moved is not None:
            found.append(_rates(*moved, step / rate, before.shape))
    if not found:
        return Motion()
    middle = np.median(np.array(found), axis=0)
    # Ways that differ from step to step are no movement that a transition could carry on.
    agree = len(found) / len(starts)
    right, down, closer, turn_deg, trust = (float(v) for v in middle)
    return Motion(right, down, closer, turn_deg, trust * agree)


def proposals_at(timeline: Timeline, clip: str, source: PictureSource) -> list[TransitionProposal]:
    """Return the transitions that suit the movement on both sides of the cut at a clip's start, best first; none where no clip
    meets it there. Raises TempikError when footage cannot be read."""
    placed = timeline.placed_clip(clip)
    before = timeline.clip_at(placed.first - 1, placed.clip.track) if placed is not None else None
    if placed is None or before is None or before.end != placed.first:
        return []
    return proposals(motion_of(timeline, before, True, source), motion_of(timeline, placed, False, source))


def _between(before: Plane, after: Plane) -> tuple[NDArray[np.float64], float] | None:
    """Return the similarity, shape (2, 3), that takes one picture to the next, and the share of corners that follow it."""
    corners = cv2.goodFeaturesToTrack(before, MOST_CORNERS, 0.01, 7)
    if corners is None or len(corners) < LEAST_CORNERS:
        return None
    there, found = _followed(before, after, np.asarray(corners, dtype=np.float32))
    back, again = _followed(after, before, there)
    sure = (found[:, 0] == 1) & (again[:, 0] == 1) & (np.abs(back - corners).max(axis=(1, 2)) < STRAYS_PX)
    if sure.sum() < LEAST_CORNERS:
        return None
    cv2.setRNGSeed(1)  # the same answer each time
    matrix, inside = cv2.estimateAffinePartial2D(
        corners[sure], there[sure], method=cv2.RANSAC, ransacReprojThreshold=STRAYS_PX
    )
    if matrix is None:
        return None
    return np.asarray(matrix, dtype=np.float64), float(inside.mean())


def _followed(before: Plane, after: Plane, places: Places) -> tuple[Places, NDArray[np.uint8]]:
    """Return where places of one picture are in the next, and whether each was found."""
    there, found, _ = cv2.calcOpticalFlowPyrLK(before, after, places, places.copy(), winSize=(21, 21), maxLevel=3)
    return np.asarray(there, dtype=np.float32), np.asarray(found, dtype=np.uint8)


def _rates(
    matrix: NDArray[np.float64], trust: float, seconds: float, shape: tuple[int, ...]
) -> tuple[float, float, float, float, float]:
    height_px, wide = shape[:2]
    middle = np.array([(wide - 1) / 2, (height_px - 1) / 2, 1.0])
    x, y = (matrix @ middle - middle[:2]) / wide / seconds
    scale = math.hypot(matrix[0, 0], matrix[1, 0])
    angle = math.degrees(math.atan2(matrix[1, 0], matrix[0, 0]))
    return float(x), float(y), math.log(max(scale, 1e-3)) / seconds, angle / seconds, trust
