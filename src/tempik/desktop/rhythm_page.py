"""The Rhythm page: the whole song with its points, how its beats are read, which points are used, and listening."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop import theme
from tempik.desktop.listening import Listening
from tempik.desktop.project import Project
from tempik.desktop.reading_commands import ReadingCommands
from tempik.desktop.readings_strip import ReadingsStrip
from tempik.desktop.rhythm_commands import RhythmCommands, place_named
from tempik.desktop.rhythm_view import RhythmView
from tempik.desktop.strips import Song
from tempik.desktop.theme import figures, words
from tempik.reel import Choice, beats_between, is_beat, is_steady, metre_of
from tempik.reel.model import Way
from tempik.rhythm.records import Analysis, belief_word

WAYS: tuple[tuple[Way, str], ...] = (
    ("found", "as found"),
    ("grid", "one even grid"),
    ("followed", "followed"),
    ("own", "my own beats"),
)
KINDS: tuple[tuple[str, Choice], ...] = (
    ("every beat", Choice()),
    ("every 2nd beat", Choice(every=2)),
    ("every 4th beat", Choice(every=4)),
    ("every 8th beat", Choice(every=8)),
    ("downbeats", Choice("downbeats")),
    ("every 2nd downbeat", Choice("downbeats", every=2)),
    ("beats and halves", Choice(between=2)),
    ("beats and thirds", Choice(between=3)),
    ("beats and quarters", Choice(between=4)),
    ("onsets", Choice("onsets")),
    ("kicks", Choice("onsets", bands=("kick",))),
    ("snares", Choice("onsets", bands=("snare",))),
    ("hats", Choice("onsets", bands=("hat",))),
    ("none", Choice("onsets", bands=())),
)
PACES = ((1.0, "1"), (0.75, "¾"), (0.5, "½"))
SIDE_W = 300


class RhythmPage(QWidget):
    """Song view on the left; the count, reading, choice and listening on the right; what is selected below."""

    sought = Signal(float)  # seconds of the song: the playhead is wanted there

    def __init__(
        self, project: Project, song: Song, listening: Listening, commands: RhythmCommands, readings: ReadingCommands
    ) -> None:
        super().__init__()
        self.project, self.listening, self.commands = project, listening, commands
        self.view = RhythmView(project, song, listening)
        self.strip = ReadingsStrip(project, self.view)
        self.strip.chosen.connect(readings.read_as_heard)
        self._seen: Analysis | None = None  # the analysis whose readings are shown or put away
        self._filling = False
        self._make_reading()
        self._make_choice()
        self._make_listening()
        self._make_foot()
        self._lay_out()
        project.changed.connect(self._refill)
        project.points_selected.connect(self._refill)
        listening.changed.connect(self._refill)
        commands.tapped.connect(self._taps_changed)
        readings.asked.connect(lambda: self.show_readings(True))
        self.view.cursor_moved.connect(self._cursor_moved)
        self.fill()

    # Making

    def _make_reading(self) -> None:
        self.count = QLabel("–")
        self.count.setFont(figures(34, True))
        self.count.setStyleSheet(f"color: {theme.RHYTHM};")
        self.count.setToolTip("bar.beat where the song sounds")
        self.tempo = QLabel()
        self.tempo.setFont(words(13))
        self.go_to = QLineEdit()
        self.go_to.setPlaceholderText("bar.beat")
        self.go_to.setFont(figures(13))
        self.go_to.setFixedWidth(104)
        self.go_to.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.go_to.setToolTip("Jump to a bar and beat, such as 17.3 (J)")
        self.go_to.setAccessibleName("Jump to bar and beat")
        self.go_to.returnPressed.connect(self._jump)
        self.readings = _button("readings", "The readings that were heard, over the wave (Shift+K: the next)", None)
        self.readings.setCheckable(True)
        self.readings.toggled.connect(lambda _: self.strip.fill(self.readings.isChecked()))
        self.way = QComboBox()
        self.way.setToolTip("How the beats are read")
        self.way.setAccessibleName("How the beats are read")
        for way, text in WAYS:
            self.way.addItem(text, way)
        self.way.activated.connect(lambda _: self.commands.set_way(self.way.currentData()))
        self.half = _button("½×", "Half the tempo", self.commands.half_tempo)
        self.double = _button("2×", "Double the tempo", self.commands.double_tempo)
        self.later = _button(
            "+½", "Shift the beats by half a beat; again shifts them back", self.commands.half_a_beat_later
        )
        self.later.setCheckable(True)
        self.metre = QSpinBox()
        self.metre.setRange(0, 32)
        self.metre.setSpecialValueText("bars as found")
        self.metre.setPrefix("bars of ")
        self.metre.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.metre.setAccessibleName("Beats in a bar")
        self.metre.setToolTip("Beats in a bar; 0 is as found")
        self.metre.setKeyboardTracking(False)
        self.metre.valueChanged.connect(self._metre_typed)
        self.one = _button(
            "bar begins here", "A bar begins on the selected beat, or at the playhead (1)", self.commands.bar_here
        )

    def _make_choice(self) -> None:
        self.kind = QComboBox()
        self.kind.setAccessibleName("Which points are used")
        self.kind.setToolTip(
            "Which points are used; every n-th is counted from the selected beat, else from a downbeat"
        )
        self.kind.setMaxVisibleItems(20)
        for text, choice in KINDS:
            self.kind.addItem(text, choice)
        self.kind.activated.connect(lambda _: self._choose())
        self.least_text = QLabel("≥ 0 %")
        self.least = QSlider(Qt.Orientation.Horizontal)
        self.least.setRange(0, 95)
        self.least.setToolTip("Only points at least this strong")
        self.least.setAccessibleName("Least strength")
        self.least.sliderReleased.connect(self._choose)
        self.least.valueChanged.connect(lambda v: self.least_text.setText(f"≥ {v} %"))
        self.least_text.setFont(figures(12))
        self.least_text.setMinimumWidth(48)
        self.where = QComboBox()
        self.where.setAccessibleName("Where points are chosen")
        self.where.addItem("whole song")
        self.where.addItem("marked stretch")
        self.where.activated.connect(lambda _: self.fill())

    def _make_listening(self) -> None:
        self.clicks = _button(
            "click", "A click on every point in use, downbeats higher (K)", self.commands.toggle_clicks
        )
        self.clicks.setCheckable(True)
        self.loud = QSlider(Qt.Orientation.Horizontal)
        self.loud.setRange(0, 100)
        self.loud.setToolTip("How loud the clicks are")
        self.loud.setAccessibleName("Loudness of the clicks")
        self.loud.valueChanged.connect(lambda v: None if self._filling else self.listening.set_level(v / 100))
        self.loop = _button("loop", "Play the marked stretch round and round (L)", self.commands.toggle_loop)
        self.loop.setCheckable(True)
        self.paces: list[QPushButton] = []
        for pace, text in PACES:
            button = _button(text, f"Play at {text} of its pace, pitch kept (Shift+L)", None)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, q=pace: self.listening.set_pace(q))
            self.paces.append(button)

    def _make_foot(self) -> None:
        self.selection = QLabel()
        self.selection.setStyleSheet(f"color: {theme.QUIET};")
        self.strength = QSpinBox()
        self.strength.setRange(0, 100)
        self.strength.setSuffix(" %")
        self.strength.setFixedWidth(62)
        self.strength.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.strength.setToolTip("Strength of the selected points")
        self.strength.setKeyboardTracking(False)
        self.strength.setAccessibleName("Strength")
        self.strength.valueChanged.connect(lambda v: None if self._filling else self.commands.set_strength(v / 100))
        c = self.commands
        self.for_points = [
            _button("−1", "A millisecond earlier (,)", c.nudge_back),
            _button("+1", "A millisecond later (.)", c.nudge_on),
            _button("attack", "Snap to the attack (N)", c.snap_points),
            _button(
                "anchor", "Hold the grid to this beat; with two, it is refitted between and beyond (H)", c.anchor_point
            ),
            _button("lock", "Lock, so that nothing moves it (Shift+H)", c.lock_points),
            _button("word …", "A word for the point, such as a sung line's (W)", c.name_point),
            _button("take out", "Take the points out of use (Delete)", c.remove_points),
        ]
        self.taps = QLabel()
        self.for_taps = [
            _button("points on attacks", "Place the taps on the attacks they are meant for", lambda: c.take_taps(True)),
            _button(
                "points as tapped", "Place the taps where they are, less your lateness", lambda: c.take_taps(False)
            ),
            _button("a tempo", "Read the whole song by the tapped tempo", c.take_tempo),
            _button("forget", "Forget the taps", c.forget_taps),
        ]

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.count)
        head.addStretch(1)
        head.addWidget(self.readings)
        head.addWidget(self.go_to)
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(4)
        side.addLayout(head)
        side.addWidget(self.tempo)
        rows = QGridLayout()
        rows.setHorizontalSpacing(6)
        rows.setVerticalSpacing(4)
        rows.setColumnStretch(1, 1)
        for number, (title, parts) in enumerate(
            (
                ("beats", (self.way, self.half, self.double, self.later)),
                ("", (self.metre, self.one)),
                ("use", (self.kind, self.where)),
                ("", (self.least, self.least_text)),
                ("hear", (self.clicks, self.loud, self.loop, *self.paces)),
            )
        ):
            label = QLabel(title)
            label.setStyleSheet(f"color: {theme.QUIET};")
            rows.addWidget(label, number, 0)
            line = QHBoxLayout()
            line.setSpacing(4)
            for part in parts:
                line.addWidget(part, 1 if isinstance(part, QComboBox | QSlider | QSpinBox) else 0)
            rows.addLayout(line, number, 1)
        side.addLayout(rows)
        side.addStretch(1)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(SIDE_W)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.strip)
        left.addWidget(self.view, 1)
        left.addWidget(self._foot())
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 14, 8)
        whole.setSpacing(12)
        whole.addLayout(left, 1)
        whole.addWidget(holder)

    def _foot(self) -> QWidget:
        """Return the line below the wave: what is selected, and what can be done to it."""
        foot = QHBoxLayout()
        foot.setSpacing(4)
        foot.addWidget(self.selection)
        for button in self.for_points:
            foot.addWidget(button)
        foot.addWidget(self.strength)
        foot.addWidget(self.taps)
        for button in self.for_taps:
            foot.addWidget(button)
        foot.addStretch(1)
        below = QWidget()
        below.setLayout(foot)
        foot.setContentsMargins(0, 0, 0, 0)
        # What is offered for a selection must not push the preview aside.
        below.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        below.setFixedHeight(28)
        return below

    # Showing

    def _refill(self) -> None:
        if self.isVisible():
            self.fill()

    def showEvent(self, event: QShowEvent) -> None:
        self.fill()

    def fill(self) -> None:
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
            self.way.setCurrentIndex(max(0, self.way.findData(reading.way)))
            self.later.setChecked(reading.late != 0)
            self.metre.setValue(reading.metre)
            tempo = f"{song.tempo_bpm:.2f}".rstrip("0").rstrip(".") + " BPM" if song.tempo_bpm else "no steady beat"
            if song.tempo_bpm and heard is not None:
                tempo += f" · {metre_of(song)} in a bar · {'even grid' if is_steady(song) else 'followed'}"
                if reading.way == "found" and not reading.rival:
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
        self._filling = False
        self._cursor_moved(self.view.cursor_s)

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
        plain = Choice(choice.of, choice.every, "", choice.between, 0.0, choice.bands)
        for number, (_, known) in enumerate(KINDS):
            if known == plain:
                self.kind.setCurrentIndex(number)
        if not self.least.isSliderDown():
            self.least.setValue(round(choice.at_least * 100))

    def _show_foot(self) -> None:
        chosen = self.project.chosen_points()
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
            self.selection.setText(f"{len(chosen)} points")
        else:
            count = len(self.project.timeline.points)
            marked = (
                "drag the bar numbers to mark a stretch"
                if count
                else "tap T along while it plays, or place points with P"
            )
            self.selection.setText(f"{count} points in use · {marked}" if self.project.reel.soundtrack else "")
        if chosen:
            self.strength.setValue(round(sum(p.strength for p in chosen) / len(chosen) * 100))
            self.for_points[4].setText("unlock" if all(p.locked for p in chosen) else "lock")

    def _taps_changed(self) -> None:
        from tempik.rhythm.taps import FEWEST, read_taps

        self.view.taps = list(self.commands.taps)
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
            self.sought.emit(song_s)

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
        plain: Choice = self.kind.currentData()
        # Every n-th is counted from the selected beat, where just one is.
        chosen = self.project.chosen_points()
        counted = plain.of == "beats" and plain.every > 1 and len(chosen) == 1 and is_beat(chosen[0].id)
        first = chosen[0].id if counted else ""
        choice = Choice(plain.of, plain.every, first, plain.between, self.least.value() / 100, plain.bands)
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
            self.project.said.emit(f"The song has no beat '{text}'; give a bar and a beat, such as 17.3.", True)
            return False
        self.view.go(beat.time_s)
        return True


def _button(text: str, tip: str, act: object) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    button.setStyleSheet("padding: 2px 7px; min-height: 18px;")
    button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    if act is not None:
        button.clicked.connect(lambda _=False: act())  # type: ignore[operator]
    return button
