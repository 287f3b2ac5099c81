"""What is heard while editing: the reel or the whole song, with clicks on the points, slower, round a loop."""

from __future__ import annotations

import threading

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from tempik.desktop.playback.player import Track, as_integers
from tempik.desktop.playback.reel_sound import ReelSound
from tempik.desktop.session.document import Project
from tempik.desktop.session.song import Song
from tempik.media import Sound
from tempik.render.hearing import CLICK_S, slowed_blocks, with_clicks
from tempik.render.sound import SOUND_RATE
from tempik.time import time_of

# A whole song with its clicks is made ready for this long from where playing begins.
AHEAD_S = 600.0


class Listening(QObject):
    """Settings of listening, and the tracks they give."""

    changed = Signal()

    def __init__(self, project: Project, song: Song, reel_sound: ReelSound) -> None:
        super().__init__(project)
        self.project, self.song = project, song
        self.clicks = False
        self.level = 0.6
        self.pace = 1.0
        self.looping = False
        self._filling: threading.Event | None = None
        project.selection.marked_changed.connect(self._marked_changed)
        self.reel_sound = reel_sound

    def set_clicks(self, on: bool) -> None:
        """Have a click on each point, or none."""
        self.clicks = on
        self.changed.emit()

    def set_level(self, level: float) -> None:
        """Set how loud the song is beside the clicks, 0 to 1."""
        self.level = level
        self.changed.emit()

    def set_pace(self, pace: float) -> None:
        """Listen slower or faster, at the same pitch; 1 is as it is."""
        self.pace = pace
        self.changed.emit()

    @property
    def marked(self) -> tuple[float, float] | None:
        """The marked stretch, in seconds of the song."""
        return self.project.selection.marked

    def _marked_changed(self) -> None:
        if self.marked is None:
            self.looping = False
        self.changed.emit()

    def set_looping(self, on: bool) -> None:
        """Play the marked stretch round and round, or on."""
        self.looping = on and self.marked is not None
        self.changed.emit()

    def stop(self) -> None:
        """Let a slowed track that is still being made be."""
        if self._filling is not None:
            self._filling.set()
            self._filling = None
        self.reel_sound.stop()

    def reel_track(self, *starts_s: float) -> Track:
        """Return the reel's own sound as it will be exported, with clicks where they are wanted, ready from some instants on."""
        timeline = self.project.timeline
        clicks = self._clicks(0.0, time_of(timeline.frames, timeline.rate))
        self.stop()
        if self.pace == 1.0:
            return Track(self.reel_sound.samples(starts_s or (0.0,), clicks, self.level), SOUND_RATE, 0.0)
        return self._track(self.reel_sound.whole(clicks, self.level), 0.0)

    def song_track(self, from_s: float, to_s: float) -> Track:
        """Return a stretch of the song itself, reel or not, in seconds of the song."""
        record, sound = self.project.reel.soundtrack, self.song.sound
        start_s = self.project.timeline.start_s
        if record is None or sound is None:
            return Track(np.zeros((round((to_s - from_s) * SOUND_RATE), 2), np.int16), SOUND_RATE, from_s - start_s)
        to_s = min(to_s, from_s + AHEAD_S)
        part = sound.samples[round(from_s * sound.rate) : round(to_s * sound.rate)]
        part = np.asarray(part * np.float32(10 ** (record.gain_db / 20)))
        reel_s = from_s - start_s
        return self._track(self._clicked(Sound(part, sound.rate), reel_s), reel_s)

    def _clicked(self, sound: Sound, start_s: float) -> Sound:
        clicks = self._clicks(start_s, start_s + sound.length_s)
        return with_clicks(sound, clicks, self.level, start_s) if clicks else sound

    def _clicks(self, start_s: float, end_s: float) -> list[tuple[float, bool]]:
        """Return the clicks between two instants of the reel, and whether each is of a downbeat; none while they are off."""
        timeline = self.project.timeline
        return [
            (timeline.reel_s(p), p.beat == 1 and not p.part)
            for p in (timeline.points if self.clicks else ())
            if start_s - CLICK_S <= timeline.reel_s(p) <= end_s
        ]

    def _track(self, sound: Sound, start_s: float) -> Track:
        self.stop()
        if self.pace == 1.0:
            return Track(as_integers(sound), sound.rate, start_s)
        return Track(self._slowing(sound), sound.rate, start_s, self.pace)

    def _slowing(self, sound: Sound) -> NDArray[np.int16]:
        """Return a slowed sound of which the first second is ready and the rest follows, faster than it is played."""
        out = np.zeros((round(len(sound.samples) / self.pace), 2), np.int16)
        blocks = slowed_blocks(sound, self.pace)
        stop = self._filling = threading.Event()
        at = 0

        def take() -> bool:
            nonlocal at
            block = next(blocks, None)
            if block is None or stop.is_set() or at >= len(out):
                return False
            part = as_integers(Sound(block[: len(out) - at], sound.rate))
            out[at : at + len(part)] = part
            at += len(part)
            return True

        def rest() -> None:
            while take():
                pass

        if take() and take():
            threading.Thread(target=rest, name="slowing", daemon=True).start()
        return out
