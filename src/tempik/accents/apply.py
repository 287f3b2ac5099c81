"""Applying a look to a picture: geometry, blur, one change of tone, and what lies over it."""

from __future__ import annotations

import cv2
import numpy as np

from tempik.accents.look import WASH, Look, Tone, folded
from tempik.media.picture import Picture


def applied(picture: Picture, look: Look) -> Picture:
    """Return the picture with a look's effects and tones; its movement, echoes and held frame are the plan's. A look
    that does nothing costs nothing."""
    effects = sorted(look.effects, key=lambda e: e.stage)
    for effect in effects:
        if effect.stage < WASH:
            picture = effect.paint(picture, *effect.args)
    if look.tones:
        picture = toned(picture, look.tones)
    for effect in effects:
        if effect.stage >= WASH:
            picture = effect.paint(picture, *effect.args)
    return picture


def toned(picture: Picture, tones: tuple[Tone, ...]) -> Picture:
    """Return the picture with changes of tone, all folded into one."""
    tone = folded(tones)
    y, u, v = picture
    if not tone.plain_y:
        y = np.asarray(cv2.LUT(y, tone.y), dtype=np.uint8)
    if tone.plain_chroma:
        return Picture(y, u, v)
    if tone.tables is not None:
        u, v = (np.asarray(cv2.LUT(p, t), dtype=np.uint8) for p, t in zip((u, v), tone.tables, strict=True))
        return Picture(y, u, v)
    m, o = tone.matrix, tone.offset
    # About the middle, 128: m·(c − 128) + o + 128.
    both = []
    for row in (0, 1):
        base = 128 + o[row] - 128 * (m[row, 0] + m[row, 1])
        mixed = cv2.addWeighted(u, float(m[row, 0]), v, float(m[row, 1]), float(base))
        both.append(np.asarray(mixed, dtype=np.uint8))
    return Picture(y, both[0], both[1])
