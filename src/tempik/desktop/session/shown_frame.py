"""The shape of frame that the open project is shown in."""

from __future__ import annotations

from tempik.edit.frame_shapes import in_own_shape, in_shape
from tempik.reel import Reel
from tempik.reel.frame_shapes import shape_name


class ShownFrame:
    """Which shape it is, '' the reel's own, and the last reel in it: leading one over takes a while."""

    def __init__(self) -> None:
        self.name = ""
        self._last: tuple[Reel, str, Reel] | None = None  # a reel as it is kept, a shape, and the reel in it

    def choose(self, name: str, kept: Reel) -> None:
        """Show a shape from now on."""
        self.name = "" if name == shape_name(kept.width, kept.height) else name

    def of(self, reel: Reel) -> Reel:
        """Return a reel as it is shown."""
        if not self.name:
            return in_own_shape(reel)
        if self._last is None or self._last[0] is not reel or self._last[1] != self.name:
            self._last = reel, self.name, in_shape(reel, self.name)
        return self._last[2]
