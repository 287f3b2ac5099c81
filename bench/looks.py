"""Contact sheet of the looks on four kinds of picture, drawn by code: a face, a sky, a night, and the demo's smithy."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.contact import TALL, WIDE, Block, sheet
from tempik.grade.apply import regraded
from tempik.grade.looks import LOOKS
from tempik.media.picture import Picture, from_rgb
from tempik.project.file import load_reel
from tempik.render import PictureSource, plan
from tempik.timeline.timeline import Timeline

Colours = NDArray[np.float32]
ACROSS = 3


def _ground(top: tuple[int, int, int], bottom: tuple[int, int, int]) -> Colours:
    share = np.linspace(0, 1, TALL, dtype=np.float32)[:, None, None]
    rows = np.array(top, np.float32) * (1 - share) + np.array(bottom, np.float32) * share
    return np.asarray(np.repeat(rows, WIDE, axis=1), dtype=np.float32)


def _spot(
    image: Colours, at: tuple[float, float], size: tuple[float, float], colour: tuple[int, int, int], soft: float
) -> None:
    """Lay a soft oval of a colour over a picture; places and sizes are shares of the width."""
    mask = np.zeros((TALL, WIDE), np.float32)
    middle, axes = (round(at[0] * WIDE), round(at[1] * WIDE)), (round(size[0] * WIDE), round(size[1] * WIDE))
    cv2.ellipse(mask, middle, axes, 0, 0, 360, 1.0, -1, cv2.LINE_AA)
    share = cv2.GaussianBlur(mask, (0, 0), max(soft * WIDE, 0.5))[..., None]
    image += share * (np.array(colour, np.float32) - image)


def face() -> Colours:
    """Two faces beside a window: skin light and dark."""
    image = _ground((150, 158, 150), (92, 96, 98))
    _spot(image, (1.0, 0.5), (0.35, 0.8), (226, 232, 238), 0.2)
    light = ((0.34, 0.72), (222, 172, 142), (64, 44, 34), (60, 84, 120))
    dark = ((0.7, 1.0), (122, 78, 56), (26, 22, 22), (170, 60, 54))
    for (x, y), skin, hair, shirt in (light, dark):
        _spot(image, (x, y + 0.62), (0.3, 0.36), shirt, 0.01)
        _spot(image, (x, y - 0.06), (0.2, 0.26), hair, 0.01)
        _spot(image, (x, y), (0.155, 0.22), skin, 0.012)
        lit = (min(255, skin[0] + 26), min(255, skin[1] + 26), min(255, skin[2] + 26))
        _spot(image, (x + 0.06, y + 0.02), (0.06, 0.12), lit, 0.04)
    return image


def sky() -> Colours:
    """Clouds in the evening over hills."""
    image = _ground((78, 128, 190), (236, 206, 168))
    for x, y, w in ((0.25, 0.4, 0.3), (0.75, 0.62, 0.34), (0.4, 0.9, 0.28)):
        _spot(image, (x, y), (w, 0.06), (244, 236, 228), 0.03)
    _spot(image, (0.7, 1.16), (0.1, 0.1), (255, 238, 190), 0.02)
    _spot(image, (0.2, 1.75), (0.8, 0.5), (72, 96, 52), 0.004)
    _spot(image, (0.95, 1.85), (0.7, 0.5), (50, 76, 48), 0.004)
    return image


def night() -> Colours:
    """A street with lamps."""
    image = _ground((10, 12, 24), (26, 24, 28))
    for x, y in ((0.2, 0.7), (0.5, 0.85), (0.72, 0.95), (0.86, 1.0)):
        _spot(image, (x, y), (0.14, 0.14), (110, 72, 34), 0.09)
        _spot(image, (x, y), (0.022, 0.022), (255, 226, 170), 0.006)
    for x, y, colour in ((0.12, 1.2, (70, 120, 190)), (0.34, 1.3, (190, 60, 60)), (0.6, 1.26, (230, 200, 120))):
        _spot(image, (x, y), (0.05, 0.08), colour, 0.004)
    return image


def grounds(project: Path) -> list[Picture]:
    """Return the four pictures."""
    drawn = [from_rgb(np.clip(np.round(image), 0, 255).astype(np.uint8)) for image in (face(), sky(), night())]
    with PictureSource() as source:
        return [*drawn, source.render(plan(Timeline(load_reel(project)), 60, WIDE, TALL, accents=False))]


def sheet_of_looks(project: Path, target: Path) -> None:
    """Write the contact sheet: as it is, then each look."""
    pictures = grounds(project)
    blocks = [Block("As it is", "without a look", pictures)]
    blocks += [Block(x.name, x.does, [regraded(p, ((x.grade, 1.0),), 1) for p in pictures]) for x in LOOKS]
    sheet(blocks, ACROSS, target)
