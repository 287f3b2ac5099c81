"""The menu of a transition on the timeline."""

from __future__ import annotations

from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.transitions import TransitionCommands
from tempik.desktop.widgets.plain import in_menu
from tempik.edit.transitions import laying, mending
from tempik.edit.transitions.laying import TransitionPlace
from tempik.transitions import CATALOGUE
from tempik.transitions.transition_type import FAMILIES


def transition_menu(commands: TransitionCommands, place: TransitionPlace, parent: QWidget) -> QMenu:
    """Return what mends a transition, the kinds it could be, its ways, and taking it off."""
    project, menu = commands.project, QMenu(parent)
    for mend in mending.mends(project.reel, place):
        action = menu.addAction(in_menu(mend.does[0].upper() + mend.does[1:]))
        action.triggered.connect(lambda _=False, m=mend: commands.mend(place, m))
    if not menu.isEmpty():
        menu.addSeparator()
    for family in FAMILIES:
        part = menu.addMenu(family.capitalize())
        for kind in CATALOGUE.values():
            if kind.family == family:
                part.addAction(kind.title).triggered.connect(lambda _=False, n=kind.name: commands.lay_here(n))
    transition = laying.transition_at(project.reel, place)
    known = CATALOGUE.get(transition.kind) if transition is not None else None
    if known is not None and known.directions:
        part = menu.addMenu("Direction")
        for way in known.directions:
            part.addAction(way).triggered.connect(lambda _=False, w=way: commands.direct([place], w))
    menu.addSeparator()
    menu.addAction("Take the transition off").triggered.connect(
        lambda: project.change("Transition taken off", lambda reel: laying.without_transitions(reel, [place]))
    )
    return menu
