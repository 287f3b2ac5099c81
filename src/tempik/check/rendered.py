"""The same check, measured in an exported file: its decoded pictures against its own decoded sound.

What an accent does is what the file shows against the reel's picture without that lane: flashes and other light by luma,
colour and blur by how far both are apart, shakes and punches by registering the one onto the other. Cuts are found by
which of the two clips' pictures the file shows, pins and what runs through time by which planned frame it shows. The
song is found in the file's sound by correlation, so that an error of the sound counts too.
"""

from __future__ import annotations

import copy
from pathlib import Path

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray

from tempik.accents import CATALOGUE, EvaluatedLane, Pulse
from tempik.check.landing import HALF_FRAME, Event, Levels, Report, check_reel, report
from tempik.check.sounds import measured_sounds
from tempik.errors import TempikError
from tempik.media import FrameReader, Picture, decode_sound
from tempik.media.audio import sound_blocks
from tempik.render import PictureSource, mix, plan
from tempik.render.export_settings import frames_of_part
from tempik.render.plan import late_plan
from tempik.sounds.loudness import RATE, Meter
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import PlacedTransition, progress_at

Thumb = NDArray[np.float32]

THUMB_LONGEST = 144
KEPT_THUMBS = 600
AROUND = 4  # frames either side of an event that are looked at
# An accent that changes the small pictures by less than this cannot be told from coding noise.
LEAST_APART = 0.7
LEAST_MOVED_PX = 0.45
LEAST_WORD = 8.0  # how far a word changes a place of the small picture, to count as its own
FULL = 0.9
# A frame that is so much nearer to what is planned for it than to any other shows that.
SURE = 0.5
# Pictures laid on each other that are less alike than this (as correlation) were not.
REGISTERED = 0.8
TELLS = 0.25


class _Film:
    """Small luma pictures of the decoded file and of the plan, by frame number, each made once."""

    def __init__(self, timeline: Timeline, path: str, frames: range) -> None:
        self.timeline = timeline
        self.frames = frames  # those of the reel that the file has
        self.file = FrameReader(path, cache_bytes=64 << 20)
        self.source = PictureSource(cache_bytes=128 << 20)
        scale = THUMB_LONGEST / max(timeline.reel.width, timeline.reel.height)
        width, height = (max(8, round(s * scale / 2) * 2) for s in (timeline.reel.width, timeline.reel.height))
        self.size = (width, height)
        # Planned at twice the size and averaged down, as the file's own frames are.
        self._plan_size = (2 * self.size[0], 2 * self.size[1])
        self._shown: dict[int, Thumb] = {}
        self._planned: dict[tuple[int, str | None], Thumb] = {}

    def close(self) -> None:
        self.file.close()
        self.source.close()

    def shown(self, number: int) -> Thumb:
        """What the file shows for frame `number` of the reel."""
        if number not in self._shown:
            self._shown[number] = self._thumb(self.file.frame(number - self.frames.start))
        return self._shown[number]

    def clip(self, number: int, placed: PlacedClip) -> Thumb:
        """What frame `number` would show if `placed` were on screen."""
        width, height = self._plan_size
        return self._thumb(self.source.render(plan(self.timeline, number, width, height, clip=placed)))

    def late(self, number: int, placed_transition: PlacedTransition, by: int) -> Thumb:
        """What frame `number` would show if a transition came so many frames late."""
        width, height = self._plan_size
        return self._thumb(self.source.render(late_plan(self.timeline, number, width, height, placed_transition, by)))

    def of(self, timeline: Timeline, number: int) -> Thumb:
        """What another reel would show at a frame."""
        width, height = self._plan_size
        return self._thumb(self.source.render(plan(timeline, number, width, height)))

    def planned(self, number: int, without: str | None = None) -> Thumb:
        """What the reel means to show, with all its accents or without one lane of them."""
        key = (number, without)
        if key not in self._planned:
            width, height = self._plan_size
            meant = plan(self.timeline, number, width, height, without=without)
            self._planned[key] = self._thumb(self.source.render(meant))
            if len(self._planned) > KEPT_THUMBS:
                self._planned.pop(next(iter(self._planned)))
        return self._planned[key]

    def _thumb(self, picture: Picture) -> Thumb:
        """The picture small: luma and both chromas, shape (height, width, 3)."""
        planes = [cv2.resize(p, self.size, interpolation=cv2.INTER_AREA) for p in picture]
        return np.asarray(np.dstack(planes), dtype=np.float32)


