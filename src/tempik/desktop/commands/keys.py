"""Commands on the keys of clips: gone to, copied, pasted, eased, taken away, shown on the timeline."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QMenu

from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.session.document import Project
from tempik.desktop.session.key_selection import KeySelection
from tempik.desktop.widgets.plain import pop_up
from tempik.digits import plural
from tempik.edit import clip_keys
from tempik.edit.clip_keys import EASES, CopiedKey, KeyAt
from tempik.errors import TempikError
from tempik.reel import Reel
from tempik.reel.lanes import KeyEase

EASE_TEXTS: dict[KeyEase, str] = {
    "soft": "Soft at both ends", "even": "Evenly", "slow start": "Slow at the start", "slow end": "Slow at the end",
    "hold": "Held to the next key",
}  # fmt: skip


class KeyCommands(QObject):
    """What keys, menus and the lanes of keys do. What is pasted goes to the selected clips, the first key to the playhead."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project
        self._copied: tuple[CopiedKey, ...] = ()

    @property
    def keys(self) -> KeySelection:
        """Which keys are chosen."""
        return self.project.selection.keys

    def _chosen(self) -> frozenset[KeyAt]:
        return self.keys.of(self.project.selection.clip_id)

    @command("Layers", "Show the clips' keys on the timeline, or no more", ("Ctrl+Shift+K",), "clips")
    def show_keys(self) -> None:
        clips = self.project.selection.chosen_clips
        if not clips:
            self.project.messages.say("Select a clip first: its keys show under its pictures.", True)
            return
        self.keys.open(clips, not set(clips) <= self.keys.opened)

    @command("Layers", "To the clip's next key", ("Alt+.",), "clips")
    def next_key(self) -> None:
        self._go(1)

    @command("Layers", "To the clip's key before", ("Alt+,",), "clips")
    def previous_key(self) -> None:
        self._go(-1)

    def _go(self, way: int) -> None:
        clip, timeline, frame = self.project.selection.clip, self.project.timeline, self.project.playhead.frame
        if clip is None:
            self.project.messages.say("Select a clip first; this goes along its keys.", True)
            return
        marks = {row: clip_keys.marks_in(timeline, clip, row) for row in clip_keys.row_titles(clip, keyed_only=True)}
        there = [(m.frame, row) for row, found in marks.items() for m in found if (m.frame - frame) * way > 0]
        if not there:
            self.project.messages.say(
                f"No key of this clip lies {'after' if way > 0 else 'before'} the playhead.", True
            )
            return
        nearest = min(there, key=lambda t: abs(t[0] - frame))[0]
        self.project.playhead.go(min(max(nearest, 0), timeline.frames - 1))
        self.keys.choose(clip.id, [KeyAt(row, at) for at, row in there if at == nearest])

    @command("Layers", "Copy the chosen keys", (), "clips")
    def copy_keys(self) -> None:
        clip = self.project.selection.clip_id
        try:
            self._copied = clip_keys.copied_keys(self.project.reel, clip or "", self._chosen())
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"{plural(len(self._copied), 'key')} copied; they are pasted at the playhead.")

    @command("Layers", "Paste keys at the playhead to the selected clips", (), "clips")
    def paste_keys(self) -> CommandStep | None:
        clips, frame = self.project.selection.chosen_clips, self.project.playhead.frame
        if not self._copied or not clips:
            what = "Copy keys first." if not self._copied else "Select the clips first that the keys go to."
            self.project.messages.say(what, True)
            return None
        return CommandStep("Keys pasted", lambda reel: clip_keys.with_keys_pasted(reel, clips, self._copied, frame))

    @command("Layers", "Take the chosen keys away", (), "clips")
    def remove_keys(self) -> CommandStep | None:
        clip, chosen = self.project.selection.clip_id, self._chosen()
        if clip is None or not chosen:
            self.project.messages.say("Choose keys first: click them in the clip's lane.", True)
            return None
        return CommandStep("Key taken away", lambda reel: clip_keys.without_keys(reel, clip, chosen))

    def ease(self, ease: KeyEase) -> None:
        """Let the chosen keys go on by another curve."""
        clip, chosen = self.project.selection.clip_id, self._chosen()
        if clip is not None and chosen:
            self.project.change(f"Keys go on: {ease}", lambda reel: clip_keys.with_key_ease(reel, clip, chosen, ease))

    def key_here(self, row: str, frame: int) -> None:
        """Key a row of the selected clip at a frame, and choose that key."""
        clip = self.project.selection.clip_id
        if clip is not None and self.project.change(
            f"Key of the {row.split(maxsplit=1)[0]}", lambda reel: clip_keys.with_key_here(reel, clip, row, frame)
        ):
            self.keys.choose(clip, [KeyAt(row, frame)])

    def moved(self, clip: str, chosen: frozenset[KeyAt], frames: int, copy: bool = False) -> Callable[[Reel], Reel]:
        """Return the edit that moves keys, or sets them once more."""
        edit = clip_keys.with_keys_copied if copy else clip_keys.with_keys_moved
        return lambda reel: edit(reel, clip, chosen, frames)

    def menu(self, at: QPoint) -> None:
        """Show what can be done with the chosen keys."""
        menu, clip = QMenu(), self.project.selection.clip
        eases = set()
        for row, frame in self._chosen():
            marks = clip_keys.marks_in(self.project.timeline, clip, row) if clip is not None else ()
            eases |= {mark.ease for mark in marks if mark.frame == frame}
        for ease in EASES:
            action = menu.addAction(EASE_TEXTS[ease])
            action.setCheckable(True)
            action.setChecked(eases == {ease})
            action.triggered.connect(lambda _=False, e=ease: self.ease(e))
        menu.addSeparator()
        menu.addAction("Copy").triggered.connect(self.copy_keys)
        menu.addAction("Paste at the playhead").triggered.connect(self.paste_keys)
        menu.addAction("Take away").triggered.connect(self.remove_keys)
        pop_up(menu, at)
