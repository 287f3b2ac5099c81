"""Commands on the selected clip and the nearest point."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from tempik.check.landing import nearest_point
from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.plain import in_menu
from tempik.edit.clips import pins as pin
from tempik.reel import by_id
from tempik.time import time_of


class PinCommands(QObject):
    """What keys and menus do to cues and pins."""

    def __init__(self, project: Project, cuts: CutCommands) -> None:
        super().__init__(project)
        self.project, self.cuts = project, cuts

    @command("Cue", "Make this frame the cue, on the nearest point; on the Footage page: set a cue", ("C",))
    def cue_here(self) -> None:
        """What the clip under the playhead shows becomes its cue, on the nearest point."""
        self._cue(False)

    @command("Cue", "Make this frame one more cue of the clip: both land", ("Shift+C",), "clips")
    def cue_here_too(self) -> None:
        """As `cue_here`, beside the pins that the clip has: both land."""
        self._cue(True)

    def _cue(self, also: bool) -> None:
        placed, frame = self.cuts.at_playhead(), self.project.playhead.frame
        point = nearest_point(self.project.timeline, time_of(frame, self.project.reel.rate))
        if placed is None or point is None:
            self.project.messages.say("There is no clip or no point here to make a cue for.", True)
            return
        clip = placed.clip.id
        self.project.selection.select_clip(clip)
        if self.project.change(
            f"Cue {'also ' if also else ''}set on point {point.label}",
            lambda reel: pin.with_clip_cue_here(reel, clip, frame, point.id, also),
        ):
            self.say_trouble(clip)

    def say_trouble(self, clip: str) -> None:
        """Say what a clip lacks, with what would mend it."""
        timeline = self.project.timeline
        placed = timeline.placed_clip(clip)
        if placed is None:
            return
        text = pin.trouble(timeline, placed)
        if text:
            mends = [m.text for m in pin.mends(timeline, placed)]
            offer = f" Right click: {', or '.join(mends)}." if mends else ""
            self.project.messages.say(text + offer, True)

    @command("Cue", "Pin the clip's cues to the next point", ("Ctrl+Right",), "clips")
    def pin_next(self) -> None:
        self._pin_by(1)

    @command("Cue", "Pin the clip's cues to the previous point", ("Ctrl+Left",), "clips")
    def pin_previous(self) -> None:
        self._pin_by(-1)

    def _pin_by(self, step: int) -> None:
        names = self.cuts.chosen()
        where = "next" if step > 0 else "previous"
        if self.project.change(f"Pinned to the {where} point", lambda reel: pin.with_pins_moved(reel, names, step)):
            self.say_trouble(names[0])

    @command("Cue", "Unpin the clips", ("U",), "clips")
    def unpin(self) -> None:
        names = [n for n in self.cuts.chosen() if (c := by_id(self.project.reel.clips, n)) is not None and c.pins]
        if names:
            self.project.change("Clip unpinned", lambda reel: pin.without_pins(reel, names))
        else:
            self.project.messages.say("This clip is not pinned.", False)

    def fill_mend_menu(self, menu: QMenu, clip: str) -> None:
        """Offer what would mend a clip that lacks footage."""
        timeline = self.project.timeline
        placed = timeline.placed_clip(clip)
        for mend in pin.mends(timeline, placed) if placed is not None else ():
            menu.addAction(in_menu(mend.text[0].upper() + mend.text[1:])).triggered.connect(
                lambda _=False, m=mend: self.project.change(m.text[0].upper() + m.text[1:], m.change)
            )
