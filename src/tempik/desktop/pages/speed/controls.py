"""The controls of the Speed page: numbers, the chosen node, panes, what stands beside the tabs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.commands.speed import SpeedCommands
from tempik.desktop.pages.page import Page
from tempik.desktop.pages.speed.graph import SpeedGraph
from tempik.desktop.pages.speed.panes import BetweenPane, DirectionPane, SoundPane
from tempik.desktop.pages.speed.shapes_pane import ShapesPane
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet, toggle
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures
from tempik.desktop.widgets.typed import DecimalSpin, Spin
from tempik.edit.speed import speed
from tempik.reel.validate import SPEED_LIMIT

SIDE_W = 304
GIVES: tuple[tuple[speed.GivesWay, str], ...] = (
    ("source", "Other footage is used; slot and speeds stay"),
    ("slot", "The slot grows or shrinks; what follows moves along"),
    ("speed", "Speeds are scaled; slot and footage stay"),
)
PANES = ("Shapes", "Direction", "Between", "Sound")


class SpeedControls(Page):
    """Makes the controls and lays them out; the page fills them."""

    commands: SpeedCommands
    graph: SpeedGraph
    # What the page does with them.
    _slot_typed: Callable[[int], None]
    _uses_typed: Callable[[float], None]
    _average_typed: Callable[[float], None]
    _choose_gives: Callable[[int], None]
    _node_at: Callable[[float], None]
    _node: Callable[..., None]
    _fill_mends: Callable[[], None]
    toggle_before: Callable[[], None]

    def _make_numbers(self) -> None:
        self.slot, self.uses, self.average = Spin(), DecimalSpin(), DecimalSpin()
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
            marks.room(box, "low")
        self.slot.valueChanged.connect(self._slot_typed)
        self.uses.valueChanged.connect(self._uses_typed)
        self.average.valueChanged.connect(self._average_typed)
        self.seconds, self.slowest, self.fastest = Label(), Label(), Label()
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
        self.node_title = Label()
        self.node_frame, self.node_speed = DecimalSpin(), DecimalSpin()
        self.node_in, self.node_out = Spin(), Spin()
        self.node_hold = QCheckBox("hold")
        self.node_hold.setToolTip("The speed stays as it is up to the next node")
        self.node_gone = QPushButton("×")
        self.node_gone.setToolTip("Take the node out (Delete)")
        self.node_gone.setAccessibleName("Take the node out")
        self.node_gone.setFixedWidth(24)
        marks.room(self.node_gone, "bare")
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
            (self.node_frame, "Frame of the node, counted in the clip", 98),
            (self.node_speed, "Speed at the node", 74),
            (self.node_in, "Softness into the node", 74),
            (self.node_out, "Softness out of the node", 80),
        ):
            field.setFont(figures(12))
            field.setKeyboardTracking(False)
            field.setAccessibleName(name)
            field.setToolTip(name)
            field.setFixedWidth(width)
            marks.room(field, "low")
        graph = self.graph
        self.node_frame.valueChanged.connect(self._node_at)
        self.node_speed.valueChanged.connect(lambda v: self._node("Speed changed", speed=v / 100))
        self.node_in.valueChanged.connect(lambda v: self._node("Softness changed", soft_in=v / 100))
        self.node_out.valueChanged.connect(lambda v: self._node("Softness changed", soft_out=v / 100))
        self.node_hold.clicked.connect(lambda on: self._node("Hold changed", hold=on))
        self.node_gone.clicked.connect(lambda: graph.remove_node(graph.node) if graph.node is not None else None)
        self.hint = Label("Double click adds a node. Drag on the pictures marks a stretch.")
        marks.ink(self.hint, "quiet")
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
            marks.mark(tab, "tab", "pane")
            tab.clicked.connect(lambda _=False, n=number: self.show_pane(n))
            self.pane_tabs.append(tab)
        self.show_pane(0)

    def show_pane(self, number: int) -> None:
        """Show one of the panes, by its number."""
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
        self.note = Label()
        self.note.setWordWrap(True)
        marks.ink(self.note, "warning")
        self.note.setMaximumHeight(2 * self.note.fontMetrics().lineSpacing() + 2)
        self.mend = QPushButton("Mend …")
        marks.room(self.mend, "low")
        self.mend.setToolTip("What would mend this clip")
        self.mend.hide()
        self.mend_menu = QMenu(self)
        self.mend_menu.aboutToShow.connect(self._fill_mends)
        self.mend.setMenu(self.mend_menu)
        message = QHBoxLayout()
        message.addWidget(self.note, 1)
        message.addWidget(self.mend)
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(4)
        side.addLayout(numbers)
        side.addLayout(gives)
        side.addLayout(tabs)
        side.addWidget(self.panes, 1)
        side.addLayout(message)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(SIDE_W)
        self._make_beside()
        left = self._make_left()
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 14, 8)
        whole.setSpacing(14)
        whole.addLayout(left, 1)
        whole.addWidget(holder)

    def _make_beside(self) -> None:
        """What stands beside the tabs."""
        self.compare = toggle("before", "The speed as it was before, on screen and in the graph (;)")
        self.loop_clip = toggle("loop clip", "Play this clip round and round (8)")
        self.loop_bars = toggle("2 bars", "Play the two bars around it round and round (9)")
        self.compare.clicked.connect(self.toggle_before)
        self.loop_clip.clicked.connect(lambda on: self.context.play.loop("clip" if on else ""))
        self.loop_bars.clicked.connect(lambda on: self.context.play.loop("bars" if on else ""))
        self.beside = QWidget()
        tools = QHBoxLayout(self.beside)
        tools.setContentsMargins(0, 0, 10, 0)
        tools.setSpacing(4)
        for button in (self.compare, self.loop_clip, self.loop_bars):
            marks.room(button, "wide")
            tools.addWidget(button)

    def _make_left(self) -> QVBoxLayout:
        """The graph, and beneath it the fields of the chosen node."""
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
        return left
