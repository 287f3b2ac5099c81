"""Commands that cut and trim the selected clips by counted frames."""

from __future__ import annotations

from collections.abc import Callable

from tempik.desktop.commands.clips import ClipCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.commands.sounds import remove_sound_clip, split_sound_clip
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.digits import plural
from tempik.edit.clips import pieces, trim
from tempik.edit.clips.place import without_clip
from tempik.reel import Reel


class CutCommands(ClipCommands):
    """What keys and menus do to the slots of clips."""

    def __init__(self, project: Project, count: CountPanel) -> None:
        super().__init__(project)
        self.count = count

    def do(self, what: str, edit: Callable[[Reel], Reel]) -> None:
        """Apply an edit as one step."""
        self.project.change(what, edit)

    @command("Cut", "Split at the playhead", ("S",), "clips")
    def split(self) -> None:
        sound = self.project.selection.sound_clip
        if sound is not None:
            split_sound_clip(self.project, sound)
            return
        frame, selected = self.project.playhead.frame, self.project.selection.chosen_clips
        placed = self.at_playhead()
        names = [n for n in selected if self._across(n)] or ([placed.clip.id] if placed is not None else None)
        self.do(f"Split at frame {frame}", lambda reel: trim.with_split(reel, [frame], names))

    def _across(self, clip: str) -> bool:
        placed = self.project.timeline.placed_clip(clip)
        return placed is not None and placed.first < self.project.playhead.frame < placed.end

    @command("Cut", "Split at every point", ("Shift+S",), "clips")
    def split_at_points(self) -> None:
        """Split the selected clips at every chosen point, or all clips of the marked stretch or the reel."""
        names, stretch = self.project.selection.chosen_clips or None, self.project.selection.marked_frames
        self.do("Split at the points", lambda reel: trim.with_split_at_points(reel, names, stretch=stretch))

    @command("Cut", "Remove what is before the playhead in the clip, close up", ("A",), "clips")
    def remove_before(self) -> None:
        self._cut_off("before", True)

    @command("Cut", "Remove what is before the playhead, leave a gap", ("Shift+A",), "clips")
    def remove_before_gap(self) -> None:
        self._cut_off("before", False)

    @command("Cut", "Remove what is after the playhead in the clip, close up", ("D",), "clips")
    def remove_after(self) -> None:
        self._cut_off("after", True)

    @command("Cut", "Remove what is after the playhead, leave a gap", ("Shift+D",), "clips")
    def remove_after_gap(self) -> None:
        self._cut_off("after", False)

    def _cut_off(self, side: str, ripple: bool) -> None:
        placed, frame = self.at_playhead(), self.project.playhead.frame
        if placed is None:
            self.project.messages.say("There is no clip at the playhead.", True)
            return
        act = trim.without_before if side == "before" else trim.without_after
        gone = frame - placed.first if side == "before" else placed.end - frame
        self.project.selection.select_clip(placed.clip.id)
        done = self.project.change(
            f"{plural(gone, 'frame')} {side} the playhead removed",
            lambda reel: act(reel, placed.clip.id, frame, ripple),
        )
        if done and side == "before" and ripple:
            self.project.playhead.go(placed.first)

    @command("Cut", "Remove clips, close up", ("Ctrl+Delete",), "clips")
    def remove_and_close_up(self) -> None:
        names = self.chosen()
        self.do(f"{_clips(names)} removed, closed up", lambda reel: trim.without_clips(reel, names, ripple=True))

    @command("Cut", "Remove clips, leave a gap", ("Alt+Delete",), "clips")
    def remove_leave_gap(self) -> None:
        names = self.chosen()
        self.do(f"{_clips(names)} removed", lambda reel: trim.without_clips(reel, names))

    @command("Cut", "Exactly so many frames …", ("Y",), "clips")
    def set_frames(self) -> None:
        """Ask for a count of frames and give the clips exactly that many."""
        names = self.chosen()
        placed = self.project.selection.placed or self.at_playhead()
        self.count.ask(
            "Exactly so many frames each", "frames", placed.frames if placed is not None else 10,
            lambda n, close: self.do(
                f"{_clips(names)} set to {plural(n, 'frame')}", lambda reel: trim.with_length(reel, names, n, close)
            ),
            ("what follows closes up", True),
        )  # fmt: skip

    @command("Cut", "Exactly so many beats …", ("Shift+Y",), "clips")
    def set_beats(self) -> None:
        """Ask for a count of beats and let the clips end so many beats after they begin."""
        names = self.chosen()
        self.count.ask(
            "Exactly so many beats each", "beats", 1,
            lambda n, close: self.do(
                f"{_clips(names)} set to {plural(n, 'beat')}", lambda reel: trim.with_beats(reel, names, n, close)
            ),
            ("what follows closes up", True),
            most=999,
        )  # fmt: skip

    @command("Cut", "Overlap neighbours …", (), "clips")
    def overlap(self) -> None:
        names = self.chosen()

        def overlapped(frames: int, _: bool) -> None:
            what = f"Overlapped by {plural(frames, 'frame')}"
            if self.project.change(what, lambda reel: pieces.overlapped(reel, names, frames)):
                self.project.messages.say(f"{what}: each slides over the one before it.")

        self.count.ask("Overlap neighbours by", "frames", 6, overlapped)

    @command("Cut", "A staircase: each begins so many frames later …", (), "clips")
    def stagger(self) -> None:
        names = self.chosen()
        self.count.ask(
            "Each begins after the one before by", "frames", 4,
            lambda n, _: self.do(f"Staggered by {plural(n, 'frame')}", lambda reel: pieces.staggered(reel, names, n)),
        )  # fmt: skip

    @command("Cut", "Show the footage a frame earlier in the same slot", ("[",), "clips")
    def slip_back(self) -> None:
        self._slip(-1)

    @command("Cut", "Show the footage a frame later in the same slot", ("]",), "clips")
    def slip_on(self) -> None:
        self._slip(1)

    @command("Cut", "Slip ten frames earlier", ("{",), "clips")
    def slip_far_back(self) -> None:
        self._slip(-10)

    @command("Cut", "Slip ten frames later", ("}",), "clips")
    def slip_far_on(self) -> None:
        self._slip(10)

    def _slip(self, frames: int) -> None:
        names, seconds = self.chosen(), frames / float(self.project.reel.rate)
        placed = self.project.timeline.placed_clip(names[0]) if names else None
        pace = placed.footage.conform_ratio if placed is not None else 1.0
        self.do(f"Footage slipped by {frames:+d} frames", lambda reel: trim.with_slipped(reel, names, seconds * pace))

    @command("Cut", "Slide the clip a frame earlier between its neighbours", ("Alt+Left",), "clips")
    def slide_back(self) -> None:
        self._slide(-1)

    @command("Cut", "Slide the clip a frame later between its neighbours", ("Alt+Right",), "clips")
    def slide_on(self) -> None:
        self._slide(1)

    def _slide(self, frames: int) -> None:
        names = self.chosen()
        if names:
            self.do(f"Clip slid by {frames:+d} frame", lambda reel: trim.with_slid(reel, names[0], frames))

    @command("Cut", "Move the cut a frame earlier", ("Ctrl+Shift+Left",), "clips")
    def roll_back(self) -> None:
        self._roll(-1)

    @command("Cut", "Move the cut a frame later", ("Ctrl+Shift+Right",), "clips")
    def roll_on(self) -> None:
        self._roll(1)

    def _roll(self, frames: int) -> None:
        """Move the cut nearest to the playhead; the playhead goes with it."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        placed = self.at_playhead()
        track = timeline.tracks[placed.clip.track if placed is not None else 0]
        cuts = [(a, b) for a, b in zip(track, track[1:], strict=False) if a.end == b.first]
        if not cuts:
            self.project.messages.say("There is no cut between two clips to roll.", True)
            return
        a, b = min(cuts, key=lambda c: abs(c[1].first - frame))
        to = b.first + frames
        if self.project.change(
            f"Cut rolled to frame {to}", lambda reel: trim.with_rolled_cut(reel, a.clip.id, b.clip.id, to)
        ):
            self.project.playhead.go(to)

    @command(
        "Cut", "Remove the clip, the one before runs on; points on the Rhythm page", ("Delete", "Backspace"), "song"
    )
    def remove_clip(self) -> None:
        """Take the selected clips out; the clip before each runs on. A selected sound clip goes as well."""
        names, sound = self.chosen(), self.project.selection.sound_clip

        def edit(reel: Reel) -> Reel:
            for name in names:
                reel = without_clip(reel, name)
            return reel

        if sound is not None:
            remove_sound_clip(self.project, sound)
        elif names:
            self.do(f"{_clips(names)} removed", edit)


def _clips(names: list[str]) -> str:
    return f"{len(names)} clip{'s' if len(names) != 1 else ''}" if len(names) != 1 else "Clip"
