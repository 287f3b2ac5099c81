"""Contact sheets of every accent and of every transition, from the demo."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter

from tempik.accents import CATALOGUE as ACCENTS
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import words
from tempik.edit.drafting.make import DraftOptions, drafted_anew, footage_for
from tempik.edit.drafting.material import studies_of
from tempik.edit.drafting.moods import MOODS, Mood
from tempik.edit.transitions import laying
from tempik.media.picture import Picture, shrunk, to_rgb
from tempik.project.file import load_reel
from tempik.reel import Reel
from tempik.render import PictureSource, plan
from tempik.render.sample import sample
from tempik.timeline.timeline import Timeline
from tempik.transitions import CATALOGUE as JOINS
from tempik.transitions import new_transition

WIDE, TALL, GAP, HEAD = 108, 192, 3, 40
MOOD_W, MOOD_H, MOOD_ACROSS = 54, 96, 32
MOOD_FROM_S, MOOD_LENGTH_S = 8.0, 16.0  # of the demo's song, the drop in its middle
OFFSETS = (-1, 0, 2, 5)
ACROSS = 5
JOIN_OFFSETS = (-4, -2, -1, 0, 1, 3)
JOINS_ACROSS = 2
JOINED_CUT = 2  # two clips of the demo that differ in light and form


def pictures(project: Path) -> list[Picture]:
    """Return some frames of the demo around moments, without accents."""
    timeline = Timeline(load_reel(project))
    with PictureSource() as source:
        return [source.render(plan(timeline, n, WIDE, TALL, accents=False)) for n in range(8, 68)]


class Block(NamedTuple):
    """What is shown by one row of pictures."""

    title: str
    does: str
    shown: list[Picture]


def sheet(blocks: list[Block], across: int, target: Path) -> None:
    """Write a contact sheet, `across` blocks beside each other."""
    block_w, block_h = len(blocks[0].shown) * (WIDE + GAP) + 14, TALL + HEAD
    rows = -(-len(blocks) // across)
    image = QImage(across * block_w + 14, rows * block_h + 10, QImage.Format.Format_RGB888)
    image.fill(QColor(theme.GROUND))
    p = QPainter(image)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    for number, block in enumerate(blocks):
        row, column = divmod(number, across)
        left, top = 14 + column * block_w, row * block_h + HEAD
        p.setFont(words(14, True))
        p.setPen(QColor(theme.TEXT))
        p.drawText(QPointF(left, top - 22), block.title)
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        message = p.fontMetrics().elidedText(block.does, Qt.TextElideMode.ElideRight, block_w - 16)
        p.drawText(QPointF(left, top - 6), message)
        for place, made in enumerate(block.shown):
            rgb = np.ascontiguousarray(to_rgb(made))
            drawn = QImage(rgb.data, WIDE, TALL, 3 * WIDE, QImage.Format.Format_RGB888)
            p.drawImage(QRectF(left + place * (WIDE + GAP), top, WIDE, TALL), drawn)
    p.end()
    image.save(str(target))


def accent_blocks(project: Path) -> list[Block]:
    """Return every accent at the frame before its point, its own and two after; the one that cycles shows the next of its
    frames in each picture."""
    frames = pictures(project)

    def plain(number: int) -> Picture:
        return frames[min(max(26 + number, 0), len(frames) - 1)]

    out = []
    for name, accent in ACCENTS.items():
        cycles = name == "cycle"
        shown = [sample(plain, accent, 0 if cycles else o, turn=n if cycles else 0) for n, o in enumerate(OFFSETS)]
        out.append(Block(accent.title, accent.does, shown))
    return out


def transition_blocks(project: Path) -> list[Block]:
    """Return every transition between two clips of the demo: before it, through it, and after it, the turn's frame fourth."""
    reel = load_reel(project)
    cut = laying.cuts(Timeline(reel))[JOINED_CUT]
    out = []
    with PictureSource() as source:
        for name, kind in JOINS.items():
            plain = replace(reel, accent_lanes=(), clips=tuple(replace(c, transition=None) for c in reel.clips))
            timeline = Timeline(laying.laid(plain, [cut], replace(new_transition(name), length=12.0)))
            placed_transition = timeline.transition_of(*cut)
            assert placed_transition is not None
            shown = [
                source.render(plan(timeline, placed_transition.turn + o, 2 * WIDE, 2 * TALL)) for o in JOIN_OFFSETS
            ]
            small = [shrunk(picture, TALL) for picture in shown]
            out.append(Block(kind.title, kind.does, small))
    return out


