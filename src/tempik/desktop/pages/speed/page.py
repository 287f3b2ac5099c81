"""The Speed page: the selected clip's speed as a graph, what gives way, shapes, directions, frames between and sound."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QButtonGroup, QMenu, QPushButton, QStackedWidget, QWidget

from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.speed.graph import SpeedGraph
from tempik.desktop.pages.speed.numbers import ClipNumbers, NodeFields
from tempik.desktop.pages.speed.panes import BetweenPane, DirectionPane, SoundPane
from tempik.desktop.pages.speed.shapes_pane import ShapesPane
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.by_hand import entries_ask
from tempik.desktop.widgets.form import column, holder, line, toggle
from tempik.desktop.widgets.plain import Label, as_tip, in_menu
from tempik.edit.clips import pins as pin
from tempik.edit.clips.slots import with_clips
from tempik.edit.speed import speed
from tempik.reel import Clip, Curve, by_id
from tempik.timeline.placed_clip import PlacedClip, clean_floor, repeats_most

SIDE_W = 304


class SpeedPage(Page):
    """Graph and node fields on the left; numbers and what can be done on the right. `tools` stand in the page panel's head."""

    name, title, key = "speed", "Speed", "F4"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, filmstrips, self.commands = context.project, context.filmstrips, context.speeds
        self.gesture = Gesture(project)
        self._before: Clip | None = None
        self.graph = SpeedGraph(project, filmstrips)
        self.numbers, self.node = ClipNumbers(project, self.commands), NodeFields()
        self.numbers.began.connect(self._end_before)
        self.numbers.refused.connect(self.refill)
        self.node.edited.connect(lambda what, fields: self.graph.change_node(what, **fields))
        self.node.removed.connect(
            lambda: self.graph.remove_node(self.graph.node) if self.graph.node is not None else None
        )
        self._make_panes()
        self._make_tools()
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

    def _make_panes(self) -> None:
        self.shapes = ShapesPane(self.project, self.commands)
        self.direction = DirectionPane(self.commands)
        self.between = BetweenPane(self.project, self.commands)
        self.sound = SoundPane(self.project, self.commands)
        self.panes, self._tabs = QStackedWidget(), QButtonGroup(self)
        named = {"Shapes": self.shapes, "Direction": self.direction, "Between": self.between, "Sound": self.sound}
        for number, (name, pane) in enumerate(named.items()):
            self.panes.addWidget(pane)
            tab = QPushButton(name)
            tab.setCheckable(True)
            marks.mark(tab, "tab", "pane")
            self._tabs.addButton(tab, number)
        self._tabs.idClicked.connect(self.show_pane)
        self.show_pane(0)

    def show_pane(self, number: int) -> None:
        """Show one of the panes, by its number."""
        self.panes.setCurrentIndex(number)
        self._tabs.button(number).setChecked(True)

    def _make_tools(self) -> None:
        """What stands beside the tabs of the page panel."""
        was, clip, bars = (
            "The speed as it was before, on screen and in the graph (;)",
            "Play this clip round and round (8)",
            "Play the two bars around it round and round (9)",
        )
        play = self.context.play
        self.compare = toggle("before", was, lambda _: self.toggle_before(), "wide")
        self.loop_clip = toggle("loop clip", clip, lambda on: play.loop("clip" if on else ""), "wide")
        self.loop_bars = toggle("2 bars", bars, lambda on: play.loop("bars" if on else ""), "wide")
        self.beside = QWidget()
        line(self.compare, self.loop_clip, self.loop_bars, over=self.beside, margins=(0, 0, 10, 0))

    def _lay_out(self) -> None:
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
        self.mend.setMenu(entries_ask(self.mend_menu))
        tabs = line(*self._tabs.buttons(), None, spacing=2)
        side = holder(column(self.numbers, tabs, (self.panes, 1), line((self.note, 1), self.mend)))
        side.setFixedWidth(SIDE_W)
        line((column((self.graph, 1), self.node), 1), side, over=self, spacing=14, margins=(12, 6, 14, 8))

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
        for widget in (self.panes, self.compare):
            widget.setEnabled(moving)
        self.numbers.show_clip(placed)
        self.note.setText("")
        self.mend.hide()
        if placed is not None:
            self._say(placed)
            for pane in (self.shapes, self.direction, self.between, self.sound):
                pane.fill(placed)
        self._fill_node()
        self.graph.refresh()

    def _fill_node(self) -> None:
        self.node.show_node(self.project.selection.placed, self.graph.node)

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
        elif not placed.footage.endless:
            text = self._about_frames(placed)
        self.note.setText(text)
        self.note.setToolTip(as_tip(whole or text))

    def _about_frames(self, placed: PlacedClip) -> str:
        """Return what the clip's slowest stretch does to its frames; '' for nothing."""
        nodes, rate = placed.curve.nodes, self.project.reel.rate
        if all(n.speed == 0 for n in nodes):
            return "The picture stands still throughout."
        if (placed.clip.interpolation or self.project.reel.interpolation) != "nearest":
            return ""
        times = repeats_most(placed, rate)
        if times == 0:
            held = any(n.speed == 0 and n.hold for n in nodes)
            return "The picture stands still where the speed is 0." if held else "Frames repeat about its standstill."
        return (
            f"Below {clean_floor(placed.footage, rate) * 100:.0f} % frames repeat, here {times} times."
            if times > 1
            else ""
        )

    def _where_short(self, placed: PlacedClip) -> str:
        rate = float(self.project.reel.rate)
        if placed.map.average_speed < 0:
            return ""
        if placed.short_before_s > 0:
            return f"Frames {placed.first} to {placed.first + round(placed.short_before_s * rate)} stand still."
        if placed.short_after_s > 0:
            return f"Frames {placed.end - round(placed.short_after_s * rate)} to {placed.end} stand still."
        return ""

    def _fill_mends(self) -> None:
        """Offer what would mend the clip; found only when asked for, since each is tried out on the reel."""
        self.mend_menu.clear()
        placed = self.project.selection.placed
        for mend in pin.mends(self.project.timeline, placed) if placed is not None else ():
            done = mend.text[0].upper() + mend.text[1:]
            self.mend_menu.addAction(in_menu(done)).triggered.connect(partial(self.project.change, done, mend.change))

    def _edited(self, curve: Curve, what: str) -> None:
        clip = self.project.selection.clip
        if clip is not None:
            self._end_before()
            gives = self.commands.gives
            self.gesture.show(lambda reel: speed.with_curve(reel, clip.id, curve, gives))

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