def check_rendered(timeline: Timeline, path: Path, part: tuple[float, float] | None = None) -> Report:
    """Return the reel's check with what was measured in the exported file; of a file that has only a part of the reel (seconds of
    it), the check of that part.

    Raises TempikError when the file cannot be read or is not an export of this reel (other rate or length).
    An event that cannot be told from its neighbours in the picture (a cut between equal pictures) has no measure.
    """
    planned = check_reel(timeline)
    frames = frames_of_part(timeline, part)
    begin_s, end_s = (time_of(n, timeline.rate) for n in (frames.start, frames.stop))
    film = _Film(timeline, str(path), frames)
    try:
        index = film.file.index
        if len(index.pts) != len(frames) or index.rate != timeline.rate:
            raise TempikError(
                f"{path} has {len(index.pts)} frames at {float(index.rate):g} a second and the reel "
                f"{len(frames)} at {float(timeline.rate):g}; export the reel again and check that file."
            )
        offset_ms = sound_offset_ms(timeline, str(path), begin_s)
        known = [e for e in planned.events if begin_s - 1e-6 <= e.time_s < end_s - 1e-6]
        heard = measured_sounds(timeline, str(path), offset_ms, known, begin_s)
        events = [heard.get((e.lane, e.part), e) if e.kind == "sound" else _measured(film, e, offset_ms) for e in known]
    finally:
        film.close()
    return msgspec.structs.replace(report(events, planned.notes, offset_ms), levels=levels_of(str(path)))


def levels_of(path: str) -> Levels | None:
    """Return how loud a file sounds; None for one without sound."""
    meter = Meter()
    try:
        for block in sound_blocks(path, RATE):
            meter.add(np.ascontiguousarray(block))
    except TempikError:
        return None
    found = meter.found()
    return Levels(found.integrated, found.momentary, found.peak_db)


