"""Commands on the readings of the song's beats: the next one that was heard, a certain one, the song heard anew."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from tempik.desktop.commands.registry import command
from tempik.desktop.playback.listening import Listening
from tempik.desktop.session.document import Project
from tempik.edit.song.readings import bars_in_use, bars_of, readings_of, with_bars_heard, with_reading_heard
from tempik.reel import Reel


class ReadingCommands(QObject):
    """Steps through the readings with the clicks on. Going round leads every tie back to where it was, so long as
    nothing else was changed in between."""

    asked = Signal()  # the readings are to be seen
    anew_asked = Signal()  # the song is to be analysed anew

    def __init__(self, project: Project, listening: Listening) -> None:
        super().__init__(project)
        self.project, self.listening = project, listening
        self._from: Reel | None = None  # the reel before the first step through the readings, and after the last
        self._to: Reel | None = None

    def read_as_heard(self, number: int) -> None:
        """Read the song another way that was heard, with the clicks on."""
        reel = self.project.reel
        if self._from is None or self._to is not reel:
            self._from = reel
        base = self._from
        song = base.soundtrack
        found = readings_of(song) if song is not None else ()
        if song is None or not found:
            self.project.messages.say("No beat was heard in the song; tap T along while it plays.", True)
            return
        same = song.reading.rival == number and song.reading.beat_source != "own"
        what = f"Reading {number + 1} of {len(found)}"
        if number < len(found):
            what += f": {found[number].tempo_bpm:.1f} BPM"
        if self.project.change(what, lambda _: base if same else with_reading_heard(base, number)):
            self._to = self.project.reel
            self.listening.set_clicks(True)
        self.asked.emit()

    @command("Rhythm", "The next reading of the beats that was heard", ("Shift+K",), "song")
    def next_reading(self) -> None:
        """Read the song the next way that was heard."""
        song = self.project.reel.soundtrack
        count = len(readings_of(song)) if song is not None else 0
        if song is not None and count == 1:
            message = "One reading was heard in the song; halve, double or shift it, or tap T along."
            self.project.messages.say(message, False)
            return
        now = song.reading.rival if song is not None and song.reading.beat_source != "own" else -1
        self.read_as_heard((now + 1) % max(1, count))

    @command("Rhythm", "The next way to count bars that was heard", ("Shift+B",), "song")
    def next_bars(self) -> None:
        """Count the song's bars the next way that was heard."""
        song = self.project.reel.soundtrack
        ways = bars_of(song) if song is not None else ()
        if song is None or len(ways) < 2:
            self.project.messages.say("No other bars were heard for these beats; press 1 where a bar begins.", True)
            return
        self.count_as_heard((bars_in_use(song) + 1) % len(ways))

    def count_as_heard(self, number: int) -> None:
        """Count the song's bars another way that was heard, with the clicks on."""
        song = self.project.reel.soundtrack
        ways = bars_of(song) if song is not None else ()
        if not 0 <= number < len(ways):
            return
        way = ways[number]
        what = f"Bars {number + 1} of {len(ways)}: {way.metre} beats, {way.belief * 100:.0f} % likely"
        if self.project.change(what, lambda reel: with_bars_heard(reel, number)):
            self.listening.set_clicks(True)
        self.asked.emit()

    @command("Rhythm", "Find the song's beats anew", (), "song")
    def hear_anew(self) -> None:
        """Find the beats of the song anew; what is tied follows to the nearest beat."""
        self.anew_asked.emit()
