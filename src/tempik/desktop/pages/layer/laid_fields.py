"""How the selected clips are laid over what lies below: blend mode, opacity, fades, and keys of opacity and place."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import button, quiet, toggle
from tempik.desktop.widgets.typed import DecimalSpin, Spin
from tempik.edit.clips import layers
from tempik.media.blend import BLENDS
from tempik.reel import Clip, Position
from tempik.timeline.timeline import PLACE_KEYS

SIDES = ((False, "fade in"), (True, "fade out"))


class LayerFields(QWidget):
    """Shows one clip, changes all that are selected; keys are of the one that is shown."""

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project
        self.filling = False
        self.blend = QComboBox()
        self.blend.addItems([b.replace("-", " ").replace("color", "colour") for b in BLENDS])
        self.blend.setToolTip("How it is laid over what lies below (modes of the W3C's Compositing and Blending)")
        self.blend.activated.connect(self._blended)
        self.opacity = Spin()
        self.opacity.setRange(0, 100)
        self.opacity.setSuffix(" %")
        self.opacity.setKeyboardTracking(False)
        self.opacity.setToolTip("How much of it shows; with keys, at the playhead")
        self.opacity.valueChanged.connect(self._opacity_edited)
        self.key_opacity = toggle("key", "A key of the opacity at the playhead; on a point it goes with the point")
        self.key_opacity.clicked.connect(self._opacity_keyed)
        self.fades = {at_end: self._fade(at_end, name) for at_end, name in SIDES}
        self.key_place = toggle(
            "key place", "A key of zoom, place and turn at the playhead; on a point it goes with it"
        )
        self.key_place.clicked.connect(self._place_keyed)
        self.before = button("‹", "To the key before", lambda: self._go(-1))
        self.after = button("›", "To the next key", lambda: self._go(1))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        for name, widget in (("laid as", self.blend), ("opacity", self.opacity), ("", self.key_opacity)):
            if name:
                row.addWidget(quiet(name))
            row.addWidget(widget)
        for at_end, name in SIDES:
            row.addWidget(quiet(name))
            row.addWidget(self.fades[at_end])
        row.addStretch(1)
        for control in (self.before, self.key_place, self.after):
            row.addWidget(control)
        for low in (self.blend, self.opacity, self.before, self.after, *self.fades.values()):
            marks.room(low, "low")
        for arrow in (self.before, self.after):
            arrow.setFixedWidth(24)

    def _fade(self, at_end: bool, name: str) -> QDoubleSpinBox:
        made = DecimalSpin()
        made.setRange(0, 600)
        made.setDecimals(0)
        made.setSuffix(" f")
        made.setKeyboardTracking(False)
        made.setAccessibleName(name)
        made.setToolTip("In frames; the Transitions page has its curve, beats in place of frames, and other kinds")
        made.valueChanged.connect(lambda v, e=at_end: self._faded(e, v))
        return made

    @property
    def _clip(self) -> Clip | None:
        return self.project.selection.clip

    @property
    def _names(self) -> list[str]:
        return self.project.selection.chosen_clips

    def refill(self) -> None:
        """Show what is."""
        clip, placed = self._clip, self.project.selection.placed
        self.setEnabled(clip is not None)
        if clip is None or placed is None:
            return
        self.filling = True
        timeline, frame = self.project.timeline, self.project.playhead.frame
        self.blend.setCurrentIndex(BLENDS.index(clip.blend) if clip.blend in BLENDS else 0)
        shown = timeline.layer_of(placed, frame).weight
        if not self.opacity.hasFocus() or not self.opacity.lineEdit().isModified():
            self.opacity.setValue(round(shown * 100))
        self.key_opacity.setChecked(frame in layers.key_frames(timeline, clip, ("opacity",)))
        self.key_place.setChecked(frame in layers.key_frames(timeline, clip, PLACE_KEYS))
        keyed = layers.key_frames(timeline, clip, ("opacity", *PLACE_KEYS))
        self.before.setEnabled(any(f < frame for f in keyed))
        self.after.setEnabled(any(f > frame for f in keyed))
        for at_end, field in self.fades.items():
            placed_transition = timeline.transition_of(clip.id, at_end)
            own = placed_transition is not None and placed_transition.owner.clip.id == clip.id
            field.setEnabled(placed_transition is None or (own and not placed_transition.both))
            field.setValue(
                placed_transition.frames if placed_transition is not None and not placed_transition.both else 0
            )
        self.filling = False

    def _blended(self, number: int) -> None:
        names, blend = self._names, BLENDS[number]
        self.project.change(f"Laid as {blend}", lambda reel: layers.with_blend(reel, names, blend))

    def _opacity_edited(self, percent: int) -> None:
        if not self.filling:
            names, frame = self._names, self.project.playhead.frame
            self.project.change(
                f"Opacity {percent} %", lambda reel: layers.with_opacity(reel, names, percent / 100, frame)
            )

    def _faded(self, at_end: bool, frames: float) -> None:
        if not self.filling:
            names = self._names
            what = "Fade out" if at_end else "Fade in"
            self.project.change(what, lambda reel: layers.with_fade(reel, names, at_end, frames))

    def _opacity_keyed(self) -> None:
        clip, placed, frame = self._clip, self.project.selection.placed, self.project.playhead.frame
        if clip is None or placed is None:
            return
        value = self.project.timeline.layer_of(placed, frame).weight
        if self.key_opacity.isChecked():
            self.project.change(
                "Key of the opacity", lambda reel: layers.with_clip_key(reel, clip.id, "opacity", frame, value)
            )
        else:
            self.project.change(
                "Key taken away", lambda reel: layers.without_clip_key(reel, clip.id, ("opacity",), frame)
            )

    def _place_keyed(self) -> None:
        clip, placed, frame = self._clip, self.project.selection.placed, self.project.playhead.frame
        if clip is None or placed is None:
            return
        at: Position = self.project.timeline.framing_at(placed, frame).start
        if self.key_place.isChecked():
            self.project.change("Key of the place", lambda reel: layers.with_place_keys(reel, [clip.id], frame, at))
        else:
            self.project.change(
                "Key taken away", lambda reel: layers.without_clip_key(reel, clip.id, PLACE_KEYS, frame)
            )

    def _go(self, step: int) -> None:
        clip, frame = self._clip, self.project.playhead.frame
        if clip is None:
            return
        keyed = layers.key_frames(self.project.timeline, clip, ("opacity", *PLACE_KEYS))
        there = [f for f in keyed if (f - frame) * step > 0]
        if there:
            self.project.playhead.go(min(there, key=lambda f: abs(f - frame)))
