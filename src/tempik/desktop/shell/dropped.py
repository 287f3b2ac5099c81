"""Footage and files dropped on the timeline."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.place import PlaceCommands
from tempik.desktop.playback.player import Player
from tempik.desktop.session.document import Project
from tempik.desktop.session.importer import Importer
from tempik.desktop.timeline.widget import TimelineView
from tempik.edit.clips import place
from tempik.edit.clips.slots import lying_in
from tempik.edit.titles import free_track
from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of


class Dropped(QObject):
    """Places what is dropped: on a point a cue lands there."""

    def __init__(
        self, project: Project, files: Importer, placing: PlaceCommands, timeline: TimelineView, player: Player
    ) -> None:
        super().__init__(timeline)
        self.project, self.files, self.placing, self.player = project, files, placing, player
        timeline.drops.footage_dropped.connect(self.footage)
        timeline.drops.files_dropped.connect(self.paths)

    def footage(self, footage: str, frame: int, point: str, track: int) -> None:
        """Place footage of the shelf, and show it where it was dropped, unless something plays. On a track above the first nothing gives
        way: where something lies there, it goes on the next track that is free."""
        if point:
            placed = self.placing.place_on(footage, point, track)
        else:
            placed = self.project.change("Footage placed", lambda reel: _placed(reel, footage, frame, track), lays=True)
            if placed:
                self.project.selection.select_clip(self.project.reel.clips[-1].id)
        if placed and not self.player.playing:
            self.project.playhead.go(frame)

    def paths(self, paths: list[str], frame: int, point: str, track: int) -> None:
        """Add files to the footage and place the first; songs and projects are as anywhere."""
        before = {f.id for f in self.project.reel.footage}

        def then() -> None:
            new = [f.id for f in self.project.reel.footage if f.id not in before]
            if new and self.project.timeline.frames:
                self.footage(new[0], frame, point, track)

        self.files.bring(paths, then)


def _placed(reel: Reel, footage: str, frame: int, track: int) -> Reel:
    made = place.with_clip_at(reel, footage, frame, track)
    laid = timeline_of(made).placed_clip(made.clips[-1].id)
    if track == 0 or laid is None or not lying_in(timeline_of(reel), track, laid.first, laid.end):
        return made
    room, free = free_track(reel, (laid.first, laid.end))
    return place.with_clip_at(room, footage, frame, free, frames=laid.frames)
