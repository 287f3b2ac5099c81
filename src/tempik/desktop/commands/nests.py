"""Commands on nests: clips made one with a reel inside, opened, closed, laid flat."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.edit.clips import nests
from tempik.reel import Reel


class NestCommands(QObject):
    """What keys and menus do to nests."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    @command("Layers", "Nest the clips: one clip with a reel inside", ("Ctrl+M",), "clips")
    def nest(self) -> None:
        names = self.project.selection.chosen_clips
        made: list[str] = []

        def edit(reel: Reel) -> Reel:
            out, name = nests.with_nest(reel, names)
            made.append(name)
            return out

        if self.project.change(f"{len(names)} clip{'s' if len(names) != 1 else ''} nested", edit):
            self.project.selection.select_clips(made)

    @command("Layers", "Open the nest", ("Ctrl+Down",), "clips")
    def open_nest(self) -> None:
        self.open(self.project.selection.clip_id or "")

    def open(self, clip: str) -> None:
        """Open the nest that a clip shows; the playhead goes into it where it stands outside."""
        placed = self.project.timeline.placed_clip(clip)
        if self.project.change("Nest opened", lambda reel: nests.with_nest_open(reel, clip)) and placed is not None:
            inner = self.project.timeline.placed
            first, end = min((p.first for p in inner), default=0), max((p.end for p in inner), default=0)
            if inner and not first <= self.project.playhead.frame < end:
                self.project.playhead.go(first)

    @command("Layers", "Close the nest that is open", ("Ctrl+Up",))
    def close_nest(self) -> None:
        reel = self.project.reel
        name = reel.opened[-1] if reel.opened else ""
        if self.project.change("Nest closed", nests.with_nest_closed):
            shown = [c.id for c in self.project.reel.clips if c.footage == name]
            self.project.selection.select_clips(shown[:1])

    @command("Layers", "Lay the nest flat again", ("Ctrl+Shift+M",), "clips")
    def flatten_nest(self) -> None:
        clip = self.project.selection.clip_id or ""
        laid: list[str] = []

        def edit(reel: Reel) -> Reel:
            out, names = nests.flattened(reel, clip)
            laid.extend(names)
            return out

        if self.project.change("Nest laid flat", edit):
            self.project.selection.select_clips(laid)
