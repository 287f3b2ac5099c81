"""Contact sheets of every accent, from the demo: the frame before the point, the point's own, and two after it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter

from tempik.accents import CATALOGUE
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import words
from tempik.media.picture import Picture, to_rgb
from tempik.project.file import load_reel
from tempik.render import PictureSource, plan
from tempik.render.sample import sample
from tempik.timeline.timeline import Timeline

WIDE, TALL, GAP, HEAD = 108, 192, 3, 40
OFFSETS = (-1, 0, 2, 5)
ACROSS = 3


def pictures(project: Path) -> list[Picture]:
    """Return some frames of the demo around moments, without accents."""
    timeline = Timeline(load_reel(project))
    with PictureSource() as source:
        return [source.render(plan(timeline, n, WIDE, TALL, accents=False)) for n in range(8, 68)]


def sheet(project: Path, names: list[str], target: Path) -> None:
    """Write a contact sheet of some accents."""
    frames = pictures(project)
    block_w, block_h = len(OFFSETS) * (WIDE + GAP) + 14, TALL + HEAD
    rows = -(-len(names) // ACROSS)
    image = QImage(ACROSS * block_w + 14, rows * block_h + 10, QImage.Format.Format_RGB888)
    image.fill(QColor(theme.GROUND))
    p = QPainter(image)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    for number, name in enumerate(names):
        row, column = divmod(number, ACROSS)
        left, top = 14 + column * block_w, row * block_h + HEAD
        accent = CATALOGUE[name]
        p.setFont(words(14, True))
        p.setPen(QColor(theme.TEXT))
        p.drawText(QPointF(left, top - 22), accent.title)
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        room = block_w - 16
        said = p.fontMetrics().elidedText(accent.does, Qt.TextElideMode.ElideRight, room)
        p.drawText(QPointF(left, top - 6), said)
        for place, offset in enumerate(OFFSETS):
            # The accent that cycles shows the next of its frames in each picture.
            at = 0 if name == "cycle" else offset
            made = sample(
                lambda k: frames[min(max(26 + k, 0), len(frames) - 1)], accent, at, turn=place if name == "cycle" else 0
            )
            rgb = np.ascontiguousarray(to_rgb(made))
            drawn = QImage(rgb.data, WIDE, TALL, 3 * WIDE, QImage.Format.Format_RGB888)
            p.drawImage(QRectF(left + place * (WIDE + GAP), top, WIDE, TALL), drawn)
    p.end()
    image.save(str(target))


def sheets(project: Path, folder: Path) -> None:
    """Write every accent's contact sheet."""
    names = list(CATALOGUE)
    half = -(-len(names) // 2)
    sheet(project, names[:half], folder / "accents-1.png")
    sheet(project, names[half:], folder / "accents-2.png")
