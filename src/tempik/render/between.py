"""Frames between two of the footage's: blended, or moved along the motion between them.

Flow is OpenCV's dense inverse search (Kroeger et al., ECCV 2016), worked out both ways on a small picture. The flow
from the wanted instant to either frame is put together as in Jiang et al., "Super SloMo" (CVPR 2018), equation 4. Where
the two ways disagree about where things went, or where the moved frames match worse than the unmoved, they are blended.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from tempik.media.picture import Picture, Plane

Field = NDArray[np.float32]
# The longer side of the picture that flow is worked out on: motion is smooth, and detail only costs.
FLOW_PX = 400
# On strips narrower than this the flow of OpenCV reads beyond its pictures, and the process dies.
LEAST_FLOW_PX = 32
# Disagreement, in shares of a pixel of that small picture, up to which flow is trusted, and what fast motion adds.
TRUSTED_PX = 0.4
TRUSTED_SHARE = 0.1
# Two frames that differ this much with flow trusted almost nowhere lie on the two sides of a cut in the footage.
CUT_LEVEL = 18.0
CUT_TRUST = 0.25
KEPT_PAIRS = 4


class _Motion(NamedTuple):
    """The flow between two frames each way, shape (h, w, 2), in pixels of the small picture, and whether it is a cut."""

    on: Field
    back: Field
    cut: bool


def blended(a: Picture, b: Picture, share: float) -> Picture:
    """Return the mix of two pictures of one size, `share` (0 to 1) of the second."""
    return Picture(*(_mixed(x, y, share) for x, y in zip(a, b, strict=True)))


def _mixed(a: Plane, b: Plane, share: float) -> Plane:
    return np.asarray(cv2.addWeighted(a, 1 - share, b, share, 0), dtype=np.uint8)


class InBetweens:
    """Makes frames along the motion, keeping the flow of the last few pairs. Not for two threads at once."""

    def __init__(self) -> None:
        self._dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
        self._dis.setFinestScale(1)
        self._kept: LRUCache[tuple[object, ...], _Motion] = LRUCache(KEPT_PAIRS)

    def made(self, a: Picture, b: Picture, share: float, key: tuple[object, ...]) -> Picture:
        """Return the picture `share` of the way from `a` to `b`; `key` names the pair. Over a cut it is the nearer."""
        motion = self._kept.get(key)
        if motion is None:
            motion = self._motion(a, b)
            self._kept[key] = motion
        if motion.cut:
            return a if share < 0.5 else b
        return _along(a, b, share, motion)

    def _motion(self, a: Picture, b: Picture) -> _Motion:
        height, width = a.y.shape
        scale = min(1.0, FLOW_PX / max(height, width))
        size = max(LEAST_FLOW_PX, round(width * scale)), max(LEAST_FLOW_PX, round(height * scale))
        small = [np.asarray(cv2.resize(p.y, size, interpolation=cv2.INTER_AREA), dtype=np.uint8) for p in (a, b)]
        on = self._flow(small[0], small[1])
        back = self._flow(small[1], small[0])
        differ = float(np.mean(cv2.absdiff(small[0], small[1])))
        cut = differ > CUT_LEVEL and float(_trust(on, back, 0.5).mean()) < CUT_TRUST
        return _Motion(on, back, cut)

    def _flow(self, a: Plane, b: Plane) -> Field:
        return np.asarray(self._dis.calc(a, b, np.zeros((*a.shape, 2), np.float32)), dtype=np.float32)


def _toward(motion: tuple[Field, Field], t: float) -> tuple[Field, Field]:
    on, back = motion
    first = np.asarray(cv2.addWeighted(on, -(1 - t) * t, back, t * t, 0), dtype=np.float32)
    second = np.asarray(cv2.addWeighted(on, (1 - t) ** 2, back, -t * (1 - t), 0), dtype=np.float32)
    return first, second


def _trust(on: Field, back: Field, t: float) -> Field:
    """Return how far the two flows agree at the instant, 0 to 1, shape (h, w)."""
    first, second = _toward((on, back), t)
    there = _moved(on, _places(first)) + _moved(back, _places(second))
    off = cv2.magnitude(there[..., 0], there[..., 1])
    size = cv2.magnitude(on[..., 0], on[..., 1])
    return np.asarray(np.clip(1.5 - off / (TRUSTED_PX + TRUSTED_SHARE * size), 0, 1), dtype=np.float32)


def _places(flow: Field) -> Field:
    """Return the places that a flow points to from every pixel."""
    height, width = flow.shape[:2]
    across = np.arange(width, dtype=np.float32)[None, :]
    down = np.arange(height, dtype=np.float32)[:, None]
    return np.dstack([flow[..., 0] + across, flow[..., 1] + down])


def _moved(picture: Plane | Field, places: Field) -> Field:
    """Return the picture with every sample fetched from its place; whole numbers stay whole."""
    out = cv2.remap(picture, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)  # type: ignore[call-overload]
    return np.asarray(out)


def _grown(flow: Field, width: int, height: int) -> Field:
    """Return the places a small flow points to in a larger picture."""
    fh, fw = flow.shape[:2]
    # Sample centres: place p of the small picture is (p + ½)·scale − ½ of the large one.
    places = (_places(flow) + 0.5) * np.array([width / fw, height / fh], np.float32) - 0.5
    return np.asarray(cv2.resize(places, (width, height), interpolation=cv2.INTER_LINEAR), dtype=np.float32)


def _along(a: Picture, b: Picture, t: float, motion: _Motion) -> Picture:
    height, width = a.y.shape
    first, second = _toward((motion.on, motion.back), t)
    trust = _trust(motion.on, motion.back, t)
    there, back = _grown(first, width, height), _grown(second, width, height)
    moved_a, moved_b = (np.asarray(_moved(p, m), dtype=np.uint8) for p, m in ((a.y, there), (b.y, back)))
    # Moving must make the two match better than leaving them be; told on the small picture, where it is cheap.
    size = trust.shape[1], trust.shape[0]
    moved_off = _small_difference(moved_a, moved_b, size)
    still_off = _small_difference(a.y, b.y, size)
    trust = trust * np.clip((still_off - moved_off + 0.5) / 1.5, 0, 1).astype(np.float32)
    trust = np.asarray(cv2.blur(trust, (3, 3)), dtype=np.float32)
    planes = [_joined(a.y, b.y, moved_a, moved_b, t, trust)]
    half = a.u.shape[1], a.u.shape[0]
    there, back = _grown(first, *half), _grown(second, *half)
    for x, y in ((a.u, b.u), (a.v, b.v)):
        moved_x, moved_y = (np.asarray(_moved(p, m), dtype=np.uint8) for p, m in ((x, there), (y, back)))
        planes.append(_joined(x, y, moved_x, moved_y, t, trust))
    return Picture(*planes)


def _small_difference(a: Plane, b: Plane, size: tuple[int, int]) -> Field:
    small = cv2.resize(cv2.absdiff(a, b), size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.blur(small, (3, 3)), dtype=np.float32)


def _joined(a: Plane, b: Plane, moved_a: Plane, moved_b: Plane, t: float, trust: Field) -> Plane:
    """Return the moved frames' mix where it is trusted, else the still ones'."""
    share = np.asarray(cv2.resize(trust, a.shape[::-1], interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    return np.asarray(cv2.blendLinear(_mixed(moved_a, moved_b, t), _mixed(a, b, t), share, 1 - share), dtype=np.uint8)
