"""The reel's sound while editing: the same blocks as the export's, from wherever playing begins, and its gain made ready."""

from __future__ import annotations

import threading
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.playback.clip_sounds import ClipSounds
from tempik.desktop.playback.rolling import Rolling
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.session.song import Song
from tempik.media import Sound
from tempik.media.audio import Samples
from tempik.render.footage_sounds import heard_clips
from tempik.render.hearing import CLICK_S, with_clicks
from tempik.render.mastering import BLOCK, load_filters
from tempik.render.mixdown import Mixdown
from tempik.render.sound_bank import SoundBank
from tempik.sounds.loudness import RATE
from tempik.time import time_of
from tempik.timeline.sound_triggers import evaluated_sound_lanes
from tempik.timeline.timeline import Timeline

# What is dragged changes the mix many times a second; it is measured when it rests.
REST_MS = 350
NEAR_MS = 120
LONG_S = 120.0  # a reel that is longer is not mixed as a whole while it plays
Clicks = Iterable[tuple[float, bool]]


class ReelSound(QObject):
    """Gives the reel's sound block by block. `changed` says that more of it is ready, or that it is as loud as it will be."""

    changed = Signal()

    def __init__(self, project: Project, song: Song, clip_sounds: ClipSounds, worker: Worker) -> None:
        super().__init__(project)
        self.project, self.song, self.clip_sounds, self._worker = project, song, clip_sounds, worker
        self.sound_bank = SoundBank()
        self.design_alone = False
        self.playing: Mixdown | None = None  # what is heard, or was last
        self._gain = 1.0
        self._measured: tuple[object, ...] = ()  # of what the gain is
        self._job: Job | None = None
        self._ahead: Job | None = None
        self._kept: tuple[tuple[object, ...], Mixdown] | None = None
        self._lock = threading.Lock()  # on what is kept
        self._stop: threading.Event | None = None
        self._near = QTimer(self, singleShot=True, interval=NEAR_MS)
        self._near.timeout.connect(self._make_ahead)
        project.playhead.moved.connect(self._near.start)
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._make)
        project.changed.connect(self._rest.start)
        song.changed.connect(self._rest.start)
        clip_sounds.changed.connect(self._clips_ready)

    def _clips_ready(self) -> None:
        self._rest.start()
        self.changed.emit()

    def retry(self, paths: list[str]) -> None:
        """Read files that are there again, of which nothing could be heard."""
        self.sound_bank.forget()
        self.clip_sounds.retry(paths)
        self._kept, self._measured = None, ()
        self._rest.start()
        self.changed.emit()

    def set_design_alone(self, on: bool) -> None:
        """Play the sounds laid under the reel without the song and the clips' own sound."""
        self.design_alone = on
        self._rest.start()
        self.changed.emit()

    @property
    def gain(self) -> float:
        """The master's gain as it was last measured."""
        return self._gain if self.project.reel.mix.loudness is not None else 1.0

    @property
    def ready(self) -> bool:
        """Whether the sound is as the export's will be."""
        return not self._rest.isActive() and self._job is None and _same(self._what(), self._measured)

    @property
    def _uncut(self) -> bool:
        """Whether there is nothing but the song."""
        reel = self.project.reel
        return not self.project.timeline.placed and not reel.sound_clips and not reel.sound_lanes

    def mixdown(self, made_only: bool = True) -> Mixdown:
        """Return the mix of the reel as it is; with `made_only` without what is still to be made."""
        return self._mixdown(self.project.timeline, made_only)

    def _mixdown(self, timeline: Timeline, made_only: bool) -> Mixdown:
        unread = Sound(np.zeros((0, 2), np.float32), RATE)
        song = self.song.sound or unread
        return Mixdown(
            timeline, song, self.clip_sounds.track, self.sound_bank, design_alone=self.design_alone, made_only=made_only
        )

    # What is heard

    def samples(self, starts_s: Sequence[float], clicks: Clicks, level: float) -> NDArray[np.int16] | Rolling:
        """Return the reel's sound as the device takes it, ready from some instants on; a thread goes on from the first of them faster
        than it is played, and then with what comes before; of a long reel with what comes next alone. Shape (n, 2), full scale at
        ±32767; `clicks` are laid over it."""
        self.stop()
        mixdown, gain = self._standing(), self.gain
        self.playing = self.mixdown()  # of its own: the other is the thread's
        clicks = sorted(clicks)
        blocks = -(-mixdown.count // BLOCK)
        starts = [_block_at(mixdown, s) for s in starts_s]
        stop = self._stop = threading.Event()

        def made(number: int) -> NDArray[np.int16]:
            with self._lock:
                block = mixdown.block(number, gain)
            return np.asarray(np.clip(_clicked(block, number * BLOCK, clicks, level), -1, 1) * 32767, np.int16)

        if mixdown.count > LONG_S * RATE:
            rolling = Rolling(mixdown.count, made, starts, stop)
            threading.Thread(target=rolling.go_ahead, name="mixing", daemon=True).start()
            self._measure_what_is_heard()
            return rolling
        out = np.zeros((mixdown.count, 2), np.int16)

        def take(number: int) -> None:
            block = made(number)
            out[number * BLOCK : number * BLOCK + len(block)] = block

        def rest() -> None:
            for number in (*range(starts[0], blocks), *range(starts[0])):
                if stop.is_set():
                    return
                take(number)

        if blocks:
            for number in starts:
                take(number)
            threading.Thread(target=rest, name="mixing", daemon=True).start()
        self._measure_what_is_heard()
        return out

    def _measure_what_is_heard(self) -> None:
        if self._uncut and not self.ready:
            self._rest.start()

    def _standing(self) -> Mixdown:
        """Return the mix that is kept while nothing changes, with what was made of it."""
        what = self._what()
        if self._kept is None or not _same(what, self._kept[0]) or self._kept[1].waits:
            self._kept = what, self.mixdown()
        return self._kept[1]

    def _make_ahead(self) -> None:
        """Make ready what sounds at the playhead, so that playing begins at once."""
        if self._ahead is not None or not (self.ready or self._uncut) or not self.project.timeline.frames:
            return
        mixdown, gain, timeline = self._standing(), self.gain, self.project.timeline
        number = _block_at(mixdown, time_of(self.project.playhead.frame, timeline.rate))

        def work(job: Job) -> None:
            load_filters()  # before anything is cut and played, where that is to come
            with self._lock:
                mixdown.block(number, gain)

        def ended() -> None:
            self._ahead = None

        self._ahead = self._worker.start("Mixing ahead", work, quiet=True, ended=ended)

    def whole(self, clicks: Clicks, level: float) -> Sound:
        """Return all of the reel's sound at once, with clicks laid over it."""
        self.playing = self.mixdown()
        clicks = sorted(clicks)
        blocks = [_clicked(block, n * BLOCK, clicks, level) for n, block in enumerate(self.playing.blocks(self.gain))]
        return Sound(np.concatenate(blocks) if blocks else np.zeros((0, 2), np.float32), RATE)

    def stop(self) -> None:
        """Let a mix that is still being made be."""
        if self._stop is not None:
            self._stop.set()
            self._stop = None

    # Making ready

    def _what(self) -> tuple[object, ...]:
        """Return what the mix is made of, to be told by identity."""
        reel, timeline = self.project.reel, self.project.timeline
        evaluated = evaluated_sound_lanes(timeline) if reel.sound_lanes else []
        heard = [x for p in heard_clips(timeline) for x in (p.map, self.clip_sounds.track(p))]
        records = (reel.soundtrack, reel.sounds, reel.sound_tracks, reel.sound_clips, reel.sound_lanes, reel.mix)
        told = (self.song.sound, self.design_alone, reel.length_s, reel.rate)
        return (*records, *told, *evaluated, *heard)

    def _make(self) -> None:
        """Make the sounds that are struck, and measure the mix, where either is another."""
        what, reel = self._what(), self.project.reel
        if self._job is not None or _same(what, self._measured):
            return
        timeline = self.project.timeline
        plain = reel.mix.loudness is None and not reel.sound_lanes and not reel.sound_clips
        if not timeline.frames or plain:
            self._measured = what
            self._near.start()
            return
        if self._uncut and self._stop is None:
            self._near.start()  # a song alone is measured once it is heard: most are cut first
            return

        def work(job: Job) -> float:
            return self._mixdown(timeline, False).gain()

        def done(gain: float) -> None:
            self._gain, self._measured = gain, what
            self.changed.emit()
            self._near.start()

        self._job = self._worker.start("Mixing", work, done, quiet=True, ended=self._ended)

    def _ended(self) -> None:
        self._job = None
        if not _same(self._what(), self._measured):
            self._rest.start()


def _same(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    return len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True))


def _block_at(mixdown: Mixdown, at_s: float) -> int:
    return min(max(int(at_s * RATE) // BLOCK, 0), max(-(-mixdown.count // BLOCK) - 1, 0))


def _clicked(block: Samples, first: int, clicks: list[tuple[float, bool]], level: float) -> Samples:
    """Return a block with the clicks that sound in it, the tail of one before it among them."""
    if not clicks:
        return block
    lead = round(CLICK_S * RATE)
    padded = np.concatenate([np.zeros((lead, 2), np.float32), block])
    a_s, b_s = (first - lead) / RATE, (first + len(block)) / RATE
    near = [c for c in clicks if a_s <= c[0] <= b_s]
    return with_clicks(Sound(padded, RATE), near, level, a_s).samples[lead:] if near else block
