"""Commands on drafts: another one, why a clip is there, and what else it could show."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.session.background import Proxies
from tempik.desktop.session.delivery import Delivery
from tempik.edit.drafting.swap import swapped
from tempik.errors import TempikError


class DraftCommands(QObject):
    """What keys do with a draft."""

    def __init__(self, delivery: Delivery, proxies: Proxies) -> None:
        super().__init__(delivery)
        self.delivery, self.project, self.proxies = delivery, delivery.project, proxies

    @command("Project", "Another draft by the same mood", ("Ctrl+Shift+D",), "song")
    def draft_another(self) -> None:
        self.delivery.draft_another()

    @command("Project", "Why is this clip here?", (), "clips")
    def say_why(self) -> None:
        self.delivery.say_why()

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
        reel = self.project.reel
        looked = {f.id: study for f in reel.footage if (study := self.proxies.study_of(f.path)) is not None}
        try:
            made, chance, number, whole = swapped(reel, clip, looked, by)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.change(f"{chance.piece.name} shown, for {chance.why}: {number} of {whole}", lambda _: made)
