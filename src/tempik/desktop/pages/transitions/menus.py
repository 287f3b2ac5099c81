"""The menus of the Transitions page."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.transitions import SCOPES, TransitionCommands
from tempik.desktop.pages.transitions.tiles import TransitionTile


def tile_menu(
    choice: TransitionTile, lay_on: Callable[[str], None], forget: Callable[[], None], parent: QWidget
) -> QMenu:
    """Return the menu of a transition in the chooser: where it is laid, and for one's own to be rid of it."""
    menu = QMenu(parent)
    for scope, title in SCOPES:
        action = menu.addAction(f"Lay it on {title}" if scope != "open" else "Fade in and out with it at open ends")
        action.triggered.connect(lambda _=False, s=scope: lay_on(s))
    if choice.own:
        menu.addSeparator()
        menu.addAction("Take it out of my transitions").triggered.connect(lambda _=False: forget())
    return menu


def as_it_comes(commands: TransitionCommands) -> None:
    """Let the transitions that are meant have their kind's own settings, ease, place and shutter."""
    commands.change(
        "As the kind comes",
        lambda j: replace(j, settings={}, ease=None, at=None, shutter_deg=None, amount=1.0, direction=""),
    )


def more_menu(commands: TransitionCommands, parent: QWidget) -> QMenu:
    """Return what else can be done with the transition that is worked on, and with all."""
    menu = QMenu(parent)
    for text, act in (
        ("The other way", commands.turn_round),
        ("As the kind comes", lambda: as_it_comes(commands)),
        ("Copy it to all that are meant", commands.copy_to_scope),
        ("Keep it as a transition of my own …", lambda: commands.ask_keep(parent)),
        ("", None),
        ("All transitions longer or shorter …", commands.ask_all_lengths),
        ("All transitions a tenth weaker", commands.calm_transitions),
        ("All transitions a tenth stronger", commands.stir_transitions),
        ("Take all transitions off", commands.take_all_off),
    ):
        if act is None:
            menu.addSeparator()
        else:
            menu.addAction(text).triggered.connect(lambda _=False, a=act: a())
    return menu
