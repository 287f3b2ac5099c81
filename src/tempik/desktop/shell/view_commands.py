"""Commands of the window itself: what is shown, how large, and where help is."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QPoint, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QInputDialog, QMainWindow, QMenu

from tempik.desktop.commands.registry import Commands, command
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.pages.page import PageContext
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.preview.tool_strip import ToolStrip
from tempik.desktop.preview.view import Preview
from tempik.desktop.session.log import has_faults, log_path
from tempik.desktop.shell.header import HeaderBar
from tempik.desktop.shell.page_panel import PagePanel
from tempik.desktop.shell.palette import CommandPalette
from tempik.desktop.shell.preview_window import PreviewWindow
from tempik.desktop.shell.shortcuts import ShortcutsDialog
from tempik.desktop.timeline.widget import TimelineView
from tempik.desktop.widgets.plain import in_menu, pop_up
from tempik.render.alone import Alone

MOST_STEPS = 40


WAYS: tuple[Alone, ...] = ("", "clip", "mask")
SEEN: dict[Alone, str] = {
    "": "All of the frame is seen.",
    "clip": "The selected clip by itself is seen; what is clear is a checkerboard.",
    "mask": "White is where the selected clip shows.",
}


class ViewCommands(QObject):
    """What keys and menus do with the window."""

    def __init__(
        self,
        window: QMainWindow,
        context: PageContext,
        page_panel: PagePanel,
        timeline: TimelineView,
        preview: Preview,
        header: HeaderBar,
        tool_strip: ToolStrip,
    ) -> None:
        super().__init__(window)
        self.window, self.context, self.page_panel = window, context, page_panel
        self.timeline, self.preview, self.header, self.tool_strip = timeline, preview, header, tool_strip
        self._seen: Alone = ""
        self.project = context.project
        self.project.selection.selected.connect(lambda: self._show_alone() if self._seen else None)
        self.commands: Commands | None = None
        self._alone: PreviewWindow | None = None

    def knows(self, commands: Commands) -> None:
        """Take note of all commands, for the palette, the keys and the preview's own window."""
        self.commands = commands

    @command("Edit", "All steps done …", ("Ctrl+H",))
    def show_steps(self) -> None:
        """Every step made since the project was opened, to go back or on to any of them."""
        steps, at = self.project.history.steps, self.project.history.at
        menu = QMenu(self.window)
        for number in range(max(0, len(steps) - MOST_STEPS), len(steps)):
            action = menu.addAction(in_menu(steps[number].done or "as opened"))
            action.setCheckable(True)
            action.setChecked(number == at)
            action.triggered.connect(lambda _=False, n=number: self.project.go_to_step(n))
        if len(steps) > MOST_STEPS:
            menu.addSeparator()
            menu.addAction("All steps …").triggered.connect(self._list_steps)
        pop_up(menu, self.header.below(self.header.steps_button))

    def _list_steps(self) -> None:
        steps = [f"{n}  {s.done or 'as opened'}" for n, s in enumerate(self.project.history.steps)]
        text, done = QInputDialog.getItem(self.window, "Steps", "Go to:", steps, self.project.history.at, False)
        if done:
            self.project.go_to_step(int(text.split()[0]))

    @command("Speed", "The speed before, to compare", (";",), "clips")
    def toggle_before(self) -> None:
        self.page_panel.page(SpeedPage).toggle_before()

    @command("Rhythm", "Jump to bar.beat …", ("J",), "song")
    def jump_to_beat(self) -> None:
        """Ask for a bar and beat and go there."""
        text, done = QInputDialog.getText(self.window, "Jump to bar.beat", "Bar and beat, such as 17.3:")
        if done:
            self.page_panel.page(RhythmPage).jump_to(text)

    @command("View", "Zoom in", ("=", "Ctrl+="))
    def zoom_in(self) -> None:
        self.timeline.zoom(1.4)

    @command("View", "Zoom out", ("-", "Ctrl+-"))
    def zoom_out(self) -> None:
        self.timeline.zoom(1 / 1.4)

    @command("View", "Whole reel", ("0",))
    def fit(self) -> None:
        self.timeline.fit()

    def choose_shape(self) -> None:
        """Ask in which shape the frame is shown."""
        button = self.tool_strip.shape_button
        pop_up(self.context.frames.menu(self.window), button.mapToGlobal(QPoint(0, button.height())))

    def take_tool(self, tool: str) -> None:
        """A tool under the preview is wanted: it belongs to the page that shows what it makes."""
        if tool == "follow":
            self.context.layers.pick_subject()
        elif tool == "layers" and not isinstance(self.page_panel.current, LayerPage):
            self.preview.setFocus()
        else:
            self.page_panel.open(LayerPage)
            self.page_panel.page(LayerPage).take(tool)

    @command("View", "See the selected clip alone, then where it shows, then all again", ("Alt+X",), "clips")
    def see_alone(self) -> None:
        if not self._seen and self.project.selection.clip is None:
            self.project.messages.say("Select a clip first, to see it by itself.", True)
            return
        self._seen = WAYS[(WAYS.index(self._seen) + 1) % len(WAYS)]
        self._show_alone()
        self.project.messages.say(SEEN[self._seen])

    def _show_alone(self) -> None:
        """Show the clip that is selected now as it is to be seen."""
        clip = self.project.selection.clip_id
        self.context.transport.frames.show_alone(clip or "", self._seen if clip is not None else "")
        self.tool_strip.show_alone(self._seen)

    @command("View", "Safe-area guides", ("G",))
    def toggle_guides(self) -> None:
        self.preview.toggle_guides()

    @command("View", "The picture alone on the whole screen", ("F11",))
    def preview_whole_screen(self) -> None:
        self.alone().open(True)

    @command("View", "The picture in a window of its own", ("Shift+F11",))
    def preview_window(self) -> None:
        self.alone().open(False)

    def alone(self) -> PreviewWindow:
        """Return the preview's own window, made now if it was not yet."""
        if self._alone is None:
            actions = self.commands.actions.values() if self.commands is not None else ()
            self._alone = PreviewWindow(self.project, self.context.looking, self.context.transport, actions)
        return self._alone

    def close_up(self) -> None:
        """Close the preview's own window, if there is one."""
        if self._alone is not None:
            self._alone.close()

    @command("View", "All commands …", ("Ctrl+K",))
    def show_commands(self) -> None:
        if self.commands is not None:
            CommandPalette(list(self.commands.actions.values()), self.window).open()

    @command("View", "Change keys …")
    def show_shortcuts(self) -> None:
        if self.commands is not None:
            ShortcutsDialog(self.commands, self.window).open()

    @command("View", "Show log")
    def show_log(self) -> None:
        """Open the file with the faults that happened, to be reported."""
        path = log_path()
        if not has_faults():
            self.project.messages.say("Nothing has gone wrong yet: there is no log.")
        elif not _open(QUrl.fromLocalFile(str(path))):
            self.project.messages.say(f"The log is {path}.")

    @command("Project", "Quit", ("Ctrl+Q",))
    def quit(self) -> None:
        self.window.close()


_open: Callable[[QUrl], bool] = QDesktopServices.openUrl
