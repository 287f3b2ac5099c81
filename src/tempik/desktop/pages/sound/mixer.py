"""The mix: a line for the song, for the clips' own sound, for each lane and track of sounds, and the master."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QSlider, QWidget

from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.sound.level_bar import PER_DB, LevelBar
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import control_of
from tempik.desktop.widgets.form import SettingsForm, button, column, grid, holder, line, low, quiet, toggle
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.theme import figures, words
from tempik.edit.sounds.mixing import channel_values, with_channel, with_ducking, with_master
from tempik.reel import Ducking
from tempik.reel.sound import CHANNEL_SETTINGS, DUCKING_SETTINGS, MASTER_SETTINGS
from tempik.sounds.loudness import RATE, Meter, decibels
from tempik.timeline.sound_triggers import channel_names, silent_channels

NAME_W, GAIN_W, PAN_W = 70, 46, 26
DUCK_W = {"depth_db": 44, "threshold_db": 76, "attack_ms": 58, "release_ms": 84}
# What is said when a switch goes on, and off.
SWITCHES = {
    "muted": ("Muted", "Heard"),
    "solo": ("Solo", "No longer solo"),
    "ducks": ("The song ducks", "No ducking"),
}
METER_MS = 50
METERED_S = 0.06


class _Name(Label):
    """A channel's name; a press chooses it."""

    def __init__(self, chosen: Callable[[], None]) -> None:
        super().__init__()
        self._chosen = chosen

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._chosen()


class Channel:
    """The controls of one channel."""

    def __init__(self, mixer: Mixer, channel: str) -> None:
        self.channel = channel
        self.name = _Name(lambda: mixer.project.selection.select_channel(channel))
        self.name.setFixedWidth(NAME_W)
        self.bar = LevelBar()
        self.gain = control_of(CHANNEL_SETTINGS["gain_db"]._replace(unit="", step=1), GAIN_W)
        self.gain.setFont(figures(12))
        self.pan = LevelBar(-100, 100, metered=False)
        self.pan.reset.connect(lambda: mixer.change("Pan", channel, pan=0.0))
        self.pan.setFixedWidth(PAN_W)
        self.form = SettingsForm(CHANNEL_SETTINGS, SWITCHES)
        self.form["ducks"].setVisible(channel != "song")
        low(self.gain, *self.form.controls.values(), room="least")
        self.form.edited.connect(lambda name, on: mixer.change(SWITCHES[name][not on], channel, **{name: on}))
        self.bar.valueChanged.connect(lambda v: mixer.slid(self.bar, channel, "Gain", gain_db=v / PER_DB))
        self.bar.sliderReleased.connect(lambda: mixer.gesture.settle("Gain"))
        self.bar.reset.connect(lambda: mixer.change("Gain", channel, gain_db=0.0))
        self.gain.told.connect(lambda v: mixer.change("Gain", channel, gain_db=v))
        self.pan.valueChanged.connect(lambda v: mixer.slid(self.pan, channel, "Pan", pan=v / 100))
        self.pan.sliderReleased.connect(lambda: mixer.gesture.settle("Pan"))

    def widgets(self) -> tuple[QWidget, ...]:
        """Its fields, from left to right."""
        return self.name, self.bar, self.gain, self.pan, *self.form.controls.values()

    def show(self, mixer: Mixer, title: str, chosen: bool, silent: bool) -> None:
        """Show what the channel is now."""
        values = channel_values(mixer.project.reel, self.channel)
        self.name.setText(self.name.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, NAME_W - 8))
        self.name.setToolTip(as_tip(title))
        marks.ink(self.name, "quiet" if silent else "")
        marks.mark(self.name, "edge", "chosen" if chosen else "clear")
        for text, widget in (("Gain of", self.bar), ("Gain of", self.gain), ("Pan of", self.pan)):
            widget.setAccessibleName(f"{text} {title}")
        for text, switch in zip(("Mute", "Solo", "The song ducks under"), self.form.controls.values(), strict=True):
            switch.setAccessibleName(f"{text} {title}")
        self.bar.show_place(round(values.gain_db * PER_DB))
        self.pan.show_place(round(values.pan * 100))
        self.gain.show_value(values.gain_db)
        side = "middle" if values.pan == 0 else f"{abs(values.pan) * 100:.0f} % {'left' if values.pan < 0 else 'right'}"
        self.pan.setToolTip(f"Left and right: {side}")
        self.form.show_record(values)