def sound_offset_ms(timeline: Timeline, path: str, begin_s: float = 0.0) -> float:
    """Return how much later the song sounds in the file than on the reel, found by correlation within 0.2 s; the file begins at an
    instant of the reel. Sounds laid under the reel are left out where there is anything else: they are measured by themselves. A
    file without sound has none that could come late."""
    from scipy.signal import correlate  # takes a second to load, so only where a file is measured

    rate = 12000
    try:
        heard = decode_sound(path, rate, mono=True, whole=True).samples[:, 0].astype(np.float64)
    except TempikError:
        return 0.0
    whole = mix(Timeline(msgspec.structs.replace(timeline.reel, sound_lanes=(), sound_clips=())))
    if not np.any(whole.samples):
        whole = mix(timeline)
    step = whole.rate // rate
    meant = whole.samples.mean(axis=1)[: len(whole.samples) // step * step]
    meant = meant.reshape(-1, step).mean(axis=1).astype(np.float64)[round(begin_s * rate) :]
    if float(np.abs(meant).max(initial=0.0)) < 1e-4:
        return 0.0  # a silent reel sounds right anywhere
    # The loudest twenty seconds are enough, and bound the work on a long reel.
    span = min(len(meant), len(heard), 20 * rate)
    energy = np.concatenate([[0.0], np.cumsum(meant**2)])
    sums = energy[span:] - energy[:-span]
    start = int(sums[: max(1, len(heard) - span + 1)].argmax())
    reach = rate // 5
    a = meant[start : start + span]
    b = np.zeros(span + 2 * reach)
    low, high = max(0, start - reach), min(len(heard), start + span + reach)
    b[low - (start - reach) : low - (start - reach) + high - low] = heard[low:high]
    match = correlate(b, a, mode="valid", method="fft")
    top = int(match.argmax())
    place = float(top)
    if 0 < top < len(match) - 1:
        left, here, right = match[top - 1 : top + 2]
        bend = left - 2 * here + right
        place += 0.5 * (left - right) / bend if bend < 0 else 0.0
    # Averaging `step` samples moved the meant sound half a block later than the decoder's own resampling.
    return float((place - reach) / rate * 1000 - (step - 1) / 2 / whole.rate * 1000)


def _measured(film: _Film, event: Event, offset_ms: float) -> Event:
    find = {
        "cut": _cut_frame,
        "transition": _turn_frame,
        "accent": _accent_frame,
        "pin": _registered_frame,
        "word": _word_frame,
    }
    frame = find[event.kind](film, event)
    if frame is None or frame not in film.frames:
        return event
    first = film.frames.start
    shown_s = float(film.file.index.times_s[frame - first]) + time_of(first, film.timeline.rate)
    measured_ms = (shown_s - event.point_s) * 1000 - offset_ms
    ok = event.ok and abs(measured_ms) * float(film.timeline.rate) / 1000 <= HALF_FRAME + 0.06
    return msgspec.structs.replace(event, measured_ms=measured_ms, ok=ok)


def _window(film: _Film, event: Event, reach: int = AROUND) -> range:
    return range(max(film.frames.start, event.frame - reach), min(film.frames.stop, event.frame + reach + 1))


def _cut_frame(film: _Film, event: Event) -> int | None:
    """Return the first frame that looks like the clip after the cut rather than like the one before it going on.

    Both are taken with the accents of that frame, so that a flash on the cut does not hide it.
    """
    if event.frame == film.frames.start:
        return event.frame
    # With other layers on screen, or in a transition of another track, neither clip is what the file shows: the plan is.
    around = [film.timeline.layers_at(event.frame + k) for k in (-1, 0)]
    if any(len(seen) > 1 or any(layer.placed_transition is not None for layer in seen) for seen in around):
        return _registered_frame(film, event)
    old, new = film.timeline.clip_at(event.frame - 1), film.timeline.clip_at(event.frame)
    if old is None or new is None or _alike(film.clip(event.frame, old), film.clip(event.frame, new)) > 0.98:
        return _registered_frame(film, event)
    for number in _window(film, event):
        shown = film.shown(number)
        if _alike(shown, film.clip(number, new)) > _alike(shown, film.clip(number, old)):
            return number
    return None


def _turn_frame(film: _Film, event: Event) -> int | None:
    """Return the first frame of the file that shows a transition past its half: more of the incoming picture than of the outgoing.

    How far the transition has come in a frame of the file is told by what it looks like.
    """
    timeline = film.timeline
    placed = next((p for p in timeline.placed if p.first == event.frame and timeline.transition_of(p.clip.id)), None)
    placed_transition = timeline.transition_of(placed.clip.id) if placed is not None else None
    if placed_transition is None or placed_transition.kind is None:
        return _cut_frame(film, event)
    if (
        _alike(
            film.late(placed_transition.turn, placed_transition, 2 * placed_transition.frames),
            film.late(placed_transition.turn, placed_transition, -2 * placed_transition.frames),
        )
        > 0.98
    ):
        return _registered_frame(film, event)
    return next(
        (
            n
            for n in _window(film, event)
            if progress_at(placed_transition, n - _lateness(film, placed_transition, n) + 0.5) > 0.5
        ),
        None,
    )


def _lateness(film: _Film, placed_transition: PlacedTransition, number: int) -> int:
    """Return by how many frames a transition has come late where the file is at frame `number`: the whole file, or the transition alone.

    A file that shows what is planned is told at once; of others every lag is tried.
    """
    shown = film.shown(number)
    costs = {0: _apart(shown, film.planned(number))}
    lags = [k for k in range(-AROUND, AROUND + 1) if k and number - k in film.frames]
    for lag in lags:
        costs[lag] = _apart(shown, film.planned(number - lag))
    if costs[0] > SURE * min(costs[k] for k in lags):
        for lag in lags:
            costs[lag] = min(costs[lag], _apart(shown, film.late(number, placed_transition, lag)))
    return min(costs, key=lambda k: (costs[k], abs(k)))


def _word_frame(film: _Film, event: Event) -> int | None:
    """Return the frame at which a word of a title comes in the file: how much of it is there, frame by frame, between the reel
    with the word all along and the reel without it, laid over how much is meant to be."""
    early, late = (_with_word_moved(film.timeline, event, by) for by in (-3 * AROUND, 3 * AROUND))
    if early is None or late is None:
        return _registered_frame(film, event)
    window = range(max(film.frames.start, event.frame - AROUND), min(film.frames.stop, event.frame + 2 * AROUND + 1))
    meant, shown = {}, {}
    for number in window:
        there, gone = film.of(early, number), film.of(late, number)
        word = there - gone
        where = np.abs(word).max(axis=2) > LEAST_WORD
        if where.sum() < 2:
            continue
        size = float((word[where] ** 2).sum())
        # How much of the word is there, by what it adds where it stands.
        meant[number], shown[number] = (
            float(((picture - gone)[where] * word[where]).sum()) / size
            for picture in (film.planned(number), film.shown(number))
        )
    costs = {
        lag: float(np.mean([abs(shown[n + lag] - meant[n]) for n in pairs]))
        for lag in range(-3, 4)
        if len(pairs := [n for n in meant if n + lag in shown]) >= AROUND
    }
    if not costs or max(meant.values()) - min(meant.values()) < 0.3:
        return None
    return event.frame + min(costs, key=lambda lag: (costs[lag], abs(lag)))


def _with_word_moved(timeline: Timeline, event: Event, frames: int) -> Timeline | None:
    """Return the reel with the word of an event so many frames later, None where it is not found."""
    placed = timeline.placed_clip(event.lane)
    if placed is None or "word" not in placed.clip.keys:
        return None
    keys = list(placed.clip.keys["word"])
    at = [frame for frame, _, _ in timeline.keyed(placed)["word"]]
    number = min(range(len(at)), key=lambda n: abs(at[n] - event.frame))
    time_s = max(0.0, time_of(at[number] + frames, timeline.rate) + timeline.start_s)
    keys[number] = msgspec.structs.replace(keys[number], time_s=time_s, point=None)
    clip = msgspec.structs.replace(placed.clip, keys={**placed.clip.keys, "word": tuple(keys)})
    clips = tuple(clip if c.id == clip.id else c for c in timeline.reel.clips)
    return Timeline(msgspec.structs.replace(timeline.reel, clips=clips))


def _accent_frame(film: _Film, event: Event) -> int | None:
    """Return the first frame at which the accent is at its fullest in the file."""
    found = next((f for f in film.timeline.accent_lanes if f.lane.id == event.lane), None)
    pulse = next((p for p in found.pulses if p.frame == event.frame), None) if found is not None else None
    accent = CATALOGUE.get(event.what)
    if pulse is None or accent is None:
        return _registered_frame(film, event)
    if accent.family in ("shade", "time", "lens"):
        # What these change depends on what is seen, so that the fullest frame need not differ the most.
        lagged = _registered_frame(film, event)
        if lagged is not None or accent.family == "time":
            return lagged
    gap = max(1, round(pulse.gap_s * float(film.timeline.rate)) - 1)
    window = range(
        max(film.frames.start, event.frame - AROUND), min(film.frames.stop, event.frame + min(AROUND, gap) + 1)
    )
    measure = _displacement if accent.family == "movement" else _light if accent.family == "light" else _apart
    least = LEAST_MOVED_PX if accent.family == "movement" else LEAST_APART
    plain = [film.planned(n, pulse.lane) for n in window]
    full = _fullest([measure(film.shown(n), p) for n, p in zip(window, plain, strict=True)], least)
    # Another accent may hide this one on its fullest frame, a flash above all: then the plan too has it fullest later.
    meant = _fullest([measure(film.planned(n), p) for n, p in zip(window, plain, strict=True)], least)
    if full is None or meant is None:
        return _registered_frame(film, event)
    if full == meant or _as_planned(film, pulse, full - meant, window):
        return event.frame
    return event.frame + full - meant


def _as_planned(film: _Film, pulse: Pulse, by: int, window: range) -> bool:
    """Tell whether a file looks more like the reel than like the reel with one lane of accents so many frames later: coding noise
    can make another frame of a shake the fullest."""
    late = copy.copy(film.timeline)
    late.accent_lanes = [_moved(f, by) if f.lane.id == pulse.lane else f for f in late.accent_lanes]
    planned, moved = (
        sum(_apart(film.shown(n), picture(n)) for n in window) for picture in (film.planned, lambda n: film.of(late, n))
    )
    return planned < moved


def _moved(found: EvaluatedLane, by: int) -> EvaluatedLane:
    """Return a lane of accents that fires so many frames later."""
    return found._replace(
        pulses=[p._replace(frame=p.frame + by) for p in found.pulses], starts=[s + by for s in found.starts]
    )


def _fullest(sizes: list[float], least: float) -> int | None:
    """Return the first place that is as good as the largest, None where none stands out. Through a hold the picture moves
    on under the accent: the first that is as good as full begins it."""
    found = np.array(sizes)
    if not len(found) or not np.isfinite(found).all() or found.max() - found.min() < least:
        return None
    found -= found.min()
    return int(np.flatnonzero(found >= FULL * found.max())[0])


def _light(shown: Thumb, plain: Thumb) -> float:
    """Return how much of the way to white the one is lighter than the other."""
    room = max(235 - float(plain[..., 0].mean()), 4.0)
    return float(abs((shown[..., 0] - plain[..., 0]).mean())) / room * 100


def _apart(shown: Thumb, plain: Thumb) -> float:
    return float(np.abs(shown - plain).mean())


def _displacement(shown: Thumb, plain: Thumb) -> float:
    """Return how far the one must be moved, turned and scaled to lie on the other: the mean way of the frame's corners, in
    pixels of the small pictures; infinite where they cannot be registered. By enhanced correlation (Evangelidis and
    Psarakis 2008), to which light and contrast make no difference."""
    a, b = (np.ascontiguousarray(t[..., 0]) for t in (plain, shown))
    height_px, wide = a.shape
    start = np.eye(2, 3, dtype=np.float32)
    everywhere = np.full(a.shape, 255, np.uint8)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-4)
    try:
        alike, matrix = cv2.findTransformECC(a, b, start, cv2.MOTION_AFFINE, stop, everywhere, 5)
    except cv2.error:
        return float("inf")
    if alike < REGISTERED:
        return float("inf")  # under a flash, in a file of low quality, there is too little left to lay on the other
    corners = np.array([[0, 0, 1], [wide, 0, 1], [0, height_px, 1], [wide, height_px, 1.0]])
    return float(np.hypot(*(corners @ np.asarray(matrix).T - corners[:, :2]).T).mean())


