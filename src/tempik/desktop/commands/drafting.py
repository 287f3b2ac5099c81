"""Commands on drafts: another one, why a clip is there, and what else it could show."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from tempik.desktop.commands.registry import command
from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.delivery import Delivery
from tempik.desktop.session.document import Project
from tempik.desktop.session.inspecting import Looking
from tempik.edit.drafting.locking import all_locked, clips_between, with_locked
from tempik.edit.drafting.swap import swapped
from tempik.edit.drafting.why import why_clip, why_lane, why_reel, why_sound_lane, why_transition
from tempik.errors import TempikError
from tempik.media import FootageStudy
from tempik.reel import AccentLane, SoundLane


class DraftCommands(QObject):
    """What keys do with a draft."""

    def __init__(self, delivery: Delivery, proxy_store: ProxyStore, looking: Looking) -> None:
        super().__init__(delivery)
        self.delivery, self.project, self.proxy_store, self.looking = delivery, delivery.project, proxy_store, looking

    @command("Project", "Another draft by the same mood", ("Ctrl+Shift+D",), "song")
    def draft_another(self) -> None:
        self.delivery.draft_another()

    @command("Project", "Why is this here?", ("Alt+W",), "clips")
    def say_why(self) -> None:
        """Say in one sentence why the selected clip, its transition, or else the selected lane is there; of nothing selected, how the reel was
        drafted."""
        project = self.project
        selection, reel = project.selection, project.reel
        try:
            if selection.transition_place is not None:
                message = why_transition(reel, selection.transition_place.clip)
            elif selection.clip_id is not None:
                message = why_clip(reel, selection.clip_id, self._studies())
            elif selection.lane is not None:
                message = why_lane(reel, selection.lane.lane)
            elif selection.sound_lane is not None:
                message = why_sound_lane(reel, selection.sound_lane)
            elif not (message := why_reel(reel)):
                project.messages.say("Select a clip, an accent lane or a transition; it is told why it is there.", True)
                return
        except TempikError as error:
            project.messages.say(str(error), True)
            return
        project.messages.say(message)

    @command("Project", "Lock this against drafts", ("Ctrl+Alt+K",), "clips")
    def lock_against_drafts(self) -> None:
        """Lock the selected clips against drafts, or all in the marked stretch, or else the selected lane; or unlock them."""
        selection = self.project.selection
        marked = selection.marked_frames
        clips = selection.chosen_clips or (clips_between(self.project.reel, *marked) if marked is not None else [])
        lane = selection.lane.lane if selection.lane is not None else selection.sound_lane
        if not clips and lane is not None:
            lock_lane(self.project, lane)
            return
        if not clips:
            self.project.messages.say(
                "Select clips or a lane to lock, or mark a stretch; another draft leaves them as they are.", True
            )
            return
        locked = not all_locked(self.project.reel, clips)
        what = f"{len(clips)} clips" if len(clips) > 1 else "Clip"
        text = f"{what} locked against drafts" if locked else f"{what} open to drafts again"
        self.project.change(text, lambda r: with_locked(r, clips, locked=locked))

    @command("Place", "Show the next best in this clip", ("Alt+N",), "clips")
    def next_chance(self) -> None:
        """Another instant of the footage that suits the clip's slot, on the same point."""
        self._swap(1)

    @command("Place", "Show the one before in this clip", ("Alt+P",), "clips")
    def previous_chance(self) -> None:
        self._swap(-1)

    def _swap(self, by: int) -> None:
        clip = self.project.selection.clip_id
        if clip is None:
            self.project.messages.say("Select a clip first; this goes through what else it could show.", True)
            return
        try:
            made, chance, number, whole = swapped(self.project.reel, clip, self._studies(), by)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        if self.project.change(f"{chance.piece.name} shown, for {chance.why}: {number} of {whole}", lambda _: made):
            self._show(clip)

    def _show(self, clip: str) -> None:
        """Bring a clip's decisive frame on screen, unless the playhead is in the clip already; no footage stands before it."""
        self.looking.clear()
        placed, playhead = self.project.timeline.placed_clip(clip), self.project.playhead
        if placed is not None and not placed.first <= playhead.frame < placed.end:
            inside = [t.frame for t in placed.ties if placed.first <= t.frame < placed.end]
            playhead.go(inside[0] if inside else placed.first)

    def _studies(self) -> dict[str, FootageStudy]:
        """Return what is known of the footage so far."""
        reel = self.project.reel
        return {f.id: study for f in reel.footage if (study := self.proxy_store.study_of(f.path)) is not None}


def lock_lane(project: Project, lane: AccentLane | SoundLane) -> None:
    """Lock a lane against drafts, or unlock it."""
    text = "Lane open to drafts again" if lane.locked else "Lane locked against drafts"
    project.change(text, lambda r: with_locked(r, lanes=[lane.id], locked=not lane.locked))


def add_lane_entries(menu: QMenu, project: Project, lane: AccentLane | SoundLane) -> None:
    """Add to a lane's menu what drafts have to do with it."""
    keep = menu.addAction("Lock against drafts")
    keep.setCheckable(True)
    keep.setChecked(lane.locked)
    keep.triggered.connect(lambda: lock_lane(project, lane))
    reel = project.reel
    message = why_lane(reel, lane) if isinstance(lane, AccentLane) else why_sound_lane(reel, lane)
    menu.addAction("Why is this here?").triggered.connect(lambda: project.messages.say(message))
