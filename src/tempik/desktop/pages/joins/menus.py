"""The menus of the Joins page."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.joins import SCOPES, JoinCommands
from tempik.desktop.pages.joins.tiles import Choice


def tile_menu(choice: Choice, lay_on: Callable[[str], None], forget: Callable[[], None], parent: QWidget) -> QMenu:
    """Return the menu of a join in the chooser: where it is laid, and for one's own to be rid of it."""
    menu = QMenu(parent)
    for scope, title in SCOPES:
        action = menu.addAction(f"Lay it on {title}" if scope != "open" else "Fade in and out with it at open ends")
        action.triggered.connect(lambda _=False, s=scope: lay_on(s))
    if choice.own:
        menu.addSeparator()
        menu.addAction("Take it out of my joins").triggered.connect(lambda _=False: forget())
    return menu


def more_menu(commands: JoinCommands, as_it_comes: Callable[[], None], parent: QWidget) -> QMenu:
    """Return what else can be done with the join that is worked on, and with all."""
    menu = QMenu(parent)
    for text, act in (
        ("The other way", commands.turn_round),
        ("As the kind comes", as_it_comes),
        ("Copy it to all that are meant", commands.copy_to_scope),
        ("Keep it as a join of my own …", lambda: commands.ask_keep(parent)),
        ("", None),
        ("All joins longer or shorter …", commands.ask_all_lengths),
        ("All joins a tenth weaker", commands.calm_joins),
        ("All joins a tenth stronger", commands.stir_joins),
        ("Take all joins off", commands.take_all_off),
    ):
        if act is None:
            menu.addSeparator()
        else:
            menu.addAction(text).triggered.connect(lambda _=False, a=act: a())
    return menu
