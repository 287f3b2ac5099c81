"""Exports behind the editing: the queue, written one after the other by a process of its own, so that nothing waits for it.

What is queued is on the disk with the reel as it was: it outlives the window, and is offered again when it opens."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, QTimer, Signal

from tempik.deliver import queue
from tempik.deliver.expected import Expected, expected
from tempik.deliver.order import Order, fit, made
from tempik.deliver.presets import as_kept, last_order, remember_order, remembered
from tempik.deliver.queue import ENDED, Item
from tempik.desktop.session.document import Project
from tempik.desktop.session.export_process import ExportProcess
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.frame_shapes import in_own_shape
from tempik.errors import TempikError
from tempik.reel.nests import all_closed
from tempik.render.export import Cancelled

LOOK_MS = 2000


class Exports(QObject):
    """`changed` tells of another state of the queue, `progressed` how far the running one is, `expected` what the order on the
    page will come to."""

    changed = Signal()
    progressed = Signal()
    expected = Signal(str)
    ended = Signal()  # an export has come to its end
    order_changed = Signal()

    def __init__(self, project: Project, worker: Worker) -> None:
        super().__init__(project)
        self.project, self.worker = project, worker
        self.held = False
        self.running: str | None = None
        self.share = 0.0
        self._order: Order | None = None
        self._order_of: Path | None = None
        self._asked: Job | None = None
        self._closing = False
        self._process: ExportProcess | None = None
        self._look = QTimer(self)  # at what another process writes, such as one that a window left behind
        self._look.setInterval(LOOK_MS)
        self._look.timeout.connect(self._refresh)
        self.items: list[Item] = []

    # The order

    @property
    def order(self) -> Order:
        """What was ordered of this project last, or is being put together on the page."""
        if self._order is None or self._order_of != self.project.path:
            # What was ordered before a project had a name goes with it when it is saved under one.
            unnamed = self._order if self._order_of is None else None
            self._order = remembered(self.project.path) or unnamed or last_order(None)
            self._order_of = self.project.path
            self.project.ordered.keep(as_kept(self._order))
        return self._order

    def ask_for(self, order: Order) -> None:
        """Take another order for this project."""
        self._order, self._order_of = order, self.project.path
        self.project.ordered.keep(as_kept(order))
        remember_order(self.project.path, order)
        self.order_changed.emit()

    def expect(self, order: Order, target: Path) -> None:
        """Find out in the background what an order will come to, and tell it by `expected`."""
        if self._asked is not None:
            self.worker.cancel(self._asked)
        reel = in_own_shape(self.project.reel)

        def work(job: Job) -> str:
            try:
                found = [expected(each, job.stop_event) for each in made(reel, order, target)]
            except Cancelled:
                return ""
            whole = Expected(sum(f.size_bytes for f in found), sum(f.seconds for f in found))
            return whole.text

        self._asked = self.worker.start("Trying a few frames", work, self._expected, self._unexpected, quiet=True)

    def _expected(self, text: str) -> None:
        if text:
            self.expected.emit(text)

    def _unexpected(self, text: str) -> None:
        self.expected.emit(text)

    # The queue

    def read(self) -> None:
        """Take up what the queue has on the disk, held where it is from an earlier session."""
        self._refresh()
        waiting = [i for i in self.items if i.state == "waiting"]
        if any(i.state == "running" for i in self.items):
            self.held = True
            self.project.messages.say(
                "An export from an earlier session is still being written; see the Export page.", False
            )
        elif waiting:
            self.held = True
            count = f"{len(waiting)} exports wait" if len(waiting) > 1 else "An export waits"
            self.project.messages.say(f"{count} from an earlier session; go on with the queue on the Export page.")
        self.changed.emit()

    def start(self, order: Order, target: Path) -> bool:
        """Queue the reel as it is now, and write it as soon as nothing else is written. False, having said why, where it cannot be."""
        try:
            fit(made(in_own_shape(self.project.reel), order, target))
            queue.add(all_closed(in_own_shape(self.project.reel)), order, target, self.project.name)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return False
        self.ask_for(order)
        self._refresh()
        self._next()
        if self.held:
            self.project.messages.say("Queued; the queue is paused.")
        return True

    def _refresh(self) -> None:
        before, self.items = self.items, queue.items()
        if self.running is not None:
            self.items = [replace(i, state="running") if i.id == self.running else i for i in self.items]
        elsewhere = any(i.state == "running" and i.id != self.running for i in self.items)
        if elsewhere is not self._look.isActive():
            self._look.start() if elsewhere else self._look.stop()
        if self.items != before or not elsewhere:
            self.changed.emit()

    def item(self, name: str) -> Item | None:
        """Return what is in the queue under an id, or None."""
        return next((i for i in self.items if i.id == name), None)

    @property
    def waiting(self) -> list[Item]:
        """What of the queue has not begun."""
        return [i for i in self.items if i.state == "waiting"]

    def _next(self) -> None:
        if self._process is not None or self.held or self._closing or not self.waiting:
            return
        item = self.waiting[0]
        try:
            process = ExportProcess(item.id, self)
        except OSError as error:
            message = f"The export could not be started ({error.strerror}); restart Tempik and try again."
            self.project.messages.say(message, True)
            return
        process.progressed.connect(self._moved_on)
        process.ended.connect(self._finished)
        self._process, self.running, self.share = process, item.id, 0.0
        self.items = [replace(i, state="running") if i.id == item.id else i for i in self.items]
        self.changed.emit()

    def _moved_on(self, share: float) -> None:
        self.share = share
        self.progressed.emit()

    def _finished(self) -> None:
        name, stopping = self.running, self.stopping
        if self._process is not None:
            self._process.deleteLater()
        self._process, self.running, self.share = None, None, 0.0
        self._refresh()
        found = self.item(name) if name is not None else None
        if found is not None and not self._closing:
            # Waiting still, the process ended without a word: it was stopped before it could say so, or died.
            if found.state == "waiting":
                message = "stopped" if stopping else "the export ended unexpectedly; try it again"
                queue.save(replace(found, state="stopped" if stopping else "failed", message=message, ok=False))
                self._refresh()
                found = self.item(found.id) or found
            self._tell(found)
            self.ended.emit()
        self._next()

    @property
    def stopping(self) -> bool:
        """Whether what is being written has been asked to stop."""
        return self._process is not None and self._process.stopping

    def _tell(self, item: Item) -> None:
        if item.state == "stopped":
            self.project.messages.say(f"{item.name}: stopped.")
        elif item.state == "failed":
            self.project.messages.say(item.message, True)
        elif item.state == "done":
            more = f" {item.notes[0]}" if item.notes else ""
            more += f" (+{len(item.notes) - 1} more on the Export page)" if len(item.notes) > 1 else ""
            self.project.messages.say(f"Exported {item.target}: {item.message}.{more}", bool(item.notes) or not item.ok)

    # What a person does with it

    def hold(self, held: bool) -> None:
        """Pause the queue, in the middle of a file too, or go on."""
        self.held = held
        if self._process is not None:
            self._process.hold(held)
        self.changed.emit()
        self._next()

    def stop(self, name: str) -> None:
        """Stop writing an item, or take it from those that wait; nothing of it is left."""
        if name == self.running and self._process is not None:
            self._process.stop()
            item = self.item(name)
            self.project.messages.say(f"Stopping {item.name if item is not None else 'the export'} …", False)
            self.changed.emit()
            return
        item = queue.item_of(name)
        if item is not None and item.state == "waiting":
            queue.save(replace(item, state="stopped", message="stopped"))
            self._refresh()

    def again(self, name: str) -> None:
        """Let an item that has ended wait again, last."""
        item = queue.item_of(name)  # as it is on the disk: the command line works on the same queue
        if item is not None and item.state in ENDED:
            place = max((i.place for i in queue.items()), default=0.0) + 1
            queue.save(replace(item, state="waiting", message="", notes=(), ok=True, place=place))
            self._refresh()
            self._next()

    def move(self, name: str, by: int) -> None:
        """Move an item that waits up or down."""
        self._try(lambda: queue.move(name, by))

    def remove(self, name: str) -> None:
        """Take an item off the list; what it wrote stays."""
        self._try(lambda: queue.remove(name))

    def clear(self) -> None:
        """Take off the list what has ended."""
        for item in self.items:
            if item.state in ENDED:
                self._try(partial(queue.remove, item.id))

    def _try(self, act: Callable[[], object]) -> None:
        try:
            act()
        except TempikError as error:
            self.project.messages.say(str(error), True)
        self._refresh()

    @property
    def unfinished(self) -> int:
        """How many exports a person who closes the window should be asked about: what is being written, and what waits for it."""
        return 0 if self._process is None or self.held else 1 + len(self.waiting)

    def finish_alone(self) -> None:
        """Let what is being written, and what waits, be finished when the window has gone."""
        if self._process is not None and self._process.leave_alone():
            self._closing, self._process = True, None

    def close(self) -> None:
        """Stop what is being written, for good; it waits for the next session."""
        self._closing = True
        self._look.stop()
        process, name, self._process = self._process, self.running, None
        if process is None:
            return
        process.stop_now()
        item = queue.item_of(name) if name is not None else None
        if item is not None and item.state in ("stopped", "running", "waiting"):
            queue.save(replace(item, state="waiting", message=""))
