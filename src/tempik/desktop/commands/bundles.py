"""Commands on accent lanes as things to be had again: copied, pasted, bundled, kept in a library, read and written."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QInputDialog, QMenu

from tempik.desktop.commands.files import ask_open, ask_save
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.plain import in_menu
from tempik.digits import plural
from tempik.edit.accents.bundles import with_bundle
from tempik.edit.accents.copying import CopiedLanes, copied_lanes, pasted_lanes
from tempik.errors import TempikError
from tempik.project import bundles as accent_library
from tempik.reel import Reel


class BundleCommands(QObject):
    """What keys and menus do with whole lanes."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    @command("Accents", "Copy the accent lane", ("Shift+W",), "song")
    def copy_lane(self) -> None:
        self._copy([self.project.selection.lane_id] if self.project.selection.lane_id else [])

    @command("Accents", "Copy all accent lanes", (), "song")
    def copy_all_lanes(self) -> None:
        self._copy([r.id for r in self.project.reel.accent_lanes])

    def _copy(self, lanes: list[str]) -> None:
        try:
            what = copied_lanes(self.project.reel, lanes)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        QGuiApplication.clipboard().setText(accent_library.lanes_text(what))
        many = f"{len(lanes)} accent lanes" if len(lanes) > 1 else "Accent lane"
        self.project.messages.say(f"{many} copied: paste in this reel, on its clips, or in another.", False)

    @command("Accents", "Paste accent lanes", ("Shift+V",), "song")
    def paste_lanes(self) -> None:
        """Paste copied lanes, for the whole reel."""
        self._paste([])

    @command("Accents", "Paste accent lanes on the selected clips", (), "clips")
    def paste_lanes_on_clips(self) -> None:
        """Paste copied lanes for the selected clips only."""
        clips = self.project.selection.chosen_clips
        if not clips:
            self.project.messages.say("Select the clips to paste the accents on first.", True)
            return
        self._paste(clips)

    def _paste(self, clips: list[str]) -> None:
        try:
            what = accent_library.lanes_from_text(QGuiApplication.clipboard().text())
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.put(what, clips, "Accent lanes pasted")

    def put(self, what: CopiedLanes, clips: list[str], message: str) -> None:
        """Add lanes and choose the first of them."""
        made: list[str] = []

        def paste(reel: Reel) -> Reel:
            reel, names = pasted_lanes(reel, what, clips)
            made[:] = names
            return reel

        if self.project.change(message, paste) and made:
            self.project.selection.select_lane(made[0])

    def bundle_lanes(self) -> None:
        """Put the lanes that are in no bundle yet under one name and one amount."""
        lanes = [r.id for r in self.project.reel.accent_lanes if not r.bundle]
        name, good = QInputDialog.getText(None, "Bundle", f"Name of the bundle of {plural(len(lanes), 'lane')}:")
        if good:
            self.project.change("Lanes bundled", lambda reel: with_bundle(reel, lanes, name))

    def keep_bundle(self, name: str) -> None:
        """Keep the chosen lane's bundle, or all lanes, in one's own library."""
        found = self.project.selection.lane
        bundle = found.lane.bundle if found is not None else ""
        lanes = [r.id for r in self.project.reel.accent_lanes if not bundle or r.bundle == bundle]
        try:
            accent_library.kept_bundle(copied_lanes(self.project.reel, lanes), name)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"Bundle '{name.strip()}' kept with {plural(len(lanes), 'lane')}.", False)

    def take_away(self, name: str) -> None:
        """Take one of one's own bundles away; lanes made from it stay."""
        accent_library.removed_bundle(name)
        self.project.messages.say(f"Bundle '{name}' taken away; lanes made from it stay.", False)

    def ask_keep_bundle(self) -> None:
        """Ask for a name and keep the lanes as a bundle of one's own."""
        name, good = QInputDialog.getText(None, "Keep as a bundle", "Its name:")
        if good:
            self.keep_bundle(name)

    def read_bundle(self, path: Path) -> None:
        """Add a bundle's lanes from a file."""
        try:
            what = accent_library.read_bundle(path)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.put(what, [], f"Accents read from {path.name}")

    def ask_read_bundle(self) -> None:
        """Ask for a bundle's file and add its lanes."""
        path = ask_open(None, "Read a bundle", f"Bundles (*{accent_library.SUFFIX})", "bundle", self.project.path)
        if path:
            self.read_bundle(Path(path))

    def ask_write_bundle(self) -> None:
        """Ask for a file and write the lanes to it."""
        form = f"Bundles (*{accent_library.SUFFIX})"
        path = ask_save(None, "Write the lanes", "accents" + accent_library.SUFFIX, form, "bundle", self.project.path)
        if path:
            try:
                every = copied_lanes(self.project.reel, [r.id for r in self.project.reel.accent_lanes])
                accent_library.write_bundle(every, Path(path).stem, Path(path))
                self.project.messages.say(f"Accents written to {path}", False)
            except TempikError as error:
                self.project.messages.say(str(error), True)

    def fill_bundle_menu(self, menu: QMenu) -> None:
        """Offer bundles, for the reel or for the selected clips."""
        clips = self.project.selection.chosen_clips
        for what in (*accent_library.ready_bundles(), *accent_library.own_bundles()):
            assert what.bundle is not None
            name = what.bundle.name
            menu.addAction(in_menu(name)).triggered.connect(
                lambda _=False, w=what, n=name: self.put(w, [], f"{n} added")
            )
            if clips:
                on = f"{name}, on {len(clips)} selected clip{'s' if len(clips) > 1 else ''}"
                menu.addAction(in_menu(on)).triggered.connect(
                    lambda _=False, w=what, n=name: self.put(w, clips, f"{n} added")
                )
        for what in accent_library.own_bundles():
            assert what.bundle is not None
            name = what.bundle.name
            menu.addAction(in_menu(f"Take '{name}' away")).triggered.connect(lambda _=False, n=name: self.take_away(n))
        menu.addSeparator()
        for text, act in (
            ("Bundle these lanes …", self.bundle_lanes),
            ("Keep these lanes as a bundle …", self.ask_keep_bundle),
            ("Write these lanes to a file …", self.ask_write_bundle),
            ("Read lanes from a file …", self.ask_read_bundle),
        ):
            menu.addAction(text).triggered.connect(act)
