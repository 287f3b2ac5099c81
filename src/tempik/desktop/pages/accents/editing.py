"""Edits of the chosen accent lane, or of one pulse of it."""

from __future__ import annotations

from collections.abc import Callable

from tempik.accents import EvaluatedLane, Pulse
from tempik.accents.pulses import keyed_at
from tempik.desktop.pages.accents.envelope_graph import Against
from tempik.desktop.session.document import Project
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.keys import with_key
from tempik.edit.accents.painting import with_painted, with_pulse_setting
from tempik.reel import Reel
from tempik.settings import Value


class LaneEdits:
    """What the controls of the page ask for. Without a chosen lane nothing is changed."""

    def __init__(self, project: Project) -> None:
        self.project = project

    @property
    def found(self) -> EvaluatedLane | None:
        """The chosen lane."""
        return self.project.selection.lane

    @property
    def pulse(self) -> Pulse | None:
        """The pulse that is edited alone, or None while the lane is."""
        found, step = self.found, self.project.selection.step_id
        return next((p for p in found.pulses if step and p.step == step), None) if found is not None else None

    def against(self, found: EvaluatedLane) -> Against:
        """Return what the lengths of a lane's envelope are measured against."""
        first = found.pulses[0] if found.pulses else None
        step = next((c for c in found.steps if c.span is not None), None)
        clip = float(step.span.end - step.span.first) if step is not None and step.span is not None else 30.0
        return Against(self.project.reel.rate, first.gap_s if first is not None else 0.5, clip)

    def change(self, what: str, edit: Callable[[Reel, str], Reel]) -> bool:
        """Change the chosen lane, as one step."""
        found = self.found
        return found is not None and self.project.change(what, lambda reel: edit(reel, found.lane.id))

    def amount(self, value: float) -> Callable[[Reel], Reel] | None:
        """Return the edit that gives the lane an amount, or the pulse a strength."""
        found, pulse = self.found, self.pulse
        if found is None:
            return None
        if pulse is not None:
            return lambda reel: with_painted(reel, found.lane.id, pulse.step, value)
        return lambda reel: accent_lanes.with_amount(reel, found.lane.id, value)

    def choose_alone(self, alone: bool) -> None:
        """Change over between the whole lane and the pulse nearest to the playhead."""
        found = self.found
        if found is None:
            return
        near = min(found.pulses, key=lambda p: abs(p.frame - self.project.playhead.frame), default=None)
        if alone and near is not None:
            self.project.playhead.go(near.frame)
        self.project.selection.select_lane(found.lane.id, near.step if alone and near is not None else "")

    def as_it_comes(self) -> None:
        """Give the lane its accent's own settings and envelope."""
        if self.found is not None:
            accent = self.found.lane.accent
            self.change("As the accent comes", lambda reel, lane: accent_lanes.with_other_accent(reel, lane, accent))

    def set_value(self, name: str, value: Value) -> None:
        """Set a setting: its key at the playhead where it has keys, else the pulse's own or the lane's."""
        found, pulse = self.found, self.pulse
        if found is None:
            return
        if name in found.keyed and not isinstance(value, str):
            self.set_key(name, value)
        elif pulse is not None:
            self.change(
                "Setting of the pulse", lambda reel, lane: with_pulse_setting(reel, lane, pulse.step, name, value)
            )
        else:
            self.change("Setting changed", lambda reel, lane: accent_lanes.with_setting(reel, lane, name, value))

    def key_here(self, name: str) -> None:
        """Key a setting at the playhead as it is there."""
        found, frame = self.found, self.project.playhead.frame
        if found is not None:
            keyed = name in found.keyed
            self.set_key(name, float(keyed_at(found.keyed[name], frame) if keyed else found.values.get(name, 1.0)))

    def set_key(self, name: str, value: float) -> None:
        """Set a key at the playhead: of a setting, or of the `level` that the lane has where nothing fires it."""
        frame = self.project.playhead.frame
        self.change(f"Key set at frame {frame}", lambda reel, lane: with_key(reel, lane, name, frame, value))
