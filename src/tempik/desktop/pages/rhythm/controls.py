"""The controls of the Rhythm page, each group by itself: how the beats are read, which points are used, listening."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, Signal

from tempik.desktop.commands.rhythm import RhythmCommands
from tempik.desktop.pages.page import PageContext
from tempik.desktop.playback.listening import Listening
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import Dropdown, Slider, control_of
from tempik.desktop.widgets.form import Part, button, line, toggle
from tempik.edit.song.readings import bars_in_use
from tempik.reel import PointChoice, is_beat, is_steady, metre_of
from tempik.reel.points import tempi_of, tempo_of
from tempik.reel.soundtrack import Soundtrack
from tempik.rhythm.records import sure_words
from tempik.rhythm.tempi import tempo_words
from tempik.settings import Setting

WAYS = (("found", "as found"), ("grid", "one even grid"), ("followed", "followed"), ("own", "my own beats"))
KINDS: tuple[tuple[PointChoice, str], ...] = (
    (PointChoice(), "every beat"),
    (PointChoice(every=2), "every 2nd beat"),
    (PointChoice(every=4), "every 4th beat"),
    (PointChoice(every=8), "every 8th beat"),
    (PointChoice("downbeats"), "downbeats"),
    (PointChoice("downbeats", every=2), "every 2nd downbeat"),
    (PointChoice(subdivision=2), "beats and halves"),
    (PointChoice(subdivision=3), "beats and thirds"),
    (PointChoice(subdivision=4), "beats and quarters"),
    (PointChoice("onsets"), "onsets"),
    (PointChoice("onsets", bands=("kick",)), "kicks"),
    (PointChoice("onsets", bands=("snare",)), "snares"),
    (PointChoice("onsets", bands=("hat",)), "hats"),
    (PointChoice("onsets", bands=()), "none"),
)
PACES = ((1.0, "1"), (0.75, "¾"), (0.5, "½"))
METRE = Setting("metre", "beats in a bar", 0.0, 0, 32, "", digits=0, step=1, does="Beats in a bar; 0 is as found")


class ReadingFields(QObject):
    """How the beats are read: two lines."""

    def __init__(self, commands: RhythmCommands) -> None:
        super().__init__()
        self.way = Dropdown(WAYS)
        self.way.setToolTip("How the beats are read")
        self.way.setAccessibleName("How the beats are read")
        self.way.told.connect(commands.set_way)
        later = "Shift the beats by half a beat; again shifts them back"
        here = "A bar begins on the selected beat, or at the playhead (1)"
        self.half = button("½×", "Half the tempo", commands.half_tempo, "wide")
        self.double = button("2×", "Double the tempo", commands.double_tempo, "wide")
        self.later = toggle("+½", later, lambda _: commands.half_a_beat_later(), "wide")
        self.metre = control_of(METRE)
        self.metre.setSpecialValueText("bars as found")
        self.metre.setPrefix("bars of ")
        self.metre.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.metre.told.connect(lambda metre: commands.set_metre(int(metre)))
        self.one = button("bar begins here", here, commands.bar_here, "wide")
        for made in (self.half, self.double, self.later, self.one):
            made.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def lines(self) -> list[list[Part]]:
        """Return how they lie, for a grid."""
        return [
            ["beats", line((self.way, 1), self.half, self.double, self.later)],
            ["", line((self.metre, 1), self.one)],
        ]

    def show_song(self, song: Soundtrack | None) -> str:
        """Show how a song's beats are read; return its tempo in words."""
        for widget in (self.way, self.half, self.double, self.later, self.metre, self.one):
            widget.setEnabled(song is not None)
        if song is None:
            return ""
        heard, reading, tempo = song.heard, song.reading, tempo_of(song)
        self.way.show_value(reading.beat_source)
        self.later.setChecked(reading.late != 0)
        self.metre.show_value(reading.metre)
        if not tempo:
            return "no steady beat"
        text = tempo_words(tempi_of(song), 2)
        if heard is not None:
            text += f" · {metre_of(song)} in a bar · {'even grid' if is_steady(song) else 'followed'}"
            if reading.beat_source == "found" and not reading.rival:
                text += f"\n{sure_words(heard, bars_in_use(song))}"
        return text


