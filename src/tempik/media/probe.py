"""What a file is: its streams, true rate, size as shown, length, sound, and frames that repeat in it."""

from __future__ import annotations

import os
from fractions import Fraction
from typing import NamedTuple

import av
import cv2
import numpy as np

from tempik.errors import TempikError
from tempik.media.cache import content_key
from tempik.media.index import FrameIndex, index_stream
from tempik.media.meaning import AS_SAID, HLG, PQ, Colour, Meaning, meaning_of
from tempik.media.opening import opened, sound_stream
from tempik.media.picture import from_frame, has_alpha

REEL_RATES = (24, 25, 30, 60)
# Cadence is read off at most this many frames; a pattern shows well within them.
CADENCE_FRAMES = 600
# A change is looked at beside so many on either side; below this share of what is usual there it is none, and what is beside it moves
# from this share on. Where there are so many of them no single one can be told from what turns about, and all count.
AROUND, LOW, MOVING, MANY = 6, 0.12, 0.45, 5
# So many repeats in a row are a stall rather than part of a pattern.
STALL_FRAMES = 4
# So many of the frames that move lie at even places in a film that shows each frame several times.
EVEN = 0.75

LONGEST_S = 1e6  # a file that says more has broken timestamps


class Probe(NamedTuple):
    """A file's facts. Without a picture, sizes and rate are 0 and `frame_index` is None."""

    path: str
    container: str
    length_s: float
    width: int  # as shown: after rotation and pixel shape
    height: int
    coded_width: int
    coded_height: int
    rotation_deg: int  # clockwise turn that shows it upright
    pixel_aspect: Fraction
    rate: Fraction
    variable_rate: bool
    codec: str
    sound_codec: str
    sound_rate: int
    sound_channels: int
    frame_index: FrameIndex | None
    still: bool = False
    alpha: bool = False
    bytes: int = 0
    message: str = ""  # what is done to its pictures, where that could surprise
    key: str = ""  # names its contents

    @property
    def frames(self) -> int:
        """How many frames it has; 0 without a picture."""
        return len(self.frame_index.pts) if self.frame_index is not None else 0

    @property
    def has_picture(self) -> bool:
        """Whether it has a picture."""
        return self.frame_index is not None

    @property
    def has_sound(self) -> bool:
        """Whether it has sound."""
        return bool(self.sound_codec)


class Stall(NamedTuple):
    """A picture that stands still for some frames while the file goes on."""

    time_s: float
    frames: int


class Cadence(NamedTuple):
    """Frames that repeat the one before: how many of how many looked at, the true rate they leave, how they come
    (`none`, `one in 5`, `3 in 4`, `irregular`), where the picture stalls, and the numbers of the repeated frames."""

    repeated: int
    frames: int
    distinct_rate: float
    pattern: str
    stalls: tuple[Stall, ...] = ()
    numbers: tuple[int, ...] = ()

    @property
    def regular(self) -> bool:
        """Whether its repeats follow a pattern such as `1 in 5`."""
        return " in " in self.pattern


def probe(path: str) -> Probe:
    """Read a file's facts without decoding more than one frame. Raises TempikError on what cannot be read."""
    with opened(path) as container:
        video = container.streams.video[0] if container.streams.video else None
        if video is not None and video.disposition & av.stream.Disposition.attached_pic:
            video = None  # the cover picture of a song
        if video is not None and video.codec_context is None:
            raise TempikError(f"{path} holds pictures that there is no decoder for; convert it to H.264 first.")
        sound = sound_stream(container)
        if video is None and sound is None:
            raise TempikError(f"{path} holds neither picture nor sound; choose a video or sound file.")
        length = (container.duration or 0) / av.time_base
        rotation, aspect, index = 0, Fraction(1), None
        pixel_format, message = "", ""
        coded_width = coded_height = 0
        rate = Fraction(0)
        if video is not None:
            rotation, pixel_format, message = _first_frame(path)
            aspect = Fraction(video.sample_aspect_ratio or 1) or Fraction(1)
            coded_width, coded_height = video.codec_context.width, video.codec_context.height
            index = index_stream(container, video, path)
            length, rate = index.end_s, index.rate
        if not 0 <= float(length) <= LONGEST_S:
            raise TempikError(
                f"{path} says that it lasts {float(length):.3g} s: its timestamps are broken; convert it to a new file first."
            )
        still = index is not None and len(index.pts) == 1 and _is_image(container.format.name)
        if still:
            length, rate = 1.0, Fraction(25)
        width, height = round(coded_width * aspect), coded_height
        if rotation % 180:
            width, height = height, width
        return Probe(
            path=path,
            container=container.format.name,
            length_s=float(length),
            width=width,
            height=height,
            coded_width=coded_width,
            coded_height=coded_height,
            rotation_deg=rotation,
            pixel_aspect=aspect,
            rate=rate,
            variable_rate=index.variable if index is not None else False,
            codec=video.codec_context.name if video is not None else "",
            sound_codec=sound.codec_context.name if sound is not None else "",
            sound_rate=sound.codec_context.sample_rate if sound is not None else 0,
            sound_channels=sound.codec_context.channels if sound is not None else 0,
            frame_index=index,
            still=still,
            alpha=has_alpha(pixel_format),
            bytes=_bytes(path),
            message=message,
            key=content_key(path),
        )


