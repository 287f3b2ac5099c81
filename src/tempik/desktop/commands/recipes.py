"""Recipes on the selected clips."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.edit.clips.masks import with_clear
from tempik.edit.recipes import Recipe, recipe_named
from tempik.errors import TempikError
from tempik.reel import Clear
from tempik.render.picking import edge_colour


class RecipeCommands(QObject):
    """What takes several steps by hand, done in one."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    def cook(self, recipe: Recipe) -> bool:
        """Do what a recipe says to the selected clips."""
        clips = self.project.selection.chosen_clips
        if not clips:
            self.project.messages.say("Select a clip first: click it in the preview, or on the timeline.", True)
            return False
        before = {c.id for c in self.project.reel.clips}
        if not self.project.change(recipe.step, lambda reel: recipe.edit(reel, clips)):
            return False
        titles = [c.id for c in self.project.reel.clips if c.id not in before and c.title is not None]
        if titles:
            self.project.selection.select_clips(titles)
            self.project.messages.say("Double click the words in the preview on the Titles page to type your own.")
        elif recipe.name == "small picture" and not self._lies_over():
            self.project.messages.say(
                "Nothing lies below it: lay it on the track above (Alt+Up), and footage where it was.", True
            )
        return True

    def _lies_over(self) -> bool:
        """Whether anything lies below the selected clip."""
        placed = self.project.selection.placed
        middle = (placed.first + placed.end) // 2 if placed is not None else 0
        return placed is None or any(p.clip.track < placed.clip.track for p in self.project.timeline.clips_at(middle))

    @command("Layers", "Small picture in the corner", (), "clips")
    def small_picture(self) -> None:
        self.cook(recipe_named("small picture"))

    @command("Layers", "Words behind the subject that is cut out", (), "clips")
    def words_behind(self) -> None:
        self.cook(recipe_named("words behind"))

    @command("Layers", "Outline round what shows of the clips", (), "clips")
    def outline(self) -> None:
        self.cook(recipe_named("outline"))

    @command("Layers", "Glow round what shows of the clips", (), "clips")
    def glow(self) -> None:
        self.cook(recipe_named("glow"))

    @command("Layers", "Clips again on every downbeat", (), "clips")
    def on_downbeats(self) -> None:
        self.cook(recipe_named("on downbeats"))

    @command("Layers", "Remove green: the colour of the picture's edges is clear", (), "clips")
    def remove_green(self) -> None:
        clip, timeline, frame = self.project.selection.clip, self.project.timeline, self.project.playhead.frame
        placed = self.project.selection.placed
        if clip is None or placed is None:
            self.project.messages.say("Select a clip first: what has the colour of its edges is made clear.", True)
            return
        try:
            colour = edge_colour(timeline, placed, min(max(frame, placed.first), placed.end - 1))
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        clear = Clear(of="colour", colour=colour)
        self.project.change("Green removed", lambda reel: with_clear(reel, [clip.id], clear))
