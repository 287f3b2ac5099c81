"""The other panes of the Speed page: which way clips play, frames in between, and their own sound."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QComboBox, QGridLayout, QHBoxLayout

from tempik.desktop.commands.speed import WAYS, SpeedCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import Pane, button, toggle
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit.speed import speed
from tempik.reel import Pitch, Reel, by_id
from tempik.timeline.placed_clip import PlacedClip, clean_floor


class DirectionPane(Pane):
    """Reverses, see-saws, rewinds, and what is done to a marked stretch."""

    def __init__(self, commands: SpeedCommands) -> None:
        super().__init__()
        self.commands = commands
        grid = QGridLayout()
        grid.setSpacing(4)
        self.backward = toggle("Reverse", "Play the same stretch the other way round (R)")
        self.backward.clicked.connect(commands.reverse)
        buttons = (
            (self.backward, 0, 0),
            (
                button(
                    "There and back", "Turn at the playhead or the point nearest the middle", commands.there_and_back
                ),
                0,
                1,
            ),
            (button("Swing the reel", "Every second clip backward", commands.swing_reel), 0, 2),
            (button("See-saw …", "A see-saw of so many equal pieces", commands.see_saw_pieces), 1, 0),
            (button("by frames …", "A see-saw in pieces of so many frames", commands.see_saw_frames), 1, 1),
            (button("on points …", "A see-saw turning on points, and following them", commands.see_saw_points), 1, 2),
            (button("Rewind …", "Play the marked stretch, rewind it, play it again", commands.rewind), 2, 0),
            (button("Speed there …", "Another speed in the marked stretch", commands.stretch_speed), 2, 1),
            (button("Hold …", "Hold the playhead's picture inside the slot", commands.hold_inside), 2, 2),
        )
        for made, row, place in buttons:
            marks.room(made, "grid")
            grid.addWidget(made, row, place)
        self.column.addLayout(grid)
        self.mark_text = Label()
        commands.project.selection.marked_changed.connect(self._say_marked)
        self._say_marked()
        self.mark_text.setWordWrap(True)
        marks.ink(self.mark_text, "quiet")
        self.column.addWidget(self.mark_text)
        self.column.addStretch(1)

    def fill(self, placed: PlacedClip) -> None:
        """Show which way a clip plays."""
        self.backward.setChecked(placed.map.average_speed < 0)

    def _say_marked(self) -> None:
        marked = self.commands.project.selection.marked_frames
        if marked is None:
            self.mark_text.setText("Mark a stretch: drag on the pictures below the graph, or / twice.")
        else:
            self.mark_text.setText(f"Marked: {marked[1] - marked[0]} frames, {marked[0]} to {marked[1]}.")


class BetweenPane(Pane):
    """How frames between two of the footage's are made, and what is shown past its ends."""

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        row = QHBoxLayout()
        row.setSpacing(4)
        self.between = QButtonGroup(self)
        tips = (
            "As the reel is set below",
            "The nearest frame of the footage: it repeats when slowed",
            "Neighbouring frames mixed: soft",
            "Frames moved along the motion: smooth, smears where things cross",
        )
        for number, (name, tip) in enumerate(zip(("as reel", *WAYS), tips, strict=True)):
            made = toggle(name, tip)
            self.between.addButton(made, number)
            row.addWidget(made)
        self.between.idClicked.connect(lambda n: self.commands.set_between((None, *WAYS)[n]))
        self.reel_between = QComboBox()
        for way in WAYS:
            self.reel_between.addItem(way)
        marks.room(self.reel_between, "low")
        self.reel_between.activated.connect(lambda n: self.commands.set_reel_between(WAYS[n]))
        self.round = QCheckBox("round again past the footage's ends")
        self.round.setToolTip("Else its first or last frame stands still there")
        self.round.clicked.connect(self._round)
        reel = QHBoxLayout()
        reel.addWidget(Label("the reel's way"))
        reel.addWidget(self.reel_between, 1)
        self.column.addLayout(row)
        self.column.addLayout(reel)
        self.column.addWidget(self.round)
        self.floor = Label()
        self.floor.setWordWrap(True)
        marks.ink(self.floor, "quiet")
        self.column.addWidget(self.floor)
        self.column.addStretch(1)

    def fill(self, placed: PlacedClip) -> None:
        """Show how frames between two of the footage's are made for a clip."""
        clip, reel = placed.clip, self.project.reel
        self.between.button((None, *WAYS).index(clip.interpolation)).setChecked(True)
        self.reel_between.setCurrentIndex(WAYS.index(reel.interpolation))
        self.round.setChecked(clip.beyond == "loop")
        floor = clean_floor(placed.footage, reel.rate)
        if floor:
            self.floor.setText(
                f"Shot at {float(placed.footage.true_rate):g} frames/s: every frame is another picture from "
                f"{floor * 100:.0f} % up."
            )

    def _round(self, on: bool) -> None:
        names = self.commands.cuts.chosen()
        self.project.change(
            "Round again past the ends" if on else "Held past the ends",
            lambda reel: speed.with_beyond(reel, names, "loop" if on else "hold"),
        )