def _is_image(container: str) -> bool:
    return container.endswith("_pipe") or container in ("image2", "gif", "apng", "webp")


def _bytes(path: str) -> int:
    try:
        return os.path.getsize(path)
    except OSError:
        return 0


def _first_frame(path: str) -> tuple[int, str, str]:
    """Return the clockwise turn, a multiple of 90, that shows the file upright (its display matrix), its pixel format,
    and a sentence on what is converted, where that could surprise."""
    with opened(path) as container:
        try:
            for frame in container.decode(container.streams.video[0]):
                return -round(frame.rotation / 90) * 90 % 360, frame.format.name, _conversion(frame)
        except (av.error.FFmpegError, OSError):
            pass
    raise TempikError(f"{path} holds a video track without a frame that can be decoded; choose another file.")


def colour_meaning(path: str, colour: Colour = AS_SAID) -> Meaning:
    """Return how a file's values are taken. Raises TempikError where no frame can be decoded."""
    with opened(path) as container:
        try:
            for frame in container.decode(container.streams.video[0]):
                return meaning_of(frame, colour)
        except (av.error.FFmpegError, OSError, IndexError):
            pass
    raise TempikError(f"{path} has no frame that can be decoded; copy it again or choose another file.")


def _conversion(frame: av.VideoFrame) -> str:
    depth = max((c.bits for c in frame.format.components), default=8)
    message = []
    if frame.color_trc in (PQ, HLG):
        name = "PQ" if frame.color_trc == PQ else "HLG"
        message.append(f"high dynamic range ({name}) is brought down to BT.709")
    elif depth > 8:
        message.append(f"{depth} bits are rounded to 8")
    if frame.color_trc not in (PQ, HLG) and meaning_of(frame).matrix == "bt2020":
        message.append("wide colours (BT.2020) are brought into BT.709")
    if frame.interlaced_frame:
        message.append("interlaced lines are blended")
    if frame.format.name.startswith(("yuv422", "yuv444", "yuvj422", "yuvj444")):
        message.append("colour is kept at half its fineness")
    return "; ".join(message)


def cadence(path: str, index: FrameIndex) -> Cadence:
    """Count the frames that repeat the one before them.

    A frame repeats when it differs from its neighbour far less than neighbours of this file usually do: repeats
    of a compressed file are near to equal, not equal.
    """
    small: list[np.ndarray] = []
    numbers: list[int] = []
    with opened(path) as container:
        container.streams.video[0].thread_type = "AUTO"
        try:
            for frame in container.decode(container.streams.video[0]):
                luma = from_frame(frame).y
                numbers.append(int(np.searchsorted(index.pts, frame.pts if frame.pts is not None else len(small))))
                small.append(cv2.resize(luma, (96, 96), interpolation=cv2.INTER_AREA).astype(np.float32))
                if len(small) >= CADENCE_FRAMES:
                    break
        except (av.error.FFmpegError, OSError):
            pass
    change = np.array([float(np.abs(b - a).mean()) for a, b in zip(small, small[1:], strict=False)])
    return cadence_of(change, np.array(numbers[1:], dtype=np.int64), index)


