"""Commands: what a key, a menu or the palette does, declared beside the function that does it.

`@command` gives a method of a command class its group, its text, its keys and what must be there for it. A method that
returns a `Step` has it applied, which is one undo step. The keyboard list, the menus and the palette are made of these.
"""

from __future__ import annotations

from bisect import insort
from collections.abc import Callable, Iterable, Mapping
from functools import wraps
from typing import Any, NamedTuple, cast

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction

from tempik.desktop.session.document import Project
from tempik.desktop.widgets.by_hand import asked
from tempik.reel import Reel

GROUPS = (
    "Project",
    "Edit",
    "Select",
    "Place",
    "Cut",
    "Cue",
    "Speed",
    "Accents",
    "Transitions",
    "Titles",
    "Layers",
    "Grade",
    "Sound",
    "Rhythm",
    "Play",
    "View",
)


class CommandStep(NamedTuple):
    """One undo step: what it is called, and the edit."""

    label: str
    edit: Callable[[Reel], Reel]


class Command(NamedTuple):
    """One action. `group` heads it in the palette's and the keyboard list's order; `keys` may be empty; `needs` is what
    must be there for it to be enabled: song, clips, or nothing."""

    group: str
    name: str
    text: str
    keys: tuple[str, ...] = ()
    needs: str = ""


def command(
    group: str, text: str, keys: tuple[str, ...] = (), needs: str = ""
) -> Callable[[Callable[[Any], object]], Callable[[Any], Any]]:
    """Declare a method as a command. Called by itself it does the same as when a key asks for it."""

    def declare(function: Callable[[Any], object]) -> Callable[[Any], Any]:
        @wraps(function)
        def run(owner: Any) -> object:
            made = function(owner)
            return owner.project.change(made.label, made.edit) if isinstance(made, CommandStep) else made

        run.__dict__["command"] = Command(group, function.__name__, text, keys, needs)
        return cast("Callable[[Any], Any]", _Declared(run))

    return declare


# Every class that declares commands, in the order in which their commands are listed within a group.
OWNERS: list[type] = []


class _Declared:
    """Stands for a command while its class is made, and has the class known as one that has commands."""

    def __init__(self, run: Callable[[Any], object]) -> None:
        self.run = run

    def __set_name__(self, owner: type, name: str) -> None:
        setattr(owner, name, self.run)
        if owner not in OWNERS:
            insort(OWNERS, owner, key=lambda o: (o.__module__, o.__qualname__))


def commands_of(owners: Iterable[type]) -> list[Command]:
    """Return the commands of classes, by group and in the order in which they are declared."""
    found = [v.command for owner in owners for v in vars(owner).values() if hasattr(v, "command")]
    return sorted(found, key=lambda c: GROUPS.index(c.group))


class Commands(QObject):
    """The commands of a window as actions with their keys, each bound to the object that has it."""

    def __init__(
        self, project: Project, parent: QObject, taken: Callable[[], Mapping[str, Callable[[], object]]] = dict
    ) -> None:
        """`taken` gives, by name, what takes a command in place of its owner: the page that is worked on."""
        super().__init__(parent)
        self.project, self._taken = project, taken
        self.all: list[Command] = []
        self.actions: dict[str, QAction] = {}
        project.changed.connect(self.enable)

    def bind(self, owner: object) -> None:
        """Take in the commands that an object's class declares."""
        for command in commands_of([type(owner)]):
            self.add(command, getattr(owner, command.name))

    def add(self, command: Command, act: Callable[[], object]) -> None:
        """Take in one command."""
        action = QAction(command.text, self)

        def run() -> None:
            asked(self._taken().get(command.name, act))

        action.triggered.connect(run)
        insort(self.all, command, key=lambda c: GROUPS.index(c.group))
        self.actions[command.name] = action

    def enable(self) -> None:
        """Enable what the reel has something for."""
        reel = self.project.reel
        there = {"": True, "song": reel.soundtrack is not None, "clips": bool(reel.clips)}
        for command in self.all:
            self.actions[command.name].setEnabled(there[command.needs])
