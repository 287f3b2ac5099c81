"""What lies over what at a frame."""

from __future__ import annotations

from typing import NamedTuple

from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.transitions import PlacedTransition


class Layer(NamedTuple):
    """A clip on screen at a frame: how much of it shows (0 to 1), and how it is laid over what lies below. Within a transition,
    `transition`, the clip whose slot it is stands for both."""

    placed: PlacedClip
    weight: float = 1.0
    blend: str = "normal"
    placed_transition: PlacedTransition | None = None

    @property
    def whole(self) -> bool:
        """Whether nothing of what lies below shows through, wherever its picture is."""
        clip = self.placed.clip
        cut = clip.masks or clip.clear is not None or clip.cutout or clip.framing.window is not None
        return self.weight >= 1 and self.blend == "normal" and not cut
