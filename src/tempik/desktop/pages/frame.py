"""The Frame page: how the selected clips fill the frame, and a slow push or pull through them.

The preview is the place to set it by hand: there the picture is dragged, and the wheel zooms, while this page is open.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QCheckBox, QSizePolicy, QWidget

from tempik.desktop.pages.follow_fields import FollowFields
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.preview.box_tool import BoxTool
from tempik.desktop.preview.guides import paint_thirds
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.preview.snapping import around
from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.controls import Toggles
from tempik.desktop.widgets.form import SettingsForm, button, column, grid, holder, line, quiet, toggle
from tempik.desktop.widgets.painting import painter_on
from tempik.desktop.widgets.plain import pop_up
from tempik.edit.clips import layers, pieces
from tempik.reel import Clip, Framing, Position
from tempik.reel.clip_settings import CROP_SETTINGS, FRAMING_SETTINGS, PLACE_SETTINGS
from tempik.timeline.extents import corners_of
from tempik.timeline.placed_clip import PlacedClip

FITS = (
    ("cover", "Cover", "Fill the frame; what is too wide or tall is cut off"),
    ("contain", "Contain", "Show all of the picture; the rest of the frame shows what lies below"),
    ("stretch", "Stretch", "Fill the frame exactly, out of shape where need be"),
)
ENDS = ((False, "start", "Where the picture stands at the clip's start"), (True, "end", "Where it stands at its end"))


class Pad(QWidget):
    """Nine places of the frame: a click lays the picture against its sides, or in its middle."""

    told = Signal(int, int)
    WORDS = (
        ("at the top left", "at the top", "at the top right"),
        ("at the left", "in the middle", "at the right"),
        ("at the bottom left", "at the bottom", "at the bottom right"),
    )

    def __init__(self) -> None:
        super().__init__()
        cells = []
        for down, words in enumerate(self.WORDS):
            row: list[QWidget] = []
            for across, word in enumerate(words):
                made = button("", f"Lay the picture {word}", partial(self.told.emit, across, down))
                made.setAccessibleName(f"Lay the picture {word}")
                made.setFixedSize(26, 26)
                marks.room(made, "none")
                made.setIcon(QIcon(_place_sign(across, down)))
                row.append(made)
            cells.append(row)
        grid(*cells, over=self, spacing=(3, 3))
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)


def _place_sign(across: int, down: int) -> QPixmap:
    """Return a small picture in a frame, where a cell of the pad lays it."""
    made = QPixmap(32, 32)
    made.setDevicePixelRatio(2)
    made.fill(Qt.GlobalColor.transparent)
    with painter_on(made) as p:
        p.setPen(QPen(QColor(theme.QUIET), 1))
        p.drawRect(QRectF(2.5, 1.5, 11, 13))
        p.fillRect(QRectF(3 + across * 3, 2 + down * 4, 4, 4), QColor(theme.TEXT))
    return made


class FramePage(Page):
    """Fit, flips, crop; zoom, place and turn at the clip's start and, where it moves, at its end."""

    name, title, key = "frame", "Frame", "F7"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project = context.project
        self.tool = BoxTool(project, lambda: self.editing_end, self._paint_below)
        self.placing = self.tool.placing
        self.fits = Toggles(FITS, "wide")
        self.fits.told.connect(lambda fit: self._set("Fit changed", lambda f: replace(f, fit=fit)))
        self.flips = {
            name: toggle(text, tip, lambda on, n=name: self._flip(n, on), "wide")  # type: ignore[misc]
            for name, text, tip in (
                ("flip_x", "Flip across", "Left and right change places"),
                ("flip_y", "Flip down", "Top and bottom change places"),
            )
        }
        self.follow = FollowFields(context)
        context.layers.picking.connect(self._pick)
        self.moves = QCheckBox("moves through the clip")
        self.moves.setToolTip(
            "A slow push or pull: the picture goes from its place at the start to its place at the end"
        )
        self.moves.clicked.connect(self._move)
        self.ends = Toggles(ENDS, "wide")
        self.ends.button(0).setChecked(True)
        self.ends.told.connect(self._look_at)
        self.movement = SettingsForm(FRAMING_SETTINGS, ("ease",))
        self.ease = self.movement["ease"]
        self.ease.told.connect(lambda ease: self._set("Easing changed", lambda f: replace(f, ease=ease)))
        self.place, self.crop = SettingsForm(PLACE_SETTINGS), SettingsForm(CROP_SETTINGS)
        self.zoom = self.place["zoom"]
        self.place.edited.connect(self._placed)
        self.crop.edited.connect(self._cropped)
        self._lay_out()
        project.changed.connect(self.want)
        project.selection.selected.connect(self.want)
        project.playhead.moved.connect(self._playhead_moved)

    def _playhead_moved(self, frame: int) -> None:
        clip = self.project.selection.clip
        if clip is not None and clip.keys:
            self.want()
        elif self.isVisible():
            self.follow.refill()

    def _lay_out(self) -> None:
        as_it_was = "Cover the frame, centred, without movement"
        self.plain = button("As it was", as_it_was, lambda: self._set("Framing as it was", lambda _: Framing()))
        self.fill_all = button(
            "Fill all clips", "Every clip of the reel covers the frame",
            lambda: self.project.change("All clips fill the frame", pieces.all_filling),
        )  # fmt: skip
        self.note = quiet("", wraps=True)
        frames = self.context.frames
        self.shape = button(
            "",
            "Show the reel in another shape of frame",
            lambda: pop_up(frames.menu(self), self._below_shape()),
            "wide",
        )
        self.by_itself = button(
            "As by itself", "Let it stand in this shape as it is led over from the reel's own", frames.by_itself, "wide"
        )
        rows = [
            row
            for form in (self.place, self.crop)
            for row in ([quiet(s.title) for s in form.settings.values()], list(form.controls.values()))
        ]
        self.pad = Pad()
        self.pad.told.connect(self._laid_at)
        self.fold = toggle("Numbers", "Zoom, place, turn and crop as numbers", self._unfold, "wide")
        self.numbers = holder(grid(*rows, spacing=(14, 6), wide=range(4)))
        self.numbers.hide()
        beside = column(
            line(self.fits, *self.flips.values(), None, spacing=6),
            line(self.moves, self.ends, self.ease, None, spacing=6),
            line(self.plain, self.fill_all, self.fold, None, self.shape, self.by_itself, spacing=6),
            spacing=6,
        )
        column(
            line(self.pad, (beside, 1), spacing=14),
            self.numbers,
            self.follow,
            self.note,
            None,
            over=self,
            spacing=8,
            margins=(14, 8, 14, 6),
        )

    def _below_shape(self) -> QPoint:
        return self.shape.mapToGlobal(QPoint(0, self.shape.height()))

    def _unfold(self, on: bool) -> None:
        self.numbers.setVisible(on)

    def _laid_at(self, across: int, down: int) -> None:
        """Lay the picture against the frame's sides, or in its middle."""
        placed = self.project.selection.placed
        if placed is None:
            return
        frame = min(max(self.project.playhead.frame, placed.first), placed.end - 1)
        left, top, right, bottom = around(corners_of(self.project.timeline, placed, frame))
        by_x = (-left, 0.5 - (left + right) / 2, 1 - right)[across]
        by_y = (-top, 0.5 - (top + bottom) / 2, 1 - bottom)[down]
        self.placing.shift(lambda at: replace(at, x=round(at.x + by_x, 6), y=round(at.y + by_y, 6)))
        self.placing.settle(f"Picture laid {Pad.WORDS[down][across]}")

    @property
    def editing_end(self) -> bool:
        """Whether the end's position is the one that is set."""
        clip = self.project.selection.clip
        return clip is not None and clip.framing.end is not None and self.ends.value()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self.tool, box=self.tool)

    def refill(self) -> None:
        clip, placed = self.project.selection.clip, self.project.selection.placed
        count = len(self.project.selection.chosen_clips)
        for widget in self.findChildren(QWidget):
            if widget not in (self.note, self.fill_all, self.shape):
                widget.setEnabled(clip is not None)
        framing = clip.framing if clip is not None else Framing()
        self.fits.show_value(framing.fit)
        for name, flip in self.flips.items():
            flip.setChecked(getattr(framing, name))
        self.moves.setChecked(framing.end is not None)
        for widget in (self.ends, self.ease):
            widget.setVisible(framing.end is not None)
        self.ease.show_value(framing.ease)
        at = self._position(placed, clip) if placed is not None and clip is not None else framing.start
        self.follow.refill()
        self.shape.setText(f"frame {self.context.frames.shown_text}")
        self.by_itself.setVisible(bool(self.context.frames.by_hand))
        self.place.show_record(at)
        for control, share in zip(self.crop.controls.values(), framing.crop, strict=True):
            control.show_value(share)
        if clip is None or placed is None:
            self.note.setText("Select a clip to set how it fills the frame.")
        else:
            size = f"{placed.footage.width}×{placed.footage.height}"
            many = f" · set for {count} clips" if count > 1 else ""
            inside = "the bars on its sides crop"
            if framing.window is not None:
                inside = "the bars on its sides change the window, Ctrl and drag moves the picture inside"
            self.note.setText(
                f"{placed.footage.name}, {size}{many}. Drag the picture in the preview, its corners, or outside them to "
                f"turn it; {inside}; the wheel zooms, arrows nudge, Enter types."
            )

    def _set(self, what: str, change: Callable[[Framing], Framing]) -> None:
        names = self.project.selection.chosen_clips
        clip = self.project.selection.clip
        if clip is None:
            return
        framing = change(clip.framing)
        self.project.change(what, lambda reel: pieces.with_framing(reel, names, framing))

    def _flip(self, name: str, on: bool) -> None:
        self._set("Picture flipped", lambda f: replace(f, **{name: on}))

    def _move(self) -> None:
        """Give the picture a place to go to (a push in by a tenth), or let it stand."""
        moving = self.moves.isChecked()

        def change(f: Framing) -> Framing:
            if not moving:
                return replace(f, end=None)
            return replace(f, end=replace(f.start, zoom=f.start.zoom * 1.1))

        self._set("Movement through the clip" if moving else "Picture stands", change)

    def _look_at(self, end: bool) -> None:
        """Show the frame at which the chosen end is seen."""
        placed = self.project.selection.placed
        if placed is not None:
            self.project.playhead.go(placed.end - 1 if end else placed.first)
        self.refill()

    def _placed(self, name: str, value: float) -> None:
        clip, placed, names = (
            self.project.selection.clip,
            self.project.selection.placed,
            self.project.selection.chosen_clips,
        )
        if clip is None or placed is None:
            return
        frame = self.project.playhead.frame
        at = replace(self._position(placed, clip), **{name: value})
        if layers.has_place_keys(clip):
            self.project.change("Picture placed", lambda reel: layers.with_place_keys(reel, names, frame, at))
        else:
            self._set("Picture placed", lambda f: self.placing.placed(f, at))

    def _position(self, placed: PlacedClip, clip: Clip) -> Position:
        """Return where the picture stands that the numbers show."""
        if layers.has_place_keys(clip):
            return self.project.timeline.framing_at(placed, self.project.playhead.frame).start
        framing = clip.framing
        return framing.end if self.editing_end and framing.end is not None else framing.start

    def _cropped(self, side: str, share: float) -> None:
        at = list(self.crop.controls).index(side)
        self._set("Picture cropped", lambda f: replace(f, crop=(*f.crop[:at], share, *f.crop[at + 1 :])))

    # Set in the preview

    def _paint_below(self, p: QPainter, box: QRectF) -> None:
        paint_thirds(p, box)
        self.follow.paint(p, box)

    def _pick(self) -> None:
        """The next click in the preview picks the subject to follow."""
        self.tool.take_click(self.context.layers.follow_at)

    def left(self) -> None:
        self.tool.take_click(None)
