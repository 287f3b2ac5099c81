"""Editing the chosen lane, or one pulse of it: what the fields of the page mean."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QPushButton,
    QSlider,
)

from tempik.accents import EvaluatedLane, Pulse
from tempik.accents.accent import Value
from tempik.accents.envelope import in_frames
from tempik.accents.pulses import keyed_at
from tempik.desktop.pages.accents.envelope_graph import Against
from tempik.desktop.pages.page import Page
from tempik.desktop.session.gesture import Gesture
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import with_bundle_amount
from tempik.edit.accents.keys import with_key
from tempik.edit.accents.painting import with_painted, with_pulse_setting
from tempik.reel import Envelope, Length, Limit, Reel, Rule
from tempik.reel.lanes import Overlap, Unit

UNITS: tuple[tuple[Unit, str], ...] = (("frames", "f"), ("ms", "ms"), ("gap", "% gap"), ("clip", "% clip"))


class LaneEditing(Page):
    """Does what the controls ask; those are made and filled by the page."""

    gesture: Gesture
    alone: QPushButton
    filling: bool
    amount: QSlider
    all: QSlider
    bundle_amount: QSlider
    overlap: QComboBox
    lengths: dict[str, tuple[QDoubleSpinBox, QComboBox]]

    @property
    def pulse(self) -> Pulse | None:
        """The pulse that is edited alone, or None while the lane is."""
        found = self.project.selection.lane
        if found is None or not self.project.selection.step_id:
            return None
        return next((p for p in found.pulses if p.step == self.project.selection.step_id), None)

    def _against(self, found: EvaluatedLane) -> Against:
        first = found.pulses[0] if found.pulses else None
        step = next((c for c in found.steps if c.span is not None), None)
        clip = float(step.span.end - step.span.first) if step is not None and step.span is not None else 30.0
        return Against(self.project.reel.rate, first.gap_s if first is not None else 0.5, clip)

    def _lane(self) -> str:
        found = self.project.selection.lane
        return found.lane.id if found is not None else ""

    def _change(self, what: str, edit: Callable[[Reel, str], Reel]) -> None:
        lane = self._lane()
        if lane and not self.filling:
            self.project.change(what, lambda reel: edit(reel, lane))

    def _alone_clicked(self) -> None:
        """Change over between the whole lane and the pulse nearest to the playhead."""
        found = self.project.selection.lane
        if found is None:
            return
        near = min(found.pulses, key=lambda p: abs(p.frame - self.project.playhead.frame), default=None)
        wanted = near.step if self.alone.isChecked() and near is not None else ""
        if wanted and near is not None:
            self.project.playhead.go(near.frame)
        self.project.selection.select_lane(found.lane.id, wanted)
        self.refill()

    def _as_it_comes(self) -> None:
        found = self.project.selection.lane
        if found is not None:
            accent = found.lane.accent
            self._change("As the accent comes", lambda reel, lane: accent_lanes.with_other_accent(reel, lane, accent))

    def _amount_moved(self, percent: int) -> None:
        pulse = self.pulse
        if pulse is not None:
            step = pulse.step
            self._slid(
                self.amount, "Strength of the pulse",
                lambda reel, lane: with_painted(reel, lane, step, percent / 100),
            )  # fmt: skip
        else:
            self._slid(
                self.amount, "Amount of the lane", lambda r, lane: accent_lanes.with_amount(r, lane, percent / 100)
            )

    def _all_moved(self, percent: int) -> None:
        self._slid(
            self.all, "Amount of all accents", lambda r, lane: accent_lanes.with_all_amounts(r, percent / 100), True
        )

    def _bundle_moved(self, percent: int) -> None:
        found = self.project.selection.lane
        bundle = found.lane.bundle if found is not None else ""
        self._slid(
            self.bundle_amount, "Amount of the bundle",
            lambda reel, lane: with_bundle_amount(reel, bundle, percent / 100),
        )  # fmt: skip

    def _slid(self, slider: QSlider, what: str, edit: Callable[[Reel, str], Reel], always: bool = False) -> None:
        """An edit by a slider: shown while it is dragged, one step when it is let go."""
        lane = self._lane()
        if self.filling or not (lane or always):
            return
        if slider.isSliderDown():
            self.gesture.show(lambda reel: edit(reel, lane))
        else:
            self.project.change(what, lambda reel: edit(reel, lane))

    def _rule_edited(self, rule: Rule) -> None:
        self._change("Accent rule changed", lambda reel, lane: ruled.with_rule(reel, lane, rule))

    def _place_edited(self, number: int) -> None:
        limit = Limit()
        if number in (1, 3):
            clips = tuple(self.project.selection.chosen_clips)
            if not clips:
                self.project.messages.say("Select the clips first that the lane should fire in.", True)
                self.refill()
                return
            limit = Limit(clips=clips)
        elif number == 2:
            marked = self.project.selection.marked
            if marked is None:
                self.project.messages.say("Mark a stretch first: / at its beginning and / at its end.", True)
                self.refill()
                return
            limit = Limit(from_s=marked[0], to_s=marked[1])

        def edit(reel: Reel, lane: str) -> Reel:
            return accent_lanes.with_alone(ruled.with_limit(reel, lane, limit), lane, number == 3)

        self._change("Place of the lane changed", edit)

    def _envelope_edited(self, envelope: Envelope, done: bool) -> None:
        lane = self._lane()
        if not lane or self.filling:
            return
        edit = lambda reel: accent_lanes.with_envelope(reel, lane, envelope)  # noqa: E731
        if done:
            self.project.change("Envelope changed", edit)
        else:
            self.gesture.show(edit)

    def _length_edited(self, name: str) -> None:
        found = self.project.selection.lane
        if found is None or self.filling:
            return
        envelope = accent_lanes.envelope_of(found.lane)
        spin, _ = self.lengths[name]
        old: Length = getattr(envelope, name)
        by = 100 if old.unit in ("gap", "clip") else 1
        self._envelope_edited(replace(envelope, **{name: replace(old, value=spin.value() / by)}), True)

    def _unit_edited(self, name: str) -> None:
        """Measure a length otherwise; it stays as long as it is now."""
        found = self.project.selection.lane
        if found is None or self.filling:
            return
        envelope, against = accent_lanes.envelope_of(found.lane), self._against(found)
        old: Length = getattr(envelope, name)
        unit = UNITS[self.lengths[name][1].currentIndex()][0]
        one = in_frames(Length(1.0, unit), *against)
        value = in_frames(old, *against) / one if one > 0 else 0.0
        digits = 0 if unit in ("frames", "ms") else 3
        value = min(round(value, digits), 1.0) if unit == "clip" else round(value, digits)
        self._envelope_edited(replace(envelope, **{name: Length(value, unit)}), True)

    def _overlap_edited(self) -> None:
        wanted: Overlap = "sum" if self.overlap.currentText() == "sum" else "larger"
        self._change("Overlap changed", lambda reel, lane: accent_lanes.with_overlap(reel, lane, wanted))

    def _degree_edited(self, percent: float) -> None:
        self._change(
            "Weight of strength changed", lambda reel, lane: accent_lanes.with_degree(reel, lane, percent / 100)
        )

    def _setting_edited(self, name: str, value: Value) -> None:
        found, pulse = self.project.selection.lane, self.pulse
        if found is None or self.filling:
            return
        if name in found.keyed and not isinstance(value, str):
            self._set_key(name, value)
        elif pulse is not None:
            step = pulse.step
            self._change("Setting of the pulse", lambda reel, lane: with_pulse_setting(reel, lane, step, name, value))
        else:
            self._change("Setting changed", lambda reel, lane: accent_lanes.with_setting(reel, lane, name, value))

    def _shutter_edited(self, degrees: float) -> None:
        if not self.filling:
            self.project.change(f"Shutter {degrees:.0f} degrees", lambda reel: accent_lanes.with_shutter(reel, degrees))

    def _key_here(self, name: str) -> None:
        found = self.project.selection.lane
        if found is not None:
            now = (
                keyed_at(found.keyed[name], self.project.playhead.frame)
                if name in found.keyed
                else found.values.get(name, 1.0)
            )
            self._set_key(name, float(now))

    def _set_key(self, name: str, value: float) -> None:
        frame = self.project.playhead.frame
        self._change(f"Key set at frame {frame}", lambda reel, lane: with_key(reel, lane, name, frame, value))

    def key_level(self, value: float) -> None:
        """Set how strong the lane is at the playhead, where nothing fires it."""
        self._set_key("level", value)
