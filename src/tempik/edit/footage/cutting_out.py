"""A subject cut out of footage: a few strokes on one frame (GrabCut; Rother, Kolmogorov and Blake, 2004), carried through the
others by optical flow, each drawn anew in a band about its edge; mended by a stroke where it slips."""

from __future__ import annotations

import threading
import zlib
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.disk.writing import fresh_file, make_folders
from tempik.edit.clips.slots import clip_of, with_clips
from tempik.errors import TempikError
from tempik.media import FrameReader
from tempik.media.picture import Picture, Plane, solid, to_frame, to_rgb
from tempik.reel import Cutout, Footage, Reel, Stroke, by_id, new_id
from tempik.reel.nests import all_clips
from tempik.timeline.framing import frame_matrix
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline

WORK_PX = 448  # the longer side of the pictures that are cut
OUT_PX = 960  # of the film that is kept
BAND_PX = 7  # about the edge, where a frame decides anew
SEEDED = 0.1  # of the longer side: so far around the strokes a subject is looked for at first
FIRST_ROUNDS, NEXT_ROUNDS = 6, 1
LEAST_AREA = 0.15  # of the frame before: what is less has slipped, and the flow alone is kept
SETTLED = 10  # frames from the stroked one, after which it is drawn anew
LEAST_WRONG_PX = 12  # of a stroke where the flow says otherwise
LONGEST_S = 30.0

Numbers = NDArray[np.float32]


