"""Commands on the shape of the frame that is shown: what is framed while another is shown belongs to that shape."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.session.document import Project
from tempik.digits import plural
from tempik.edit.frame_shapes import framed_in, without_shape
from tempik.reel.frame_shapes import FRAME_SHAPES, shape_name


def ratio_text(name: str) -> str:
    """Return a shape as people write it: such as 16:9."""
    across, down = FRAME_SHAPES[name]
    return f"{across}:{down}"


class FrameCommands(QObject):
    """What keys and menus do to the frame that the preview shows."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    @property
    def own(self) -> str:
        """The name of the reel's own shape; '' where it has none."""
        kept = self.project.history.reel
        return shape_name(kept.width, kept.height)

    @property
    def shown_text(self) -> str:
        """The shape that is shown, as people write it."""
        name = self.project.shown.name or self.own
        return ratio_text(name) if name else "own"

    def show(self, name: str) -> None:
        """Show the reel in a shape; '' is its own."""
        self.project.show_shape(name)
        if self.project.shown.name:
            text = f"{self.shown_text}: what you frame now belongs to this shape alone, and is exported so."
        else:
            text = f"The reel's own frame: {self.shown_text}."
        self.project.messages.say(text)

    @command("View", "The reel in its own frame")
    def show_own(self) -> None:
        self.show("")

    @command("View", "The reel upright, 9:16")
    def show_upright(self) -> None:
        self.show("upright")

    @command("View", "The reel in a portrait frame, 4:5")
    def show_portrait(self) -> None:
        self.show("portrait")

    @command("View", "The reel square, 1:1")
    def show_square(self) -> None:
        self.show("square")

    @command("View", "The reel wide, 16:9")
    def show_wide(self) -> None:
        self.show("wide")

    @command("View", "The reel in the next shape of frame", ("Ctrl+F7",))
    def show_next(self) -> None:
        names = ["", *(n for n in FRAME_SHAPES if n != self.own)]
        self.show(names[(names.index(self.project.shown.name) + 1) % len(names)])

    @property
    def by_hand(self) -> list[str]:
        """The selected clips that are framed by hand in the shape that is shown."""
        shape, chosen = self.project.shown.name, set(self.project.selection.chosen_clips)
        return [name for name in framed_in(self.project.history.reel).get(shape, []) if name in chosen]

    @command("Layers", "Framing in this shape as it is by itself", (), "clips")
    def by_itself(self) -> CommandStep | None:
        names, shape = self.by_hand, self.project.shown.name
        if not names:
            self.project.messages.say(
                "None of the selected clips is framed by hand in a shape that is not the reel's own.", True
            )
            return None
        what = f"{plural(len(names), 'clip')} in {ratio_text(shape)} as by itself"
        return CommandStep(what, lambda reel: without_shape(reel, names, shape))

    def menu(self, parent: QWidget) -> QMenu:
        """Return the shapes to choose from, with how many clips are framed by hand in each."""
        menu, counts = QMenu(parent), framed_in(self.project.history.reel)
        names = list(FRAME_SHAPES) if self.own else ["", *FRAME_SHAPES]
        for name in names:
            text = f"{ratio_text(name)}   {name}" if name else "the reel's own"
            if name == self.own:
                text += ", the reel's own"
            elif counts.get(name):
                text += f" · {plural(len(counts[name]), 'clip')} framed by hand"
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(name == (self.project.shown.name or self.own))
            action.triggered.connect(lambda _=False, n=name: self.show("" if n == self.own else n))
        return menu
