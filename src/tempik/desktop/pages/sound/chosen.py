"""The chosen lane, or the chosen sound clip: what fires it, its hit, how it varies."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QSizePolicy, QStackedWidget, QWidget

from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.sound.hit_wave import HitWave
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets.controls import Dropdown
from tempik.desktop.widgets.form import Part, SettingsForm, button, column, grid, holder, line, low, quiet
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.rule_fields import PLACES, SOUND_KINDS, RuleFields
from tempik.digits import plural
from tempik.edit import ruled
from tempik.edit.sounds.clips import with_clip_values
from tempik.edit.sounds.files import with_hit
from tempik.edit.sounds.lanes import with_values
from tempik.reel import Rule, SoundClip, SoundLane, by_id
from tempik.reel.sound import SOUND_CLIP_SETTINGS, SOUND_LANE_SETTINGS
from tempik.sounds.shelf import SHELF
from tempik.timeline.sound_triggers import channel_names, evaluated_sound_lanes, sound_hit, sound_title

NUMBER_W = 60
LANE_NUMBERS = ("vary_pitch", "vary_gain_db", "fade_in_s", "fade_out_s", "degree")
CLIP_NUMBERS = ("gain_db", "fade_in_s", "fade_out_s", "speed")
CLIP_SWITCHES = ("preserve_pitch", "backward", "loop")
BEATS = ((0.5, "half a beat"), (1.0, "1 beat"), (2.0, "2 beats"), (4.0, "4 beats"), (8.0, "8 beats"))
WIDE_PX = 344
NOTHING, LANE, CLIP = range(3)  # what the stack shows


class Chosen(QWidget):
    """What is chosen of the sounds, with its fields."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.project = context, context.project
        self.gesture = Gesture(context.project)
        self.title, self.message = Label(), quiet("")
        self.message.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.wave = HitWave()
        self.wave.dragged.connect(self._hit_dragged)
        self.wave.settled.connect(lambda: self.gesture.settle("Hit moved"))
        self.wave.reset.connect(self._hit_reset)
        self.which = Dropdown(letters=0)
        self.which.setMaximumWidth(90)
        self.which.setToolTip("Which of the lane's sounds is shown")
        self.which.told.connect(lambda _: self.refill())
        low(self.which)
        self.setMaximumWidth(WIDE_PX + 120)
        nothing = quiet("Click a sound on the right: it is struck on every cut.", wraps=True)
        nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.stack = QStackedWidget()
        for shown in (nothing, self._make_lane(), self._make_clip()):
            self.stack.addWidget(shown)
        top = line(self.title, (self.message, 1), self.which, spacing=6)
        column(top, (self.wave, 1), self.stack, over=self, spacing=5)

    def _make_lane(self) -> QWidget:
        self.rule = RuleFields(self._rule_edited, self._place_edited, SOUND_KINDS, PLACES[:3], two_lines=True)
        self.lane_form = SettingsForm(SOUND_LANE_SETTINGS, LANE_NUMBERS, NUMBER_W)
        self.lane_form.edited.connect(self._lane_edited)
        self.beats = Dropdown()
        self.beats.setToolTip("Risers climb and falls fall over so many beats of the song; files are stretched to them")
        self.beats.told.connect(lambda beats: self._lane_edited("beats", beats))
        draw = "Draw pitches, gains and sounds anew"
        self.again = button("another draw", draw, self.context.sounds.redraw_triggers, "low")
        self.rule.last_line.addWidget(self.again)
        low(self.beats)
        return holder(column(self.rule, _in_two(self.lane_form, LANE_NUMBERS, "stretch", self.beats)))

    def _make_clip(self) -> QWidget:
        widths = dict.fromkeys(CLIP_NUMBERS, NUMBER_W)
        self.clip_form = SettingsForm(SOUND_CLIP_SETTINGS, (*CLIP_NUMBERS, *CLIP_SWITCHES), widths)
        self.clip_form.edited.connect(self._clip_edited)
        self.land = button("hit on the nearest point", "", self.context.sounds.land_clip, "low")
        numbers = _in_two(self.clip_form, CLIP_NUMBERS)
        numbers.addWidget(self.land, 2, 0, 1, 4)
        return holder(column(numbers, line(*(self.clip_form[name] for name in CLIP_SWITCHES), None)))

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
        if lane is not None:
            self.project.change("Sound lane changed", lambda reel: with_values(reel, lane.id, **{name: value}))

    def _rule_edited(self, rule: Rule) -> None:
        lane = self.project.selection.sound_lane
        if lane is not None:
            self.project.change("Sound rule changed", lambda reel: ruled.with_rule(reel, lane.id, rule))

    def _place_edited(self, place: int) -> None:
        lane, selection = self.project.selection.sound_lane, self.project.selection
        if lane is not None and not self.project.change(
            "Place of the lane changed", lambda reel: ruled.with_limit(reel, lane.id, selection.limit_to(place))
        ):
            self.refill()

    def _clip_edited(self, name: str, value: float | bool) -> None:
        clip = self.project.selection.sound_clip
        if clip is not None:
            self.project.change("Sound clip changed", lambda reel: with_clip_values(reel, clip.id, **{name: value}))

    # Showing

    def refill(self) -> None:
        """Show the chosen sound lane or sound clip as it is now."""
        clip, lane = self.project.selection.sound_clip, self.project.selection.sound_lane
        self.which.setVisible(clip is None and lane is not None and len(lane.sounds) > 1)
        self.wave.setVisible(clip is not None or lane is not None)
        if clip is not None:
            self._show_clip(clip)
        elif lane is not None:
            self._show_lane(lane)
        else:
            self.title.setText(channel_names(self.project.reel).get(self.project.selection.channel, ""))
            self.message.setText("· a channel of the mix")
            self.stack.setCurrentIndex(NOTHING)

    def _show_lane(self, lane: SoundLane) -> None:
        reel, timeline = self.project.reel, self.project.timeline
        titles = [sound_title(reel, s) for s in lane.sounds]
        self.which.show_choices(enumerate(titles))
        found = next(s for s in evaluated_sound_lanes(timeline) if s.lane.id == lane.id)
        self._head(", ".join(titles), f"· {plural(len(found.triggers), 'trigger')}")
        self.rule.tell_lanes(
            [(f.lane.id, f.accent.title.lower() if f.accent else f.lane.accent) for f in timeline.accent_lanes]
        )
        self.rule.show_rule(lane.rule, lane.limit)
        self.lane_form.show_record(lane)
        sound = self._sound()
        kind = SHELF.get(sound)
        own = f"{kind.beats:g} beats" if kind is not None and kind.beats else "length"
        self.beats.show_choices(((0.0, f"its own {own}"), *BEATS))
        self.beats.show_value(lane.beats, f"{lane.beats:g} beats")
        self.beats.setEnabled(kind is None or kind.stretches)
        self.wave.show_sound(self.context.shapes.of(reel, sound), sound_hit(reel, sound, made_only=True))
        self.stack.setCurrentIndex(LANE)

    def _show_clip(self, clip: SoundClip) -> None:
        reel = self.project.reel
        point = self.project.timeline.point(clip.at.point)
        self._head(sound_title(reel, clip.sound), f"· hit on {point.label}" if point is not None else "· free")
        self.clip_form.show_record(clip)
        self.clip_form.enable(clip.speed != 1.0, "preserve_pitch")
        lit = (clip.from_s, clip.from_s + clip.length_s * clip.speed)
        self.wave.show_sound(self.context.shapes.of(reel, clip.sound), sound_hit(reel, clip.sound, made_only=True), lit)
        self.stack.setCurrentIndex(CLIP)

    def _head(self, title: str, message: str) -> None:
        own = by_id(self.project.reel.sounds, self._sound())
        self.title.setText(title if len(title) < 20 else title[:19] + "…")
        self.title.setToolTip(as_tip(own.path if own is not None else title))
        self.message.setText(message)


def _in_two(form: SettingsForm, names: tuple[str, ...], *more: Part) -> QGridLayout:
    """Return controls with their titles, two in a line."""
    parts = [*form.titled(*names), *more]
    made = grid(*(parts[n : n + 4] for n in range(0, len(parts), 4)))
    made.setColumnStretch(4, 1)
    return made
