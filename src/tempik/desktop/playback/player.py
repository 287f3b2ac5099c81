"""Playing: sound goes out, and its clock says which frame is due. The sound never waits for the picture."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray
from PySide6.QtCore import QByteArray, QElapsedTimer, QIODevice, QObject, QTimer, Signal
from PySide6.QtMultimedia import QAudioDevice, QAudioFormat, QAudioSink, QMediaDevices

from tempik.media import Sound
from tempik.time import frame_on_screen, time_of
from tempik.timeline.timeline import Timeline

TICK_MS = 4
SOUND_RATE = 48000
RESAMPLED = 2048  # samples at a time for a device of another rate
BROKEN = (1, 2, 4)  # QAudio's errors of opening, of going on, and fatal ones; an underrun is none
TELL_S = 1 / 60
# How far the smooth clock may stray from what the sound device reports before it is set right.
DRIFT_S = 0.012
# Beyond this it is set right at once: sound was interrupted.
LOST_S = 0.1
# A device has begun once it has played this much, and is dead if it has not after that long.
FIRST_SOUND_S = 0.03
DEAD_DEVICE_S = 4.0


class Samples16(Protocol):
    """Samples as the device takes them, shape (count, 2): an array, or what is made as it is read."""

    def __len__(self) -> int: ...

    def __getitem__(self, wanted: slice, /) -> NDArray[np.int16]: ...


class Track(NamedTuple):
    """What is played: its samples, the reel's instant at the first one, and the share of its pace it plays at.

    A whole song begins before the reel does, at a negative instant.
    """

    samples: Samples16  # (count, 2); may still be filled by a thread that keeps ahead of playing
    rate: int
    start_s: float = 0.0
    pace: float = 1.0

    def sample_at(self, reel_s: float) -> int:
        """Return the number of the sample that is due at an instant of the reel."""
        return min(max(0, round((reel_s - self.start_s) / self.pace * self.rate)), len(self.samples))

    @property
    def end_s(self) -> float:
        """The second of the reel at which it ends."""
        return self.start_s + len(self.samples) / self.rate * self.pace


def as_integers(sound: Sound) -> NDArray[np.int16]:
    """Return a sound as the device takes it: shape (n, 2), full scale at ±32767."""
    return np.asarray(np.clip(sound.samples, -1, 1) * 32767, dtype=np.int16)


class _Feed(QIODevice):
    """Hands a track to the sound device as it asks for it, round a loop or with silence after its end; to one of another rate
    resampled."""

    def __init__(
        self,
        samples: Samples16,
        first: int,
        loop: tuple[int, int] | None,
        parent: QObject,
        resampler: AudioResampler | None = None,
    ) -> None:
        super().__init__(parent)
        self.samples = samples
        self._at, self._loop = first, loop
        self._resampler, self._held = resampler, b""
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def renew(self, samples: Samples16) -> None:
        """Go on with the same sound made anew."""
        self.samples = samples

    def readData(self, most: int) -> bytes:
        if self._resampler is None:
            return self._next(most)
        while len(self._held) < most:
            part = np.frombuffer(self._next(4 * RESAMPLED), np.int16).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(part, "s16", "stereo")
            frame.sample_rate = SOUND_RATE
            self._held += b"".join(f.to_ndarray().tobytes() for f in self._resampler.resample(frame))
        out, self._held = self._held[: most // 4 * 4], self._held[most // 4 * 4 :]
        return out

    def _next(self, most: int) -> bytes:
        wanted = most // 4
        parts = []
        while wanted > 0:
            end = self._loop[1] if self._loop is not None else len(self.samples)
            part = self.samples[self._at : min(self._at + wanted, end)]
            if len(part):
                parts.append(part.tobytes())
                self._at += len(part)
                wanted -= len(part)
            elif self._loop is not None and self._loop[1] > self._loop[0]:
                self._at = self._loop[0]
            else:
                parts.append(bytes(4 * wanted))
                wanted = 0
        return b"".join(parts)

    def writeData(self, data: QByteArray | bytes | bytearray | memoryview, length: int) -> int:
        return 0

    def bytesAvailable(self) -> int:
        return 4 * max(0, len(self.samples) - self._at) + 1 + super().bytesAvailable()

    def isSequential(self) -> bool:
        return True


class Player(QObject):
    """The transport. `due` is emitted when another frame of the reel should be on screen, `at` with the reel's instant
    that sounds, about sixty times a second."""

    due = Signal(int)
    at = Signal(float)
    message = Signal(str)  # what became of the sound device
    state_changed = Signal(bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._timeline: Timeline | None = None
        self._track = Track(np.zeros((0, 2), np.int16), 48000)
        self._loop: tuple[float, float] | None = None
        self._devices = QMediaDevices(self)
        self._devices.audioOutputsChanged.connect(self._devices_changed)
        self._device: QAudioDevice | None = None
        self._playing_on = b""  # the device that plays, or played last
        self._sink: QAudioSink | None = None
        self._feed: _Feed | None = None
        self._clock = QElapsedTimer()
        self._start_s = self._end_s = 0.0
        self._shift_s: float | None = None  # from the monotonic clock to the device's, None until it sounds
        self._reached_s = 0.0
        self._told_s = 0.0
        self._timer = QTimer(self)
        self._timer.setTimerType(self._timer.timerType().PreciseTimer)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._frame = 0

    @property
    def playing(self) -> bool:
        """Whether it plays now."""
        return self._timer.isActive()

    @property
    def has_sound_card(self) -> bool:
        """Whether there is a device to hear it on."""
        return not self._output().isNull()

    def _output(self) -> QAudioDevice:
        """Return the sound device, asked for once and again when devices come or go: asking can take long."""
        if self._device is None:
            self._device = QMediaDevices.defaultAudioOutput()
        return self._device

    def _devices_changed(self) -> None:
        """Go on with the device that there is now: one was plugged in, or that which played is gone."""
        before, self._device = self._playing_on, None
        if not self.playing:
            return
        now = self._output()
        if now.isNull() or bytes(now.id().data()) != before:
            self._take_device(self.position_s())

    def _sink_changed(self) -> None:
        """A device that fails while it plays is let go; time goes on without it."""
        if self._sink is not None and self.playing and int(self._sink.error().value) in BROKEN:
            self._device = None
            self._take_device(self.position_s(), but=self._playing_on)

    def _take_device(self, from_s: float, but: bytes = b"") -> None:
        """Play on from an instant on the device that there is, unless it is one that has just failed."""
        had = self._sink is not None
        self._drop_sink()
        self._start_s, self._reached_s, self._shift_s = from_s, 0.0, None
        self._clock.restart()
        self._open(from_s, but)
        if self._sink is None and had:
            self.message.emit("The sound device is gone; playing goes on without sound.")
        elif self._sink is not None:
            self.message.emit("Playing on another sound device.")

    def load(self, timeline: Timeline) -> None:
        """Take another timeline. Playing goes on over a change of the reel that leaves its length."""
        shorter = self._timeline is not None and timeline.frames != self._timeline.frames
        self._timeline = timeline
        if self.playing and shorter and self._loop is None:
            self.pause()

    def renew(self, track: Track) -> None:
        """Take the same sound made anew, with its clicks moved say, while it plays."""
        same = len(track.samples) == len(self._track.samples) and track[1:] == self._track[1:]
        if self._feed is not None and same:
            self._track = track
            self._feed.renew(track.samples)

    def play(self, track: Track, from_s: float, end_s: float, loop: tuple[float, float] | None = None) -> None:
        """Play a track from one instant of the reel to another, or round and round between the ends of a loop."""
        self._halt()
        self._track, self._loop = track, loop
        self._start_s, self._end_s = from_s, end_s
        self._frame = -1
        self._shift_s, self._reached_s, self._told_s = None, 0.0, -1e9
        self._open(from_s)
        self._clock.start()
        self._timer.start()
        self.state_changed.emit(True)

    def _open(self, from_s: float, but: bytes = b"") -> None:
        """Begin to play on the device that there is; one that will not open is left, and time kept without it."""
        device, track, loop = self._output(), self._track, self._loop
        name = b"" if device.isNull() else bytes(device.id().data())
        self._playing_on = name
        if device.isNull() or (but and name == but):
            return
        form = QAudioFormat()
        form.setSampleRate(track.rate)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        resampler = None
        if not device.isFormatSupported(form) and device.preferredFormat().sampleRate() > 0:
            form.setSampleRate(device.preferredFormat().sampleRate())
            resampler = AudioResampler("s16", "stereo", form.sampleRate())
        self._sink = QAudioSink(device, form, self)
        self._sink.setBufferSize(form.sampleRate() * 4 // 10)
        self._sink.stateChanged.connect(self._sink_changed)
        bounds = (track.sample_at(loop[0]), track.sample_at(loop[1])) if loop is not None else None
        self._feed = _Feed(track.samples, track.sample_at(from_s), bounds, self, resampler)
        self._sink.start(self._feed)
        if int(self._sink.error().value) in BROKEN:
            self._sink = None

    def pause(self) -> None:
        """Stop where the playhead is."""
        if self.playing:
            self._halt()
            self.state_changed.emit(False)

    def position_s(self) -> float:
        """Return the instant of the reel that is sounding now; it never goes back while playing, but round a loop."""
        run = self._clock.nsecsElapsed() * 1e-9
        if self._sink is not None:
            run = self._heard_s(run, self._sink.processedUSecs() * 1e-6)
        self._reached_s = max(self._reached_s, run)
        now = self._start_s + self._reached_s * self._track.pace
        if self._loop is not None and now > self._loop[1] > self._loop[0]:
            now = self._loop[0] + (now - self._loop[0]) % (self._loop[1] - self._loop[0])
        return now

    def _heard_s(self, elapsed_s: float, played_s: float) -> float:
        """Return how much has been heard: the device's own count, made smooth by the monotonic clock.

        A device takes a moment, some take seconds, before the first sound leaves it; until then nothing moves.
        """
        if self._shift_s is None:
            if played_s < FIRST_SOUND_S:
                if elapsed_s < DEAD_DEVICE_S:
                    return 0.0
                self._drop_sink()  # it will not play: keep time without it
                self._clock.restart()
                return 0.0
            self._shift_s = played_s - elapsed_s
        off = played_s - (elapsed_s + self._shift_s)
        if abs(off) > DRIFT_S:
            self._shift_s += off if abs(off) > LOST_S else 0.1 * off
        return elapsed_s + self._shift_s

    def _halt(self) -> None:
        self._timer.stop()
        self._drop_sink()

    def _drop_sink(self) -> None:
        if self._sink is not None:
            sink, self._sink = self._sink, None  # what it says while it stops is no fault
            sink.stop()
            sink.deleteLater()
        if self._feed is not None:
            self._feed.close()
            self._feed.deleteLater()
            self._feed = None

    def _tick(self) -> None:
        if self._timeline is None:
            return
        now = self.position_s()
        if now >= self._end_s and self._loop is None:
            if abs(self._end_s - time_of(self._timeline.frames, self._timeline.rate)) < 1e-6:  # the reel, not the song
                self.due.emit(self._timeline.frames - 1)
            self.at.emit(self._end_s)
            self.pause()
            return
        frame = frame_on_screen(max(now, 0.0), self._timeline.rate)
        if now >= 0 and frame != self._frame and frame < self._timeline.frames:
            self._frame = frame
            self.due.emit(frame)
        if abs(now - self._told_s) >= TELL_S * self._track.pace:
            self._told_s = now
            self.at.emit(now)
