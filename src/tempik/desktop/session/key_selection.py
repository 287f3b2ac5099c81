"""Which keys of the selected clip are chosen, and which clips show their keys on the timeline."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal

from tempik.edit.clip_keys import KeyAt


class KeySelection(QObject):
    """Keys of one clip at a time are chosen; `changed` tells of others, or of other clips that are open."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.clip: str | None = None  # whose keys are chosen
        self.chosen: frozenset[KeyAt] = frozenset()
        self.opened: frozenset[str] = frozenset()  # clips that show a row for each of their keys

    def choose(self, clip: str | None, keys: Iterable[KeyAt]) -> None:
        """Choose keys of a clip, and no others."""
        wanted = frozenset(keys)
        if (clip, wanted) != (self.clip, self.chosen):
            self.clip, self.chosen = clip, wanted
            self.changed.emit()

    def toggle(self, clip: str, keys: Iterable[KeyAt]) -> None:
        """Add keys to those that are chosen, or take them out."""
        self.choose(clip, (self.chosen if clip == self.clip else frozenset()) ^ frozenset(keys))

    def of(self, clip: str | None) -> frozenset[KeyAt]:
        """Return the chosen keys of a clip."""
        return self.chosen if clip is not None and clip == self.clip else frozenset()

    def open(self, clips: Iterable[str], shown: bool) -> None:
        """Show clips' keys in rows under their pictures, or no more."""
        wanted = self.opened | frozenset(clips) if shown else self.opened - frozenset(clips)
        if wanted != self.opened:
            self.opened = wanted
            self.changed.emit()
