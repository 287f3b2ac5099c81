"""How large the preview is rendered: as it is seen, as the reel is, or less while playing cannot keep up."""

from __future__ import annotations

from collections.abc import Callable

from tempik.reel import Reel

# Playing adapts the preview's size when so many of the last frames came too late, in these steps.
LATE, OF_FRAMES = 4, 30
STEPS = (1.0, 0.7, 0.5, 0.35)


class PreviewSize:
    """The size for whatever reel `reel` gives, seen in some views."""

    def __init__(self, reel: Callable[[], Reel]) -> None:
        self._reel = reel
        self._views: list[Callable[[], float]] = []
        self._late: list[int] = []  # the last frames that were dropped
        self.full_size = False  # as large as the reel, where the user wants that
        self.step = 0  # of STEPS, while playing

    def add_view(self, height_px: Callable[[], float]) -> None:
        """Render large enough for one more view, which says how many pixels of the screen its picture is high."""
        self._views.append(height_px)

    def set_full(self, wanted: bool) -> None:
        """Render as large as the reel, or as large as it is seen."""
        self.full_size = wanted

    def pixels(self) -> tuple[int, int]:
        """Return width and height: what fits the screen and at most half the reel's own size, or all of it where that is
        wanted; less while playing cannot keep up."""
        reel = self._reel()
        height_px = max((view() for view in self._views), default=0.0)
        scale = min(0.5, max(0.1, height_px / reel.height))
        scale = max((1.0 if self.full_size else scale) * STEPS[self.step], 0.08)
        width, height = (max(16, round(side * scale / 2) * 2) for side in (reel.width, reel.height))
        return width, height

    def keep_up(self, step: int) -> bool:
        """Take another of STEPS; tell whether it is another."""
        self._late.clear()
        other, self.step = step != self.step, step
        return other

    def count_late(self, frame: int) -> bool:
        """Note a dropped frame; where many of the last were, the preview gets coarser. Tells whether it did."""
        self._late = [f for f in self._late if frame - OF_FRAMES < f <= frame] + [frame]
        return len(self._late) >= LATE and self.step + 1 < len(STEPS) and self.keep_up(self.step + 1)
