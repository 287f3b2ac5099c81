"""What is heard while editing: the reel or the whole song, with clicks on the points, slower, round a loop."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from tempik.desktop.playback.player import Track, as_integers
from tempik.desktop.session.document import Project
from tempik.desktop.session.song import Song
from tempik.media import Sound
from tempik.render import mix
from tempik.render.clip_sound import ClipTrack
from tempik.render.hearing import CLICK_S, slowed_blocks, with_clicks
from tempik.render.sound import SOUND_RATE
from tempik.timeline.placed import Placed

# A whole song with its clicks is made ready for this long from where playing begins.
AHEAD_S = 600.0


class Listening(QObject):
    """Settings of listening, and the tracks they give."""

    changed = Signal()

    def __init__(self, project: Project, song: Song, clip_track: Callable[[Placed], ClipTrack | None]) -> None:
        """`clip_track` gives the sound of a clip where it is ready."""
        super().__init__(project)
        self.project, self.song = project, song
        self.clicks = False
        self.level = 0.6
        self.pace = 1.0
        self.looping = False
        self._filling: threading.Event | None = None
        project.selection.marked_changed.connect(self._marked_changed)
        self._clip_track = clip_track

    def set_clicks(self, on: bool) -> None:
        self.clicks = on
        self.changed.emit()

    def set_level(self, level: float) -> None:
        self.level = level
        self.changed.emit()

    def set_pace(self, pace: float) -> None:
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
        self.looping = on and self.marked is not None
        self.changed.emit()

    def stop(self) -> None:
        """Let a slowed track that is still being made be."""
        if self._filling is not None:
            self._filling.set()
            self._filling = None

    def reel_track(self) -> Track:
        """Return the reel's own sound as it will be exported, with clicks where they are wanted."""
        timeline = self.project.timeline
        unread = Sound(np.zeros((0, 2), np.float32), SOUND_RATE)
        sound = mix(timeline, self.song.sound or unread, self._clip_track)
        return self._track(self._clicked(sound, 0.0), 0.0)

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
        if not self.clicks:
            return sound
        timeline = self.project.timeline
        end_s = start_s + sound.length_s
        clicks = [
            (timeline.reel_s(p), p.beat == 1 and not p.part)
            for p in timeline.points
            if start_s - CLICK_S <= timeline.reel_s(p) <= end_s
        ]
        return with_clicks(sound, clicks, self.level, start_s)

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
