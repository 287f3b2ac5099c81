"""Commands that select clips."""

from __future__ import annotations

from tempik.desktop.commands.clips import ClipCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.session.gesture import give_up


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
        if self.project.under_way:
            give_up(self.project)
        else:
            self.project.selection.select_clip(None)
