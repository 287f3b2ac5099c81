"""One clip's colours made like another's; light made even along a clip, and over several."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

import numpy as np
from msgspec.structs import replace

from tempik.edit.clips.layers import with_clip_key
from tempik.edit.clips.slots import clip_of, in_order, on_reel, with_clips
from tempik.edit.grading.grades import Where, with_grade
from tempik.errors import TempikError
from tempik.grade.measure import light_of, matched, sample_of
from tempik.grade.pointwise import Colours, graded
from tempik.media.meaning import Colour
from tempik.media.picture import Picture, colour_yuv, solid
from tempik.media.reader import FrameReader
from tempik.reel import Grade, Reel
from tempik.reel.grade import NEUTRAL
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of

LOOKS_AT = 5  # frames of a clip that tell what it is like
ALONG_S = 0.2  # light along a clip is told so often
SMOOTH_S = 0.2
MOST_STOPS = 3.0
STILL_STOPS = 0.02  # light that strays less than this is even

Progress = Callable[[float], None]


class ColourSampler:
    """Colours of clips at frames, after what their footage's grade makes of them; one file open at a time."""

    def __init__(self, timeline: Timeline) -> None:
        self.timeline = timeline
        self._reader: FrameReader | None = None

    def __enter__(self) -> ColourSampler:
        return self

    def __exit__(self, *_: object) -> None:
        if self._reader is not None:
            self._reader.close()

    def at(self, placed: PlacedClip, frame: float, own: bool = False) -> Colours:
        """Return a clip's colours at a frame, `own` after its own grade too."""
        rgb = sample_of(self._picture(placed, frame))
        grades = [g for g in (placed.footage.grade, placed.clip.grade if own else None) if g is not None]
        return np.asarray(np.clip(graded(rgb, grades), 0, 1), dtype=np.float32)

    def over(self, placed: PlacedClip, own: bool = False) -> Colours:
        """Return a clip's colours over its length."""
        frames = np.linspace(placed.first, placed.end - 1, min(LOOKS_AT, placed.frames))
        return np.concatenate([self.at(placed, f, own) for f in frames])

    def _picture(self, placed: PlacedClip, frame: float) -> Picture:
        footage = placed.footage
        if footage.kind == "solid":
            return solid(16, 16, *colour_yuv(footage.path))
        if footage.without_file:
            raise TempikError(f"A {footage.kind} has no colours of its own to measure; choose a clip of footage.")
        if self._reader is None or self._reader.path != footage.path:
            if self._reader is not None:
                self._reader.close()
            told = footage.colour
            self._reader = FrameReader(footage.path, longest_px=480, colour=Colour(told.matrix, told.range, told.light))
        return self._reader.at(float(source_at_frames(placed, [frame], self.timeline.rate)[0]))


def with_match(reel: Reel, clips: Collection[str], target: str, report: Progress | None = None) -> Reel:
    """Give clips grades that make their colours like those of another clip, as it is graded. Raises TempikError where there is
    nothing to measure."""
    timeline = timeline_of(reel)
    others = [name for name in clips if name != target]
    if not others:
        raise TempikError("Select the clips to match, and another to match them to.")
    with ColourSampler(timeline) as sampler:
        wanted = sampler.over(on_reel(timeline, target), own=True)
        for number, name in enumerate(others):
            if report is not None:
                report(number / len(others))
            placed = on_reel(timeline, name)
            made = matched(sampler.over(placed), wanted, clip_of(reel, name).grade or NEUTRAL)
            reel = with_grade(reel, Where("clips", (name,)), made)
    return reel


def with_even_series(reel: Reel, clips: Collection[str], report: Progress | None = None) -> Reel:
    """Set the exposure of clips so that their light is as that of the middle one of them. Raises TempikError for fewer than two."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    if len(found) < 2:
        raise TempikError("Select two clips or more to make their light even.")
    with ColourSampler(timeline) as sampler:
        lights = []
        for number, placed in enumerate(found):
            if report is not None:
                report(number / len(found))
            lights.append(light_of(sampler.over(placed, own=True)))
    wanted = float(np.median(lights))
    out = []
    for placed, light in zip(found, lights, strict=True):
        grade = placed.clip.grade or NEUTRAL
        stops = _within(grade.exposure + wanted - light)
        made: Grade = replace(grade, exposure=round(stops, 3))
        out.append(replace(clip_of(reel, placed.clip.id), grade=None if made == NEUTRAL else made))
    return with_clips(reel, out)


def with_even_light(reel: Reel, clip: str, report: Progress | None = None) -> Reel:
    """Take slow changes of light out of a clip: keys of its exposure, in stops, that bring each part of it to its middle. Raises
    TempikError where it is even already."""
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip)
    rate = float(timeline.rate)
    frames = list(range(placed.first, placed.end, max(1, round(ALONG_S * rate))))
    if frames[-1] != placed.end - 1:
        frames.append(placed.end - 1)
    with ColourSampler(timeline) as sampler:
        lights = []
        for number, frame in enumerate(frames):
            if report is not None:
                report(number / len(frames))
            lights.append(light_of(sampler.at(placed, frame)))
    stops = _smooth(np.median(lights) - np.array(lights), SMOOTH_S / ALONG_S)
    record = clip_of(reel, clip)
    reel = with_clips(reel, [replace(record, keys={n: k for n, k in record.keys.items() if n != "exposure"})])
    if float(np.abs(stops).max()) < STILL_STOPS:
        raise TempikError("The clip's light is even already.")
    for frame, value in zip(frames, stops.tolist(), strict=True):
        reel = with_clip_key(reel, clip, "exposure", frame, round(_within(value), 3), "even")
    return reel


def without_even_light(reel: Reel, clips: Sequence[str]) -> Reel:
    """Take the keys of exposure off clips."""
    out = [clip_of(reel, name) for name in clips]
    return with_clips(reel, [replace(c, keys={n: k for n, k in c.keys.items() if n != "exposure"}) for c in out])


def _smooth(values: np.ndarray, width: float) -> np.ndarray:
    """Return values smoothed by a Gaussian of a width in places, ends held."""
    reach = max(1, round(3 * width))
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / max(width, 1e-3)) ** 2)
    padded = np.pad(values, reach, mode="edge")
    return np.asarray(np.convolve(padded, kernel / kernel.sum(), mode="valid"), dtype=np.float64)


def _within(stops: float) -> float:
    return float(min(max(stops, -MOST_STOPS), MOST_STOPS))
