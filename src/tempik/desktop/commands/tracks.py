"""Commands on the tracks of clips, and the one that footage is placed on."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.edit.clips import place
from tempik.edit.clips.split_picture import with_split_picture


class TrackCommands(QObject):
    """What keys and menus do with tracks."""

    def __init__(self, project: Project, cuts: CutCommands, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.cuts, self.count = project, cuts, count
        self.track = 0  # the track that footage is placed on

    def target_track(self) -> int:
        """The track to place on: the chosen one where the reel still has it."""
        return min(self.track, len(self.project.reel.tracks) - 1)

    @command("Place", "Clips to the track above", ("Alt+Up",), "clips")
    def track_up(self) -> None:
        self._track(1)

    @command("Place", "Clips to the track below", ("Alt+Down",), "clips")
    def track_down(self) -> None:
        self._track(-1)

    def _track(self, step: int) -> None:
        names = self.cuts.chosen()
        if names:
            self.project.change(
                f"Clip moved to the track {'above' if step > 0 else 'below'}",
                lambda reel: place.on_other_track(reel, names, step),
            )

    @command("Place", "Split the picture: the clips side by side", (), "clips")
    def split_strips(self) -> None:
        self._split("strips")

    @command("Place", "Split the picture: the clips one above the other", (), "clips")
    def split_rows(self) -> None:
        self._split("rows")

    @command("Place", "Split the picture: the clips as tiles", (), "clips")
    def split_tiles(self) -> None:
        self._split("tiles")

    def _split(self, form: str) -> None:
        names = self.cuts.chosen()
        self.count.ask(
            "A border between them of", "% of the width", 0,
            lambda n, _: self.project.change(
                f"Picture split in {form}", lambda reel: with_split_picture(reel, names, form, n / 100)
            ),
            least=0, most=20,
        )  # fmt: skip

    @command("Place", "Add a track", (), "song")
    def add_track(self) -> None:
        if self.project.change("Track added", place.with_new_track):
            self.track = len(self.project.reel.tracks) - 1

    def track_menu(self, track: int, parent: QWidget) -> QMenu:
        """Return the menu of a track: placing on it, locking, hiding, adding and removing."""
        menu = QMenu(parent)
        record = self.project.reel.tracks[track]
        here = menu.addAction("footage is placed here")
        here.setCheckable(True)
        here.setChecked(self.target_track() == track)
        here.triggered.connect(lambda: self._place_on_track(track))
        for text, field, on in (("locked", "locked", record.locked), ("hidden", "hidden", record.hidden)):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(
                lambda _=False, f=field, v=on, t=text: self.project.change(
                    f"Track {track + 1} {t if not v else 'un' + t if t == 'locked' else 'shown'}",
                    lambda reel: place.with_track(reel, track, **{f: not v}),
                )
            )
        menu.addSeparator()
        menu.addAction("Add a track").triggered.connect(self.add_track)
        menu.addAction("Remove this track").triggered.connect(
            lambda: self.project.change("Track removed", lambda reel: place.without_track(reel, track))
        )
        return menu

    def _place_on_track(self, track: int) -> None:
        self.track = track
        self.project.selection.selected.emit()
