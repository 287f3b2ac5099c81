"""The menu of an accent in the chooser."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QMenu,
    QWidget,
)

from tempik.accents import CATALOGUE
from tempik.desktop.commands.accents import AccentCommands


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
