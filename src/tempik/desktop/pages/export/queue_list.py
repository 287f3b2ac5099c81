"""The queue as a list: every export with what has come of it, and what can be done with it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFrame, QProgressBar, QToolButton, QWidget

from tempik.deliver.expected import duration_text
from tempik.deliver.queue import ENDED, Item
from tempik.desktop.session.exports import Exports
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import button, column, holder, label, line, quiet, scrolled, tool
from tempik.desktop.widgets.plain import as_tip


class QueueList(QWidget):
    """Shows the queue, the latest order last; rows are kept while their item stays."""

    def __init__(self, exports: Exports) -> None:
        super().__init__()
        self.exports = exports
        self.rows: dict[str, _Row] = {}
        self.pause = button("Pause", "Pause the queue, in the middle of a file too", self._pause, "low")
        gone = "Take off the list what is done, stopped or failed; files stay"
        self.clear = button("Clear done", gone, exports.clear, "low")
        self.head = quiet("")
        line_up = "Exports line up here and are written while you go on editing, each with the reel as it was."
        self.empty = quiet(line_up, wraps=True)
        self._column = column(self.empty, None, spacing=3)
        column(line((self.head, 1), self.pause, self.clear, spacing=6), (scrolled(holder(self._column)), 1), over=self)
        exports.changed.connect(self.refill)
        exports.progressed.connect(self._progressed)
        self.refill()

    def refill(self) -> None:
        """Show the queue as it is."""
        items = self.exports.items
        for name in [n for n in self.rows if n not in {i.id for i in items}]:
            row = self.rows.pop(name)
            self._column.removeWidget(row)
            row.deleteLater()
        for number, item in enumerate(items):
            if item.id not in self.rows:
                self.rows[item.id] = _Row(self.exports, item.id)
            row = self.rows[item.id]
            if self._column.indexOf(row) != number + 1:
                self._column.insertWidget(number + 1, row)
            row.show_item(item, self.exports)
        self.empty.setVisible(not items)
        self.pause.setText("Go on" if self.exports.held else "Pause")
        self.pause.setEnabled(self.exports.held or self.exports.running is not None or bool(self.exports.waiting))
        self.clear.setEnabled(any(i.state in ENDED for i in items))
        waits, done = len(self.exports.waiting), sum(i.state == "done" for i in items)
        parts = [f"{waits} waiting"] * bool(waits) + [f"{done} done"] * bool(done)
        self.head.setText(
            "Queue" + (f": {', '.join(parts)}" if parts else "") + (" · paused" if self.exports.held else "")
        )

    def _progressed(self) -> None:
        row = self.rows.get(self.exports.running or "")
        if row is not None:
            row.bar.setValue(round(self.exports.share * 1000))

    def _pause(self) -> None:
        self.exports.hold(not self.exports.held)


class _Row(QFrame):
    def __init__(self, exports: Exports, name: str) -> None:
        super().__init__()
        self.setObjectName("export")
        self.title, self.message = label(size=13, bold=True), label(size=12, wraps=True)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(7)
        self.bar.setAccessibleName("Progress")
        self.up = tool("up", "Sooner", lambda: exports.move(name, -1))
        self.down = tool("down", "Later", lambda: exports.move(name, 1))
        self.stop = tool("stop", "Stop it; nothing of it is left", lambda: exports.stop(name))
        self.again = tool("again", "Write it again", lambda: exports.again(name))
        self.show_it = tool("folder", "Show it in its folder", self._show)
        self.off = tool("remove", "Take it off the list; the file stays", lambda: exports.remove(name))
        self.target = ""
        for each in self.tools():
            each.setIconSize(each.iconSize() * 0.75)
            marks.room(each, "bare")
        top = line((self.title, 1), *self.tools(), spacing=1)
        column(top, self.bar, self.message, over=self, spacing=2, margins=(8, 3, 4, 4))

    def tools(self) -> tuple[QToolButton, ...]:
        return self.up, self.down, self.again, self.show_it, self.stop, self.off

    def show_item(self, item: Item, exports: Exports) -> None:
        """Show what has become of an export."""
        self.target = item.target
        self.title.setText(item.name)
        self.title.setToolTip(as_tip(item.target))
        runs, waits, ended = item.state == "running", item.state == "waiting", item.state in ENDED
        self.bar.setVisible(runs)
        for each, seen in zip(
            self.tools(), (waits, waits, ended, item.state == "done", runs or waits, ended), strict=True
        ):
            each.setVisible(seen)
        if runs:
            self.bar.setValue(round(exports.share * 1000))
        words_ = {
            "running": "paused" if exports.held else "stopping …" if exports.stopping else "",
            "waiting": "waits",
            "stopped": "stopped",
        }
        text = words_.get(item.state, item.message)
        if item.state == "done":
            text = f"{item.size_bytes / 1e6:.1f} MB in {duration_text(item.seconds)}: {item.message}"
        self.message.setText("\n".join([text, *item.notes]) if item.notes else text)
        self.message.setVisible(bool(self.message.text()))
        bad = item.state == "failed" or (item.state == "done" and not item.ok)
        marks.ink(self.message, "warning" if bad else "good" if item.state == "done" else "quiet")

    def _show(self) -> None:
        folder = Path(self.target) if Path(self.target).is_dir() else Path(self.target).parent
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))
