"""What commands on clips have in common; what is selected by command; the history of the edit."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import give_up
from tempik.timeline.placed_clip import PlacedClip


class ClipCommands(QObject):
    """What commands on clips have in common."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    def at_playhead(self) -> PlacedClip | None:
        """The clip meant at the playhead: the selected one where it is there, else the uppermost unlocked."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        picked = self.project.selection.placed
        if picked is not None and picked.first <= frame < picked.end:
            return picked
        for track in range(len(timeline.tracks) - 1, -1, -1):
            placed = timeline.clip_at(frame, track)
            if placed is not None and not timeline.reel.tracks[track].locked and not timeline.reel.tracks[track].hidden:
                return placed
        return None

    def chosen(self) -> list[str]:
        """The selected clips, or the one at the playhead where none is selected."""
        names = self.project.selection.chosen_clips
        if names:
            return names
        placed = self.at_playhead()
        return [placed.clip.id] if placed is not None else []


class EditCommands(QObject):
    """Undo, redo, and all clips selected."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    @command("Edit", "Undo", ("Ctrl+Z",))
    def undo(self) -> None:
        self.project.undo()

    @command("Edit", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"))
    def redo(self) -> None:
        self.project.redo()

    @command("Select", "Select all clips, or all points on the Rhythm page", ("Ctrl+A",), "song")
    def select_all(self) -> None:
        self.project.selection.select_clips(c.id for c in self.project.reel.clips)


class SelectCommands(ClipCommands):
    """Clip after clip, from here on, nothing."""

    @command("Select", "Next clip", ("PgDown",), "clips")
    def next_clip(self) -> None:
        self._step(1)

    @command("Select", "Previous clip", ("PgUp",), "clips")
    def previous_clip(self) -> None:
        self._step(-1)

    @command("Select", "Next clip too", ("Shift+PgDown",), "clips")
    def next_clip_also(self) -> None:
        self._step(1, also=True)

    @command("Select", "Previous clip too", ("Shift+PgUp",), "clips")
    def previous_clip_also(self) -> None:
        self._step(-1, also=True)

    def _step(self, step: int, also: bool = False) -> None:
        """Select the next or previous clip of the track, alone or with what is selected, and go to it."""
        timeline = self.project.timeline
        placed = self.project.selection.placed or self.at_playhead()
        track = timeline.tracks[placed.clip.track] if placed is not None else timeline.tracks[0]
        if not track:
            return
        at = track.index(placed) + step if placed in track and self.project.selection.placed is not None else 0
        if placed is not None and self.project.selection.placed is None:
            at = track.index(placed)
        other = track[min(max(at, 0), len(track) - 1)]
        if also:
            self.project.selection.select_to(other.clip.id)
        else:
            self.project.selection.select_clip(other.clip.id)
        self.project.playhead.go(other.first)

    @command("Select", "Select the clip at the playhead", ("E",), "clips")
    def select_clip_here(self) -> None:
        placed = self.at_playhead()
        self.project.selection.select_clip(placed.clip.id if placed is not None else None)

    @command("Select", "All clips from the playhead on", ("Ctrl+Shift+A",), "clips")
    def select_from_here(self) -> None:
        frame = self.project.playhead.frame
        self.project.selection.select_clips(p.clip.id for p in self.project.timeline.placed if p.end > frame)

    @command("Select", "Drop what is being dragged; else select nothing", ("Escape",))
    def select_no_clip(self) -> None:
        if self.project.gesture is not None:
            give_up(self.project)
        else:
            self.project.selection.select_clip(None)
