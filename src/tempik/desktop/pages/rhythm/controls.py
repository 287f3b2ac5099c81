"""The controls of the Rhythm page: reading, choice, listening, what is selected."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.commands.points import PointCommands
from tempik.desktop.commands.rhythm import RhythmCommands
from tempik.desktop.pages.page import Page
from tempik.desktop.pages.rhythm.readings_strip import ReadingsStrip
from tempik.desktop.pages.rhythm.view import RhythmView
from tempik.desktop.playback.listening import Listening
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures, words
from tempik.desktop.widgets.typed import Spin
from tempik.reel import PointChoice
from tempik.reel.soundtrack import BeatSource

WAYS: tuple[tuple[BeatSource, str], ...] = (
    ("found", "as found"),
    ("grid", "one even grid"),
    ("followed", "followed"),
    ("own", "my own beats"),
)
KINDS: tuple[tuple[str, PointChoice], ...] = (
    ("every beat", PointChoice()),
    ("every 2nd beat", PointChoice(every=2)),
    ("every 4th beat", PointChoice(every=4)),
    ("every 8th beat", PointChoice(every=8)),
    ("downbeats", PointChoice("downbeats")),
    ("every 2nd downbeat", PointChoice("downbeats", every=2)),
    ("beats and halves", PointChoice(subdivision=2)),
    ("beats and thirds", PointChoice(subdivision=3)),
    ("beats and quarters", PointChoice(subdivision=4)),
    ("onsets", PointChoice("onsets")),
    ("kicks", PointChoice("onsets", bands=("kick",))),
    ("snares", PointChoice("onsets", bands=("snare",))),
    ("hats", PointChoice("onsets", bands=("hat",))),
    ("none", PointChoice("onsets", bands=())),
)
PACES = ((1.0, "1"), (0.75, "¾"), (0.5, "½"))
SIDE_W = 300


class RhythmControls(Page):
    """Makes the controls and lays them out; the page fills them."""

    commands: RhythmCommands
    points: PointCommands
    listening: Listening
    view: RhythmView
    strip: ReadingsStrip
    _filling: bool
    _metre_typed: Callable[[int], None]
    _choose: Callable[[], None]
    _jump: Callable[[], None]

    def _make_reading(self) -> None:
        self.count = Label("–")
        self.count.setFont(figures(34, True))
        marks.ink(self.count, "beat")
        self.count.setToolTip("bar.beat where the song sounds")
        self.tempo = Label()
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
        self.metre = Spin()
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
        self.least_text = Label("≥ 0 %")
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
        self.where.activated.connect(lambda _: self.refill())

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
        self.selection = Label()
        marks.ink(self.selection, "quiet")
        self.strength = Spin()
        self.strength.setRange(0, 100)
        self.strength.setSuffix(" %")
        self.strength.setFixedWidth(62)
        self.strength.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.strength.setToolTip("Strength of the selected points")
        self.strength.setKeyboardTracking(False)
        self.strength.setAccessibleName("Strength")
        self.strength.valueChanged.connect(lambda v: None if self._filling else self.points.set_strength(v / 100))
        c = self.points
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
        self.taps = Label()
        self.for_taps = [
            _button(
                "points on attacks",
                "Place the taps on the attacks they are meant for",
                lambda: self.commands.take_taps(True),
            ),
            _button(
                "points as tapped",
                "Place the taps where they are, less your lateness",
                lambda: self.commands.take_taps(False),
            ),
            _button("a tempo", "Read the whole song by the tapped tempo", self.commands.take_tempo),
            _button("forget", "Forget the taps", self.commands.forget_taps),
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
            label = Label(title)
            marks.ink(label, "quiet")
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


def _button(text: str, tip: str, act: object) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    marks.room(button, "wide")
    button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    if act is not None:
        button.clicked.connect(lambda _=False: act())  # type: ignore[operator]
    return button
