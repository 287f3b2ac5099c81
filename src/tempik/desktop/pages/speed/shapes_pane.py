"""The shapes pane of the Speed page: choosing one, what it lies on, how much of it, and one's own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QInputDialog, QMenu, QScrollArea, QWidget

from tempik.desktop.commands.files import ask_open_many, ask_save
from tempik.desktop.commands.speed import SpeedCommands
from tempik.desktop.pages.speed.shape_tiles import ShapeTiles
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import ReelEdit, slide
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import Dropdown, Slider
from tempik.desktop.widgets.form import button, column, line, low, quiet
from tempik.desktop.widgets.plain import below, in_menu, pop_up
from tempik.desktop.widgets.theme import words
from tempik.edit.speed import speed
from tempik.errors import TempikError
from tempik.project import shapes as shape_library
from tempik.reel import Align, SpeedShape, by_id
from tempik.timeline.placed_clip import PlacedClip

ALIGNS: tuple[tuple[Align, str], ...] = (
    ("clip", "on the clip"),
    ("pin", "on the pin"),
    ("point", "on a point"),
    ("every", "every point"),
)


class ShapesPane(QWidget):
    """Applies shapes to the selected clips."""

    def __init__(self, project: Project, commands: SpeedCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self._wanted: Align | None = None  # what shapes are to be laid on, once it was chosen by hand
        self.tiles = ShapeTiles()
        self.tiles.picked.connect(self.pick)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._shape_menu)
        self.tiles.show_items(shape_library.all_shapes())
        scroll = QScrollArea()
        scroll.setWidget(self.tiles)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        marks.mark(scroll, "clear")
        self.shape_text = quiet("")
        self.shape_text.setFont(words(12))
        self.align = Dropdown(ALIGNS)
        self.align.setToolTip("What the shape's point is laid on; it follows when points move")
        self.align.setFixedWidth(108)
        self.align.told.connect(self._aligned)
        low(self.align)
        tip = "How much of the shape: none, as it is, twice as much; on all selected clips"
        self.amount = Slider("Amount of the shape, 0 to 200 %", tip=tip)
        slide(self.amount, project, lambda: "Amount of the shape", self._with_amount)
        keep = "Keep this curve as a shape, read and write shapes"
        self.more = button("…", keep, lambda: self._shape_menu(None, below(self.more)), "low", 30)
        row = line(self.align, (self.amount, 1), self.amount.text, self.more)
        column((scroll, 1), self.shape_text, row, over=self, margins=(0, 2, 0, 0))

    def fill(self, placed: PlacedClip) -> None:
        """Show the shape of a clip."""
        shaped = placed.clip.shaped
        self.tiles.choose(shaped.shape.name if shaped is not None else "")
        self.amount.setEnabled(shaped is not None)
        if shaped is not None:
            self.amount.show_value(shaped.amount)
            self.align.show_value(shaped.align)
        self._point_at(None)

    def read_library(self) -> None:
        """Show the shapes that there are now."""
        self.tiles.show_items(shape_library.all_shapes())

    def pick(self, shape: SpeedShape) -> None:
        """Give the selected clips a shape."""
        clip = self.project.selection.clip
        if clip is not None and clip.shaped is not None:  # another shape lies where this one did
            self.commands.lay_on(clip.shaped.align)
        else:
            self.commands.lay_on(self._wanted)
        self.commands.apply_shape(shape, 1.0)

    def _aligned(self, align: Align) -> None:
        """Lay the shape that the clips have on something else."""
        clip = self.project.selection.clip
        self._wanted = align
        self.commands.lay_on(self._wanted)
        if clip is not None and clip.shaped is not None:
            self.commands.apply_shape(clip.shaped.shape, clip.shaped.amount, clip.shaped.every)

    def _with_amount(self, amount: float) -> ReelEdit | None:
        names = [n for n in self.project.selection.chosen_clips if self._is_shaped(n)]
        return (lambda reel: speed.with_amount(reel, names, amount)) if names else None

    def _is_shaped(self, name: str) -> bool:
        clip = by_id(self.project.reel.clips, name)
        return clip is not None and clip.shaped is not None

    def _point_at(self, shape: SpeedShape | None) -> None:
        clip = self.project.selection.clip
        if shape is None and clip is not None and clip.shaped is not None:
            shape = clip.shaped.shape
        text = (
            f"{shape.name}: {shape.does or 'one of your own'}"
            if shape is not None
            else "Point at a shape to read what it does."
        )
        self.shape_text.setText(text)

    def _shape_menu(self, shape: SpeedShape | None, at: QPoint) -> None:
        menu = self.shape_menu(shape)
        pop_up(menu, at)

    def shape_menu(self, shape: SpeedShape | None) -> QMenu:
        """Return the menu of the shapes, or of one of them."""
        menu = QMenu(self)
        if shape is not None:
            menu.addAction(in_menu(f"Write '{shape.name}' to a file …")).triggered.connect(lambda: self._write(shape))
            if shape_library.own_shapes() and any(s.name == shape.name for s in shape_library.own_shapes()):
                menu.addAction(in_menu(f"Take '{shape.name}' away")).triggered.connect(lambda: self._take_away(shape))
            menu.addSeparator()
        keep = menu.addAction("Keep this clip's curve as a shape …")
        keep.setEnabled(self.project.selection.placed is not None)
        keep.triggered.connect(self._keep)
        menu.addAction("Read shapes from files …").triggered.connect(self._read)
        return menu

    def _keep(self) -> None:
        name, good = QInputDialog.getText(self, "Keep as a shape", "Its name:")
        if good:
            self.keep_shape(name)

    def keep_shape(self, name: str) -> None:
        """Keep the clip's curve as a shape, its first pin or its middle as what lies on the point."""
        placed = self.project.selection.placed
        if placed is None:
            return
        focus = 0.5
        if placed.ties:
            focus = min(max((placed.ties[0].frame - placed.begin) / max(placed.until - placed.begin, 1), 0.0), 1.0)
        self._try(lambda: shape_library.kept_shape(placed.chosen, name, focus), f"Shape '{name.strip()}' kept")

    def _write(self, shape: SpeedShape) -> None:
        form = f"Shapes (*{shape_library.SUFFIX})"
        path = ask_save(
            self, "Write the shape", f"{shape.name}{shape_library.SUFFIX}", form, "shape", self.project.path
        )
        if path:
            self._try(lambda: shape_library.write_shape(shape, Path(path)), f"Shape written to {path}")

    def _read(self) -> None:
        form = f"Shapes (*{shape_library.SUFFIX})"
        for path in ask_open_many(self, "Read shapes", form, "shape", self.project.path):
            self.read_shape(Path(path))

    def read_shape(self, path: Path) -> None:
        """Keep a shape file among one's own shapes."""
        self._try(lambda: shape_library.added(shape_library.read_shape(path)), f"Shape read from {path}")

    def _take_away(self, shape: SpeedShape) -> None:
        self._try(lambda: shape_library.removed(shape.name), f"Shape '{shape.name}' taken away; clips keep it")

    def _try(self, act: Callable[[], object], done: str) -> None:
        try:
            act()
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.read_library()
        self.project.messages.say(done, False)
