"""The selected clip's slot, footage and speed as numbers, and which of them gives way; and the chosen node of its curve."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QWidget

from tempik.desktop.commands.speed import SpeedCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import Toggles
from tempik.desktop.widgets.form import Part, SettingsForm, button, column, grid, line, quiet
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures
from tempik.digits import plural
from tempik.edit.clips.slots import with_clips
from tempik.edit.speed import speed
from tempik.reel import Clip, Reel, by_id
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import average_speed, constant
from tempik.retime.shaping import with_average
from tempik.settings import Setting, by_name
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip

SPEEDS = (-SPEED_LIMIT, SPEED_LIMIT)
CLIP_NUMBERS = by_name(
    Setting(
        "slot",
        "slot",
        1.0,
        1,
        speed.LONGEST_FRAMES,
        "f",
        digits=0,
        does="Length of the slot; speed or footage gives way",
    ),
    Setting("uses", "uses", 0.0, 0, 36_000, "s", digits=3, step=1, does="Footage used"),
    Setting(
        "average", "average", 1.0, *SPEEDS, digits=1, step=1, does="Average speed; of a curve all speeds are scaled"
    ),
)
NODE_NUMBERS = by_name(
    Setting(
        "at", "frame", 0.0, 0, speed.LONGEST_FRAMES, "", digits=1, step=1, does="Frame of the node, counted in the clip"
    ),
    Setting("speed", "speed", 1.0, *SPEEDS, digits=1, step=1, does="Speed at the node"),
    Setting("soft_in", "in", 0.0, step=1, does="Softness into the node"),
    Setting("soft_out", "out", 0.0, step=1, does="Softness out of the node"),
)
NODE_WIDTHS = {"at": 98, "speed": 74, "soft_in": 74, "soft_out": 80}
GIVES = (
    ("source", "source", "Other footage is used; slot and speeds stay"),
    ("slot", "slot", "The slot grows or shrinks; what follows moves along"),
    ("speed", "speed", "Speeds are scaled; slot and footage stay"),
)


class ClipNumbers(QWidget):
    """Shows a clip's numbers; what is typed changes it, after `began` was told. `refused` tells that it could not be."""

    began = Signal()
    refused = Signal()

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.form = SettingsForm(CLIP_NUMBERS)
        self.slot, self.uses, self.average = self.form.controls.values()
        for control in self.form.controls.values():
            control.setFont(figures(13))
            control.setAlignment(Qt.AlignmentFlag.AlignRight)
            control.setMinimumWidth(86)
        self.slot.told.connect(self._slot_typed)
        self.uses.told.connect(self._uses_typed)
        self.average.told.connect(self._average_typed)
        self.seconds, self.slowest, self.fastest = Label(), Label(), Label()
        for label in (self.seconds, self.slowest, self.fastest):
            label.setFont(figures(13))
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.gives = Toggles(GIVES)
        self.gives.show_value(commands.gives)
        self.gives.told.connect(commands.let_give)
        lines: list[list[Part]] = [
            ["slot", self.slot, None, self.seconds],
            ["uses", self.uses, "slowest", self.slowest],
            ["average", self.average, "fastest", self.fastest],
        ]
        column(grid(*lines, spacing=(6, 3), wide=(3,)), line("gives way", (self.gives, 1)), over=self)

    def show_clip(self, placed: PlacedClip | None) -> None:
        """Show a clip's numbers."""
        moving = placed is not None and not placed.footage.endless
        self.form.enable(moving, "uses", "average")
        self.gives.setEnabled(moving)
        self.slot.setEnabled(placed is not None)
        for label in (self.seconds, self.slowest, self.fastest):
            label.setText("")
        if placed is None:
            return
        frames = placed.until - placed.begin
        self.slot.show_value(frames)
        self.seconds.setText(f"{time_of(frames, self.project.reel.rate):.3f} s")
        if moving:
            self.uses.show_value(speed.source_used(placed))
            self.average.show_value(placed.map.average_speed)
            speeds = [n.speed for n in placed.curve.nodes]
            self.slowest.setText(f"{min(speeds, key=abs) * 100 if placed.map.slowest else 0.0:.0f} %")
            self.fastest.setText(f"{max(speeds, key=abs) * 100:.0f} %")

    def _slot_typed(self, frames: float) -> None:
        way: speed.GivesWay = "source" if self.commands.gives == "source" else "speed"
        self._do(
            plural(int(frames), "frame"), lambda reel, clip: speed.with_slot_frames(reel, [clip.id], int(frames), way)
        )

    def _uses_typed(self, seconds: float) -> None:
        way: speed.GivesWay = "slot" if self.commands.gives == "slot" else "speed"
        self._do(f"{seconds:.3f} s of footage", lambda reel, clip: speed.with_source_used(reel, clip.id, seconds, way))

    def _average_typed(self, wanted: float) -> None:
        placed, gives = self.project.selection.placed, self.commands.gives
        if placed is None:
            return
        way: speed.GivesWay = "source" if gives == "speed" else gives
        flat = len(placed.chosen.nodes) == 1 or abs(average_speed(placed.chosen)) < 1e-9
        what, shaped = f"Speed {wanted * 100:.1f} %", placed.clip.shaped is not None
        if shaped and way == "source" and placed.map.average_speed and wanted:
            factor = wanted / placed.map.average_speed
            self._do(what, lambda reel, clip: with_clips(reel, [speed.times(clip, factor)]))
        else:
            curve = constant(wanted) if flat else with_average(placed.chosen, wanted)
            self._do(what, lambda reel, clip: speed.with_curve(reel, clip.id, curve, way))

    def _do(self, what: str, edit: Callable[[Reel, Clip], Reel]) -> None:
        shown = self.project.selection.clip
        if shown is None:
            return
        self.began.emit()

        def on_reel(reel: Reel) -> Reel:
            clip = by_id(reel.clips, shown.id)
            return edit(reel, clip) if clip is not None else reel

        if not self.project.change(what, on_reel):
            self.refused.emit()  # what could not be had is shown as it is


