"""The menus of the Accents page: of an accent in the chooser, of the bundles, and of the chosen lane."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.desktop.commands.accents import AccentCommands
from tempik.desktop.commands.bundles import BundleCommands
from tempik.desktop.commands.files import ask_open
from tempik.desktop.pages.accents.editing import LaneEdits
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import without_bundle
from tempik.edit.accents.keys import without_key


def tile_menu(commands: AccentCommands, name: str, has_lane: bool, parent: QWidget) -> QMenu:
    """Return the menu of an accent in the chooser."""
    menu = QMenu(parent)
    title = CATALOGUE[name].title
    for text, every in (
        ("on every point", 1),
        ("on every second point", 2),
        ("on every fourth point", 4),
        ("painted by hand", 0),
    ):
        menu.addAction(f"Add {title}, {text}").triggered.connect(lambda _=False, e=every: commands.add_lane(name, e))
    if has_lane:
        menu.addSeparator()
        menu.addAction(f"Have this lane fire {title}").triggered.connect(lambda: commands.use_for_lane(name))
    return menu


def bundle_menu(commands: BundleCommands, edits: LaneEdits, parent: QWidget) -> QMenu:
    """Return the menu of bundles; that of the chosen lane can be opened."""
    menu = QMenu(parent)
    commands.fill_bundle_menu(menu)
    bundle = edits.found.lane.bundle if edits.found is not None else ""
    if bundle:
        menu.addAction("Open the bundle").triggered.connect(
            lambda: edits.project.change("Bundle opened", lambda reel: without_bundle(reel, bundle))
        )
    return menu


def lane_menu(commands: AccentCommands, edits: LaneEdits, parent: QWidget) -> QMenu:
    """Return what else can be done to the chosen lane: its own values, keys, focus, mask, and the lane menu."""
    menu, found = QMenu(parent), edits.found
    if found is None or found.accent is None:
        return menu
    lane, frame = found.lane, edits.project.playhead.frame
    menu.addAction("The accent's own settings and envelope").triggered.connect(edits.as_it_comes)
    for percent in (100, 50, 0):
        menu.addAction(f"Key of the level here: {percent} %").triggered.connect(
            partial(edits.set_key, "level", percent / 100)
        )
    for name, keys in found.keyed.items():
        if any(k[0] == frame for k in keys):
            menu.addAction(f"Take the key of '{name}' here away").triggered.connect(
                lambda _=False, n=name: edits.change("Key taken away", lambda r, i: without_key(r, i, n, frame))
            )
    if found.accent.placed:
        menu.addSeparator()
        menu.addAction("Place the focus in the preview").triggered.connect(commands.place_focus)
        menu.addAction("Follow what is under the focus").triggered.connect(commands.follow_focus)
        if lane.follow:
            menu.addAction("Stop following").triggered.connect(
                lambda: edits.change("Stopped following", lambda r, i: accent_lanes.with_follow(r, i, ""))
            )
    if found.accent.paints:
        menu.addSeparator()
        menu.addAction("Show only within an image …").triggered.connect(lambda: _ask_mask(edits, parent))
        if lane.mask:
            menu.addAction("Take the mask off").triggered.connect(
                lambda: edits.change("Mask taken off", lambda r, i: accent_lanes.with_mask(r, i, ""))
            )
    menu.addSeparator()
    menu.addMenu("The lane").addActions(commands.lane_menu(lane.id, parent).actions())
    return menu


def _ask_mask(edits: LaneEdits, parent: QWidget) -> None:
    path = ask_open(parent, "Mask", "Images (*.png *.jpg *.jpeg *.webp *.tif *.tiff)", "picture", edits.project.path)
    if path:
        edits.change("Mask chosen", lambda reel, lane: accent_lanes.with_mask(reel, lane, path))
