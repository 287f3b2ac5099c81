"""How the selected clips are laid over what lies below: blend mode, opacity, fades, and keys of opacity and place."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from tempik.desktop.pages.layer.blend_tiles import BlendChooser, blend_tiles, blend_title
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import Dropdown, control_of
from tempik.desktop.widgets.form import SettingsForm, button, column, holder, line, low, toggle
from tempik.edit.clips import layers
from tempik.errors import TempikError
from tempik.media.blend import BLENDS
from tempik.reel import Clip, Position
from tempik.reel.clip_settings import CLIP_SETTINGS
from tempik.settings import Setting
from tempik.timeline.timeline import PLACE_KEYS

FADE = "In frames; the Transitions page has its curve, beats in place of frames, and other kinds"


class LayerFields(QWidget):
    """Shows one clip, changes all that are selected; keys are of the one that is shown."""

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project
        self.chooser: BlendChooser | None = None
        self.blend = Dropdown(((b, blend_title(b)) for b in BLENDS), 0)
        self.blend.setToolTip("How it is laid over what lies below (modes of the W3C's Compositing and Blending)")
        self.blend.told.connect(self._blended)
        self.form = SettingsForm(CLIP_SETTINGS)
        self.opacity = self.form["opacity"]
        self.opacity.told.connect(self._opacity_edited)
        on_point = "at the playhead; on a point it goes with"
        self.key_opacity = toggle("key", f"A key of the opacity {on_point} the point", self._opacity_keyed)
        self.key_place = toggle("key place", f"A key of zoom, place and turn {on_point} it", self._place_keyed)
        self.fades = {at_end: control_of(_fade(at_end)) for at_end in (False, True)}
        for at_end, control in self.fades.items():
            control.told.connect(lambda frames, end=at_end: self._faded(end, frames))
            control.setFixedWidth(58)
        self.see = button("See", "All ways to lay it, as pictures on this frame", self.see_blends, "low")
        laid = ("laid as", self.blend, self.see, "opacity", self.opacity, self.key_opacity, self.key_place)
        fades = ("fade in", self.fades[False], "out", self.fades[True])
        self._fades = holder(line(*fades, spacing=5))
        self._first, self._second = line(*laid, None, spacing=5), line(spacing=5)
        column(self._first, self._second, over=self)
        self._in_one: bool | None = None
        self.show_in_one(True)
        low(self.blend)

    @property
    def _clip(self) -> Clip | None:
        return self.project.selection.clip

    def refill(self) -> None:
        """Show what is."""
        clip, placed = self._clip, self.project.selection.placed
        self.setEnabled(clip is not None)
        if clip is None or placed is None:
            return
        timeline, frame = self.project.timeline, self.project.playhead.frame
        self.blend.show_value(clip.blend)
        self.opacity.show_value(timeline.layer_of(placed, frame).weight)
        self.key_opacity.setChecked(frame in layers.key_frames(timeline, clip, ("opacity",)))
        self.key_place.setChecked(frame in layers.key_frames(timeline, clip, PLACE_KEYS))
        for at_end, control in self.fades.items():
            laid = timeline.transition_of(clip.id, at_end)
            own = laid is not None and laid.owner.clip.id == clip.id
            control.setEnabled(laid is None or (own and not laid.both))
            control.show_value(laid.frames if laid is not None and not laid.both else 0)

    def _blended(self, blend: str) -> None:
        names = self.project.selection.chosen_clips
        self.project.change(f"Laid as {blend}", lambda reel: layers.with_blend(reel, names, blend))

    def show_in_one(self, in_one: bool) -> None:
        """Show all in one line, or the fades below."""
        if in_one != self._in_one:
            self._in_one = in_one
            if in_one:
                self._first.addWidget(self._fades)
            else:
                self._second.insertWidget(0, self._fades, 0, Qt.AlignmentFlag.AlignLeft)

    def see_blends(self) -> None:
        """Show the blend modes on the clip at the playhead, to be picked by eye."""
        clip = self._clip
        if clip is None:
            return
        try:
            tiles = blend_tiles(self.project)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.chooser = BlendChooser(tiles, self)
        self.chooser.picked.connect(self._blended)
        self.chooser.show_at(self.see.mapToGlobal(self.see.rect().topLeft()), clip.blend)

    def _opacity_edited(self, share: float) -> None:
        names, frame = self.project.selection.chosen_clips, self.project.playhead.frame
        self.project.change(f"Opacity {share * 100:.0f} %", lambda reel: layers.with_opacity(reel, names, share, frame))

    def _faded(self, at_end: bool, frames: float) -> None:
        names = self.project.selection.chosen_clips
        what = "Fade out" if at_end else "Fade in"
        self.project.change(what, lambda reel: layers.with_fade(reel, names, at_end, frames))

    def _opacity_keyed(self, on: bool) -> None:
        clip, placed, frame = self._clip, self.project.selection.placed, self.project.playhead.frame
        if clip is None or placed is None:
            return
        value = self.project.timeline.layer_of(placed, frame).weight
        if on:
            self.project.change(
                "Key of the opacity", lambda reel: layers.with_clip_key(reel, clip.id, "opacity", frame, value)
            )
        else:
            self._unkey(clip, ("opacity",))

    def _place_keyed(self, on: bool) -> None:
        clip, placed, frame = self._clip, self.project.selection.placed, self.project.playhead.frame
        if clip is None or placed is None:
            return
        at: Position = self.project.timeline.framing_at(placed, frame).start
        if on:
            self.project.change("Key of the place", lambda reel: layers.with_place_keys(reel, [clip.id], frame, at))
        else:
            self._unkey(clip, PLACE_KEYS)

    def _unkey(self, clip: Clip, names: tuple[str, ...]) -> None:
        frame = self.project.playhead.frame
        self.project.change("Key taken away", lambda reel: layers.without_clip_key(reel, clip.id, names, frame))


def _fade(at_end: bool) -> Setting:
    name = "fade out" if at_end else "fade in"
    return Setting(name, name, 0.0, 0, 600, "f", does=FADE, digits=0, step=1)