def _registered_frame(film: _Film, event: Event) -> int | None:
    """Return the frame that shows what the plan has at the event, by matching the stretch around it at each lag."""
    window = _window(film, event)
    planned = [film.planned(n) for n in window]
    spread = [float(np.abs(b - a).mean()) for a, b in zip(planned, planned[1:], strict=False)]
    if not spread or max(spread) < 1.0:
        return None  # nothing moves, so every lag looks the same
    costs: dict[int, float] = {}
    for lag in range(-3, 4):
        pairs = [
            float(np.abs(film.shown(n + lag) - p).mean())
            for n, p in zip(window, planned, strict=True)
            if n + lag in film.frames
        ]
        if pairs:
            costs[lag] = float(np.mean(pairs))
    best = min(costs, key=lambda lag: (costs[lag], abs(lag)))
    rest = [c for lag, c in costs.items() if lag != best]
    # How much a step of one frame should cost: where the file tells less apart, its picture does not say. A frame other than the planned
    # one is believed on twice that.
    step = float(np.mean(spread)) * (TELLS if best == 0 else 2 * TELLS)
    if rest and min(rest) < costs[best] + max(0.02 * costs[best] + 0.02, step):
        return None
    return event.frame + best


def _alike(a: Thumb, b: Thumb) -> float:
    """Return the correlation of two pictures, 1 for the same up to brightness and contrast."""
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / (np.sqrt((a * a).sum() * (b * b).sum()) + 1e-6))
