"""The Speed page: the selected clip's speed as a graph, what gives way, shapes, directions, frames between and sound."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import (
    QWidget,
)

from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.speed.controls import GIVES, SpeedControls
from tempik.desktop.pages.speed.graph import SpeedGraph
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets.plain import as_tip, in_menu
from tempik.digits import plural
from tempik.edit.clips import pins as pin
from tempik.edit.clips.slots import with_clips
from tempik.edit.speed import speed
from tempik.reel import Clip, Curve, Reel, by_id
from tempik.retime import average_speed, constant
from tempik.retime.shaping import with_average
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip, clean_floor, repeats_most


class SpeedPage(SpeedControls):
    """Graph and node fields on the left; numbers and what can be done on the right. `tools` stand in the page panel's head."""

    name, title, key = "speed", "Speed", "F4"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, filmstrips, commands = context.project, context.filmstrips, context.speeds
        self.commands = commands
        self.gesture = Gesture(project)
        self._filling = False
        self._before: Clip | None = None
        self._base: tuple[str, object] | None = None
        self.graph = SpeedGraph(project, filmstrips)
        self._make_numbers()
        self._make_node_fields()
        self._make_panes()
        self._lay_out()
        self.graph.edited.connect(self._edited)
        self.graph.settled.connect(self.gesture.settle)
        self.graph.node_chosen.connect(self._fill_node)
        project.changed.connect(self.want)
        context.transport.looping_changed.connect(lambda: self.show_looping(context.transport.looping))
        project.selection.selected.connect(self._selected)
        project.playhead.moved.connect(lambda _: self.graph.update())
        project.selection.marked_changed.connect(self.graph.refresh)
        filmstrips.changed.connect(self.graph.refresh)
        self.refill()

    # Showing

    def tools(self) -> QWidget | None:
        return self.beside

    def _selected(self) -> None:
        self._end_before()
        self.graph.let_go()
        self.want()

    def entered(self) -> None:
        self.shapes.read_library()

    def refill(self) -> None:
        """Show the selected clip."""
        placed = self.project.selection.placed
        moving = placed is not None and not placed.footage.endless
        self._filling = True
        for widget in (self.uses, self.average, self.panes, *self.gives_buttons, self.compare):
            widget.setEnabled(moving)
        self.slot.setEnabled(placed is not None)
        for label in (self.seconds, self.slowest, self.fastest, self.note):
            label.setText("")
        self.mend.hide()
        if placed is not None:
            self._fill_numbers(placed)
            self._say(placed)
            for pane in (self.shapes, self.direction, self.between, self.sound):
                pane.fill(placed)
        self._filling = False
        self._fill_node()
        self.graph.refresh()

    def _fill_numbers(self, placed: PlacedClip) -> None:
        frames = placed.until - placed.begin
        self.slot.setValue(frames)
        self.seconds.setText(f"{time_of(frames, self.project.reel.rate):.3f} s")
        if placed.footage.endless:
            return
        self.uses.setValue(speed.source_used(placed))
        self.average.setValue(placed.map.average_speed * 100)
        speeds = [n.speed for n in placed.curve.nodes]
        self.slowest.setText(f"{min(speeds, key=abs) * 100 if placed.map.slowest else 0.0:.0f} %")
        self.fastest.setText(f"{max(speeds, key=abs) * 100:.0f} %")

    def _fill_node(self) -> None:
        placed, number = self.project.selection.placed, self.graph.node
        nodes = placed.chosen.nodes if placed is not None and not placed.footage.endless else ()
        there = number is not None and number < len(nodes)
        self.hint.setVisible(not there)
        for field in self.node_fields:
            field.setVisible(there)
        if placed is None or number is None or not there:
            return
        self._filling = True
        node = nodes[number]
        self.node_title.setText(f"{number + 1}/{len(nodes)}")
        self.node_title.setToolTip("The chosen node; Page Up and Page Down choose another")
        self.node_frame.setValue(node.at * (placed.until - placed.begin))
        self.node_frame.setEnabled(0 < number < len(nodes) - 1)
        self.node_speed.setValue(node.speed * 100)
        self.node_in.setValue(round(node.soft_in * 100))
        self.node_out.setValue(round(node.soft_out * 100))
        self.node_in.setEnabled(number > 0)
        self.node_out.setEnabled(number + 1 < len(nodes))
        self.node_hold.setChecked(node.hold)
        self.node_hold.setEnabled(number + 1 < len(nodes))
        self.node_gone.setEnabled(len(nodes) > 1)
        self._filling = False

    def _say(self, placed: PlacedClip) -> None:
        """Say what the clip lacks, with its mends, or what its slowest stretch does."""
        trouble = pin.trouble(self.project.timeline, placed)
        text, whole = trouble, trouble
        if trouble:
            # The graph shows where, and whose clip it is: the sentence is whole in the tip.
            text = trouble.removeprefix(f"{placed.footage.name}: ")
            text = (text[0].upper() + text[1:]).replace(" s missing", "\u00a0s\u00a0missing")
            whole = f"{trouble} {self._where_short(placed)}".strip()
            self.mend.setVisible(True)
        elif placed.footage.endless:
            text = ""
        elif all(n.speed == 0 for n in placed.curve.nodes):
            text = "The picture stands still throughout."
        elif (placed.clip.interpolation or self.project.reel.interpolation) == "nearest":
            times = repeats_most(placed, self.project.reel.rate)
            floor = clean_floor(placed.footage, self.project.reel.rate)
            if times == 0:
                held = any(n.speed == 0 and n.hold for n in placed.curve.nodes)
                text = (
                    "The picture stands still where the speed is 0." if held else "Frames repeat about its standstill."
                )
            elif times > 1:
                text = f"Below {floor * 100:.0f} % frames repeat, here {times} times."
        self.note.setText(text)
        self.note.setToolTip(as_tip(whole or text))

    def _fill_mends(self) -> None:
        """Offer what would mend the clip; found only when asked for, since each is tried out on the reel."""
        self.mend_menu.clear()
        placed = self.project.selection.placed
        for mend in pin.mends(self.project.timeline, placed) if placed is not None else ():
            done = mend.text[0].upper() + mend.text[1:]
            self.mend_menu.addAction(in_menu(done)).triggered.connect(
                lambda _=False, m=mend, d=done: self.project.change(d, m.change)
            )

    def _where_short(self, placed: PlacedClip) -> str:
        rate = float(self.project.reel.rate)
        if placed.short_before_s > 0 and placed.map.average_speed >= 0:
            return f"Frames {placed.first} to {placed.first + round(placed.short_before_s * rate)} stand still."
        if placed.short_after_s > 0 and placed.map.average_speed >= 0:
            return f"Frames {placed.end - round(placed.short_after_s * rate)} to {placed.end} stand still."
        return ""

    # Changing

    def _clip(self) -> Clip | None:
        return None if self._filling else self.project.selection.clip

    def _edited(self, curve: Curve, what: str) -> None:
        clip = self.project.selection.clip
        if clip is not None:
            self._end_before()
            gives = self.commands.gives
            self.gesture.show(lambda reel: speed.with_curve(reel, clip.id, curve, gives))

    def _choose_gives(self, number: int) -> None:
        self.commands.let_give(GIVES[number][0])

    def _slot_typed(self, frames: int) -> None:
        clip, gives = self._clip(), self.commands.gives
        if clip is not None:
            way: speed.GivesWay = "source" if gives == "source" else "speed"
            self._do(plural(frames, "frame"), lambda reel: speed.with_slot_frames(reel, [clip.id], frames, way))

    def _uses_typed(self, seconds: float) -> None:
        clip, gives = self._clip(), self.commands.gives
        if clip is not None:
            way: speed.GivesWay = "slot" if gives == "slot" else "speed"
            self._do(f"{seconds:.3f} s of footage", lambda reel: speed.with_source_used(reel, clip.id, seconds, way))

    def _average_typed(self, percent: float) -> None:
        clip, placed, gives = self._clip(), self.project.selection.placed, self.commands.gives
        if clip is None or placed is None:
            return
        way: speed.GivesWay = "source" if gives == "speed" else gives
        flat = len(placed.chosen.nodes) == 1 or abs(average_speed(placed.chosen)) < 1e-9
        curve = constant(percent / 100) if flat else with_average(placed.chosen, percent / 100)
        if clip.shaped is not None and way == "source" and placed.map.average_speed and percent:
            factor = percent / 100 / placed.map.average_speed
            self._do(f"Speed {percent:.1f} %", lambda reel: _with_times(reel, clip.id, factor))
        else:
            self._do(f"Speed {percent:.1f} %", lambda reel: speed.with_curve(reel, clip.id, curve, way))

    def _do(self, what: str, edit: Callable[[Reel], Reel]) -> None:
        self._end_before()
        if not self.project.change(what, edit):
            self.refill()  # what could not be had is shown as it is

    def _node(self, what: str, **changes: float | bool) -> None:
        if not self._filling:
            self.graph.change_node(what, **changes)

    def _node_at(self, frame: float) -> None:
        placed = self.project.selection.placed
        if placed is not None:
            self._node("Node moved", at=frame / max(placed.until - placed.begin, 1))

    # Comparing and looping

    def toggle_before(self) -> None:
        """Show the clip's speed as it was before the last change of it, or as it is now."""
        if self._before is not None:
            self._end_before()
            return
        clip = self.project.selection.clip
        then = self._speed_before(clip) if clip is not None else None
        if clip is None or then is None:
            self.compare.setChecked(False)
            self.project.messages.say("This clip's speed has not been changed yet.", False)
            return
        now = self.project.selection.placed
        self._before = clip
        self.project.compare(with_clips(self.project.reel, [then]))
        self.graph.draw_before(now)
        self.compare.setChecked(True)
        self.compare.setText("now")
        self.graph.refresh()

    def _end_before(self) -> None:
        if self._before is not None:
            self._before = None
            self.project.compare(None)
        self.graph.draw_before(None)
        self.compare.setChecked(False)
        self.compare.setText("before")
        self.graph.refresh()

    def _speed_before(self, clip: Clip) -> Clip | None:
        """Return the clip as it was when its speed last was another, on the slot that it has now."""
        history = self.project.history
        for step in reversed(history.steps[: history.at]):
            then = by_id(step.reel.clips, clip.id)
            if then is None:
                return None
            if (then.curve, then.part, then.shaped) != (clip.curve, clip.part, clip.shaped):
                return replace(clip, curve=then.curve, part=then.part, shaped=then.shaped, source_s=then.source_s)
        return None

    def show_looping(self, what: str) -> None:
        """Show what is looped: `clip`, `bars` or nothing."""
        self.loop_clip.setChecked(what == "clip")
        self.loop_bars.setChecked(what == "bars")


def _with_times(reel: Reel, name: str, factor: float) -> Reel:
    clip = by_id(reel.clips, name)
    return with_clips(reel, [speed.times(clip, factor)]) if clip is not None else reel