class NodeFields(QWidget):
    """The chosen node, or how to make one. `edited(what, fields)` tells each edit, `removed` that it goes."""

    edited = Signal(str, dict)
    removed = Signal()
    HEIGHT = 28  # the graph must not move when a node is taken hold of

    def __init__(self) -> None:
        super().__init__()
        self._frames = 1
        self.setFixedHeight(self.HEIGHT)
        self.which = Label()
        self.which.setToolTip("The chosen node; Page Up and Page Down choose another")
        self.form = SettingsForm(NODE_NUMBERS, widths=NODE_WIDTHS)
        for name, prefix in (("at", "frame "), ("soft_in", "in "), ("soft_out", "out ")):
            self.form[name].setPrefix(prefix)
        self.form.edited.connect(self._edited)
        self.hold = QCheckBox("hold")
        self.hold.setToolTip("The speed stays as it is up to the next node")
        self.hold.clicked.connect(lambda on: self.edited.emit("Hold changed", {"hold": on}))
        self.gone = button("×", "Take the node out (Delete)", self.removed.emit, "bare", 24)
        self.gone.setAccessibleName("Take the node out")
        self.hint = quiet("Double click adds a node. Drag on the pictures marks a stretch.")
        self._parts = (self.which, *self.form.controls.values(), self.hold, self.gone)
        line(self.hint, *self._parts, None, over=self)

    def show_node(self, placed: PlacedClip | None, number: int | None) -> None:
        """Show a node of a clip's curve, or the hint."""
        nodes = placed.chosen.nodes if placed is not None and not placed.footage.endless else ()
        there = number is not None and number < len(nodes)
        self.hint.setVisible(not there)
        for part in self._parts:
            part.setVisible(there)
        if placed is None or number is None or not there:
            return
        node, last = nodes[number], len(nodes) - 1
        self._frames = placed.until - placed.begin
        self.which.setText(f"{number + 1}/{len(nodes)}")
        self.form.show_record(node)
        self.form["at"].show_value(node.at * self._frames)
        self.hold.setChecked(node.hold)
        self.form.enable(0 < number < last, "at")
        self.form.enable(number > 0, "soft_in")
        self.form.enable(number < last, "soft_out")
        self.hold.setEnabled(number < last)
        self.gone.setEnabled(last > 0)

    def _edited(self, name: str, value: float) -> None:
        if name == "at":
            self.edited.emit("Node moved", {"at": value / max(self._frames, 1)})
        else:
            self.edited.emit("Speed changed" if name == "speed" else "Softness changed", {name: value})
