"""Commands on how the song is read and heard: keys, menus and the Rhythm page's buttons do these."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QObject, Signal

from tempik.desktop.commands.registry import command
from tempik.desktop.playback.transport import Transport
from tempik.desktop.session.document import Project
from tempik.digits import plural
from tempik.edit.song import points
from tempik.reel import PointChoice, Reel, beats_between, metre_of
from tempik.reel.points import points_of
from tempik.reel.soundtrack import BeatSource

POINTS_FILTER = "Points (*.csv *.txt *.mid *.midi);;All files (*)"
SAME_S = 0.03
SAVE_FILTER = "CSV (*.csv);;Labels, tab-separated (*.txt);;MIDI tempo map (*.mid)"


class RhythmCommands(QObject):
    """How the song is read, which points are used, tapping along, and how it is listened to."""

    tapped = Signal()  # the taps are others

    def __init__(self, project: Project, transport: Transport) -> None:
        super().__init__(project)
        self.project, self.transport, self.listening = project, transport, transport.listening
        self.taps: list[float] = []

    # Reading

    @command("Rhythm", "Half the tempo", (), "song")
    def half_tempo(self) -> None:
        self.project.change("Half the tempo", lambda reel: points.with_pace(reel, Fraction(1, 2)))

    @command("Rhythm", "Double the tempo", (), "song")
    def double_tempo(self) -> None:
        self.project.change("Double the tempo", lambda reel: points.with_pace(reel, Fraction(2)))

    @command("Rhythm", "Shift beats by half a beat", (), "song")
    def half_a_beat_later(self) -> None:
        self.project.change("Beats shifted by half a beat", points.with_half_a_beat)

    @command("Rhythm", "A bar begins here", ("1",), "song")
    def bar_here(self) -> None:
        """Begin bars on the selected beat, or the one nearest to the playhead."""
        chosen = [p for p in self.project.selection.points_of() if p.beat and not p.part]
        song = self.project.reel.soundtrack
        if not chosen and song is not None:
            here = self.transport.song_s
            near = beats_between(song, here - 4, here + 4)
            chosen = sorted(near, key=lambda p: abs(p.time_s - here))[:1]
        if not chosen:
            self.project.messages.say("There is no beat near the playhead for a bar to begin on.", True)
            return
        self.project.change("Bars begin here", lambda reel: points.with_one(reel, chosen[0].id))

    def set_metre(self, metre: int) -> None:
        """Count so many beats to a bar; 0 as found."""
        self.project.change("Bar counted anew", lambda reel: points.with_metre(reel, metre))

    def set_way(self, way: BeatSource) -> None:
        """Read the beats from another source: as found, a grid, followed, or one's own."""
        self.project.change("Beats read another way", lambda reel: points.with_beat_source(reel, way))

    # Choice

    def choose(self, choice: PointChoice, inside: bool) -> None:
        """Choose points over the whole song, or within the marked stretch."""
        marked = self.listening.marked if inside else None
        a, b = marked if marked is not None else (0.0, None)
        self.project.change("Points chosen", lambda reel: points.with_choice_in(reel, choice, a, b))

    # Tapping

    @command("Rhythm", "Tap a point along with the song", ("T",), "song")
    def tap(self) -> None:
        """Take a tap at what is sounding now."""
        if not self.transport.player.playing:
            self.project.messages.say("Play the song (Space) and tap T along with it.", True)
            return
        self.tap_at(self.transport.song_s)

    def tap_at(self, song_s: float) -> None:
        """Take a tap at an instant of the song."""
        self.taps.append(song_s)
        self.tapped.emit()

    def forget_taps(self) -> None:
        """Let go of what was tapped."""
        self.taps = []
        self.tapped.emit()

    def take_taps(self, snapped: bool) -> None:
        """Place the taps as points, less one's own lateness, on the attacks or as tapped."""
        from tempik.rhythm.taps import read_taps

        song = self.project.reel.soundtrack
        if song is None or not self.taps:
            return
        read = read_taps(self.taps, song.heard.onsets if song.heard else ())
        wanted = [t for t in (read.snapped if snapped else read.corrected) if t <= song.length_s]
        # A point that is in use already is not wanted twice.
        there = [p.time_s for p in points_of(song)]
        marks = [(t, "") for t in wanted if abs((points.nearest(there, t) or -1.0) - t) > SAME_S]
        what = f"{plural(len(marks), 'point')} tapped"
        if len(marks) < len(wanted):
            what += f"; {len(wanted) - len(marks)} were there already"
        if not marks:
            self.project.messages.say("Every tap meets a point that is in use already.", False)
            self.forget_taps()
        elif self.project.change(what, lambda reel: points.with_points(reel, marks)):
            self.forget_taps()

    def take_tempo(self) -> None:
        """Read the whole song by the tapped tempo."""
        from tempik.rhythm.taps import beats_from_taps

        song = self.project.reel.soundtrack
        if song is None:
            return
        onsets = song.heard.onsets if song.heard else ()
        metre = metre_of(song)

        def read(reel: Reel) -> Reel:
            return points.with_own_beats(reel, beats_from_taps(self.taps, onsets, song.length_s, metre))

        if self.project.change("Tempo tapped", read):
            self.forget_taps()

    # Listening

    @command("Rhythm", "Clicks on the points", ("K",), "song")
    def toggle_clicks(self) -> None:
        self.listening.set_clicks(not self.listening.clicks)

    @command("Rhythm", "Loop the marked stretch", ("L",), "song")
    def toggle_loop(self) -> None:
        if self.listening.marked is None:
            self.project.messages.say("Mark a stretch first: drag along the bar numbers on the Rhythm page.", True)
            return
        self.listening.set_looping(not self.listening.looping)

    @command("Rhythm", "Play slower: 1, ¾, ½", ("Shift+L",), "song")
    def next_pace(self) -> None:
        from tempik.render.hearing import PACES

        at = PACES.index(self.listening.pace) if self.listening.pace in PACES else 0
        self.listening.set_pace(PACES[(at + 1) % len(PACES)])
