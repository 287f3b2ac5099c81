"""The menus: of the project, of a clip, of the reel's form."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.pins import PinCommands
from tempik.desktop.commands.registry import Commands
from tempik.desktop.pages.page import PageContext
from tempik.desktop.session.importer import Importer
from tempik.edit.drafting.locking import all_locked
from tempik.edit.frame_shapes import in_own_shape
from tempik.time import rate_text

SIZES = (
    (1080, 1920, "9:16"),
    (1080, 1350, "4:5"),
    (1080, 1080, "1:1"),
    (1080, 1440, "3:4"),
    (1920, 1080, "16:9"),
)
RATES = ("24", "25", "30", "50", "60", "23.976", "29.97", "59.94")

# The right-click menu of clips: a heading ('' for none) and the commands under it.
CLIP_MENU: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("", ("split", "remove_before", "remove_after", "set_frames", "set_beats")),
    ("What it shows", ("next_chance", "previous_chance", "say_why")),
    ("Cue and pins", ("cue_here", "cue_here_too", "pin_next", "pin_previous", "unpin")),
    ("Pieces", ("copy_clips", "duplicate", "repeat", "freeze", "freeze_end", "overlap", "stagger", "group", "ungroup")),
    ("Split the picture", ("split_strips", "split_rows", "split_tiles")),
    (
        "Paste to it",
        ("paste_attributes", "paste_speed", "paste_framing", "paste_transition", "paste_masks", "paste_title_look"),
    ),
    ("Transition", ("lay_again", "longer", "shorter", "match", "turn_round", "take_off")),
    ("Title", ("words_each", "words_even", "words_off")),
    ("Nest", ("nest", "open_nest", "flatten_nest")),
    ("Layer", ("leave_out", "make_own", "pick_subject", "guess_subject", "follow_nothing")),
    ("Track", ("track_up", "track_down")),
    (
        "Speed and direction",
        ("reverse", "there_and_back", "see_saw_points", "set_speed", "retime_to_frames", "toggle_sound"),
    ),
    ("", ("remove_clip", "remove_and_close_up", "remove_leave_gap")),
)
HELP = ("show_tour", "show_commands", "show_shortcuts", "show_log", "report", "about")


class ProjectMenu(QMenu):
    """What is done with the project, the recent ones, earlier saves, and help."""

    def __init__(self, commands: Commands, context: PageContext, parent: QWidget) -> None:
        super().__init__(parent)
        self.recent, self.versions = QMenu("Recent projects", self), QMenu("Earlier saves", self)
        self.recent.aboutToShow.connect(lambda: context.files.fill_recent(self.recent))
        self.versions.aboutToShow.connect(lambda: context.files.fill_versions(self.versions))
        for command in commands.all:
            if command.group == "Project" and command.name != "quit":
                self.addAction(commands.actions[command.name])
                if command.name == "open_project":
                    self.addMenu(self.recent)
                if command.name == "save_as":
                    self.addMenu(self.versions)
        self.addSeparator()
        help_menu = self.addMenu("Help")
        for name in HELP:
            help_menu.addAction(commands.actions[name])
        self.addSeparator()
        self.addAction(commands.actions["quit"])


def clip_menu(
    actions: Mapping[str, QAction], context: PageContext, pins: PinCommands, clip: str, parent: QWidget
) -> QMenu:
    """Return the menu of a clip."""
    menu = QMenu(parent)
    pins.fill_mend_menu(menu, clip)
    if not menu.isEmpty():
        menu.addSeparator()
    for title, names in CLIP_MENU:
        part = menu.addMenu(title) if title else menu
        for name in names:
            part.addAction(actions[name])
    menu.addSeparator()
    keep = menu.addAction(actions["lock_against_drafts"].text())
    keep.setCheckable(True)
    keep.setChecked(all_locked(context.project.reel, context.project.selection.chosen_clips or [clip]))
    keep.triggered.connect(actions["lock_against_drafts"].trigger)
    for name in ("say_why", "next_chance"):
        menu.addAction(actions[name])
    context.placing.fill_swap_menu(menu.addMenu("Swap footage"))
    context.accents.fill_accent_menu(menu.addMenu("Add accent lane"))
    return menu


def form_menu(files: Importer, parent: QWidget) -> QMenu:
    """Return the menu of the reel's size and rate."""
    reel = in_own_shape(files.project.reel)
    menu = QMenu(parent)
    for width, height, name in SIZES:
        action = menu.addAction(f"{width}×{height}   {name}")
        action.setCheckable(True)
        action.setChecked((width, height) == (reel.width, reel.height))
        action.triggered.connect(lambda _=False, w=width, h=height: files.settings(w, h, None))
    menu.addSeparator()
    for rate in RATES:
        action = menu.addAction(f"{rate} frames/s")
        action.setCheckable(True)
        action.setChecked(rate == rate_text(reel.rate))
        action.triggered.connect(lambda _=False, r=rate: files.settings(reel.width, reel.height, r))
    return menu
