"""Masks: an image that says where in the frame an accent shows."""

from __future__ import annotations

import os
from functools import lru_cache

import cv2
import numpy as np

from tempik.accents.apply import applied
from tempik.accents.look import Look
from tempik.disk.reading import printable, read_whole
from tempik.errors import TempikError
from tempik.media.opening import opened
from tempik.media.paint import blended
from tempik.media.picture import Picture, Plane

MOST_MB, MOST_PX = 256, 100_000_000


def mask_of(path: str) -> Plane:
    """Return a mask, 255 where the accent shows: the image's clear parts keep it out; an image without clear parts shows
    it by how light it is. Raises TempikError when the file cannot be read as an image."""
    try:
        state = os.stat(path)
    except (OSError, ValueError):
        raise TempikError(
            f"The mask {printable(path)} is not there; choose another image, or take the mask off."
        ) from None
    return _read(path, state.st_size, state.st_mtime_ns)


@lru_cache(8)
def _read(path: str, size: int, changed_ns: int) -> Plane:
    data = np.frombuffer(read_whole(path, MOST_MB), np.uint8)
    try:
        with opened(path) as container:  # its size is known before room is taken for it
            stream = container.streams.video[0] if container.streams.video else None
            large = stream is None or stream.codec_context.width * stream.codec_context.height > MOST_PX
        image = None if large else cv2.imdecode(data, cv2.IMREAD_UNCHANGED)
    except (TempikError, cv2.error):
        image = None
    if image is None:
        raise TempikError(
            f"The mask {path} is no image that can be read; choose a PNG or JPEG of up to 100 megapixels."
        )
    if image.dtype == np.uint16:
        image = np.asarray(image // 257, dtype=np.uint8)
    if image.ndim == 2:
        return np.asarray(image, dtype=np.uint8)
    if image.shape[2] == 4 and int(image[..., 3].min()) < 255:
        return np.ascontiguousarray(image[..., 3])
    return np.asarray(cv2.cvtColor(image[..., :3], cv2.COLOR_BGR2GRAY), dtype=np.uint8)


@lru_cache(16)
def _fitted(path: str, size: int, changed_ns: int, width: int, height: int) -> Plane:
    """Return a mask that covers a frame, its middle kept."""
    mask = _read(path, size, changed_ns)
    height_px, wide = mask.shape
    scale = max(width / wide, height / height_px)
    large = cv2.resize(
        mask, (max(width, round(wide * scale)), max(height, round(height_px * scale))), interpolation=cv2.INTER_AREA
    )
    top, left = (large.shape[0] - height) // 2, (large.shape[1] - width) // 2
    return np.ascontiguousarray(large[top : top + height, left : left + width])


def fitted_mask(path: str, width: int, height: int) -> Plane:
    """Return a mask that covers a frame. Raises TempikError when its file is not there or is no image."""
    mask_of(path)
    state = os.stat(path)
    return _fitted(path, state.st_size, state.st_mtime_ns, width, height)


def keep_out(picture: Picture, made: Look, path: str) -> Picture:
    """Return the picture with what a look paints on it, where the mask lets it. Without its file the accent shows
    everywhere: the check says so."""
    changed = applied(picture, made)
    try:
        mask = fitted_mask(path, *picture.size)
    except (OSError, TempikError):
        return changed
    return blended(picture, changed, mask)