class Mixer(QWidget):
    """All channels, one below the other, and the master."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.project = context, context.project
        self.gesture = Gesture(context.project)
        self.channels: dict[str, Channel] = {}
        self._grid = grid(spacing=(4, 3), wide=(1,))
        self._grid.setContentsMargins(0, 0, 6, 0)
        self.area = QScrollArea()
        self.area.setWidget(holder(column(self._grid, self._make_more(), None, spacing=6)))
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QScrollArea.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        marks.mark(self.area, "clear")
        column((self.area, 1), self._make_ducking(), self._make_master(), over=self)
        self._meter = Meter()
        self._metered_to = 0
        self._timer = QTimer(self, interval=METER_MS)
        self._timer.timeout.connect(self._show_levels)
        context.transport.player.state_changed.connect(self._played)

    def _make_more(self) -> QHBoxLayout:
        """What is done to all channels, below them."""
        sounds = self.context.sounds
        alone = "Hear the sounds without the song and the clips' own sound"
        self.alone = toggle("sounds alone", alone, sounds.reel_sound.set_design_alone, "least")
        sounds.reel_sound.changed.connect(lambda: self.alone.setChecked(sounds.reel_sound.design_alone))
        self.track = button("+ track", "Add a sound track", sounds.add_sound_track, "least")
        return line(self.track, self.alone, None, margins=(0, 4, 0, 0))

    def _make_ducking(self) -> QHBoxLayout:
        """How the song ducks."""
        self.duck = SettingsForm(DUCKING_SETTINGS, widths=DUCK_W)
        for name, control in self.duck.controls.items():
            control.setFont(words(12))
            control.setPrefix(f"{DUCKING_SETTINGS[name].title} " if name != "depth_db" else "")
        self.duck.edited.connect(self._duck_edited)
        return line("duck", *self.duck.controls.values(), None)

    def _make_master(self) -> QHBoxLayout:
        """How loud the whole is made, and what its peaks are kept below."""
        self.loud = toggle("loudness", "Bring the reel to a loudness", lambda on: self._master("loudness", on))
        self.kept = toggle("peaks", "Keep true peaks below", lambda on: self._master("ceiling_db", on))
        self.master = SettingsForm(MASTER_SETTINGS, widths=72)
        self.loudness, self.ceiling = self.master.controls.values()
        for control in self.master.controls.values():
            control.setFont(words(12))
        self.master.edited.connect(lambda name, value: self._master(name, True, value))
        self.heard = quiet("")
        self.heard.setFont(figures(12))
        self.heard.setToolTip(
            "While playing: loudness of the last 400 ms in LUFS, and the loudest true peak so far in dBTP"
        )
        self.heard.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        return line(self.loud, self.loudness, self.kept, self.ceiling, (self.heard, 1))

    # Edits

    def change(self, what: str, channel: str, **values: float | bool) -> None:
        """Set values of a channel as one step."""
        self.project.selection.select_channel(channel)
        self.project.change(what, lambda reel: with_channel(reel, channel, **values))

    def slid(self, slider: QSlider, channel: str, what: str, **values: float) -> None:
        """Set values of a channel by a slider: shown while it is dragged, one step when it is let go."""
        if slider.isSliderDown():
            self.gesture.show(lambda reel: with_channel(reel, channel, **values))
        else:
            self.change(what, channel, **values)

    def _duck_edited(self, name: str, value: float) -> None:
        made: Ducking = replace(self.project.reel.mix.ducking, **{name: value})
        self.project.change("Ducking", lambda reel: with_ducking(reel, made))

    def _master(self, name: str, on: bool, value: float | None = None) -> None:
        """Bring the reel to a loudness, or keep its peaks; or not. Without a value the usual one is taken."""
        mix = self.project.reel.mix
        both: dict[str, Any] = {"loudness": mix.loudness, "ceiling_db": mix.ceiling_db}
        both[name] = (MASTER_SETTINGS[name].default if value is None else value) if on else None
        self.project.change("Master", lambda reel: with_master(reel, both["loudness"], both["ceiling_db"]))

    # Showing

    def refill(self) -> None:
        """Show the channels that there are, as they are."""
        reel = self.project.reel
        names, silent = channel_names(reel), silent_channels(reel)
        if list(names) != list(self.channels):
            self._lay_channels(list(names))
        for channel, title in names.items():
            self.channels[channel].show(self, title, channel == self.project.selection.channel, channel in silent)
        self.duck.show_record(reel.mix.ducking)
        self.master.show_record(reel.mix)
        for switch, name, value in (
            (self.loud, "loudness", reel.mix.loudness),
            (self.kept, "ceiling_db", reel.mix.ceiling_db),
        ):
            switch.setChecked(value is not None)
            self.master.enable(value is not None, name)

    def _lay_channels(self, channels: list[str]) -> None:
        for gone in [s for s in self.channels if s not in channels]:
            for widget in self.channels.pop(gone).widgets():
                self._grid.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        self.channels = {s: self.channels.get(s) or Channel(self, s) for s in channels}
        for row, channel in enumerate(self.channels.values()):
            for number, widget in enumerate(channel.widgets()):
                self._grid.addWidget(widget, row, number)

    # Levels

    def _played(self, playing: bool) -> None:
        if playing and self.isVisible():
            self._meter, self._metered_to = Meter(), 0
            self._timer.start()

    def _show_levels(self) -> None:
        """Show how loud each channel is where playing is."""
        player, sound = self.context.transport.player, self.context.sounds.reel_sound
        if not player.playing or self.context.transport.in_song or sound.playing is None:
            self._timer.stop()
            return
        at = round(player.position_s() * RATE)
        span = round(METERED_S * RATE)
        for channel, samples in sound.playing.channels(at - span, at).items():
            if channel in self.channels:
                self.channels[channel].bar.show_level(decibels(float(abs(samples).max(initial=0.0))))
        first = self._metered_to if 0 <= at - self._metered_to < RATE else at - span
        self._meter.add(sound.playing.mastered(max(first, 0), at, sound.gain))
        self._metered_to = at
        found = self._meter.found()
        self.heard.setText(f"{self._meter.momentary():.1f} {found.peak_db:+.1f}")
