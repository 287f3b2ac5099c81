"""Commands that cut and trim the selected clips by counted frames."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject

from tempik.desktop.count_panel import CountPanel
from tempik.desktop.listening import Listening
from tempik.desktop.project import Project
from tempik.edit import change, pieces, trim
from tempik.edit.timeline import Placed
from tempik.reel import Reel
from tempik.time import frame_of


class CutCommands(QObject):
    """What keys and menus do to the slots of clips."""

    def __init__(self, project: Project, listening: Listening, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.listening, self.count = project, listening, count

    def at_playhead(self) -> Placed | None:
        """The clip meant at the playhead: the selected one where it is there, else the uppermost unlocked."""
        timeline, frame = self.project.timeline, self.project.frame
        picked = self.project.placed
        if picked is not None and picked.first <= frame < picked.end:
            return picked
        for row in range(len(timeline.rows) - 1, -1, -1):
            placed = timeline.clip_at(frame, row)
            if placed is not None and not timeline.reel.picture[row].locked and not timeline.reel.picture[row].hidden:
                return placed
        return None

    def chosen(self) -> list[str]:
        """The selected clips, or the one at the playhead where none is selected."""
        names = self.project.chosen_clips
        if names:
            return names
        placed = self.at_playhead()
        return [placed.clip.id] if placed is not None else []

    def do(self, what: str, edit: Callable[[Reel], Reel]) -> None:
        self.project.change(what, edit)

    def split(self) -> None:
        frame, selected = self.project.frame, self.project.chosen_clips
        placed = self.at_playhead()
        names = [n for n in selected if self._across(n)] or ([placed.clip.id] if placed is not None else None)
        self.do(f"Split at frame {frame}", lambda reel: trim.with_split(reel, [frame], names))

    def _across(self, clip: str) -> bool:
        placed = self.project.timeline.placed_clip(clip)
        return placed is not None and placed.first < self.project.frame < placed.end

    def split_at_points(self) -> None:
        """Split the selected clips at every chosen point, or all clips of the marked stretch or the reel."""
        names, stretch = self.project.chosen_clips or None, self._stretch()
        self.do("Split at the points", lambda reel: trim.with_split_at_points(reel, names, stretch=stretch))

    def _stretch(self) -> tuple[int, int] | None:
        if self.listening.marked is None:
            return None
        timeline = self.project.timeline
        a, b = (frame_of(s - timeline.start_s, timeline.rate) for s in self.listening.marked)
        return max(a, 0), min(b, timeline.frames)

    def remove_before(self) -> None:
        self._cut_off("before", True)

    def remove_before_gap(self) -> None:
        self._cut_off("before", False)

    def remove_after(self) -> None:
        self._cut_off("after", True)

    def remove_after_gap(self) -> None:
        self._cut_off("after", False)

    def _cut_off(self, side: str, ripple: bool) -> None:
        placed, frame = self.at_playhead(), self.project.frame
        if placed is None:
            self.project.said.emit("There is no clip at the playhead.", True)
            return
        act = trim.without_before if side == "before" else trim.without_after
        gone = frame - placed.first if side == "before" else placed.end - frame
        self.project.select_clip(placed.clip.id)
        done = self.project.change(
            f"{gone} frames {side} the playhead removed", lambda reel: act(reel, placed.clip.id, frame, ripple)
        )
        if done and side == "before" and ripple:
            self.project.go(placed.first)

    def remove_and_close_up(self) -> None:
        names = self.chosen()
        self.do(f"{_clips(names)} removed, closed up", lambda reel: trim.without_clips(reel, names, ripple=True))

    def remove_leave_gap(self) -> None:
        names = self.chosen()
        self.do(f"{_clips(names)} removed", lambda reel: trim.without_clips(reel, names))

    def set_frames(self) -> None:
        """Ask for a count of frames and give the clips exactly that many."""
        names = self.chosen()
        placed = self.project.placed or self.at_playhead()
        self.count.ask(
            "Exactly so many frames each", "frames", placed.frames if placed is not None else 10,
            lambda n, close: self.do(
                f"{_clips(names)} set to {n} frames", lambda reel: trim.with_length(reel, names, n, close)
            ),
            ("what follows closes up", True),
        )  # fmt: skip

    def set_beats(self) -> None:
        """Ask for a count of beats and let the clips end so many beats after they begin."""
        names = self.chosen()
        self.count.ask(
            "Exactly so many beats each", "beats", 1,
            lambda n, close: self.do(
                f"{_clips(names)} set to {n} beats", lambda reel: trim.with_beats(reel, names, n, close)
            ),
            ("what follows closes up", True),
            most=999,
        )  # fmt: skip

    def overlap(self) -> None:
        names = self.chosen()
        self.count.ask(
            "Overlap neighbours by", "frames", 6,
            lambda n, _: self.do(f"Overlapped by {n} frames", lambda reel: pieces.overlapped(reel, names, n)),
        )  # fmt: skip

    def stagger(self) -> None:
        names = self.chosen()
        self.count.ask(
            "Each begins after the one before by", "frames", 4,
            lambda n, _: self.do(f"Staggered by {n} frames", lambda reel: pieces.staggered(reel, names, n)),
        )  # fmt: skip

    def slip_back(self) -> None:
        self._slip(-1)

    def slip_on(self) -> None:
        self._slip(1)

    def slip_far_back(self) -> None:
        self._slip(-10)

    def slip_far_on(self) -> None:
        self._slip(10)

    def _slip(self, frames: int) -> None:
        names, seconds = self.chosen(), frames / float(self.project.reel.rate)
        placed = self.project.timeline.placed_clip(names[0]) if names else None
        pace = placed.footage.pace if placed is not None else 1.0
        self.do(f"Footage slipped by {frames:+d} frames", lambda reel: trim.with_slipped(reel, names, seconds * pace))

    def slide_back(self) -> None:
        self._slide(-1)

    def slide_on(self) -> None:
        self._slide(1)

    def _slide(self, frames: int) -> None:
        names = self.chosen()
        if names:
            self.do(f"Clip slid by {frames:+d} frame", lambda reel: trim.with_slid(reel, names[0], frames))

    def roll_back(self) -> None:
        self._roll(-1)

    def roll_on(self) -> None:
        self._roll(1)

    def _roll(self, frames: int) -> None:
        """Move the cut nearest to the playhead; the playhead goes with it."""
        timeline, frame = self.project.timeline, self.project.frame
        placed = self.at_playhead()
        row = timeline.rows[placed.clip.row if placed is not None else 0]
        cuts = [(a, b) for a, b in zip(row, row[1:], strict=False) if a.end == b.first]
        if not cuts:
            self.project.said.emit("There is no cut between two clips to roll.", True)
            return
        a, b = min(cuts, key=lambda c: abs(c[1].first - frame))
        to = b.first + frames
        if self.project.change(
            f"Cut rolled to frame {to}", lambda reel: trim.with_rolled_cut(reel, a.clip.id, b.clip.id, to)
        ):
            self.project.go(to)

    def next_clip(self) -> None:
        self._step(1)

    def previous_clip(self) -> None:
        self._step(-1)

    def next_clip_also(self) -> None:
        self._step(1, also=True)

    def previous_clip_also(self) -> None:
        self._step(-1, also=True)

    def _step(self, step: int, also: bool = False) -> None:
        """Select the next or previous clip of the row, alone or with what is selected, and go to it."""
        timeline = self.project.timeline
        placed = self.project.placed or self.at_playhead()
        row = timeline.rows[placed.clip.row] if placed is not None else timeline.rows[0]
        if not row:
            return
        at = row.index(placed) + step if placed in row and self.project.placed is not None else 0
        if placed is not None and self.project.placed is None:
            at = row.index(placed)
        other = row[min(max(at, 0), len(row) - 1)]
        if also:
            self.project.select_to(other.clip.id)
        else:
            self.project.select_clip(other.clip.id)
        self.project.go(other.first)

    def select_clip_here(self) -> None:
        placed = self.at_playhead()
        self.project.select_clip(placed.clip.id if placed is not None else None)

    def select_from_here(self) -> None:
        frame = self.project.frame
        self.project.select_clips(p.clip.id for p in self.project.timeline.placed if p.end > frame)

    def select_no_clip(self) -> None:
        self.project.select_clip(None)

    def remove_clip(self) -> None:
        """Take the selected clips out; the clip before each runs on."""
        names = self.chosen()

        def edit(reel: Reel) -> Reel:
            for name in names:
                reel = change.without_clip(reel, name)
            return reel

        if names:
            self.do(f"{_clips(names)} removed", edit)


def _clips(names: list[str]) -> str:
    return f"{len(names)} clip{'s' if len(names) != 1 else ''}" if len(names) != 1 else "Clip"