class _Cutter:
    """Cuts one piece of footage, frame by frame from where it was stroked."""

    def __init__(self, footage: Footage, reader: FrameReader, strokes: Sequence[Stroke]) -> None:
        self._footage, self._reader = footage, reader
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self.strokes: dict[int, list[Stroke]] = {}
        for stroke in strokes:
            self.strokes.setdefault(reader.index.frame_at(stroke.time_s), []).append(stroke)
        self._models = np.zeros((1, 65)), np.zeros((1, 65))

    def colours(self, number: int) -> Plane:
        """Return a frame, upright, as colours."""
        rgb = to_rgb(self._reader.frame(number))
        return np.ascontiguousarray(np.rot90(rgb, -(self._footage.rotation_deg % 360) // 90))

    def first(self, number: int) -> Plane:
        """Return where the subject is on a frame with strokes, by these alone: 1 inside. Raises TempikError where strokes say too little,
        or cover everything."""
        rgb = self.colours(number)
        keep, drop = self._painted(rgb, number)
        if not keep.any():
            raise TempikError(
                "Stroke over the subject first, on one frame; a second kind of stroke says what is not it."
            )
        reach = round(SEEDED * max(keep.shape))
        away = cv2.distanceTransform(255 - keep, cv2.DIST_L2, 3)
        marks = np.where(away < reach, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
        marks[away > 2.5 * reach] = cv2.GC_BGD
        marks[drop > 0], marks[keep > 0] = cv2.GC_BGD, cv2.GC_FGD
        if not ((marks == cv2.GC_BGD) | (marks == cv2.GC_PR_BGD)).any():
            raise TempikError("The stroke covers the whole picture; stroke over the subject alone.")
        cv2.grabCut(rgb, marks, None, *self._models, FIRST_ROUNDS, cv2.GC_INIT_WITH_MASK)  # type: ignore[call-overload]
        return _joined_to(_inside(marks), keep)

    def _painted(self, rgb: Plane, number: int) -> tuple[Plane, Plane]:
        """Return where strokes on a frame keep, and where they drop, 255 there."""
        height_px, wide = rgb.shape[:2]
        planes = np.zeros((height_px, wide), np.uint8), np.zeros((height_px, wide), np.uint8)
        for stroke in self.strokes.get(number, ()):
            points = np.round(np.array(stroke.points) * [wide, height_px]).astype(np.int32).reshape(-1, 1, 2)
            plane = planes[0 if stroke.keep else 1]
            width = max(1, round(stroke.width * wide))
            cv2.polylines(plane, [points], False, (255,), width)
            for x, y in points[:, 0]:
                cv2.circle(plane, (int(x), int(y)), max(width // 2, 1), (255,), -1)
        return planes

    def carried(self, before: Plane, rgb_before: Plane, rgb: Plane, number: int) -> Plane:
        """Return where the subject is on the next frame: as the flow carries it, decided anew about its edge."""
        a, b = (cv2.cvtColor(x, cv2.COLOR_RGB2GRAY) for x in (rgb, rgb_before))
        way = self._flow.calc(a, b, np.zeros((*a.shape, 2), np.float32))
        height_px, wide = a.shape
        across, down = np.meshgrid(np.arange(wide, dtype=np.float32), np.arange(height_px, dtype=np.float32))
        moved = cv2.remap(before * 255, across + way[..., 0], down + way[..., 1], cv2.INTER_LINEAR)
        there = np.asarray(moved > 127, np.uint8)
        keep, drop = self._painted(rgb, number)
        # A stroke that says otherwise than the flow is listened to from afar; one that agrees changes nothing.
        wrong = ((keep > 0) & (there == 0)) | ((drop > 0) & (there > 0))
        stroked = int(wrong.sum()) > LEAST_WRONG_PX
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND_PX + 1, 2 * BAND_PX + 1))
        inner, outer = (np.asarray(f(there, kernel), np.uint8) for f in (cv2.erode, cv2.dilate))
        marks = np.where(there > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
        marks[inner > 0], marks[outer == 0] = cv2.GC_FGD, cv2.GC_BGD
        if stroked:  # what a stroke says may be far from where the subject was thought to be
            far = cv2.distanceTransform(255 - np.maximum(keep, drop), cv2.DIST_L2, 3) < SEEDED * max(keep.shape)
            marks[far & (marks == cv2.GC_FGD)] = cv2.GC_PR_FGD
            marks[far & (marks == cv2.GC_BGD)] = cv2.GC_PR_BGD
        marks[keep > 0], marks[drop > 0] = cv2.GC_FGD, cv2.GC_BGD
        box = _around(outer if not stroked else np.full_like(outer, 1), 2 * BAND_PX)
        if box is None:
            return there
        part = np.ascontiguousarray(marks[box])
        if not {cv2.GC_BGD, cv2.GC_PR_BGD} & set(np.unique(part).tolist()) or not (part & 1).any():
            return there
        rounds = FIRST_ROUNDS if stroked else NEXT_ROUNDS
        cv2.grabCut(
            np.ascontiguousarray(rgb[box]),
            part,
            None,
            *self._models,
            rounds,
            cv2.GC_EVAL if stroked else cv2.GC_EVAL_FREEZE_MODEL,
        )  # type: ignore[call-overload]
        made = np.zeros_like(there)
        made[box] = _inside(part)
        if not stroked and made.sum() < LEAST_AREA * there.sum():
            return there
        return made


def _inside(marks: Plane) -> Plane:
    return np.asarray((marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD), np.uint8)


def _joined_to(inside: Plane, keep: Plane) -> Plane:
    """Return the parts of what lies inside that a stroke touches: others are like the subject and not of it."""
    _, labels = cv2.connectedComponents(inside)
    wanted = np.unique(labels[(keep > 0) & (inside > 0)])
    return np.asarray(np.isin(labels, wanted[wanted > 0]), np.uint8)


def _around(plane: Plane, margin: int) -> tuple[slice, slice] | None:
    left, top, wide, height_px = cv2.boundingRect(plane)
    if not wide or not height_px:
        return None
    return slice(max(0, top - margin), top + height_px + margin), slice(max(0, left - margin), left + wide + margin)


def _fine(inside: Plane, rgb: Plane, size: tuple[int, int]) -> Plane:
    """Return a mask in a larger size, its edge led by the picture's own (guided filter; He, Sun and Tang, 2010)."""
    soft = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 1.0)
    guide = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    side, eps = 7, 4e-4
    mean_i, mean_p = cv2.blur(guide, (side, side)), cv2.blur(soft, (side, side))
    cov = cv2.blur(guide * soft, (side, side)) - mean_i * mean_p
    var = cv2.blur(guide * guide, (side, side)) - mean_i * mean_i
    a = cov / (var + eps)
    b = mean_p - a * mean_i
    slope, base = (cv2.resize(cv2.blur(x, (side, side)), size, interpolation=cv2.INTER_LINEAR) for x in (a, b))
    led = slope * cv2.resize(guide, size, interpolation=cv2.INTER_LINEAR) + base
    plain = cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR)
    cover = np.clip((0.5 * (led + plain) - 0.5) * 2.0 + 0.5, 0, 1)
    return np.asarray(np.round(cover * 255), np.uint8)


def cut_out(
    footage: Footage,
    cutout: Cutout,
    stretch_s: tuple[float, float],
    target: Path,
    report: Callable[[float], None] | None = None,
    stop: threading.Event | None = None,
    path: str | None = None,
) -> Cutout:
    """Cut the subject of some strokes out of a stretch of footage and write the film of it to `target`, whole or not at all;
    return the cut-out with it. `path` is a smaller file to read, frame for frame. Raises TempikError where it cannot be."""
    if footage.kind not in ("video", "still"):
        raise TempikError(f"{footage.name} has no picture of its own to cut out of.")
    if not cutout.strokes:
        raise TempikError("Stroke over the subject first.")
    with FrameReader(path or footage.path, longest_px=WORK_PX) as reader:
        cutter = _Cutter(footage, reader, cutout.strokes)
        start = reader.index.frame_at(next((s for s in cutout.strokes if s.keep), cutout.strokes[0]).time_s)
        first = min(reader.index.frame_at(stretch_s[0]), start)
        last = max(reader.index.frame_at(stretch_s[1]), start)
        most = round(LONGEST_S * float(footage.rate))
        first, last = max(first, start - most), min(last, start + most)
        passes = _passes(start, first, last)
        count, done = sum(len(numbers) for numbers in passes) + 1, 0
        inside, before = cutter.first(start), cutter.colours(start)
        size = _size_out(footage)
        out: dict[int, bytes] = {start: _packed(_fine(inside, before, size))}
        masks = {start: (inside, before)}
        for numbers in passes:
            inside, before = masks[min(masks, key=lambda n: abs(n - numbers[0]))]
            for number in numbers:
                if stop is not None and stop.is_set():
                    raise TempikError("Cutting out was stopped.")
                rgb = cutter.colours(number)
                inside = cutter.carried(inside, before, rgb, number)
                out[number] = _packed(_fine(inside, rgb, size))
                before = rgb
                if abs(number - start) == SETTLED:
                    masks[number] = (inside, before)
                done += 1
                if report is not None and done % 4 == 0:
                    report(done / count)
    _write(
        target,
        footage,
        (np.frombuffer(_unpacked(out[n]), np.uint8).reshape(size[1], size[0]) for n in range(first, last + 1)),
    )
    return replace(cutout, path=str(target), first=first)


def _passes(start: int, first: int, last: int) -> list[range]:
    """Return the frames to go through, in order. What strokes alone said of the first one is drawn anew on the way back, from a
    few frames on, where the picture has had its say."""
    onward, back = range(start + 1, last + 1), range(start - 1, first - 1, -1)
    if len(onward) >= len(back):
        begin = start + SETTLED if len(onward) >= SETTLED else start
        return [p for p in (onward, range(begin - 1, first - 1, -1)) if len(p)]
    begin = start - SETTLED if len(back) >= SETTLED else start
    return [p for p in (back, range(begin + 1, last + 1)) if len(p)]


def _size_out(footage: Footage) -> tuple[int, int]:
    """Return width and height of the film of a cut-out, upright."""
    scale = min(1.0, OUT_PX / max(footage.width, footage.height))
    return max(2, round(footage.width * scale / 2) * 2), max(2, round(footage.height * scale / 2) * 2)


def _packed(plane: Plane) -> bytes:
    return zlib.compress(plane.tobytes(), 1)


def _unpacked(data: bytes) -> bytes:
    return zlib.decompress(data)


def _write(target: Path, footage: Footage, mattes: Iterator[Plane]) -> None:
    """Write mattes as luma in video range, as coded and without loss (FFV1)."""
    try:
        make_folders(target.parent)
        with fresh_file(target) as new, av.open(str(new.path), "w", format="matroska") as film:
            video = film.add_stream("ffv1", rate=Fraction(footage.rate).limit_denominator(60_000))
            video.pix_fmt = "yuv420p"
            video.codec_context.color_range = 1
            video.codec_context.colorspace = video.codec_context.color_primaries = video.codec_context.color_trc = 1
            for number, matte in enumerate(mattes):
                coded = np.ascontiguousarray(np.rot90(matte, (footage.rotation_deg % 360) // 90))
                luma = np.asarray(np.round(16 + coded.astype(np.float32) * (219 / 255)), np.uint8)
                height_px, wide = luma.shape
                if number == 0:
                    video.width, video.height = wide, height_px
                plain = solid(wide, height_px)
                frame = to_frame(Picture(luma, plain.u, plain.v))
                frame.pts = number
                film.mux(video.encode(frame))
            film.mux(video.encode(None))
    except (OSError, av.error.FFmpegError) as error:
        raise TempikError(f"The cut-out could not be written to {target} ({error}); free some space there.") from error


def target_beside(project: Path | None, shared: Path, footage: Footage) -> Path:
    """Return where the film of a cut-out is written: in a folder beside the project, in `shared` while it has no name; under a
    name that no file has, so that an earlier cut can be had back."""
    folder = project.absolute().with_name(f"{project.stem} cutouts") if project is not None else shared / "cutouts"
    stem = Path(footage.path).stem[:60]
    number = 1
    while (folder / f"{stem} {number}.mkv").exists():
        number += 1
    return folder / f"{stem} {number}.mkv"


def stretch_shown(timeline: Timeline, placed: PlacedClip) -> tuple[float, float]:
    """Return the first and the last instant of its footage that a clip shows."""
    frames = np.arange(placed.first, placed.end, dtype=np.float64)
    source = np.clip(source_at_frames(placed, frames, timeline.rate), 0.0, placed.footage.length_s)
    return float(source.min()), float(source.max())


def stroke_at(
    timeline: Timeline,
    placed: PlacedClip,
    frame: int,
    points: Sequence[tuple[float, float]],
    keep: bool,
    width: float = 0.03,
) -> Stroke:
    """Return a stroke over what a clip shows at a frame, through places of the frame, shares of its width and height. Raises
    TempikError where none of them is on the clip's picture."""
    source_s = float(source_at_frames(placed, [frame], timeline.rate)[0])
    matrix = frame_matrix(timeline.framing_at(placed, frame), placed.footage, 1.0, timeline.height_ratio)
    back = np.linalg.inv(matrix)
    seen = [back @ [x, y * timeline.height_ratio, 1.0] for x, y in points]
    inside = [
        (round(float(p[0]), 5), round(float(p[1]), 5)) for p in seen if -0.1 <= p[0] <= 1.1 and -0.1 <= p[1] <= 1.1
    ]
    if not inside:
        raise TempikError("That stroke lies outside the clip's picture.")
    scale = float(np.hypot(back[0, 0], back[1, 0]))
    return Stroke(source_s, tuple(inside), keep, min(max(width * scale, 0.002), 1.0))


def with_cutout(reel: Reel, clip: str, cutout: Cutout) -> Reel:
    """Keep a cut-out with a clip's footage, in place of the one of its id, and show the clip by it. Raises TempikError where the footage is
    gone."""
    record = clip_of(reel, clip)
    piece = by_id(reel.footage, record.footage)
    if piece is None:
        raise TempikError("That footage is no longer on the reel.")
    name = cutout.id or new_id("k", {k.id for f in reel.footage for k in f.cutouts})
    kept = replace(cutout, id=name)
    others = tuple(k for k in piece.cutouts if k.id != name)
    footage = tuple(replace(f, cutouts=(*others, kept)) if f.id == piece.id else f for f in reel.footage)
    return with_clips(replace(reel, footage=footage), [replace(record, cutout=name)])


def without_cutout(reel: Reel, clips: Sequence[str]) -> Reel:
    """Show all of clips again; cut-outs that nothing uses any more are forgotten, their films are left on the disk."""
    reel = with_clips(reel, [replace(clip_of(reel, name), cutout="") for name in clips])
    used = {c.cutout for c in all_clips(reel)}
    pieces = tuple(
        replace(f, cutouts=tuple(k for k in f.cutouts if k.id in used)) if f.cutouts else f for f in reel.footage
    )
    return replace(reel, footage=pieces)