class ChoosingFields(QObject):
    """Which of the song's points are used, and where: two lines. `where_chosen` tells that another stretch is looked at."""

    where_chosen = Signal()

    def __init__(self, project: Project, commands: RhythmCommands, listening: Listening) -> None:
        super().__init__()
        self.project, self.commands, self.listening = project, commands, listening
        self.kind = Dropdown(KINDS)
        self.kind.setAccessibleName("Which points are used")
        self.kind.setToolTip(
            "Which points are used; every n-th is counted from the selected beat, else from a downbeat"
        )
        self.kind.setMaxVisibleItems(20)
        self.kind.told.connect(lambda _: self._choose())
        self.least = Slider("Least strength", 95, "Only points at least this strong", "≥ ")
        self.least.settled.connect(self._choose)
        self.where = Dropdown(((False, "whole song"), (True, "marked stretch")))
        self.where.setAccessibleName("Where points are chosen")
        self.where.told.connect(lambda _: self.where_chosen.emit())

    def lines(self) -> list[list[Part]]:
        """Return how they lie, for a grid."""
        return [
            ["use", line((self.kind, 1), (self.where, 1))],
            ["", line((self.least, 1), self.least.text)],
        ]

    def show_song(self, song: Soundtrack | None) -> None:
        """Show which points of a song are used."""
        marked = self.listening.marked is not None
        self.kind.setEnabled(song is not None)
        self.least.setEnabled(song is not None)
        self.where.setEnabled(song is not None and marked)
        if not marked:
            self.where.show_value(False)
        if song is None:
            return
        inside = self.where.currentData() and marked
        choice = song.choices[-1] if inside or len(song.choices) == 1 else song.choices[0]
        plain = PointChoice(choice.of, choice.every, "", choice.subdivision, 0.0, choice.bands)
        self.kind.show_value(plain, "of your own")
        self.least.show_value(choice.at_least)

    def _choose(self) -> None:
        plain: PointChoice = self.kind.currentData()
        # Every n-th is counted from the selected beat, where just one is.
        chosen = self.project.selection.points_of()
        counted = plain.of == "beats" and plain.every > 1 and len(chosen) == 1 and is_beat(chosen[0].id)
        first = chosen[0].id if counted else ""
        choice = PointChoice(plain.of, plain.every, first, plain.subdivision, self.least.value() / 100, plain.bands)
        self.commands.choose(choice, bool(self.where.currentData()))


class HearingFields(QObject):
    """Clicks on the points, a loop, a slower pace: one line."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        listening, commands = context.listening, context.rhythm
        self.listening = listening
        click, loop = (
            "A click on every point in use, downbeats higher (K)",
            "Play the marked stretch round and round (L)",
        )
        self.clicks = toggle("click", click, lambda _: commands.toggle_clicks(), "wide")
        self.loud = Slider("Loudness of the clicks", 100, "How loud the clicks are")
        self.loud.moved.connect(listening.set_level)
        self.loud.told.connect(listening.set_level)
        self.loop = toggle("loop", loop, lambda _: commands.toggle_loop(), "wide")
        self.paces = {
            pace: toggle(
                text, f"Play at {text} of its pace, pitch kept (Shift+L)",
                lambda _, pace=pace: listening.set_pace(pace), "wide",  # type: ignore[misc]
            )
            for pace, text in PACES
        }  # fmt: skip
        for made in (self.clicks, self.loop, *self.paces.values()):
            made.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def lines(self) -> list[list[Part]]:
        """Return how they lie, for a grid."""
        return [["hear", line(self.clicks, (self.loud, 1), self.loop, *self.paces.values())]]

    def show_listening(self) -> None:
        """Show how the song is listened to."""
        listening = self.listening
        self.clicks.setChecked(listening.clicks)
        self.loud.show_value(listening.level)
        self.loop.setChecked(listening.looping)
        self.loop.setEnabled(listening.marked is not None)
        for pace, made in self.paces.items():
            made.setChecked(pace == listening.pace)
