"""The chosen lane, or the chosen sound clip: what fires it, its hit, how it varies."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.sound.hit_wave import HitWave
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet, toggle
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.rule_fields import PLACES, SOUND_KINDS, RuleFields
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit import ruled
from tempik.edit.sounds.clips import with_clip_values
from tempik.edit.sounds.files import with_hit
from tempik.edit.sounds.lanes import with_values
from tempik.reel import Limit, Rule, SoundClip, SoundLane, by_id
from tempik.sounds.shelf import SHELF
from tempik.timeline.sound_triggers import channel_names, evaluated_sound_lanes, sound_hit, sound_title

# Fields of a lane: name, title, lowest, highest, decimals, suffix, how a shown value relates to the record's, tip.
ROW_FIELDS = (
    ("vary_pitch", "pitch ±", 0.0, 24.0, 1, " st", 1.0, "Semitones to either side, drawn for each trigger"),
    ("vary_gain_db", "gain ±", 0.0, 24.0, 1, " dB", 1.0, "Decibels to either side, drawn for each trigger"),
    ("fade_in_s", "fade in", 0.0, 10_000.0, 0, " ms", 1000.0, "Of each trigger"),
    ("fade_out_s", "fade out", 0.0, 10_000.0, 0, " ms", 1000.0, "Of each trigger"),
    ("degree", "by strength", 0.0, 100.0, 0, " %", 100.0, "How far a weak point weakens its trigger"),
)
CLIP_FIELDS = (
    ("gain_db", "gain", -60.0, 24.0, 1, " dB", 1.0, "Of this clip"),
    ("fade_in_s", "fade in", 0.0, 600.0, 2, " s", 1.0, "At its beginning"),
    ("fade_out_s", "fade out", 0.0, 600.0, 2, " s", 1.0, "At its end"),
    ("speed", "speed", 0.1, 8.0, 2, " ×", 1.0, "How fast it is played"),
)
BEATS = (
    (0.0, "its own length"),
    (0.5, "half a beat"),
    (1.0, "1 beat"),
    (2.0, "2 beats"),
    (4.0, "4 beats"),
    (8.0, "8 beats"),
)


Field = tuple[str, str, float, float, int, str, float, str]
Fields = dict[str, tuple[QDoubleSpinBox, float]]  # by a record's name: the control, and its value for 1 of the record's


def _spin(field: Field, edited: Callable[[str, float], None]) -> QDoubleSpinBox:
    name, _, low, high, decimals, suffix, by, tip = field
    spin = DecimalSpin()
    spin.setRange(low, high)
    spin.setDecimals(decimals)
    spin.setSuffix(suffix)
    spin.setToolTip(tip)
    spin.setKeyboardTracking(False)
    marks.room(spin, "low")
    spin.setFixedWidth(60)
    spin.valueChanged.connect(lambda shown: edited(name, shown / by))
    return spin


def _in_two_columns(fields: Iterable[Field], edited: Callable[[str, float], None]) -> tuple[QGridLayout, Fields]:
    """Return controls with their titles, two in a line; `edited` is told the record's name and value."""
    grid, made = QGridLayout(), {}
    grid.setHorizontalSpacing(5)
    grid.setVerticalSpacing(3)
    for number, field in enumerate(fields):
        spin = _spin(field, edited)
        made[field[0]] = spin, field[6]
        grid.addWidget(quiet(field[1]), number // 2, 2 * (number % 2))
        grid.addWidget(spin, number // 2, 2 * (number % 2) + 1)
    grid.setColumnStretch(4, 1)
    return grid, made


def _tight_column(over: QWidget) -> QVBoxLayout:
    column = QVBoxLayout(over)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(4)
    return column


WIDE_PX = 344


class Chosen(QWidget):
    """What is chosen of the sounds, with its fields."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.project = context, context.project
        self.gesture = Gesture(context.project)
        self.filling = False
        self.title, self.message = Label(), quiet("")
        self.wave = HitWave()
        self.wave.dragged.connect(self._hit_dragged)
        self.wave.settled.connect(lambda: self.gesture.settle("Hit moved"))
        self.wave.reset.connect(self._hit_reset)
        top = QHBoxLayout()
        top.setSpacing(6)
        self.message.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        top.addWidget(self.title)
        top.addWidget(self.message, 1)
        self.which = QComboBox()
        marks.room(self.which, "low")
        self.which.setMaximumWidth(90)
        self.which.setToolTip("Which of the lane's sounds is shown")
        self.which.activated.connect(lambda _: self.refill())
        top.addWidget(self.which)
        self.setMaximumWidth(WIDE_PX + 120)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._make_nothing())
        self.stack.addWidget(self._make_lane())
        self.stack.addWidget(self._make_clip())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addLayout(top)
        column.addWidget(self.wave, 1)
        column.addWidget(self.stack)

    def _make_nothing(self) -> QWidget:
        message = quiet("Click a sound on the right: it is struck on every cut.")
        message.setWordWrap(True)
        message.setAlignment(Qt.AlignmentFlag.AlignTop)
        return message

    def _make_lane(self) -> QWidget:
        made = QWidget()
        column = _tight_column(made)
        self.rule = RuleFields(self._rule_edited, self._place_edited, SOUND_KINDS, PLACES[:3], two_lines=True)
        column.addWidget(self.rule)
        grid, self.lane_fields = _in_two_columns(ROW_FIELDS, self._lane_edited)
        self.beats = QComboBox()
        self.beats.addItems([text for _, text in BEATS])
        marks.room(self.beats, "low")
        self.beats.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.beats.setMinimumContentsLength(8)
        self.beats.setToolTip("Risers climb and falls fall over so many beats of the song; files are stretched to them")
        self.beats.activated.connect(lambda n: self._lane_edited("beats", BEATS[n][0]))
        grid.addWidget(quiet("stretch"), 2, 2)
        grid.addWidget(self.beats, 2, 3)
        self.again = QPushButton("another draw")
        self.again.setToolTip("Draw pitches, gains and sounds anew")
        marks.room(self.again, "low")
        self.again.clicked.connect(self.context.sounds.redraw_triggers)
        self.rule.last_line.addWidget(self.again)
        column.addLayout(grid)
        return made

    def _make_clip(self) -> QWidget:
        made = QWidget()
        column = _tight_column(made)
        grid, self.clip_fields = _in_two_columns(CLIP_FIELDS, self._clip_edited)
        self.clip_fields["speed"][0].setSingleStep(0.1)
        column.addLayout(grid)
        self.preserve_pitch = toggle("pitch kept", "Faster or slower, but no higher or lower")
        self.backward = toggle("backward", "Play it from its end")
        self.loop = toggle("round and round", "For as long as the clip lasts")
        self.land = QPushButton("hit on the nearest point")
        marks.room(self.land, "low")
        self.land.clicked.connect(self.context.sounds.land_clip)
        line = QHBoxLayout()
        line.setSpacing(4)
        for widget, name in ((self.preserve_pitch, "preserve_pitch"), (self.backward, "backward"), (self.loop, "loop")):
            widget.clicked.connect(lambda on, n=name: self._clip_edited(n, on))
            line.addWidget(widget)
        line.addStretch(1)
        grid.addWidget(self.land, 2, 0, 1, 4)
        column.addLayout(line)
        return made

    # Edits

    def _sound(self) -> str:
        """The sound whose hit is shown."""
        clip, lane = self.project.selection.sound_clip, self.project.selection.sound_lane
        if clip is not None:
            return clip.sound
        if lane is None or not lane.sounds:
            return ""
        return lane.sounds[min(max(self.which.currentIndex(), 0), len(lane.sounds) - 1)]

    def _hit_dragged(self, hit_s: float) -> None:
        sound = self._sound()
        if sound:
            self.gesture.show(lambda reel: with_hit(reel, sound, hit_s))

    def _hit_reset(self) -> None:
        sound = self._sound()
        self.gesture.drop()
        if sound:
            self.project.change("Hit as it was found", lambda reel: with_hit(reel, sound, None))

    def _lane_edited(self, name: str, value: float) -> None:
        lane = self.project.selection.sound_lane
        if lane is not None and not self.filling:
            self.project.change("Sound lane changed", lambda reel: with_values(reel, lane.id, **{name: value}))

    def _rule_edited(self, rule: Rule) -> None:
        lane = self.project.selection.sound_lane
        if lane is not None and not self.filling:
            self.project.change("Sound rule changed", lambda reel: ruled.with_rule(reel, lane.id, rule))

    def _place_edited(self, number: int) -> None:
        lane, selection = self.project.selection.sound_lane, self.project.selection
        limit = Limit()
        if number == 1:
            limit = Limit(clips=tuple(selection.chosen_clips))
        elif number == 2 and selection.marked is not None:
            limit = Limit(from_s=selection.marked[0], to_s=selection.marked[1])
        if number and limit == Limit():
            what = (
                "Select the clips first" if number == 1 else "Mark a stretch first: / at its beginning and / at its end"
            )
            self.project.messages.say(f"{what}.", True)
            self.refill()
        elif lane is not None:
            self.project.change("Place of the lane changed", lambda reel: ruled.with_limit(reel, lane.id, limit))

    def _clip_edited(self, name: str, value: float | bool) -> None:
        clip = self.project.selection.sound_clip
        if clip is not None and not self.filling:
            self.project.change("Sound clip changed", lambda reel: with_clip_values(reel, clip.id, **{name: value}))

    # Showing

    def refill(self) -> None:
        """Show the chosen sound lane or sound clip as it is now."""
        self.filling = True
        clip, lane = self.project.selection.sound_clip, self.project.selection.sound_lane
        self.which.setVisible(clip is None and lane is not None and len(lane.sounds) > 1)
        if clip is not None:
            self._show_clip(clip)
        elif lane is not None:
            self._show_lane(lane)
        else:
            name = channel_names(self.project.reel).get(self.project.selection.channel, "")
            self.title.setText(name)
            self.message.setText("· a channel of the mix")
            self.stack.setCurrentIndex(0)
        self.wave.setVisible(clip is not None or lane is not None)
        self.filling = False

    def _show_lane(self, lane: SoundLane) -> None:
        reel = self.project.reel
        titles = [sound_title(reel, s) for s in lane.sounds]
        if [self.which.itemText(n) for n in range(self.which.count())] != titles:
            self.which.clear()
            self.which.addItems(titles)
        found = next(s for s in evaluated_sound_lanes(self.project.timeline) if s.lane.id == lane.id)
        count = len(found.triggers)
        self._head(", ".join(titles), f"· {count} trigger{'s' if count != 1 else ''}")
        self.rule.tell_lanes(
            [
                (f.lane.id, f.accent.title.lower() if f.accent else f.lane.accent)
                for f in self.project.timeline.accent_lanes
            ]
        )
        self.rule.show_rule(lane.rule, lane.limit)
        for name, (spin, by) in self.lane_fields.items():
            if not spin.hasFocus():
                spin.setValue(getattr(lane, name) * by)
        numbers = [b for b, _ in BEATS]
        self.beats.setCurrentIndex(numbers.index(lane.beats) if lane.beats in numbers else 0)
        sound = self._sound()
        kind = SHELF.get(sound)
        own_beats = kind.beats if kind is not None else 0.0
        self.beats.setItemText(0, f"its own {own_beats:g} beats" if own_beats else "its own length")
        self.beats.setEnabled(kind is None or kind.stretches)
        self.wave.show_sound(self.context.shapes.of(reel, sound), sound_hit(reel, sound, made_only=True))
        self.stack.setCurrentIndex(1)

    def _show_clip(self, clip: SoundClip) -> None:
        reel = self.project.reel
        point = self.project.timeline.point(clip.at.point)
        self._head(sound_title(reel, clip.sound), f"· hit on {point.label}" if point is not None else "· free")
        for name, (spin, by) in self.clip_fields.items():
            if not spin.hasFocus():
                spin.setValue(getattr(clip, name) * by)
        self.preserve_pitch.setChecked(clip.preserve_pitch)
        self.preserve_pitch.setEnabled(clip.speed != 1.0)
        self.backward.setChecked(clip.backward)
        self.loop.setChecked(clip.loop)
        lit = (clip.from_s, clip.from_s + clip.length_s * clip.speed)
        self.wave.show_sound(self.context.shapes.of(reel, clip.sound), sound_hit(reel, clip.sound, made_only=True), lit)
        self.stack.setCurrentIndex(2)

    def _head(self, title: str, message: str) -> None:
        own = by_id(self.project.reel.sounds, self._sound())
        self.title.setText(title if len(title) < 20 else title[:19] + "…")
        self.title.setToolTip(as_tip(own.path if own is not None else title))
        self.message.setText(message)
