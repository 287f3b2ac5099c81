"""Writing the reel in any of its formats: all of the file or none of it."""

from __future__ import annotations

import errno
import os
import threading
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import av

from tempik.disk.reading import is_regular
from tempik.disk.writing import fresh_file
from tempik.errors import TempikError
from tempik.formats import CONTAINERS, Container, Format, format_of
from tempik.grade.cube import lut_of
from tempik.project.sources import refuse_media
from tempik.render.encoding import Encoder, hardware, software
from tempik.render.export_settings import Cancelled, Exported, ExportSettings, Progress, frames_of_part
from tempik.render.film import EncoderFailed, Film, write_film
from tempik.render.mixdown import Mixdown
from tempik.render.sound_bank import message_of_sounds
from tempik.render.sound_file import metered, part_of, samples_of_part, write_sound
from tempik.render.stills import write_frames, write_poster
from tempik.sounds.loudness import Loudness, Meter
from tempik.time import frame_of, rate_text, time_of
from tempik.timeline.covering import gaps
from tempik.timeline.grading import luts_of
from tempik.timeline.inside import placed_within
from tempik.timeline.timeline import Timeline

__all__ = ["Cancelled", "ExportSettings", "Exported", "Progress", "export", "fit_to_write"]

MB = 1_000_000
# Of a limit, what the first attempt aims at, and after how many the last one has to have kept it.
AIM, ATTEMPTS = 0.95, 4
FEWEST_SOUND_BITS = 64_000
MOST_SHARE_OF_SOUND = 0.25


