"""Blend modes as pictures: each on the selected clip over what lies below it, at the playhead."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFrame, QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import column
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.tile_pictures import PictureTiles, as_pixmap
from tempik.edit.clips.layers import with_opacity
from tempik.errors import TempikError
from tempik.media.blend import BLENDS, as_picture, laid_by
from tempik.media.picture import Picture, Plane
from tempik.render import PictureSource, plan
from tempik.render.alone import plan_alone
from tempik.timeline.timeline import Timeline

TILE_W, COLUMNS, GAP = 76, 6, 6
MOST_H = 136  # of a tile's picture: a wide frame's is lower


def blend_title(blend: str) -> str:
    """Return what a mode is called on screen."""
    return blend.replace("-", " ").replace("color", "colour")


class BlendTiles(PictureTiles):
    """A tile for each mode; the picture is cut out of the frame where it is higher than a tile."""

    def __init__(self, size: tuple[int, int], below: Picture, above: Picture, share: Plane) -> None:
        super().__init__(GAP, COLUMNS, size=size)
        self._below, self._above, self._share = below, above, share
        self.setAccessibleName("Blend modes; arrows choose, Enter sets")
        self.show_items(list(BLENDS))

    def title_of(self, item: str) -> str:
        return blend_title(item)

    def resting(self, item: str) -> QPixmap:
        return as_pixmap(as_picture(laid_by(self._below, self._above, item, self._share)))

    def playing(self, item: str) -> QPixmap:
        return self.resting(item)


class BlendChooser(QFrame):
    """Stands over the page until a mode is picked, or something else is clicked."""

    picked = Signal(str)

    def __init__(self, tiles: BlendTiles, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("jobs")
        marks.mark(self, "panel")
        self.setAccessibleName("Blend modes on this frame")
        self.tiles = tiles
        note = Label("How the clip is laid over what lies below, on this frame")
        note.setFont(words(12))
        marks.ink(note, "quiet")
        column(note, tiles, over=self, spacing=8, margins=(12, 10, 12, 10))
        tiles.picked.connect(self._take)

    def _take(self, blend: str) -> None:
        self.picked.emit(blend)
        self.close()

    def show_at(self, at: QPoint, blend: str) -> None:
        """Show it, its lower left corner at a place of the screen, moved into the screen."""
        self.tiles.choose(blend)
        self.tiles.key_to(blend)
        self.adjustSize()
        room = self.screen().availableGeometry()
        x = min(max(at.x(), room.left()), room.right() - self.width())
        self.move(x, max(at.y() - self.height(), room.top()))
        self.show()
        self.tiles.setFocus()


def blend_tiles(project: Project) -> BlendTiles:
    """Return the modes on the selected clip at the playhead. Raises TempikError where it is not seen there, or its footage cannot be read."""
    clip, frame, reel = project.selection.clip, project.playhead.frame, project.reel
    high = round(TILE_W * reel.height / reel.width / 2) * 2
    size = TILE_W, max(high, 2)
    alone = plan_alone(project.timeline, frame, size, clip.id) if clip is not None else None
    placed = project.selection.placed
    if clip is None or alone is None or placed is None:
        raise TempikError(
            "The clip is not at the playhead; go to where it is seen, and its blend modes are shown there."
        )
    bare = clip.keys.get("opacity") is not None
    under = Timeline(with_opacity(reel, [clip.id], 0.0, frame if bare else None))
    with PictureSource() as source:
        below = source.render(plan(under, frame, *size, accents=False))
        above, alpha = source.render_clear(alone)
    weight = project.timeline.layer_of(placed, frame).weight
    share = np.full(above.y.shape, 255, np.uint8) if alpha is None else alpha
    share = np.asarray(np.round(share * weight), dtype=np.uint8)
    top = max((size[1] - MOST_H) // 4 * 2, 0)

    def cut(picture: Picture) -> Picture:
        rows = [
            plane[top // by : (top + min(size[1], MOST_H)) // by] for plane, by in zip(picture, (1, 2, 2), strict=True)
        ]
        return Picture(*(np.ascontiguousarray(plane) for plane in rows))

    part = np.ascontiguousarray(share[top : top + min(size[1], MOST_H)])
    return BlendTiles((size[0], min(size[1], MOST_H)), cut(below), cut(above), part)
