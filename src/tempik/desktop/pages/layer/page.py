"""The Layer page: how the selected clips lie over what is below, where of them shows, and on which points they come again."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout

from tempik.desktop.pages.layer.laid_fields import LayerFields
from tempik.desktop.pages.layer.mask_fields import ClearFields, MaskFields
from tempik.desktop.pages.layer.mask_tool import MaskTool
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.jobs import Job
from tempik.desktop.widgets.controls import Dropdown, control_of
from tempik.desktop.widgets.form import button, column, line, low, quiet, toggle
from tempik.desktop.widgets.theme import words
from tempik.digits import plural
from tempik.edit.clips import masks, repeats
from tempik.edit.footage import tracking
from tempik.errors import TempikError
from tempik.reel import Clear, Clip, Mask, MotionTrack, Reel, Rule
from tempik.reel.lanes import RULE_SETTINGS
from tempik.render.picking import colour_at
from tempik.timeline.framing import frame_matrix
from tempik.timeline.masking import shapes_at

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


class LayerPage(Page):
    """Changes all selected clips; masks are those of the clip that is shown."""

    name, title, key = "layer", "Layer", "F10"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.commands = context.layers
        self.mask_id = ""
        self.tool = MaskTool(context.project, lambda: self.mask_id, self._choose, self.want)
        self.laid = LayerFields(context.project)
        self.masks, self.clear = MaskFields(), ClearFields()
        self.note = quiet("", wraps=True)
        self.note.setFont(words(12))
        again, cutting = self._make_again(), self._make_cutting()
        parts = (self.laid, again, self.masks, self.clear, cutting, None, self.note)
        column(*parts, over=self, spacing=8, margins=(14, 8, 14, 6))
        self._wire()

    def _make_again(self) -> QHBoxLayout:
        self.rule = Dropdown(enumerate(title for title, _ in RULES), 0)
        self.rule.setToolTip("Laid again wherever the rule fires, also when points are moved or chosen anew")
        self.rule.told.connect(lambda _: self._ruled())
        self.every = control_of(RULE_SETTINGS["every"]._replace(within=(1, 999), does="Every so many of them"))
        self.every.setPrefix("every ")
        self.every.told.connect(lambda _: self._ruled())
        self.count = quiet("")
        commands = self.commands
        one, all_ = "The one at the playhead becomes a clip, changed by itself", "Also where it was left out by hand"
        below = "A clip that changes what lies below it, by accents and framing of its own"
        self.leave_out = button("Leave out here", "Not at the playhead", commands.leave_out, "low")
        self.make_own = button("Own clip here", one, commands.make_own, "low")
        self.all_back = button("All back", all_, self._all_back, "low")
        self.adjust = button("Adjust clip here", below, commands.add_adjust, "low")
        low(self.rule)
        again = (self.rule, self.every, self.count, self.leave_out, self.make_own, self.all_back)
        return line("laid", *again, None, self.adjust, spacing=5)

    def _make_cutting(self) -> QHBoxLayout:
        here, rest = "Drag in the preview over what is", "where it was taken for it"
        self.keep = toggle("Stroke the subject", f"{here} kept", lambda on: self._brush(True if on else None), "low")
        self.drop = toggle(
            "Stroke the rest", f"{here} not kept, {rest}", lambda on: self._brush(False if on else None), "low"
        )
        self.cut = button("Cut out", "Carry the cut through what the clip shows", self._cut, "low")
        self.again_from = button("Forget the strokes", "Those that are not cut yet", self._forget, "low")
        self.show_all = button("Show all", "The whole picture again", self.commands.cut_nothing_out, "low")
        self.strokes = quiet("")
        cutting = (self.keep, self.drop, self.cut, self.strokes, self.again_from, self.show_all)
        return line("cut out", *cutting, None, spacing=5)

    def _brush(self, keep: bool | None) -> None:
        self.tool.take_brush(keep)
        self.want()

    def _cut(self) -> None:
        self.commands.cut_out(tuple(self.tool.strokes))
        self._brush(None)

    def _forget(self) -> None:
        self.tool.forget_strokes()
        self.want()

    def _show_cutting(self, clip: Clip, moves: bool) -> None:
        strokes = self.tool.strokes
        for widget in (self.keep, self.drop):
            widget.setEnabled(moves)
        self.keep.setChecked(self.tool.brush is True)
        self.drop.setChecked(self.tool.brush is False)
        self.strokes.setText(plural(len(strokes), "stroke") if strokes else "")
        self.cut.setEnabled(moves and bool(strokes))
        self.again_from.setVisible(bool(strokes))
        self.show_all.setVisible(bool(clip.cutout))

    def _wire(self) -> None:
        project = self.project
        project.changed.connect(self.want)
        project.selection.selected.connect(self.want)
        project.playhead.moved.connect(lambda _: self._moved())
        self.masks.wanted.connect(self._new_mask)
        self.masks.chosen.connect(self._choose)
        self.masks.edited.connect(self._edited)
        self.masks.removed.connect(self._remove)
        self.masks.followed.connect(self._follow)
        self.masks.keyed.connect(self._key)
        self.clear.edited.connect(self._cleared)
        self.clear.picking.connect(self._pick)
        self.commands.cut.connect(self._forget)
        project.selection.selected.connect(self.tool.forget_strokes)

    def _moved(self) -> None:
        """Another frame: what has keys, or comes again, stands otherwise there."""
        clip = self._clip
        if clip is not None and (clip.keys or clip.repeat is not None or any(m.keys for m in clip.masks)):
            self.want()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self.tool)

    def left(self) -> None:
        self.tool.let_go()

    @property
    def _clip(self) -> Clip | None:
        return self.project.selection.clip

    def _chosen_mask(self) -> Mask | None:
        clip = self._clip
        return next((m for m in clip.masks if m.id == self.mask_id), None) if clip is not None else None

    def refill(self) -> None:
        self.tool.repaint()
        clip, placed = self._clip, self.project.selection.placed
        self.laid.refill()
        for widget in (self.masks, self.clear, self.rule, self.every):
            widget.setEnabled(clip is not None)
        if clip is None or placed is None:
            self.note.setText(
                "Select a clip: how it lies over what is below, where of it shows, and on which points it comes again."
            )
            for of_a_clip in (self.leave_out, self.make_own, self.all_back, self.again_from, self.show_all, self.every):
                of_a_clip.hide()
            for brush in (self.keep, self.drop, self.cut):
                brush.setEnabled(False)
            self.masks.show_masks((), None, False)
            self.clear.show_clear(None)
            return
        timeline, frame = self.project.timeline, self.project.playhead.frame
        if self._chosen_mask() is None:
            self.mask_id = clip.masks[-1].id if clip.masks else ""
        record = self._chosen_mask()
        standing = next((m for m in shapes_at(timeline, placed, frame) if m.id == self.mask_id), None)
        if standing is not None and record is not None and record.follow:
            standing = replace(standing, follow=record.follow)
        self.masks.show_masks(
            clip.masks, standing, record is not None and frame in masks.mask_key_frames(timeline, record)
        )
        self.clear.show_clear(clip.clear)
        self._show_again(clip)
        self._show_cutting(clip, placed.footage.kind in ("video", "still"))
        self.note.setText(self._hint())

    def _hint(self) -> str:
        if self.tool.drawing is not None:
            return "Click the polygon's corners in the preview; a double click closes it."
        if self.tool.brush is not None:
            return "Drag over the subject in the preview, and over what is not it; then cut out. Where it slips later, stroke there."
        if self.tool.picking is not None:
            return "Click the colour in the preview."
        if self.mask_id:
            return "Drag the mask or its handles in the preview; the wheel scales it, the round handle turns it."
        count = len(self.project.selection.chosen_clips)
        return f"{count} clips are changed together; masks are those of the one shown." if count > 1 else ""

    def _show_again(self, clip: Clip) -> None:
        rule = clip.repeat.rule if clip.repeat is not None else None
        like = [
            n for n, (_, known) in enumerate(RULES) if known is not None and rule is not None and _alike(known, rule)
        ]
        self.rule.show_value(like[0] if like else 0)
        self.every.show_value(rule.every if rule is not None else 1)
        self.every.setVisible(rule is not None)
        count = len(repeats.repeat_instances(self.project.timeline, clip.id))
        self.count.setText(f"{count} more" if rule is not None else "")
        here = self.commands.repeat_instance_here()
        for here_only in (self.leave_out, self.make_own):
            here_only.setVisible(rule is not None)
            here_only.setEnabled(here is not None)
        self.all_back.setVisible(clip.repeat is not None and bool(clip.repeat.without))

    # Again

    def _ruled(self) -> None:
        names, rule = self.project.selection.chosen_clips, RULES[self.rule.currentIndex()][1]
        old = self._clip
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

    # Masks

    def _choose(self, mask: str) -> None:
        self.mask_id = mask
        self.want()

    def _new_mask(self, kind: str) -> None:
        clip = self._clip
        if clip is None:
            return
        if kind == "polygon":
            self.tool.begin_polygon()
            self.want()
            return
        made: list[str] = []

        def edit(reel: Reel) -> Reel:
            out, name = masks.with_mask(reel, clip.id, kind)
            made.append(name)
            return out

        if self.project.change(f"Mask: {kind}", edit):
            self._choose(made[-1])

    def _edited(self, name: str, value: object) -> None:
        clip, mask, frame = self._clip, self.mask_id, self.project.playhead.frame
        if clip is not None and mask:
            self.project.change(
                f"Mask: {name}", lambda reel: masks.with_mask_fields(reel, clip.id, mask, {name: value}, frame)
            )

    def _remove(self) -> None:
        clip, mask = self._clip, self.mask_id
        if clip is not None and mask:
            self.project.change("Mask removed", lambda reel: masks.without_mask(reel, clip.id, mask))

    def _key(self, on: bool) -> None:
        clip, mask, frame = self._clip, self.mask_id, self.project.playhead.frame
        if clip is None or not mask:
            return
        change = masks.with_mask_key if on else masks.without_mask_key
        self.project.change(
            "Key of the mask" if on else "Key taken away", lambda reel: change(reel, clip.id, mask, frame)
        )

    def _follow(self, on: bool) -> None:
        """Let the mask go with the patch under its middle, or stay."""
        placed, record, mask = self.project.selection.placed, self._chosen_mask(), self.mask_id
        if placed is None or record is None:
            return
        clip, footage = placed.clip.id, placed.footage
        if not on:
            self.project.change(
                "Mask follows nothing", lambda reel: masks.with_mask_fields(reel, clip, mask, {"follow": ""})
            )
            return
        timeline, frame = self.project.timeline, self.project.playhead.frame
        standing = next(m for m in shapes_at(timeline, placed, frame) if m.id == mask)
        matrix = frame_matrix(timeline.framing_at(placed, frame), footage, 1, timeline.height_ratio)
        seen = matrix @ [standing.x, standing.y, 1.0]
        try:
            start = tracking.footage_place(
                timeline, placed, frame, (float(seen[0]) - 0.5, float(seen[1]) - timeline.height_ratio / 2)
            )
        except TempikError as error:
            self.project.messages.say(str(error), True)
            self.want()
            return
        path = self.context.proxy_store.proxy_for(footage.path)

        def work(job: Job) -> MotionTrack:
            return tracking.tracked(footage, *start, job.report, job.stop_event, path)

        def done(track: MotionTrack) -> None:
            self.project.change(
                "Mask follows a patch", lambda reel: masks.with_mask_following(reel, clip, mask, track, frame)
            )

        self.context.accents.worker.start(
            f"Following a patch of {footage.name}", work, done, lambda t: self.project.messages.say(t, True)
        )

    # Clear

    def _cleared(self, clear: Clear | None) -> None:
        names = self.project.selection.chosen_clips
        what = "Nothing is clear" if clear is None else f"{clear.of.capitalize()} made clear"
        self.project.change(what, lambda reel: masks.with_clear(reel, names, clear))

    def _pick(self) -> None:
        self.tool.take_click(self._picked)
        self.want()

    def _picked(self, x: float, y: float) -> None:
        placed, clip = self.project.selection.placed, self._clip
        if placed is None or clip is None or clip.clear is None:
            return
        try:
            colour = colour_at(self.project.timeline, placed, self.project.playhead.frame, x, y)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self._cleared(replace(clip.clear, colour=colour))


def _alike(a: Rule, b: Rule) -> bool:
    return a.of == b.of and (a.of != "bars" or a.beats == b.beats)