def export(
    timeline: Timeline,
    target: Path,
    settings: ExportSettings = ExportSettings(),
    progress: Progress | None = None,
    cancel: threading.Event | None = None,
) -> Exported:
    """Write the reel to `target` and say what came of it.

    Progress is called with frames done and frames in all. Raises Cancelled when `cancel` is set, and TempikError
    when the reel or the target is not fit; either way nothing half-written stays and an older file is untouched.
    """
    kind = fit_to_write(timeline, target, settings)
    size = settings.size or (timeline.reel.width, timeline.reel.height)
    cancel = cancel or threading.Event()
    if cancel.is_set():
        raise Cancelled
    frames = frames_of_part(timeline, settings.part)
    notes = [] if kind.kind == "sound" else _gap_notes(timeline, frames, settings.clear and bool(kind.clear))
    encoder, loudness = "", None
    try:
        if kind.kind == "sound":
            loudness = write_sound(timeline, target, settings.part, progress, cancel, settings.reel_level)
        elif kind.kind == "picture":
            at = frames[len(frames) // 2] if settings.at_s is None else frame_of(settings.at_s, timeline.rate)
            at = min(max(at, 0), timeline.frames - 1)
            write_poster(timeline, target, at, size, settings.quality, settings.clear)
        elif kind.kind == "frames":
            write_frames(timeline, target, frames, size, settings.quality, settings.clear, progress, cancel)
        else:
            task = _Task(timeline, target, kind, settings, size, frames, progress, cancel)
            encoder, loudness, more = _write_films(task)
            notes = more + notes
    except (av.error.FFmpegError, OSError, EncoderFailed) as error:
        raise TempikError(_write_failure(target, error.__cause__ or error)) from error
    return Exported((message_of_sounds(timeline) if loudness else []) + notes, encoder, _bytes_of(target), loudness)


def _gap_notes(timeline: Timeline, frames: range, clear: bool) -> list[str]:
    return [
        f"No clip covers {time_of(first, timeline.rate):.2f} to {time_of(end, timeline.rate):.2f} s: "
        + ("clear there." if clear else "black there.")
        for first, end in gaps(timeline)
        if first < frames.stop and end > frames.start
    ]


def fit_to_write(timeline: Timeline, target: Path, settings: ExportSettings) -> Format:
    """Return the format to write. Raises TempikError where the reel, the target or the settings are not fit."""
    if timeline.frames < 1 or not timeline.placed:
        raise TempikError("The reel has no clips yet; draft it or place some before exporting.")
    kind = format_of(target, settings.format)
    _check_settings(timeline, kind, settings)
    _check_target(timeline, target)
    return kind


def _check_settings(timeline: Timeline, kind: Format, settings: ExportSettings) -> None:
    if settings.quality not in kind.qualities:
        raise TempikError(f"There is no quality '{settings.quality}'; choose from {', '.join(kind.qualities)}.")
    if settings.size and any(not 16 <= s <= 8192 or s % 2 for s in settings.size):
        raise TempikError("The size must be two even numbers from 16 to 8192, such as 1080x1920.")
    if settings.size and kind.video in ("libsvtav1", "libx265") and min(settings.size) < 64:
        raise TempikError(f"{kind.name} begins at 64 pixels; choose a larger size or another format.")
    frames = frames_of_part(timeline, settings.part)
    if not len(frames):
        raise TempikError(f"The reel is {timeline.reel.length_s:g} s long; choose a part of it that has a frame.")
    if kind.kind == "film" and timeline.rate > kind.highest_rate:
        raise TempikError(
            f"{kind.name} shows at most {kind.highest_rate:g} frames a second and the reel has {rate_text(timeline.rate)}; "
            "choose a lower rate or another format."
        )
    if settings.limit_mb is not None:
        _check_limit(kind, settings, timeline, frames)


def _check_limit(kind: Format, settings: ExportSettings, timeline: Timeline, frames: range) -> None:
    assert settings.limit_mb is not None
    if kind.limited is None:
        raise TempikError(f"{kind.name} cannot be told a size; choose H.264, HEVC, AV1 or VP9, or leave the limit out.")
    width, height = settings.size or (timeline.reel.width, timeline.reel.height)
    seconds = len(frames) / float(timeline.rate)
    least = (kind.fewest * width * height * len(frames) + FEWEST_SOUND_BITS * settings.sound * seconds) / 8 / MB / AIM
    if not settings.limit_mb > 0 or settings.limit_mb < least:
        raise TempikError(
            f"{seconds:.1f} s at {width}×{height} need {least:.2g} MB in {kind.name} to be worth looking at; "
            f"raise the limit of {settings.limit_mb:g} MB, or choose a smaller size or a shorter part."
        )


def _check_target(timeline: Timeline, target: Path) -> None:
    if not target.absolute().parent.is_dir():
        raise TempikError(f"The folder {target.absolute().parent} is not there; choose another place.")
    if not os.access(target.absolute().parent, os.W_OK | os.X_OK):
        raise TempikError(
            f"{target} could not be written: there is no permission to write there; choose another place."
        )
    if target.is_dir():
        raise TempikError(f"{target} is a folder; choose another name.")
    song = timeline.reel.soundtrack
    sources = ([song.path] if song is not None else []) + [
        p.footage.path for p in placed_within(timeline) if not p.footage.without_file
    ]
    sources += luts_of(timeline)
    refuse_media(target, timeline.reel)
    gone = [s for s in dict.fromkeys(sources) if not is_regular(s)]
    if gone:
        more = f" (and {len(gone) - 1} more)" if len(gone) > 1 else ""
        raise TempikError(f"{gone[0]} is missing{more}; open the project in the window and say where it is.")
    for path in luts_of(timeline):
        lut_of(path)  # one that is damaged is said before anything is written


def _write_failure(target: Path, error: BaseException) -> str:
    number = getattr(error, "errno", None)
    if number == errno.ENOSPC:
        return f"{target} could not be written: no space is left there; free some or choose another place."
    if number in (errno.EACCES, errno.EPERM, errno.EROFS):
        return f"{target} could not be written: there is no permission to write there; choose another place."
    if number == errno.EEXIST:
        return f"{target} is there already; choose another name."
    if number == errno.ENOENT:
        return f"{target} could not be written: its folder has gone; choose another place."
    return f"{target} could not be written ({getattr(error, 'strerror', None) or error}); choose another place."


class _Task(NamedTuple):
    """A film that is to be written."""

    timeline: Timeline
    target: Path
    kind: Format
    settings: ExportSettings
    size: tuple[int, int]
    frames: range
    progress: Progress | None
    cancel: threading.Event

    @property
    def sounds(self) -> bool:
        return self.settings.sound and not self.kind.silent


def _write_films(task: _Task) -> tuple[str, Loudness | None, list[str]]:
    """Write a film: again by software where the chip's encoder fails, and again with fewer bits where a limit was not kept."""
    kind, settings = task.kind, task.settings
    container = CONTAINERS[task.target.suffix.lower()]
    container = container._replace(sound=kind.sound or container.sound)
    rate, notes = task.timeline.rate, list[str]()
    aim, by_chip, attempt = AIM, settings.hardware, 0
    while True:
        bits, sound_bits = None, None
        if settings.limit_mb is not None:
            bits, sound_bits = _share_out(settings.limit_mb * aim, len(task.frames) / rate, container, task.sounds)
        encoder = hardware(kind, settings.quality, task.size, rate, bits) if by_chip and not settings.clear else None
        if by_chip and encoder is None and not notes:
            notes.append(f"No encoder on a graphics chip starts here for {kind.name}; {kind.video} wrote it.")
        chosen = encoder or software(kind, settings.quality, bits, settings.clear)
        try:
            return chosen.name, _write_one(task, container, chosen, sound_bits), notes
        except EncoderFailed as failed:
            if not chosen.hardware:
                raise
            cause = failed.__cause__
            message = getattr(cause, "strerror", None) or cause or failed
            notes.append(f"{chosen.name} gave up on the way ({message}); {kind.video} wrote all of it.")
            by_chip = False
        except _TooLarge as large:
            attempt += 1
            assert settings.limit_mb is not None
            if attempt == ATTEMPTS:
                raise TempikError(
                    f"{task.target} would be {large.size / MB:.2f} MB, and {settings.limit_mb:g} MB cannot be kept; nothing "
                    "was written: choose a smaller size or a higher limit."
                ) from None
            aim *= settings.limit_mb * MB / large.size * AIM


class _TooLarge(Exception):
    def __init__(self, size: int) -> None:
        super().__init__(size)
        self.size = size


def _share_out(limit_mb: float, seconds: Fraction, container: Container, sound: bool) -> tuple[int, int | None]:
    """Return bits a second for pictures and for sound."""
    whole = limit_mb * MB * 8 / float(seconds)
    if not sound:
        return round(whole), None
    heard = round(min(container.sound_bit_rate, max(FEWEST_SOUND_BITS, whole * MOST_SHARE_OF_SOUND)))
    return max(round(whole - heard), 1000), heard


def _write_one(task: _Task, container: Container, encoder: Encoder, sound_bits: int | None) -> Loudness | None:
    """Write the film by one encoder, and return how loud it is. Raises _TooLarge where it is larger than its limit."""
    timeline, settings = task.timeline, task.settings
    meter, blocks = Meter(), None
    if task.sounds:
        heard = part_of(Mixdown(timeline), *samples_of_part(timeline, task.frames), task.settings.reel_level)
        blocks = metered(heard, meter)
    film = Film(timeline, task.frames, task.size, encoder, blocks, sound_bits, settings.clear)
    with fresh_file(task.target) as new:
        write_film(new.path, container, film, task.progress, task.cancel)
        size = new.path.stat().st_size
        if settings.limit_mb is not None and size > settings.limit_mb * MB:
            raise _TooLarge(size)
    return meter.found() if task.sounds else None


def _bytes_of(target: Path) -> int:
    try:
        if target.is_dir():
            return sum(p.stat().st_size for p in target.iterdir())
        return target.stat().st_size
    except OSError:
        return 0
