"""The window that clips are seen through, the rim round them, and recipes that set several things at once."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QGridLayout, QWidget

from tempik.desktop.commands.recipes import RecipeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.form import SettingsForm, button, holder, line
from tempik.edit.clips import windows
from tempik.edit.recipes import RECIPES
from tempik.reel import Clip, Rim
from tempik.reel.window import RIM_SETTINGS, WINDOW_SETTINGS


class RecipeRow(QWidget):
    """A button for each recipe."""

    def __init__(self, commands: RecipeCommands) -> None:
        super().__init__()
        made = [button(r.name, r.does, partial(commands.cook, r), "low") for r in RECIPES]
        green = "What has the colour of the picture's edges is made clear, such as a green wall"
        made.append(button("remove green", green, commands.remove_green, "low"))
        self._made = made
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        self.show_columns(len(made))

    def show_columns(self, columns: int) -> None:
        """Lay the buttons in so many columns."""
        for number, made in enumerate(self._made):
            self._grid.addWidget(made, number // columns, number % columns)
        for column_ in range(len(self._made) + 1):
            self._grid.setColumnStretch(column_, int(column_ == columns))


class WindowFields(QWidget):
    """Shows the window and the rim of one clip, changes those of all that are selected."""

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project
        self.window_form, self.rim_form = SettingsForm(WINDOW_SETTINGS), SettingsForm(RIM_SETTINGS)
        self.window_form.edited.connect(self._windowed)
        self.rim_form.edited.connect(self._rimmed)
        whole = button("Whole frame", "Without the window: the picture fills the frame again", self._whole, "low")
        form, rim = self.window_form, self.rim_form
        sizes = form.titled("width", "height", "corner", "zoom")
        self._window = holder(line("window", *sizes[1:], whole, None, spacing=4))
        self._rim = holder(
            line(
                "rim",
                *rim.titled("outline"),
                rim["outline_colour"],
                *rim.titled("glow"),
                rim["glow_colour"],
                *rim.titled("shadow"),
                None,
                spacing=4,
            )
        )
        line(self._window, over=self)

    @property
    def rim(self) -> QWidget:
        """The fields of the rim, a line of its own."""
        return self._rim

    def show_clip(self, clip: Clip | None) -> None:
        """Show what a clip has; what it has not is not shown."""
        window = clip.framing.window if clip is not None else None
        self.setVisible(window is not None)
        if window is not None:
            self.window_form.show_record(window)
        rim = clip.rim if clip is not None else None
        self._rim.setVisible(rim is not None or window is not None)
        self.rim_form.show_record(rim or Rim())

    def _windowed(self, name: str, value: object) -> None:
        names = self.project.selection.chosen_clips
        self.project.change(
            f"Window: {WINDOW_SETTINGS[name].title}", lambda reel: windows.with_window(reel, names, **{name: value})
        )

    def _rimmed(self, name: str, value: object) -> None:
        names = self.project.selection.chosen_clips
        self.project.change(
            f"Rim: {RIM_SETTINGS[name].title}", lambda reel: windows.with_rim(reel, names, **{name: value})
        )

    def _whole(self) -> None:
        names = self.project.selection.chosen_clips
        self.project.change("Window taken off", lambda reel: windows.without_window(reel, names))
