"""The Layer page: how the selected clips lie over what is below, where of them shows, and on which points they come again."""

from __future__ import annotations

from msgspec.structs import replace

from tempik.desktop.pages.layer.clip_fields import CuttingFields, RepeatFields
from tempik.desktop.pages.layer.key_lane import KeyLane
from tempik.desktop.pages.layer.laid_fields import LayerFields
from tempik.desktop.pages.layer.mask_fields import ClearFields, MaskFields
from tempik.desktop.pages.layer.mask_tool import MaskKeys, MaskTool
from tempik.desktop.pages.layer.stack_list import StackList, name_of
from tempik.desktop.pages.layer.window_fields import RecipeRow, WindowFields
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.jobs import Job
from tempik.desktop.widgets.form import column, line, quiet
from tempik.desktop.widgets.theme import words
from tempik.edit.clips import masks
from tempik.edit.footage import tracking
from tempik.errors import TempikError
from tempik.reel import Clear, Clip, Mask, MotionTrack, Reel
from tempik.render.picking import colour_at
from tempik.timeline.extents import to_frame
from tempik.timeline.masking import shapes_at

ROOMY = 905  # so wide a page has its fields in one line


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
        self.repeat = RepeatFields(context.project, self.commands)
        self.cutting = CuttingFields(self.commands, self.tool)
        self.stack = StackList(context.project, context.filmstrips)
        self.keys, self.recipes = KeyLane(context.keys), RecipeRow(context.recipes)
        self.windows = WindowFields(context.project)
        fields = (
            self.keys,
            self.recipes,
            self.laid,
            self.windows,
            self.windows.rim,
            self.repeat,
            self.masks,
            self.clear,
            self.cutting,
            None,
            self.note,
        )
        line(self.stack, (column(*fields, spacing=4), 1), over=self, spacing=14, margins=(12, 8, 14, 6))
        self._wire()

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
        project.selection.selected.connect(self.tool.forget_strokes)

    def room_changed(self, width: int) -> None:
        """In a small window the fades and half of the recipes stand in a second line."""
        roomy = width >= ROOMY
        self.laid.show_in_one(roomy)
        self.recipes.show_columns(7 if roomy else 4)

    def _moved(self) -> None:
        """Another frame: something else lies there; what has keys, or comes again, stands otherwise."""
        if self.isVisible():
            self.stack.refill()
            self.keys.update()
            if self._clip is not None:
                self.note.setText(self._hint())
        clip = self._clip
        if clip is not None and (clip.keys or clip.repeat is not None or any(m.keys for m in clip.masks)):
            self.want()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self.tool, box=MaskKeys(self.tool))

    def left(self) -> None:
        self.tool.let_go()
        self.context.tool_taken("layers")

    def take(self, tool: str) -> None:
        """Let drags and clicks in the preview be for a tool of the strip; the one that is taken is put down again."""
        taken = self.tool.taken
        self.tool.let_go()
        if tool != taken and tool != "layers":
            if self._clip is None:
                self.project.messages.say("Select a clip first: click it in the preview, or on the timeline.", True)
            elif tool in ("rectangle", "ellipse"):
                self.tool.take_shape(tool)
            elif tool == "polygon":
                self.tool.begin_polygon()
            elif tool in ("keep", "drop"):
                self.tool.take_brush(tool == "keep")
            elif tool == "colour":
                self._pick()
        self.want()

    @property
    def _clip(self) -> Clip | None:
        return self.project.selection.clip

    def _chosen_mask(self) -> Mask | None:
        clip = self._clip
        return next((m for m in clip.masks if m.id == self.mask_id), None) if clip is not None else None

    def refill(self) -> None:
        self.tool.repaint()
        self.context.tool_taken(self.tool.taken)
        clip, placed = self._clip, self.project.selection.placed
        self.stack.refill()
        self.laid.refill()
        self.keys.refill()
        self.windows.show_clip(clip)
        self.repeat.show_clip(clip)
        moves = placed is not None and placed.footage.kind in ("video", "still")
        self.cutting.show_clip(clip, moves)
        for widget in (self.keys, self.recipes, self.laid, self.repeat, self.masks, self.clear, self.cutting):
            widget.setVisible(clip is not None)
        if clip is None or placed is None:
            self.note.setText(
                "Select a clip: how it lies over what is below, where of it shows, and on which points it comes again."
            )
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
        self.note.setText(self._hint())

    def _hint(self) -> str:
        if self.tool.shape:
            return f"Drag over the picture: {'a rectangle' if self.tool.shape == 'rectangle' else 'an ellipse'} is what shows of it."
        if self.tool.drawing is not None:
            return "Click the polygon's corners in the preview; a double click closes it."
        if self.tool.brush is not None:
            return "Drag over the subject in the preview, and over what is not it; then cut out. Where it slips later, stroke there."
        if self.tool.picking is not None:
            return "Click the colour in the preview."
        placed = self.project.selection.placed
        if placed is not None and not placed.first <= self.project.playhead.frame < placed.end:
            return (
                f"{name_of(placed)} is not at the playhead: it is seen from frame {placed.first} to {placed.end - 1}."
            )
        if self.mask_id:
            return "Drag the mask or its handles: the one above turns it, the one below makes its edge soft, the one at its corner rounds it."
        count = len(self.project.selection.chosen_clips)
        return f"{count} clips are changed together; masks are those of the one shown." if count > 1 else ""

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
        seen = to_frame(timeline, placed, frame) @ [standing.x, standing.y, 1.0]
        try:
            start = tracking.footage_place(
                timeline, placed, frame, (float(seen[0]) - 0.5, (float(seen[1]) - 0.5) * timeline.height_ratio)
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
        if placed is None or clip is None:
            return
        try:
            colour = colour_at(self.project.timeline, placed, self.project.playhead.frame, x, y)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self._cleared(replace(clip.clear or Clear(), of="colour", colour=colour))
