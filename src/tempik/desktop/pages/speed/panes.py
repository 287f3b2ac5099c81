"""The other panes of the Speed page: which way clips play, frames in between, and their own sound."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QWidget

from tempik.desktop.commands.speed import WAYS, SpeedCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import Dropdown, Toggles
from tempik.desktop.widgets.form import SettingsForm, buttons, column, grid, line, low, quiet, toggle
from tempik.edit.speed import speed
from tempik.reel import Reel, by_id
from tempik.reel.clip_settings import CLIP_SOUND_SETTINGS, REEL_SETTINGS
from tempik.timeline.placed_clip import PlacedClip, clean_floor

PANE = (0, 2, 0, 0)  # room round a pane
BETWEEN = (
    (None, "as reel", "As the reel is set below"),
    ("nearest", "nearest", "The nearest frame of the footage: it repeats when slowed"),
    ("blend", "blend", "Neighbouring frames mixed: soft"),
    ("flow", "flow", "Frames moved along the motion: smooth, smears where things cross"),
)
PITCHES = (
    ("preserved", "pitch kept", "As high as filmed at any speed"),
    ("follows", "pitch follows", "Falling and rising with the speed"),
)


class DirectionPane(QWidget):
    """Reverses, see-saws, rewinds, and what is done to a marked stretch."""

    def __init__(self, commands: SpeedCommands) -> None:
        super().__init__()
        self.commands = commands
        backward = "Play the same stretch the other way round (R)"
        self.backward = toggle("Reverse", backward, lambda _: commands.reverse(), "grid")
        made = [
            buttons(*row, room="grid")
            for row in (
                (
                    ("There and back", "Turn at the playhead or the point nearest the middle", commands.there_and_back),
                    ("Swing the reel", "Every second clip backward", commands.swing_reel),
                ),
                (
                    ("See-saw …", "A see-saw of so many equal pieces", commands.see_saw_pieces),
                    ("by frames …", "A see-saw in pieces of so many frames", commands.see_saw_frames),
                    ("on points …", "A see-saw turning on points, and following them", commands.see_saw_points),
                ),
                (
                    ("Rewind …", "Play the marked stretch, rewind it, play it again", commands.rewind),
                    ("Speed there …", "Another speed in the marked stretch", commands.stretch_speed),
                    ("Hold …", "Hold the playhead's picture inside the slot", commands.hold_inside),
                ),
            )
        ]
        self.mark_text = quiet("", wraps=True)
        commands.project.selection.marked_changed.connect(self._say_marked)
        self._say_marked()
        lines = grid((self.backward, *made[0]), *made[1:], spacing=(4, 4))
        column(lines, self.mark_text, None, over=self, margins=PANE)

    def fill(self, placed: PlacedClip) -> None:
        """Show which way a clip plays."""
        self.backward.setChecked(placed.map.average_speed < 0)

    def _say_marked(self) -> None:
        marked = self.commands.project.selection.marked_frames
        if marked is None:
            self.mark_text.setText("Mark a stretch: drag on the pictures below the graph, or / twice.")
        else:
            self.mark_text.setText(f"Marked: {marked[1] - marked[0]} frames, {marked[0]} to {marked[1]}.")


class BetweenPane(QWidget):
    """How frames between two of the footage's are made, and what is shown past its ends."""

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.between = Toggles(BETWEEN)
        self.between.told.connect(commands.set_between)
        self.reel_between = Dropdown((way, way) for way in WAYS)
        self.reel_between.told.connect(commands.set_reel_between)
        low(self.reel_between)
        self.round = QCheckBox("round again past the footage's ends")
        self.round.setToolTip("Else its first or last frame stands still there")
        self.round.clicked.connect(self._round)
        self.floor = quiet("", wraps=True)
        reel = line("the reel's way", (self.reel_between, 1))
        column(self.between, reel, self.round, self.floor, None, over=self, margins=PANE)

    def fill(self, placed: PlacedClip) -> None:
        """Show how frames between two of the footage's are made for a clip."""
        clip, reel = placed.clip, self.project.reel
        self.between.show_value(clip.interpolation)
        self.reel_between.show_value(reel.interpolation)
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


class SoundPane(QWidget):
    """A clip's own sound, and the reel's crossfades."""

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.sound_on = QCheckBox("the clip's own sound is heard (7)")
        self.sound_on.clicked.connect(commands.toggle_sound)
        self.pitch = Toggles(PITCHES)
        self.pitch.told.connect(lambda pitch: self._sound("Pitch changed", "pitch", pitch))
        self.form, self.reel_form = (
            SettingsForm(CLIP_SOUND_SETTINGS, ("gain_db",)),
            SettingsForm(REEL_SETTINGS, ("crossfade_ms",)),
        )
        self.gain, self.crossfade = self.form["gain_db"], self.reel_form["crossfade_ms"]
        self.gain.told.connect(lambda db: self._sound("Gain changed", "gain_db", db))
        self.crossfade.told.connect(
            lambda ms: project.change("Crossfades changed", lambda reel: replace(reel, crossfade_ms=ms))
        )
        self.sound_text = quiet("", wraps=True)
        numbers = line("gain", (self.gain, 1), "crossfade", (self.crossfade, 1))
        column(self.sound_on, self.pitch, numbers, self.sound_text, None, over=self, margins=PANE)

    def fill(self, placed: PlacedClip) -> None:
        """Show a clip's own sound."""
        sound = placed.clip.sound
        self.sound_on.setChecked(sound.on)
        self.sound_on.setEnabled(placed.footage.has_sound)
        self.sound_text.setText("" if placed.footage.has_sound else "This footage has no sound.")
        self.pitch.show_value(sound.pitch)
        self.form.show_record(sound)
        self.reel_form.show_record(self.project.reel)

    def _sound(self, what: str, name: str, value: object) -> None:
        names = self.commands.cuts.chosen()

        def edit(reel: Reel) -> Reel:
            for clip in (by_id(reel.clips, n) for n in names):
                if clip is not None:
                    reel = speed.with_clip_sound(reel, [clip.id], replace(clip.sound, **{name: value}))
            return reel

        self.project.change(what, edit)
