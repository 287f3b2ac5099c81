"""Which clips a command means."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.session.document import Project
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
