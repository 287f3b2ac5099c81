"""Where clips stand in the frame: the corners of what each shows, before its masks, and the way from its picture to the frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.reel import Position, Title
from tempik.timeline.following import track_of
from tempik.timeline.framing import frame_matrix, window_matrix
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import word_frames
from tempik.titles import laid_out

Corners = NDArray[np.float64]
Matrix = NDArray[np.float64]


def to_frame(timeline: Timeline, placed: PlacedClip, frame: float) -> Matrix:
    """Return the affine, shape (3, 3), from a clip's upright picture, in shares of it, to shares of the frame's width and height."""
    height = timeline.height_ratio
    matrix = frame_matrix(timeline.framing_at(placed, frame), placed.footage, 1.0, height)
    return np.asarray(np.diag([1.0, 1 / height, 1.0]) @ matrix)


def corners_of(timeline: Timeline, placed: PlacedClip, frame: float) -> Corners:
    """Return the corners of a clip's picture as it stands at a frame, less what is cropped, in shares of the frame's width and height:
    shape (4, 2), the picture's own top left, top right, bottom right, bottom left. A title's are those of its words, or of the one that is
    seen alone; one in a window has the window's."""
    framing = timeline.framing_at(placed, frame)
    if placed.clip.title is not None:
        word = word_alone(timeline, placed, frame)
        return title_corners(placed.clip.title, framing.start, timeline.height_ratio, word)
    if framing.window is not None:
        height = timeline.height_ratio
        box = np.array([[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1.0]]) @ window_matrix(framing, 1.0, height).T
        return np.asarray(box[:, :2] / [1.0, height])
    left, top, right, bottom = framing.crop
    picture = np.array([[left, top, 1], [1 - right, top, 1], [1 - right, 1 - bottom, 1], [left, 1 - bottom, 1]])
    return np.asarray((picture @ to_frame(timeline, placed, frame).T)[:, :2])


def word_alone(timeline: Timeline, placed: PlacedClip, frame: float) -> int | None:
    """Return which word of a clip's title is seen alone at a frame, or will be first; None where they are seen together."""
    title = placed.clip.title
    frames = word_frames(timeline, placed) if title is not None and title.showing == "one" else []
    return max((n for n, first in enumerate(frames) if frame >= first), default=0) if frames else None


def title_corners(title: Title, at: Position, height_ratio: float, word: int | None = None) -> Corners:
    """Return the corners of a title's words, or of one `word` alone, where it stands, as `corners_of` does; `height_ratio` is the frame's
    height against its width."""
    block = laid_out(title, word)
    ems = np.array([[0, 0, 1], [block.width, 0, 1], [block.width, block.height, 1], [0, block.height, 1]])
    return np.asarray((ems @ ems_to_frame(title, at, height_ratio, word).T)[:, :2])


def ems_to_frame(title: Title, at: Position, height_ratio: float, word: int | None = None) -> Matrix:
    """Return the affine, shape (3, 3), from ems from the corner of a title's block, or of one `word` set alone, to shares of the frame."""
    block = laid_out(title, word)
    em, turn = title.size * at.zoom, np.radians(at.turn_deg)
    about = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) * em
    middle = np.array([0.5 + at.x, (0.5 + at.y) * height_ratio])
    moved = middle - about @ [block.width / 2, block.height / 2]
    matrix = np.eye(3)
    matrix[:2, :2], matrix[:2, 2] = about, moved
    return np.asarray(np.diag([1.0, 1 / height_ratio, 1.0]) @ matrix)


def way_in_frame(timeline: Timeline, placed: PlacedClip, frame: int) -> NDArray[np.float64]:
    """Return where the patch that a clip follows is at each frame of its slot, on the picture as it stands at one frame: shape (frames, 3),
    shares of the frame's width and height, and whether it was found there (1) or not (0). Of no frames where it follows nothing."""
    track = track_of(placed)
    if track is None:
        return np.zeros((0, 3))
    source = source_at_frames(placed, np.arange(placed.first, placed.end, dtype=np.float64), timeline.rate)
    columns = [np.interp(source, track.times_s, values) for values in (track.xs, track.ys)]
    seen = np.column_stack([*columns, np.ones(len(source))]) @ to_frame(timeline, placed, frame).T
    lost = np.zeros(len(source), dtype=bool)
    for begin, end in track.lost:
        lost |= (source >= begin) & (source <= end)
    return np.asarray(np.column_stack([seen[:, :2], np.where(lost, 0.0, 1.0)]))


def holds(corners: NDArray[np.float64], x: float, y: float) -> bool:
    """Tell whether a place lies within a polygon, shape (n, 2), by the crossings of a ray with its sides."""
    if len(corners) < 3:
        return False
    before = np.roll(corners, 1, axis=0)
    across = (corners[:, 1] > y) != (before[:, 1] > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        at = corners[:, 0] + (y - corners[:, 1]) / (before[:, 1] - corners[:, 1]) * (before[:, 0] - corners[:, 0])
    return bool(np.count_nonzero(across & (x < at)) % 2)
