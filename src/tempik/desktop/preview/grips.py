"""What of a layer is taken hold of."""

from __future__ import annotations

import numpy as np

from tempik.edit.clips import layers
from tempik.reel import Clip
from tempik.timeline.extents import Corners
from tempik.timeline.placed_clip import PlacedClip


def middles(corners: Corners) -> Corners:
    """Return the middles of the sides, in the order of SIDES."""
    return np.asarray((corners + np.roll(corners, 1, axis=0)) / 2)


def is_cropped(placed: PlacedClip) -> bool:
    """Tell whether a layer has a picture of its own, of which something can be cut off."""
    return placed.clip.title is None and not placed.footage.as_frame


def keeps_subject(clip: Clip) -> bool:
    """Tell whether what is dragged is where a subject is kept: not where keys say where the picture stands, nor where its window is moved."""
    return clip.follow is not None and clip.framing.window is None and not layers.has_place_keys(clip)
