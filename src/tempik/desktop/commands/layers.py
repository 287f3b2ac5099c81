"""Commands on layers: adjust clips, clips laid again on points, masks, and framing that follows a subject."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal

from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.digits import plural
from tempik.edit.clips import follow, masks, repeats
from tempik.edit.clips.slots import clip_of
from tempik.edit.footage import cutting_out, tracking
from tempik.errors import TempikError
from tempik.project.file import state_folder
from tempik.reel import Cutout, Footage, MotionTrack, Reel, Stroke, by_id
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.repeats import source_of

ADJUST_S = 2.0


class FollowedSubject(NamedTuple):
    """A subject that was followed through a clip."""

    clip: str
    track: MotionTrack


class LayerCommands(QObject):
    """What keys and menus do to layers. `picking` asks for a click in the preview on the subject to follow."""

    picking = Signal()
    followed_all = Signal(list)  # the clips that were, in order
    cut = Signal()  # a subject was cut out

    def __init__(self, project: Project, worker: Worker, proxy_store: ProxyStore) -> None:
        super().__init__(project)
        self.project, self.worker, self.proxy_store = project, worker, proxy_store

    # Adjust clips

    @command("Layers", "An adjust clip at the playhead", (), "song")
    def add_adjust(self) -> None:
        timeline, frame = self.project.timeline, self.project.playhead.frame
        after = frame + round(ADJUST_S * float(timeline.rate))
        points = [f for p in timeline.on_reel() if (f := timeline.frame_of_point(p)) >= after]
        frames = min(points, default=timeline.frames) - frame
        names: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, name = masks.with_adjust(reel, frame, frames)
            names.append(name)
            return made

        if self.project.change("Adjust clip", edit):
            self.project.selection.select_clips(names)

    # Laid again

    def repeat_instance_here(self) -> str | None:
        """Return the place at the playhead where a clip is laid again: of the selected clip if it is, else the uppermost."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        here = [p.clip.id for p in reversed(timeline.clips_at(frame)) if p.repeated]
        selected = self.project.selection.clip_id
        return next((n for n in here if source_of(n) == selected), next(iter(here), None))

    @command("Layers", "Leave the repeat at the playhead out", (), "clips")
    def leave_out(self) -> CommandStep:
        name = self._here()
        return CommandStep("Repeat left out", lambda reel: repeats.without_repeat_instance(reel, [name]))

    @command("Layers", "Make the repeat at the playhead a clip of its own", (), "clips")
    def make_own(self) -> None:
        name = self._here()
        made: list[str] = []

        def edit(reel: Reel) -> Reel:
            out, own = repeats.with_repeat_instance_own(reel, name)
            made.append(own)
            return out

        if self.project.change("Repeat made a clip", edit):
            self.project.selection.select_clips(made)

    def _here(self) -> str:
        return self.repeat_instance_here() or ""

    # Following

    @command("Layers", "Follow a subject: click it in the preview", ("Ctrl+F",), "clips")
    def pick_subject(self) -> None:
        if self._placed() is not None:
            self.picking.emit()
            self.project.messages.say("Click the subject in the preview; the framing keeps it in the frame.", False)

    @command("Layers", "Follow what moves in the clip", (), "clips")
    def guess_subject(self) -> None:
        placed, timeline = self._placed(), self.project.timeline
        if placed is not None:
            path = self._path(placed.footage)
            self._follow(placed, lambda: tracking.subject_of(timeline, placed, path))

    @command("Layers", "Follow no subject", (), "clips")
    def follow_nothing(self) -> CommandStep:
        names = self.project.selection.chosen_clips
        return CommandStep("Framing stands", lambda reel: follow.without_follow(reel, names))

    def follow_at(self, x: float, y: float) -> None:
        """Follow what is seen at a place of the frame, shares from its left and top, through the selected clip. Where it
        follows one already, from this frame on."""
        placed, timeline, frame = self._placed(), self.project.timeline, self.project.playhead.frame
        if placed is None:
            return
        if not placed.first <= frame < placed.end:
            self.project.messages.say(
                "The playhead is not in the selected clip; put it where the subject is seen.", True
            )
            return
        place = (x - 0.5, (y - 0.5) * timeline.height_ratio)
        old = follow.track_followed(self.project.reel, placed.clip.id)
        lost = follow.lost_frames(timeline, placed)
        mends = old is not None and any(a <= frame for a, _ in lost)
        self._follow(placed, lambda: tracking.footage_place(timeline, placed, frame, place), old if mends else None)

    def _placed(self) -> PlacedClip | None:
        placed = self.project.selection.placed
        if placed is None or placed.footage.kind != "video":
            self.project.messages.say("Select a clip of footage that moves, to follow a subject in it.", True)
            return None
        return placed

    def _path(self, footage: Footage) -> str:
        return self.proxy_store.proxy_for(footage.path) or footage.path

    def _follow(
        self, placed: PlacedClip, start: Callable[[], tuple[float, float, float]], old: MotionTrack | None = None
    ) -> None:
        clip, footage, path = placed.clip.id, placed.footage, self._path(placed.footage)
        try:
            seed = start()
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return

        def work(job: Job) -> MotionTrack:
            track = tracking.tracked(footage, *seed, job.report, job.stop_event, path)
            return tracking.spliced(old, track, seed[0]) if old is not None else track

        def done(track: MotionTrack) -> None:
            if self.project.change(
                f"Framing follows a subject in {footage.name}", lambda reel: follow.with_follow(reel, clip, track)
            ):
                self.say_lost(clip)

        self.worker.start(f"Following a subject in {footage.name}", work, done, self._failed)

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)

    def say_lost(self, clip: str) -> None:
        """Say where the subject that a clip follows is lost, and go there."""
        placed = self.project.timeline.placed_clip(clip)
        lost = follow.lost_frames(self.project.timeline, placed) if placed is not None else []
        if placed is not None and (message := follow.message_of_follow(self.project.timeline, placed)):
            self.project.messages.say(message, True)
        elif lost:
            self.project.playhead.go(lost[0][0])
            self.project.messages.say(
                f"The subject is lost at frames {lost[0][0]} to {lost[0][1] - 1}; click it there to go on from it.",
                True,
            )

    # Cutting out

    def cut_out(self, strokes: tuple[Stroke, ...]) -> None:
        """Cut the subject of some strokes, beside those that there are, out of the stretch that the selected clip shows."""
        placed, timeline = self._placed(), self.project.timeline
        if placed is None:
            return
        clip, footage, path = placed.clip.id, placed.footage, self.proxy_store.proxy_for(placed.footage.path)
        old = by_id(footage.cutouts, placed.clip.cutout)
        wanted = Cutout(old.id if old is not None else "", (*(old.strokes if old is not None else ()), *strokes))
        stretch = cutting_out.stretch_shown(timeline, placed)
        target = cutting_out.target_beside(self.project.path, state_folder(), footage)

        def work(job: Job) -> Cutout:
            return cutting_out.cut_out(footage, wanted, stretch, target, job.report, job.stop_event, path)

        def done(made: Cutout) -> None:
            what = f"Subject cut out of {footage.name}"
            if self.project.change(what, lambda reel: cutting_out.with_cutout(reel, clip, made)):
                self.cut.emit()

        self.worker.start(f"Cutting out of {footage.name}", work, done, self._failed)

    @command("Layers", "Show all of the clips again, not the cut-out", (), "clips")
    def cut_nothing_out(self) -> CommandStep:
        names = self.project.selection.chosen_clips
        return CommandStep("All of the picture shown", lambda reel: cutting_out.without_cutout(reel, names))

    @command("Layers", "Follow what moves in all clips that are wider than the frame", (), "clips")
    def follow_all(self) -> None:
        timeline = self.project.timeline
        wanted = [
            p for p in timeline.placed
            if p.footage.kind == "video" and p.clip.follow is None and p.footage.width / p.footage.height > 1.02 / timeline.height_ratio
        ]  # fmt: skip
        if not wanted:
            self.project.messages.say("No clip is wider than the frame and follows nothing yet.", True)
            return
        paths = {p.footage.id: self._path(p.footage) for p in wanted}

        def work(job: Job) -> list[FollowedSubject]:
            out = []
            for number, placed in enumerate(wanted):
                job.report(number / len(wanted))
                path = paths[placed.footage.id]
                seed = tracking.subject_of(timeline, placed, path)
                try:
                    out.append(
                        FollowedSubject(
                            placed.clip.id, tracking.tracked(placed.footage, *seed, None, job.stop_event, path)
                        )
                    )
                except TempikError:
                    if job.stop_event.is_set():
                        raise
            return out

        self.worker.start(
            f"Following subjects in {plural(len(wanted), 'clip')}", work, self._all_followed, self._failed
        )

    def _all_followed(self, found: list[FollowedSubject]) -> None:
        def edit(reel: Reel) -> Reel:
            there = {c.id for c in reel.clips}
            for clip, track in found:
                if clip in there and clip_of(reel, clip).follow is None:
                    reel = follow.with_follow(reel, clip, track)
            return reel

        if found and self.project.change(f"Framing follows subjects in {plural(len(found), 'clip')}", edit):
            self.followed_all.emit([clip for clip, _ in found])
