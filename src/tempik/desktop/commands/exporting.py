"""Commands of exports: ordering one, keeping orders by name, pausing the queue. They ask, and the session acts."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from tempik.deliver.order import Order, fitting, target_in
from tempik.deliver.presets import forget_preset, keep_preset
from tempik.desktop.commands.registry import command
from tempik.desktop.session.exports import Exports
from tempik.desktop.widgets.plain import asked
from tempik.errors import TempikError
from tempik.formats import Format, format_named, named_for


class ExportCommands(QObject):
    """What menus and the Export page do with exports."""

    wanted = Signal()  # the page is to be opened

    def __init__(self, exports: Exports, window: QWidget) -> None:
        super().__init__(exports)
        self.exports, self.project, self.window = exports, exports.project, window

    @command("Project", "Export as last time", ("Ctrl+Shift+E",), "clips")
    def export_again(self) -> None:
        """Queue the whole reel by the order that was last given, beside the project."""
        path = self.project.path
        if path is None:
            self.project.messages.say("Save the project first, or choose where to on the Export page.", True)
            self.wanted.emit()
            return
        order = fitting(replace(self.exports.order, part=None))
        self.order(order, named_for(path.with_suffix(""), format_named(order.format)))

    @command("Project", "Pause or go on with exports")
    def pause_exports(self) -> None:
        if self.exports.running is None and not self.exports.waiting and not self.exports.held:
            self.project.messages.say("Nothing is being exported.")
            return
        self.exports.hold(not self.exports.held)
        self.project.messages.say("Exports are paused." if self.exports.held else "Exports go on.")

    def order(self, order: Order, target: Path) -> bool:
        """Queue an order, having asked before a file is replaced."""
        files = [target_in(target, order, shape) for shape in order.shapes]
        there = [f for f in files if f.exists()]
        if format_named(order.format).kind == "frames" and there:
            self.project.messages.say(f"{there[0]} is there already; choose another name for the frames.", True)
            return False
        if there and not self._sure(there):
            return False
        return self.exports.start(order, target)

    def may_leave(self) -> bool:
        """Ask what becomes of exports when the window closes: a process that writes one can go on without it."""
        count = self.exports.unfinished
        if not count:
            return True
        buttons = QMessageBox.StandardButton
        what = "An export is being written." if count == 1 else f"{count} exports are being written or wait."
        answer = asked(
            self.window,
            "Exports are not done",
            f"{what} Finish in the background, or stop and write it when Tempik is open again?",
            buttons.Save | buttons.Discard | buttons.Cancel,
            {
                buttons.Save: "Finish in the background",
                buttons.Discard: "Stop, write it next time",
                buttons.Cancel: "Stay here",
            },
        )
        if answer == buttons.Save:
            self.exports.finish_alone()
        return answer in (buttons.Save, buttons.Discard)

    def _sure(self, there: list[Path]) -> bool:
        buttons = QMessageBox.StandardButton
        more = f" and {len(there) - 1} more" if len(there) > 1 else ""
        text = f"{there[0].name}{more} is there already in {there[0].parent}. Replace it once the new one is written?"
        return asked(self.window, "Replace it?", text, buttons.Yes | buttons.Cancel) == buttons.Yes

    def ask_where(self, start: Path, kind: Format) -> Path | None:
        """Ask for the file that is to be written; it is asked about replacing it when it is ordered."""
        forms = f"{kind.name} ({' '.join(f'*{s}' for s in kind.suffixes)})" if kind.suffixes[0] else "All files (*)"
        options = QFileDialog.Option.DontConfirmOverwrite
        path, _ = QFileDialog.getSaveFileName(self.window, "Export to", str(start), forms, options=options)
        return named_for(Path(path), kind) if path else None

    def keep(self, order: Order) -> bool:
        """Ask for a name and keep an order under it."""
        name, given = QInputDialog.getText(self.window, "Keep this order", "What is it called?")
        if not given:
            return False
        try:
            keep_preset(order, name)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return False
        self.project.messages.say(f"Kept as “{name.strip()}”.")
        return True

    def forget(self, name: str) -> None:
        """Forget a preset of one's own, and say so."""
        try:
            forget_preset(name)
            self.project.messages.say(f"“{name}” is forgotten.")
        except TempikError as error:
            self.project.messages.say(str(error), True)