class Row(NamedTuple):
    """A reel as a row of pictures: at even steps of time, and on which of them a cut begins."""

    title: str
    does: str
    shown: list[Picture]
    cuts: list[bool]


def mood_lanes(
    reel: Reel, start_s: float, length_s: float, moods: tuple[Mood, ...] = MOODS, across: int = MOOD_ACROSS
) -> list[Row]:
    """Return a reel drafted anew by each mood, each as pictures at the same instants."""
    pieces = footage_for(reel, False)  # not what is laid over others alone
    reel, studies = replace(reel, footage=tuple(pieces)), studies_of(pieces)
    out = []
    for mood in moods:
        options = DraftOptions(mood, 0, start_s, length_s, reel.width, reel.height, reel.rate)
        bare = replace(reel, clips=(), accent_lanes=(), sound_lanes=(), look=None, draft=None)
        timeline = Timeline(drafted_anew(bare, studies, options).reel)
        frames = np.linspace(0, timeline.frames - 1, across).round().astype(int)
        firsts = [p.first for p in timeline.own_tracks[0]]
        cuts = [any(a < f <= b for f in firsts) for a, b in zip([-1, *frames[:-1]], frames, strict=True)]
        with PictureSource() as source:
            shown = [source.render(plan(timeline, int(n), MOOD_W, MOOD_H)) for n in frames]
        out.append(Row(mood.name, f"{mood.does}; {len(firsts)} clips", shown, cuts))
    return out


def lanes_sheet(rows: list[Row], target: Path) -> None:
    """Write rows of pictures below each other; a cut is marked above the picture that it begins."""
    width = len(rows[0].shown) * (MOOD_W + 2) + 28
    block = MOOD_H + HEAD
    image = QImage(width, len(rows) * block + 12, QImage.Format.Format_RGB888)
    image.fill(QColor(theme.GROUND))
    p = QPainter(image)
    for number, row in enumerate(rows):
        top = number * block + HEAD
        p.setFont(words(14, True))
        p.setPen(QColor(theme.TEXT))
        p.drawText(QPointF(14, top - 14), row.title)
        wide = p.fontMetrics().horizontalAdvance(row.title)
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        p.drawText(QPointF(26 + wide, top - 14), row.does)
        for place, (made, cut) in enumerate(zip(row.shown, row.cuts, strict=True)):
            rgb = np.ascontiguousarray(to_rgb(made))
            left = 14 + place * (MOOD_W + 2)
            p.drawImage(
                QRectF(left, top, MOOD_W, MOOD_H),
                QImage(rgb.data, MOOD_W, MOOD_H, 3 * MOOD_W, QImage.Format.Format_RGB888),
            )
            if cut:
                p.fillRect(QRectF(left, top - 6, MOOD_W, 3), QColor(theme.RHYTHM))
    p.end()
    image.save(str(target))


def sheets(project: Path, folder: Path) -> None:
    """Write the contact sheets of accents, of transitions and of moods."""
    sheet(accent_blocks(project), ACROSS, folder / "accents-all.png")
    sheet(transition_blocks(project), JOINS_ACROSS, folder / "transitions-all.png")
    reel = load_reel(project)
    lanes_sheet(mood_lanes(reel, MOOD_FROM_S, MOOD_LENGTH_S), folder / "moods.png")
