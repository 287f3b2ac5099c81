"""The Rhythm page: the whole song with its points, how its beats are read, which points are used, and listening."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit

from tempik.desktop.commands.points import place_named
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.rhythm.controls import ChoosingFields, HearingFields, ReadingFields
from tempik.desktop.pages.rhythm.foot import Foot
from tempik.desktop.pages.rhythm.readings_strip import ReadingsStrip
from tempik.desktop.pages.rhythm.view import RhythmView
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import column, grid, holder, line, toggle
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures, words
from tempik.reel import beats_between
from tempik.rhythm.records import Analysis, belief_word
from tempik.time import frame_of, time_of

SIDE_W = 300


class RhythmPage(Page):
    """Song view on the left; the count, reading, choice and listening on the right; what is selected below."""

    name, title, key = "rhythm", "Rhythm", "F2"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.listening, self.transport = context.listening, context.transport
        self.commands, self.points = context.rhythm, context.points
        self.view = RhythmView(context.project, context.song, context.listening)
        self.strip = ReadingsStrip(context.project, self.view)
        self.strip.chosen.connect(context.readings.read_as_heard)
        self.strip.bars_chosen.connect(context.readings.count_as_heard)
        self._seen: Analysis | None = None  # the analysis whose readings are shown or put away
        self.reading = ReadingFields(self.commands)
        self.choosing = ChoosingFields(context.project, self.commands, self.listening)
        self.choosing.where_chosen.connect(self.refill)
        self.hearing, self.foot = HearingFields(context), Foot(context.project, self.commands, self.points)
        self._make_head()
        self._lay_out()
        for signal in (context.project.changed, context.project.selection.points_selected, context.listening.changed):
            signal.connect(self.want)
        context.rhythm.tapped.connect(self._taps_changed)
        context.readings.asked.connect(lambda: self.show_readings(True))
        self.view.cursor_moved.connect(self._cursor_moved)
        context.transport.song_placement.connect(self._sounding)
        context.project.playhead.moved.connect(self._playhead_moved)
        self._taps_changed()
        self.refill()

    def _make_head(self) -> None:
        self.count, self.tempo = Label("–"), Label()
        self.count.setFont(figures(34, True))
        marks.ink(self.count, "beat")
        self.count.setToolTip("bar.beat where the song sounds")
        self.tempo.setFont(words(13))
        self.go_to = QLineEdit()
        self.go_to.setPlaceholderText("bar.beat")
        self.go_to.setFont(figures(13))
        self.go_to.setFixedWidth(104)
        self.go_to.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.go_to.setToolTip("Jump to a bar and beat, such as 17.3 (J)")
        self.go_to.setAccessibleName("Jump to bar and beat")
        self.go_to.returnPressed.connect(self._jump)
        heard = "The readings that were heard, over the wave (Shift+K: the next; Shift+B: the next way to count bars)"
        self.readings = toggle("readings", heard, room="wide")
        self.readings.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.readings.toggled.connect(lambda _: self.strip.fill(self.readings.isChecked()))

    def _lay_out(self) -> None:
        groups = (self.reading, self.choosing, self.hearing)
        controls = grid(*(row for group in groups for row in group.lines()), spacing=(6, 4), wide=(1,))
        head = line(self.count, None, self.readings, self.go_to, spacing=8)
        side = holder(column(head, self.tempo, controls, None))
        side.setFixedWidth(SIDE_W)
        left = column(self.strip, (self.view, 1), self.foot)
        line((left, 1), side, over=self, spacing=12, margins=(12, 6, 14, 8))

    # Showing

    def entered(self) -> None:
        """The whole song plays from here on, from where it is looked at."""
        if not self.transport.in_song:
            self.follow(self.transport.song_s)
            self.transport.enter_song(self.view.cursor_s)

    def left(self) -> None:
        self.transport.leave_song()

    def takes(self) -> Mapping[str, Callable[[], object]]:
        taken: dict[str, Callable[[], object]] = {"select_all": self.points.select_all_points}
        if self.project.selection.points:
            taken["remove_clip"] = self.points.remove_points
        return taken

    def _sounding(self, song_s: float) -> None:
        if self.transport.in_song:
            self.follow(song_s)

    def _playhead_moved(self, frame: int) -> None:
        timeline = self.project.timeline
        # The cursor may stand between two frames; it is left there as long as this is its frame.
        elsewhere = frame_of(self.view.cursor_s - timeline.start_s, timeline.rate) != frame
        if self.transport.in_song and not self.transport.player.playing and elsewhere:
            self.follow(timeline.start_s + time_of(frame, timeline.rate))
            self.transport.enter_song(self.view.cursor_s)

    def refill(self) -> None:
        """Show the song's reading, the choice and the selection."""
        song = self.project.reel.soundtrack
        self.go_to.setEnabled(song is not None)
        self.tempo.setText(self.reading.show_song(song))
        self._show_strip(song.heard if song is not None else None)
        self.choosing.show_song(song)
        self.hearing.show_listening()
        self.foot.refill()
        self._show_count(self.view.cursor_s)

    def _show_strip(self, heard: Analysis | None) -> None:
        """Show the readings of a song that was just heard where it is not sure of them, else as they were left."""
        if heard is not self._seen:
            self._seen = heard
            self.readings.setChecked(
                heard is not None
                and bool(heard.beats)
                and (
                    belief_word(heard.confidence) != "sure"
                    or bool(heard.bars and belief_word(heard.bars[0].belief) == "unsure")
                )
            )
        self.readings.setEnabled(heard is not None and bool(heard.beats))
        self.strip.fill(self.readings.isChecked())

    def show_readings(self, wanted: bool) -> None:
        """Show or put away the readings over the wave."""
        self.readings.setChecked(wanted)

    def _taps_changed(self) -> None:
        self.view.show_taps(self.commands.taps)
        self.foot.refill()
        self.view.refresh()

    def _cursor_moved(self, song_s: float) -> None:
        self._show_count(song_s)
        self.transport.seek_song(song_s)

    def _show_count(self, song_s: float) -> None:
        song = self.project.reel.soundtrack
        beats = beats_between(song, song_s - 8, song_s + 0.002) if song is not None else ()
        self.count.setText(beats[-1].label if beats else "–")

    def follow(self, song_s: float) -> None:
        """Show where the song sounds, without asking for the playhead."""
        self.view.show_cursor(song_s)
        self._show_count(song_s)

    def _jump(self) -> None:
        if self.jump_to(self.go_to.text()):
            self.go_to.clear()
            self.view.setFocus()

    def jump_to(self, text: str) -> bool:
        """Go to a bar and beat such as `17.3`; says so where the song has none."""
        song = self.project.reel.soundtrack
        beat = place_named(beats_between(song, 0.0, song.length_s), text) if song is not None else None
        if beat is None:
            self.project.messages.say(f"The song has no beat '{text}'; give a bar and a beat, such as 17.3.", True)
            return False
        self.view.go(beat.time_s)
        return True