def cadence_of(change: np.ndarray, numbers: np.ndarray, index: FrameIndex) -> Cadence:
    """Return the cadence of a file from how far each frame (its number) differs from the one before, in grey levels."""
    rate = float(index.rate)
    if len(change) < 3:
        return Cadence(0, len(change) + 1, rate, "none")
    repeats = repeat_marks(change)
    repeated = int(repeats.sum())
    distinct = rate * (1 - repeated / (len(change) + 1))
    stalls = []
    places = np.flatnonzero(repeats)
    for run in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1) if len(places) else []:
        if len(run) >= STALL_FRAMES:
            stalls.append(Stall(round(float(index.times_s[numbers[run[0]]]), 3), len(run)))
    told = tuple(int(numbers[i]) for i in places)
    return Cadence(repeated, len(change) + 1, distinct, _pattern(repeats), tuple(stalls), told)


def repeat_marks(change: np.ndarray) -> np.ndarray:
    """Mark the changes that are none: well below those around them, in a stretch where something moves.

    What turns about, as a swing does, stands still for a frame too, but slows down before it and is slow after it: a frame that
    repeats lies between two that move as all around do."""
    usual = np.array([_usual_around(change, i) for i in range(len(change))])
    low = (usual > 0.15) & (change < LOW * usual)
    marks = np.zeros(len(change), dtype=bool)
    places = np.flatnonzero(low)
    for run in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1) if len(places) else []:
        first, last = run[0], run[-1]
        beside = [change[i] / usual[near] for i, near in ((first - 1, first), (last + 1, last)) if 0 <= i < len(change)]
        many = low[max(0, first - AROUND) : last + AROUND + 1].sum() >= MANY
        marks[run] = many or min(beside, default=0.0) >= MOVING
    # A long stall has nothing moving around its middle: it goes on for as long as the picture does not change at all.
    still = change < max(0.03, 0.01 * float(np.percentile(change, 75))) if len(change) else marks
    for order in (range(1, len(change)), range(len(change) - 2, -1, -1)):
        for i in order:
            marks[i] |= still[i] and marks[i - 1 if order.step > 0 else i + 1]
    _complete(marks, change)
    # What stands still up to the file's end, or from its start, is no stall.
    for end in (marks, marks[::-1]):
        moving = np.flatnonzero(~end)
        if len(moving) and moving[0] >= STALL_FRAMES:
            end[: moving[0]] = False
    return marks


def _complete(marks: np.ndarray, change: np.ndarray) -> None:
    """Mark what repeats where all others do, in place: of a film whose frames are each there several times, those that were not told
    from what hardly moves."""
    moved = np.flatnonzero(~marks)
    times, _ = _common_gap(moved)
    if times < 3:
        return
    places = np.bincount(moved % times, minlength=times)
    own = int(places.argmax())
    if places[own] < EVEN * len(moved):
        return
    off = moved[moved % times != own]
    marks[off[change[off] < 0.5 * np.median(change[moved[moved % times == own]])]] = True


def _usual_around(change: np.ndarray, i: int) -> float:
    around = np.concatenate([change[max(0, i - AROUND) : i], change[i + 1 : i + 1 + AROUND]])
    return float(np.percentile(around, 75)) if len(around) else 0.0


def _pattern(repeats: np.ndarray) -> str:
    """Name the pattern: `none`, `one in 5` where repeats come evenly and `3 in 4` where what moves does, be it that some were not
    told from what stands, else `irregular`."""
    places = np.flatnonzero(repeats)
    if not len(places):
        return "none"
    alone, whole = _common_gap(places)
    if alone > 1 and whole >= 0.75:
        return f"one in {alone}"
    moving, whole = _common_gap(np.flatnonzero(~repeats))
    if moving > 2 and whole >= 0.6:
        return f"{moving - 1} in {moving}"
    return "irregular"


def _common_gap(places: np.ndarray) -> tuple[int, float]:
    """Return the distance that half of some places or more have to the next, and which share of distances are whole numbers of it; 0
    where there is none, or too few to tell."""
    gaps = np.diff(places)
    common = int(np.bincount(gaps).argmax()) if len(gaps) >= 3 else 0
    if not common or np.mean(gaps == common) < 0.5:
        return 0, 0.0
    return common, float(np.mean(gaps % common == 0))
