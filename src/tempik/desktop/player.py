"""Playing: sound goes out, and its clock says which frame is due. The sound never waits for the picture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QByteArray, QElapsedTimer, QIODevice, QObject, QTimer, Signal
from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

from tempik.edit.timeline import Timeline
from tempik.media import Sound
from tempik.time import frame_on_screen, time_of

TICK_MS = 4
# How far the smooth clock may stray from what the sound device reports before it is set right.
DRIFT_S = 0.012
# Beyond this it is set right at once: sound was interrupted.
LOST_S = 0.1
# A device has begun once it has played this much, and is dead if it has not after that long.
FIRST_SOUND_S = 0.03
DEAD_DEVICE_S = 4.0


class _Feed(QIODevice):
    """Hands the mix to the sound device as it asks for it, silence after its end."""

    def __init__(self, samples: NDArray[np.int16], first: int, parent: QObject) -> None:
        super().__init__(parent)
        self._data = samples[first:].tobytes()
        self._at = 0
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def readData(self, most: int) -> bytes:
        most -= most % 4
        part = self._data[self._at : self._at + most]
        self._at += len(part)
        return part if len(part) == most else part + bytes(most - len(part))

    def writeData(self, data: QByteArray | bytes | bytearray | memoryview, length: int) -> int:
        return 0

    def bytesAvailable(self) -> int:
        return len(self._data) - self._at + super().bytesAvailable()

    def isSequential(self) -> bool:
        return True


class Player(QObject):
    """The transport. `due` is emitted when another frame should be on screen."""

    due = Signal(int)
    state_changed = Signal(bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._timeline: Timeline | None = None
        self._samples: NDArray[np.int16] = np.zeros((0, 2), np.int16)
        self._rate = 48000
        self._sink: QAudioSink | None = None
        self._feed: _Feed | None = None
        self._clock = QElapsedTimer()
        self._start_s = 0.0
        self._shift_s: float | None = None  # from the monotonic clock to the device's, None until it sounds
        self._reached_s = 0.0
        self._timer = QTimer(self)
        self._timer.setTimerType(self._timer.timerType().PreciseTimer)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._frame = 0

    @property
    def playing(self) -> bool:
        return self._timer.isActive()

    @property
    def has_sound_card(self) -> bool:
        return not QMediaDevices.defaultAudioOutput().isNull()

    def load(self, timeline: Timeline, mixed: Sound | None) -> None:
        """Take another timeline and its mix. Playing goes on over a change of picture alone."""
        same = self._timeline is not None and mixed is not None and len(mixed.samples) == len(self._samples)
        self._timeline = timeline
        if mixed is not None:
            self._samples = (np.clip(mixed.samples, -1, 1) * 32767).astype(np.int16)
            self._rate = mixed.rate
        if self.playing and not same:
            self.pause()

    def play(self, frame: int) -> None:
        """Play from a frame to the end of the reel."""
        if self._timeline is None or self._timeline.frames == 0:
            return
        self._halt()
        self._start_s = time_of(frame, self._timeline.rate)
        self._frame = frame
        self._shift_s, self._reached_s = None, 0.0
        device = QMediaDevices.defaultAudioOutput()
        if not device.isNull():
            form = QAudioFormat()
            form.setSampleRate(self._rate)
            form.setChannelCount(2)
            form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
            self._sink = QAudioSink(device, form, self)
            self._sink.setBufferSize(self._rate * 4 // 10)
            self._feed = _Feed(self._samples, round(self._start_s * self._rate), self)
            self._sink.start(self._feed)
            if int(self._sink.error().value) != 0:
                self._sink = None  # the device would not open: keep time without it
        self._clock.start()
        self._timer.start()
        self.state_changed.emit(True)

    def pause(self) -> None:
        """Stop where the playhead is."""
        if self.playing:
            self._halt()
            self.state_changed.emit(False)

    def position_s(self) -> float:
        """Return the instant of the reel that is sounding now; it never goes back while playing."""
        run = self._clock.nsecsElapsed() * 1e-9
        if self._sink is not None:
            run = self._heard_s(run, self._sink.processedUSecs() * 1e-6)
        self._reached_s = max(self._reached_s, run)
        return self._start_s + self._reached_s

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
            self._sink.stop()
            self._sink.deleteLater()
            self._sink = None
        if self._feed is not None:
            self._feed.close()
            self._feed.deleteLater()
            self._feed = None

    def _tick(self) -> None:
        if self._timeline is None:
            return
        frame = frame_on_screen(self.position_s(), self._timeline.rate)
        if frame >= self._timeline.frames:
            self.due.emit(self._timeline.frames - 1)
            self.pause()
        elif frame != self._frame:
            self._frame = frame
            self.due.emit(frame)
