"""On which points the selected clips come again, and what is cut out of the picture of the one that is shown."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.layers import LayerCommands
from tempik.desktop.pages.layer.mask_tool import MaskTool
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import Dropdown, control_of
from tempik.desktop.widgets.form import button, column, holder, line, low, quiet, toggle
from tempik.digits import plural
from tempik.edit.clips import repeats
from tempik.reel import Clip, Rule
from tempik.reel.lanes import RULE_SETTINGS

# What a clip is laid again on: what it is called, and the rule.
RULES: tuple[tuple[str, Rule | None], ...] = (
    ("once", None),
    ("on points", Rule(of="points")),
    ("on downbeats", Rule(of="bars", beats=(1,))),
    ("on beats 2 and 4", Rule(of="bars", beats=(2, 4))),
    ("on onsets", Rule(of="onsets")),
    ("on drops", Rule(of="drops")),
    ("by frames", Rule(of="frames", every=30)),
)
EVERY = RULE_SETTINGS["every"]._replace(within=(1, 999), does="Every so many of them")


class RepeatFields(QWidget):
    """Shows the rule of one clip, changes that of all that are selected."""

    def __init__(self, project: Project, commands: LayerCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.rule = Dropdown(enumerate(title for title, _ in RULES), 0)
        self.rule.setToolTip("Laid again wherever the rule fires, also when points are moved or chosen anew")
        self.rule.told.connect(lambda _: self._ruled())
        self.every = control_of(EVERY)
        self.every.setPrefix("every ")
        self.every.told.connect(lambda _: self._ruled())
        self.count = quiet("")
        one, all_ = "The one at the playhead becomes a clip, changed by itself", "Also where it was left out by hand"
        below = "A clip that changes what lies below it, by accents and framing of its own"
        self.leave_out = button("Leave out here", "Not at the playhead", commands.leave_out, "low")
        self.make_own = button("Own clip here", one, commands.make_own, "low")
        self.all_back = button("All back", all_, self._all_back, "low")
        self.adjust = button("Adjust clip here", below, commands.add_adjust, "low")
        low(self.rule)
        self._here = holder(line(self.leave_out, self.make_own, self.all_back, None, spacing=5))
        again = line("laid", self.rule, self.every, self.count, None, self.adjust, spacing=5)
        column(again, self._here, over=self)

    def show_clip(self, clip: Clip | None) -> None:
        """Show on what a clip is laid again."""
        repeat = clip.repeat if clip is not None else None
        rule = repeat.rule if repeat is not None else None
        self.rule.setEnabled(clip is not None)
        like = [
            n for n, (_, known) in enumerate(RULES) if rule is not None and known is not None and _alike(known, rule)
        ]
        self.rule.show_value(like[0] if like else 0)
        self.every.show_value(rule.every if rule is not None else 1)
        here = self.commands.repeat_instance_here() is not None if rule is not None else False
        for of_a_rule in (self.every, self._here):
            of_a_rule.setVisible(rule is not None)
        for here_only in (self.leave_out, self.make_own):
            here_only.setEnabled(here)
        self.all_back.setVisible(repeat is not None and bool(repeat.without))
        count = len(repeats.repeat_instances(self.project.timeline, clip.id)) if clip is not None else 0
        self.count.setText(f"{count} more" if rule is not None else "")

    def _ruled(self) -> None:
        names, rule = self.project.selection.chosen_clips, RULES[self.rule.currentIndex()][1]
        old = self.project.selection.clip
        if rule is not None:
            same = old is not None and old.repeat is not None and old.repeat.rule.of == rule.of
            every = int(self.every.value()) if same or rule.of != "frames" else rule.every
            rule = replace(rule, every=every)
        self.project.change(
            "Laid again" if rule is not None else "Laid once", lambda reel: repeats.with_repeat(reel, names, rule)
        )

    def _all_back(self) -> None:
        names = self.project.selection.chosen_clips
        self.project.change("Repeats all back", lambda reel: repeats.with_all_repeat_instances(reel, names))


def _alike(a: Rule, b: Rule) -> bool:
    return a.of == b.of and (a.of != "bars" or a.beats == b.beats)


class CuttingFields(QWidget):
    """Strokes on the subject and on the rest, and the cut that is carried through the clip."""

    def __init__(self, commands: LayerCommands, tool: MaskTool) -> None:
        super().__init__()
        self.commands, self.tool = commands, tool
        here, rest = "Drag in the preview over what is", "where it was taken for it"
        self.keep = toggle("Stroke the subject", f"{here} kept", lambda on: self._brush(True if on else None), "low")
        self.drop = toggle(
            "Stroke the rest", f"{here} not kept, {rest}", lambda on: self._brush(False if on else None), "low"
        )
        self.cut = button("Cut out", "Carry the cut through what the clip shows", self._cut, "low")
        self.again_from = button("Forget the strokes", "Those that are not cut yet", self._forget, "low")
        self.show_all = button("Show all", "The whole picture again", commands.cut_nothing_out, "low")
        self.strokes = quiet("")
        commands.cut.connect(self._forget)
        cutting = (self.keep, self.drop, self.cut, self.strokes, self.again_from, self.show_all)
        line("cut out", *cutting, None, over=self, spacing=5)

    def show_clip(self, clip: Clip | None, moves: bool) -> None:
        """Show a clip, of whose picture something can be cut out where it `moves`."""
        strokes = self.tool.strokes
        for widget in (self.keep, self.drop):
            widget.setEnabled(moves)
        self.keep.setChecked(self.tool.brush is True)
        self.drop.setChecked(self.tool.brush is False)
        self.strokes.setText(plural(len(strokes), "stroke") if strokes else "")
        self.cut.setEnabled(moves and bool(strokes))
        self.again_from.setVisible(bool(strokes))
        self.show_all.setVisible(clip is not None and bool(clip.cutout))

    def _brush(self, keep: bool | None) -> None:
        self.tool.take_brush(keep)
        self.tool.stroked()

    def _cut(self) -> None:
        self.commands.cut_out(tuple(self.tool.strokes))
        self._brush(None)

    def _forget(self) -> None:
        self.tool.forget_strokes()
        self.tool.stroked()
