"""Listening to one sound by itself: one of the shelf while it is pointed at."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QByteArray, QIODevice, QObject, QTimer
from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

from tempik.desktop.session.jobs import Job, Worker
from tempik.media.audio import Samples
from tempik.reel import Reel
from tempik.render.sound_bank import SoundBank
from tempik.sounds.loudness import RATE

# A pointer that only passes by plays nothing.
REST_MS = 160
MOST_S = 8.0  # of a long sound


class _Once(QIODevice):
    """Hands a sound to the device, then silence."""

    def __init__(self, data: bytes, parent: QObject) -> None:
        super().__init__(parent)
        self._data, self._at = data, 0
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def readData(self, most: int) -> bytes:
        part = self._data[self._at : self._at + most]
        self._at += len(part)
        return part + bytes(most - len(part))

    def writeData(self, data: QByteArray | bytes | bytearray | memoryview, length: int) -> int:
        return 0

    def bytesAvailable(self) -> int:
        return max(0, len(self._data) - self._at) + 1 + super().bytesAvailable()

    def isSequential(self) -> bool:
        return True


class SoundSampler(QObject):
    """Plays the sound that is wanted, once it is made; another, or none, ends it."""

    def __init__(self, sound_bank: SoundBank, worker: Worker, parent: QObject) -> None:
        super().__init__(parent)
        self._sound_bank, self._worker = sound_bank, worker
        self._wanted: tuple[Reel, str] | None = None
        self._sink: QAudioSink | None = None
        self._feed: _Once | None = None
        self.playing = ""
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._begin)

    def want(self, reel: Reel, sound: str | None) -> None:
        """Play a sound after a moment; None: nothing."""
        self.stop()
        self._wanted = (reel, sound) if sound else None
        if sound:
            self._rest.start()

    def stop(self) -> None:
        """Play nothing, and let the device go."""
        self._rest.stop()
        self._wanted, self.playing = None, ""
        if self._sink is not None:
            self._sink.stop()
            self._sink.deleteLater()
            self._sink = None
        if self._feed is not None:
            self._feed.close()
            self._feed.deleteLater()
            self._feed = None

    def _begin(self) -> None:
        wanted = self._wanted
        if wanted is None:
            return
        reel, sound = wanted

        def work(job: Job) -> Samples:
            found = self._sound_bank.source(reel, sound)
            return found.samples[: round(MOST_S * RATE)] if found is not None else np.zeros((0, 2), np.float32)

        def done(samples: Samples) -> None:
            if self._wanted is wanted:
                self._play(sound, samples)

        self._worker.start("Listening", work, done, quiet=True)

    def play(self, samples: Samples) -> None:
        """Play samples at the rate of the mix."""
        self.stop()
        self._play("samples", samples)

    def _play(self, sound: str, samples: Samples) -> None:
        device = QMediaDevices.defaultAudioOutput()
        if device.isNull() or not len(samples):
            return
        form = QAudioFormat()
        form.setSampleRate(RATE)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        data = np.asarray(np.clip(samples, -1, 1) * 32767, dtype=np.int16).tobytes()
        self._feed = _Once(data, self)
        self._sink = QAudioSink(device, form, self)
        self._sink.start(self._feed)
        self.playing = sound
