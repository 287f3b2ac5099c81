"""The transport: playing, stepping, and the frame that is on screen."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.playback.listening import Listening
from tempik.desktop.playback.loops import two_beats, worked_on
from tempik.desktop.playback.player import Player
from tempik.desktop.playback.preview_frames import PreviewFrames
from tempik.desktop.playback.preview_size import PreviewSize
from tempik.desktop.playback.reel_sound import ReelSound
from tempik.desktop.session.document import Project
from tempik.desktop.session.song import Song
from tempik.time import frame_of, rate_text, time_of

Loop = Literal["", "clip", "bars", "here"]
# After a change the timeline is painted before the preview is rendered.
FIRST_MS = 12


class Transport(QObject):
    """Moves the playhead, by playing or by steps, and has the preview follow it.

    On the Rhythm page (`in_song`) the whole song plays from the cursor there; else the reel plays.
    """

    song_placement = Signal(float)  # seconds of the song, while it plays
    looping_changed = Signal()

    image_shown = Signal(object)  # the QImage that is due, or None
    waits = Signal(bool)  # whether the picture at the playhead is still to come
    told = Signal(str)  # a sentence to be shown in the picture's place
    playback_told = Signal(str)  # how playback does

    def __init__(self, project: Project, song: Song, proxy: Callable[[str], str | None], reel_sound: ReelSound) -> None:
        super().__init__(project)
        self.project, self.song = project, song
        self.size = PreviewSize(lambda: project.reel)
        self.player = Player(self)
        self.frames = PreviewFrames(self, proxy)
        self.listening = Listening(project, song, reel_sound)
        self.in_song = False
        self.looping: Loop = ""
        self._about = 0  # the frame that two beats are looped about
        self.cursor_s = 0.0  # seconds of the song
        self.dropped = 0
        self.shown = -1  # the frame that the preview shows
        self._due = -1
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(FIRST_MS)
        self._soon.timeout.connect(self._render)
        self.player.due.connect(project.playhead.go)
        self.player.at.connect(self._sounds)
        self.player.state_changed.connect(self._state)
        self.player.message.connect(lambda text: project.messages.say(text, False))
        self.frames.ready.connect(self._ready)
        self.frames.failed.connect(self._failed)
        self.image_shown.connect(lambda image: self.waits.emit(False))
        project.playhead.moved.connect(self.show_frame)
        reel_sound.changed.connect(self.sound_changed)
        self.listening.changed.connect(self._listening_changed)

    # Playing

    @property
    def song_s(self) -> float:
        """Where the song sounds while it plays, else where the cursor or the playhead stands."""
        timeline = self.project.timeline
        if self.player.playing:
            return timeline.start_s + self.player.position_s()
        if self.in_song:
            return self.cursor_s
        return timeline.start_s + time_of(self.project.playhead.frame, timeline.rate)

    def play_pause(self) -> None:
        """Play from the playhead on, or pause."""
        if self.player.playing:
            self.player.pause()
            return
        timeline = self.project.timeline
        self.dropped, self._due, self.shown = 0, -1, -1
        if self.song.sound is None and timeline.reel.soundtrack is not None:
            self.project.messages.say("The song is still being read; playing without sound.", False)
        if self.in_song:
            self._play_song()
        elif timeline.frames:
            round_ = self.loop_frames()
            start = self.project.playhead.frame if self.project.playhead.frame < timeline.frames - 1 else 0
            if round_ is not None and not round_[0] <= start < round_[1]:
                start = round_[0]
            self.project.playhead.go(start)
            self.frames.want(start, True)
            end_s = time_of(timeline.frames, timeline.rate)
            loop = (time_of(round_[0], timeline.rate), time_of(round_[1], timeline.rate)) if round_ else None
            start_s = time_of(start, timeline.rate)
            track = self.listening.reel_track(start_s, *(loop[:1] if loop is not None else ()))
            self.player.play(track, start_s, end_s, loop)

    def enter_song(self, cursor_s: float) -> None:
        """From now on the whole song plays, from a cursor in seconds of it."""
        self.in_song = True
        self.cursor_s = cursor_s

    def leave_song(self) -> None:
        """From now on the reel plays."""
        self.in_song = False

    def set_looping(self, what: Loop) -> None:
        """Play the selected clip, the two bars around it, or two beats about what is worked on, round and round; "" plays on."""
        self.looping = what
        self._about = worked_on(self.project) if what == "here" else 0
        if self.player.playing and not self.in_song:
            self.player.pause()
            self.play_pause()
        self.looping_changed.emit()

    def loop_frames(self) -> tuple[int, int] | None:
        """Return the frames (first, end) that are looped, or None."""
        timeline, placed = self.project.timeline, self.project.selection.placed
        if self.looping == "here":
            return two_beats(timeline, self._about)
        if not self.looping or placed is None:
            return None
        if self.looping == "clip":
            return placed.first, placed.end
        bars = [timeline.frame_of_point(p) for p in timeline.beats if p.beat == 1]
        first = max((f for f in bars if f <= placed.first), default=0)
        later = [f for f in bars if f > first]
        end = next((f for f in later[1:] if f >= placed.end), timeline.frames)
        return first, min(end, timeline.frames)

    def _play_song(self) -> None:
        record, start_s = self.project.reel.soundtrack, self.project.timeline.start_s
        if record is None:
            return
        listening = self.listening
        if listening.looping and listening.marked is not None:
            a, b = listening.marked
            inside = a <= self.cursor_s < b
            track = listening.song_track(a, b)
            loop = (a - start_s, b - start_s)
            self.player.play(track, (self.cursor_s if inside else a) - start_s, loop[1], loop)
        else:
            begin = self.cursor_s if self.cursor_s < record.length_s - 0.05 else 0.0
            # The reel is a part of the song, so that its picture plays along where it is passed.
            track = listening.song_track(begin, record.length_s)
            self.player.play(track, begin - start_s, track.end_s)

    def _listening_changed(self) -> None:
        """Play on with what was changed: other clicks at once, another pace or loop from where it sounds."""
        if self.player.playing:
            self._play_on_from(self.song_s)

    def _play_on_from(self, song_s: float) -> None:
        self.player.pause()
        self.cursor_s = song_s
        self.play_pause()

    def points_changed(self) -> None:
        """Clicks follow the points while they play."""
        if self.player.playing and self.listening.clicks and self.in_song:
            self._listening_changed()

    def sound_changed(self) -> None:
        """What was not ready transitions in as soon as it is made, and what was changed is heard while it plays."""
        if self.player.playing and not self.in_song:
            self.player.renew(self.listening.reel_track(self.player.position_s()))

    def _sounds(self, reel_s: float) -> None:
        if self.in_song:
            self.cursor_s = self.project.timeline.start_s + reel_s
        self.song_placement.emit(self.project.timeline.start_s + reel_s)

    def _state(self, playing: bool) -> None:
        if not playing:
            self.listening.stop()
            if self.size.keep_up(0):
                self._size_changed()
        self.show_playback()

    # Stepping

    def step(self, frames: int) -> None:
        """Go by so many frames, backward below 0."""
        self.player.pause()
        self.project.playhead.go(self.project.playhead.frame + frames)

    def stops(self) -> list[int]:
        """Return the frames of cuts and points, in order."""
        timeline = self.project.timeline
        stops = {p.first for p in timeline.placed} | {timeline.frame_of_point(q) for q in timeline.on_reel()}
        return sorted(s for s in stops | {0} if 0 <= s < max(timeline.frames, 1))

    def previous_stop(self) -> None:
        """Go to the last place worth stopping at before the playhead."""
        self.player.pause()
        self.project.playhead.go(max((s for s in self.stops() if s < self.project.playhead.frame), default=0))

    def next_stop(self) -> None:
        """Go to the next place worth stopping at, such as a cut or a point."""
        self.player.pause()
        self.project.playhead.go(
            min((s for s in self.stops() if s > self.project.playhead.frame), default=self.project.playhead.frame)
        )

    def seek_song(self, song_s: float) -> None:
        """Go to an instant of the song; the playhead follows where the reel uses it, to that instant's own frame: the
        one on which a point there has its cut or flash."""
        self.cursor_s = song_s
        timeline = self.project.timeline
        frame = frame_of(song_s - timeline.start_s, timeline.rate)
        if self.player.playing:
            self._play_on_from(song_s)
        elif 0 <= frame < timeline.frames:
            self.project.playhead.go(frame)

    # The picture

    def reel_changed(self) -> None:
        """Show and play the reel as it is now."""
        self.player.load(self.project.timeline)
        # The window shows the change first; rendering on another thread would hold it up. Of a grade only the picture shows, and the
        # first picture of all takes longest.
        wait = not self.project.regraded and self.shown >= 0
        self.frames.load(self.project.timeline, self.size.pixels(), paused=wait, quick=self.project.gesture is not None)
        if wait:
            self._soon.start()
        else:
            self._render()
        self.points_changed()

    def _render(self) -> None:
        self.frames.go_on()
        self.show_frame(self.project.playhead.frame)

    def footage_changed(self) -> None:
        """Render anew: a file, or the proxy that stands for one, is another."""
        self.frames.load(self.project.timeline, self.size.pixels(), anew=True)
        self.show_frame(self.project.playhead.frame)

    def resized(self) -> None:
        """A view has another size."""
        self.frames.load(self.project.timeline, self.size.pixels())
        self.show_frame(self.project.playhead.frame)

    def set_full_size(self, wanted: bool) -> None:
        """Render the preview as large as the reel, or as large as it is seen."""
        self.size.set_full(wanted)
        self.resized()
        self.show_playback()

    def _size_changed(self) -> None:
        """Render at the size that keeps up."""
        self.frames.load(self.project.timeline, self.size.pixels())
        self.frames.want(self.project.playhead.frame, self.player.playing)
        self.show_playback()

    def show_frame(self, frame: int) -> None:
        """Show a frame of the reel, at once where it is ready."""
        timeline = self.project.timeline
        playing = self.player.playing
        if playing and self._due >= 0 and frame > self._due and timeline.placed:
            # Frames between the last due one and this were never shown, nor was the last if it came too late.
            missed = frame - self._due - 1 + (self.shown != self._due)
            self.dropped += missed
            if missed and self.size.count_late(frame):
                self._size_changed()
        self._due = frame
        if not timeline.frames or not timeline.placed:
            self.image_shown.emit(None)
            self.told.emit("The reel appears here.")
            return
        image = self.frames.want(frame, playing)
        fault = self.frames.fault(frame) if image is None else ""
        if image is not None:
            self.shown = frame
            self.image_shown.emit(image)
        elif fault:
            self._failed(frame, fault)
        else:
            self.waits.emit(True)
        if frame % 15 == 0 or not playing:
            self.show_playback()

    def _ready(self, frame: int) -> None:
        if frame < 0:  # all frames are made otherwise
            self.show_frame(self.project.playhead.frame)
            return
        if frame == self.project.playhead.frame and (self.shown != frame or not self.player.playing):
            image = self.frames.want(frame, self.player.playing)
            if image is not None:
                self.shown = frame
                self.image_shown.emit(image)

    def _failed(self, frame: int, text: str) -> None:
        if frame == self.project.playhead.frame:
            self.image_shown.emit(None)
            self.told.emit(text)

    def show_playback(self) -> None:
        """Tell how large and how smoothly the preview plays."""
        sound = "" if self.player.has_sound_card else " · silent"
        size = round(self.size.pixels()[1] / self.project.reel.height * 100)
        adapted = " (adapted)" if self.size.step else ""
        rate = rate_text(self.project.reel.rate)
        self.playback_told.emit(f"{size} % size{adapted} · {rate} fps · {self.dropped} dropped{sound}")

    def close(self) -> None:
        """Stop playing and making frames."""
        self.player.pause()
        self.listening.stop()
        self.frames.close()
