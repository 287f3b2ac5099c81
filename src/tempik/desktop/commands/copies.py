"""Commands that copy clips, paste them and what is theirs, and group them."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.digits import plural
from tempik.edit.clips import pieces, trim
from tempik.edit.clips.pieces import Attribute, Copied
from tempik.errors import TempikError
from tempik.reel import Clip, Reel, by_id


class CopyCommands(QObject):
    """What keys and menus do with clips as pieces to be had again."""

    def __init__(self, project: Project, cuts: CutCommands, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.cuts, self.count = project, cuts, count
        self._copied: Copied | None = None
        self._model: Clip | None = None

    @command("Edit", "Copy clips", ("Ctrl+C",), "clips")
    def copy_clips(self) -> None:
        names = self.cuts.chosen()
        try:
            self._copied = pieces.copied(self.project.reel, names)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self._model = by_id(self.project.reel.clips, names[0])
        self.project.messages.say(f"{len(names)} clip{'s' if len(names) != 1 else ''} copied", False)

    @command("Edit", "Cut clips out, to be pasted", ("Ctrl+X",), "clips")
    def cut_clips(self) -> None:
        names = self.cuts.chosen()
        self.copy_clips()
        if names and self._copied is not None:
            self.project.change("Clips cut", lambda reel: trim.without_clips(reel, names))

    @command("Edit", "Paste clips at the playhead, over what is there", ("Ctrl+V",), "song")
    def paste_clips(self) -> None:
        self._paste(False)

    @command("Edit", "Paste clips at the playhead, what follows moves on", ("Ctrl+Shift+V",), "song")
    def paste_insert(self) -> None:
        self._paste(True)

    def _paste(self, insert: bool) -> None:
        if self._copied is None:
            self.project.messages.say("Nothing has been copied yet; select clips and press Ctrl+C.", True)
            return
        what, frame = self._copied, self.project.playhead.frame
        new: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, names = pieces.pasted(reel, what, frame, insert)
            new[:] = names
            return made

        if self.project.change("Clips pasted" if not insert else "Clips inserted", edit):
            self.project.selection.select_clips(new)

    @command("Edit", "Duplicate on the next point", ("Ctrl+B",), "clips")
    def duplicate(self) -> None:
        names = self.cuts.chosen()
        new: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, copies = pieces.duplicated_at_next_point(reel, names)
            new[:] = copies
            return made

        if self.project.change("Clip duplicated on the next point", edit):
            self.project.selection.select_clips(new)
            placed = self.project.selection.placed
            if placed is not None:
                self.project.playhead.go(placed.first)

    @command("Edit", "Repeat the clip …", ("M",), "clips")
    def repeat(self) -> None:
        names = self.cuts.chosen()
        if names:
            self.count.ask(
                "Play it so many times more", "times", 1,
                lambda n, _: self.project.change(
                    f"Clip repeated {n} times", lambda reel: pieces.repeated(reel, names[0], n)
                ),
                most=500,
            )  # fmt: skip

    @command("Edit", "Paste speed, framing and transition to the selected clips", ("Ctrl+Alt+V",), "clips")
    def paste_attributes(self) -> None:
        self._attributes(("speed", "framing", "layer", "transition"))

    @command("Edit", "Paste the speed to the selected clips", (), "clips")
    def paste_speed(self) -> None:
        self._attributes(("speed",))

    @command("Edit", "Paste the framing to the selected clips", (), "clips")
    def paste_framing(self) -> None:
        self._attributes(("framing",))

    @command("Edit", "Paste the transition to the selected clips", (), "clips")
    def paste_transition(self) -> None:
        self._attributes(("transition",))

    @command("Edit", "Paste the masks and what is clear to the selected clips", (), "clips")
    def paste_masks(self) -> None:
        self._attributes(("masks",))

    @command("Edit", "Paste the title's look to the selected titles", (), "clips")
    def paste_title_look(self) -> None:
        self._attributes(("title",))

    def _attributes(self, what: tuple[Attribute, ...]) -> None:
        model, names = self._model, self.cuts.chosen()
        if model is None:
            self.project.messages.say("Nothing has been copied yet; select a clip and press Ctrl+C.", True)
        elif names:
            self.project.change(
                f"{' and '.join(what).capitalize()} pasted to {len(names)} clip{'s' if len(names) != 1 else ''}",
                lambda reel: pieces.with_attributes(reel, model, names, what),
            )

    @command("Edit", "Group clips", ("Ctrl+G",), "clips")
    def group(self) -> None:
        names = self.project.selection.chosen_clips
        if self.project.change(f"{plural(len(names), 'clip')} grouped", lambda reel: pieces.grouped(reel, names)):
            self.project.selection.select_clip(names[0])

    @command("Edit", "Take the group apart", ("Ctrl+Shift+G",), "clips")
    def ungroup(self) -> None:
        names = self.project.selection.chosen_clips
        self.project.change("Group taken apart", lambda reel: pieces.ungrouped(reel, names))
