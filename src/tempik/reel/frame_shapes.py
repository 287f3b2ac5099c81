"""Shapes of frames by name, width to height."""

from __future__ import annotations

FRAME_SHAPES: dict[str, tuple[int, int]] = {"upright": (9, 16), "portrait": (4, 5), "square": (1, 1), "wide": (16, 9)}
# What is kept in a clip's `shapes` only while another shape is shown: how it stands in the reel's own, and how it would by itself.
OWN, BY_ITSELF = "own", "by itself"


def shape_name(width: int, height: int) -> str:
    """Return the name of a frame's shape, but for whole pixels; '' where it has none."""
    for name, (across, down) in FRAME_SHAPES.items():
        if abs(width / height / (across / down) - 1) < 2 / min(width, height):
            return name
    return ""
