"""The Rhythm page: the whole song with its points, how its beats are read, which points are used, and listening."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tempik.desktop.commands.points import place_named
from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.rhythm.controls import KINDS, PACES, RhythmControls
from tempik.desktop.pages.rhythm.readings_strip import ReadingsStrip
from tempik.desktop.pages.rhythm.view import RhythmView
from tempik.digits import plural
from tempik.reel import PointChoice, beats_between, is_beat, is_steady, metre_of
from tempik.reel.points import tempo_of
from tempik.rhythm.records import Analysis, belief_word
from tempik.time import frame_of, time_of


class RhythmPage(RhythmControls):
    """Song view on the left; the count, reading, choice and listening on the right; what is selected below."""

    name, title, key = "rhythm", "Rhythm", "F2"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.listening, self.transport = context.listening, context.transport
        self.commands, self.points = context.rhythm, context.points
        self.view = RhythmView(context.project, context.song, context.listening)
        self.strip = ReadingsStrip(context.project, self.view)
        self.strip.chosen.connect(context.readings.read_as_heard)
        self._seen: Analysis | None = None  # the analysis whose readings are shown or put away
        self._filling = False
        self._make_reading()
        self._make_choice()
        self._make_listening()
        self._make_foot()
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
        self._filling = True
        there = song is not None
        for widget in (
            self.way,
            self.half,
            self.double,
            self.later,
            self.metre,
            self.one,
            self.kind,
            self.least,
            self.go_to,
        ):
            widget.setEnabled(there)
        if song is not None:
            heard, reading = song.heard, song.reading
            self.way.setCurrentIndex(max(0, self.way.findData(reading.beat_source)))
            self.later.setChecked(reading.late != 0)
            self.metre.setValue(reading.metre)
            tempo = f"{tempo_of(song):.2f}".rstrip("0").rstrip(".") + " BPM" if tempo_of(song) else "no steady beat"
            if tempo_of(song) and heard is not None:
                tempo += f" · {metre_of(song)} in a bar · {'even grid' if is_steady(song) else 'followed'}"
                if reading.beat_source == "found" and not reading.rival:
                    tempo += f" · {belief_word(heard.confidence)} {heard.confidence * 100:.0f} %"
            self.tempo.setText(tempo)
            self._show_strip(heard)
            self._show_choice()
        else:
            self.tempo.setText("")
            self._show_strip(None)
        self.where.setEnabled(there and self.listening.marked is not None)
        if self.listening.marked is None:
            self.where.setCurrentIndex(0)
        self.clicks.setChecked(self.listening.clicks)
        self.loud.setValue(round(self.listening.level * 100))
        self.loop.setChecked(self.listening.looping)
        self.loop.setEnabled(self.listening.marked is not None)
        for button, (pace, _) in zip(self.paces, PACES, strict=True):
            button.setChecked(pace == self.listening.pace)
        self._show_foot()
        self._cursor_moved(self.view.cursor_s)
        self._filling = False

    def _show_strip(self, heard: Analysis | None) -> None:
        """Show the readings of a song that was just heard where it is not sure of them, else as they were left."""
        if heard is not self._seen:
            self._seen = heard
            self.readings.setChecked(
                heard is not None and bool(heard.rivals) and belief_word(heard.confidence) != "sure"
            )
        self.readings.setEnabled(heard is not None and bool(heard.beats))
        self.strip.fill(self.readings.isChecked())

    def show_readings(self, wanted: bool) -> None:
        """Show or put away the readings over the wave."""
        self.readings.setChecked(wanted)

    def _show_choice(self) -> None:
        song = self.project.reel.soundtrack
        if song is None:
            return
        inside = self.where.currentIndex() == 1 and self.listening.marked is not None
        choice = song.choices[-1] if inside or len(song.choices) == 1 else song.choices[0]
        plain = PointChoice(choice.of, choice.every, "", choice.subdivision, 0.0, choice.bands)
        for number, (_, known) in enumerate(KINDS):
            if known == plain:
                self.kind.setCurrentIndex(number)
        if not self.least.isSliderDown():
            self.least.setValue(round(choice.at_least * 100))

    def _show_foot(self) -> None:
        chosen = self.project.selection.points_of()
        tapping = bool(self.commands.taps)
        for button in self.for_points:
            button.setVisible(bool(chosen) and not tapping)
        self.strength.setVisible(bool(chosen) and not tapping)
        for button in self.for_taps:
            button.setVisible(tapping)
        self.taps.setVisible(tapping)
        self.selection.setVisible(not tapping)
        if len(chosen) == 1:
            self.selection.setText(f"{chosen[0].label}  {chosen[0].time_s:.3f} s")
        elif chosen:
            self.selection.setText(plural(len(chosen), "point"))
        else:
            count = len(self.project.timeline.points)
            marked = (
                "drag the bar numbers to mark a stretch"
                if count
                else "tap T along while it plays, or place points with P"
            )
            self.selection.setText(
                f"{plural(count, 'point')} in use · {marked}" if self.project.reel.soundtrack else ""
            )
        if chosen:
            self.strength.setValue(round(sum(p.strength for p in chosen) / len(chosen) * 100))
            self.for_points[4].setText("unlock" if all(p.locked for p in chosen) else "lock")

    def _taps_changed(self) -> None:
        from tempik.rhythm.taps import FEWEST, read_taps

        self.view.show_taps(self.commands.taps)
        song = self.project.reel.soundtrack
        count = len(self.commands.taps)
        text = f"{count} tap{'s' if count != 1 else ''}"
        if song is not None and song.heard is not None and count >= FEWEST:
            late = read_taps(self.commands.taps, song.heard.onsets).late_s
            text += f", {abs(late) * 1000:.0f} ms {'late' if late >= 0 else 'early'}"
        self.taps.setText(text + ":")
        self.for_taps[2].setEnabled(count >= FEWEST)
        self._show_foot()
        self.view.refresh()

    def _cursor_moved(self, song_s: float) -> None:
        song = self.project.reel.soundtrack
        beats = beats_between(song, song_s - 8, song_s + 0.002) if song is not None else ()
        self.count.setText(beats[-1].label if beats else "–")
        if not self._filling:
            self.transport.seek_song(song_s)

    def follow(self, song_s: float) -> None:
        """Show where the song sounds, without asking for the playhead."""
        was, self._filling = self._filling, True
        self.view.go(song_s)
        self._filling = was

    # Acting

    def _metre_typed(self, metre: int) -> None:
        if not self._filling:
            self.commands.set_metre(metre)

    def _choose(self) -> None:
        plain: PointChoice = self.kind.currentData()
        # Every n-th is counted from the selected beat, where just one is.
        chosen = self.project.selection.points_of()
        counted = plain.of == "beats" and plain.every > 1 and len(chosen) == 1 and is_beat(chosen[0].id)
        first = chosen[0].id if counted else ""
        choice = PointChoice(plain.of, plain.every, first, plain.subdivision, self.least.value() / 100, plain.bands)
        self.commands.choose(choice, self.where.currentIndex() == 1)

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
