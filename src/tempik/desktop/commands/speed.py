"""Commands on how fast and which way the selected clips play."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QObject

from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.digits import plural
from tempik.edit.speed import direction, speed
from tempik.reel import Align, Clip, Interpolation, Reel, SpeedShape, by_id
from tempik.timeline.placed_clip import PlacedClip

WAYS: tuple[Interpolation, ...] = ("nearest", "blend", "flow")


class SpeedCommands(QObject):
    """What keys, menus and the Speed page do to the speed of clips."""

    def __init__(self, project: Project, cuts: CutCommands, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.cuts, self.count = project, cuts, count
        self._begun: int | None = None
        self.gives: speed.GivesWay = "source"
        self.align: Align | None = None

    @command("Speed", "Mark a stretch: from here, and again: to here", ("/",), "song")
    def mark_here(self) -> None:
        """Begin a marked stretch at the playhead, or end it there where one is begun."""
        frame = self.project.playhead.frame
        if self._begun is None or self._begun == frame:
            self._begun = frame
            self.project.selection.mark_frames(None)
            self.project.messages.say(
                f"The stretch begins at frame {frame}; go to its end and press the key again.", False
            )
        else:
            a, b = sorted((self._begun, frame))
            self._begun = None
            self.project.selection.mark_frames((a, b))
            self.project.messages.say(f"Marked: {b - a} frames, {a} to {b}.", False)

    def let_give(self, gives: speed.GivesWay) -> None:
        """Say what gives way when a speed changes."""
        self.gives = gives

    def lay_on(self, align: Align | None) -> None:
        """Say what shapes are laid on; None is the pin of a clip that has one inside it, else the clip."""
        self.align = align

    def _placed(self) -> PlacedClip | None:
        placed = self.project.selection.placed or self.cuts.at_playhead()
        if placed is None:
            self.project.messages.say("Select a clip first.", True)
        elif self.project.selection.placed is None:
            self.project.selection.select_clip(placed.clip.id)
        return placed

    def _stretch(self, placed: PlacedClip) -> tuple[int, int] | None:
        """The marked part of a clip; says how to mark one where there is none."""
        marked = self.project.selection.marked_frames
        if marked is not None:
            a, b = max(marked[0], placed.first), min(marked[1], placed.end)
            if b > a:
                return a, b
        self.project.messages.say(
            "Mark a stretch of the clip first: drag on the strip under the speed graph, or press / at its two ends.",
            True,
        )
        return None

    def _all(self, what: str, change: Callable[[Reel, str], Reel]) -> None:
        """Do the same to every selected clip as one step."""
        names = self.cuts.chosen()

        def edit(reel: Reel) -> Reel:
            for name in names:
                if by_id(reel.clips, name) is not None:
                    reel = change(reel, name)
            return reel

        if names:
            self.project.change(what, edit)
        else:
            self.project.messages.say("Select a clip first.", True)

    # Direction

    @command("Speed", "Reverse the clips", ("R",), "clips")
    def reverse(self) -> None:
        self._all("Clip reversed", speed.with_reversed)

    @command("Speed", "There and back, turning at the playhead or the middle point", ("Shift+R",), "clips")
    def there_and_back(self) -> None:
        """Turn round at the playhead where it is inside the clip, else at the point nearest the clip's middle."""
        frame = self.project.playhead.frame
        self._all("There and back", lambda reel, name: direction.with_there_and_back(reel, name, frame))

    @command("Speed", "Play the marked stretch, rewind it, play it again …", ("Ctrl+R",), "clips")
    def rewind(self) -> None:
        """Ask how fast to rewind the marked stretch, which is then played again."""
        placed = self._placed()
        stretch = self._stretch(placed) if placed is not None else None
        if placed is None or stretch is None:
            return
        name = placed.clip.id
        self.count.ask(
            "Play, rewind, play again: rewind at", "%", 200,
            lambda n, longer: self.project.change(
                f"Rewound at {n} %", lambda reel: direction.with_rewind(reel, name, *stretch, n / 100, longer)
            ),
            ("the clip gets longer, what follows moves on", False),
            most=1000,
        )  # fmt: skip

    @command("Speed", "See-saw in so many pieces …", (), "clips")
    def see_saw_pieces(self) -> None:
        self._ask_see_saw("See-saw in so many pieces", "pieces", 4, "pieces")

    @command("Speed", "See-saw in pieces of so many frames …", (), "clips")
    def see_saw_frames(self) -> None:
        self._ask_see_saw("See-saw in pieces of", "frames", 8, "frames")

    @command("Speed", "See-saw turning on points …", ("Alt+R",), "clips")
    def see_saw_points(self) -> None:
        self._ask_see_saw("See-saw turning on every", "points", 1, "points")

    def _ask_see_saw(self, question: str, unit: str, first: int, field: str) -> None:
        self.count.ask(
            question, unit, first,
            lambda n, _: self._all(
                f"See-saw, {n} {unit}", lambda reel, name: direction.with_see_saw(reel, name, **{field: n})
            ),
        )  # fmt: skip

    @command("Speed", "Every second clip backward", (), "clips")
    def swing_reel(self) -> None:
        """Play every second clip backward: the selected ones where there are several, else the whole reel."""
        names = self.project.selection.chosen_clips
        self.project.change(
            "Every second clip reversed", lambda reel: direction.with_swing(reel, names if len(names) > 1 else ())
        )

    # Stretches

    @command("Speed", "Speed of the marked stretch …", ("Ctrl+/",), "clips")
    def stretch_speed(self) -> None:
        """Ask for the speed of the marked stretch."""
        placed = self._placed()
        stretch = self._stretch(placed) if placed is not None else None
        if placed is None or stretch is None:
            return
        name, soft = placed.clip.id, max(2, (stretch[1] - stretch[0]) // 4)
        self.count.ask(
            "Speed of the marked stretch", "%", 50,
            lambda n, eased: self.project.change(
                f"Stretch at {n} %",
                lambda reel: speed.with_stretch_speed(reel, name, *stretch, n / 100, soft if eased else 0),
            ),
            ("soft edges", True),
            most=1000,
        )  # fmt: skip

    @command("Speed", "Hold the picture inside the clip's slot …", ("Alt+F",), "clips")
    def hold_inside(self) -> None:
        """Ask for how long to hold the playhead's picture inside the clip's slot."""
        placed = self._placed()
        if placed is None:
            return
        name, frame = placed.clip.id, self.project.playhead.frame
        self.count.ask(
            "Hold this picture inside the slot for", "frames", 10,
            lambda n, _: self.project.change(f"Held for {plural(n, 'frame')}", lambda reel: speed.with_hold(reel, name, frame, n)),
        )  # fmt: skip

    @command("Speed", "The same footage in exactly so many frames …", ("Alt+Y",), "clips")
    def retime_to_frames(self) -> None:
        """Ask for an exact length; the footage stays and the speed gives way."""
        placed, names = self._placed(), self.cuts.chosen()
        if placed is None:
            return
        self.count.ask(
            "The same footage in exactly", "frames", placed.frames,
            lambda n, _: self.project.change(
                f"Retimed to {plural(n, 'frame')}", lambda reel: speed.with_slot_frames(reel, names, n, "speed")
            ),
        )  # fmt: skip

    @command("Speed", "One speed throughout …", ("5",), "clips")
    def set_speed(self) -> None:
        """Ask for a constant speed for the selected clips."""
        names = self.cuts.chosen()
        self.count.ask(
            "One speed throughout", "%", 100,
            lambda n, back: self.project.change(
                f"Speed {n} %", lambda reel: speed.with_constant(reel, names, -n / 100 if back else n / 100, self.gives)
            ),
            ("backward", False),
            most=1000,
        )  # fmt: skip

    # Shapes, frames between, sound

    def apply_shape(self, shape: SpeedShape, amount: float = 1.0, every: int = 1) -> None:
        """Give the chosen clips a speed shape, `amount` of it (0 to 2), about every so many points."""
        names, frame = self.cuts.chosen(), self.project.playhead.frame
        clips = f" to {len(names)} clips" if len(names) > 1 else ""
        self.project.change(
            f"Shape '{shape.name}'{clips}",
            lambda reel: speed.with_shape(reel, names, shape, amount, self.align, every, frame),
        )

    @command("Speed", "Frames in between: the next way", ("6",), "clips")
    def next_between(self) -> None:
        """Go to the next way of making frames in between: the reel's, nearest, blend, flow."""
        names = self.cuts.chosen()
        clip = by_id(self.project.reel.clips, names[0]) if names else None
        if clip is None:
            self.project.messages.say("Select a clip first.", True)
            return
        order: tuple[Interpolation | None, ...] = (None, *WAYS)
        way = order[(order.index(clip.interpolation) + 1) % len(order)]
        self.set_between(way)

    def set_between(self, way: Interpolation | None) -> None:
        """Choose how frames between two of the footage's are made for the chosen clips; None as the reel does."""
        names = self.cuts.chosen()
        self.project.change(
            f"Frames in between: {way or 'as the reel'}", lambda reel: speed.with_between(reel, names, way)
        )

    def set_reel_between(self, way: Interpolation) -> None:
        """Choose how frames between two of the footage's are made on the whole reel."""
        self.project.change(f"The reel's frames in between: {way}", lambda reel: speed.with_between(reel, None, way))

    @command("Speed", "The clips' own sound on or off", ("7",), "clips")
    def toggle_sound(self) -> None:
        """Hear the selected clips' own sound, or not."""
        names = [n for n in self.cuts.chosen() if self._has_sound(n)]
        if not names:
            self.project.messages.say("The footage of this clip has no sound.", True)
            return
        first = by_id(self.project.reel.clips, names[0])
        on = first is not None and not first.sound.on

        def edit(reel: Reel) -> Reel:
            for name in names:
                clip = by_id(reel.clips, name)
                if clip is not None:
                    reel = speed.with_clip_sound(reel, [name], replace(clip.sound, on=on))
            return reel

        self.project.change("Clip's own sound on" if on else "Clip's own sound off", edit)

    def _has_sound(self, name: str) -> bool:
        clip: Clip | None = by_id(self.project.reel.clips, name)
        piece = by_id(self.project.reel.footage, clip.footage) if clip is not None else None
        return piece is not None and piece.has_sound
