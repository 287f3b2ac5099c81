"""A picture as the pipeline carries it: planar YUV 4:2:0, 8 bits, BT.709, video range.

Footage of any other kind is converted once as it is decoded. Keeping the planes apart means that a warp
touches half the samples that RGB would need and that nothing is converted on the way to the encoder.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from av import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from tempik.media.meaning import AS_SAID, Colour, Meaning, meaning_of
from tempik.media.scaling import converted

Plane = NDArray[np.uint8]  # shape (height, width), 0 to 255
BLACK_Y, MID_CHROMA, WHITE_Y = 16, 128, 235


class Picture(NamedTuple):
    """Three planes; `u` and `v` have half the width and height of `y`, rounded up."""

    y: Plane
    u: Plane
    v: Plane

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in samples of `y`."""
        return self.y.shape[1], self.y.shape[0]

    @property
    def nbytes(self) -> int:
        """How many bytes its planes take."""
        return self.y.nbytes + self.u.nbytes + self.v.nbytes


def solid(width: int, height: int, y: int = BLACK_Y, u: int = MID_CHROMA, v: int = MID_CHROMA) -> Picture:
    """Return a picture of one colour, black unless told otherwise."""
    half = ((height + 1) // 2, (width + 1) // 2)
    return Picture(np.full((height, width), y, np.uint8), np.full(half, u, np.uint8), np.full(half, v, np.uint8))


def from_frame(frame: VideoFrame, colour: Colour = AS_SAID) -> Picture:
    """Return the planes of a decoded frame, converted where its pixels are of another kind; `colour` says how its values are
    meant where that is not what the frame says.

    High dynamic range is brought down to BT.709, wide primaries are turned into its own; interlaced frames have their lines
    blended.
    """
    meant = meaning_of(frame, colour)
    if meant.light != "standard" or meant.matrix == "bt2020":
        return _from_wide(frame, meant)
    picture = _converted(frame, meant)
    return (
        _deinterlaced(picture) if frame.format.name in ("yuv420p", "yuvj420p") and frame.interlaced_frame else picture
    )


def _converted(frame: VideoFrame, meant: Meaning) -> Picture:
    if frame.format.is_rgb or meant.rgb:
        return from_rgb(_even(np.asarray(converted(frame, "rgb24").to_ndarray(), dtype=np.uint8)))
    if frame.format.name not in ("yuv420p", "yuvj420p"):
        # To 8 bits and half the chroma alone: matrix and range stay, since swscale's own change of them tints greys.
        space = Colorspace.ITU709 if meant.matrix == "bt709" else Colorspace.ITU601
        side = ColorRange.JPEG if meant.full else ColorRange.MPEG
        frame = converted(
            frame, "yuv420p", src_colorspace=space, dst_colorspace=space, src_color_range=side, dst_color_range=side
        )
    picture = Picture(*(_plane(frame, i) for i in range(3)))
    return picture if meant.matrix == "bt709" and not meant.full else _turned(picture, meant.matrix, meant.full)


def _even(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return colours with an even number of rows and columns, the last held."""
    down, across = rgb.shape[0] % 2, rgb.shape[1] % 2
    return np.pad(rgb, ((0, down), (0, across), (0, 0)), mode="edge") if down or across else rgb


# What luma is mixed of, for red and blue (Rec. ITU-R BT.601, BT.709).
_MIXES = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722)}


@lru_cache(8)
def _to_709(matrix: str, full: bool) -> NDArray[np.float64]:
    """Return Y, U and V of BT.709 in video range from those of another matrix and range, shape (3, 4)."""
    kr, kb = _MIXES[matrix]
    kg = 1 - kr - kb
    y, c = (1.0, 1.0) if full else (255 / 219, 255 / 224)
    base = np.array(
        [
            [y, 0, c * 2 * (1 - kr)],
            [y, -c * 2 * (1 - kb) * kb / kg, -c * 2 * (1 - kr) * kr / kg],
            [y, c * 2 * (1 - kb), 0],
        ]
    )
    zero = np.array([[0.0 if full else 16.0], [128.0], [128.0]])
    rgb = np.hstack([base, -base @ zero])
    return np.asarray(FROM_RGB @ np.vstack([rgb, [0, 0, 0, 1]]), dtype=np.float64)


def _turned(picture: Picture, matrix: str, full: bool) -> Picture:
    """Return a picture of another matrix or range in BT.709. Greys stay grey, and U and V follow from U and V alone."""
    rows = _to_709(matrix, full)
    (yu, yv), *turned = rows[:, 1:3].tolist()
    made = [cv2.addWeighted(picture.u, a, picture.v, b, 128 * (1 - a - b)) for a, b in turned]
    # At U and V of 128 what is left is a straight line of Y.
    line = rows[0, 0] * np.arange(256) + rows[0, 3] + 128 * (rows[0, 1] + rows[0, 2])
    if abs(yu) + abs(yv) < 1e-6:
        y = cv2.LUT(picture.y, np.clip(np.rint(line), 0, 255).astype(np.uint8))
    else:
        more = cv2.addWeighted(picture.u, yu, picture.v, yv, -128 * (yu + yv), dtype=cv2.CV_32F)
        more = cv2.resize(more, picture.size, interpolation=cv2.INTER_LINEAR)
        y = cv2.add(cv2.LUT(picture.y, line.astype(np.float32)), more, dtype=cv2.CV_8U)
    return Picture(*(np.asarray(p, dtype=np.uint8) for p in (y, *made)))


def _deinterlaced(picture: Picture) -> Picture:
    """Return the picture with each line blended with its neighbours, so that the two fields do not comb."""
    kernel = np.array([[0.25], [0.5], [0.25]], np.float32)
    planes = (cv2.filter2D(p, -1, kernel, borderType=cv2.BORDER_REPLICATE) for p in picture)
    return Picture(*(np.asarray(p, dtype=np.uint8) for p in planes))


def alpha_of(frame: VideoFrame) -> Plane | None:
    """Return how far each sample covers what is below, or None for pixels that have no such part."""
    if not has_alpha(frame.format.name):
        return None
    return _plane(converted(frame, "yuva444p"), 3).copy()


def has_alpha(pixel_format: str) -> bool:
    """Tell whether a pixel format can have clear parts."""
    return pixel_format.startswith(("yuva", "rgba", "bgra", "argb", "abgr", "ya8", "ya16", "gbrap", "pal8"))


# Diffuse white of high dynamic range, in candela per square metre (Rep. ITU-R BT.2408).
REFERENCE_WHITE = 203.0
# BT.2020 to BT.709 primaries, linear light (Rec. ITU-R BT.2087).
_TO_709 = np.array([[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]], np.float32)
BT2020 = 9  # AVCOL_SPC_BT2020_NCL


@lru_cache(3)
def _light(transfer: str) -> NDArray[np.float32]:
    """Return linear light, 1 for diffuse white, of each 16-bit code value."""
    value = np.arange(65536) / 65535
    if transfer == "standard":
        return np.asarray(value**2.4, dtype=np.float32)  # Rec. ITU-R BT.1886
    if transfer == "pq":
        m1, m2, c1, c2, c3 = 0.1593017578125, 78.84375, 0.8359375, 18.8515625, 18.6875
        root = value ** (1 / m2)
        nits = 10000 * (np.maximum(root - c1, 0) / (c2 - c3 * root)) ** (1 / m1)
    else:
        a, b, c = 0.17883277, 0.28466892, 0.55991073
        scene = np.where(value <= 0.5, value**2 / 3, (np.exp((value - c) / a) + b) / 12)
        nits = 1000 * scene**1.2
    return np.asarray(nits / REFERENCE_WHITE, dtype=np.float32)


@lru_cache(2)
def _display(bent: bool) -> NDArray[np.uint8]:
    """Return 8-bit code values for linear light from 0 to 16 in 4096 even steps of its square root. Where `bent`, up to four
    fifths of white is kept, and what is brighter is bent into the rest."""
    light = np.linspace(0, 4, 4096) ** 2
    over = np.maximum(light - 0.8, 0)
    shown = np.where(light <= 0.8, light, 0.8 + 0.2 * over / (over + 0.6)) if bent else light
    return np.asarray(np.round(255 * np.clip(shown, 0, 1) ** (1 / 2.4)), dtype=np.uint8)


def _from_wide(frame: VideoFrame, meant: Meaning) -> Picture:
    """Return BT.709 pictures of footage with BT.2020 primaries, of standard light, PQ or HLG: linear light, other primaries,
    highlights bent."""
    side = ColorRange.JPEG if meant.full else ColorRange.MPEG
    rgb = converted(frame, "rgb48le", src_colorspace=BT2020, dst_colorspace=BT2020, src_color_range=side).to_ndarray()
    linear = cv2.transform(_light(meant.light)[rgb], _TO_709)
    steps = np.clip(np.sqrt(np.clip(linear, 0, 16)) * (4095 / 4) + 0.5, 0, 4095).astype(np.uint16)
    return from_rgb(_even(_display(meant.light != "standard")[steps]))


def _plane(frame: VideoFrame, number: int) -> Plane:
    plane = frame.planes[number]
    rows = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
    return np.asarray(rows[: plane.height, : plane.width], dtype=np.uint8)


def to_frame(picture: Picture) -> VideoFrame:
    """Return a frame for the encoder holding a copy of the planes, marked BT.709 in video range."""
    width, height = picture.size
    frame = VideoFrame(width, height, "yuv420p")
    for number, values in enumerate(picture):
        plane = frame.planes[number]
        room = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
        room[: values.shape[0], : values.shape[1]] = values
    frame.colorspace = Colorspace.ITU709
    frame.color_range = ColorRange.MPEG
    return frame


def to_rgb(picture: Picture) -> NDArray[np.uint8]:
    """Return RGB of shape (height, width, 3) by BT.709 in video range (Rec. ITU-R BT.709-6)."""
    width, height = picture.size
    if width % 2 or height % 2:
        picture = Picture(picture.y[: height & ~1, : width & ~1], picture.u, picture.v)
        width, height = picture.size
    u = cv2.resize(picture.u, (width, height), interpolation=cv2.INTER_LINEAR)
    v = cv2.resize(picture.v, (width, height), interpolation=cv2.INTER_LINEAR)
    stacked = cv2.merge([picture.y, u, v])
    return np.asarray(cv2.transform(stacked, TO_RGB), dtype=np.uint8)


_KR, _KB = 0.2126, 0.0722
_KG = 1 - _KR - _KB
_Y, _C = 255 / 219, 255 / 224
_BASE = np.array(
    [
        [_Y, 0.0, _C * 2 * (1 - _KR)],
        [_Y, -_C * 2 * (1 - _KB) * _KB / _KG, -_C * 2 * (1 - _KR) * _KR / _KG],
        [_Y, _C * 2 * (1 - _KB), 0.0],
    ]
)
TO_RGB = np.hstack([_BASE, -_BASE @ np.array([[16.0], [128.0], [128.0]])])
FROM_RGB = np.hstack([np.linalg.inv(_BASE), np.array([[16.0], [128.0], [128.0]])])


def from_rgb(rgb: NDArray[np.uint8]) -> Picture:
    """Return the planes of RGB of shape (height, width, 3), BT.709 in video range."""
    planes = cv2.split(cv2.transform(rgb, FROM_RGB))
    half = (rgb.shape[1] // 2, rgb.shape[0] // 2)
    u, v = (cv2.resize(p, half, interpolation=cv2.INTER_AREA) for p in planes[1:])
    return Picture(np.asarray(planes[0], dtype=np.uint8), np.asarray(u, dtype=np.uint8), np.asarray(v, dtype=np.uint8))


def colour_yuv(colour: str) -> tuple[int, int, int]:
    """Return Y, U and V of a colour such as `#f0b43c` by BT.709 in video range."""
    r, g, b = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    y = _KR * r + _KG * g + _KB * b
    return round(16 + 219 * y), round(128 + 224 * (b - y) / 1.8556), round(128 + 224 * (r - y) / 1.5748)


def shrunk(picture: Picture, longest: int) -> Picture:
    """Return the picture scaled down so that its longer side is at most `longest` samples."""
    width, height = picture.size
    longer = max(width, height)
    if longest >= longer:
        return picture
    # Multiplied first: the same frame at two sizes must not end a row apart.
    w, h = (max(2, round(side * longest / longer / 2) * 2) for side in (width, height))
    sizes = [(w, h), (w // 2, h // 2), (w // 2, h // 2)]
    return Picture(*(reduced(p, s) for p, s in zip(picture, sizes, strict=True)))


def reduced(plane: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    """Return a plane scaled down to (width, height): by halves, each the mean of four samples, and once between neighbours by what is
    left, less than half. OpenCV's own mean over areas that are no whole samples takes five to fifteen times as long."""
    halves = _halves(plane, size)
    while halves and not (plane.shape[0] % 2 or plane.shape[1] % 2):
        plane, halves = _halved(plane), halves - 1
    whole = (size[0] << halves, size[1] << halves)
    if plane.shape[::-1] != whole:
        plane = np.asarray(cv2.resize(plane, whole, interpolation=cv2.INTER_LINEAR), np.uint8)
    for _ in range(halves):
        plane = _halved(plane)
    return plane


def _halves(plane: NDArray[np.uint8], size: tuple[int, int]) -> int:
    """Return how often a plane can be halved and still be as large as that."""
    times = int(min(plane.shape[1] // size[0], plane.shape[0] // size[1]))
    return max(0, times.bit_length() - 1)


def _halved(plane: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a plane of even sides at half its size."""
    half = (plane.shape[1] // 2, plane.shape[0] // 2)
    return np.asarray(cv2.resize(plane, half, interpolation=cv2.INTER_AREA), np.uint8)
