"""How the values of a file's pictures are meant: its matrix, its range and its light, as it says, as is usual, or as told."""

from __future__ import annotations

from typing import NamedTuple

from av import VideoFrame
from av.video.reformatter import ColorRange

# Of Rec. ITU-T H.273: matrix coefficients, and transfer characteristics SMPTE ST 2084 and ARIB STD-B67.
_MATRICES = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
PQ, HLG = 16, 18
_LIGHTS = {PQ: "pq", HLG: "hlg"}
NAMES = {
    "bt601": "BT.601",
    "bt709": "BT.709",
    "bt2020": "BT.2020",
    "standard": "standard light",
    "pq": "PQ",
    "hlg": "HLG",
}
# Untagged footage is BT.709 from 720 lines up and BT.601 below (common practice of players).
HD_FROM = 1280


class Colour(NamedTuple):
    """What a person says of a file's values; '' is as the file says. `matrix`: bt601, bt709, bt2020; `range`: limited, full;
    `light`: standard, pq, hlg."""

    matrix: str = ""
    range: str = ""
    light: str = ""


AS_SAID = Colour()


class Meaning(NamedTuple):
    """How values are taken, and which of it was assumed because the file does not say."""

    matrix: str
    full: bool
    light: str
    assumed: tuple[str, ...] = ()
    rgb: bool = False  # it is red, green and blue, and has no matrix

    @property
    def text(self) -> str:
        """What is done, in words."""
        told = f"{NAMES[self.matrix]}, {'full' if self.full else 'limited'} range, {NAMES[self.light]}"
        if not self.assumed:
            return told
        what = " and ".join(self.assumed)
        return f"{told} ({what} assumed: the file does not say)"


def meaning_of(frame: VideoFrame, colour: Colour = AS_SAID) -> Meaning:
    """Return how a decoded frame's values are meant."""
    assumed = []
    plain = frame.format.name
    rgb = plain.startswith(("rgb", "bgr", "gbr", "argb", "abgr", "pal", "gray", "mono", "ya"))
    light = _LIGHTS.get(int(frame.color_trc), "standard")
    matrix = _MATRICES.get(int(frame.colorspace), "")
    if rgb:
        matrix = matrix if matrix == "bt2020" else "bt709"
    elif not matrix:
        matrix = "bt2020" if light != "standard" else "bt709" if max(frame.width, frame.height) >= HD_FROM else "bt601"
        if not colour.matrix:
            assumed.append("matrix")
    full = frame.color_range == ColorRange.JPEG or plain.startswith("yuvj") or rgb
    if (
        not rgb
        and not plain.startswith("yuvj")
        and frame.color_range not in (ColorRange.JPEG, ColorRange.MPEG)
        and not colour.range
    ):
        assumed.append("range")
    return Meaning(
        colour.matrix or matrix,
        colour.range == "full" if colour.range else full,
        colour.light or light,
        tuple(assumed),
        rgb,
    )
