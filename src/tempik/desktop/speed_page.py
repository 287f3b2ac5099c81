"""The Speed page: the selected clip's speed as a graph, what gives way, shapes, directions, frames between and sound."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop import theme
from tempik.desktop.pane import LOW, quiet, toggle
from tempik.desktop.project import Project
from tempik.desktop.shapes_pane import ShapesPane
from tempik.desktop.speed_commands import SpeedCommands
from tempik.desktop.speed_graph import SpeedGraph
from tempik.desktop.speed_panes import BetweenPane, DirectionPane, SoundPane
from tempik.desktop.strips import Strips
from tempik.desktop.theme import figures
from tempik.edit import pin, speed
from tempik.edit.slots import with_clips
from tempik.edit.timeline import Placed, clean_floor, repeats_most
from tempik.reel import Clip, Curve, Reel, by_id
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import average_speed, constant
from tempik.retime.shaping import with_average
from tempik.time import time_of

SIDE_W = 304
GIVES: tuple[tuple[speed.GivesWay, str], ...] = (
    ("source", "Other footage is used; slot and speeds stay"),
    ("slot", "The slot grows or shrinks; what follows moves along"),
    ("speed", "Speeds are scaled; slot and footage stay"),
)
PANES = ("Shapes", "Direction", "Between", "Sound")


class SpeedPage(QWidget):
    """Graph and node fields on the left; numbers and what can be done on the right. `tools` stand in the bench's head."""

    loop_wanted = Signal(str)

    def __init__(self, project: Project, strips: Strips, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self._filling = False
        self._before: Clip | None = None
        self._base: tuple[str, object] | None = None
        self.graph = SpeedGraph(project, strips)
        self._make_numbers()
        self._make_node_fields()
        self._make_panes()
        self._lay_out()
        self.graph.edited.connect(self._edited)
        self.graph.settled.connect(project.settle)
        self.graph.node_chosen.connect(self._fill_node)
        self.graph.marked_changed.connect(lambda: commands.mark(self.graph.marked))
        commands.marked_changed.connect(lambda: self.graph.mark(commands.marked))
        project.changed.connect(self._refill)
        project.selected.connect(self._selected)
        project.moved.connect(lambda _: self.graph.update())
        strips.changed.connect(self.graph.update)
        self.fill()

    # Making

    def _make_numbers(self) -> None:
        self.slot, self.uses, self.average = QSpinBox(), QDoubleSpinBox(), QDoubleSpinBox()
        self.slot.setRange(1, speed.LONGEST_FRAMES)
        self.slot.setSuffix(" f")
        self.uses.setRange(0, 36000)
        self.uses.setDecimals(3)
        self.uses.setSuffix(" s")
        self.average.setRange(-SPEED_LIMIT * 100, SPEED_LIMIT * 100)
        self.average.setDecimals(1)
        self.average.setSuffix(" %")
        for box, name in (
            (self.slot, "Length of the slot; speed or footage gives way"),
            (self.uses, "Footage used"),
            (self.average, "Average speed; of a curve all speeds are scaled"),
        ):
            box.setFont(figures(13))
            box.setKeyboardTracking(False)
            box.setAlignment(Qt.AlignmentFlag.AlignRight)
            box.setAccessibleName(name)
            box.setToolTip(name)
            box.setMinimumWidth(86)
            box.setStyleSheet(LOW)
        self.slot.valueChanged.connect(self._slot_typed)
        self.uses.valueChanged.connect(self._uses_typed)
        self.average.valueChanged.connect(self._average_typed)
        self.seconds, self.slowest, self.fastest = QLabel(), QLabel(), QLabel()
        for label in (self.seconds, self.slowest, self.fastest):
            label.setFont(figures(13))
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.gives = QButtonGroup(self)
        self.gives_buttons: list[QPushButton] = []
        for number, (name, tip) in enumerate(GIVES):
            button = toggle(name, tip)
            self.gives.addButton(button, number)
            self.gives_buttons.append(button)
        self.gives_buttons[0].setChecked(True)
        self.gives.idClicked.connect(self._choose_gives)

    def _make_node_fields(self) -> None:
        self.node_title = QLabel()
        self.node_frame, self.node_speed = QDoubleSpinBox(), QDoubleSpinBox()
        self.node_in, self.node_out = QSpinBox(), QSpinBox()
        self.node_hold = QCheckBox("hold")
        self.node_hold.setToolTip("The speed stays as it is up to the next node")
        self.node_gone = QPushButton("×")
        self.node_gone.setToolTip("Take the node out (Delete)")
        self.node_gone.setAccessibleName("Take the node out")
        self.node_gone.setFixedWidth(24)
        self.node_gone.setStyleSheet("padding: 1px;")
        self.node_frame.setRange(0, speed.LONGEST_FRAMES)
        self.node_frame.setDecimals(1)
        self.node_frame.setPrefix("frame ")
        self.node_speed.setRange(-SPEED_LIMIT * 100, SPEED_LIMIT * 100)
        self.node_speed.setDecimals(1)
        self.node_speed.setSuffix(" %")
        for box, prefix in ((self.node_in, "in "), (self.node_out, "out ")):
            box.setRange(0, 100)
            box.setPrefix(prefix)
            box.setSuffix(" %")
        for field, name, width in (
            (self.node_frame, "Frame of the node, counted in the clip", 92),
            (self.node_speed, "Speed at the node", 74),
            (self.node_in, "Softness into the node", 66),
            (self.node_out, "Softness out of the node", 74),
        ):
            field.setFont(figures(12))
            field.setKeyboardTracking(False)
            field.setAccessibleName(name)
            field.setToolTip(name)
            field.setFixedWidth(width)
            field.setStyleSheet(LOW)
        graph = self.graph
        self.node_frame.valueChanged.connect(self._node_at)
        self.node_speed.valueChanged.connect(lambda v: self._node("Speed changed", speed=v / 100))
        self.node_in.valueChanged.connect(lambda v: self._node("Softness changed", soft_in=v / 100))
        self.node_out.valueChanged.connect(lambda v: self._node("Softness changed", soft_out=v / 100))
        self.node_hold.clicked.connect(lambda on: self._node("Hold changed", hold=on))
        self.node_gone.clicked.connect(lambda: graph.remove_node(graph.node) if graph.node is not None else None)
        self.hint = QLabel("Double click adds a node. Drag on the pictures marks a stretch.")
        self.hint.setStyleSheet(f"color: {theme.QUIET};")
        self.node_fields = (
            self.node_title,
            self.node_frame,
            self.node_speed,
            self.node_in,
            self.node_out,
            self.node_hold,
            self.node_gone,
        )

    def _make_panes(self) -> None:
        self.shapes = ShapesPane(self.project, self.commands)
        self.direction = DirectionPane(self.commands)
        self.between = BetweenPane(self.project, self.commands)
        self.sound = SoundPane(self.project, self.commands)
        self.panes = QStackedWidget()
        self.pane_tabs: list[QPushButton] = []
        for number, name in enumerate(PANES):
            self.panes.addWidget((self.shapes, self.direction, self.between, self.sound)[number])
            tab = QPushButton(name)
            tab.setCheckable(True)
            tab.setAutoExclusive(True)
            tab.setStyleSheet(
                "QPushButton { background: transparent; border: none; border-bottom: 2px solid transparent;"
                f" border-radius: 0; padding: 2px 6px; color: {theme.QUIET}; }}"
                f"QPushButton:checked {{ color: {theme.TEXT}; border-bottom-color: {theme.SPEED}; background: transparent; }}"
                f"QPushButton:hover {{ color: {theme.TEXT}; }} QPushButton:focus {{ color: {theme.RHYTHM}; }}"
            )
            tab.clicked.connect(lambda _=False, n=number: self.show_pane(n))
            self.pane_tabs.append(tab)
        self.show_pane(0)

    def show_pane(self, number: int) -> None:
        self.panes.setCurrentIndex(number)
        self.pane_tabs[number].setChecked(True)

    def _lay_out(self) -> None:
        numbers = QGridLayout()
        numbers.setVerticalSpacing(3)
        numbers.setHorizontalSpacing(6)
        for row, (name, box, label, other) in enumerate(
            (
                ("slot", self.slot, self.seconds, ""),
                ("uses", self.uses, self.slowest, "slowest"),
                ("average", self.average, self.fastest, "fastest"),
            )
        ):
            numbers.addWidget(quiet(name), row, 0)
            numbers.addWidget(box, row, 1)
            numbers.addWidget(quiet(other), row, 2)
            numbers.addWidget(label, row, 3)
        numbers.setColumnStretch(3, 1)
        gives = QHBoxLayout()
        gives.setSpacing(4)
        gives.addWidget(quiet("gives way"))
        for button in self.gives_buttons:
            gives.addWidget(button, 1)
        tabs = QHBoxLayout()
        tabs.setSpacing(2)
        for tab in self.pane_tabs:
            tabs.addWidget(tab)
        tabs.addStretch(1)
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.note.setStyleSheet(f"color: {theme.WARNING_TEXT};")
        self.note.setMaximumHeight(2 * self.note.fontMetrics().lineSpacing() + 2)
        self.mend = QPushButton("Mend …")
        self.mend.setStyleSheet(LOW)
        self.mend.setToolTip("What would mend this clip")
        self.mend.hide()
        self.mend_menu = QMenu(self)
        self.mend_menu.aboutToShow.connect(self._fill_mends)
        self.mend.setMenu(self.mend_menu)
        said = QHBoxLayout()
        said.addWidget(self.note, 1)
        said.addWidget(self.mend)
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(4)
        side.addLayout(numbers)
        side.addLayout(gives)
        side.addLayout(tabs)
        side.addWidget(self.panes, 1)
        side.addLayout(said)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(SIDE_W)
        self.compare = toggle("before", "The speed as it was before, on screen and in the graph (;)")
        self.loop_clip = toggle("loop clip", "Play this clip round and round (8)")
        self.loop_bars = toggle("2 bars", "Play the two bars around it round and round (9)")
        self.compare.clicked.connect(self.toggle_before)
        self.loop_clip.clicked.connect(lambda on: self.loop_wanted.emit("clip" if on else ""))
        self.loop_bars.clicked.connect(lambda on: self.loop_wanted.emit("bars" if on else ""))
        self.tools = QWidget()
        tools = QHBoxLayout(self.tools)
        tools.setContentsMargins(0, 0, 10, 0)
        tools.setSpacing(4)
        for button in (self.compare, self.loop_clip, self.loop_bars):
            button.setStyleSheet("padding: 1px 8px; min-height: 18px;")
            tools.addWidget(button)
        beneath = QWidget()
        beneath.setFixedHeight(28)  # the graph must not move when a node is taken hold of
        below = QHBoxLayout(beneath)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(4)
        below.addWidget(self.hint)
        for field in self.node_fields:
            below.addWidget(field)
        below.addStretch(1)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.graph, 1)
        left.addWidget(beneath)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 14, 8)
        whole.setSpacing(14)
        whole.addLayout(left, 1)
        whole.addWidget(holder)

    # Showing

    def _refill(self) -> None:
        if self.isVisible():
            self.fill()

    def _selected(self) -> None:
        self._end_before()
        self.graph.node = None
        self.graph.before = None
        self._refill()

    def showEvent(self, event: QShowEvent) -> None:
        self.shapes.read_library()
        self.fill()

    def fill(self) -> None:
        """Show the selected clip."""
        placed = self.project.placed
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
        self.graph.update()

    def _fill_numbers(self, placed: Placed) -> None:
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
        placed, number = self.project.placed, self.graph.node
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

    def _say(self, placed: Placed) -> None:
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
        elif (placed.clip.between or self.project.reel.between) == "nearest":
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
        self.note.setToolTip(whole or text)

    def _fill_mends(self) -> None:
        """Offer what would mend the clip; found only when asked for, since each is tried out on the reel."""
        self.mend_menu.clear()
        placed = self.project.placed
        for mend in pin.mends(self.project.timeline, placed) if placed is not None else ():
            done = mend.text[0].upper() + mend.text[1:]
            self.mend_menu.addAction(done).triggered.connect(
                lambda _=False, m=mend, d=done: self.project.change(d, m.change)
            )

    def _where_short(self, placed: Placed) -> str:
        rate = float(self.project.reel.rate)
        if placed.short_before_s > 0 and placed.map.average_speed >= 0:
            return f"Frames {placed.first} to {placed.first + round(placed.short_before_s * rate)} stand still."
        if placed.short_after_s > 0 and placed.map.average_speed >= 0:
            return f"Frames {placed.end - round(placed.short_after_s * rate)} to {placed.end} stand still."
        return ""

    # Changing

    def _clip(self) -> Clip | None:
        return None if self._filling else self.project.clip

    def _edited(self, curve: Curve, what: str) -> None:
        clip = self.project.clip
        if clip is not None:
            self._end_before()
            gives = self.commands.gives
            self.project.preview_change(lambda reel: speed.with_curve(reel, clip.id, curve, gives))

    def _choose_gives(self, number: int) -> None:
        self.commands.gives = GIVES[number][0]

    def _slot_typed(self, frames: int) -> None:
        clip, gives = self._clip(), self.commands.gives
        if clip is not None:
            way: speed.GivesWay = "source" if gives == "source" else "speed"
            self._do(f"{frames} frames", lambda reel: speed.with_slot_frames(reel, [clip.id], frames, way))

    def _uses_typed(self, seconds: float) -> None:
        clip, gives = self._clip(), self.commands.gives
        if clip is not None:
            way: speed.GivesWay = "slot" if gives == "slot" else "speed"
            self._do(f"{seconds:.3f} s of footage", lambda reel: speed.with_source_used(reel, clip.id, seconds, way))

    def _average_typed(self, percent: float) -> None:
        clip, placed, gives = self._clip(), self.project.placed, self.commands.gives
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
            self.fill()  # what could not be had is shown as it is

    def _node(self, what: str, **changes: float | bool) -> None:
        if not self._filling:
            self.graph.change_node(what, **changes)

    def _node_at(self, frame: float) -> None:
        placed = self.project.placed
        if placed is not None:
            self._node("Node moved", at=frame / max(placed.until - placed.begin, 1))

    # Comparing and looping

    def toggle_before(self) -> None:
        """Show the clip's speed as it was before the last change of it, or as it is now."""
        if self._before is not None:
            self._end_before()
            return
        clip = self.project.clip
        then = self._speed_before(clip) if clip is not None else None
        if clip is None or then is None:
            self.compare.setChecked(False)
            self.project.said.emit("This clip's speed has not been changed yet.", False)
            return
        now = self.project.placed
        self._before = clip
        self.project.preview_change(lambda reel: with_clips(reel, [then]))
        self.graph.before = now
        self.compare.setChecked(True)
        self.compare.setText("now")
        self.graph.update()

    def _end_before(self) -> None:
        if self._before is not None:
            self._before = None
            self.project.forget_gesture()
        self.graph.before = None
        self.compare.setChecked(False)
        self.compare.setText("before")
        self.graph.update()

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
        self.loop_clip.setChecked(what == "clip")
        self.loop_bars.setChecked(what == "bars")


def _with_times(reel: Reel, name: str, factor: float) -> Reel:
    clip = by_id(reel.clips, name)
    return with_clips(reel, [speed.times(clip, factor)]) if clip is not None else reel
