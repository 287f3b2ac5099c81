"""Everything by keyboard: buttons that were reached by Tab take Space and Enter; the list of keys for the docs."""

from __future__ import annotations

import importlib
import pkgutil

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QWidget

from tempik.desktop import commands, shell
from tempik.desktop.commands.registry import GROUPS, OWNERS, Command, commands_of
from tempik.desktop.pages import PAGES
from tempik.desktop.timeline.lanes import pointer_words

PRESSES = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)

# What the pointer does away from the timeline: gesture and result.
POINTER: tuple[tuple[str, str], ...] = (
    ("hold the key `", "the picture before any grade"),
    ("drag the line in the preview, before and after being shown", "more of before, more of after"),
    ("point at a look on the Grade page", "it is on your frame; a click takes it"),
    ("click in a curve of the Grade page", "a point; drag it, far out or by a right click it goes"),
    ("double click a number's name on the Grade page, or a disc", "back to nothing"),
    ("click in the preview", "select the topmost layer there; again: the one below"),
    (
        "drag the selected layer in the preview",
        "place it; it catches on edges, middle, thirds, safe area, other layers; Alt does not",
    ),
    ("drag a corner of its box", "scale about the opposite corner; Ctrl: about its middle"),
    ("drag outside a corner of its box", "turn; Shift: in steps of 15 degrees"),
    ("drag the bar on a side of its box", "crop"),
    ("arrows, Shift and arrows, after a click in the preview", "a pixel or ten of the reel; Enter types the numbers"),
    ("middle button in the preview", "pan while it is zoomed"),
    ("drag a mask or its handles in the preview on the Layer page", "place, size, turn; the wheel scales it"),
    ("click in the preview while a polygon is drawn", "a corner; a double click closes it"),
    ("wheel, double click in the preview on the Frame and Titles pages", "scale, and centre"),
    ("point at an accent in the chooser", "it plays on the frame at the playhead; a click adds it"),
    ("drag the corners and slopes of the envelope", "lead, hold, decay and their bends"),
    ("right click a number of an accent", "set a key for it at the playhead"),
    ("point at a transition in the chooser", "it plays between the two clips of the cut; a click lays it"),
    ("drag the ends of a transition on the page's strip", "longer or shorter; a click on a frame goes there"),
    ("drag the handles of a transition's curve", "its ease"),
    ("wheel on the song's rhythm", "zoom at the pointer, from the whole song to a millisecond"),
    ("drag along the bar numbers", "mark a stretch, snapped to beats; Alt does not snap"),
    ("double click a section", "mark it"),
    ("click a row of the readings over the wave", "read the song so"),
    ("drag over the wave", "select points; Shift or Ctrl and click adds"),
    ("drag a selected point's sign", "move the selected points, snapped to attacks; Alt does not snap"),
    ("drag the song strip's window or its sides", "use another stretch; Alt does not snap"),
    ("drag a node of the speed graph", "its speed and place, on points, cues and frames; Alt does not snap"),
    ("double click in the speed graph", "add a node; on a node: take it out"),
    ("drag a node's whisker", "how soft that side is; Shift: both sides"),
    ("arrows, Shift and arrows, on a chosen node", "a frame or ten; one or ten percent"),
    ("Page Up, Page Down, Delete, Escape on a chosen node", "the one before, the next, take it out, let it go"),
    ("drag on the strip under the speed graph", "mark a stretch; a click goes there"),
    ("drag the amount of a shape", "from none to twice as much, on all selected clips"),
    ("right click footage on the shelf", "take it off the reel"),
    ("drag a divider between two areas", "more room; double click puts it back"),
)


def page_commands() -> list[Command]:
    """Return the commands that open the pages."""
    return [Command("View", f"show_{kind.name}", f"{kind.title} page", (kind.key,)) for kind in PAGES]


def all_commands() -> list[Command]:
    """Return every command of the window, by group."""
    for package in (commands, shell):  # whatever declares commands is known once it is imported
        for found in pkgutil.iter_modules(package.__path__, f"{package.__name__}."):
            importlib.import_module(found.name)
    return sorted(
        [*commands_of(o for o in OWNERS if o.__module__.startswith("tempik.")), *page_commands()],
        key=lambda c: GROUPS.index(c.group),
    )


def keyboard_list() -> str:
    """Return docs/keyboard.md: every command with its keys, by group, and what the pointer does."""
    lines = [
        "# Keyboard",
        "",
        "Made from the code by `./run shots`; every command is also in the palette (Ctrl+K). Tab goes from control to",
        "control; Space and Enter press the one that was reached so.",
    ]
    group = ""
    for command in all_commands():
        if command.group != group:
            group = command.group
            lines += ["", f"## {group}", "", "| keys | what |", "|---|---|"]
        keys = " or ".join(f"`{k}`" for k in command.keys) or "–"
        lines.append(f"| {keys} | {command.text.removesuffix(' …')} |")
    rows = [f"| {gesture} | {does} |" for gesture, does in (*pointer_words(), *POINTER)]
    return "\n".join([*lines, "", "## Pointer", "", "| gesture | what |", "|---|---|", *rows]) + "\n"


class KeyboardPresses(QObject):
    """Lets Space and Enter press a control that was reached by keyboard, though they play elsewhere. Only what has the focus is
    watched: each event of the whole application, looked at in Python, would cost more than most are answered in."""

    def __init__(self, app: QApplication) -> None:
        super().__init__(app)
        app.focusChanged.connect(self._watch)
        self._watch(None, app.focusWidget())

    def _watch(self, before: QWidget | None, now: QWidget | None) -> None:
        if before is not None:
            before.removeEventFilter(self)
        if isinstance(now, QAbstractButton | QComboBox):
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind not in (QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress) or not isinstance(event, QKeyEvent):
            return False
        if event.key() not in PRESSES or not isinstance(watched, QAbstractButton | QComboBox):
            return False
        if not watched.window().testAttribute(Qt.WidgetAttribute.WA_KeyboardFocusChange):
            return False
        if kind == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        if event.key() != Qt.Key.Key_Space and isinstance(watched, QAbstractButton):
            watched.click()
            return True
        return False