class SoundPane(Pane):
    """A clip's own sound, and the reel's crossfades."""

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.sound_on = QCheckBox("the clip's own sound is heard (7)")
        self.sound_on.clicked.connect(self.commands.toggle_sound)
        self.pitch = QButtonGroup(self)
        row = QHBoxLayout()
        row.setSpacing(4)
        for number, (name, tip) in enumerate(
            (("pitch kept", "As high as filmed at any speed"), ("pitch follows", "Falling and rising with the speed"))
        ):
            made = toggle(name, tip)
            self.pitch.addButton(made, number)
            row.addWidget(made)
        self.pitch.idClicked.connect(lambda n: self._sound("Pitch changed", pitch=("preserved", "follows")[n]))
        self.gain, self.crossfade = DecimalSpin(), DecimalSpin()
        self.gain.setRange(-60, 24)
        self.gain.setDecimals(1)
        self.gain.setSuffix(" dB")
        self.gain.setAccessibleName("Gain of the clip's sound")
        self.crossfade.setRange(0, 200)
        self.crossfade.setDecimals(1)
        self.crossfade.setSuffix(" ms")
        self.crossfade.setAccessibleName("Crossfade between the sounds of the reel's clips")
        self.gain.setKeyboardTracking(False)
        self.crossfade.setKeyboardTracking(False)
        self.gain.valueChanged.connect(lambda v: self._sound("Gain changed", gain_db=v))
        self.crossfade.valueChanged.connect(self._crossfade_typed)
        numbers = QHBoxLayout()
        for name, box in (("gain", self.gain), ("crossfade", self.crossfade)):
            box.setFont(figures(13))
            marks.room(box, "low")
            numbers.addWidget(Label(name))
            numbers.addWidget(box, 1)
        self.column.addWidget(self.sound_on)
        self.column.addLayout(row)
        self.column.addLayout(numbers)
        self.sound_text = Label()
        self.sound_text.setWordWrap(True)
        marks.ink(self.sound_text, "quiet")
        self.column.addWidget(self.sound_text)
        self.column.addStretch(1)

    def fill(self, placed: PlacedClip) -> None:
        """Show a clip's own sound."""
        self.filling = True
        sound = placed.clip.sound
        self.sound_on.setChecked(sound.on)
        self.sound_on.setEnabled(placed.footage.has_sound)
        self.sound_text.setText("" if placed.footage.has_sound else "This footage has no sound.")
        self.pitch.button(0 if sound.pitch == "preserved" else 1).setChecked(True)
        self.gain.setValue(sound.gain_db)
        self.crossfade.setValue(self.project.reel.crossfade_ms)
        self.filling = False

    def _sound(self, what: str, pitch: Pitch | None = None, gain_db: float | None = None) -> None:
        if self.filling:
            return
        names = self.commands.cuts.chosen()

        def edit(reel: Reel) -> Reel:
            for name in names:
                clip = by_id(reel.clips, name)
                if clip is not None:
                    sound = clip.sound
                    sound = replace(
                        sound, pitch=pitch or sound.pitch, gain_db=sound.gain_db if gain_db is None else gain_db
                    )
                    reel = speed.with_clip_sound(reel, [name], sound)
            return reel

        self.project.change(what, edit)

    def _crossfade_typed(self, ms: float) -> None:
        if not self.filling:
            self.project.change("Crossfades changed", lambda reel: replace(reel, crossfade_ms=ms))
