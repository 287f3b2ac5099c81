"""The mix: a line for the song, for the clips' own sound, for each lane and track of sounds, and the master."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.sound.level_bar import PER_DB, LevelBar
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import button, quiet, toggle
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.theme import figures, words
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit.sounds.mixing import channel_values, with_channel, with_ducking, with_master
from tempik.reel import Ducking
from tempik.reel.sound import CEILING_DB, LOUDNESS
from tempik.sounds.loudness import RATE, Meter, decibels
from tempik.timeline.sound_triggers import channel_names, silent_channels

NAME_W, GAIN_W, PAN_W = 70, 46, 26
DUCK_W = {"depth_db": 44, "threshold_db": 76, "attack_ms": 58, "release_ms": 84}
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
        self.gain = DecimalSpin()
        self.gain.setRange(-60, 24)
        self.gain.setDecimals(1)
        self.gain.setFont(figures(12))
        self.gain.setFixedWidth(GAIN_W)
        self.gain.setKeyboardTracking(False)
        marks.room(self.gain, "least")
        self.pan = LevelBar(-100, 100, metered=False)
        self.pan.reset.connect(lambda: mixer.change("Pan", channel, pan=0.0))
        self.pan.setFixedWidth(PAN_W)
        self.muted, self.solo = toggle("mute", "Heard no more"), toggle("solo", "Only this, and others that are solo")
        self.ducks = toggle("duck", "The song goes down under it")
        self.ducks.setVisible(channel != "song")
        for switch in (self.muted, self.solo, self.ducks):
            marks.room(switch, "least")
        self.bar.valueChanged.connect(lambda v: mixer.slid(self.bar, channel, "Gain", gain_db=v / PER_DB))
        self.bar.sliderReleased.connect(lambda: mixer.gesture.settle("Gain"))
        self.bar.reset.connect(lambda: mixer.change("Gain", channel, gain_db=0.0))
        self.gain.valueChanged.connect(lambda v: mixer.change("Gain", channel, gain_db=v))
        self.pan.valueChanged.connect(lambda v: mixer.slid(self.pan, channel, "Pan", pan=v / 100))
        self.pan.sliderReleased.connect(lambda: mixer.gesture.settle("Pan"))
        self.muted.clicked.connect(lambda on: mixer.change("Muted" if on else "Heard", channel, muted=on))
        self.solo.clicked.connect(lambda on: mixer.change("Solo" if on else "No longer solo", channel, solo=on))
        self.ducks.clicked.connect(lambda on: mixer.change("The song ducks" if on else "No ducking", channel, ducks=on))

    def widgets(self) -> tuple[QWidget, ...]:
        """Its fields, from left to right."""
        return self.name, self.bar, self.gain, self.pan, self.muted, self.solo, self.ducks

    def show(self, mixer: Mixer, title: str, chosen: bool, silent: bool) -> None:
        """Show what the channel is now."""
        values = channel_values(mixer.project.reel, self.channel)
        self.name.setText(self.name.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, NAME_W - 8))
        self.name.setToolTip(as_tip(title))
        marks.ink(self.name, "quiet" if silent else "")
        marks.mark(self.name, "edge", "chosen" if chosen else "clear")
        for text, widget in (("Gain of", self.bar), ("Gain of", self.gain), ("Pan of", self.pan)):
            widget.setAccessibleName(f"{text} {title}")
        for text, switch in (("Mute", self.muted), ("Solo", self.solo), ("The song ducks under", self.ducks)):
            switch.setAccessibleName(f"{text} {title}")
        if not self.bar.isSliderDown():
            self.bar.setValue(round(values.gain_db * PER_DB))
        if not self.gain.hasFocus():
            self.gain.setValue(values.gain_db)
        if not self.pan.isSliderDown():
            self.pan.setValue(round(values.pan * 100))
        side = "middle" if values.pan == 0 else f"{abs(values.pan) * 100:.0f} % {'left' if values.pan < 0 else 'right'}"
        self.pan.setToolTip(f"Left and right: {side}")
        self.muted.setChecked(values.muted)
        self.solo.setChecked(values.solo)
        self.ducks.setChecked(values.ducks)


class Mixer(QWidget):
    """All channels, one below the other, and the master."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.project = context, context.project
        self.gesture = Gesture(context.project)
        self.filling = False
        self.channels: dict[str, Channel] = {}
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 6, 0)
        self._grid.setHorizontalSpacing(4)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addLayout(self._grid)
        inside.addLayout(self._make_more())
        inside.addStretch(1)
        self.area = QScrollArea()
        self.area.setWidget(holder)
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QScrollArea.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        marks.mark(self.area, "clear")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.area, 1)
        column.addLayout(self._make_ducking())
        column.addLayout(self._make_master())
        self._meter = Meter()
        self._metered_to = 0
        self._timer = QTimer(self, interval=METER_MS)
        self._timer.timeout.connect(self._show_levels)
        context.transport.player.state_changed.connect(self._played)

    def _make_more(self) -> QHBoxLayout:
        """What is done to all channels, below them."""
        sounds = self.context.sounds
        self.alone = toggle("sounds alone", "Hear the sounds without the song and the clips' own sound")
        self.alone.clicked.connect(sounds.reel_sound.set_design_alone)
        sounds.reel_sound.changed.connect(lambda: self.alone.setChecked(sounds.reel_sound.design_alone))
        self.track = button("+ track", "Add a sound track", sounds.add_sound_track)
        line = QHBoxLayout()
        line.setContentsMargins(0, 4, 0, 0)
        line.setSpacing(4)
        for made in (self.track, self.alone):
            marks.room(made, "least")
            line.addWidget(made)
        line.addStretch(1)
        return line

    def _make_ducking(self) -> QHBoxLayout:
        """How the song ducks."""
        self.duck: dict[str, QDoubleSpinBox] = {}
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(quiet("duck"))
        for name, before, suffix, low, high, tip in (
            ("depth_db", "", " dB", 0, 60, "How far the song goes down under channels that duck it"),
            ("threshold_db", "over", " dB", -90, 0, "Under what is louder than this"),
            ("attack_ms", "in", " ms", 0, 5000, "How long it takes to go down, before the sound"),
            ("release_ms", "back", " ms", 0, 10_000, "How long it takes to come back"),
        ):
            spin = DecimalSpin()
            spin.setRange(low, high)
            spin.setDecimals(0)
            spin.setSuffix(suffix)
            spin.setToolTip(tip)
            spin.setKeyboardTracking(False)
            spin.setPrefix(f"{before} " if before else "")
            spin.setFont(words(12))
            marks.room(spin, "low")
            spin.setFixedWidth(DUCK_W[name])
            spin.valueChanged.connect(lambda v, n=name: self._duck_edited(n, v))
            self.duck[name] = spin
            line.addWidget(spin)
        line.addStretch(1)
        return line

    def _make_master(self) -> QHBoxLayout:
        self.loud, self.kept = (
            toggle("loudness", "Bring the reel to a loudness"),
            toggle("peaks", "Keep true peaks below"),
        )
        self.loudness, self.ceiling = DecimalSpin(), DecimalSpin()
        for spin, low, high, suffix, name in (
            (self.loudness, -40, -5, " LUFS", "Loudness of the reel, ITU-R BS.1770"),
            (self.ceiling, -20, 0, " dBTP", "What true peaks are kept below"),
        ):
            spin.setRange(low, high)
            spin.setDecimals(1)
            spin.setSuffix(suffix)
            spin.setKeyboardTracking(False)
            spin.setFixedWidth(72)
            spin.setFont(words(12))
            marks.room(spin, "low")
            spin.setToolTip(name)
            spin.valueChanged.connect(self._master_edited)
        self.loud.clicked.connect(self._master_edited)
        self.kept.clicked.connect(self._master_edited)
        self.heard = Label()
        self.heard.setFont(figures(12))
        marks.ink(self.heard, "quiet")
        self.heard.setToolTip(
            "While playing: loudness of the last 400 ms in LUFS, and the loudest true peak so far in dBTP"
        )
        line = QHBoxLayout()
        line.setSpacing(4)
        for widget in (self.loud, self.loudness, self.kept, self.ceiling):
            line.addWidget(widget)
        self.heard.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        line.addWidget(self.heard, 1)
        return line

    # Edits

    def change(self, what: str, channel: str, **values: float | bool) -> None:
        """Set values of a channel as one step."""
        if not self.filling:
            self.project.selection.select_channel(channel)
            self.project.change(what, lambda reel: with_channel(reel, channel, **values))

    def slid(self, slider: QSlider, channel: str, what: str, **values: float) -> None:
        """Set values of a channel by a slider: shown while it is dragged, one step when it is let go."""
        if self.filling:
            return
        if slider.isSliderDown():
            self.gesture.show(lambda reel: with_channel(reel, channel, **values))
        else:
            self.change(what, channel, **values)

    def _duck_edited(self, name: str, value: float) -> None:
        if not self.filling:
            made: Ducking = replace(self.project.reel.mix.ducking, **{name: value})
            self.project.change("Ducking", lambda reel: with_ducking(reel, made))

    def _master_edited(self) -> None:
        if self.filling:
            return
        mix = self.project.reel.mix
        loudness = self.loudness.value() if self.loud.isChecked() else None
        ceiling = self.ceiling.value() if self.kept.isChecked() else None
        if self.loud.isChecked() and mix.loudness is None:
            loudness = LOUDNESS
        if self.kept.isChecked() and mix.ceiling_db is None:
            ceiling = CEILING_DB
        self.project.change("Master", lambda reel: with_master(reel, loudness, ceiling))

    # Showing

    def refill(self) -> None:
        """Show the channels that there are, as they are."""
        self.filling = True
        reel = self.project.reel
        names, silent = channel_names(reel), silent_channels(reel)
        if list(names) != list(self.channels):
            self._lay_channels(list(names))
        for channel, title in names.items():
            self.channels[channel].show(self, title, channel == self.project.selection.channel, channel in silent)
        for name, spin in self.duck.items():
            if not spin.hasFocus():
                spin.setValue(getattr(reel.mix.ducking, name))
        with QSignalBlocker(self.loudness), QSignalBlocker(self.ceiling):
            self.loud.setChecked(reel.mix.loudness is not None)
            self.kept.setChecked(reel.mix.ceiling_db is not None)
            self.loudness.setValue(LOUDNESS if reel.mix.loudness is None else reel.mix.loudness)
            self.ceiling.setValue(CEILING_DB if reel.mix.ceiling_db is None else reel.mix.ceiling_db)
        self.loudness.setEnabled(reel.mix.loudness is not None)
        self.ceiling.setEnabled(reel.mix.ceiling_db is not None)
        self.filling = False

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
