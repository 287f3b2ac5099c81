"""What an export will come to, from a few stretches of the reel that are really written: its size, and how long it takes."""

from __future__ import annotations

import tempfile
import threading
import time
from pathlib import Path
from typing import NamedTuple

import av
import numpy as np

from tempik.deliver.order import OrderedFile
from tempik.formats import CONTAINERS, format_of
from tempik.render.encoding import hardware, software
from tempik.render.export_settings import Cancelled, frames_of_part
from tempik.render.film import KEY_EVERY_S, Film, write_film
from tempik.render.stills import write_poster
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import timeline_of

# Stretches that are tried, spread over the reel, and how many frames each has.
STRETCHES, FRAMES = 8, 12
START_S = 1.0  # until the first frame, and to finish the file
MASTER_SHARE = 0.006  # seconds of work for each second of sound
# What short stretches are against the whole, seen on drawn and on filmed footage: an encoder that looks back has less to look at in them
# (0.81 to 0.86 of the size), and opening files and encoders for each takes its time (1.5 to 2.2 times as long).
WHOLE_SIZE, WHOLE_TIME = 1.18, 0.6
LOOK_BACK = ("h264", "hevc", "av1", "vp9")
# What 24 bits of stereo come to in FLAC, on music (from a first reel's own sound: 0.34).
FLAC_SHARE = 0.4


class Expected(NamedTuple):
    """Bytes and seconds that an export is expected to take."""

    size_bytes: int
    seconds: float

    @property
    def text(self) -> str:
        """How large the file will be and how long it takes, in words."""
        mb = self.size_bytes / 1e6
        size = f"{mb:.1f} MB" if mb < 100 else f"{mb / 1000:.1f} GB" if mb >= 1000 else f"{mb:.0f} MB"
        return f"about {size}, {duration_text(self.seconds)}"


def duration_text(seconds: float) -> str:
    """Return a duration as people say it."""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def expected(made: OrderedFile, cancel: threading.Event | None = None) -> Expected:
    """Return what a file of an order is expected to come to. Writes some stretches of it into a folder that goes again.
    Raises TempikError, and Cancelled when `cancel` is set."""
    timeline, settings = timeline_of(made.reel), made.settings
    kind = format_of(made.target, settings.format)
    frames = frames_of_part(timeline, settings.part)
    seconds = len(frames) / float(timeline.rate)
    if kind.kind == "sound":
        share = FLAC_SHARE if kind.key == "flac" else 1.0
        return Expected(round(seconds * RATE * 6 * share), START_S + seconds * MASTER_SHARE * 8)
    cancel = cancel or threading.Event()
    assert settings.size is not None
    with tempfile.TemporaryDirectory(prefix="tempik-") as folder:
        if kind.kind in ("frames", "picture"):
            return _pictures(made, Path(folder), frames, kind.kind == "picture", cancel)
        container = CONTAINERS[made.target.suffix.lower()]
        chip = None
        if settings.hardware and not settings.clear:
            chip = hardware(kind, settings.quality, settings.size, timeline.rate)
        encoder = chip or software(kind, settings.quality, None, settings.clear)
        whole, first, rest, took, count = 0, list[int](), list[int](), 0.0, 0
        for part in stretches(frames):
            path = Path(folder) / f"part{made.target.suffix}"
            begun = time.monotonic()
            film = Film(timeline, part, settings.size, encoder, None, None, settings.clear)
            write_film(path, container, film, None, cancel)
            took, count = took + time.monotonic() - begun, count + len(part)
            sizes = packets_of(path)
            whole += path.stat().st_size
            first += sizes[:1]
            rest += sizes[1:]
        each = took / max(count, 1)
    if not rest:
        size = whole / max(count, 1) * len(frames)
    else:
        # A frame that stands by itself comes at the start and then as often as the encoder is told; others follow from what is before.
        keys = 1 if kind.key in ("gif", "webp") else max(1.0, seconds / KEY_EVERY_S)
        size = keys * float(np.mean(first)) + (len(frames) - keys) * float(np.mean(rest))
    if count < len(frames):
        size *= WHOLE_SIZE if kind.key in LOOK_BACK else 1.0
        each *= WHOLE_TIME
    if settings.sound and not kind.silent:
        size += seconds * (RATE * 6 if kind.sound else container.sound_bit_rate / 8)
    if settings.limit_mb is not None:
        size = settings.limit_mb * 0.95e6
    return Expected(round(size), START_S + each * len(frames) + MASTER_SHARE * seconds)


def stretches(frames: range) -> list[range]:
    """Return stretches from the middle of even parts of a reel, all of it where it is short: its ends are unlike the rest."""
    if len(frames) <= STRETCHES * FRAMES:
        return [frames]
    step = len(frames) / STRETCHES
    firsts = [round((n + 0.5) * step - FRAMES / 2) for n in range(STRETCHES)]
    return [frames[first : first + FRAMES] for first in firsts]


def packets_of(path: Path) -> list[int]:
    """Return the bytes of a film's frames, in the order in which they are stored."""
    with av.open(str(path)) as read:
        return [packet.size for packet in read.demux(video=0) if packet.size]


def _pictures(made: OrderedFile, folder: Path, frames: range, one: bool, cancel: threading.Event) -> Expected:
    timeline, settings = timeline_of(made.reel), made.settings
    assert settings.size is not None
    size, took, tried = 0, 0.0, [frames[len(frames) // 2]] if one else [part[0] for part in stretches(frames)]
    for number in tried:
        if cancel.is_set():
            raise Cancelled
        begun = time.monotonic()
        path = folder / f"p{number}{made.target.suffix if one else '.png'}"
        write_poster(timeline, path, number, settings.size, settings.quality, settings.clear)
        took, size = took + time.monotonic() - begun, size + path.stat().st_size
    count = 1 if one else len(frames)
    return Expected(round(size / len(tried) * count), START_S + took / len(tried) * count)


__all__ = ["Expected", "duration_text", "expected"]
